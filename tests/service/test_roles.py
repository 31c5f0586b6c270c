"""Who may do what: every call of the document by every role, previewed, and really where it must be refused."""

import uuid

import pytest
import requests

from tests.conftest import ROOT
from tests.service.test_document import CLUSTER, DOCUMENT, PLAN

ROLES = ("nobody", "viewer", "requester", "planner", "admin")
REFS = {
    "addresses": "12345678901",
    "approval-rules": "wide-blocks",
    "dns-records": "12345678901",
    "dns-zones": "fleet:ferry.example",
    "findings": "12345678901",
    "group-mappings": "12345678901",
    "intakes": "12345678901",
    "keep-outs": "12345678901",
    "links": "pilot-tunnel",
    "people": "asta",
    "planned-needs": "vetle-quays",
    "plans": "tide-halls",
    "pools": "ticket-hall",
    "projects": "ticketing",
    "quotas": "12345678901",
    "realms": "fleet",
    "regions": "mainland",
    "renumberings": "quay-west",
    "reservations": "booking-balancers",
    "rule-sheets": "four-and-one",
    "sessions": "12345678901",
    "sources": "harbour-walk",
    "taking-rules": "telemetry-masts",
    "surveys": "12345678901",
    "subnets": "fleet:ticketing-ml-1-app-01",
    "tag-members": "12345678901",
    "tag-ranges": "12345678901",
    "tiers": "app",
    "tokens": "12345678901",
    "waiting-requests": "12345678901",
    "zones": "nc-1",
}
READS = {
    "candidates": "project=ticketing&zone=ml-1&hosts=50",
    "carries": "prefix=10.40.64.0/22",
    "history": "range=10.40.64.0/20",
    "explain": "prefix=10.40.64.0/20",
    "map": "pool=fleet-private&range=10.40.0.0/14",
    "meetings": "one=fleet&other=shipyard",
    "pools/{ref}/compaction": "length=24",
    "ranges": "project=ticketing",
    "report": "realm=fleet",
    "search": "text=ticket",
    "size": "hosts=180",
    "size/range": "subnets=300",
    "split": "prefix=10.40.64.0/20&into=6",
    "still-fits": "region=mainland",
    "usage/breakdown": "by=zone",
    "usage/changes": "since=2026-06-01",
    "usage/on": "on=2026-06-01",
    "usage/together": "region=north-coast",
    "whereabouts": "range=10.42.16.0/24",
}
BODIES = {
    "check-ranges": {"realm": "fleet", "text": "10.40.64.0/24"},
    "clusters": {**CLUSTER, "project": "ticketing"},
    "estate": {"document": {"format": "lentra-estate-1"}},
    "expected-plans": {"text": PLAN, "day": "2031-01-01"},
    "intakes": {"name": "seen.csv", "table": "zones", "content": "TmFtZQpuYy05"},
    "intakes/{ref}/commit": {"proposal": "x"},
    "keep-outs": {"realm": "fleet", "range": "10.40.64.0/24", "reason": "x", "despite_use": True},
    "people": {"name": "tove", "role": "viewer"},
    "planned-needs": {"name": "n", "pool": "ticket-hall", "length": 26, "day": "2031-01-01", "reason": "x"},
    "plans": {"text": PLAN.replace("project: gate-readers", "project: ticketing")},
    "pools": {"name": "seen", "parent": "north-coast", "lengths": [{"family": 4, "length": 24}]},
    "pools/{ref}/change-range": {"old": "10.0.32.0/20", "new": "10.0.64.0/20", "rebase": True},
    "pools/{ref}/ranges": {"length": 24},
    "pools/{ref}/what-if": {"growth_percent": 120},
    "projects": {"name": "seen"},
    "realms": {"name": "seen"},
    "regions": {"name": "seen"},
    "reservations": {"pool": "ticket-hall", "length": 28, "reason": "x", "projects": ["ticketing"]},
    "rule-sheets": {"name": "seen", "v4": {}},
    "session": {"name": "nobody-here", "password": "x"},
    "session/mail": {"mail": "daily"},
    "session/second-factor/confirm": {"code": "000000"},
    "session/second-factor/off": {"code": "000000"},
    "session/password": {"current": "x", "new": "y"},
    "size/cluster": {"nodes": 5},
    "size/several": {"needs": [{"name": "data", "hosts": 700}]},
    "approval-rules": {"name": "seen", "when": "always"},
    "group-mappings": {"group": "seen", "role": "viewer"},
    "findings/{ref}/dismiss": {"reason": "x"},
    "findings/{ref}/take-over": {"becomes": "keep-out"},
    "sources": {"name": "seen", "realm": "fleet"},
    "dns-zones": {"name": "seen.example", "realm": "fleet", "servers": ["ns.seen.example"], "delegated": True},
    "dns-zones/reverse": {"realm": "fleet", "like": "fleet:ferry.example", "ranges": ["10.99.0.0/24"]},
    "dns-records": {"dns_zone": "fleet:ferry.example", "owner": "seen", "type": "TXT", "data": "x"},
    "renumberings": {"name": "seen", "from_pool": "ticket-hall", "to_pool": "mainland"},
    "renumberings/{ref}/check": {"check": "rules changed"},
    "links": {"name": "seen", "one": "harbour-lab", "other": "pilot-station"},
    "taking-rules": {"name": "seen", "realm": "fleet", "becomes": "keep-out"},
    "findings/{ref}/assign": {"assignee": None},
    "findings/dismiss": {"findings": [99999999999], "reason": "x"},
    "findings/assign": {"findings": [99999999999], "assignee": None},
    "findings/take-over": {"findings": [99999999999], "becomes": "keep-out"},
    "sources/{ref}/surveys": {
        "document": {"format": "lentra-sightings-1", "sightings": [{"range": "10.47.3.0/24"}]}
    },
    "session/terminal": {"name": "seen", "challenge": "x" * 43},
    "session/terminal/token": {"code": "x", "verifier": "x" * 43},
    "approval-rules/try": {
        "pool": "ticket-hall",
        "project": "ticketing",
        "tier": "app",
        "zone": "ml-1",
        "length": 28,
    },
    "quotas": {"project": "tide-model", "subnets": 4000},
    "waiting-requests/{ref}/pass-on": {"to": "petra"},
    "waiting-requests/{ref}/refuse": {"reason": "x"},
    "waiting-requests/{ref}/say": {"text": "x"},
    "subscriptions": {"name": "seen", "endpoint": "https://board.ferry.example/"},
    "subscriptions/{ref}/resume": {"after": 0},
    "subnets": {"pool": "ticket-hall", "project": "ticketing", "tier": "app", "zone": "ml-1", "length": 28},
    "alerts/{number}/acknowledge": {"reason": "seen"},
    "keep-outs/several": {
        "realm": "fleet",
        "rows": [{"range": "10.40.64.0/24", "reason": "x"}],
        "despite_use": True,
    },
    "plans/{ref}/settle": {"slot": "ml-1/app/1", "how": "take over"},
    "pools/{ref}/remove-range": {"range": "10.42.192.0/20"},
    "subnets/{ref}/addresses": {"name": "seen"},
    "subnets/{ref}/hand-over": {"project": "crew-roster"},
    "tag-members": {"subnet": "fleet:ticketing-ml-1-app-01", "name": "seen"},
    "tag-ranges": {"first": 3000, "last": 3001},
    "subnets/{ref}/attach": {"target": "x"},
    "subnets/{ref}/room": {"doublings": 1},
    "subnets/{ref}/shrink": {"length": 28},
    "tiers": {"name": "seen", "exposure": "isolated"},
    "tokens": {"name": "seen"},
    "zones": {"name": "nc-7", "region": "north-coast"},
}
SET_UP = ("realms", "regions", "zones", "tiers", "projects", "keep-outs", "reservations", "planned-needs")
SET_UP += (
    "tag-ranges",
    "tag-members",
    "subscriptions",
    "quotas",
    "approval-rules",
    "sources",
    "taking-rules",
    "links",
    "dns-zones",
    "dns-records",
)
OPEN = {"post session", "delete session", "get session/ways", "post session/terminal/token"}
NEEDS_MORE = {  # what a viewer does not reach
    "admin": {
        *("post rule-sheets", "patch rule-sheets/{ref}", "delete rule-sheets/{ref}", "post verify/mend"),
        *("post people", "patch people/{ref}", "delete people/{ref}"),
        *(
            "post group-mappings",
            "patch group-mappings/{ref}",
            "delete group-mappings/{ref}",
            "post people/{ref}/by-sign-on",
        ),
        *("post people/{ref}/unlock", "post people/{ref}/revoke-tokens", "post people/{ref}/second-factor-off"),
    },
    "planner": {
        *("get verify", "post expected-plans", "post pools/{ref}/ranges", "post pools/{ref}/change-range"),
        *("post pools/{ref}/second-family", "delete pools/{ref}"),
        *(f"post {kind}" for kind in SET_UP if kind != "reservations"),
        *(f"post waiting-requests/{{ref}}/{what}" for what in ("grant", "refuse", "pass-on")),
        *(f"{method} {kind}/{{ref}}" for kind in SET_UP for method in ("patch", "delete")),
        *(
            "post pools",
            "patch pools/{ref}",
            "post clusters",
            "post pools/{ref}/remove-range",
            "post keep-outs/several",
        ),
        *("post alerts/{number}/acknowledge", "post alerts/{number}/reopen"),
        "post plans/{ref}/settle",
        "post renumberings",
        *(f"post renumberings/{{ref}}/{what}" for what in ("begin", "finish", "turn-back")),
        *(
            f"post renumberings/{{ref}}/{what}" for what in ("moved", "check")
        ),  # of a project that is not the requester's
        *(f"post findings/{{ref}}/{what}" for what in ("dismiss", "reopen", "take-over", "assign", "correct")),
        *(f"post findings/{what}" for what in ("dismiss", "assign", "take-over")),
        *(f"post sources/{{ref}}/{what}" for what in ("surveys", "ask", "leave-off")),
        *("post dns-zones/reverse", "post dns-zones/{ref}/push", "post dns-zones/{ref}/compare"),
        *("post estate", "post intakes", "patch intakes/{ref}", "delete intakes/{ref}"),
        *(f"post intakes/{{ref}}/{what}" for what in ("commit", "stop", "take-back")),
        *("post subscriptions/{ref}/pause", "post subscriptions/{ref}/resume"),
        "post plans/{ref}/remove",  # of a project that the requester does not belong to
    },
    "requester": {
        *("post subnets", "patch subnets/{ref}", "post plans", "post reservations"),
        *(
            "patch waiting-requests/{ref}",
            "post waiting-requests/{ref}/withdraw",
            "post waiting-requests/{ref}/say",
        ),
        *(
            f"post subnets/{{ref}}/{what}"
            for what in (
                *("release", "grow", "shrink", "room", "replace", "confirm", "attach", "detach", "addresses"),
                *("bring-back", "hand-over"),
            )
        ),
        *("patch addresses/{ref}", "delete addresses/{ref}", "post ledger/{number}/undo"),
    },
}
CALLS = sorted(
    f"{method} {path.removeprefix('/api/v1/')}"
    for path, methods in DOCUMENT["paths"].items()
    for method in methods
)


