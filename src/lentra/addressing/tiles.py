"""Tiles: what a map of space shows at a zoom, however many extents there are.

A view is one prefix. It is drawn in cells: aligned prefixes of the slot length of the view, or wider extents as they are. A
slot that holds several extents is told by sums. The sums are kept per tile, at every fourth length, so that a view
of a million extents costs what a view of a hundred does.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass, field

from lentra.addressing.extents import Extent, State
from lentra.addressing.prefix import BITS, Prefix, containing, without

STEP = 4
_LEAST_BITS = 6  # a view is at least 2**6 and at most 2**9 slots wide
_WIDEST = {4: 12, 6: 32}  # the widest tiles that are kept


@dataclass(slots=True)
class Sums:
    """Addresses by state, and the number of extents, of those that lie inside a tile."""

    addresses: dict[State, int] = field(default_factory=dict)
    extents: int = 0

    def add(self, state: State, addresses: int, extents: int) -> None:
        """Count extents of one state (negative: take them away again)."""
        self.addresses[state] = self.addresses.get(state, 0) + addresses
        self.extents += extents

    @property
    def total(self) -> int:
        """Addresses of all states."""
        return sum(self.addresses.values())


@dataclass(frozen=True, slots=True)
class Cell:
    """A piece of the map: a whole extent (`extent`), or a slot with the sums of what lies in it (`sums`)."""

    prefix: Prefix
    extent: Extent | None = None
    sums: Sums | None = None


def slot_length(view: Prefix) -> int:
    """The length of the slots of a view: the first multiple of four that is six bits or more below it.

    >>> from lentra.addressing.prefix import parse_prefix
    >>> slot_length(parse_prefix("10.40.0.0/16")), slot_length(parse_prefix("10.40.0.0/29"))
    (24, 32)
    """
    return min(-(-(view.length + _LEAST_BITS) // STEP) * STEP, view.bits)


def tile_lengths(family: int, length: int) -> range:
    """The lengths of the tiles that count an extent of `length`: every fourth one that is shorter.

    >>> list(tile_lengths(4, 26)), list(tile_lengths(6, 48))
    ([12, 16, 20, 24], [32, 36, 40, 44])
    """
    return range(_WIDEST[family], length, STEP)


def has_tiles(family: int, length: int) -> bool:
    """True if sums are kept for slots of `length`; else they are counted from the extents."""
    return length >= _WIDEST[family] and length % STEP == 0 and length < BITS[family]


class TileChanges:
    """What a change of extents does to the tiles around them."""

    def __init__(self, family: int) -> None:
        self._family = family
        self._changed: dict[tuple[int, int], Sums] = {}

    def count(self, extent: Extent, sign: int) -> None:
        """An extent has come (+1) or gone (-1)."""
        prefix, bits = extent.prefix, BITS[self._family]
        for length in tile_lengths(self._family, prefix.length):
            first = prefix.first >> (bits - length) << (bits - length)
            sums = self._changed.get((length, first))
            if sums is None:
                sums = self._changed[length, first] = Sums()
            sums.add(extent.state, sign * prefix.size, sign)

    def take(self) -> Iterator[tuple[Prefix, Sums]]:
        """The tiles that differ from before, with the differences; after that nothing is noted any more."""
        changed, self._changed = self._changed, {}
        for (length, first), sums in changed.items():
            if sums.extents or any(sums.addresses.values()):
                yield Prefix(self._family, first, length), sums


Tally = tuple[int, ...]  # extents, then addresses by state


class TileStream:
    """Tiles counted from extents that come in order of address: each is given as soon as nothing more can lie in it.

    What has passed is counted once, for all tiles: a tile's own sums are what was counted since it began.

    Attributes:
        counted: all that has passed: extents, then addresses by state.
        free_counts: free extents by length.
    """

    def __init__(self, family: int) -> None:
        self._bits = BITS[family]
        self._lengths = [list(tile_lengths(family, length)) for length in range(self._bits + 1)]
        # Length -> first and last address, what was counted before.
        self._open: dict[int, tuple[int, int, Tally]] = {}
        self._inside = (-1, -1, -1)  # first and last address of the narrowest open tile, and its length
        self.counted = [0] * (1 + len(State))
        self.free_counts: dict[int, int] = {}

    def add(self, first: int, length: int, state: int) -> list[tuple[int, int, Tally]]:
        """The next extent; returns the tiles that are complete by now: length, first address, sums."""
        lengths = self._lengths[length]
        done: list[tuple[int, int, Tally]] = []
        start, last, narrowest = self._inside
        if not (start <= first <= last and lengths and lengths[-1] == narrowest):
            done = self._turn(first, lengths)
        counted = self.counted
        counted[0] += 1
        counted[1 + state] += 1 << (self._bits - length)
        if state == State.FREE:
            self.free_counts[length] = self.free_counts.get(length, 0) + 1
        return done

    def end(self) -> list[tuple[int, int, Tally]]:
        """The tiles that are still open: there are no more extents."""
        return self._turn(1 << self._bits, [])

    def _turn(self, first: int, lengths: list[int]) -> list[tuple[int, int, Tally]]:
        """Close the tiles that end before an address, and open those that begin around it."""
        now = tuple(self.counted)
        done = []
        for length, (start, last, before) in list(self._open.items()):
            if last < first:
                done.append((length, start, tuple(n - was for n, was in zip(now, before, strict=True))))
                del self._open[length]
        for length in lengths:
            if length not in self._open:
                shift = self._bits - length
                start = first >> shift << shift
                self._open[length] = start, start + (1 << shift) - 1, now
        if lengths:
            self._inside = (*self._open[lengths[-1]][:2], lengths[-1])
        else:
            self._inside = (-1, -1, -1)
        return done


def cells_of(view: Prefix, wide: Iterable[Extent], tiles: Mapping[int, Sums]) -> list[Cell]:
    """The cells of a view, in order of address. They never overlap.

    Args:
        wide: the extents in the view that are a slot wide or wider; one wider than the view is cut to it.
        tiles: the sums of the narrower ones, by the first address of their slot.
    """
    length = slot_length(view)
    cells = [
        Cell(view if extent.prefix.contains(view) else extent.prefix, extent=extent)
        for extent in wide
        if extent.prefix.overlaps(view)
    ]
    cells += [Cell(Prefix(view.family, first, length), sums=sums) for first, sums in tiles.items() if sums.extents]
    return sorted(cells, key=lambda cell: cell.prefix.first)


def slots_of(view: Prefix, extents: Iterable[Extent]) -> dict[int, Sums]:
    """Sums of the extents narrower than a slot, counted one by one."""
    length = slot_length(view)
    slots: dict[int, Sums] = {}
    for extent in extents:
        if extent.prefix.length > length:
            first = containing(view.family, extent.prefix.first, length).first
            slots.setdefault(first, Sums()).add(extent.state, extent.prefix.size, 1)
    return slots


def outside(view: Prefix, ranges: Iterable[Prefix]) -> list[Prefix]:
    """What of a view lies in none of the ranges, as the fewest prefixes, in order."""
    left = [view]
    for inner in ranges:
        kept: list[Prefix] = []
        for piece in left:
            if inner.contains(piece):
                continue
            kept += without(piece, inner) if piece.contains(inner) else [piece]
        left = kept
    return sorted(left)


def branches_of(view: Prefix, cells: Iterable[Cell], free: Mapping[Prefix, int]) -> dict[Prefix, tuple[int, int]]:
    """The prefixes from the view down to the cells that are divided: each with its (free, all) addresses.

    Args:
        cells: cover (parts of) the view, none twice.
        free: free addresses of each cell, by its prefix.
    """
    found: dict[Prefix, tuple[int, int]] = {}
    for cell in cells:
        for length in range(view.length, cell.prefix.length):
            branch = cell.prefix.enclosing(length)
            known = found.get(branch, (0, 0))
            found[branch] = (known[0] + free[cell.prefix], known[1] + cell.prefix.size)
    return found
