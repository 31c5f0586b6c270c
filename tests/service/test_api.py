"""The API over HTTP: refusals with reason, evidence and a way out; nothing changed by any of them."""

import itertools
import json
import random
import string
import threading

import pytest
import requests

from lentra.client.errors import BY_CODE, Problem

ASK = {"project": "ticketing", "tier": "app", "zone": "ml-1"}


class Http:
    def __init__(self, live, role):
        self.url = live.url + "/api/v1/"
        self.session = requests.Session()
        self.session.headers["Authorization"] = f"Bearer {live.token(role)}"

    def __call__(self, method, path, body=None, **options):
        return self.session.request(method, self.url + path, json=body, timeout=30, **options)


@pytest.fixture
def http(live):
    return Http(live, "admin")


def state_of_registry(client):
    """Whatever a refused call must leave alone: the newest ledger entry and the pools' counters."""
    newest = next(client.ledger(limit=1))["number"]
    return newest, [(u["pool"]["id"], [o["addresses"] for o in u["own"]]) for u in client.usage()]


REFUSALS = [
    # (call, path, body, status, code, field, words in the detail, a suggestion)
    ("off-boundary", {"prefix": "10.42.70.0/21"}, "prefix", "widest prefix that starts at", "10.42.70.0/23"),
    ("outside-parent", {"prefix": "10.42.96.0/24"}, "prefix", "ends 10.42.207.255", "pool ml-2-general"),
    ("overlaps", {"prefix": "10.42.192.0/22"}, "prefix", "addresses shared", None),
    ("length-out-of-bounds", {"length": 30}, "length", "four-and-one allows IPv4 subnets /18 to /28", "/28"),
    ("length-out-of-bounds", {"hosts": 100_000}, "hosts", "allows no subnet wider than /18", "16379"),
    ("hosts-do-not-fit", {"hosts": 252, "length": 24}, "length", "/23 is the least", "/23"),
    ("exhausted", {"length": 18}, "length", "largest free is a", "/21"),
    ("exhausted", {"length": 20}, "pool", "largest free is a", "pool ml-1-general"),
    ("unknown-name", {"length": 26, "zone": "ml-9"}, "zone", "there is no zone 'ml-9'", "ml-1"),
    ("unknown-name", {"length": 26, "tier": "ap"}, "tier", "did you mean app?", "app"),
    ("unknown-name", {"length": 26, "project": "tickets"}, "project", "there is no project", "ticketing"),
    ("unknown-name", {"length": 26, "pool": "ticket-hal"}, "pool", "did you mean ticket-hall?", "ticket-hall"),
    ("zone-not-in-region", {"length": 26, "region": "inner-isles"}, "zone", "in region mainland", "ii-1"),
    ("name-taken", {"length": 26, "name": "ticketing-ml-1-app-01"}, "name", "is taken by subnet number", None),
    ("kept-out", {"pool": "ml-1-general", "prefix": "10.42.16.16/28"}, "prefix", "Old crane controllers", None),
    ("wrong-family", {"families": [6]}, "families", "no IPv6 range", "4"),
    ("wrong-pool", {"length": 26, "pool": "telemetry-intake"}, "pool", "another project", None),
    ("wrong-pool", {"length": 26, "pool": "nc-1-general"}, "pool", "another zone", "ticket-hall"),
    ("needs-ipv4", {"families": [6], "pool": "ml-1-general"}, "families", "wants IPv4 beside IPv6", "[4, 6]"),
    ("invalid-value", {"length": 26, "zone": None}, "zone", "say where", None),
    ("invalid-value", {}, "hosts", "say how much", "hosts: 180"),
    ("invalid-value", {"length": 26, "pool": None}, "pool", "say which pool", "ticket-hall"),
    ("invalid-value", {"hosts": 10**30}, "hosts", "at most", None),
    ("invalid-value", {"hosts": "many"}, "hosts", "whole number", None),
    ("invalid-value", {"length": 26, "purpose": "x" * 201}, "purpose", "200", None),
    (
        "invalid-value",
        {"length": 26, "notes": "a\x00b"},
        "notes",
        "U+0000 (a control character) cannot stand in a text",
        None,
    ),
    ("invalid-value", {"length": 26, "name": "Größe"}, "name", "is not a valid name", "gr-e"),
    ("invalid-value", {"length": 26, "labels": {"Bad Key": "x"}}, "labels", "not a label key", None),
    ("invalid-value", {"length": 26, "proposal": "made-up"}, "proposal", "not a valid proposal token", None),
    ("invalid-value", {"length": 26, "count": 300}, "count", "256", None),
    ("unknown-field", {"lenght": 26}, "lenght", "no such field", "length"),
]


