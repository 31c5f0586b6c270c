"""Tiles: sums of what lies in a slot, kept by changes, equal to counting; cells of a view cover it once."""

from __future__ import annotations

from hypothesis import given
from hypothesis import strategies as st

from lentra.addressing.extents import Extent, MemoryExtents, State, carve, give_back
from lentra.addressing.placement import place
from lentra.addressing.prefix import Prefix, parse_prefix
from lentra.addressing.refusal import Refusal
from lentra.addressing.tiles import (
    Sums,
    TileChanges,
    TileStream,
    cells_of,
    has_tiles,
    outside,
    slot_length,
    slots_of,
    tile_lengths,
)

P = parse_prefix


class Watched(MemoryExtents):
    """Extents in memory that note what each change does to the tiles, as the database does."""

    def __init__(self, family: int, ranges: list[Prefix]) -> None:
        self.changes = TileChanges(family)
        self.tiles: dict[Prefix, Sums] = {}
        super().__init__(family, ranges)
        self.replace([], list(self))

    def replace(self, old, new):
        for extent in old:
            self.changes.count(extent, -1)
        for extent in new:
            self.changes.count(extent, +1)
        if self._by_first and old:
            super().replace(old, new)
        for tile, sums in self.changes.take():
            kept = self.tiles.setdefault(tile, Sums())
            for state, addresses in sums.addresses.items():
                kept.add(state, addresses, 0)
            kept.extents += sums.extents


@st.composite
def histories(draw):
    """A pool after any sequence of hand-outs and returns."""
    store = Watched(4, [P("10.40.0.0/16")])
    given_out: list[Extent] = []
    for _ in range(draw(st.integers(1, 30))):
        if given_out and draw(st.booleans()):
            back = given_out.pop(draw(st.integers(0, len(given_out) - 1)))
            give_back(store, [back])
            continue
        length, placement = draw(st.integers(17, 32)), draw(st.sampled_from(["snug", "low", "roomy"]))
        try:
            found = place(store, length, placement)
        except Refusal:
            continue
        state = draw(st.sampled_from([State.HANDED_OUT, State.RESERVED, State.ROOM, State.CARVED]))
        carve(store, found.block, state, 1, found.within)
        given_out.append(Extent(found.block, state, 1))
    return store


@given(histories(), st.integers(14, 30), st.integers(0, 65535))
def test_cells_cover_a_view_once_and_its_sums_are_the_extents(store, length, offset):
    pool = P("10.40.0.0/16")
    first = pool.first + (offset >> (32 - length) << (32 - length)) if length > 16 else pool.first
    view = Prefix(4, first >> (32 - length) << (32 - length), length)
    slot = slot_length(view)
    inside = [extent for extent in store if extent.prefix.overlaps(view)]
    wide = [extent for extent in inside if extent.prefix.length <= slot]
    kept = {
        tile.first: sums
        for tile, sums in store.tiles.items()
        if tile.length == slot and view.contains(tile) and sums.extents
    }
    counted = slots_of(view, inside)
    if has_tiles(4, slot):
        assert {f: (s.extents, s.total) for f, s in kept.items()} == {
            f: (s.extents, s.total) for f, s in counted.items()
        }
    cells = cells_of(view, wide, counted)
    address = max(view.first, pool.first)
    for cell in cells:
        assert cell.prefix.first == address, "no gap, no overlap"
        address += cell.prefix.size
        if cell.sums:
            assert cell.sums.total == cell.prefix.size
            assert cell.prefix.length == slot
    assert address == min(view.last, pool.last) + 1
    assert len(cells) <= 512


@given(histories())
def test_a_tile_counts_all_that_is_narrower_than_it(store):
    for tile, sums in store.tiles.items():
        narrower = [e for e in store if tile.contains(e.prefix) and e.prefix.length > tile.length]
        assert sums.extents == len(narrower)
        for state in State:
            wanted = sum(e.prefix.size for e in narrower if e.state is state)
            assert sums.addresses.get(state, 0) == wanted


@given(st.sampled_from([4, 6]), st.integers(0, 128))
def test_a_view_has_between_64_and_512_slots_until_single_addresses(family, length):
    bits = 32 if family == 4 else 128
    view = Prefix(family, 0, min(length, bits))
    slot = slot_length(view)
    assert slot == bits or 6 <= slot - view.length <= 9
    assert not has_tiles(family, slot) or slot in tile_lengths(family, slot + 1)


def test_what_is_outside_of_all_ranges():
    assert outside(P("10.40.0.0/14"), [P("10.40.0.0/16"), P("10.42.0.0/15")]) == [P("10.41.0.0/16")]
    assert outside(P("10.40.0.0/16"), [P("10.0.0.0/8")]) == []
    assert outside(P("10.40.0.0/16"), []) == [P("10.40.0.0/16")]


@given(histories())
def test_tiles_counted_in_one_pass_are_those_that_changes_kept(store):
    stream = TileStream(4)
    told = [tile for e in sorted(store) for tile in stream.add(e.prefix.first, e.prefix.length, int(e.state))]
    told += stream.end()
    counted = {Prefix(4, first, length): tally for length, first, tally in told}
    kept = {tile: sums for tile, sums in store.tiles.items() if sums.extents}
    assert len(counted) == len(told)
    assert counted == {
        tile: (sums.extents, *(sums.addresses.get(state, 0) for state in State)) for tile, sums in kept.items()
    }
    assert sum(stream.counted[1:]) == 1 << 16
    assert stream.free_counts == {n: c for n, c in store.free_counts().items() if c}
