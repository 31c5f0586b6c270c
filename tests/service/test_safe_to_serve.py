"""What keeps strangers out and insiders to what is theirs: sign-ins, tokens, headers, malformed input, harmless output."""

from __future__ import annotations

import json
import os
import subprocess
import sys
import uuid

import pytest
import requests

from lentra.client import Client, Problem
from tests.service.test_command_line import lentra  # noqa: F401

GOOD = "nine grey herons wait"


@pytest.fixture
def somebody(live):
    """Makes people with a password; returns their name."""

    def make(role="viewer", **values):
        name = f"p-{uuid.uuid4().hex[:8]}"
        live.client("admin").people.add(name=name, role=role, password=GOOD, **values)
        return name

    return make


def try_password(url, name, password="wrong one entirely", **headers):
    return requests.post(f"{url}/api/v1/session", json={"name": name, "password": password}, headers=headers)


def signed_in(url, name, password=GOOD):
    session = requests.Session()
    assert session.post(f"{url}/api/v1/session", json={"name": name, "password": password}).status_code == 200
    session.headers.update({"X-CSRFToken": session.cookies["lentra_csrf"], "Referer": url})
    return session


def test_failed_sign_ins_are_counted_by_name_whoever_tries_and_the_lock_is_lifted(live, somebody, lentra):  # noqa: F811
    name = somebody()
    headers = [
        {},
        {"X-Forwarded-For": "198.51.100.7"},
        {"Authorization": f"Bearer {live.token('viewer')}"},
        {"Connection": "close"},
        {},
    ]
    assert [try_password(live.url, name, **given).status_code for given in headers] == [401] * 5
    answers = [
        try_password(live.url, name, GOOD, **given) for given in headers
    ]  # the right one is not looked at now
    assert {answer.status_code for answer in answers} == {429}
    assert int(answers[0].headers["Retry-After"]) >= 1
    assert answers[0].json()["code"] == "too-many-tries"
    admin = live.client("admin")
    shut = admin.people.get(name)
    assert shut["locked_until"]
    assert shut["failed_sign_ins"] == 5
    assert [p["name"] for p in admin.people.list(limit=1000) if p["locked_until"]] == [name]
    with pytest.raises(Problem) as refused:
        live.client("planner").people.unlock(name)
    assert refused.value.status == 403
    done = lentra("person", "unlock", name, "--yes", LENTRA_TOKEN=live.token("admin"))
    assert "forget the failed sign-ins" in done.stdout
    after = admin.people.get(name)
    assert (after["failed_sign_ins"], after["locked_until"]) == (0, None)
    assert try_password(live.url, name, GOOD).status_code == 200
    entries = [entry["verb"] for entry in admin.ledger(kind="sign-in", text=name)]
    assert entries == ["sign in", *["sign-in refused"] * 5]
    log = live.service.log.read_text()
    assert f"sign-in refused: {name} from 127.0.0.1" in log
    assert GOOD not in log


def test_each_further_failure_waits_twice_as_long_and_a_day_later_all_is_forgotten(registry_database):
    from datetime import UTC, datetime, timedelta

    from lentra.registry.errors import TooManyTries, WrongPassword
    from lentra.registry.operations.people.sign_in import sign_in
    from lentra.registry.transactions.clock import SetClock

    clock, waits = SetClock(datetime(2026, 3, 1, tzinfo=UTC)), []
    for _ in range(17):
        with pytest.raises(WrongPassword):
            sign_in("nobody-here", "x", "2001:db8:1:2::5", clock)
        while True:
            try:
                sign_in("nobody-here", "x", "2001:db8:1:2:ffff::9", clock)
            except TooManyTries as refusal:
                waits.append(refusal.seconds)
                clock.moment += timedelta(seconds=refusal.seconds)
                break
            except WrongPassword:
                continue
    assert waits[:4] == [4, 8, 16, 32]
    assert waits[-1] == 15 * 60
    clock.moment += timedelta(days=1, minutes=1)
    with pytest.raises(WrongPassword):
        sign_in("nobody-here", "x", "2001:db8:1:2::5", clock)


