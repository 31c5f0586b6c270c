"""What was seen, held against what is recorded: one sorted sweep over both.

Blocks are what is recorded: they do not overlap. Ranges that were seen may lie anywhere, overlap, and come twice. Addresses
are whole numbers; a family is swept apart from the other.
"""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Iterator, Sequence
from dataclasses import dataclass

FREE, EQUAL, INSIDE, HOLDS, ACROSS = "free", "equal", "inside", "holds", "across"


@dataclass(frozen=True, slots=True)
class Match:
    """How a range that was seen lies to the blocks.

    `seen` is its place among what was seen; `blocks` the places of the blocks that it touches, which follow one another.
    `how`: ``free`` touches none; ``equal`` one, exactly; ``inside`` lies within one; ``holds`` has whole ones within it;
    ``across`` cuts at least one in two.
    """

    seen: int
    blocks: range
    how: str


def matches(seen: Sequence[tuple[int, int]], blocks: Sequence[tuple[int, int]]) -> Iterator[Match]:
    """How each range that was seen lies to the blocks, in the order of its first address.

    Args:
        seen: first and last of each, both included, in any order.
        blocks: first and last of each, in ascending order, none overlapping another.

    Cost: a sort of what was seen, a step for each, and two searches for each that touches more than one block; how many
    blocks a wide one touches does not count.
    """
    firsts = [first for first, _ in blocks]
    lasts = [last for _, last in blocks]
    end, place = len(blocks), 0
    for n in sorted(range(len(seen)), key=seen.__getitem__):
        first, last = seen[n]
        while place < end and lasts[place] < first:  # what begins later touches it no more
            place += 1
        if place == end or firsts[place] > last:
            yield Match(n, range(place, place), FREE)
            continue
        begins, ends = firsts[place], lasts[place]
        if begins <= first and last <= ends:
            how = EQUAL if (begins, ends) == (first, last) else INSIDE
            yield Match(n, range(place, place + 1), how)
            continue
        after = bisect_right(firsts, last, place)
        whole = begins >= first and lasts[after - 1] <= last
        yield Match(n, range(place, after), HOLDS if whole else ACROSS)


def unseen(found: Sequence[range], count: int) -> Iterator[int]:
    """The places of the blocks that no range touches.

    Args:
        found: the blocks that each range touches, as `matches` tells them.
        count: how many blocks there are.
    """
    begins = [0] * (count + 1)
    for touched in found:
        if touched:
            begins[touched.start] += 1
            begins[touched.stop] -= 1
    touching = 0
    for place in range(count):
        touching += begins[place]
        if not touching:
            yield place


def within(ranges: Sequence[tuple[int, int]], first: int, last: int) -> bool:
    """Whether one range of a sorted list, none overlapping another, has all of first..last in it."""
    place = bisect_right(ranges, (first, _ABOVE)) - 1
    return place >= 0 and ranges[place][1] >= last


def merged(ranges: Sequence[tuple[int, int]]) -> list[tuple[int, int]]:
    """Ranges in ascending order, those that overlap or touch as one."""
    joined: list[tuple[int, int]] = []
    for first, last in sorted(ranges):
        if joined and first <= joined[-1][1] + 1:
            joined[-1] = (joined[-1][0], max(last, joined[-1][1]))
        else:
            joined.append((first, last))
    return joined


_ABOVE = 1 << 129  # above every address
