"""Answers one can rely on: repeats, looks that change nothing, texts that cannot hurt, a stuck pool, mending."""

from __future__ import annotations

import threading
import time
import uuid
from contextlib import contextmanager

import pytest
import requests

from lentra.client import Problem
from tests.service.test_command_line import lentra  # noqa: F401
from tests.sql_check import connect, offences


def handed(client, pool, **wanted):
    values = {"project": "ticketing", "tier": "app", "zone": "nc-1", "length": 27, **wanted}
    return client.request(pool=pool, **values).result["subnets"]


def test_a_repeat_gets_the_first_answer_although_its_record_is_gone(planner, live, fresh_pool):
    pool = fresh_pool("10.40.64.0/24", cooling_days=0)
    (subnet,) = handed(planner, pool)
    key = uuid.uuid4().hex
    first = planner.release(subnet["id"], key=key)
    again = planner.release(subnet["id"], key=key)
    assert again.replayed
    assert again.result == first.result
    with pytest.raises(Problem) as gone:
        planner.release(subnet["id"])
    assert gone.value.status == 404
    with pytest.raises(Problem) as reused:
        planner.release(subnet["id"], key=key, at_once=True)
    assert reused.value.problem_code == "key-reused"
    headers = {"Authorization": f"Bearer {live.token('planner')}", "Idempotency-Key": uuid.uuid4().hex}
    body = {"pool": pool, "project": "ticketing", "tier": "app", "zone": "nc-1", "length": 27}
    made = [requests.post(f"{live.url}/api/v1/subnets", json=body, headers=headers) for _ in range(2)]
    assert [answer.status_code for answer in made] == [201, 201]
    assert made[0].json() == made[1].json()


def _held_that_has_ended(planner, live, fresh_pool):
    pool = fresh_pool("10.40.64.0/24")
    (subnet,) = handed(planner, pool, hold_minutes=5, name="quay-held")
    _ended(live, subnet)
    return pool, subnet


def _ended(live, subnet):
    """Its end was a moment ago, and upkeep has not seen it."""
    with _sql(live) as cursor:
        cursor.execute("UPDATE registry_subnet SET ends_at = '2026-01-01' WHERE id = %s", [subnet["id"]])
        cursor.execute(
            "UPDATE registry_space SET next_due = '2026-01-01' WHERE pool_id = %s", [subnet["pool"]["id"]]
        )


def _gone_soon(planner, number, tries=20):
    """True if a subnet is gone at once, or as soon as upkeep, which may be ending it right now, lets its pool go."""
    for _ in range(tries):
        try:
            planner.subnets.get(number)
        except Problem as problem:
            return problem.status == 404
        time.sleep(0.1)
    return False


@contextmanager
def _sql(live):
    """A cursor on the live service's database."""
    connection = connect(live.database.url)
    yield connection.cursor()
    connection.commit()
    connection.close()


def test_an_expired_hold_is_seen_as_ended_and_a_stranger_causes_no_write(planner, live, fresh_pool):
    pool, subnet = _held_that_has_ended(planner, live, fresh_pool)
    assert requests.get(f"{live.url}/api/v1/pools").status_code == 401
    assert _gone_soon(planner, subnet["id"])
    assert planner.pools.usage(pool)["own"][0]["addresses"]["held"] == "0"
    (other,) = handed(planner, pool, name="quay-held")
    assert other["blocks"][0]["prefix"] == subnet["blocks"][0]["prefix"]


@pytest.mark.parametrize("aggregated", ["false", "true"])
def test_what_has_ended_is_not_told_line_by_line_either(planner, live, fresh_pool, aggregated):
    pool = fresh_pool("10.40.64.0/24")
    (kept,), (held,) = handed(planner, pool), handed(planner, pool, hold_minutes=5)
    _ended(live, held)
    told = [row["prefix"] for row in planner.ranges(pool=pool, aggregated=aggregated)]
    assert told == [kept["blocks"][0]["prefix"]]
    (other,) = handed(planner, pool)  # who opens the pool ends it for good
    assert other["blocks"][0]["prefix"] == held["blocks"][0]["prefix"]


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("? [&a0 [x,x], &a1 [*a0,*a0]]\n: 1\n", "anchors and aliases"),
        ("[" * 9000, "levels inside each other"),
        ("tiers: [{tier: app, hosts: 0x" + "f" * 4000 + "}]", "more than 20 digits"),
        ('format: lentra-plan-1\nname: "a\\0b"\n', "U.0000 .* cannot stand in a text"),
    ],
)
def test_a_plan_that_would_cost_much_is_refused_at_once(planner, text, says):
    with pytest.raises(Problem, match=says) as refused:
        planner.plans.preview(text)
    assert refused.value.status == 400