def needed(call):
    if call in OPEN:
        return "nobody"
    return next((role for role, calls in NEEDS_MORE.items() if call in calls), "viewer")


@pytest.fixture(scope="module")
def refs(live):
    """Refs of things that have only numbers."""
    admin = live.client("admin")
    subnet = admin.subnets.get(REFS["subnets"])["id"]
    (record,) = admin.subnets.record(subnet, f"roles-{uuid.uuid4().hex[:6]}").result["addresses"]
    keep_out = next(admin.keep_outs.list(realm="fleet"))["id"]
    return REFS | {
        "addresses": record["id"],
        "intakes": admin.intakes.upload("seen.csv", "zones", b"Name\nnc-9\n")["id"],
        "keep-outs": keep_out,
        "subscriptions": admin.subscriptions.add(
            name=f"roles-{uuid.uuid4().hex[:6]}", endpoint="https://board.ferry.example/"
        ).result["id"],
        "quotas": next(admin.quotas.list())["id"],
        "findings": next(admin.findings.list(kind="stray"))["id"],
        "dns-records": next(admin.dns_records.list())["id"],
        "surveys": next(admin.surveys.list())["id"],
        "group-mappings": next(admin.group_mappings.list())["id"],
        "waiting-requests": next(admin.waiting.list(state="waiting", asker="rune"))["id"],
        "tokens": admin.tokens.add(name="roles").result["id"],
        "tag-ranges": next(admin.tag_ranges.list())["id"],
        "tag-members": next(admin.tag_members.list())["id"],
    }