@pytest.mark.parametrize(("code", "body", "field", "words", "suggestion"), REFUSALS)
def test_a_refused_request_says_why_and_changes_nothing(http, planner, code, body, field, words, suggestion):
    before = state_of_registry(planner)
    answer = http("POST", "subnets", {"pool": "ticket-hall", **ASK, **body})
    told = answer.json()
    assert answer.headers["Content-Type"] == "application/problem+json"
    assert (told["code"], told.get("field")) == (code, field), told
    assert words in told["detail"]
    if suggestion:
        assert suggestion in told["suggestions"]
    assert state_of_registry(planner) == before


SETUP_REFUSALS = [
    (
        "POST",
        "pools",
        {"name": "x", "realm": "fleet", "sheet": "four-and-one", "ranges": ["10.43.0.0/16"]},
        "overlaps",
    ),
    (
        "POST",
        "pools",
        {"name": "x", "realm": "harbour-lab", "sheet": "four-and-one", "ranges": ["11.0.0.0/16"]},
        "not-private",
    ),
    (
        "POST",
        "pools",
        {"name": "x", "realm": "fleet", "sheet": "ends-withheld", "ranges": ["172.28.0.0/30"]},
        "length-out-of-bounds",
    ),
    (
        "POST",
        "pools",
        {"name": "links", "realm": "fleet", "sheet": "ends-withheld", "ranges": ["172.28.0.0/24"]},
        "name-taken",
    ),
    ("POST", "pools", {"name": "x", "parent": "north-coast", "ranges": ["10.40.64.0/24"]}, "overlaps"),
    ("POST", "pools", {"name": "x", "parent": "north-coast", "ranges": ["10.41.64.0/24"]}, "outside-parent"),
    ("POST", "pools", {"name": "x", "parent": "links", "lengths": [{"family": 6, "length": 64}]}, "wrong-family"),
    ("POST", "pools", {"name": "x", "realm": "fleet"}, "invalid-value"),
    (
        "POST",
        "pools",
        {"name": "x", "parent": "mainland", "lengths": [{"family": 4, "length": 24}] * 5},
        "too-many-ranges",
    ),
    ("POST", "keep-outs", {"realm": "fleet", "range": "10.40.64.0/24", "reason": "x"}, "overlaps"),
    ("POST", "keep-outs", {"realm": "fleet", "range": "10.40.64.9-10.40.64.1", "reason": "x"}, "bad-prefix"),
    ("POST", "zones", {"name": "nc-1", "region": "north-coast"}, "name-taken"),
    ("POST", "zones", {"name": "Nc 9", "region": "north-coast"}, "invalid-value"),
    ("POST", "zones", {"name": "nc-9", "region": "northcoast"}, "unknown-name"),
    ("POST", "realms", {"name": "depot", "name_template": "{project}"}, "invalid-value"),
    ("POST", "rule-sheets", {"name": "odd", "v4": {"head": 1}}, "invalid-value"),
    (
        "POST",
        "rule-sheets",
        {
            "name": "odd",
            "v4": {
                **dict.fromkeys(["head", "tail"], 1),
                "shortest": 30,
                "longest": 20,
                "range_shortest": 8,
                "range_longest": 28,
            },
        },
        "invalid-value",
    ),
    ("POST", "people", {"name": "kim", "role": "viewer", "password": "short"}, "invalid-value"),
    ("PATCH", "zones/nc-1", {"region": "inner-isles"}, "frozen-field"),
    ("PATCH", "pools/links", {"realm": "harbour-lab"}, "frozen-field"),
    ("PATCH", "pools/links", {"warning_percent": 95}, "invalid-value"),
    ("PATCH", "people/asta", {"role": "viewer"}, "invalid-value"),
    ("DELETE", "regions/north-coast", None, "in-use"),
    ("DELETE", "realms/fleet", None, "in-use"),
    ("DELETE", "pools/north-coast", None, "in-use"),
    ("DELETE", "keep-outs/1", None, "unknown-name"),
    ("GET", "subnets/none-such", None, "unknown-name"),
    ("GET", "subnets?colour=red", None, "unknown-field"),
    ("GET", "subnets?state=lost", None, "invalid-value"),
    ("GET", "subnets?inside=10.40.64.1/24", None, "off-boundary"),
    ("GET", "whereabouts?range=harbour", None, "bad-prefix"),
    ("GET", "no-such-call", None, "not-found"),
    ("PUT", "zones/nc-1", {}, "method-not-allowed"),
]


