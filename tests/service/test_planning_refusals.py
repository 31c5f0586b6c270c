"""What planners are refused through HTTP: code, reason and a way out; and no input that gives a 500."""

import itertools

import pytest
import requests

PLAN = {
    "format": "lentra-plan-1",
    "name": "seen",
    "project": "ticketing",
    "pools": {"ipv4": "ticket-hall"},
    "zones": ["ml-1"],
    "tiers": [{"tier": "app", "hosts": 5}],
}
APP = "subnets/ticketing-ml-1-app-01"
CLUSTER = {"name": "c", "pool": "ml-1-general", "project": "tide-model", "tier": "app", "zone": "ml-1", "nodes": 3}
BASE = {
    "reservations": {"pool": "mainland", "reason": "x", "length": 26},
    "subnets": {"pool": "ticket-hall", "project": "ticketing", "tier": "app", "zone": "ml-1", "length": 27},
    "size/several": {"needs": [{"name": "a", "hosts": 4}]},
    "size/cluster": {"nodes": 4},
    "check-ranges": {"realm": "fleet"},
    "clusters": CLUSTER,
    "plans": {"document": PLAN},
    "pools/lab-bench-2/ranges": {},
    "pools/lab-bench-2/change-range": {"old": "10.0.32.0/20", "new": "10.0.64.0/20"},
    "pools/telemetry-intake/second-family": {},
    f"{APP}/grow": {},
    f"{APP}/shrink": {"length": 26},
    f"{APP}/room": {"doublings": 1},
    f"{APP}/replace": {},
    f"{APP}/addresses": {"name": "a"},
    "subnets/ticketing-ml-2-edge-05/attach": {"target": "x"},
}


@pytest.fixture
def ask(live):
    def call(path, body, role="admin"):
        return requests.post(
            f"{live.url}/api/v1/{path}{'' if path.startswith('size/') else '?preview=true'}",
            json=body,
            headers={"Authorization": "Bearer " + live.token(role)},
            timeout=60,
        )

    return call


REFUSALS = [
    ("reservations", {"length": 128}, "length-out-of-bounds", "/128 is no IPv4 prefix length", "/32"),
    ("reservations", {"range": "10.42.17.128/25", "length": None}, "overlaps", "is not free", None),
    ("reservations", {"pool": "main-land"}, "unknown-name", "did you mean mainland?", "mainland"),
    ("reservations", {"kind": "whim"}, "invalid-value", "kind", None),
    ("subnets", {"room": 9}, "invalid-value", "room", None),
    ("subnets", {"tag": 4095}, "invalid-value", "is not a segment tag", "4094"),
    (
        "subnets",
        {"reservation": "booking-balancers", "pool": None},
        "kept-for-service",
        "kept for booking alone",
        "booking",
    ),
    ("subnets", {"reservation": "vetle"}, "wrong-pool", "is in pool inner-isles", "inner-isles"),
    ("size/cluster", {"workloads": 4}, "workloads-out-of-bounds", "allows 8 to 110", "8"),
    ("size/cluster", {"nodes": 40, "length": 26}, "cluster-does-not-fit", "nodes fit at most", None),
    (
        "size/cluster",
        {"service_range": "10.47.240.0/22", "name_service": "10.47.240.0"},
        "bad-name-service",
        "first address",
        "10.47.240.10",
    ),
    ("size/several", {"inside": "10.40.128.0/30"}, "exhausted", "smallest block that would do", "/29"),
    ("clusters", {"service_range": "10.44.0.0/22"}, "overlaps", "Partner harbour", None),
    ("plans", {"document": PLAN | {"zone": ["ml-1"]}}, "bad-plan", "there is no such key", "zones"),
    (f"{APP}/grow", {"length": 27}, "length-out-of-bounds", "grows to a shorter length", None),
    (f"{APP}/shrink", {"length": 20}, "length-out-of-bounds", "half of it", None),
    (f"{APP}/addresses", {"address": "10.99.0.1"}, "bad-address", "is outside subnet", None),
    (f"{APP}/addresses", {"address": "10.42.16.129"}, "bad-address", "withheld", None),
    (
        "subnets/crew-roster-ml-1-app-01/addresses",
        {"name": "a", "address": "10.42.17.165"},
        "bad-address",
        "DHCP",
        None,
    ),
    (
        "subnets/crew-roster-ml-1-app-01/addresses",
        {"name": "a", "mac": "02005e100021"},
        "address-taken",
        "roster-db",
        None,
    ),
    ("pools/lab-bench-2/change-range", {}, "does-not-fit", "would land at", "rebase: true"),
    ("pools/lab-bench-2/ranges", {"length": 128}, "length-out-of-bounds", "/128", None),
    (
        "pools/quay-cameras/second-family",
        {},
        "wrong-family",
        "has no IPv6 range: add one to pool quay-cameras first",
        None,
    ),
    ("subnets/ticketing-nc-1-edge-02/attach", {"target": "x"}, "still-attached", "is attached to", "move: true"),
]


