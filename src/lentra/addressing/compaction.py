"""Compaction: which few blocks to move so that a block of a wanted length fits again.

A pool may be half free and still unable to give one wide block. A stretch of the wanted length can be cleared if it holds
nothing but free space, blocks and the room behind them, and if the free space outside of it takes up the blocks.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass
from heapq import nsmallest

from lentra.addressing.extents import Extent, State
from lentra.addressing.forecast import take
from lentra.addressing.prefix import BITS, Prefix, containing, without

_MOVABLE = (State.HANDED_OUT, State.ROOM)
_LOOKED_AT = 200


@dataclass(frozen=True, slots=True)
class Clearing:
    """A stretch that can be cleared, and what has to go: blocks to move elsewhere, and room to give up."""

    prefix: Prefix
    blocks: tuple[Extent, ...]
    room: tuple[Extent, ...]

    @property
    def cost(self) -> int:
        """Addresses in the blocks to move."""
        return sum(extent.prefix.size for extent in self.blocks)


def clearings(
    extents: Iterable[Extent], ranges: Iterable[Prefix], length: int, free_counts: Mapping[int, int], most: int = 3
) -> list[Clearing]:
    """The cheapest stretches of `length` to clear: the fewest addresses to move, then the fewest blocks, then the lowest.

    Args:
        extents: all extents of a pool and family in order of address; they are looked at once.
        ranges: the pool's ranges: a stretch lies in one of them.
        free_counts: free extents per length, of the same pool.
        most: how many to tell.

    Returns:
        none where a stretch is free already (nothing need be moved), or where none can be cleared.
    """
    if any(count and n <= length for n, count in free_counts.items()):
        return []
    wide = [prefix for prefix in ranges if prefix.length <= length]
    candidates = (
        found for found in _stretches(extents, length) if any(prefix.contains(found.prefix) for prefix in wide)
    )
    cheapest = nsmallest(_LOOKED_AT, candidates, key=lambda c: (c.cost, len(c.blocks), c.prefix.first))
    return [c for c in cheapest if _fits_elsewhere(c, free_counts)][:most]


def _stretches(extents: Iterable[Extent], length: int) -> Iterator[Clearing]:
    """Every stretch of a length that holds nothing but what can go."""
    current: Prefix | None = None
    inside: list[Extent] = []
    movable = True
    for extent in extents:
        if extent.prefix.length <= length:
            continue  # as wide as the stretch itself: moving it would win nothing
        stretch = containing(extent.prefix.family, extent.prefix.first, length)
        if stretch != current:
            if current and movable:
                yield _clearing(current, inside)
            current, inside, movable = stretch, [], True
        movable = movable and (extent.state is State.FREE or extent.state in _MOVABLE)
        if extent.state in _MOVABLE:
            inside.append(extent)
    if current and movable:
        yield _clearing(current, inside)


def _clearing(stretch: Prefix, inside: list[Extent]) -> Clearing:
    return Clearing(
        stretch,
        tuple(extent for extent in inside if extent.state is State.HANDED_OUT),
        tuple(extent for extent in inside if extent.state is State.ROOM),
    )


def _fits_elsewhere(clearing: Clearing, free_counts: Mapping[int, int]) -> bool:
    """True if the blocks fit into the free space outside of the stretch, each placed snugly, the widest first."""
    counts = dict(free_counts)
    for piece in _free_inside(clearing):
        counts[piece.length] -= 1
    return all(
        take(counts, extent.prefix.length) for extent in sorted(clearing.blocks, key=lambda e: e.prefix.length)
    )


def _free_inside(clearing: Clearing) -> list[Prefix]:
    """The free extents of a stretch: what its blocks and room leave, which is joined as far as it goes."""
    pieces = [clearing.prefix]
    for extent in (*clearing.blocks, *clearing.room):
        at = next(n for n, piece in enumerate(pieces) if piece.contains(extent.prefix))
        pieces[at : at + 1] = without(pieces[at], extent.prefix)
    return pieces


def largest_possible(total_free: int, family: int) -> int | None:
    """The widest length that the free space could give if it lay together; None with nothing free.

    >>> largest_possible(1664, 4)
    22
    """
    return BITS[family] - (total_free.bit_length() - 1) if total_free else None
