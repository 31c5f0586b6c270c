"""Who had what, and when: told of any day as it was then, whatever has happened since."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta

from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from lentra.addressing.prefix import parse_prefix as P
from lentra.addressing.prefix import parse_range
from lentra.addressing.refusal import Refusal


def past(world, text, on=None, **of):
    """What is told of a range, as it is told to people."""
    from lentra.registry.reports.history import tenures_over, told_tenures

    span = (on, on + timedelta(microseconds=1)) if on else None
    tenures = tenures_over(*parse_range(text), 1000, realms=[world.realm], span=span, **of)
    return told_tenures(tenures, world.clock.now(), span)


def in_short(told):
    return [(row["prefix"], row["name"], row["state"]) for row in told]


def test_an_address_is_told_of_any_day_as_it_was_then(world, holds):
    from lentra.registry.operations.subnets.edit_subnet import edit_subnet
    from lentra.registry.operations.subnets.give_back import give_back_subnet
    from lentra.registry.operations.subnets.grow import grow_subnet

    pool, planner = world.pool("10.60.0.0/20", cooling_days=7), world.person("planner")
    (hall,) = world.ask(pool, prefix="10.60.1.0/26", name="hall", actor=planner)
    handed_out = world.clock.now()
    world.later(days=10)
    world.do(grow_subnet, hall.pk, actor=planner, why="more turnstiles")
    grown = world.clock.now()
    world.later(days=10)
    world.do(edit_subnet, hall.pk, {"name": "great-hall"})
    world.later(days=10)
    world.do(give_back_subnet, hall.pk, actor=planner, why="the hall is closed")
    given_back = world.clock.now()
    world.later(days=8)
    world.ask(pool, prefix="10.60.1.0/27", name="kiosk")
    holds()

    (then,) = past(world, "10.60.1.20", handed_out + timedelta(days=3))
    assert (then["prefix"], then["name"], then["state"]) == ("10.60.1.0/26", "hall", "active")
    assert then["project"] == {"id": world.project.pk, "name": world.project.name}
    assert (then["began"]["verb"], then["began"]["who"]) == ("hand out", planner.name)
    assert (then["begins"], then["ends"]) == (handed_out, grown)
    assert (then["ended"]["verb"], then["ended"]["why"]) == ("grow", "more turnstiles")
    (wide,) = past(world, "10.60.1.100", grown + timedelta(days=1))
    assert (wide["prefix"], wide["name"]) == ("10.60.1.0/25", "hall")
    (renamed,) = past(world, "10.60.1.20", given_back - timedelta(days=1))
    assert renamed["name"] == "great-hall"
    (cooling,) = past(world, "10.60.1.20", given_back + timedelta(days=6))
    assert (cooling["state"], cooling["ends"]) == ("cooling", given_back + timedelta(days=7))
    assert past(world, "10.60.1.20", given_back + timedelta(days=7, hours=1)) == []
    assert in_short(past(world, "10.60.1.20", world.clock.now())) == [("10.60.1.0/27", "kiosk", "active")]
    whole = past(world, "10.60.1.0/25")
    assert [(row["name"], row["prefix"].partition("/")[2], row["going_on"]) for row in whole] == [
        ("hall", "25", False),
        ("great-hall", "25", False),
        ("great-hall", "25", False),
        ("hall", "26", False),
        ("kiosk", "27", True),
    ]


def test_an_expired_hold_has_ended_when_it_was_to_end(world, holds):
    pool = world.pool("10.61.0.0/24")
    world.ask(pool, prefix="10.61.0.0/26", name="berth", hold_minutes=30)
    end = world.clock.now() + timedelta(minutes=30)
    world.later(minutes=31)
    assert past(world, "10.61.0.1", world.clock.now()) == []  # whether upkeep has run or not
    (before,) = past(world, "10.61.0.1", end - timedelta(seconds=1))
    assert (before["state"], before["ends"], before["going_on"]) == ("held", end, False)
    world.later(hours=5)
    world.ask(pool, length=26)  # ends what is due
    holds()
    (after,) = past(world, "10.61.0.1", end - timedelta(seconds=1))
    assert (after["ends"], after["ended"]["verb"]) == (end, "end hold")


def test_address_records_and_the_public_addresses_attached_to_them_are_told(world, holds):
    from lentra.registry.models import Address
    from lentra.registry.operations.subnets.attach_address import attach_address, detach_address
    from lentra.registry.operations.subnets.record_addresses import (
        AddressRequest,
        edit_address,
        record_addresses,
        release_address,
    )

    inner = world.pool("10.62.0.0/24")
    outer = world.pool("198.51.99.0/28", name="outside", sheet="single-address", exposure="public")
    (hall,) = world.ask(inner, length=26, name="hall")
    (public,) = world.ask(outer, length=32, name="shown")
    world.do(record_addresses, hall.pk, AddressRequest(address="10.62.0.10", name="gate"))
    record = Address.objects.get(subnet=hall)
    world.later(days=1)
    world.do(attach_address, public.pk, record=record.pk)
    attached = world.clock.now()
    world.later(days=2)
    world.do(detach_address, public.pk)
    world.do(edit_address, record.pk, {"mac": "00:00:5e:00:53:01"})
    world.later(days=2)
    world.do(release_address, record.pk)
    holds()
    rows = past(world, "10.62.0.10", kinds=["address record"])
    assert [(row["mac"], [one["address"] for one in row["public"]]) for row in rows] == [
        (None, [str(public.blocks()[0]).removesuffix("/32")]),
        ("00:00:5e:00:53:01", []),
    ]
    assert rows[0]["subnet"]["name"] == "hall"
    assert rows[1]["ended"]["verb"] == "release"
    (shown,) = past(world, str(public.blocks()[0]), attached + timedelta(hours=1))
    assert shown["attached_to"]
    assert past(world, "10.62.0.10", attached + timedelta(hours=1))[-1]["public"]


def test_reservations_keep_outs_and_moves_have_a_past(world, holds):
    from lentra.registry.operations.pools.add_keep_out import remove_keep_out
    from lentra.registry.operations.pools.change_range import change_range
    from lentra.registry.operations.reservations.reserve import ReservationRequest, reserve

    pool = world.pool("10.63.0.0/24")
    lifted = world.keep_out("10.63.9.0-10.63.9.130", reason="the old quay")
    world.do(
        reserve, ReservationRequest(pool.pk, "kept", name="bridge", range=parse_range("10.63.0.128-10.63.0.191"))
    )
    world.ask(pool, prefix="10.63.0.0/26", name="hall")
    day = world.clock.now()
    world.later(days=3)
    world.do(change_range, pool.pk, P("10.63.0.0/24"), P("10.63.4.0/24"), rebase=True)
    world.do(remove_keep_out, lifted, why="the quay is gone")
    world.later(days=1)
    holds()
    on = day + timedelta(days=1)
    assert in_short(past(world, "10.63.0.0/24", on)) == [
        ("10.63.0.0/26", "hall", "active"),
        ("10.63.0.128/26", "bridge", "other"),
    ]
    assert in_short(past(world, "10.63.4.0/24", world.clock.now())) == [
        ("10.63.4.0/26", "hall", "active"),
        ("10.63.4.128/26", "bridge", "other"),
    ]
    quay = past(world, "10.63.9.0/24")
    assert [row["prefix"] for row in quay] == ["10.63.9.0/25", "10.63.9.128/31", "10.63.9.130/32"]
    assert {(row["name"], row["going_on"], row["ended"]["verb"]) for row in quay} == {
        ("the old quay", False, "remove")
    }


def test_verify_finds_tenures_that_the_ledger_does_not_tell(world):
    from lentra.registry.models import Tenure
    from lentra.registry.operations.subnets.give_back import give_back_subnet
    from lentra.registry.reports.verify import verify

    pool = world.pool("10.64.0.0/24", cooling_days=0)
    living, gone = world.ask(pool, length=26, count=2)
    world.later(days=1)
    world.do(give_back_subnet, gone.pk)
    assert verify(world.realm)["clean"]
    Tenure.objects.filter(record=living.pk).update(name="somebody")
    Tenure.objects.filter(record=gone.pk).update(begins=datetime(2020, 1, 1, tzinfo=UTC))
    where = {offence["where"] for offence in verify(world.realm)["offences"]}
    assert where == {f"subnet {living.pk}", f"subnet {gone.pk}"}
    Tenure.objects.filter(record=living.pk).delete()
    assert not verify(world.realm)["clean"]


DOINGS = st.lists(
    st.tuples(st.sampled_from(["ask", "grow", "back", "rename", "wait"]), st.integers(0, 7)), max_size=14
)


@settings(max_examples=12, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(DOINGS)
def test_of_any_story_each_moment_is_told_as_it_was_seen_then(world, doings):
    from lentra.registry.models import Pool, Subnet
    from lentra.registry.operations.subnets.edit_subnet import edit_subnet
    from lentra.registry.operations.subnets.give_back import give_back_subnet
    from lentra.registry.operations.subnets.grow import grow_subnet
    from lentra.registry.reports.verify import verify

    pool = Pool.objects.filter(realm=world.realm).first() or world.pool("10.65.0.0/24")
    seen = []
    for n, (what, which) in enumerate(doings):
        world.later(hours=1)
        living = list(Subnet.objects.filter(pool=pool, state="active").order_by("pk"))
        one = living[which % len(living)] if living else None
        try:
            if what == "ask":
                world.ask(pool, length=27 + which % 3)
            elif what == "wait":
                world.later(days=which)
            elif one and what == "grow":
                world.do(grow_subnet, one.pk)
            elif one and what == "back":
                world.do(give_back_subnet, one.pk)
            elif one:
                world.do(edit_subnet, one.pk, {"name": f"{one.name[:20]}-{n}"})
        except Refusal:
            pass
        now = world.clock.now() + timedelta(minutes=1)
        there = Subnet.objects.filter(pool=pool).exclude(ends_at__lte=now)
        seen.append((now, sorted((str(b), s.name, s.state) for s in there for b in s.blocks())))
    for moment, was in seen:
        assert sorted(in_short(past(world, "10.65.0.0/24", moment))) == was
    assert verify(world.realm)["clean"]
