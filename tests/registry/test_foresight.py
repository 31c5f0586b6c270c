"""Steps to come, outlooks, alerts, what if and compaction: what is foretold is what happens."""

from __future__ import annotations

from datetime import timedelta

import pytest

from lentra.addressing.prefix import parse_prefix
from lentra.addressing.refusal import Refusal
from tests.registry.test_plans import plan  # noqa: F401

P = parse_prefix


@pytest.fixture
def growing(world, readings):
    """A /22 that a /28 is taken from every four days, after 120 days."""
    pool = world.pool("10.40.0.0/22", warning_percent=50, critical_percent=75)
    readings(120, lambda n: world.ask(pool, length=28) if n % 4 == 0 else None)
    return pool


def headroom_of(world, pool):
    from lentra.registry.foresight.headroom import pool_headroom

    return pool_headroom(pool, world.clock.now())[0]


def likely(found, name):
    return next(row["likely"] for row in found["thresholds"] if row["name"] == name)


def need(world, pool, **values):
    from lentra.registry.models import PlannedNeed
    from lentra.registry.operations.setup.add_record import add_record

    fields = {"name": f"need-{world.realm_name}", "pool": pool, "length": 26, "reason": "more quays", **values}
    world.do(add_record, "planned need", fields)
    return PlannedNeed.objects.get(name=fields["name"])


def test_a_planned_need_brings_the_days_nearer_and_is_told(world, growing):
    before = headroom_of(world, growing)
    day = world.clock.now().date() + timedelta(days=20)
    need(world, growing, length=25, count=2, day=day)
    after = headroom_of(world, growing)
    assert likely(after, "full") < likely(before, "full")
    (step,) = after["steps"]
    assert (step["day"], step["amount"], step["what"]) == (day.isoformat(), "256", "planned need")
    at_day = next(point for point in after["fan"] if point["day"] >= day.isoformat())
    same = next(point for point in before["fan"] if point["day"] == at_day["day"])
    assert int(at_day["likely"]) - int(same["likely"]) == 256


def test_a_reservation_that_ends_puts_them_off(world, growing):
    from lentra.registry.operations.reservations.reserve import ReservationRequest, reserve

    ends = world.clock.now() + timedelta(days=30)
    world.do(reserve, ReservationRequest(growing.pk, "masts", length=25, ends_at=ends))
    found = headroom_of(world, growing)
    assert [(s["amount"], s["what"]) for s in found["steps"]] == [("-128", "reservation falls back")]


def test_a_need_fills_a_pool_that_does_not_grow(world, readings):
    pool = world.pool("10.40.0.0/24")
    readings(50)
    day = world.clock.now().date() + timedelta(days=9)
    need(world, pool, length=25, count=2, day=day)
    found = headroom_of(world, pool)
    assert found["no_forecast"] == "no growth"
    assert likely(found, "full") == day.isoformat()


def test_a_need_that_could_never_be_is_refused(world):
    pool = world.pool("10.40.0.0/22")
    day = world.clock.now().date()
    for wrong, words in (
        ({"length": 20}, "wider than pool"),
        ({"family": 6, "length": 64}, "no IPv6"),
        ({"count": 0}, "0 blocks"),
        ({"reason": " "}, "needs a reason"),
    ):
        with pytest.raises(Refusal, match=words):
            need(world, pool, day=day, **wrong)


def test_an_expected_plan_becomes_needs_and_expecting_it_again_replaces_them(world, plan):  # noqa: F811
    from lentra.registry.models import PlannedNeed, Subnet
    from lentra.registry.operations.plans.expect_plan import expect_plan
    from lentra.registry.plans.reading import read_document

    pool = world.pool("10.40.0.0/16")
    day = world.clock.now().date() + timedelta(days=40)
    document = plan.document(pool, zones=3, tiers=2, length=24) | {"name": f"hall-{world.realm_name}"}
    before = world.space(pool)
    for zones in (3, 2):
        document["zones"] = document["zones"][:zones]
        world.do(expect_plan, read_document(document), day)
        (found,) = PlannedNeed.objects.filter(pool=pool)
        assert (found.count, found.length, found.plan) == (2 * zones, 24, document["name"])
    assert world.space(pool) == before
    assert not Subnet.objects.filter(realm=world.realm).exists()
    with pytest.raises(Refusal, match="has passed"):
        world.do(expect_plan, read_document(document), day - timedelta(days=60))