@pytest.mark.parametrize(("method", "path", "body", "code"), SETUP_REFUSALS)
def test_set_up_calls_are_refused_with_their_code(http, planner, method, path, body, code):
    before = state_of_registry(planner)
    answer = http(method, path, body)
    told = answer.json()
    assert told["code"] == code, told
    assert len(told["detail"]) > 15
    assert state_of_registry(planner) == before


def test_every_code_that_the_service_gives_has_its_exception():
    from lentra.addressing import refusal as core
    from lentra.registry import errors

    classes = [c for m in (core, errors) for c in vars(m).values() if isinstance(c, type)]
    codes = {c.code for c in classes if issubclass(c, core.Refusal) and c is not core.Refusal}
    assert codes <= set(BY_CODE)


def test_no_input_gives_a_500(http):
    """Nasty values in every field of every call that takes a body."""
    nasty = [
        None,
        "",
        " ",
        "\x00",
        "💥",
        "x" * 5000,
        -1,
        10**40,
        1.5,
        True,
        [],
        {},
        [[]],
        {"id": []},
        "1e999",
        "%00",
        "../x",
    ]
    calls = {
        "subnets": [
            *ASK,
            "pool",
            "hosts",
            "growth",
            "length",
            "prefix",
            "count",
            "placement",
            "beside",
            "name",
            "families",
            "labels",
            "proposal",
            "notes",
        ],
        "pools": [
            "name",
            "realm",
            "parent",
            "ranges",
            "lengths",
            "sheet",
            "cooling_days",
            "zone",
            "placement_v4",
            "unit_v6",
        ],
        "keep-outs": ["realm", "range", "reason", "kind", "since"],
        "zones": ["name", "region"],
        "rule-sheets": ["name", "v4", "hd_threshold", "workloads_min"],
        "people": ["name", "role", "projects", "password"],
        "tokens": ["name", "expires_at", "person"],
        "session": ["name", "password"],
    }
    valid = {
        "subnets": {**ASK, "pool": "ticket-hall", "length": 28},
        "zones": {"name": "z-1", "region": "mainland"},
    }
    for path, fields in calls.items():
        for field, value in itertools.product(fields, nasty):
            answer = http("POST", path + "?preview=true", {**valid.get(path, {}), field: value})
            assert answer.status_code < 500, (path, field, value, answer.text)
    for value in nasty:
        for query in (
            "size?hosts=",
            "explain?prefix=",
            "subnets?label=",
            "subnets?cursor=",
            "ledger?record=",
            "subnets?text=",
            "whereabouts?range=",
            "pools/",
            "subnets?limit=",
            "zones?text=",
            "usage?realm=",
        ):
            assert http("GET", query + requests.utils.quote(str(value))).status_code < 500, (query, value)
    for raw in (b'{"a":', b"\xff\xfe", b"[" * 100_000, b"null", b"[1]", b'"x"', b"1" * 5000):
        answer = http.session.post(http.url + "subnets", data=raw, headers={"Content-Type": "application/json"})
        assert answer.status_code < 500, (raw[:10], answer.text)
        assert "code" in answer.json()
    assert (
        http.session.post(http.url + "subnets", data=b"x=1", headers={"Content-Type": "text/x"}).status_code == 415
    )


def test_the_same_key_gives_the_first_answer_and_another_body_is_refused(http, fresh_pool):
    pool = fresh_pool("10.40.64.0/20")
    body, headers = (
        {"pool": pool, **ASK, "length": 26},
        {"Idempotency-Key": "k-" + "".join(random.choices(string.ascii_letters, k=12))},
    )
    first, second = (http("POST", "subnets", body, headers=headers) for _ in range(2))
    assert first.status_code == 201
    assert first.json() == second.json()
    assert second.headers["Idempotent-Replay"] == "true"
    changed = http("POST", "subnets", {**body, "length": 27}, headers=headers)
    assert (changed.status_code, changed.json()["code"]) == (422, "key-reused")
    assert len(http("GET", f"subnets?pool={pool}").json()["results"]) == 1


