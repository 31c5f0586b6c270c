"""The space of one pool in one family, partitioned into extents, behind a store protocol.

`carve` takes a prefix out of free space, `give_back` returns extents and joins free buddies. Both work on
any `ExtentStore`: `MemoryExtents` here, the database's store in the registry. Decisions about where a
block goes are in `placement`.
"""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from enum import IntEnum
from typing import Protocol

from sortedcontainers import SortedList

from lentra.addressing.prefix import BITS, Prefix, aggregate, prefixes_of_range, without
from lentra.addressing.refusal import KeptOut, OutsideParent, Overlaps


class State(IntEnum):
    """What an extent is used for. The numbers are stored: never change one."""

    FREE = 0
    HELD = 1
    HANDED_OUT = 2
    ROOM = 3
    RESERVED = 4
    COOLING = 5
    KEPT_OUT = 6
    CARVED = 7

    @property
    def word(self) -> str:
        """The state as it is shown: ``handed out``."""
        return self.name.lower().replace("_", " ")


@dataclass(frozen=True, slots=True, order=True)
class Extent:
    """An aligned part of a pool in exactly one state. `owner` is the number of the record that holds it."""

    prefix: Prefix
    state: State = State.FREE
    owner: int | None = None


class ExtentStore(Protocol):
    """Where the extents of one pool and family are kept. All prefixes are of `family`."""

    family: int

    def free_counts(self) -> Mapping[int, int]:
        """Number of free extents per length; lengths without any may be missing."""

    def lowest_free(self, lengths: Sequence[int], start: int = 0) -> list[Prefix]:
        """For each length, the lowest free extent of exactly that length at or after `start`, if any."""

    def highest_free(self, lengths: Sequence[int], end: int) -> list[Prefix]:
        """For each length, the highest free extent of exactly that length that starts before `end`."""

    def at(self, address: int) -> Extent | None:
        """The extent that holds the address; None outside the pool's ranges."""

    def overlapping(self, first: int, last: int) -> list[Extent]:
        """The extents that share an address with first..last, in order."""

    def free_starting_at(self, firsts: Sequence[int]) -> dict[int, Prefix]:
        """The free extents that start at one of the addresses, by first address."""

    def range_of(self, prefix: Prefix) -> Prefix | None:
        """The range of the pool that contains the prefix."""

    def replace(self, old: Sequence[Extent], new: Sequence[Extent]) -> None:
        """Put `new` where `old` was. Both cover exactly the same addresses."""


def carve(store: ExtentStore, prefix: Prefix, state: State, owner: int | None, within: Prefix) -> None:
    """Take `prefix` out of the free extent `within`; the rest of it stays free.

    Args:
        within: a free extent of the store that contains `prefix` (a placement says which).
    """
    rest = [Extent(piece) for piece in without(within, prefix)]
    store.replace([Extent(within)], sorted([Extent(prefix, state, owner), *rest]))


def carve_several(store: ExtentStore, within: Extent, taken: Sequence[Extent]) -> None:
    """Take several extents, in order and none over another, out of one around them; the rest of that stays what it is."""
    rest: list[Prefix] = []
    at = within.prefix.first
    for extent in taken:
        if at < extent.prefix.first:
            rest += prefixes_of_range(store.family, at, extent.prefix.first - 1)
        at = extent.prefix.last + 1
    if at <= within.prefix.last:
        rest += prefixes_of_range(store.family, at, within.prefix.last)
    pieces = sorted([*taken, *(Extent(prefix, within.state, within.owner) for prefix in rest)])
    store.replace([within], pieces)


def carve_range(store: ExtentStore, first: int, last: int, state: State, owner: int | None) -> list[Prefix]:
    """Take an arbitrary range, which must be free, out of free space; returns its fewest prefixes.

    Raises:
        Overlaps, OutsideParent: part of it is in use or in no range of the pool.
    """
    pieces = prefixes_of_range(store.family, first, last)
    for piece in pieces:
        carve(store, piece, state, owner, within=require_free(store, piece))
    return pieces


def carve_over_kept_out(store: ExtentStore, prefix: Prefix, state: State, owner: int | None) -> None:
    """Take `prefix` whole, although parts of it are kept out: for a pool, whose own space is kept out there.

    Raises:
        OutsideParent, Overlaps, KeptOut: it is in use, or kept out from end to end.
    """
    over = store.overlapping(prefix.first, prefix.last)
    states = {extent.state for extent in over}
    if states == {State.FREE, State.KEPT_OUT} and store.range_of(prefix):
        store.replace(over, [Extent(prefix, state, owner)])  # several aligned extents all lie inside
    else:
        carve(store, prefix, state, owner, within=require_free(store, prefix))


def require_free(store: ExtentStore, prefix: Prefix) -> Prefix:
    """The free extent that contains `prefix`.

    Raises:
        OutsideParent: no range of the pool contains it.
        Overlaps, KeptOut: with the extents in the way as conflicts (their states and addresses shared).
    """
    holder = store.at(prefix.first)
    if holder and holder.state is State.FREE and holder.prefix.contains(prefix):
        return holder.prefix
    if store.range_of(prefix) is None:
        raise OutsideParent(f"{prefix} lies in no range of the pool", received=prefix)
    in_the_way = [e for e in store.overlapping(prefix.first, prefix.last) if e.state is not State.FREE]
    conflicts = [
        {
            "range": str(extent.prefix),
            "state": extent.state.word,
            "addresses": min(extent.prefix.last, prefix.last) - max(extent.prefix.first, prefix.first) + 1,
        }
        for extent in in_the_way
    ]
    refusal = KeptOut if all(e.state is State.KEPT_OUT for e in in_the_way) else Overlaps
    shown = ", ".join(f"{c['range']} ({c['state']})" for c in conflicts[:3])
    more = f" and {len(conflicts) - 3} more" if len(conflicts) > 3 else ""
    raise refusal(f"{prefix} is not free: {shown}{more}", received=prefix, conflicts=conflicts)


