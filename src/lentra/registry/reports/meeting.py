"""Two realms that meet, or would: what clashes, with ways out of it, and which of them hands out what both have."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field
from itertools import pairwise
from typing import Any

from django.db.models import Count

from lentra.addressing.extents import State
from lentra.addressing.meeting import BOTH, CHOSEN, ONE, OTHER, USED, Share, Space, common
from lentra.addressing.overlap import Range
from lentra.addressing.prefix import range_text
from lentra.registry.lookup.meeting import (
    KEPT_OUT,
    LIVING,
    PLANNED,
    Held,
    Meeting,
    Pair,
    had_by_both,
    in_pools_of_both,
    kind_of,
    links_now,
    meeting_places,
    meetings_of,
    pair_of,
    used_in,
)
from lentra.registry.models import Address, Finding, KeepOut, Link, Pool, Realm, Reservation, Subnet
from lentra.registry.operations.findings.judge_meetings import FACT
from lentra.registry.operations.links.settle import Chosen, refuse_unhad, shares_of

MOST_LINES = 500  # of clashes, told one by one
_EACH = 20  # ranges of a side that a line names
_STRIPS, CELLS = 16, 64  # pictures of the space that both have, and parts of each

Told = dict[str, Any]
KINDS = (LIVING, PLANNED, KEPT_OUT)
WAYS = ("leave", "give back", "wait", "lift", "renumber", "hide", "translate")


def would_meet(link: Link, chosen: Chosen | None = None) -> list[Told]:
    """What would meet if a link were there: every two realms that meet only then, those that it joins first.

    Raises:
        Invalid: what is chosen is not to be had.
    """
    others = links_now(besides=link if link.pk else None)
    was, now = meetings_of(others), meetings_of([*others, link])
    if chosen:
        refuse_unhad(link, had_by_both(link, now), chosen)
    fresh = [pair for pair in now if now[pair] != was.get(pair)]
    fresh.sort(key=lambda pair: pair != pair_of(link))
    return [meeting(pair, now[pair], chosen) for pair in fresh]


def meets_by(link: Link) -> list[Told]:
    """What meets of the two realms of a link that is there."""
    met = meetings_of(links_now())
    return [meeting(pair, met[pair]) for pair in [pair_of(link)] if pair in met]


def meeting(pair: Pair, where: Space, chosen: Chosen | None = None) -> Told:
    """Two realms that meet.

    Returns:
        ``one`` and ``other`` (realms), ``clashes``: how many of each kind, and how many ``addresses``; ``lines``: clashes,
        the fewest that tell them all; ``shares``: which realm hands out what both have in pools; ``strips``: that as
        pictures.
    """
    realms = Realm.objects.in_bulk(pair)
    names = {number: realm.name for number, realm in realms.items()}
    counts: Counter[str] = Counter()
    addresses = 0
    told: list[_Line] = []
    current: _Line | None = None
    lines = 0
    reader = _Owners()
    for batch in _batches(meeting_places(pair, where)):
        reader.read(batch)
        for clash in batch:
            counts[kind_of(clash)] += 1
            addresses += clash.shared
            line = _Line(kind_of(clash), reader.whose(clash.left), reader.whose(clash.right))
            if current is None or not current.goes_on(line):
                current, lines = line, lines + 1
                told += [line] if lines <= MOST_LINES else []
            current.add(clash)
    reader.count_records(told)
    both = in_pools_of_both(pair, where)
    shares = shares_of(pair, both, chosen)
    return {
        "one": {"id": pair[0], "name": names[pair[0]]},
        "other": {"id": pair[1], "name": names[pair[1]]},
        "clashes": {kind: counts[kind] for kind in KINDS},
        "addresses": addresses,
        "lines": [line.told(names, reader) for line in told],
        "more_lines": lines - len(told),
        "shares": [_share(family, share, names, pair) for family, share in shares[:MOST_LINES]],
        "more_shares": max(0, len(shares) - MOST_LINES),
        "strips": list(_strips(pair, both, shares)),
    }


def _batches(found: Iterable[Meeting], size: int = 1000) -> Iterable[list[Meeting]]:
    batch: list[Meeting] = []
    for clash in found:
        batch.append(clash)
        if len(batch) == size:
            yield batch
            batch = []
    if batch:
        yield batch


class _Owners:
    """Whose things are, read for many at once."""

    def __init__(self) -> None:
        self.subnets: dict[int, Subnet] = {}
        self.reservations: dict[int, Reservation] = {}
        self.keep_outs: dict[int, KeepOut] = {}
        self.pools: dict[int, str] = {}
        self.records: dict[int, int] = {}

    def read(self, clashes: Sequence[Meeting]) -> None:
        """Read the owners of both sides of clashes."""
        held = [side.owner for clash in clashes for side in (clash.left, clash.right)]
        subnets = {one.subnet for one in held if one.subnet} - self.subnets.keys()
        rows = Subnet.objects.select_related("project", "zone", "region", "tier")
        self.subnets |= rows.in_bulk(subnets) if subnets else {}
        kept = {one.reservation for one in held if one.reservation} - self.reservations.keys()
        self.reservations |= Reservation.objects.in_bulk(kept) if kept else {}
        out = {one.keep_out for one in held if one.keep_out} - self.keep_outs.keys()
        self.keep_outs |= KeepOut.objects.in_bulk(out) if out else {}
        pools = {one.pool for one in held if one.pool} - self.pools.keys()
        self.pools |= dict(Pool.objects.filter(pk__in=pools).values_list("pk", "name")) if pools else {}

    def count_records(self, lines: Iterable[_Line]) -> None:
        """Count the address records of the subnets that lines are about."""
        numbers = {number for line in lines for side in line.sides for number in side.subnets}
        rows = Address.objects.filter(subnet__in=numbers).order_by().values_list("subnet").annotate(n=Count("pk"))
        self.records = dict(rows)

    def whose(self, held: Range[Held]) -> str:
        """What lines are told together by: a project's, a reservation's, a keep-out's."""
        of = held.owner
        if of.subnet in self.subnets:
            return self.subnets[of.subnet].project.name
        if of.reservation in self.reservations:
            return f"reservation {self.reservations[of.reservation].name}"
        if of.keep_out in self.keep_outs:
            return f"keep-out: {self.keep_outs[of.keep_out].reason}"
        return of.state.word


