"""Tokens for automation: service accounts, scopes, places, networks, rotation; every call by every scope."""

from __future__ import annotations

import uuid
from datetime import UTC, datetime, timedelta

import pytest
import requests

from lentra.client import Client
from lentra.client.errors import NotAllowed, Problem
from tests.service.test_command_line import lentra  # noqa: F401
from tests.service.test_console import open_as  # noqa: F401
from tests.service.test_roles import CALLS, OPEN, refs, send  # noqa: F401

SCOPES = ("read", "ask", "give-back", "plan", "set-up")
ASK = {"pool": "ticket-hall", "project": "ticketing", "tier": "app", "zone": "ml-1", "length": 28}
NEEDED = {  # what a changing call needs, by the beginning of its address; the longest counts
    "patch subnets": {"ask"},
    "post subnets": {"ask"},
    "patch addresses": {"ask"},
    "patch waiting-requests": {"ask"},
    "post waiting-requests/{ref}/withdraw": {"ask"},
    "post waiting-requests/{ref}/say": {"ask"},
    **{f"post subnets/{{ref}}/{what}": {"give-back"} for what in ("release", "shrink", "detach")},
    "delete addresses": {"give-back"},
    **{f"post waiting-requests/{{ref}}/{what}": {"plan"} for what in ("grant", "refuse", "pass-on")},
    **{
        f"{how} {kind}": {"plan"}
        for kind in ("reservations", "planned-needs")
        for how in ("post", "patch", "delete")
    },
    **{f"post {what}": {"plan"} for what in ("plans", "clusters", "expected-plans", "alerts", "findings")},
    "post renumberings": {"plan"},
    **{f"post renumberings/{{ref}}/{what}": {"plan", "give-back"} for what in ("finish", "turn-back")},
    **{f"post sources/{{ref}}/{what}": {"plan"} for what in ("surveys", "ask", "leave-off")},
    "post plans/{ref}/remove": {"plan", "give-back"},
    "post ledger": {"ask", "give-back", "plan", "set-up"},
    **{
        f"{how} {kind}": {"none"}
        for kind in ("people", "tokens", "sessions", "group-mappings")
        for how in ("post", "patch", "delete")
    },
    **{
        f"post session/{what}": {"none"}
        for what in ("mail", "password", "second-factor/confirm", "second-factor/off")
    },
    "post verify": {"none"},
    "post tokens/{ref}/rotate": set(),
    **{f"post session/{what}": set() for what in ("second-factor", "terminal")},
    **{
        f"post {what}": set()
        for what in ("begin", "check-ranges", "size", "approval-rules/try", "pools/{ref}/what-if")
    },
}


def needed(call):
    if call.startswith("get") or call in OPEN:
        return set()
    begins = [start for start in NEEDED if call == start or call.startswith(start + "/")]
    return NEEDED[max(begins, key=len)] if begins else {"set-up"}


@pytest.fixture(scope="module")
def scoped(live):
    """A token of an admin for each scope."""
    admin = live.client("admin")
    return {scope: admin.tokens.add(name=f"only-{scope}", scopes=[scope]).result["text"] for scope in SCOPES}


class As:
    """What `send` calls by, with the token of a scope in the place of a role's."""

    def __init__(self, live, scoped):
        self.url, self.token = live.url, scoped.__getitem__


@pytest.mark.parametrize("call", [call for call in CALLS if call not in ("delete session", "post session")])
def test_a_token_with_scopes_reaches_their_calls_and_no_others(live, scoped, refs, call):  # noqa: F811
    for scope in SCOPES if not call.startswith("get") else ("read",):
        answer = send(As(live, scoped), refs, scope, call, preview=True)
        told = (call, scope, answer.status_code, answer.text[:300])
        if needed(call) <= {scope}:
            assert not any(words in answer.text for words in ("has the scopes", "in none of them")), told
        else:
            assert answer.status_code == 403, told
            assert "has the scopes" in answer.text or "in none of them" in answer.text, told


