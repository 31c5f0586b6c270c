"""Dividing a block: equal splits, and blocks of mixed sizes packed largest first.

Blocks whose sizes are powers of two pack without a gap when the largest come first, so the sum of the sizes
says whether they fit; equal ones keep the order in which they were written down.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from heapq import heappop, heappush
from itertools import groupby
from operator import itemgetter
from typing import TypeVar

from lentra.addressing.prefix import BITS, Prefix, aggregate, prefixes_of_range
from lentra.addressing.refusal import Exhausted, LengthOutOfBounds, Refusal

MOST_PARTS = 1 << 16

Taker = TypeVar("Taker")


@dataclass(frozen=True, slots=True)
class Split:
    """Equal parts of a block: `count` prefixes of `length`, of which `spare` were not asked for."""

    block: Prefix
    length: int
    count: int
    spare: int

    def parts(self, most: int | None = None) -> list[Prefix]:
        """The parts in order, at most so many."""
        shown = self.count if most is None else min(self.count, most)
        return [self.block.child(self.length, n) for n in range(shown)]

    def taken(self, spans: Iterable[tuple[int, int, Taker]], most: int) -> tuple[int, dict[int, Taker]]:
        """How many parts share an address with spans, and the first taker of each of the first `most` parts, by number.

        Args:
            spans: first and last address, inside the block, and whose; in order, they may overlap.
        """
        shift = self.block.bits - self.length
        count, after, takers = 0, 0, {}  # parts before `after` are counted
        for first, last, taker in spans:
            low, high = (address - self.block.first >> shift for address in (first, last))
            low = max(low, after)
            takers.update(dict.fromkeys(range(low, min(high + 1, most)), taker))
            count += max(0, high + 1 - low)
            after = max(after, high + 1)
        return count, takers


@dataclass(frozen=True, slots=True)
class Packed:
    """A block given to a need, by the need's key."""

    key: str
    block: Prefix


@dataclass(frozen=True, slots=True)
class Packing:
    """What went where, in order of address, and what is left over as the fewest prefixes."""

    placed: list[Packed]
    left: list[Prefix]

    @property
    def left_over(self) -> int:
        """Addresses left over."""
        return sum(prefix.size for prefix in self.left)


def split_into(block: Prefix, parts: int) -> Split:
    """Split into at least `parts` equal prefixes: the next power of two.

    >>> from lentra.addressing.prefix import parse_prefix
    >>> split = split_into(parse_prefix("10.40.64.0/20"), 6)
    >>> split.length, split.count, split.spare
    (23, 8, 2)

    Raises:
        LengthOutOfBounds: the block has fewer addresses than parts are asked for.
    """
    most = min(block.size, MOST_PARTS)
    if not 1 <= parts <= most:
        raise LengthOutOfBounds(
            f"{block} cannot be split into {parts:,}: 1 to {most:,} parts",
            field="into",
            received=parts,
            suggestions=[max(1, min(parts, most))],
        )
    steps = (parts - 1).bit_length()
    return Split(block, block.length + steps, 1 << steps, (1 << steps) - parts)


def split_to_length(block: Prefix, length: int) -> Split:
    """Split into all prefixes of `length`.

    Raises:
        LengthOutOfBounds: the length is shorter than the block's, or there would be too many parts.
    """
    longest = min(BITS[block.family], block.length + MOST_PARTS.bit_length() - 1)
    if not block.length <= length <= longest:
        raise LengthOutOfBounds(
            f"{block} cannot be split into /{length}: /{block.length} to /{longest}",
            field="length",
            received=f"/{length}",
            suggestions=[f"/{max(block.length, min(length, longest))}"],
        )
    return Split(block, length, 1 << (length - block.length), 0)


def smallest_holding(family: int, lengths: Iterable[int]) -> int:
    """Length of the smallest prefix that holds a block of each length.

    >>> smallest_holding(4, [23, 23, 23])
    21
    """
    total = sum(1 << (BITS[family] - length) for length in lengths)
    return BITS[family] - (total - 1).bit_length() if total else BITS[family]