def test_needs_of_a_plan_with_a_long_name_can_be_moved(world, plan):  # noqa: F811
    from lentra.registry.models import PlannedNeed
    from lentra.registry.operations.plans.expect_plan import expect_plan
    from lentra.registry.operations.setup.edit_record import edit_record
    from lentra.registry.plans.reading import read_document

    pool = world.pool("10.40.0.0/16", name="the-pool-of-all-the-longest-piers-and-quays-that-there-are")
    name = f"a-plan-for-every-quay-and-every-pier-of-{world.realm_name}-and-more"[:63]
    day = world.clock.now().date() + timedelta(days=40)
    world.do(expect_plan, read_document(plan.document(pool, length=24) | {"name": name}), day)
    (found,) = PlannedNeed.objects.filter(pool=pool)
    world.do(edit_record, "planned need", found.pk, {"day": day + timedelta(days=9)})
    found.refresh_from_db()
    assert found.day == day + timedelta(days=9)


def test_expecting_what_cannot_be_tells_all_that_stops_it(world, plan):  # noqa: F811
    from lentra.registry.operations.plans.expect_plan import expect_plan
    from lentra.registry.plans.reading import read_document

    pool = world.pool("10.40.0.0/24")
    day = world.clock.now().date() + timedelta(days=40)
    with pytest.raises(Refusal) as refused:
        world.do(expect_plan, read_document(plan.document(pool, zones=3, tiers=3, length=24)), day)
    assert refused.value.rule == "a plan is handed out whole or not at all"
    assert len(refused.value.conflicts) >= 1


def test_a_realm_is_read_as_a_whole_and_nothing_counts_twice(world):
    from lentra.registry.foresight.headroom import realm_headroom
    from lentra.registry.foresight.readings import take_readings
    from lentra.registry.models import Reading

    outer = world.pool("10.40.0.0/16")
    inner = world.carve(outer, "10.40.0.0/18")
    deep = world.carve(inner, "10.40.0.0/20", name="deep")
    for pool, length in ((outer, 24), (inner, 25), (deep, 26)):
        world.ask(pool, length=length)
    take_readings(world.clock)
    reading = Reading.objects.get(kind="realm", subject=world.realm.pk, family=4)
    assert (reading.used, reading.total) == (256 + 128 + 64, 65536)
    (found,) = realm_headroom(world.realm, world.clock.now())
    assert (found["used"], found["total"]) == ("448", "65536")


def test_outlooks_follow_the_readings_and_the_needs(world, growing):
    from lentra.registry.foresight.headroom import overview
    from lentra.registry.foresight.outlooks import refresh_outlooks
    from lentra.registry.foresight.readings import take_readings
    from lentra.registry.models import Outlook

    take_readings(world.clock)
    live = overview([growing], world.clock.now())
    while refresh_outlooks(world.clock):
        pass
    outlook = Outlook.objects.get(space__pool=growing)
    assert overview([growing], world.clock.now()) == live
    assert outlook.full_on.isoformat() == likely(headroom_of(world, growing), "full")
    assert refresh_outlooks(world.clock) == 0
    # What is reached is told at once, also where the outlook is older.
    world.ask(growing, length=28, count=8)
    (row,) = overview([growing], world.clock.now())
    assert [t["reached"] for t in row["thresholds"]] == [True, False, False]
    assert [t["likely"] for t in row["thresholds"]] == [t["likely"] for t in live[0]["thresholds"]]
    need(world, growing, length=25, day=world.clock.now().date() + timedelta(days=5))
    while refresh_outlooks(world.clock):
        pass
    assert Outlook.objects.get(space__pool=growing).full_on < outlook.full_on


def test_readings_of_days_to_come_do_not_hold_outlooks_up(world, growing):
    from lentra.registry.foresight.outlooks import refresh_outlooks
    from lentra.registry.foresight.readings import take_readings
    from lentra.registry.models import Outlook

    take_readings(world.clock)
    world.later(days=400)
    take_readings(world.clock)  # by a clock that was wrong
    world.later(days=-400)
    rounds = 0
    while refresh_outlooks(world.clock):
        rounds += 1
        assert rounds < 100
    assert Outlook.objects.get(space__pool=growing).day == world.clock.now().date()


