"""Usage on an earlier day, from readings; and what changed between two days, from tenures."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from datetime import date, timedelta
from typing import Any

from django.db.models import Count, QuerySet

from lentra.registry.errors import Invalid
from lentra.registry.lookup.then import pools_ever
from lentra.registry.models import Reading, Tenure
from lentra.registry.models.subnets import TAKEN
from lentra.registry.transactions.clock import start_of

_RESIZING = ("grow", "shrink", "rebase", "add family")
_VERBS = (
    *("hand out", "hold", "bring in", "give back", "bring back", "end cooling", "end hold"),
    *("hand over", "retire", *_RESIZING),
)


def usage_on(pool_ids: Sequence[int], day: date) -> list[Reading]:
    """The pools' last readings on or before a day."""
    rows = Reading.objects.filter(kind="pool", subject__in=pool_ids, day__lte=day).order_by("day")
    last: dict[tuple[int, int], Reading] = {}
    for reading in rows.filter(day__gt=day - timedelta(days=31)):
        last[reading.subject, reading.family] = reading
    return [last[key] for key in sorted(last)]


def changes_between(first: date, last: date, pools: Iterable[int] | None = None) -> list[dict[str, Any]]:
    """What became of subnets from one day to another: by whom, what was done, to how many, and over how many addresses.

    Raises:
        Invalid: the days are reversed.
    """
    if last < first:
        raise Invalid(f"{first} comes after {last}", field="since", received=first, suggestions=[last])
    begin, end = start_of(first), start_of(last + timedelta(days=1))
    rows = Tenure.objects.filter(kind="subnet", pool__in=list(pools_ever() if pools is None else pools))
    begun = rows.filter(begins__gte=begin, begins__lt=end, state__in=TAKEN, entry__verb__in=_VERBS)
    ended = rows.filter(ends__gte=begin, ends__lt=end, ended_by__verb__in=_VERBS)
    came, went = _by_hand(begun, "entry"), _by_hand(ended, "ended_by")
    told = []
    for verb, actor in sorted({*came, *went}):
        subnets, ipv4 = came.get((verb, actor), (0, 0))
        subnets_before, ipv4_before = went.get((verb, actor), (0, 0))
        if verb in _RESIZING:
            ipv4 -= ipv4_before
        elif not subnets:
            ipv4 = ipv4_before
        told.append({"what": verb, "by": actor, "subnets": max(subnets, subnets_before), "ipv4": str(ipv4)})
    return told


def _by_hand(rows: QuerySet[Tenure], hand: str) -> dict[tuple[str, str], tuple[int, int]]:
    """How many subnets and IPv4 addresses, by what was done and by whom: added up by the database."""
    by = (f"{hand}__verb", f"{hand}__actor_name")
    counted = rows.order_by().values_list(*by).annotate(n=Count("record", distinct=True))
    found = {(verb, actor): (subnets, 0) for verb, actor, subnets in counted}
    for verb, actor, length, n in (
        rows.filter(family=4).order_by().values_list(*by, "length").annotate(n=Count("*"))
    ):
        subnets, ipv4 = found[verb, actor]
        found[verb, actor] = subnets, ipv4 + n * (1 << (32 - length))
    return found