def test_a_service_account_is_its_projects_and_asks_by_its_token_alone(live):
    admin, rune = live.client("admin"), live.client("requester")
    name = f"deploy-{uuid.uuid4().hex[:6]}"
    with pytest.raises(Problem, match="no password"):
        admin.people.add(name=name, role="requester", service_of="ticketing", password="eleven ferries by night")
    with pytest.raises(Problem, match="belongs to no other project"):
        admin.people.add(name=name, role="requester", service_of="ticketing", projects=["crew-roster"])
    made = admin.people.add(name=name, role="requester", service_of="ticketing").result
    assert [project["name"] for project in made["projects"]] == ["ticketing"]
    with pytest.raises(Problem, match="used by"):
        admin.projects.remove("ticketing", preview=True)
    assert name in [one["name"] for one in admin.people.list(service_of="ticketing")]

    token = rune.tokens.add(name="deploys", person=name, scopes=["ask", "give-back"], pools=["ticket-hall"]).result
    assert token["id"] in [one["id"] for one in rune.tokens.list(person=name)]
    deploys = Client(live.url, token["text"])
    seen = deploys.request(**ASK, preview=True)
    with deploys.following(seen.proposal):
        (subnet,) = deploys.request(**ASK).result["subnets"]
    assert subnet["project"]["name"] == "ticketing"
    for refused, words in (
        (lambda: deploys.request(**{**ASK, "project": "crew-roster"}), "does not belong to project"),
        (lambda: deploys.request(**{**ASK, "pool": "mainland"}), "does not reach pool mainland"),
        (lambda: deploys.subnets.edit("fleet:ticketing-ml-1-app-01", purpose="x"), "does not reach pool"),
        (lambda: deploys.projects.edit("ticketing", about="x"), "this needs set-up"),
        (lambda: deploys.tokens.add(name="more"), "in none of them"),
    ):
        with pytest.raises(NotAllowed, match=words):
            refused()
    deploys.release(subnet["id"])
    admin.people.edit(name, role="planner")
    with pytest.raises(NotAllowed):
        rune.tokens.add(name="more", person=name)  # it would reach further than its maker


def test_a_token_is_used_from_its_networks_alone(live, lentra):  # noqa: F811
    admin = live.client("admin")
    with pytest.raises(Problem, match="is off boundary") as refused:
        admin.tokens.add(name="x", networks=["198.51.100.5/24"])
    assert "198.51.100.0/24" in refused.value.suggestions
    away = admin.tokens.add(name="away", networks=["198.51.100.0/24"]).result["text"]
    headers = {"Authorization": f"Bearer {away}"}
    answer = requests.get(f"{live.url}/api/v1/pools", headers=headers, timeout=30)
    assert answer.status_code == 401
    assert "is not to be used from 127.0.0.1" in answer.text
    here = admin.tokens.add(name="here", networks=["127.0.0.0/8", "2001:db8::/32"]).result
    near = Client(live.url, here["text"])
    assert near.me()["name"]
    assert (
        next(t for t in near.tokens.list() if t["id"] == here["id"])["last_used_on"]
        == f"{datetime.now(UTC):%Y-%m-%d}"
    )
    with pytest.raises(NotAllowed, match="used from no other place"):
        near.tokens.add(name="further", networks=["10.0.0.0/8"])
    assert near.tokens.add(name="nearer", networks=["127.0.0.1/32"]).result["made_by"]["id"] == here["id"]


