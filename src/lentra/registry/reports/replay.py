"""Records and tenures beside the ledger: what its entries, played one after the other, say they are and were."""

from __future__ import annotations

import json
import re
from collections.abc import Iterator, Sequence
from datetime import datetime, timedelta
from decimal import Decimal
from typing import Any

from django.core.serializers.json import DjangoJSONEncoder
from django.db.models import Q

from lentra.registry.models import LedgerEntry, Record, Tenure
from lentra.registry.space.tenures import KINDS, Course

_TENURE = tuple(field.attname for field in Tenure._meta.concrete_fields)
_ENDS = _TENURE.index("ends")
_TOLD_TO = timedelta(milliseconds=1)
_AT_ONCE = 1000
_NUMBER = re.compile(r"[0-9]+\.[0-9]+")


def departures_from_ledger(model: type[Record], records: Sequence[Record]) -> Iterator[tuple[str, str]]:
    """What of records of one kind, and of their tenures, is not what the ledger says: in words, and of which record."""
    last: dict[int, int] = {}
    told: dict[int, dict[str, Any]] = {}
    courses = _Courses(model)
    for entry in _entries([record.pk for record in records]):
        last[entry.record] = entry.number
        told.setdefault(entry.record, {}).update(entry.after or {})
        courses.enter(entry)
    yield from courses.departures([record.pk for record in records])
    for record in records:
        where = f"{model.KIND} {record.pk}"
        if last.get(record.pk) != record.last_entry:
            yield (
                f"{model.KIND} carries entry {record.last_entry}, the ledger's last is {last.get(record.pk)}",
                where,
            )
            continue
        facts = json.loads(json.dumps(record.facts(), cls=DjangoJSONEncoder))
        entries = told[record.pk]
        for name, value in facts.items():
            if not _same(value, entries.get(name)):
                yield f"{name} is {value!r:.80}, the ledger says {entries.get(name)!r:.80}", where


def departures_of_gone(model: type[Record], realm: int | None) -> Iterator[tuple[str, str]]:
    """What of the tenures of records that are there no more is not what the ledger says."""
    made = LedgerEntry.objects.filter(kind=model.KIND, subject=None).order_by("number")
    made = made if realm is None else made.filter(realm=realm)
    after = 0
    while page := list(made.filter(number__gt=after).values_list("number", flat=True)[:_AT_ONCE]):
        after = page[-1]
        there = set(model._default_manager.filter(pk__in=page).values_list("pk", flat=True))
        yield from tenures_beside_ledger(model, [number for number in page if number not in there])


def tenures_beside_ledger(model: type[Record], records: Sequence[int]) -> Iterator[tuple[str, str]]:
    """Of which records of one kind the tenures are not what the ledger says."""
    courses = _Courses(model)
    for entry in _entries(records):
        courses.enter(entry)
    yield from courses.departures(records)


class _Courses:
    """The tenures of records of one kind, as the ledger has them; none where the kind has no tenures."""

    def __init__(self, model: type[Record]) -> None:
        self._kind = model.KIND
        self._of: dict[int, Course] = {}

    def enter(self, entry: LedgerEntry) -> None:
        """The next entry."""
        if self._kind in KINDS:
            course = self._of.get(entry.record) or self._of.setdefault(
                entry.record, Course(self._kind, entry.record)
            )
            course.enter(entry.number, entry.operation, entry.at, entry.after)

    def departures(self, records: Sequence[int]) -> Iterator[tuple[str, str]]:
        """Where the tenures that are kept are others."""
        if self._kind not in KINDS:
            return
        kept: dict[int, list[tuple[Any, ...]]] = {}
        for row in Tenure.objects.filter(record__in=records).values_list(*_TENURE):
            kept.setdefault(row[0], []).append(row)
        for record in records:
            course = self._of.get(record)
            tenures = [*course.ended, *course.going_on.values()] if course else []
            by_ledger = sorted(tuple(getattr(tenure, name) for name in _TENURE) for tenure in tenures)
            if not _agree(sorted(kept.get(record, [])), by_ledger):
                yield "its tenures are not what the ledger says", f"{self._kind} {record}"


def _agree(kept: Sequence[tuple[Any, ...]], by_ledger: Sequence[tuple[Any, ...]]) -> bool:
    """The same; but that what ended with its subnet may have ended before that was entered."""
    if len(kept) != len(by_ledger):
        return False
    for row, told in zip(kept, by_ledger, strict=True):
        if row[:_ENDS] + row[_ENDS + 1 :] != told[:_ENDS] + told[_ENDS + 1 :]:
            return False
        ended = row[_TENURE.index("ended_by_id")] is not None
        if row[_ENDS] != told[_ENDS] and not _ends_well(row[_ENDS], told[_ENDS], ended):
            return False
    return True


def _ends_well(end: datetime | None, told: datetime | None, ended: bool) -> bool:
    """Whether an end may be that which the ledger tells to the millisecond; or one before it, where it has been entered."""
    if end is None or told is None:
        return False
    return end - told < _TOLD_TO and (ended or told - end < _TOLD_TO)


def _entries(records: Sequence[int]) -> Iterator[LedgerEntry]:
    """All entries of records, in order, with what is played of them."""
    rows = LedgerEntry.objects.filter(Q(number__in=records, subject=None) | Q(subject__in=records))
    return rows.order_by("number").only("number", "subject", "operation", "at", "after").iterator()


def _same(value: Any, told: Any) -> bool:
    """Equal, or both nothing: an entry leaves out what nobody has set."""
    if isinstance(value, str) and isinstance(told, str) and _NUMBER.fullmatch(value) and _NUMBER.fullmatch(told):
        return Decimal(value) == Decimal(told)  # 0.94 is kept as 0.940
    return value == told or (value in (None, "", [], {}) and told in (None, "", [], {}))
