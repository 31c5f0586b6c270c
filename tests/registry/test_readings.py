"""Readings, usage in parts and on a day, headroom and idle things."""

from datetime import timedelta

import pytest
from django.db import connection
from django.test.utils import CaptureQueriesContext


def test_upkeep_takes_readings_once_a_day_and_after_large_changes(world):
    from lentra.registry.models import Reading
    from lentra.registry.upkeep import run_upkeep

    pool = world.pool("10.40.0.0/24")
    own = Reading.objects.filter(kind="pool", subject=pool.pk)
    run_upkeep(world.clock)
    assert [(r.used, r.total) for r in own] == [(0, 256)]
    world.ask(pool, length=30)  # a small change waits for tomorrow
    world.ask(pool, length=26)  # a large one does not, but for some minutes
    assert run_upkeep(world.clock)["readings"] == 0
    world.later(minutes=11)
    assert run_upkeep(world.clock)["readings"] > 0
    assert [r.used for r in own.all()] == [68]
    assert run_upkeep(world.clock)["readings"] == 0
    world.later(days=1)
    run_upkeep(world.clock)
    assert [r.used for r in own.order_by("day")] == [68, 68]


def test_readings_older_than_two_years_are_kept_weekly(world, readings):
    from lentra.registry.foresight.readings import thin_readings
    from lentra.registry.models import Reading

    pool = world.pool("10.40.0.0/24")
    readings(40)
    world.later(days=720)
    readings(1)
    thin_readings(world.clock)
    days = [r.day for r in Reading.objects.filter(kind="pool", subject=pool.pk).order_by("day")]
    limit = world.clock.now().date() - timedelta(days=730)
    old = [day for day in days if day < limit]
    assert len({day.isocalendar()[:2] for day in old}) == len(old)
    assert len(old) >= 4
    assert len(days) - len(old) > 0


def test_usage_on_a_day_comes_from_the_last_reading_before_it(world, readings):
    from lentra.registry.reports.usage_history import usage_on

    pool = world.pool("10.40.0.0/24")
    start = world.clock.now().date()
    readings(10, lambda n: world.ask(pool, length=28) if n in (2, 5) else None)
    used = {n: usage_on([pool.pk], start + timedelta(days=n))[0].used for n in (0, 2, 4, 5, 25)}
    assert used == {0: 0, 2: 16, 4: 16, 5: 32, 25: 32}
    assert usage_on([pool.pk], start - timedelta(days=1)) == []


def test_what_changed_between_two_days_is_told_by_whom(world):
    from lentra.registry.operations.subnets.give_back import give_back_subnet
    from lentra.registry.operations.subnets.grow import grow_subnet
    from lentra.registry.reports.usage_history import changes_between

    pool = world.pool("10.40.0.0/24")
    other = world.pool("10.41.0.0/24", name="other")
    planner = world.person("planner")
    world.later(days=3)
    day = world.clock.now().date()
    first, second = world.ask(pool, length=28, count=2, placement="roomy", actor=planner)
    world.ask(other, length=26)
    world.do(grow_subnet, first.pk, actor=planner)
    world.later(days=1)
    world.do(give_back_subnet, second.pk)
    found = changes_between(day, world.clock.now().date(), [pool.pk])
    assert [(row["what"], row["by"], row["subnets"], row["ipv4"]) for row in found] == [
        ("give back", "lentra", 1, "16"),
        ("grow", planner.name, 1, "16"),
        ("hand out", planner.name, 2, "32"),
    ]
    assert [row["what"] for row in changes_between(day, day, [pool.pk])] == ["grow", "hand out"]


def test_usage_in_parts_adds_up_to_what_the_pools_count(world):
    from lentra.registry.models import Space
    from lentra.registry.operations.subnets.record_addresses import AddressRequest, record_addresses
    from lentra.registry.reports.breakdown import breakdown

    top = world.pool("10.40.0.0/20", "fd46:40::/48")
    inner = world.carve(top, "10.40.4.0/22", name="inner")
    (one,) = world.ask(top, hosts=20, families=[4, 6], room=1)
    world.ask(inner, hosts=50, count=2)
    world.do(record_addresses, one.pk, AddressRequest(name="mast", count=3))
    by_pool = breakdown(["pool"], realm=world.realm)
    spaces = Space.objects.filter(pool__realm=world.realm, family=4)
    for row in by_pool:
        space = next(s for s in spaces if s.pool_id == row["pool"]["id"])
        assert int(row["used"]) == space.handed_out + space.held + space.room + space.cooling
        assert sum(int(n) for n in row["addresses"].values()) == int(row["used"])
    assert sum(row["percent"] for row in by_pool) == pytest.approx(100, abs=0.01)
    (by_zone,) = breakdown(["zone", "tier"], realm=world.realm)
    assert int(by_zone["used"]) == sum(int(row["used"]) for row in by_pool) == 64 + 128
    assert (by_zone["subnets"], by_zone["usable"], by_zone["hosts"]) == (3, str(30 + 62 + 62), str(3 + 100))
    (v6,) = breakdown(["project"], family=6, realm=world.realm)
    assert int(v6["used"]) == 1 << 64


