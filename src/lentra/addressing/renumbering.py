"""Renumbering: from old blocks to new ones, and from old addresses to new ones.

A block keeps its offset from the start of its range where the target has that place free; what cannot is packed, the
largest first, where its addresses end as they did if there is such a place. An address keeps its offset in its block, so
that .37 stays .37, where the new block can have it there.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import date, timedelta
from itertools import islice

from lentra.addressing.address_map import Inside, next_free, refuse_address
from lentra.addressing.extents import Extent, MemoryExtents, State, carve
from lentra.addressing.layout import Laid, with_room
from lentra.addressing.packing import smallest_holding
from lentra.addressing.placement import place
from lentra.addressing.prefix import BITS, Prefix, address_text, aggregate, parse_range
from lentra.addressing.refusal import BadAddress, Exhausted

_OCTET = 24  # of IPv4: blocks that are longer share it with others
_LOOKED_AT = 64  # free extents of one length


@dataclass(frozen=True, slots=True)
class Old:
    """A block that is to move.

    Args:
        home: the range that its offset is counted from.
        length: length of the new block; `room` doublings are kept free behind that.
    """

    key: str
    block: Prefix
    home: Prefix
    length: int
    room: int = 0

    @property
    def footprint(self) -> int:
        """Length of the new block together with its room."""
        return max(0, self.length - self.room)


@dataclass(frozen=True, slots=True)
class Moved:
    """Where a block goes, the room behind it there, and whether its offset is the one that it had."""

    old: Old
    laid: Laid
    kept: bool


@dataclass(frozen=True, slots=True)
class Moves:
    """Where blocks go, in the order in which they were given, and those for which there is no place."""

    moved: list[Moved]
    left: list[Old]

    @property
    def missing(self) -> int:
        """How many addresses those need that have no place."""
        return sum(1 << (BITS[old.block.family] - old.footprint) for old in self.left)

    def wanted(self, family: int) -> int:
        """Length of a range that is all free and takes every block of a family."""
        every = [*(one.old for one in self.moved), *self.left]
        return smallest_holding(family, [old.footprint for old in every if old.block.family == family])


def move_blocks(olds: Sequence[Old], targets: Sequence[Prefix], free: Iterable[Prefix]) -> Moves:
    """Find a place for blocks of one family in the targets, the largest first.

    Args:
        targets: the ranges that they may go to; offsets are counted from the start of each.
        free: the free extents there, none beyond a target.
    """
    if not olds:
        return Moves([], [])
    space = MemoryExtents(olds[0].block.family, free)
    largest_first = sorted(range(len(olds)), key=lambda n: (olds[n].footprint, olds[n].block.first, n))
    found: dict[int, Moved] = {}
    for n in largest_first:
        if footprint := _at_its_offset(olds[n], targets, space):
            found[n] = _taken(olds[n], footprint, space, kept=True)
    for n in largest_first:
        if n in found:
            continue
        try:
            footprint = _ending_alike(olds[n], space) or place(space, olds[n].footprint).block
        except Exhausted:
            continue  # told with all that have no place
        found[n] = _taken(olds[n], footprint, space, kept=False)
    return Moves([found[n] for n in sorted(found)], [old for n, old in enumerate(olds) if n not in found])


def _at_its_offset(old: Old, targets: Sequence[Prefix], space: MemoryExtents) -> Prefix | None:
    """The place in a target that lies as far from its start as the block from that of its home, if it is free."""
    offset, size = old.block.first - old.home.first, 1 << (BITS[old.block.family] - old.footprint)
    for target in targets:
        if (target.first + offset) % size or offset + size > target.size:
            continue
        footprint = Prefix(target.family, target.first + offset, old.footprint)
        holder = space.at(footprint.first)
        if holder and holder.state is State.FREE and holder.prefix.contains(footprint):
            return footprint
    return None


def _ending_alike(old: Old, space: MemoryExtents) -> Prefix | None:
    """The snuggest place in which IPv4 addresses end as they did, so that .37 is .37 in another /24."""
    if old.block.family != 4 or old.footprint <= _OCTET:
        return None
    size = 1 << (BITS[4] - old.footprint)
    low = old.block.first & 255
    if low % size:
        return None
    for length in range(old.footprint, -1, -1):
        for within in islice(space.free_of(length), _LOOKED_AT):
            first = within.first & ~255 | low
            if within.first <= first and first + size - 1 <= within.last:
                return Prefix(4, first, old.footprint)
    return None


def _taken(old: Old, footprint: Prefix, space: MemoryExtents, *, kept: bool) -> Moved:
    holder = space.at(footprint.first)
    assert holder
    carve(space, footprint, State.HANDED_OUT, None, within=holder.prefix)
    return Moved(old, with_room(old.key, footprint, old.length), kept)


def taken_out(within: Iterable[Extent], taken: Iterable[Extent]) -> list[tuple[Extent, list[Extent]]]:
    """Extents to be taken, in order, each with the one around it: both in order of address."""
    around = iter(sorted(within))
    holder = next(around, None)
    found: list[tuple[Extent, list[Extent]]] = []
    for extent in sorted(taken):
        while holder and holder.prefix.last < extent.prefix.first:
            holder = next(around, None)
        if holder is None or not holder.prefix.contains(extent.prefix):
            raise ValueError(f"{extent.prefix} lies in none of them")
        if not found or found[-1][0] != holder:
            found.append((holder, []))
        found[-1][1].append(extent)
    return found


def move_addresses(old: Prefix, inside: Inside, addresses: Mapping[int, bool]) -> dict[int, int | None]:
    """Where addresses of a block go in its new one: at the same offset, or else the next that is free there.

    Args:
        inside: the new block, with what is fixed in it.
        addresses: each with whether it may be one that is withheld: a gateway's, a DHCP service's.

    Returns:
        None for those that it has no place for.
    """
    found: dict[int, int | None] = {}
    without_place: list[int] = []
    for address, fixed in sorted(addresses.items()):
        new = inside.block.first + address - old.first
        try:
            refuse_address(inside, new, gateway=fixed)
        except BadAddress:
            without_place.append(address)
            continue
        if new in inside.fixed and not fixed:
            without_place.append(address)
            continue
        found[address] = new
    taken = [new for new in found.values() if new is not None]
    for n, address in enumerate(without_place):
        try:
            found[address] = next_free(inside, taken)[0]
            taken.append(found[address])  # type: ignore[arg-type]
        except Exhausted:
            found |= dict.fromkeys(without_place[n:])
            break
    return found


def moved_text(text: str, olds: Sequence[Prefix], news: Sequence[Prefix]) -> str | None:
    """An address or range at the same offset of the block that takes the place of its own; None where that is too small.

    Args:
        news: for each of `olds`, the block that takes its place.
    """
    family, first, last = parse_range(text)
    for old, new in zip(olds, news, strict=True):
        if old.family == family and old.first <= first <= old.last:
            offsets = [address - old.first for address in (first, last)]
            if offsets[1] >= new.size - (1 if family == 4 and new.length < 31 else 0):
                return None
            texts = [address_text(family, new.first + offset) for offset in offsets]
            return texts[0] if first == last else "-".join(texts)
    return None


def likely_end(begun: date, today: date, done: int, total: int) -> date | None:
    """The day on which all will have moved at the pace until now; None before anything has, today once all have.

    >>> likely_end(date(2026, 11, 1), date(2026, 11, 11), 20, 60)
    datetime.date(2026, 12, 1)
    """
    if done >= total:
        return today
    days = max(1, (today - begun).days)
    if done <= 0:
        return None
    return today + timedelta(days=-(-(total - done) * days // done))


@dataclass(frozen=True, slots=True)
class Route:
    """A prefix that is routed before, during, or after a move, or in several of these."""

    phase: str
    prefix: Prefix


PHASES = ("before", "during", "after")


def routes_of(olds: Iterable[Prefix], news: Iterable[Prefix]) -> list[Route]:
    """What is routed before, while both sides live, and after: the fewest prefixes of each."""
    one, other = list(olds), list(news)
    phases = zip(PHASES, (one, one + other, other), strict=True)
    return [Route(phase, prefix) for phase, prefixes in phases for prefix in aggregate(prefixes)]
