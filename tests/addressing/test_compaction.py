"""Compaction: what is proposed really makes the wanted length fit, and nothing cheaper would."""

from __future__ import annotations

from itertools import combinations

from hypothesis import given, settings
from hypothesis import strategies as st

from lentra.addressing.compaction import clearings, largest_possible
from lentra.addressing.extents import Extent, MemoryExtents, State, carve, give_back
from lentra.addressing.placement import place, place_exact
from lentra.addressing.prefix import parse_prefix
from lentra.addressing.refusal import Refusal

P = parse_prefix
POOL = P("10.40.0.0/26")


def store_of(blocks: dict[str, State]) -> MemoryExtents:
    store = MemoryExtents(4, [POOL])
    for n, (text, state) in enumerate(blocks.items(), 1):
        found = place_exact(store, P(text))
        carve(store, found.block, state, n, found.within)
    return store


def advice(store: MemoryExtents, length: int):
    return clearings(list(store), [POOL], length, store.free_counts())


def carried_out(store: MemoryExtents, clearing) -> None:
    """Move the blocks of a stretch away, as the advice says."""
    for extent in sorted(clearing.blocks, key=lambda e: e.prefix.length):
        give_back(store, [extent])
    for extent in clearing.room:
        give_back(store, [extent])
    found = place_exact(store, clearing.prefix)
    carve(store, found.block, State.HANDED_OUT, 99, found.within)
    for extent in sorted(clearing.blocks, key=lambda e: e.prefix.length):
        found = place(store, extent.prefix.length)
        carve(store, found.block, extent.state, extent.owner, found.within)


def test_the_cheapest_stretch_is_cleared_first():
    blocks = {f"10.40.0.{n}/30": State.HANDED_OUT for n in (0, 16, 20, 32, 48)}
    found = advice(store_of(blocks), 28)
    # Each stretch has a block; the one with two costs twice as much and comes last of all four.
    assert [str(c.prefix) for c in found] == ["10.40.0.0/28", "10.40.0.32/28", "10.40.0.48/28"]
    assert [c.cost for c in found] == [4, 4, 4]


def test_what_cannot_move_is_left_and_room_costs_nothing():
    found = advice(
        store_of(
            {
                "10.40.0.0/30": State.RESERVED,
                "10.40.0.16/30": State.KEPT_OUT,
                "10.40.0.32/30": State.ROOM,
                "10.40.0.48/30": State.HANDED_OUT,
            }
        ),
        28,
    )
    assert [(str(c.prefix), c.cost, len(c.room)) for c in found] == [
        ("10.40.0.32/28", 0, 1),
        ("10.40.0.48/28", 4, 0),
    ]


def test_there_is_no_advice_where_it_fits_already_or_nothing_would_take_the_blocks():
    assert advice(store_of({"10.40.0.0/30": State.HANDED_OUT}), 28) == []
    full = store_of({f"10.40.0.{n}/29": State.HANDED_OUT for n in (0, 16, 32, 40, 48, 56)})
    assert advice(full, 27) == []  # two blocks would have to go into the very space that they make
    assert [(str(c.prefix), c.cost) for c in advice(full, 28)][:2] == [("10.40.0.0/28", 8), ("10.40.0.16/28", 8)]
    assert largest_possible(32, 4) == 27
    assert largest_possible(0, 4) is None


@st.composite
def scattered(draw):
    store = MemoryExtents(4, [POOL])
    for n in range(draw(st.integers(1, 14))):
        length = draw(st.integers(28, 32))
        placement = draw(st.sampled_from(["roomy", "low", "snug"]))
        try:
            found = place(store, length, placement)
        except Refusal:
            break
        state = draw(st.sampled_from([State.HANDED_OUT] * 4 + [State.ROOM, State.RESERVED]))
        carve(store, found.block, state, n + 1, found.within)
    return store


@given(scattered(), st.integers(27, 30))
@settings(max_examples=150)
def test_advice_can_be_carried_out_and_no_other_stretch_is_cheaper(store, length):
    before = {extent.owner: extent.state for extent in store if extent.state is State.HANDED_OUT}
    found = advice(store, length)
    for one, other in combinations(found, 2):
        assert one.cost <= other.cost
    for stretch in POOL.children(length):
        inside = [e for e in store if stretch.contains(e.prefix) and e.state is not State.FREE]
        cost = sum(e.prefix.size for e in inside if e.state is State.HANDED_OUT)
        movable = all(e.state in (State.HANDED_OUT, State.ROOM) for e in inside)
        wide = any(e.prefix.contains(stretch) for e in store)
        if found and movable and not wide and cost < found[0].cost:
            # Cheaper, but its blocks fit nowhere else.
            extents = [Extent(e.prefix, e.state, e.owner) for e in inside]
            trial = MemoryExtents(4, [POOL])
            for extent in store:
                if extent.state is not State.FREE:
                    place_ = place_exact(trial, extent.prefix)
                    carve(trial, extent.prefix, extent.state, extent.owner, place_.within)
            give_back(trial, extents)
            target = place_exact(trial, stretch)
            carve(trial, stretch, State.RESERVED, 99, target.within)
            try:
                for extent in sorted(extents, key=lambda e: e.prefix.length):
                    if extent.state is State.HANDED_OUT:
                        there = place(trial, extent.prefix.length)
                        carve(trial, there.block, extent.state, extent.owner, there.within)
            except Refusal:
                continue
            raise AssertionError(f"{stretch} costs {cost}, {found[0].prefix} {found[0].cost}")
    if found:
        carried_out(store, found[0])
        after = {e.owner: e.state for e in store if e.state is State.HANDED_OUT and e.owner != 99}
        assert after == before