def alerts_of(pool):
    from lentra.registry.models import Alert

    rows = Alert.objects.filter(pool=pool).order_by("pk")
    return [(a.threshold, a.stage, a.resolved_at is None) for a in rows]


def test_a_crossing_is_told_once_and_resolved_when_it_falls_back(world):
    from lentra.registry.foresight.alerts import check_alerts
    from lentra.registry.models import LedgerEntry
    from lentra.registry.operations.subnets.give_back import give_back_subnet

    pool = world.pool("10.40.0.0/24", warning_percent=50, critical_percent=75, cooling_days=0)
    (first,) = world.ask(pool, length=26)
    check_alerts(world.clock)
    assert alerts_of(pool) == []
    world.ask(pool, length=26)
    for _ in range(3):
        check_alerts(world.clock)
    assert alerts_of(pool) == [("warning", "reached", True)]
    (third,) = world.ask(pool, length=26)
    check_alerts(world.clock)
    assert alerts_of(pool) == [("warning", "reached", False), ("critical", "reached", True)]
    for subnet in (first, third):
        world.do(give_back_subnet, subnet.pk)
    check_alerts(world.clock)
    assert [row[2] for row in alerts_of(pool)] == [False, False]
    entries = LedgerEntry.objects.filter(kind="alert", realm=world.realm.pk).order_by("number")
    assert list(entries.values_list("verb", flat=True)) == ["open", "open", "resolve", "resolve"]
    # Crossed again: a new alert.
    world.ask(pool, length=26)
    check_alerts(world.clock)
    assert alerts_of(pool)[-1] == ("warning", "reached", True)


def test_a_threshold_in_sight_is_told_beforehand_and_gives_way_when_it_is_reached(world, readings):
    from lentra.registry.foresight.alerts import check_alerts
    from lentra.registry.upkeep import run_upkeep

    pool = world.pool("10.40.0.0/24", warning_percent=60, critical_percent=95)
    readings(72, lambda n: world.ask(pool, length=30) if n % 2 == 0 else None)
    for _ in range(50):
        if run_upkeep(world.clock, alert_within_days=14)["outlooks"] == 0:
            break
    assert alerts_of(pool) == [("warning", "near", True)]
    check_alerts(world.clock, within_days=1)
    assert alerts_of(pool) == [("warning", "near", False)]
    world.ask(pool, length=30, count=4)
    run_upkeep(world.clock, alert_within_days=14)
    assert alerts_of(pool)[-1] == ("warning", "reached", True)


# --- what if ---


def what_if(world, pool, **supposed):
    from lentra.registry.foresight.what_if import Supposed, what_if

    return what_if(pool.pk, Supposed(**supposed), world.clock)


def test_what_if_is_what_really_happens_afterwards(world, growing, plan):  # noqa: F811
    from lentra.registry.operations.plans.commit_plan import commit_plan
    from lentra.registry.operations.pools.add_pool import add_range
    from lentra.registry.operations.subnets.give_back import give_back_subnet
    from lentra.registry.plans.reading import read_document

    idle = world.ask(growing, length=26)[0]
    text = read_document(plan.document(growing, zones=2, tiers=2, length=28))
    before, ledger = world.space(growing), last_entry()
    told = what_if(world, growing, ranges=[P("10.40.8.0/22")], plan=text, give_back=[idle.pk])
    assert world.space(growing) == before
    assert last_entry() == ledger
    (family,) = told["families"]
    assert told["done"] == ["10.40.8.0/22 added", f"{idle.name} given back", "plan hall: 4 subnets handed out"]
    assert likely(family["then"], "full") > likely(family["today"], "full")
    world.do(add_range, growing.pk, P("10.40.8.0/22"))
    world.do(give_back_subnet, idle.pk, at_once=True)
    world.do(commit_plan, text)
    really = headroom_of(world, growing)
    for name in ("total", "used", "used_percent"):
        assert family["then"][name] == really[name]
    fits = {row["length"]: row["then"] for row in family["still_fits"]}
    assert fits[28] == next(row["fits"] for row in really["lengths"] if row["length"] == 28)