def test_a_token_is_rotated_and_both_live_for_a_while(live, lentra):  # noqa: F811
    admin = live.client("admin")
    ends = datetime.now(UTC) + timedelta(days=10)
    former = admin.tokens.add(name="nightly", scopes=["read"], expires_at=ends.isoformat()).result
    seen = Client(live.url, former["text"]).tokens.rotate(former["id"], overlap_hours=1, preview=True)
    assert seen.result["text"] is None or seen.preview
    made = Client(live.url, former["text"]).tokens.rotate(former["id"], overlap_hours=1).result
    assert (made["replaces"], made["scopes"], made["name"]) == (former["id"], ["read"], "nightly")
    both = {token["id"]: token for token in admin.tokens.list() if token["name"] == "nightly"}
    assert datetime.fromisoformat(both[former["id"]]["expires_at"]) < datetime.now(UTC) + timedelta(
        hours=1, minutes=1
    )
    assert datetime.fromisoformat(both[made["id"]]["expires_at"]) > ends - timedelta(minutes=1)
    for text in (former["text"], made["text"]):
        assert Client(live.url, text).me()["name"]
    with pytest.raises(Problem, match="rotate its successor"):
        admin.tokens.rotate(former["id"])
    with pytest.raises(NotAllowed, match="it rotates itself alone"):
        Client(live.url, made["text"]).tokens.rotate(admin.tokens.add(name="wide").result["id"])
    with pytest.raises(NotAllowed, match="no longer life"):
        Client(live.url, made["text"]).tokens.rotate(
            made["id"], expires_at=(ends + timedelta(days=90)).isoformat()
        )
    told = lentra("token", "rotate", str(made["id"]), "--overlap-hours", "0", "--yes", role="admin").stdout
    assert "lentra_" in told
    with pytest.raises(Problem, match="ended at"):
        Client(live.url, made["text"]).me()
    gone = admin.tokens.remove(former["id"])
    assert "goes on: revoke it as well" in " ".join(gone.notes)


def test_tokens_are_made_and_rotated_in_the_console(live, open_as):  # noqa: F811
    page = open_as("requester")
    page.goto(live.url + "/tokens")
    name = f"board-{uuid.uuid4().hex[:6]}"
    page.get_by_label("Name of a new token").fill(name)
    page.get_by_label("Calls").click()
    page.get_by_role("option", name="read").click()
    page.get_by_role("option", name="ask").click()
    page.keyboard.press("Escape")
    page.get_by_label("Used from").fill("127.0.0.0/8")
    page.keyboard.press("Enter")
    page.get_by_text("Copy it now").wait_for()
    row = page.get_by_role("row").filter(has_text=name)
    assert "calls: read, ask; from 127.0.0.0/8" in row.inner_text()
    first = page.get_by_text("lentra_").inner_text()
    row.get_by_role("button", name=f"Rotate {name}").click()
    page.get_by_text("both live for a day").wait_for()
    page.get_by_role("button", name="Rotate the token").click()
    page.get_by_role("dialog").wait_for(state="detached")
    page.get_by_role("row").filter(has_text=name).nth(1).wait_for()
    successor = page.get_by_text("lentra_").inner_text()
    assert successor != first
    for text in (first, successor):
        assert Client(live.url, text.strip()).me()["name"] == "rune"


def test_what_a_token_reaches_stays_told_when_it_is_gone_and_is_read_once(live):
    admin, mark = live.client("admin"), uuid.uuid4().hex[:6]
    realm = admin.realms.add(name=f"t-{mark}").result
    pools = [
        admin.pools.add(name=f"p{n}", realm=realm["name"], ranges=[f"10.{n}.0.0/20"], sheet="ends-withheld").result
        for n in range(2)
    ]
    made = admin.tokens.add(name=f"t-{mark}", pools=[one["id"] for one in pools], realms=[realm["name"]]).result
    assert [one["name"] for one in made["pools"]] == ["p0", "p1"]
    admin.pools.remove(pools[0]["id"])
    (told,) = [one for one in admin.tokens.list() if one["id"] == made["id"]]
    assert {one["name"] for one in told["pools"]} == {"p1", f"removed ({pools[0]['id']})"}
    with pytest.raises(Problem, match="is no mail address") as refused:
        admin.people.edit("rune", email="rune at ferry", preview=True)
    assert refused.value.suggestions == ["rune@ferry.example"]