def test_refusals_are_not_remembered_under_their_key(http, fresh_pool):
    pool = fresh_pool("10.40.64.0/24", cooling_days=0)
    headers = {"Idempotency-Key": "refused-" + pool}
    blocker = http("POST", "subnets", {"pool": pool, **ASK, "length": 24}).json()["result"]["subnets"][0]
    body = {"pool": pool, **ASK, "length": 25}
    assert http("POST", "subnets", body, headers=headers).json()["code"] == "exhausted"
    http("POST", f"subnets/{blocker['id']}/release", {})
    assert http("POST", "subnets", body, headers=headers).status_code == 201


def test_the_same_key_at_once_hands_out_one_block(live, fresh_pool):
    pool = fresh_pool("10.40.64.0/20")
    key, results = "at-once-" + pool, []

    def ask():
        results.append(
            live.client("planner").request(pool=pool, **ASK, length=26, key=key).result["subnets"][0]["id"]
        )

    threads = [threading.Thread(target=ask) for _ in range(8)]
    [t.start() for t in threads]
    [t.join() for t in threads]
    assert len(results) == 8
    assert len(set(results)) == 1


def test_edits_need_the_version_that_was_read(http):
    zone = http("GET", "zones/nc-3")
    tag = zone.headers["ETag"]
    changed = http("PATCH", "zones/nc-3", {"about": "moved"}, headers={"If-Match": tag})
    assert changed.status_code == 200
    assert changed.headers["ETag"] != tag
    stale = http("PATCH", "zones/nc-3", {"about": "again"}, headers={"If-Match": tag})
    assert (stale.status_code, stale.json()["code"]) == (412, "stale-edit")
    assert http("GET", "zones/nc-3").json()["about"] == "moved"


def test_a_preview_changes_nothing_and_tells_all(http, planner):
    before = state_of_registry(planner)
    seen = http(
        "POST",
        "pools?preview=true",
        {"name": "seen", "parent": "north-coast", "lengths": [{"family": 4, "length": 22}]},
    ).json()
    assert seen["preview"]
    assert seen["result"]["ranges"] == [seen["changes"][0]["after"]["ranges"][0]]
    taken = http(
        "POST",
        "pools?preview=true",
        {"name": "lab-3", "realm": "fleet", "sheet": "ends-withheld", "ranges": ["192.168.1.0/24"]},
    ).json()
    assert "may clash once networks are joined" in taken["notes"][0]
    assert state_of_registry(planner) == before


def test_lists_come_in_pages_that_add_up(http, planner):
    whole = [s["id"] for s in planner.subnets.list(limit=1000)]
    paged = [s["id"] for s in planner.subnets.list(limit=7)]
    assert paged == whole
    assert len(set(whole)) == len(whole) > 250
    inside = list(planner.subnets.list(inside="10.40.64.0/22", order="address"))
    assert inside
    assert all(s["blocks"][0]["prefix"].startswith("10.40.6") for s in inside)
    (covering,) = planner.subnets.list(covering="10.40.64.1/32", realm="fleet")
    assert covering["name"] == "ticketing-nc-1-edge-01"
    v6 = list(planner.subnets.list(family=6, zone="nc-1"))
    assert v6
    assert all(len(s["blocks"]) == 2 for s in v6)
    labelled = list(planner.subnets.list(label="season=summer", limit=1000))
    assert labelled
    assert {s["tier"]["name"] for s in labelled} == {"edge"}
    assert {s["state"] for s in planner.subnets.list(state="cooling")} == {"cooling"}


def test_roles_reach_as_far_as_they_should(live):
    viewer, requester = live.client("viewer"), live.client("requester")
    with pytest.raises(BY_CODE["not-allowed"], match="role requester is needed"):
        viewer.request(pool="ticket-hall", **ASK, length=28)
    with pytest.raises(BY_CODE["not-allowed"], match="does not belong to project freight-desk"):
        requester.request(pool="ml-1-general", **{**ASK, "project": "freight-desk"}, length=28)
    with pytest.raises(BY_CODE["not-allowed"], match="role planner"):
        requester.zones.add(name="nc-8", region="north-coast")
    with pytest.raises(BY_CODE["not-allowed"], match="role admin"):
        live.client("planner").people.add(name="kim", role="viewer")
    made = requester.request(pool="ticket-hall", **ASK, length=28).result["subnets"][0]
    assert requester.release(made["id"]).result["state"] == "cooling"
    with pytest.raises(BY_CODE["not-allowed"], match="role planner"):
        requester.release(made["id"], at_once=True)
    assert live.client("planner").release(made["id"], at_once=True).result["state"] == "free"