def test_who_may_commit_no_plan_is_told_before_it_is_read(live):
    with pytest.raises(Problem) as refused:
        live.client("viewer").plans.preview("? [a]\n: 1")
    assert refused.value.status == 403


def test_a_stuck_pool_does_not_take_the_others_along(planner, live, fresh_pool):
    stuck, well = fresh_pool("10.40.64.0/22"), fresh_pool("10.40.64.0/22")
    number = planner.pools.get(stuck)["id"]
    holder = connect(live.database.url)
    cursor = holder.cursor()
    cursor.execute("SELECT * FROM registry_space WHERE pool_id = %s FOR UPDATE", [number])
    told: list[int] = []

    def ask():
        body = {"pool": stuck, "project": "ticketing", "tier": "app", "zone": "nc-1", "length": 28}
        headers = {"Authorization": f"Bearer {live.token('planner')}"}
        told.append(requests.post(f"{live.url}/api/v1/subnets", json=body, headers=headers).status_code)

    threads = [threading.Thread(target=ask) for _ in range(20)]
    for thread in threads:
        thread.start()
    time.sleep(2)
    assert handed(planner, well)  # another pool is served meanwhile
    holder.rollback()
    holder.close()
    for thread in threads:
        thread.join()
    assert len(told) == 20
    assert set(told) <= {201, 503}


def test_counters_are_mended_by_the_command_line_and_plain_sql_agrees(planner, live, lentra, fresh_pool):  # noqa: F811
    pool = fresh_pool("10.40.64.0/24")
    handed(planner, pool)
    number = planner.pools.get(pool)["id"]
    with _sql(live) as cursor:
        cursor.execute(
            "UPDATE registry_space SET handed_out = handed_out - 1, free = free + 1 WHERE pool_id = %s", [number]
        )
    assert not planner.verify()["clean"]
    assert "counters of IPv4 that differ from the extents" in offences(live.database.url)
    seen = lentra("verify", "--mend", "--preview", role="admin")
    assert "handed out was 31, is 32" in seen.stdout
    assert not planner.verify()["clean"]
    done = lentra("verify", "--mend", "--yes", role="admin")
    assert done.returncode == 0
    assert planner.verify()["offences"] == []
    assert offences(live.database.url) == {}
    assert lentra("verify", "--mend", "--yes", role="planner").returncode == 3


def test_everyday_refusals_say_what_would_work(planner, fresh_pool):
    pool = fresh_pool("10.40.64.0/24")
    (subnet,) = handed(planner, pool)
    planner.subnets.record(subnet["id"], "mast")
    with pytest.raises(Problem, match="in use by mast") as used:
        planner.release(subnet["id"], preview=True)
    assert used.value.suggestions == ["despite_use: true"]
    assert planner.release(subnet["id"], despite_use=True, preview=True).notes
    for wanted, says in (
        ({"hold_minutes": 0}, "hold_minutes"),
        ({"count": 9, "length": 26}, "fit, 9 are asked for"),
        ({"prefix": "10.40.64.7/27"}, "off boundary"),
    ):
        with pytest.raises(Problem, match=says) as refused:
            handed(planner, pool, **({"length": None} if "prefix" in wanted else {}) | wanted)
        assert refused.value.status in (400, 409)
    assert "block without use" not in {row["kind"] for row in planner.idle(realm=pool.partition(":")[0])}


def test_the_ledger_of_a_realm_is_listed(planner, fresh_pool):
    realm = fresh_pool("10.71.0.0/24").partition(":")[0]
    assert {(entry["kind"], entry["name"]) for entry in planner.ledger(realm=realm, kind="pool")} == {
        ("pool", "pool")
    }