def pack(block: Prefix, needs: Sequence[tuple[str, int]], free: Sequence[Prefix] | None = None) -> Packing:
    """Place a block for each need (key, length) in `block`, largest first; equal ones in the order given.

    Args:
        free: the parts of `block` that are free, in order; all of it if None.

    Raises:
        Exhausted: they do not fit; says which, the shortfall, and the smallest block that would do.
        Refusal: a length is not one of the family.
    """
    bits = BITS[block.family]
    for key, length in needs:
        if not 0 <= length <= bits:
            raise Refusal(
                f"{key}: /{length} is no IPv{block.family} prefix length", field="needs", received=length
            )
    gaps = _Gaps(block.family, [block] if free is None else free)
    placed: list[Packed] = []
    unplaced: list[tuple[str, int]] = []
    for length, same in groupby(sorted(needs, key=itemgetter(1)), key=itemgetter(1)):
        rest = list(same)
        while rest and (found := gaps.snuggest(length)):
            # What is left of a gap is longer than all other gaps that fit: the next ones go right behind.
            first, last = found
            size = 1 << (bits - length)
            fitting = min(len(rest), (last + 1 - first) // size)
            placed += [
                Packed(key, Prefix(block.family, first + n * size, length))
                for n, (key, _) in enumerate(rest[:fitting])
            ]
            rest = rest[fitting:]
            gaps.add(prefixes_of_range(block.family, first + fitting * size, last))
        unplaced += rest
    if unplaced:
        raise _does_not_fit(block, needs, unplaced, sum(gap.size for gap in ([block] if free is None else free)))
    return Packing(placed, aggregate(gaps.left()))


class _Gaps:
    """Free prefixes by length, the lowest of each at hand."""

    def __init__(self, family: int, free: Iterable[Prefix]) -> None:
        self._family = family
        self._firsts: dict[int, list[int]] = {}
        self.add(free)

    def add(self, free: Iterable[Prefix]) -> None:
        """More of them."""
        for prefix in free:
            heappush(self._firsts.setdefault(prefix.length, []), prefix.first)

    def snuggest(self, length: int) -> tuple[int, int] | None:
        """Take the lowest of the longest that hold a block of a length: its first and last address."""
        best = max((n for n, firsts in self._firsts.items() if firsts and n <= length), default=None)
        if best is None:
            return None
        first = heappop(self._firsts[best])
        return first, first + (1 << (BITS[self._family] - best)) - 1

    def left(self) -> list[Prefix]:
        """All that are left."""
        return [Prefix(self._family, first, n) for n, firsts in self._firsts.items() for first in firsts]


def _does_not_fit(
    block: Prefix, needs: Sequence[tuple[str, int]], unplaced: Sequence[tuple[str, int]], free: int
) -> Exhausted:
    """The refusal of needs that do not fit: which, and by how much."""
    bits = BITS[block.family]
    total = sum(1 << (bits - length) for _, length in needs)
    least = smallest_holding(block.family, (length for _, length in needs))
    names = ", ".join(f"{key} (/{length})" for key, length in unplaced[:8])
    more = f" and {len(unplaced) - 8} more" if len(unplaced) > 8 else ""
    of = "has" if free == block.size else "has free:"
    if total > free:
        words = f"{block} {of} {free:,} addresses, {total:,} are needed: {total - free:,} are missing, and "
    else:
        words = (
            f"{block} {of} {free:,} addresses, enough for the {total:,} that are needed, but not lying together: "
        )
    return Exhausted(
        f"{words}a /{least} is the smallest block that would do; no place is left for {names}{more}",
        field="inside",
        received=block,
        conflicts=[
            {
                "range": key,
                "kind": "need",
                "addresses": 1 << (bits - length),
                "why": f"no /{length} is left for it",
            }
            for key, length in unplaced[:50]
        ],
        suggestions=[f"/{least}"],
    )
