"""Clashes between sets of ranges, found by one sorted sweep."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from heapq import heappop, heappush
from typing import Generic, TypeVar

Owner = TypeVar("Owner")


@dataclass(frozen=True, slots=True)
class Range(Generic[Owner]):
    """first..last (both included, whole numbers) of one family, and whose it is."""

    family: int
    first: int
    last: int
    owner: Owner


@dataclass(frozen=True, slots=True)
class Clash(Generic[Owner]):
    """Two ranges that share addresses, how many, and how they lie to each other."""

    left: Range[Owner]
    right: Range[Owner]
    shared: int
    how: str


def relation(a_first: int, a_last: int, b_first: int, b_last: int) -> str:
    """How range a lies to range b: free, equal, inside, contains or overlaps."""
    if a_last < b_first or b_last < a_first:
        return "free"
    if (a_first, a_last) == (b_first, b_last):
        return "equal"
    if b_first <= a_first and a_last <= b_last:
        return "inside"
    if a_first <= b_first and b_last <= a_last:
        return "contains"
    return "overlaps"


def clashes(left: Iterable[Range[Owner]], right: Iterable[Range[Owner]]) -> Iterator[Clash[Owner]]:
    """Every pair of one range from each side that share an address, in order of the later start.

    Ranges of one side may overlap each other. Cost: a sort, and one step per range and clash.
    """
    ranges = list(left)
    middle = len(ranges)
    ranges += right
    # By family, first address, side, and the place in the list: as one number each, which sorts fastest.
    keys = [(r.family << 128 | r.first) << 1 | (n >= middle) for n, r in enumerate(ranges)]
    waiting: tuple[list[tuple[int, int, Range[Owner]]], list[tuple[int, int, Range[Owner]]]] = ([], [])
    in_family = 0
    for n in sorted(range(len(ranges)), key=keys.__getitem__):
        current = ranges[n]
        first, last, side = current.first, current.last, int(n >= middle)
        if current.family != in_family:
            in_family = current.family
            waiting = ([], [])
        for heap in waiting:
            while heap and heap[0][0] < first:
                heappop(heap)
        for other_last, _, other in waiting[1 - side]:
            a, b = (current, other) if side == 0 else (other, current)
            shared = (other_last if other_last < last else last) - first + 1
            yield Clash(a, b, shared, relation(a.first, a.last, b.first, b.last))
        heappush(waiting[side], (last, n, current))
