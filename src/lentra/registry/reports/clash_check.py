"""How a list of ranges lies to what is known in some realms, and to itself: one reading, one sorted sweep."""

from __future__ import annotations

from bisect import bisect_left, bisect_right
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field
from heapq import heappop, heappush
from typing import Any

from lentra.addressing.extents import State
from lentra.addressing.lists import Read, read_lines
from lentra.addressing.overlap import relation
from lentra.addressing.prefix import BITS, Prefix, prefixes_of_range, range_text
from lentra.registry.errors import Invalid
from lentra.registry.lookup.spans import few_spans, in_use_over
from lentra.registry.models import KeepOut, Pool, PoolRange, Realm, Reservation, Subnet
from lentra.registry.space.evidence import owner_of

MOST_RANGES = 20_000
_MOST_TOLD = 20  # things that one range meets, told one by one
UNKNOWN, OURS = "unknown", "ours, free"
_HOWS = ("equal", "inside", "overlaps", "contains")


@dataclass(frozen=True, slots=True)
class _Known:
    """A range that is known: of an extent in use, a keep-out, or a pool."""

    first: int
    last: int
    state: str
    realm: int
    pool: int | None = None
    subnet: int | None = None
    reservation: int | None = None
    keep_out: int | None = None


class _Shelf:
    """Ranges of one family in order of their start; they may overlap each other."""

    def __init__(self, ranges: Iterable[_Known]) -> None:
        self.ranges = sorted(ranges, key=lambda known: (known.first, -known.last))
        self._firsts = [known.first for known in self.ranges]
        self._lasts = sorted(known.last for known in self.ranges)

    def count(self, first: int, last: int) -> int:
        """How many share an address with first..last."""
        return bisect_right(self._firsts, last) - bisect_left(self._lasts, first)

    def first_over(self, spans: Sequence[tuple[int, int]]) -> dict[tuple[int, int], list[_Known]]:
        """For each span the first few that share an address with it: one sweep over both, in order of their start."""
        found: dict[tuple[int, int], list[_Known]] = {}
        begun: list[tuple[int, int]] = []  # (last, place) of ranges that have begun and reach the sweep's address
        at = 0
        for first, last in sorted(set(spans)):
            while at < len(self.ranges) and self._firsts[at] <= first:
                heappush(begun, (self.ranges[at].last, at))
                at += 1
            while begun and begun[0][0] < first:
                heappop(begun)
            places = sorted(place for _, place in begun[:_MOST_TOLD])
            places += range(at, min(bisect_right(self._firsts, last), at + _MOST_TOLD - len(places)))
            found[first, last] = [self.ranges[place] for place in places]
        return found


@dataclass
class _Ground:
    """All that is known of where the list lies, by family; and what is to be told of owners."""

    used: dict[int, _Shelf] = field(default_factory=dict)
    pools: dict[int, _Shelf] = field(default_factory=dict)
    realms: dict[int, str] = field(default_factory=dict)
    pool_names: dict[int, str] = field(default_factory=dict)
    subnets: dict[int, Subnet] = field(default_factory=dict)
    reservations: dict[int, str] = field(default_factory=dict)
    keep_outs: dict[int, str] = field(default_factory=dict)


def check_ranges(realms: Sequence[Realm], lines: Iterable[str]) -> list[dict[str, Any]]:
    """How each range of a list lies to what is known.

    Args:
        realms: those that it is held against.
        lines: prefixes, addresses with mask or wildcard, first-last, one or several a line, words beside them.

    Returns:
        for each range its ``line``, ``text``, ``name``, ``range``, ``how`` (unknown: we know nothing of it; ours, free: it
        lies in a pool and nothing there is in use; equal, inside, contains, overlaps; or unreadable), ``why``, the ``pool``
        around it, how many things it ``meets`` and the first of them in ``with``, and the lines of the list that it shares
        addresses with (``clashes_with``).

    Raises:
        Invalid: too many at once.
    """
    read = list(read_lines(lines))
    if len(read) > MOST_RANGES:
        raise Invalid(
            f"{len(read):,} ranges at once: {MOST_RANGES:,} at most; send the list in parts",
            field="ranges",
            received=len(read),
            suggestions=[MOST_RANGES],
        )
    ground = _read_ground(realms, [one.span for one in read if one.span])
    told: list[dict[str, Any]] = [{}] * len(read)
    for n, one in enumerate(read):
        if one.span is None:
            told[n] = _unreadable(one)
    for family in BITS:
        places = [n for n, one in enumerate(read) if one.span and one.span[0] == family]
        spans = {n: (read[n].span or (0, 0, 0))[1:] for n in places}
        listed = _Shelf(_Known(*spans[n], "", 0, pool=n) for n in places)
        shelves = (ground.used[family], ground.pools[family], listed)
        over = [shelf.first_over(list(spans.values())) for shelf in shelves]
        for n in places:
            used, pools, others = (found[spans[n]] for found in over)
            clashing = sorted(read[k.pool].line for k in others if k.pool is not None and k.pool != n)
            count = listed.count(*spans[n]) - 1
            told[n] = _finding(read[n], ground, used, pools, clashing[:5], count)
    return told


def _unreadable(one: Read) -> dict[str, Any]:
    return _plain(one) | {"how": "unreadable", "why": one.why, "suggestions": list(one.suggestions)}


