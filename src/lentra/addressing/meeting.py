"""Realms that are joined by links: which addresses of two realms meet, and which of the two may hand them out.

Two realms meet at an address if somebody can reach that of either: one of the two, or a third realm that sees both. A link
lets either side see all addresses of the other, or chosen ones. What was seen over a link goes on to further realms only
over links that pass on, both of them; what a side shows on the way bounds what goes on.
"""

from __future__ import annotations

from bisect import bisect_left
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from itertools import combinations
from operator import itemgetter

from lentra.addressing.matching import merged
from lentra.addressing.prefix import BITS

Spans = list[tuple[int, int]]  # first and last of each, in ascending order, none touching another
Space = Mapping[int, Spans]  # by family
ALL: Space = {family: [(0, (1 << bits) - 1)] for family, bits in BITS.items()}


@dataclass(frozen=True)
class Joint:
    """A link between two realms, by number.

    `shows` is what each of them lets the other see of it; `passes_on`: traffic goes on to third realms, and comes from them.
    """

    one: int
    other: int
    one_shows: Space
    other_shows: Space
    passes_on: bool = False

    def ways(self) -> Iterable[tuple[int, int, Space]]:
        """From which realm to which, and what is seen of it there."""
        return (self.one, self.other, self.one_shows), (self.other, self.one, self.other_shows)


def common(one: Sequence[tuple[int, int]], other: Sequence[tuple[int, int]]) -> Spans:
    """The addresses that are in both of two lists of spans."""
    found, a, b = [], 0, 0
    while a < len(one) and b < len(other):
        first, last = max(one[a][0], other[b][0]), min(one[a][1], other[b][1])
        if first <= last:
            found.append((first, last))
        if one[a][1] < other[b][1]:
            a += 1
        else:
            b += 1
    return found


def apart(one: Sequence[tuple[int, int]], other: Sequence[tuple[int, int]]) -> Spans:
    """The addresses of a list of spans that are not in another."""
    found, place = [], 0
    for first, last in one:
        while place < len(other) and other[place][1] < first:
            place += 1
        at = place
        while at < len(other) and other[at][0] <= last:
            if first < other[at][0]:
                found.append((first, other[at][0] - 1))
            first = other[at][1] + 1
            at += 1
        if first <= last:
            found.append((first, last))
    return found


def touch(spans: Sequence[tuple[int, int]], first: int, last: int) -> bool:
    """Whether any of a list of spans shares an address with first..last."""
    place = bisect_left(spans, first, key=itemgetter(1))
    return place < len(spans) and spans[place][0] <= last


def in_both(one: Space, other: Space) -> Space:
    """The addresses that are in both of two spaces."""
    return {family: common(one.get(family, []), other.get(family, [])) for family in BITS}


def in_either(one: Space, other: Space) -> Space:
    """The addresses that are in one of two spaces, or in both."""
    return {family: merged([*one.get(family, []), *other.get(family, [])]) for family in BITS}


def meetings(joints: Sequence[Joint]) -> dict[tuple[int, int], Space]:
    """Where each two realms meet: (lower number, higher number) -> addresses; pairs that meet nowhere are left out."""
    there: dict[int, dict[int, Space]] = {}  # in which realm -> of which -> what is seen
    for (of, at), space in _seen(joints).items():
        there.setdefault(at, {})[of] = space
    found: dict[tuple[int, int], Space] = {}
    for seen in there.values():
        for one, other in combinations(sorted(seen), 2):
            met = in_both(seen[one], seen[other])
            if any(met.values()):
                found[one, other] = in_either(found.get((one, other), {}), met)
    return dict(sorted(found.items()))


def _seen(joints: Sequence[Joint]) -> dict[tuple[int, int], Space]:
    """What is seen of a realm in another: (of, in) -> addresses. In itself all of it is."""
    carried: dict[tuple[int, int], Space] = {}  # as it goes on from there
    passing = [joint for joint in joints if joint.passes_on]
    for joint in passing:
        for of, at, shows in joint.ways():
            carried[of, at] = in_either(carried.get((of, at), {}), shows)
    grows = True
    while grows:
        grows = False
        for joint in passing:
            for via, at, shows in joint.ways():
                for of in sorted({of for of, there in carried if there == via} - {at}):
                    known = carried.get((of, at), {})
                    wider = in_either(known, in_both(carried[of, via], shows))
                    if wider != in_either(known, {}):
                        carried[of, at], grows = wider, True
    seen = dict(carried)
    for joint in joints:
        for of, at, shows in joint.ways():
            seen[of, at] = in_either(seen.get((of, at), {}), shows)
    return seen | {(realm, realm): ALL for joint in joints for realm in (joint.one, joint.other)}


