"""Who had an address or a range, from when to when, and by whose hand: read from tenures."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from datetime import UTC, datetime
from functools import reduce
from operator import or_
from typing import Any

from django.db.models import Q, QuerySet

from lentra.addressing.prefix import BITS
from lentra.registry.lookup.any_of import any_of
from lentra.registry.lookup.then import NamesThen
from lentra.registry.models import LedgerEntry, Realm, Tenure

Place = tuple[int, int, datetime, int, int]  # of a tenure in the order that they are told in
Span = tuple[datetime, datetime]
_KEY = ("first", "length", "begins", "record", "entry_id")
_PLACES = ("pool", "project", "region", "zone", "tier")
_LATER = datetime.max.replace(tzinfo=UTC)


def place_of(tenure: Tenure) -> Place:
    """Where a tenure stands in the order: by first address, the widest first, then by time."""
    return tenure.first, tenure.length, tenure.begins, tenure.record, tenure.entry_id


def tenures_over(
    family: int,
    first: int,
    last: int,
    count: int,
    *,
    realms: Sequence[Realm] = (),
    kinds: Sequence[str] = (),
    span: Span | None = None,
    since: Place | None = None,
) -> list[Tenure]:
    """The tenures of whatever shares an address with first..last, in order, so many.

    Args:
        span: only those that held at some moment from its first to just before its second.
        since: from this place on.
    """
    rows = Tenure.objects.filter(family=family).prefetch_related("entry", "ended_by")
    if realms:
        rows = rows.filter(**any_of("realm", list(realms)))
    if kinds:
        rows = rows.filter(kind__in=kinds)
    if span:
        rows = rows.filter(Q(ends=None) | Q(ends__gt=span[0]), begins__lt=span[1])
    found = [] if since and since[0] >= first else _around(rows, family, first)
    if since:
        found = [tenure for tenure in found if place_of(tenure) >= since]
    if len(found) < count:
        inside = rows.filter(first__gte=first, first__lte=last)
        if since and since[0] >= first:
            inside = inside.filter(_from(since), first__gte=since[0])
        found += inside.order_by(*_KEY)[: count - len(found)]
    return found[:count]


def told_tenures(tenures: Sequence[Tenure], now: datetime, span: Span | None = None) -> list[dict[str, Any]]:
    """Tenures as they are told: what each was, from when to when, who began and who ended it, names as they were then.

    An address record has the ``public`` addresses that were attached to it meanwhile.
    """
    attached = _attached(tenures, span)
    everything = [*tenures, *(public for found in attached.values() for public in found)]
    numbers = {getattr(t, name) for t in everything for name in ("realm", "subnet", *_PLACES)}
    names = NamesThen(numbers)
    told = []
    for tenure in tenures:
        moment = min(tenure.ends or _LATER, span[1] if span else _LATER)
        told.append(
            {
                "record": tenure.record,
                "kind": tenure.kind,
                "realm": names.told(tenure.realm, moment),
                "prefix": str(tenure.prefix),
                "family": tenure.family,
                "name": tenure.name,
                "state": tenure.state,
                **{name: names.told(getattr(tenure, name), moment) for name in _PLACES},
                "subnet": names.told(tenure.subnet, moment),
                "mac": tenure.mac,
                "attached_to": tenure.attached_to,
                "public": [
                    {"address": str(one.prefix).partition("/")[0], "begins": one.begins, "ends": one.ends}
                    for one in attached.get((tenure.record, tenure.entry_id), ())
                ],
                "begins": tenure.begins,
                "ends": tenure.ends,
                "going_on": tenure.ended_by_id is None and (tenure.ends is None or tenure.ends > now),
                "began": _hand(tenure.entry),
                "ended": _hand(tenure.ended_by),
            }
        )
    return told


def _hand(entry: LedgerEntry | None) -> dict[str, Any] | None:
    """By whose hand, and why."""
    if entry is None:
        return None
    return {"number": entry.number, "verb": entry.verb, "who": entry.actor_name, "why": entry.why}


def _around(rows: QuerySet[Tenure], family: int, address: int) -> list[Tenure]:
    """Those that start before an address and hold it: asked for by equality at each of the places that may be one's."""
    bits = BITS[family]
    starts = {length: address >> (bits - length) << (bits - length) for length in range(bits + 1)}
    probes = [Q(first=start, length=length) for length, start in starts.items() if start < address]
    return sorted(rows.filter(reduce(or_, probes)), key=place_of) if probes else []


def _from(place: Place) -> Q:
    """Those at a place and beyond, in order."""
    beyond = Q(**{f"{_KEY[-1]}__gte": place[-1]})
    for name, value in reversed(list(zip(_KEY[:-1], place[:-1], strict=True))):
        beyond = Q(**{f"{name}__gt": value}) | (Q(**{name: value}) & beyond)
    return beyond


def _attached(tenures: Iterable[Tenure], span: Span | None) -> dict[tuple[int, int], list[Tenure]]:
    """The public addresses that were attached to address records while they were: by record and entry."""
    records = [tenure for tenure in tenures if tenure.kind == "address record"]
    found: dict[tuple[int, int], list[Tenure]] = {}
    if not records:
        return found
    rows = Tenure.objects.filter(attached_record__in={tenure.record for tenure in records}).order_by("begins")
    for public in rows:
        for tenure in records:
            begin = max(tenure.begins, span[0]) if span else tenure.begins
            end = min(tenure.ends or _LATER, span[1] if span else _LATER)
            if public.attached_record == tenure.record and public.begins < end and (public.ends or _LATER) > begin:
                found.setdefault((tenure.record, tenure.entry_id), []).append(public)
    return found