@dataclass
class _Side:
    """One side of a line: what it has there."""

    whose: str
    realm: int = 0
    ranges: list[tuple[int, int, int]] = field(default_factory=list)
    states: dict[str, None] = field(default_factory=dict)
    subnets: dict[int, None] = field(default_factory=dict)
    others: dict[str, None] = field(default_factory=dict)  # reservations, keep-outs
    pools: dict[int, None] = field(default_factory=dict)

    def add(self, held: Range[Held]) -> None:
        self.realm = held.owner.realm
        span = (held.family, held.first, held.last)
        if not self.ranges or self.ranges[-1] != span:
            self.ranges.append(span)
        self.states[held.owner.state.word] = None
        if held.owner.subnet:
            self.subnets[held.owner.subnet] = None
        else:
            self.others[self.whose] = None
        if held.owner.pool:
            self.pools[held.owner.pool] = None

    def told(self, names: dict[int, str], reader: _Owners) -> Told:
        subnets = [reader.subnets[number] for number in self.subnets if number in reader.subnets]
        zones = dict.fromkeys(s.zone.name if s.zone else s.region.name if s.region else "" for s in subnets)
        return {
            "realm": names[self.realm],
            "whose": self.whose,
            "project": self.whose if subnets else None,
            "zones": [zone for zone in zones if zone],
            "states": list(self.states),
            "pools": [reader.pools[number] for number in self.pools if number in reader.pools],
            "ranges": [range_text(*span) for span in self.ranges[:_EACH]],
            "range_count": len(self.ranges),
            "subnets": [{"id": s.pk, "name": s.name} for s in subnets[:_EACH]],
            "subnet_count": len(self.subnets),
            "records": sum(reader.records.get(number, 0) for number in self.subnets),
        }


@dataclass
class _Line:
    """Clashes that follow one another, of the same owners."""

    kind: str
    one_whose: str
    other_whose: str
    clashes: int = 0
    addresses: int = 0
    first: tuple[int, int] | None = None
    last: int = 0

    def __post_init__(self) -> None:
        self.sides = _Side(self.one_whose), _Side(self.other_whose)

    def goes_on(self, other: _Line) -> bool:
        return (self.kind, self.one_whose, self.other_whose) == (other.kind, other.one_whose, other.other_whose)

    def add(self, clash: Meeting) -> None:
        """One clash more."""
        low, high = max(clash.left.first, clash.right.first), min(clash.left.last, clash.right.last)
        self.first = self.first or (clash.left.family, low)
        self.last = max(self.last, high)
        self.clashes += 1
        self.addresses += clash.shared
        for side, held in zip(self.sides, (clash.left, clash.right), strict=True):
            side.add(held)

    def told(self, names: dict[int, str], reader: _Owners) -> Told:
        """The line, with ways out of it, the cheapest first."""
        assert self.first
        sides = [side.told(names, reader) for side in self.sides]
        return {
            "kind": self.kind,
            "range": range_text(self.first[0], self.first[1], self.last),
            "clashes": self.clashes,
            "addresses": self.addresses,
            "one": sides[0],
            "other": sides[1],
            "ways": _ways(self, sides, reader),
        }