def _plain(one: Read) -> dict[str, Any]:
    """What is told of every range, before it is held against anything."""
    told = {"line": one.line, "text": one.text[:100], "name": one.name, "range": None, "pool": None}
    return told | {"meets": 0, "with": [], "clashes_with": []}


def _finding(
    one: Read,
    ground: _Ground,
    used: Sequence[_Known],
    pools: Sequence[_Known],
    clashing: Sequence[int],
    clashes: int,
) -> dict[str, Any]:
    assert one.span
    family, first, last = one.span
    # The innermost pool comes last: its ranges lie in its parent's.
    around = [p for p in pools if p.first <= first and last <= p.last]
    inside_pool = around[-1] if around else None
    met, count = list(used), ground.used[family].count(first, last)
    if not met:
        met = [p for p in pools if p not in around or (p.first, p.last) == (first, last)]
        count = len(met)
    facts = [_fact(known, ground, family, first, last) for known in met]
    hows = {fact["how"] for fact in facts}
    how = next((word for word in _HOWS if word in hows), UNKNOWN)
    if inside_pool and not used:
        how = OURS
    pieces = prefixes_of_range(family, first, last)
    pool = inside_pool.pool if inside_pool else None
    why = _in_words(how, facts, count, ground.pool_names[pool] if pool else None)
    if clashing:
        more = f" and {clashes - 1} more" if clashes > 1 else ""
        why += f"; shares addresses with line {clashing[0]}{more}"
    return _plain(one) | {
        "range": range_text(family, first, last),
        "how": how,
        "why": why,
        "suggestions": [str(p) for p in pieces[:8]] if len(pieces) > 1 else [],
        "pool": {"id": pool, "name": ground.pool_names[pool]} if pool else None,
        "meets": count,
        "with": facts,
        "clashes_with": list(clashing),
    }


def _in_words(how: str, facts: Sequence[dict[str, Any]], count: int, pool: str | None) -> str:
    if how == OURS:
        return f"ours: free in pool {pool}"
    if how == UNKNOWN:
        return "unknown to us: in no pool and under no keep-out"
    one = next(fact for fact in facts if fact["how"] == how)
    link = "equal to" if how == "equal" else how
    words = f"{link} {one['range']}: {one['state']}, {one.get('owner', '')}".rstrip(", ")
    return words + (f", and {count - 1} more" if count > 1 else "")


def _fact(known: _Known, ground: _Ground, family: int, first: int, last: int) -> dict[str, Any]:
    """Something that a range meets, as evidence."""
    low, high = max(known.first, first), min(known.last, last)
    fact: dict[str, Any] = {
        "range": range_text(family, known.first, known.last),
        "state": known.state,
        "realm": ground.realms[known.realm],
        "how": relation(first, last, known.first, known.last),
        "addresses": str(high - low + 1),
    }
    if known.pool is not None:
        fact["pool"] = ground.pool_names[known.pool]
        if known.state == "pool":
            fact["owner"] = f"pool {ground.pool_names[known.pool]}"
    if known.subnet is not None:
        fact |= owner_of(ground.subnets[known.subnet])
    if known.reservation is not None:
        fact |= {"owner": ground.reservations[known.reservation], "reservation": known.reservation}
    if known.keep_out is not None:
        fact |= {"owner": f"keep-out: {ground.keep_outs[known.keep_out]}", "keep_out": known.keep_out}
    return fact


def _read_ground(realms: Sequence[Realm], spans: Sequence[tuple[int, int, int]]) -> _Ground:
    """What is known where the list lies: a bounded number of statements, whatever its length."""
    ground = _Ground(realms={realm.pk: realm.name for realm in realms})
    keep_outs = list(KeepOut.objects.filter(realm__in=realms))
    ranges = list(PoolRange.objects.filter(realm__in=realms))
    pools = set()
    for family in BITS:
        lie = few_spans([(first, last) for of, first, last in spans if of == family])
        used = [_of_extent(row) for row in in_use_over(realms, family, lie)]
        used += [
            _Known(k.first, k.last, State.KEPT_OUT.word, k.realm_id, keep_out=k.pk)
            for k in keep_outs
            if k.family == family
        ]
        ground.used[family] = _Shelf(used)
        own = [_Known(r.first, r.last, "pool", r.realm_id, pool=r.pool_id) for r in ranges if r.family == family]
        ground.pools[family] = _Shelf(own)
        pools |= {known.pool for known in (*used, *own) if known.pool}
    everything = [known for shelf in ground.used.values() for known in shelf.ranges]
    ground.pool_names = dict(Pool.objects.filter(pk__in=pools).values_list("pk", "name"))
    subnets = Subnet.objects.select_related("project", "zone", "region", "tier")
    ground.subnets = subnets.in_bulk({known.subnet for known in everything if known.subnet})
    held = {known.reservation for known in everything if known.reservation}
    ground.reservations = dict(Reservation.objects.filter(pk__in=held).values_list("pk", "name"))
    ground.keep_outs = {keep_out.pk: keep_out.reason for keep_out in keep_outs}
    return ground


def _of_extent(row: tuple) -> _Known:
    family, first, length, state, realm, pool, subnet, reservation = row
    prefix = Prefix(family, first, length)
    return _Known(first, prefix.last, State(state).word, realm, pool, subnet, reservation)
