"""What a preview has shown is what its commit does, or the commit says what took its place: for every kind of change."""

from __future__ import annotations

import pytest

from lentra.client import Problem
from tests.service.test_command_line import lentra  # noqa: F401
from tests.service.test_document import DOCUMENT

ASK = {"project": "ticketing", "tier": "app", "zone": "ml-1"}


@pytest.fixture
def place(fresh_pool, planner):
    """A pool with a subnet, an address record, a reservation and a carved pool in it."""
    pool = fresh_pool("10.40.64.0/20", cooling_days=0)
    (subnet,) = planner.request(pool=pool, **ASK, length=26).result["subnets"]
    (held,) = planner.request(pool=pool, **ASK, length=26, hold_minutes=30).result["subnets"]
    record = planner.subnets.record(subnet["id"], "gate-1").result["addresses"][0]
    kept = planner.reservations.add(name="kept", pool=pool, length=26, reason="x").result
    realm = pool.split(":")[0]
    inner = planner.pools.add(name="inner", parent=pool, lengths=[{"family": 4, "length": 24}]).result
    return {
        "pool": pool,
        "realm": realm,
        "subnet": subnet["id"],
        "held": held["id"],
        "record": record["id"],
        "kept": kept["id"],
        "inner": inner["id"],
    }


CHANGES = [
    ("POST", "pools", {"name": "carved", "parent": "{pool}", "lengths": [{"family": 4, "length": 25}]}),
    ("POST", "pools/{inner}/ranges", {"length": 26}),
    ("PATCH", "pools/{inner}", {"about": "quay side"}),
    ("DELETE", "pools/{inner}", {}),
    ("POST", "reservations", {"pool": "{pool}", "length": 27, "reason": "links"}),
    ("PATCH", "reservations/{kept}", {"reason": "links between sites"}),
    ("DELETE", "reservations/{kept}", {}),
    ("POST", "subnets/{subnet}/addresses", {"name": "gate", "count": 3}),
    ("PATCH", "addresses/{record}", {"purpose": "north gate"}),
    ("DELETE", "addresses/{record}", {}),
    ("PATCH", "subnets/{subnet}", {"purpose": "gates", "labels": {"quay": "7"}}),
    ("POST", "subnets/{subnet}/room", {"doublings": 0}),
    ("POST", "subnets/{held}/confirm", {}),
    ("POST", "subnets/{held}/release", {"at_once": True}),
    ("POST", "keep-outs", {"realm": "{realm}", "range": "10.40.79.0/24", "reason": "partner"}),
    ("POST", "quotas", {"project": "tide-model", "records": 4000}),
    (
        "POST",
        "approval-rules",
        {"name": "seen-rule", "when": "more-at-once", "limit": 250, "project": "tide-model"},
    ),
    ("POST", "planned-needs", {"name": "n", "pool": "{pool}", "length": 26, "day": "2031-01-01", "reason": "x"}),
    ("POST", "clusters", {**ASK, "name": "tide", "pool": "{pool}", "nodes": 5}),
    ("PATCH", "realms/{realm}", {"about": "for trying"}),
]


def _filled(value, place):
    if isinstance(value, dict):
        return {name: _filled(one, place) for name, one in value.items()}
    return value.format(**place) if isinstance(value, str) else value


def _told(answer):
    changes = [(c["verb"], c["kind"], c["name"]) for c in answer.changes]
    facts = [
        {k: v for k, v in (c["after"] or {}).items() if not k.endswith(("_at", "_id"))} for c in answer.changes
    ]
    return changes, facts


@pytest.mark.parametrize(("method", "path", "body"), CHANGES, ids=[f"{m} {p}" for m, p, _ in CHANGES])
def test_a_commit_by_a_proposal_does_what_was_shown_once(planner, place, method, path, body):
    address, values = path.format(**place), _filled(body, place)
    seen = planner.change(method, address, values, preview=True)
    assert seen.preview
    assert seen.proposal
    with pytest.raises(Problem) as other:
        planner.change(method, address, {**values, "proposal": seen.proposal[:-4] + "AAAA"})
    assert (other.value.status, other.value.field) == (400, "proposal")
    done = planner.change(method, address, {**values, "proposal": seen.proposal})
    assert _told(done) == _told(seen)
    assert done.proposal is None
    if path in ("keep-outs", "subnets/{subnet}/room"):  # the same again is fine there
        return
    with pytest.raises(Problem) as again:
        planner.change(method, address, {**values, "proposal": seen.proposal})
    assert again.value.status in (404, 409), again.value.document