def give_back(store: ExtentStore, extents: Iterable[Extent]) -> list[Prefix]:
    """Make extents free and join them with free buddies, never beyond a range of the pool.

    Returns:
        The free extents that result, in order.
    """
    by_range: dict[Prefix | None, list[Extent]] = {}
    for extent in extents:
        by_range.setdefault(store.range_of(extent.prefix), []).append(extent)
    result: list[Prefix] = []
    for limit, given in by_range.items():
        # Joined among themselves first: many neighbours cost one look around, not one each.
        wholes = aggregate([extent.prefix for extent in given])
        store.replace(given, [Extent(whole) for whole in wholes])
        if limit and len(wholes) > 1:  # one look for the buddies of all of them; each is asked for again below
            store.free_starting_at([first for whole in wholes for _, first in _buddies(whole, limit.length)])
        for whole in wholes:
            joined = _joined(store, whole, limit.length if limit else whole.length)
            result = [prefix for prefix in result if not joined.contains(prefix)]
            result.append(joined)
    return sorted(result)


def _joined(store: ExtentStore, whole: Prefix, shortest: int) -> Prefix:
    """Join a free extent with its free buddies, up to a prefix of length `shortest`."""
    # Every buddy that could join on the way up is known beforehand: one look for all of them.
    buddies = _buddies(whole, shortest)
    found = store.free_starting_at([first for _, first in buddies]) if buddies else {}
    taken = [Extent(whole)]
    for length, first in buddies:
        buddy = found.get(first)
        if buddy is None or buddy.length != length:
            break
        taken.append(Extent(buddy))
        whole = buddy.enclosing(length - 1)
    if len(taken) > 1:
        store.replace(taken, [Extent(whole)])
    return whole


def _buddies(whole: Prefix, shortest: int) -> list[tuple[int, int]]:
    """Length and first address of each buddy that a prefix could join with on the way up to a length."""
    bits = BITS[whole.family]
    return [
        (length, (whole.first >> (bits - length) ^ 1) << (bits - length))
        for length in range(whole.length, shortest, -1)
    ]


class MemoryExtents:
    """Extents in memory: for computing without a database, and as the measure of what a store must do.

    Args:
        family: 4 or 6.
        ranges: the pool's ranges, all free at first. None may overlap another.
    """

    def __init__(self, family: int, ranges: Iterable[Prefix]) -> None:
        self.family = family
        self._ranges = sorted(ranges)
        self._by_first: dict[int, Extent] = {}
        self._firsts = SortedList()
        self._free: dict[int, SortedList] = {}
        for prefix in self._ranges:
            self._add(Extent(prefix))

    def __iter__(self) -> Iterator[Extent]:
        return (self._by_first[first] for first in self._firsts)

    def free_counts(self) -> Mapping[int, int]:
        return {length: len(firsts) for length, firsts in self._free.items() if firsts}

    def free_of(self, length: int) -> Iterator[Prefix]:
        """The free extents of exactly that length, the lowest first."""
        return (Prefix(self.family, first, length) for first in self._free.get(length, ()))

    def lowest_free(self, lengths: Sequence[int], start: int = 0) -> list[Prefix]:
        found = []
        for length in lengths:
            firsts = self._free.get(length, ())
            at = firsts.bisect_left(start) if start and firsts else 0
            if at < len(firsts):
                found.append(Prefix(self.family, firsts[at], length))
        return found

    def highest_free(self, lengths: Sequence[int], end: int) -> list[Prefix]:
        found = []
        for length in lengths:
            firsts = self._free.get(length, ())
            at = firsts.bisect_left(end) if firsts else 0
            if at:
                found.append(Prefix(self.family, firsts[at - 1], length))
        return found

    def at(self, address: int) -> Extent | None:
        n = self._firsts.bisect_right(address)
        if not n:
            return None
        extent = self._by_first[self._firsts[n - 1]]
        return extent if address <= extent.prefix.last else None

    def overlapping(self, first: int, last: int) -> list[Extent]:
        start = max(0, self._firsts.bisect_right(first) - 1)
        end = self._firsts.bisect_right(last)
        candidates = (self._by_first[f] for f in self._firsts[start:end])
        return [extent for extent in candidates if extent.prefix.last >= first]

    def free_starting_at(self, firsts: Sequence[int]) -> dict[int, Prefix]:
        found = (self._by_first.get(first) for first in firsts)
        return {e.prefix.first: e.prefix for e in found if e and e.state is State.FREE}

    def range_of(self, prefix: Prefix) -> Prefix | None:
        n = bisect_right(self._ranges, Prefix(self.family, prefix.first, BITS[self.family]))
        candidate = self._ranges[n - 1] if n else None
        return candidate if candidate and candidate.contains(prefix) else None

    def replace(self, old: Sequence[Extent], new: Sequence[Extent]) -> None:
        for extent in old:
            self._remove(extent.prefix.first)
        for extent in new:
            self._add(extent)

    def _add(self, extent: Extent) -> None:
        first = extent.prefix.first
        self._by_first[first] = extent
        self._firsts.add(first)
        if extent.state is State.FREE:
            self._free.setdefault(extent.prefix.length, SortedList()).add(first)

    def _remove(self, first: int) -> None:
        extent = self._by_first.pop(first)
        self._firsts.remove(first)
        if extent.state is State.FREE:
            self._free[extent.prefix.length].remove(first)