@dataclass(frozen=True)
class Share:
    """Addresses that both realms have in pools, and which of the two may hand them out: ``one``, ``other``, or ``neither``
    while both use them: then whoever still has something there once the other has given it back. `why` in words.
    """

    first: int
    last: int
    to: str
    why: str


ONE, OTHER, NEITHER = "one", "other", "neither"
USED, NEVER, BESIDE, HALVES, WIDER, CHOSEN, BOTH = (
    "it is in use there",
    "the other one keeps it out anyway",
    "what lies beside it is in use there",
    "both have use beside it",
    "more is in use there",
    "chosen",
    "both use it",
)


def divide(
    where: Sequence[tuple[int, int]],
    one: Sequence[tuple[int, int]],
    other: Sequence[tuple[int, int]],
    chosen: Mapping[str, Sequence[tuple[int, int]]] | None = None,
    never: Mapping[str, Sequence[tuple[int, int]]] | None = None,
) -> list[Share]:
    """Which of two realms may hand out what both have in pools, so that neither ever has to look at the other.

    What one of them uses is its own. What neither does, and one keeps out anyway, is the other's; what is left goes to
    whoever uses what lies beside it; between uses of both it is cut in two, on the widest boundary near the middle.

    Args:
        where: what both have in pools and where they meet.
        one, other: what each of them uses, as spans in order.
        chosen: what is to be of ``one`` or ``other`` although neither uses it.
        never: what ``one`` or ``other`` does not hand out for reasons of its own.

    Returns:
        shares in order of address, of all of `where`; neighbours of the same kind are one.
    """
    one, other = common(where, merged(list(one))), common(where, merged(list(other)))
    both = common(one, other)
    shares = [Share(*span, NEITHER, BOTH) for span in both]
    shares += [Share(*span, ONE, USED) for span in apart(one, both)]
    shares += [Share(*span, OTHER, USED) for span in apart(other, both)]
    free = apart(where, merged([*one, *other]))
    for side, wanted in (chosen or {}).items():
        taken = common(free, merged(list(wanted)))
        shares += [Share(*span, side, CHOSEN) for span in taken]
        free = apart(free, taken)
    for side, wanted in (never or {}).items():
        taken = common(free, merged(list(wanted)))
        shares += [Share(*span, OTHER if side == ONE else ONE, NEVER) for span in taken]
        free = apart(free, taken)
    of_one, of_other = ((*span, ONE) for span in apart(one, both)), ((*span, OTHER) for span in apart(other, both))
    heavier = OTHER if _amount(other) > _amount(one) else ONE
    used = sorted([*of_one, *of_other, *((*span, heavier) for span in both)])
    place, before, whole = 0, "", 0
    for first, last in free:
        while where[whole][1] < first:  # what lies in another stretch of space is not beside it
            whole, before = whole + 1, ""
        while place < len(used) and used[place][0] < first:
            before = used[place][2] if used[place][0] >= where[whole][0] else ""
            place += 1
        after = used[place][2] if place < len(used) and used[place][0] <= where[whole][1] else ""
        if before and after and before != after:
            cut = _cut(first, last)
            shares += [Share(first, cut - 1, before, HALVES)] if cut > first else []
            shares.append(Share(cut, last, after, HALVES))
        else:
            shares.append(Share(first, last, before or after or heavier, BESIDE if before or after else WIDER))
    return list(_joined(sorted(shares, key=lambda share: share.first)))


def _amount(spans: Iterable[tuple[int, int]]) -> int:
    return sum(last - first + 1 for first, last in spans)


def _cut(first: int, last: int) -> int:
    """Where the second half of a span begins: on the widest boundary in the half of it that lies in the middle."""
    size = last - first + 1
    low, high = first + size // 4, first + (3 * size) // 4
    step = 1
    while (high // (2 * step)) * 2 * step >= max(low, first + 1):
        step *= 2
    return max((high // step) * step, first + 1) if size > 1 else first


def _joined(shares: Iterable[Share]) -> Iterable[Share]:
    """Shares in order, neighbours of the same kind as one."""
    waiting: Share | None = None
    for share in shares:
        if waiting and waiting.last + 1 == share.first and _kind(waiting) == _kind(share):
            waiting = Share(waiting.first, share.last, share.to, share.why)
            continue
        if waiting:
            yield waiting
        waiting = share
    if waiting:
        yield waiting


def _kind(share: Share) -> tuple[str, str]:
    return share.to, share.why