def last_entry():
    from lentra.registry.models import LedgerEntry

    return LedgerEntry.objects.latest("number").number


def test_growth_and_needs_are_supposed_and_what_idles_is_found(world, growing):
    from lentra.registry.foresight.what_if import SupposedNeed

    today = likely(headroom_of(world, growing), "full")
    (family,) = what_if(world, growing, growth_percent=200)["families"]
    assert likely(family["then"], "full") < today == likely(family["today"], "full")
    day = world.clock.now().date() + timedelta(days=3)
    (family,) = what_if(world, growing, needs=[SupposedNeed(4, 24, 2, day)])["families"]
    assert [s["what"] for s in family["then"]["steps"]] == ["supposed"]
    assert likely(family["then"], "critical") == day.isoformat()
    told = what_if(world, growing, give_back_idle=True)
    assert "and 18 more given back" in told["done"][0]  # the youngest may yet come into use
    assert int(told["families"][0]["then"]["used"]) < int(told["families"][0]["today"]["used"])


def test_nothing_supposed_and_what_cannot_be_are_refused(world, growing):
    world.pool("10.41.0.0/24", name="other")
    with pytest.raises(Refusal, match="say what to suppose"):
        what_if(world, growing)
    with pytest.raises(Refusal, match=r"10\.41\.0\.0/24"):
        what_if(world, growing, ranges=[P("10.41.0.0/24")])


# --- compaction ---


def test_advice_frees_the_length_when_it_is_followed(world, holds):
    from lentra.registry.operations.subnets.give_back import give_back_subnet
    from lentra.registry.reports.compaction import compaction

    pool = world.pool("10.40.0.0/24", cooling_days=0)
    blocks = world.ask(pool, length=29, count=32)
    for n, subnet in enumerate(blocks):
        if n % 4 and n != 30:
            world.do(give_back_subnet, subnet.pk)
    told = compaction(pool, 26)
    assert (told["fits"], told["largest_free"]) == ("0", "/28")
    assert int(told["free"]) > 128
    cheapest = told["options"][0]
    assert (cheapest["addresses"], len(cheapest["blocks"])) == ("16", 2)
    for block in cheapest["blocks"]:
        world.do(give_back_subnet, block["subnet"]["id"])
    world.ask(pool, prefix=cheapest["prefix"])
    world.ask(pool, length=29, count=len(cheapest["blocks"]))
    holds()


def test_why_there_is_no_advice_is_said(world):
    from lentra.registry.reports.compaction import compaction

    pool = world.pool("10.40.0.0/24")
    assert "fits already" in compaction(pool, 25)["why"]
    world.ask(pool, length=25)
    world.ask(pool, length=26)
    told = compaction(pool, 25)
    assert told["options"] == []
    assert "too little is free" in told["why"]
    with pytest.raises(Refusal, match="no range of pool"):
        compaction(pool, 23)
    with pytest.raises(Refusal, match="no IPv6"):
        compaction(pool, 64, family=6)


def test_an_overview_takes_as_many_statements_for_many_pools_as_for_few(world):
    from django.conf import settings
    from django.db import connection, reset_queries

    from lentra.registry.foresight.headroom import overview
    from lentra.registry.models import Pool
    from lentra.registry.reports.usage import usage_of_pools

    outer = world.pool("10.40.0.0/14", "fd46:40::/48")
    counts = []
    for first, last in ((0, 3), (3, 40)):
        for n in range(first, last):
            inner = world.carve(outer, f"10.40.{n}.0/24", name=f"inner-{n}")
            if n % 10 == 0:
                world.ask(inner, length=28)
        related = ("realm", "parent", "region", "zone", "sheet")
        pools = list(Pool.objects.filter(realm=world.realm).prefetch_related(*related))
        settings.DEBUG = True
        reset_queries()
        rows = overview(pools, world.clock.now())
        usages = usage_of_pools(pools)
        counts.append(len(connection.queries))
        settings.DEBUG = False
        assert len(rows) == last + 2  # the outer pool has both families
        assert len(usages) == last + 1
    assert counts[0] == counts[1] <= 14