def test_a_change_is_taken_back_from_the_terminal(planner, place, lentra):  # noqa: F811
    made = planner.request(pool=place["pool"], **ASK, length=27, count=2)
    entry = made.changes[0]["entry"]
    shown = lentra("undo", str(entry), "--preview")
    assert [shown.stdout.count(subnet["name"]) for subnet in made.result["subnets"]] == [1, 1]
    assert planner.subnets.get(made.result["subnets"][1]["id"])["state"] == "active"
    assert lentra("undo", str(entry), "--yes", "--why", "the wrong tier").returncode == 0
    with pytest.raises(Problem):
        planner.subnets.get(made.result["subnets"][1]["id"])
    newest = next(planner.ledger(text=made.result["subnets"][0]["name"]))
    assert (newest["verb"], newest["why"]) == ("give back", f"undo of {entry}: the wrong tier")
    again = lentra("undo", str(entry), "--yes")
    assert (again.returncode, "others have built on it" in again.stderr) == (1, True)


def test_what_was_chosen_stays_although_another_choice_would_be_better_now(planner, fresh_pool):
    pool = fresh_pool("10.40.64.0/24", cooling_days=0)
    fill = [planner.request(pool=pool, **ASK, length=27).result["subnets"][0] for _ in range(3)]
    body = {"name": "links", "pool": pool, "length": 27, "reason": "x"}
    seen = planner.change("POST", "reservations", body, preview=True)
    planner.release(fill[0]["id"], at_once=True)  # the lowest place is free now
    assert planner.change("POST", "reservations", body, preview=True).result["range"] != seen.result["range"]
    done = planner.change("POST", "reservations", {**body, "proposal": seen.proposal})
    assert done.result["range"] == seen.result["range"] == "10.40.64.96/27"
    fresh = {"name": "gate", "count": 2}
    shown = planner.change("POST", f"subnets/{fill[1]['id']}/addresses", fresh, preview=True)
    planner.subnets.record(fill[2]["id"], "gate-0")
    made = planner.change("POST", f"subnets/{fill[1]['id']}/addresses", {**fresh, "proposal": shown.proposal})
    assert [r["address"] for r in made.result["addresses"]] == [r["address"] for r in shown.result["addresses"]]


@pytest.mark.parametrize(
    ("method", "path", "body", "between", "words"),
    [
        ("POST", "reservations", {"name": "a", "pool": "{pool}", "length": 27, "reason": "x"}, "take", "not free"),
        (
            "POST",
            "pools",
            {"name": "c", "parent": "{pool}", "lengths": [{"family": 4, "length": 24}]},
            "take",
            "not free",
        ),
        ("POST", "subnets/{subnet}/addresses", {"name": "gate-2"}, "record", "gate-9"),
        ("PATCH", "subnets/{subnet}", {"purpose": "gates"}, "edit", "quay 7"),
        ("DELETE", "reservations/{kept}", {}, "rename", "renamed"),
    ],
)
def test_a_commit_by_a_proposal_says_what_took_its_place(planner, place, method, path, body, between, words):
    address, values = path.format(**place), _filled(body, place)
    seen = planner.change(method, address, values, preview=True)
    taken = seen.result.get("range") or (seen.result.get("ranges") or [None])[0]
    taken = taken["range"] if isinstance(taken, dict) else taken
    if between == "take":
        planner.request(pool=place["pool"], **ASK, prefix=str(taken), name="quicker")
        words = "quicker"
    elif between == "record":
        planner.subnets.record(place["subnet"], "gate-9", address=seen.result["addresses"][0]["address"])
    elif between == "edit":
        planner.subnets.edit(place["subnet"], purpose="quay 7")
    else:
        planner.reservations.edit(place["kept"], name="renamed")
    before = next(planner.ledger())["number"]
    with pytest.raises(Problem) as stale:
        planner.change(method, address, {**values, "proposal": seen.proposal})
    assert (stale.value.problem_code, stale.value.status) == ("stale-proposal", 409)
    assert words in str(stale.value.document), stale.value.document
    assert next(planner.ledger())["number"] == before  # nothing was changed


def test_every_changing_call_says_that_it_takes_a_proposal():
    for path, calls in DOCUMENT["paths"].items():
        for call in calls.values():
            if any(parameter["name"] == "preview" for parameter in call.get("parameters", [])):
                name = call["requestBody"]["content"]["application/json"]["schema"]["$ref"].rpartition("/")[2]
                assert "proposal" in DOCUMENT["components"]["schemas"][name]["properties"], path


def test_a_proposal_is_of_one_request_alone(planner, place):
    body = {"name": "links", "pool": place["pool"], "length": 27, "reason": "x"}
    seen = planner.change("POST", "reservations", body, preview=True)
    with pytest.raises(Problem) as other:
        planner.change("POST", "reservations", {**body, "length": 28, "proposal": seen.proposal})
    assert "another request" in str(other.value)
    none = planner.change("POST", "reservations", {**body, "name": "other", "proposal": None}, preview=True)
    assert none.proposal
