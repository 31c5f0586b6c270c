"""Pools: ranges taken out, gaps, places near to and away from others, and what an exhausted pool tells."""

import random
from datetime import UTC, datetime, timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st

from lentra.addressing.avoiding import Avoiding
from lentra.addressing.extents import Extent, MemoryExtents, State, carve
from lentra.addressing.placement import place, places
from lentra.addressing.prefix import Prefix
from lentra.addressing.prefix import parse_prefix as P
from lentra.addressing.refusal import Exhausted, Refusal

TOP = P("10.40.64.0/24")


@given(
    st.lists(st.tuples(st.integers(0, 255), st.integers(26, 32)), max_size=12),
    st.lists(st.tuples(st.integers(0, 255), st.integers(24, 30)), min_size=1, max_size=4),
    st.integers(25, 32),
)
def test_what_is_placed_away_from_ranges_is_the_lowest_that_shares_nothing_with_them(taken, avoided, length):
    store = MemoryExtents(4, [TOP])
    for offset, n in taken:
        block = Prefix(4, TOP.first + (offset >> (32 - n) << (32 - n)), n)
        within = next(
            (e.prefix for e in store.overlapping(block.first, block.last) if e.state is State.FREE), None
        )
        if within and within.contains(block):
            carve(store, block, State.HANDED_OUT, 1, within)
    away = [Prefix(4, TOP.first + (offset >> (32 - n) << (32 - n)), n) for offset, n in avoided]
    size = 1 << (32 - length)
    fits = [
        block
        for first in range(TOP.first, TOP.last + 1, size)
        if (block := Prefix(4, first, length))
        and not any(block.overlaps(prefix) for prefix in away)
        and all(e.state is State.FREE for e in store.overlapping(block.first, block.last))
    ]
    view = Avoiding(store, away)
    free = sum(count << (32 - n) for n, count in view.free_counts().items())
    assert free == sum(
        not any(prefix.first <= at <= prefix.last for prefix in away) and store.at(at).state is State.FREE
        for at in range(TOP.first, TOP.last + 1)
    )
    if not fits:
        with pytest.raises(Exhausted):
            place(view, length, "low")
        return
    found = place(view, length, "low")
    assert found.block == fits[0]
    assert [one.block for one in places(store, length, "low", 3)][: len(fits)] != []
    carve(view, found.block, State.HANDED_OUT, 2, found.within)
    assert store.at(found.block.first) == Extent(found.block, State.HANDED_OUT, 2)
    assert sum(extent.prefix.size for extent in store.overlapping(TOP.first, TOP.last)) == 256


def test_a_range_goes_when_nothing_lives_in_it_and_comes_back_by_an_undo(world, holds):
    from lentra.registry.models import LedgerEntry, Pool, Space
    from lentra.registry.operations.ledger.undo import undo
    from lentra.registry.operations.pools.remove_range import remove_range
    from lentra.registry.operations.reservations.reserve import ReservationRequest, reserve
    from lentra.registry.operations.subnets.give_back import give_back_subnet
    from lentra.registry.operations.subnets.replace_subnet import replace_subnet

    outer = world.pool("10.40.0.0/16")
    pool = world.carve(outer, "10.40.64.0/24", "10.40.80.0/24", name="quays")
    (old,) = world.ask(pool, prefix="10.40.80.0/26")
    (gone,) = world.ask(pool, prefix="10.40.80.128/26")
    world.do(give_back_subnet, gone.pk)
    world.do(reserve, ReservationRequest(pool=pool.pk, range=(4, *_span("10.40.80.64/27")), reason="pumps"))
    with pytest.raises(Refusal) as refused:
        world.do(remove_range, pool.pk, P("10.40.80.0/24"))
    told = {one["owner"]: one["mend"] for one in refused.value.conflicts}
    assert refused.value.code == "in-use"
    assert told[old.name].startswith(f"replace {old.name} by a subnet from another range")
    assert told[gone.name] == f"free {gone.name} at once, or wait until it has cooled"
    assert told["other-01"] == "give back reservation other-01"
    for ref in (P("10.40.64.0/25"), P("10.40.99.0/24")):
        with pytest.raises(Refusal, match="has no range"):
            world.do(remove_range, pool.pk, ref)
    world.do(give_back_subnet, gone.pk, at_once=True)
    from lentra.registry.models import Reservation
    from lentra.registry.operations.reservations.reserve import give_back_reservation

    world.do(give_back_reservation, Reservation.objects.get(pool=pool).pk)
    world.do(replace_subnet, old.pk, {"prefix": "10.40.64.0/26"})
    world.do(give_back_subnet, old.pk, at_once=True)
    world.do(remove_range, pool.pk, P("10.40.80.0/24"))
    assert [str(r.prefix) for r in Pool.objects.get(pk=pool.pk).ranges.all()] == ["10.40.64.0/24"]
    assert Space.objects.get(pool=pool, family=4).total == 256
    assert ("10.40.80.0/20", "free") in world.space(outer)
    with pytest.raises(Refusal, match="is the only range of pool quays"):
        world.do(remove_range, pool.pk, P("10.40.64.0/24"))
    entry = LedgerEntry.objects.filter(verb="remove range", subject=pool.pk).latest("number")
    world.do(undo, entry.number)
    assert Space.objects.get(pool=pool, family=4).total == 512


def _span(text):
    prefix = P(text)
    return prefix.first, prefix.last


