"""The feed: ledger entries in the order of their commits, none skipped, from behind any number on."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from django.db.models import QuerySet

from lentra.registry.models import LedgerEntry, Ordered
from lentra.registry.transactions.ordering import position_of

_RUNS = 200
_TOGETHER = 1000  # numbers that are looked for by name
_MOST = 50_000  # numbers that one question goes through


@dataclass
class Part:
    """A part of the feed: entries, and the number from behind which to go on."""

    entries: list[LedgerEntry]
    after: int


def read_feed(rows: QuerySet[LedgerEntry], after: int, count: int) -> Part:
    """Entries of `rows` that were committed after a number, so many at most, in order.

    Where few match, it comes back after some time with less, and with how far it has come.

    Args:
        after: a number that was told before; 0 for the beginning.

    Raises:
        Invalid: there has never been such a number.
    """
    position = position_of(after)
    if position is None:
        return Part([], after)
    part, gone_through = Part([], after), 0
    for first, last, together in _stretches(position, after):
        missing = count - len(part.entries)
        if together:
            rank = {number: n for n, number in enumerate(together)}
            entries = sorted(rows.filter(number__in=together), key=lambda entry: rank[entry.number])
        else:
            entries = list(rows.filter(number__gte=first, number__lte=last).order_by("number")[:missing])
        part.entries += entries[:missing]
        if len(entries) >= missing:
            part.after = part.entries[-1].number
            return part
        part.after = last
        gone_through += len(together) or last - first + 1
        if gone_through > _MOST:
            break
    return part


def _stretches(position: int, after: int) -> Iterator[tuple[int, int, list[int]]]:
    """Runs in order, from behind a number on: a long one by its bounds, several short ones with all of their numbers.

    Yields:
        first and last number, and the numbers one by one where they are few; of several runs, the last is that of the last.
    """
    while runs := list(Ordered.objects.filter(position__gte=position).order_by("position")[:_RUNS]):
        together: list[int] = []
        for run in runs:
            first = after + 1 if run.first <= after <= run.last else run.first
            if run.last - first >= _TOGETHER:
                if together:
                    yield together[0], together[-1], together
                    together = []
                yield first, run.last, []
                continue
            together += range(first, run.last + 1)
            if len(together) >= _TOGETHER:
                yield together[0], together[-1], together
                together = []
        if together:
            yield together[0], together[-1], together
        if len(runs) < _RUNS:
            return
        position = runs[-1].position + 1