@pytest.mark.parametrize(
    ("proxies", "peer", "said", "meant"),
    [
        ("", "10.0.0.9", "198.51.100.7", "10.0.0.9"),
        ("10.0.0.0/24", "10.0.0.9", "198.51.100.7", "198.51.100.7"),
        ("10.0.0.0/24", "10.0.0.9", "203.0.113.1, 198.51.100.7, 10.0.0.8", "198.51.100.7"),
        ("10.0.0.0/24", "192.0.2.1", "198.51.100.7", "192.0.2.1"),
    ],
)
def test_a_proxy_is_believed_only_where_it_is_named(registry_database, proxies, peer, said, meant):
    from ipaddress import ip_network

    from django.test import RequestFactory, override_settings

    from lentra.api.signing_in import peer_of

    with override_settings(PROXIES=[ip_network(text) for text in proxies.split(",") if text]):
        assert peer_of(RequestFactory().get("/", REMOTE_ADDR=peer, HTTP_X_FORWARDED_FOR=said)) == meant


@pytest.mark.parametrize(
    "password", ["short one", "passwordpassword", "123456789012", "aaaaaaaaaaaa", " " * 14, "vera-lindqvist"]
)
def test_a_password_that_is_easily_guessed_is_refused(live, password):
    with pytest.raises(Problem) as refused:
        live.client("admin").people.add(name="vera-lindqvist", role="viewer", password=password, preview=True)
    assert refused.value.field == "password"


def test_one_changes_ones_own_password_and_other_sessions_end(live, somebody, lentra):  # noqa: F811
    name, fresh = somebody(), "seven tar barrels roll"
    here, elsewhere = signed_in(live.url, name), signed_in(live.url, name)
    token = here.post(f"{live.url}/api/v1/tokens", json={"name": "kept"}).json()["result"]["text"]
    url = f"{live.url}/api/v1/session/password"
    assert here.post(url, json={"current": "not this one", "new": fresh}).status_code == 401
    weak = here.post(url, json={"current": GOOD, "new": "short"}).json()
    assert (weak["code"], weak["field"]) == ("invalid-value", "new")
    assert here.post(url, json={"current": GOOD, "new": fresh}).status_code == 200
    assert [s.get(f"{live.url}/api/v1/session").status_code for s in (here, elsewhere)] == [200, 401]
    assert Client(live.url, token).me()["name"] == name
    done = lentra("password", "--revoke-tokens", given=f"{fresh}\n{GOOD}\n", LENTRA_TOKEN=token)
    assert "1 tokens of" in done.stderr + done.stdout
    assert try_password(live.url, name, GOOD).status_code == 200
    with pytest.raises(Problem):
        Client(live.url, token).me()
    changes = live.client("admin").ledger(kind="person", text=name)
    assert [e["verb"] for e in changes][:2] == ["change password"] * 2
    assert GOOD not in json.dumps(list(live.client("admin").ledger(kind="person", text=name)))


