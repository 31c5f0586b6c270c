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
    events = sorted(
        [(r.family, r.first, 0, n, r) for n, r in enumerate(left)]
        + [(r.family, r.first, 1, n, r) for n, r in enumerate(right)],
        key=lambda event: event[:4],
    )
    waiting: tuple[list[tuple[int, int, int, Range[Owner]]], list[tuple[int, int, int, Range[Owner]]]]
    waiting = ([], [])
    for n, (family, first, side, _, current) in enumerate(events):
        for heap in waiting:
            while heap and (heap[0][0] < family or (heap[0][0] == family and heap[0][1] < first)):
                heappop(heap)
        for _, last, _, other in waiting[1 - side]:
            a, b = (current, other) if side == 0 else (other, current)
            shared = min(last, current.last) - first + 1
            yield Clash(a, b, shared, relation(a.first, a.last, b.first, b.last))
        heappush(waiting[side], (family, current.last, n, current))
