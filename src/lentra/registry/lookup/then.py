"""What there was before: the names that records had at a moment, and pools, also those that are gone."""

from __future__ import annotations

from bisect import bisect_left
from collections.abc import Iterable
from datetime import datetime

from django.db.models import Q

from lentra.registry.models import LedgerEntry, Pool


class NamesThen:
    """The names that records have had, by the ledger."""

    def __init__(self, numbers: Iterable[int | None]) -> None:
        wanted = {number for number in numbers if number}
        entries = LedgerEntry.objects.filter(Q(number__in=wanted, subject=None) | Q(subject__in=wanted))
        self._names: dict[int, list[tuple[datetime, str]]] = {}
        for number, subject, at, name in entries.order_by("number").values_list("number", "subject", "at", "name"):
            names = self._names.setdefault(subject or number, [])
            if not names or names[-1][1] != name:
                names.append((at, name))

    def told(self, number: int | None, moment: datetime) -> dict[str, object] | None:
        """Number and name of a record just before a moment; the first it ever had, where it was made later."""
        if number is None or number not in self._names:
            return None
        names = self._names[number]
        return {"id": number, "name": names[max(0, bisect_left(names, (moment,)) - 1)][1]}


def pools_ever(**of: Iterable[int]) -> list[int]:
    """The numbers of all pools that there are and were; `of`: filters of their first ledger entries."""
    return list(LedgerEntry.objects.filter(kind=Pool.KIND, subject=None, **of).values_list("number", flat=True))