def test_the_last_range_of_a_family_takes_the_family_along(world, holds):
    from lentra.registry.models import Space
    from lentra.registry.operations.pools.remove_range import remove_range

    pool = world.pool("10.40.64.0/24", "fd46:40::/48")
    world.do(remove_range, pool.pk, P("fd46:40::/48"))
    assert [space.family for space in Space.objects.filter(pool=pool)] == [4]
    with pytest.raises(Refusal, match="has no IPv6 range"):
        world.ask(pool, length=64, families=[6])


def test_gaps_are_all_that_is_free_with_what_lies_around_them(world):
    from lentra.registry.reports.gaps import gaps

    pool = world.pool("10.40.64.0/24", "10.40.65.0/24")
    rng = random.Random(4)
    blocks = [f"10.40.64.{n * 16}/28" for n in range(16) if rng.random() < 0.5]
    names = {text: world.ask(pool, prefix=text)[0].name for text in blocks}
    found = gaps(pool, 4, 0, 100)
    assert sum(int(gap["addresses"]) for gap in found) == 512 - 16 * len(blocks)
    assert found[-1]["range"] == "10.40.65.0/24"  # where a range ends, so does a gap
    assert [found[-1][side] for side in ("before", "after")] == [None, None]
    for gap in found[:-1]:
        for side in ("before", "after"):
            if gap[side]:
                assert gap[side]["owner"] == names[gap[side]["range"]]
    paged, start = [], 0
    while part := gaps(pool, 4, start, 2):
        paged, start = paged + part, part[-1]["start"] + 1
    assert paged == found
    assert all(int(gap["largest"][1:]) <= 26 for gap in gaps(pool, 4, 0, 100, length=26))


def test_a_request_keeps_away_from_what_it_is_told(world, holds):
    pool = world.pool("10.40.64.0/24")
    (one,) = world.ask(pool, prefix="10.40.64.0/28")
    (away,) = world.ask(pool, length=28, away_from=["10.40.64.0/26", "10.40.64.64/27"])
    assert str(away.blocks()[0]) == "10.40.64.96/28"
    shown = world.ask(pool, preview=True, length=28, away_from=[one.name, "10.40.64.16/28"])
    assert "away from 10.40.64.0/28, 10.40.64.16/28" in shown.why[0]
    with pytest.raises(Refusal, match="no /25 is free in pool pool away from 10.40.64.128/26") as refused:
        world.ask(pool, length=25, away_from=["10.40.64.128/26"])
    assert refused.value.suggestions == ["leave out away_from"]
    with pytest.raises(Refusal, match="not both"):
        world.ask(pool, prefix="10.40.64.48/28", away_from=["10.40.64.0/26"])


def test_several_places_of_one_pool_near_to_something(world):
    from lentra.registry.reports.candidates import candidates

    pool = world.pool("10.40.64.0/24")
    world.ask(pool, prefix="10.40.64.64/28")
    need = {
        "zone": world.zone,
        "region": None,
        "realm": world.realm,
        "family": 4,
        "hosts": None,
        "growth": 0,
        "length": 28,
    }
    found, _ = candidates(
        project=world.project, tier=world.tier, placement="low", pool=pool, each=3, beside="10.40.64.64/28", **need
    )
    assert {str(one.block) for one in found[:2]} == {"10.40.64.80/28", "10.40.64.48/28"}
    assert len({one.block for one in found}) == 3
    found, _ = candidates(
        project=world.project,
        tier=world.tier,
        placement="low",
        pool=pool,
        each=2,
        away_from=["10.40.64.0/26"],
        **need,
    )
    assert [str(one.block) for one in found] == ["10.40.64.80/28", "10.40.64.96/28"]


def test_an_exhausted_pool_tells_what_cools_what_is_reserved_and_what_compaction_would_bring(world):
    from lentra.registry.operations.reservations.reserve import ReservationRequest, reserve
    from lentra.registry.operations.subnets.give_back import give_back_subnet

    pool = world.pool("10.40.64.0/25", cooling_days=14)
    blocks = [world.ask(pool, prefix=f"10.40.64.{n * 32}/27")[0] for n in range(2)]
    world.do(
        reserve,
        ReservationRequest(pool=pool.pk, range=(4, *_span("10.40.64.64/28")), reason="pumps", kind="transit"),
    )
    world.ask(pool, prefix="10.40.64.96/28")
    world.do(give_back_subnet, blocks[0].pk)
    with pytest.raises(Refusal) as refused:
        world.ask(pool, length=27)
    words = refused.value.message
    assert "32 addresses cool, the first until 2026-03-15 08:00 UTC" in words
    assert "16 are reserved (transit-01)" in words
    assert "a /27 would fit if all that is free lay together" in words
    states = {one["state"]: one for one in refused.value.conflicts}
    assert states["cooling"]["owner"] == blocks[0].name
    assert states["cooling"]["until"] == datetime(2026, 3, 1, 8, tzinfo=UTC) + timedelta(days=14)
    assert states["reserved"]["reason"] == "pumps"


def test_a_range_that_its_pool_could_never_hand_out_of_is_refused(world):
    with pytest.raises(Refusal, match="too small for pool small, which hands out /26 at the smallest"):
        world.pool("10.40.64.0/27", name="small", longest_v4=26)
    for text in ("169.254.0.0/16", "127.0.0.0/16", "224.0.0.0/8"):
        with pytest.raises(Refusal, match="nothing could ever be handed out of it") as refused:
            world.pool(text, name="special")
        assert refused.value.suggestions[0].startswith("lift the keep-out of")
