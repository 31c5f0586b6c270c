"""Looking ahead under odd input and load: never a 500, never a trace, never in the way of those who hand out."""

from __future__ import annotations

import itertools
import threading
from datetime import date, timedelta

import pytest
import requests

from lentra.client import Problem
from tests.service.test_planning_refusals import JUNK

SOON = (date.today() + timedelta(days=30)).isoformat()
QUERIES = {
    "map": ("range", "pool", "region", "realm"),
    "pools/north-coast/headroom": ("window_days",),
    "realms/fleet/headroom": ("window_days",),
    "headroom": ("window_days", "realm", "zone", "cursor", "limit"),
    "pools/trial-stands/compaction": ("length", "family"),
    "alerts": ("pool", "realm", "resolved", "cursor"),
    "usage/together": ("realm", "region", "zone", "project"),
    "usage/breakdown": ("by", "family", "tier"),
    "report": ("realm", "project"),
    "planned-needs": ("pool", "project", "text", "order"),
}
BODIES = {
    "pools/quay-cameras/what-if": {"growth_percent": 150},
    "planned-needs?preview=true": {
        "name": "odd",
        "pool": "north-coast",
        "length": 24,
        "day": SOON,
        "reason": "to try",
    },
    "expected-plans?preview=true": {"text": "name: x", "day": SOON},
}
FIELDS = {
    "pools/quay-cameras/what-if": (
        "ranges",
        "text",
        "document",
        "growth_percent",
        "give_back",
        "needs",
        "window_days",
    ),
    "planned-needs?preview=true": ("name", "pool", "family", "length", "count", "day", "project", "reason"),
    "expected-plans?preview=true": ("text", "document", "day"),
}


@pytest.fixture
def http(live):
    session = requests.Session()
    session.headers["Authorization"] = f"Bearer {live.token('planner')}"

    def call(method, path, **options):
        return session.request(method, f"{live.url}/api/v1/{path}", timeout=30, **options)

    return call


@pytest.mark.parametrize("path", QUERIES)
def test_no_query_gives_a_500(http, path):
    for field, junk in itertools.product(QUERIES[path], JUNK):
        answer = http("GET", path, params={field: junk})
        assert answer.status_code < 500, (field, junk, answer.text)
        if answer.status_code >= 400 and answer.headers["Content-Type"].startswith("application/problem"):
            assert answer.json()["code"], (field, junk)


@pytest.mark.parametrize("path", BODIES)
def test_no_body_gives_a_500(http, path):
    for field, junk in itertools.product(FIELDS[path], JUNK):
        answer = http("POST", path, json={**BODIES[path], field: junk})
        assert answer.status_code < 500, (field, junk, answer.text)


@pytest.mark.parametrize(
    ("values", "field", "words"),
    [
        ({"length": 8}, "length", "wider than pool"),
        ({"length": 33}, "length", "no IPv4 length"),
        ({"count": 0}, "count", ""),
        ({"day": "2027-02-30"}, "day", ""),
        ({"reason": ""}, "reason", ""),
        ({"pool": "no-such"}, "pool", "no pool"),
        ({"family": 5}, "family", ""),
        ({"name": "Upper Case"}, "name", "not a valid name"),
    ],
)
def test_a_need_is_refused_with_its_field(http, values, field, words):
    body = {**BODIES["planned-needs?preview=true"], **values}
    answer = http("POST", "planned-needs", json=body)
    assert answer.status_code in (400, 404, 409), answer.text
    told = answer.json()
    assert told["field"] == field
    assert words in told["detail"]


def test_what_if_leaves_no_trace_while_others_hand_out(live, fresh_pool):
    pool = fresh_pool("10.40.0.0/20")
    realm = pool.partition(":")[0]
    client = live.client("planner")
    ask = {"pool": pool, "project": "ticketing", "tier": "app", "zone": "ml-1"}
    client.request(**ask, length=26, count=4)
    made, told, wrong = [], [], []

    def hand_out() -> None:
        own = live.client("planner")
        try:
            for _ in range(12):
                made.extend(own.request(**ask, length=27).result["subnets"])
        except Problem as problem:
            wrong.append(problem)

    def suppose() -> None:
        own = live.client("viewer")
        try:
            for _ in range(6):
                told.append(
                    own.pools.what_if(pool, ranges=["10.44.0.0/20"], give_back_idle=True, growth_percent=200)
                )
        except Problem as problem:
            wrong.append(problem)

    threads = [threading.Thread(target=work) for work in (hand_out, hand_out, suppose, suppose, suppose)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert not wrong
    assert len({subnet["name"] for subnet in made}) == 24
    assert len(told) == 18
    (usage,) = client.pools.usage(pool)["own"]
    assert usage["addresses"]["handed out"] == str(4 * 64 + 24 * 32)
    assert usage["total"] == "4096"
    verbs = {entry["verb"] for entry in client.ledger(limit=200) if entry["name"].startswith(realm)}
    assert "give back" not in verbs
    assert client.verify()["clean"]


def test_a_viewer_looks_ahead_but_plans_nothing(live):
    viewer = live.client("viewer")
    assert viewer.pools.what_if("quay-cameras", growth_percent=120)["families"]
    assert viewer.report(project="ticketing").startswith("<!doctype html>")
    for call in (
        lambda: viewer.planned_needs.add(**BODIES["planned-needs?preview=true"]),
        lambda: viewer.planned_needs.remove("vetle-quays"),
        lambda: viewer.plans.expect("name: x", SOON),
    ):
        with pytest.raises(Problem):
            call()
    for path in ("map?pool=lab", "alerts", "report?realm=fleet", "pools/lab/what-if"):
        method = "POST" if path.endswith("what-if") else "GET"
        assert requests.request(method, f"{live.url}/api/v1/{path}", timeout=10).status_code == 401