def send(live, refs, role, call, preview):
    method, path = call.split()
    query = [READS[path]] if path in READS and method == "get" else []
    if preview and method != "get":
        query.append("preview=true")
    address = path.replace("{ref}", str(refs.get(path.split("/")[0], ""))).replace("{number}", "99999999999")
    headers = {} if role == "nobody" else {"Authorization": f"Bearer {live.token(role)}"}
    body = BODIES.get(path, {}) if method in ("post", "patch") and not path.endswith("{ref}") else {}
    url = f"{live.url}/api/v1/{address}?{'&'.join(query)}"
    return requests.request(method, url, json=body if method != "get" else None, headers=headers, timeout=60)


def test_every_call_has_its_place():
    assert not {call for calls in NEEDS_MORE.values() for call in calls} - set(CALLS)
    assert not OPEN - set(CALLS)
    removing = {path: set(of["delete"]["responses"]) for path, of in DOCUMENT["paths"].items() if "delete" in of}
    assert not {path for path, told in removing.items() if "200" not in told}
    assert (ROOT / "docs/api.md").read_text().count("| admin |") == 1


@pytest.mark.parametrize("call", CALLS)
def test_a_call_is_open_to_those_it_is_meant_for_and_to_nobody_else(live, refs, call):
    least = ROLES.index(needed(call))
    for n, role in enumerate(ROLES):
        if call in ("post session", "post session/password", "post session/terminal") and role != "nobody":
            continue  # a wrong password is counted, and no token lets a terminal in: tested elsewhere
        answer = send(live, refs, role, call, preview=True)
        told = (call, role, answer.status_code, answer.text[:200])
        if n < least:
            refused = 401 if role == "nobody" else 403
            assert answer.status_code == refused, told
            if not call.startswith("get"):
                assert send(live, refs, role, call, preview=False).status_code == refused, told
        elif call != "post session":
            assert answer.status_code < 500, told
            assert answer.status_code not in (401, 403), told
            if call.startswith("get"):
                assert answer.status_code == 200, told