def test_a_token_reaches_and_lasts_no_further_than_it_was_let(live, fresh_pool):
    planner, admin = live.client("planner"), live.client("admin")
    pool = fresh_pool("10.40.64.0/24")
    ask = {"pool": pool, "tier": "app", "zone": "ml-1", "length": 28}
    reads = Client(live.url, planner.tokens.add(name="reads", role="viewer").result["text"])
    with pytest.raises(Problem, match="token reads lets petra act as a viewer"):
        reads.request(**ask, project="ticketing")
    assert list(reads.pools.list(text="ticket-hall"))
    made = planner.tokens.add(name="tickets", projects=["ticketing"], expires_at="2031-01-01T00:00:00Z").result
    narrow = Client(live.url, made["text"])
    assert narrow.request(**ask, project="ticketing").result["subnets"]
    for refused in (
        lambda: narrow.request(**ask, project="crew-roster"),
        lambda: narrow.zones.add(name="elsewhere", region="mainland"),
        lambda: narrow.tokens.add(name="wider", projects=["ticketing", "crew-roster"]),
        lambda: narrow.tokens.add(name="longer", projects=["ticketing"], expires_at="2032-01-01T00:00:00Z"),
        lambda: reads.tokens.add(name="higher"),
    ):
        with pytest.raises(Problem) as told:
            refused()
        assert told.value.status == 403
    child = narrow.tokens.add(name="child", projects=["ticketing"])
    assert child.result["expires_at"] == made["expires_at"]
    assert "it ends with token tickets" in child.notes[0]
    planner.tokens.remove(made["id"])
    with pytest.raises(Problem, match="was revoked"):
        Client(live.url, child.result["text"]).me()
    assert next(t["made_by"] for t in admin.tokens.list() if t["name"] == "child")["name"] == "tickets"


def test_the_ledger_shows_each_role_what_it_may_see(live, somebody):
    name = somebody()
    admin, viewer = live.client("admin"), live.client("viewer")
    token = live.client("planner").tokens.add(name="secret-plan").result
    about = ("person", "token", "sign-in")
    assert {entry["actor_name"] for entry in viewer.ledger() if entry["kind"] in about} <= {"vera", "lentra"}
    assert not list(viewer.ledger(record=token["id"]))
    assert not list(viewer.ledger(text=name))
    assert list(admin.ledger(record=token["id"]))
    assert viewer.subnets.history(token["id"]) == []
    assert list(live.client("planner").ledger(record=token["id"]))  # one's own


def test_answers_carry_what_keeps_browsers_from_mischief(live):
    page = requests.get(live.url + "/")
    policy = page.headers["Content-Security-Policy"]
    assert "default-src 'self'" in policy
    assert "frame-ancestors 'none'" in policy
    assert "unsafe" not in policy
    assert page.headers["X-Frame-Options"] == "DENY"
    assert page.headers["X-Content-Type-Options"] == "nosniff"
    for path in ("/api/v1/session", "/api/v1/realms", "/api/v1/report?realm=fleet"):
        answer = requests.get(live.url + path, headers={"Authorization": f"Bearer {live.token('viewer')}"})
        assert answer.headers["Cache-Control"] == "no-store"


def test_the_service_has_nothing_to_mend_before_it_is_deployed(registry_database):
    secure = {
        **{name: value for name, value in os.environ.items() if name != "DJANGO_ALLOW_ASYNC_UNSAFE"},
        "LENTRA_HTTPS": "1",
        "LENTRA_SECRET_KEY": "k" * 10 + uuid.uuid4().hex + uuid.uuid4().hex,
        "LENTRA_HOSTS": "lentra.skarvik-ferries.example",
    }
    command = [sys.executable, "-m", "lentra.service.manage", "check", "--deploy"]
    done = subprocess.run(command, env=secure, capture_output=True, text=True)
    assert "no issues (0 silenced)" in done.stdout + done.stderr, done.stderr


@pytest.mark.parametrize("secret", [None, "too short for this"])
def test_nothing_is_served_without_a_proper_secret(secret):
    given = {name: value for name, value in os.environ.items() if name != "LENTRA_SECRET_KEY"}
    given |= {"LENTRA_SECRET_KEY": secret} if secret else {}
    given["DJANGO_SETTINGS_MODULE"] = "lentra.service.settings"
    done = subprocess.run(
        [sys.executable, "-c", "import lentra.service.wsgi"], env=given, capture_output=True, text=True
    )
    assert done.returncode
    assert "LENTRA_SECRET_KEY is not set or has fewer than 20 characters" in done.stderr