def test_a_pool_tells_its_thresholds_and_how_long_each_length_lasts(world, readings):
    from lentra.registry.foresight.headroom import overview, pool_headroom

    pool = world.pool("10.40.0.0/22", warning_percent=50, critical_percent=75)
    readings(120, lambda n: world.ask(pool, length=28) if n % 4 == 0 else None)
    (found,) = pool_headroom(pool, world.clock.now())
    assert found["no_forecast"] is None
    assert 110 <= int(found["per_month"]) <= 135  # a /28 every four days
    assert [t["name"] for t in found["thresholds"]] == ["warning", "critical", "full"]
    likely = [t["likely"] for t in found["thresholds"]]
    assert all(likely)
    assert likely == sorted(likely)
    (length,) = found["lengths"]
    assert (length["length"], length["asked"], int(length["fits"])) == (28, 30, 34)
    assert abs(length["days"] - 34 * 4) < 12  # one every four days, since there is the pool
    assert length["until"] <= likely[2]  # one day for one question: it does not outlast the pool
    (row,) = overview([pool], world.clock.now())
    assert row["thresholds"] == found["thresholds"]


def test_a_pool_without_growth_says_so(world, readings):
    from lentra.registry.foresight.headroom import pool_headroom

    pool = world.pool("10.40.0.0/24")
    assert "too few readings" in pool_headroom(pool, world.clock.now())[0]["no_forecast"]
    readings(50)
    assert pool_headroom(pool, world.clock.now())[0]["no_forecast"] == "no growth"


def test_idle_things_are_listed_with_age_and_step(world):
    from lentra.registry.operations.reservations.reserve import ReservationRequest, reserve
    from lentra.registry.reports.idle import first_idle

    pool = world.pool("10.40.0.0/22")
    world.pool("10.41.0.0/24", name="unused")
    (wide,) = world.ask(pool, length=24, hosts=10)
    (silent,) = world.ask(pool, length=26)
    ends_at = world.clock.moment + timedelta(days=50)
    world.do(reserve, ReservationRequest(pool.pk, "masts", length=28, ends_at=ends_at))
    young = {row["kind"] for row in first_idle(world.clock.now(), 100, realm=world.realm)}
    assert "block without use" not in young
    world.later(days=40)
    found = {row["kind"]: row for row in first_idle(world.clock.now(), 100, realm=world.realm)}
    assert found["block far too wide"]["id"] == wide.pk
    assert found["block far too wide"]["step"] == "shrink it to /28"
    silent_ones = {wide.pk, silent.pk}  # also one that hosts are expected in, and none was ever recorded
    assert found["block without use"]["id"] in silent_ones
    assert found["block without use"]["days"] == 40
    assert "masts" in found["reservation about to end"]["why"]
    assert found["pool never used"]["what"] == "unused"
    assert found["project in one zone"]["what"] == world.project.name


def test_lists_of_ranges_aggregate_to_the_fewest_and_mark_what_changed(world):
    from lentra.registry.operations.subnets.give_back import give_back_subnet
    from lentra.registry.reports.ranges import ranges_of

    pool = world.pool("10.40.0.0/22", "fd46:40::/48", cooling_days=0)
    first, second, third = world.ask(pool, length=26, count=3, families=[4, 6])
    world.later(days=5)
    day = world.clock.now().date()
    world.ask(pool, length=26, count=1)
    world.do(give_back_subnet, third.pk)
    of = {"realm": world.realm, "tier": world.tier}
    rows = list(ranges_of(4, since=day, **of))
    assert [(row["prefix"], row["mark"]) for row in rows] == [
        ("10.40.0.0/26", ""),
        ("10.40.0.64/26", ""),
        ("10.40.0.192/26", "added"),
        ("10.40.0.128/26", "gone"),
    ]
    assert rows[0]["name"] == first.name
    fewest = ranges_of(4, True, day, **of)
    assert [(row["prefix"], row["mark"]) for row in fewest] == [
        ("10.40.0.0/25", ""),
        ("10.40.0.192/26", "added"),
        ("10.40.0.128/26", "gone"),
    ]
    assert len(list(ranges_of(None, **of))) == 5
    assert [row["name"] for row in ranges_of(6, **of)] == [first.name, second.name]
    other = world.pool("10.41.0.0/24", name="x")
    assert list(ranges_of(4, since=day, realm=world.realm, tier=world.tier, pool=other)) == []