def _ways(line: _Line, sides: Sequence[Told], reader: _Owners) -> list[Told]:
    """The ways out of a clash: giving back what is unused costs nobody anything; moving few is cheaper than many."""
    ways: list[tuple[tuple[int, int, int], Told]] = []

    def way(rank: int, how: str, side: Told | None, words: str) -> None:
        records, subnets = (side["records"], side["subnet_count"]) if side else (0, 0)
        told = {"way": how, "realm": side["realm"] if side else None, "subnets": subnets, "records": records}
        ways.append(((rank, records, subnets), {**told, "words": words}))

    for side, told in zip(line.sides, sides, strict=True):
        subnets = [reader.subnets[number] for number in side.subnets if number in reader.subnets]
        where, one = f"of {told['realm']}", len(side.subnets) == 1
        what = "the subnet" if one else f"the {len(side.subnets):,} subnets"
        if told["states"] == [State.KEPT_OUT.word]:
            way(-1, "leave", told, f"leave it: nobody {where} is given what is kept out there")
            way(1, "lift", told, f"lift the keep-out {where}, if the other realm is what it was meant for")
        elif subnets and all(subnet.state == "cooling" for subnet in subnets):
            way(1, "wait", told, f"wait until what was given back {where} has cooled")
        elif subnets:
            if all(subnet.unused for subnet in subnets):
                way(
                    0,
                    "give back",
                    told,
                    f"give back {what} {where}: nothing says that {'it is' if one else 'they are'} used",
                )
            records = f", with {told['records']:,} address records" if told["records"] else ""
            way(2, "renumber", told, f"renumber {what} {where}{records}")
        else:
            way(1, "give back", told, f"give back {side.whose} {where}")
    way(3, "hide", None, "let neither realm see these addresses of the other, if nobody there needs them")
    way(4, "translate", None, f"translate {line.addresses:,} addresses between the realms")
    return [told for _, told in sorted(ways, key=lambda one: one[0])]


def _share(family: int, share: Share, names: dict[int, str], pair: Pair) -> Told:
    return {
        "range": range_text(family, share.first, share.last),
        "addresses": share.last - share.first + 1,
        "realm": {ONE: names[pair[0]], OTHER: names[pair[1]]}.get(share.to),
        "why": share.why,
        "proposed": share.why not in (USED, BOTH, CHOSEN),
    }


def _strips(pair: Pair, both: Space, shares: Sequence[tuple[int, Share]]) -> Iterable[Told]:
    """What both have in pools, one above the other, in equal parts: how much of each is in use, and whose the rest is."""
    spans = [(family, first, last) for family, found in both.items() for first, last in found]
    for family, first, last in spans[:_STRIPS]:
        uses = [[(r.first, r.last) for r in used_in(realm, family, [(first, last)])] for realm in pair]
        size = last - first + 1
        edges = [first + size * n // CELLS for n in range(CELLS + 1)]
        cells = []
        for low, after in pairwise(edges):
            here = [(low, after - 1)]
            if after <= low:
                continue
            inside = [common(here, used) for used in uses]
            owner = next((s.to for of, s in shares if of == family and s.first <= low <= s.last), ONE)
            cells.append(
                {
                    "one": _percent(inside[0], after - low),
                    "other": _percent(inside[1], after - low),
                    "clash": bool(common(inside[0], inside[1])),
                    "to": owner,
                }
            )
        yield {"range": range_text(family, first, last), "cells": cells}


def _percent(spans: Iterable[tuple[int, int]], size: int) -> float:
    return round(100 * sum(last - first + 1 for first, last in spans) / size, 1)


def graph() -> Told:
    """All realms with their links, and how much of what each two use clashes.

    Returns:
        ``realms``: with how many ``pools`` and ``clashes``; ``links``; ``meetings``: pairs that meet, whether ``linked``
        themselves, and how many ``clashes`` are open, by what they have open as findings.
    """
    links = links_now()
    met = meetings_of(links)
    pools = dict(Pool.objects.filter(parent=None).order_by().values_list("realm").annotate(n=Count("pk")))
    by_pair: Counter[tuple[int, str]] = Counter()
    own: Counter[int] = Counter()
    for realm, seen in Finding.objects.filter(fact=FACT, state="open").values_list("realm", "seen"):
        own[realm] += 1
        for name in {one["source"].removeprefix("realm ") for one in seen}:
            by_pair[realm, name] += 1
    realms = list(Realm.objects.order_by("name"))
    names = {realm.pk: realm.name for realm in realms}
    linked = {pair_of(link) for link in links}
    return {
        "realms": [
            {"id": r.pk, "name": r.name, "pools": pools.get(r.pk, 0), "clashes": own[r.pk]} for r in realms
        ],
        "links": [
            {"id": k.pk, "name": k.name, "kind": k.kind, "one": names[k.one_id], "other": names[k.other_id]}
            for k in links
        ],
        "meetings": [
            {
                "one": names[one],
                "other": names[other],
                "linked": (one, other) in linked,
                "clashes": max(by_pair[one, names[other]], by_pair[other, names[one]]),
            }
            for one, other in met
        ],
    }