@pytest.mark.parametrize(("path", "body", "code", "words", "suggestion"), REFUSALS)
def test_a_planner_is_told_why_and_what_would_do(ask, path, body, code, words, suggestion):
    values = {k: v for k, v in {**BASE.get(path, {}), **body}.items() if v is not None}
    answer = ask(path, values)
    problem = answer.json()
    assert problem.get("code") == code, problem
    assert words in problem["detail"]
    if suggestion:
        assert suggestion in problem["suggestions"]


@pytest.mark.parametrize(
    ("path", "body"),
    [
        ("reservations", BASE["reservations"] | {"projects": ["freight-desk"]}),
        ("clusters", CLUSTER),
        ("pools/lab-bench-2/change-range", BASE["pools/lab-bench-2/change-range"]),
        ("pools/telemetry-intake/second-family", {}),
        ("subnets/freight-desk-ml-1-app-01/grow", {}),
        ("subnets/freight-desk-ml-1-app-01/addresses", {"name": "a"}),
        ("plans", {"document": PLAN | {"project": "freight-desk"}}),
    ],
)
def test_requesters_plan_for_their_own_projects_alone(ask, path, body):
    answer = ask(path, body, role="requester")
    assert (answer.status_code, answer.json()["code"]) == (403, "not-allowed")


JUNK = [
    *(None, "", 0, -1, 1 << 70, 3.5, True, [], {}, [None], {"a": 1}, "\x00", "é☃", "x" * 3000),
    *("::/0", "0.0.0.0/0", "10.0.0.0-9.0.0.0", "10.40.64.1/20", "next", 128),
]
FIELDS = {
    "reservations": ("pool", "range", "length", "hosts", "ends_at", "projects", "name"),
    "subnets": ("room", "reservation", "tag", "outer_tag", "gateway", "hold_minutes", "service", "beside"),
    "size/several": ("needs", "inside", "family"),
    "size/cluster": ("nodes", "workloads", "service_range", "name_service", "length"),
    "check-ranges": ("ranges", "text", "realm"),
    "clusters": ("workload_range", "bridge_range", "take_as", "zone"),
    "plans": ("document", "text", "proposal", "hold_minutes"),
    "pools/lab-bench-2/ranges": ("range", "length", "family"),
    "pools/lab-bench-2/change-range": ("old", "new", "proposal"),
    "pools/telemetry-intake/second-family": ("within", "numbering"),
    f"{APP}/grow": ("length", "hosts", "family", "downward"),
    f"{APP}/shrink": ("length", "hosts", "keep"),
    f"{APP}/room": ("doublings",),
    f"{APP}/replace": ("pool", "zone", "prefix", "proposal"),
    f"{APP}/addresses": ("name", "address", "count", "mac", "family"),
    "subnets/ticketing-ml-2-edge-05/attach": ("target", "move"),
}


@pytest.mark.parametrize("path", FIELDS)
def test_no_input_gives_a_500(ask, path):
    for field, junk in itertools.product(FIELDS[path], JUNK):
        answer = ask(path, {**BASE[path], field: junk})
        assert answer.status_code < 500, (field, junk)


@pytest.mark.parametrize(
    "key", ["name", "realm", "pools", "zones", "tiers", "summarise", "room", "names", "tags", "labels"]
)
def test_no_plan_gives_a_500(ask, key):
    odd = [
        {"from": 4094},
        "{nn}{project.__class__}",
        "{nn}{0}",
        ["ml-1", "ml-1"],
        [{"tier": "app", "hosts": 5, "count": 64}],
    ]
    for junk in [*JUNK, *odd]:
        answer = ask("plans", {"document": {**PLAN, key: junk}})
        assert answer.status_code < 500, junk
    for text in ("a: &a [*a]", "[", "{", "? [a]: b", "<<: 1", "%YAML 9", "---\na: 1\n---\nb: 2", "a: .inf"):
        assert ask("plans", {"text": text}).json()["code"] == "bad-plan", text