def test_days_without_a_change_are_copied_and_changed_ones_counted(world):
    from lentra.registry.foresight.readings import take_readings
    from lentra.registry.models import Reading

    pool = world.pool("10.40.0.0/24", "fd46:40::/56")
    world.ask(pool, length=28)
    take_readings(world.clock)
    first = set(
        Reading.objects.filter(day=world.clock.now().date()).values_list("kind", "subject", "family", "used")
    )
    world.later(days=1)
    with CaptureQueriesContext(connection) as asked:
        assert take_readings(world.clock) == len(first)
    assert len(asked) == 4  # which spaces, which day, which revisions, and the copy
    rows = Reading.objects.filter(day=world.clock.now().date())
    assert set(rows.values_list("kind", "subject", "family", "used")) == first
    world.later(days=1)
    world.ask(pool, length=27)
    take_readings(world.clock)
    used = rows.model.objects.filter(day=world.clock.now().date(), kind="pool", subject=pool.pk, family=4)
    assert used.get().used == 48


def test_readings_of_a_day_are_taken_all_or_none(world, monkeypatch):
    from lentra.registry.foresight import readings
    from lentra.registry.models import Reading

    pool = world.pool("10.40.0.0/24")
    readings.take_readings(world.clock)
    world.later(days=1)
    world.ask(pool, length=28)

    def killed(*_, **__):
        raise KeyboardInterrupt

    with monkeypatch.context() as way:
        way.setattr(readings, "insert", killed)
        with pytest.raises(KeyboardInterrupt):
            readings.take_readings(world.clock)
    today = Reading.objects.filter(day=world.clock.now().date())
    assert not today.exists()
    assert readings.readings_due(world.clock)
    readings.take_readings(world.clock)
    assert today.get(kind="pool", subject=pool.pk).used == 16


def test_a_large_change_in_either_family_has_readings_taken_anew_but_not_all_the_time(world):
    from lentra.registry.foresight.readings import readings_due, take_readings

    pool = world.pool("10.40.0.0/24", "fd46:40::/56")
    take_readings(world.clock)
    world.ask(pool, length=64, families=[6], count=8)
    assert not readings_due(world.clock)  # taken just now
    world.later(minutes=11)
    assert readings_due(world.clock)
    take_readings(world.clock)
    world.later(minutes=11)
    assert not readings_due(world.clock)


def test_unusual_growth_is_told_of_few_by_their_past(world, readings):
    """A project that grows by much this week, beside one that always does, and one that stands still."""
    from lentra.registry.models import Project
    from lentra.registry.operations.setup.add_record import add_record
    from lentra.registry.reports.today import today

    pool = world.pool("10.40.0.0/16")
    steady, still = f"steady-{world.realm_name}", f"still-{world.realm_name}"
    for name in (steady, still):
        world.do(add_record, "project", {"name": name})
    world.ask(pool, length=24, project=still)
    world.ask(pool, length=28)

    def growing(n):
        if n % 7 == 3:
            world.ask(pool, length=24, project=steady)
        if n == 68:
            world.ask(pool, length=23)

    readings(70, growing)
    planner = world.person("planner")
    told = {section.name: section for section in today(planner, world.clock.now())}["unusual"]
    ours = {
        line.text: line.note
        for line in told.lines
        if line.text.endswith(world.project.name[-8:]) or world.realm_name in line.text
    }
    assert ours == {world.project.name: "512 IPv4 addresses more this week, usually 0"}
    assert Project.objects.filter(name=steady).exists()
    world.later(days=30)
    later = {section.name: section for section in today(planner, world.clock.now())}["unusual"]
    assert world.project.name not in [line.text for line in later.lines]