LISTS = ["people", "projects", "subnets", "pools", "reservations", "plans", "addresses", "planned-needs"]
LISTS += ["ledger", "tokens", "keep-outs", "alerts", "usage", "headroom"]


@pytest.mark.parametrize("path", LISTS)
@pytest.mark.parametrize("cursor", ["cD1hYmM=", "bz05OTk5OTk5OTk5OTk5OTk5", "%F0%9F%90%9F", "x:y", ""])
def test_a_cursor_that_no_page_gave_is_refused(live, path, cursor):
    headers = {"Authorization": f"Bearer {live.token('admin')}"}
    answer = requests.get(f"{live.url}/api/v1/{path}?cursor={cursor}", headers=headers)
    assert (answer.status_code, answer.json()["field"]) == (400, "cursor")


def test_a_cursor_serves_the_list_that_gave_it_alone(live):
    headers = {"Authorization": f"Bearer {live.token('admin')}"}
    page = requests.get(f"{live.url}/api/v1/subnets?limit=5", headers=headers).json()
    query = page["next"].partition("?")[2]
    assert requests.get(f"{live.url}/api/v1/subnets?{query}", headers=headers).status_code == 200
    assert requests.get(f"{live.url}/api/v1/pools?{query}", headers=headers).status_code == 400


@pytest.mark.parametrize(
    ("path", "headers", "status"),
    [
        ("/api/v1/addresses/a%0Ab", {}, 404),
        ("/api/v1/subnets/a%00b", {}, 404),
        ("/.well-known/x%0Ay", {}, 404),
        ("/api/v1/realms", {"Host": "elsewhere.example"}, 400),
    ],
)
def test_malformed_requests_get_a_problem_document(live, path, headers, status):
    headers = {"Authorization": f"Bearer {live.token('viewer')}", **headers}
    answer = requests.get(live.url + path, headers=headers)
    assert answer.status_code == status
    assert answer.headers["Content-Type"] == "application/problem+json"
    assert answer.json()["code"]


def test_a_body_in_chunks_is_read_and_bounded(live):
    headers = {"Authorization": f"Bearer {live.token('viewer')}", "Content-Type": "application/json"}
    url = f"{live.url}/api/v1/size/cluster"
    done = requests.post(url, data=iter([b'{"nod', b'es": 5}']), headers=headers)
    assert done.status_code == 200
    assert done.json() == requests.post(url, json={"nodes": 5}, headers=headers).json()
    large = requests.post(url, data=iter([b" " * 100_000] * 25), headers=headers)
    assert (large.status_code, large.json()["code"]) == (413, "too-large")


@pytest.mark.parametrize(
    ("path", "body", "field"),
    [
        ("size/several", {"needs": [{"name": "n", "hosts": 1}] * 20_000}, "needs"),
        ("size/cluster", {"n" * 1_900_000: 1}, "nnnn"),
        ("projects", {"name": "zz-uni", "title": "safe\u202etxt.exe"}, "title"),
        ("projects", {"name": "zz-uni", "title": "\x1b[31mred"}, "title"),
        ("subnets", {"labels": {"quay": "a\u0085b"}}, "labels.quay"),
        ("plans", {"text": 'name: "\\x1b[2J"'}, "name"),
    ],
)
def test_what_is_too_much_or_misleads_is_refused_in_a_moment(live, path, body, field):
    headers = {"Authorization": f"Bearer {live.token('planner')}"}
    query = {} if path.startswith("size/") else {"preview": "true"}
    answer = requests.post(f"{live.url}/api/v1/{path}", params=query, json=body, headers=headers)
    assert answer.status_code == 400
    told = answer.json()
    assert field in told["field"] or field in told["detail"]
    assert len(answer.content) < 4_000
    why = requests.post(f"{live.url}/api/v1/projects?preview=true&why=a%0Ab", json={"name": "x"}, headers=headers)
    assert why.json()["detail"] == "why: it is told in one line: leave the ends of lines out"