def test_tokens_are_told_once_end_and_can_be_revoked(live):
    client = live.client("viewer")
    made = client.tokens.add(name="pipeline").result
    assert live.client("viewer").me()["name"] == "vera"
    from lentra.client import Client

    other = Client(live.url, made["text"], retries=0)
    assert other.me()["name"] == "vera"
    assert all(token["text"] is None for token in client.tokens.list())
    client.tokens.remove(made["id"])
    with pytest.raises(BY_CODE["not-signed-in"], match="revoked"):
        other.me()
    with pytest.raises(BY_CODE["not-signed-in"]):
        Client(live.url, "lentra_nothing", retries=0).me()
    with pytest.raises(Problem, match="ended already"):
        client.tokens.add(name="late", expires_at="2020-01-01T00:00:00Z")


def test_the_text_of_a_token_is_kept_nowhere(live, http):
    headers = {"Idempotency-Key": "token-once"}
    made = http("POST", "tokens", {"name": "once"}, headers=headers).json()["result"]
    again = http("POST", "tokens", {"name": "once"}, headers=headers)
    assert again.headers["Idempotent-Replay"] == "true"
    assert again.json()["result"] == {**made, "text": None}
    import MySQLdb

    kept = json.loads(live.database.secrets.read_text())
    database = MySQLdb.connect(
        user="lentra", password=kept["password"], database="lentra", unix_socket=str(live.database.socket)
    )
    cursor = database.cursor()
    cursor.execute("SHOW TABLES")
    for (table,) in cursor.fetchall():
        cursor.execute(f"SELECT * FROM {table}")
        assert made["text"] not in str(cursor.fetchall()), table
    database.close()


def test_health_and_the_reference_are_served(live):
    assert requests.get(live.url + "/healthz").json() == {"status": "alive"}
    assert requests.get(live.url + "/readyz").json()["status"] == "ready"
    document = requests.get(live.url + "/api/v1/openapi.json", headers={"Accept": "application/json"})
    assert json.loads(document.text)["openapi"].startswith("3.1")
    codes = requests.get(live.url + "/api/docs/problems").text
    assert all(f'id="{code}"' in codes for code in BY_CODE)
    page = requests.get(live.url + "/api/docs")
    assert page.status_code == 200
    sources = [part.split('"')[0] for part in page.text.split('src="')[1:]] + [
        p.split('"')[0] for p in page.text.split('href="')[1:]
    ]
    assert sources
    for source in sources:  # everything comes from the service itself
        assert source.startswith("/")
        assert requests.get(live.url + source).status_code == 200


def test_whereabouts_name_the_chain_the_holder_and_the_keep_outs(planner):
    (place,) = planner.whereabouts("10.41.80.1", realm="fleet")
    assert [pool["name"] for pool in place["pools"]] == ["fleet-private", "inner-isles", "ii-2-general"]
    assert place["holders"][0]["owner"] == "ticketing-ii-2-edge-01"
    (kept,) = planner.whereabouts("10.42.16.20", realm="fleet")
    assert kept["keep_outs"][0]["reason"].startswith("Old crane")
    assert kept["holders"][0]["state"] == "kept out"


def test_candidates_can_give_what_is_asked_for(planner):
    both = planner.candidates("ticketing", zone="ml-1", tier="app", hosts=50, dual=True)
    assert [c["pool"]["name"] for c in both["candidates"]][:2] == ["ml-1-general", "mainland"]
    assert any("ticket-hall: it has no IPv6 range" in reason for reason in both["passed_over"])
    alone = planner.candidates("ticketing", zone="ml-1", tier="app", family=6)
    assert any("wants IPv4 beside IPv6" in reason for reason in alone["passed_over"])
    assert all(c["block"].endswith("/64") for c in alone["candidates"])
    for candidate in both["candidates"]:
        seen = planner.request(
            pool=f"{candidate['realm']['name']}:{candidate['pool']['name']}",
            **ASK,
            hosts=50,
            families=[4, 6],
            preview=True,
        )
        (subnet,) = seen.result["subnets"]
        assert subnet["blocks"][0]["prefix"] == candidate["block"]
        assert candidate["why"] in seen.result["why"]
