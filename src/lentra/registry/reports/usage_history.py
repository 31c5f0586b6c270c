"""Usage on an earlier day, from readings; and what changed between two days, from the ledger."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from datetime import date, timedelta
from typing import Any

from lentra.registry.errors import Invalid
from lentra.registry.lookup.in_order import rows_after
from lentra.registry.models import LedgerEntry, Reading
from lentra.registry.transactions.clock import start_of

_VERBS = ("hand out", "give back", "grow", "shrink", "end cooling", "end hold", "add family")
_AT_ONCE = 5000


def usage_on(pool_ids: Sequence[int], day: date) -> list[Reading]:
    """The pools' last readings on or before a day."""
    rows = Reading.objects.filter(kind="pool", subject__in=pool_ids, day__lte=day).order_by("day")
    last: dict[tuple[int, int], Reading] = {}
    for reading in rows.filter(day__gt=day - timedelta(days=31)):
        last[reading.subject, reading.family] = reading
    return [last[key] for key in sorted(last)]


def changes_between(first: date, last: date, pools: Iterable[int] | None = None) -> list[dict[str, Any]]:
    """What changed from one day to another: by whom, what was done, how often, and over how many addresses.

    Raises:
        Invalid: the days are reversed.
    """
    if last < first:
        raise Invalid(f"{first} comes after {last}", field="since", received=first, suggestions=[last])
    wanted = None if pools is None else set(pools)
    told: dict[tuple[str, str], dict[str, Any]] = {}
    for part in _entries(first, last):
        # An entry that changed a state alone does not repeat the blocks: the one that made the record has them.
        made = LedgerEntry.objects.filter(pk__in={subject for _, subject, *_ in part if subject})
        first_facts = dict(made.values_list("number", "after"))
        for number, subject, actor, verb, before, after in part:
            facts = {**(first_facts.get(subject or number) or {}), **(before or {}), **(after or {})}
            if verb == "give back":  # what it had then, which need not be what it began with
                facts["blocks"] = (before or {}).get("blocks") or facts.get("blocks")
            if wanted is not None and facts.get("pool_id") not in wanted:
                continue
            row = told.setdefault((verb, actor), {"what": verb, "by": actor, "subnets": 0, "ipv4": 0})
            row["subnets"] += 1
            row["ipv4"] += _ipv4(after) - _ipv4(before) if verb in ("grow", "shrink") else _ipv4(facts)
    return [row | {"ipv4": str(row["ipv4"])} for _, row in sorted(told.items())]


def _entries(first: date, last: date) -> Iterator[list[tuple[Any, ...]]]:
    """The entries of what was handed out, changed and given back from one day to another, in lots, in order of time."""
    begin, end = start_of(first), start_of(last + timedelta(days=1))
    columns = ("number", "subject", "actor_name", "verb", "before", "after", "at")
    rows = LedgerEntry.objects.filter(kind="subnet", verb__in=_VERBS, at__lt=end).values_list(*columns)
    at, after = begin, 0
    while part := rows_after(rows, "at", at, after, _AT_ONCE):
        yield [row[:-1] for row in part]
        after, at = part[-1][0], part[-1][-1]


def _ipv4(facts: Mapping[str, Any] | None) -> int:
    blocks = (facts or {}).get("blocks") or []
    return sum(1 << (32 - int(b.partition("/")[2])) for b in blocks if ":" not in b)