@pytest.mark.parametrize(
    ("settings", "given", "status"),
    [
        ({}, None, 403),
        ({"METRICS_TOKEN": "for the watch"}, None, 401),
        ({"METRICS_TOKEN": "for the watch"}, "other", 401),
        ({"METRICS_TOKEN": "for the watch"}, "for the watch", 200),
        ({"METRICS_OPEN": True}, None, 200),
    ],
)
def test_metrics_are_closed_unless_opened(registry_database, settings, given, status):
    from django.test import RequestFactory, override_settings

    from lentra.service.metrics import metrics

    headers = {"HTTP_AUTHORIZATION": f"Bearer {given}"} if given else {}
    with override_settings(**settings):
        assert metrics(RequestFactory().get("/metrics", **headers)).status_code == status


def test_what_is_shown_in_a_terminal_or_a_spreadsheet_does_nothing_there(live, fresh_pool, lentra):  # noqa: F811
    from tests.sql_check import connect

    (subnet,) = (
        live.client("planner")
        .request(pool=fresh_pool("10.40.64.0/24"), project="harbour-cameras", tier="app", zone="ml-1", length=28)
        .result["subnets"]
    )
    live.client("planner").subnets.edit(subnet["id"], purpose="=cmd|' /C calc'!A0")
    rows = lentra("list", "--project", "harbour-cameras", "-o", "csv").stdout
    assert "'=cmd|' /C calc'!A0" in rows
    assert ",=cmd" not in rows
    # Texts that were there before such characters were refused.
    connection = connect(live.database.url)
    with connection.cursor() as cursor:
        cursor.execute(
            "UPDATE registry_project SET title = %s WHERE name = 'ticketing'", ["\x1b]0;own\x07\u202eevil"]
        )
    connection.commit()
    try:
        shown = lentra("project", "show", "ticketing").stdout
        assert "\\u001b]0;own\\u0007\\u202eevil" in shown
        assert not set("\x1b\x07\u202e") & set(shown)
    finally:
        live.client("planner").projects.edit("ticketing", title="Ticket sales and boarding")


def test_a_token_is_not_replaced_by_what_a_file_on_this_machine_says(live, tmp_path, monkeypatch):
    (tmp_path / ".netrc").write_text("machine 127.0.0.1 login someone password secretpw\n")
    (tmp_path / ".netrc").chmod(0o600)
    monkeypatch.setenv("HOME", str(tmp_path))
    monkeypatch.setenv("NETRC", str(tmp_path / ".netrc"))
    assert live.client("viewer").me()["name"] == "vera"


def test_a_session_changes_nothing_without_the_token_of_its_pages(live, somebody):
    session = signed_in(live.url, somebody(role="planner"))
    url = f"{live.url}/api/v1/regions"
    for headers in ({"X-CSRFToken": None}, {"X-CSRFToken": "x" * 32}, {"Origin": "https://elsewhere.example"}):
        refused = session.post(url, json={"name": "by-a-stranger"}, headers=headers)
        assert (refused.status_code, refused.json()["code"]) == (403, "no-csrf-token"), headers
    assert session.post(url + "?preview=true", json={"name": "by-its-own-page"}).status_code == 200


def test_a_database_that_goes_while_a_refusal_is_answered_is_told_as_busy(registry_database, monkeypatch):
    """Whether the refused call repeats one that was done is looked up there: what is not known is not refused."""
    from django.db import OperationalError

    from lentra.addressing.refusal import Exhausted
    from lentra.api import problems

    def lost(request):
        raise OperationalError(2013, "Lost connection to server during query")

    monkeypatch.setattr(problems, "first_answer_to", lost)
    answer = problems.problem_for(Exhausted("no /24 is free", field="length"), {"request": object()})
    assert (answer.status_code, answer.data["code"], answer.headers["Retry-After"]) == (503, "busy", "1")
