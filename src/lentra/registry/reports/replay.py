"""Records beside their ledger: what their entries, played one after the other, say they are."""

from __future__ import annotations

import json
import re
from collections.abc import Iterator, Sequence
from decimal import Decimal
from typing import Any

from django.core.serializers.json import DjangoJSONEncoder
from django.db.models import Q

from lentra.registry.models import LedgerEntry, Record

_NUMBER = re.compile(r"[0-9]+\.[0-9]+")


def departures_from_ledger(model: type[Record], records: Sequence[Record]) -> Iterator[tuple[str, str]]:
    """What of records of one kind is not what the ledger says: in words, and of which record."""
    numbers = [record.pk for record in records]
    last: dict[int, int] = {}
    told: dict[int, dict[str, Any]] = {}
    rows = LedgerEntry.objects.filter(Q(number__in=numbers, subject=None) | Q(subject__in=numbers))
    for number, subject, after in rows.order_by("number").values_list("number", "subject", "after"):
        record = subject or number
        last[record] = number
        told.setdefault(record, {}).update(after or {})
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


def _same(value: Any, told: Any) -> bool:
    """Equal, or both nothing: an entry leaves out what nobody has set."""
    if isinstance(value, str) and isinstance(told, str) and _NUMBER.fullmatch(value) and _NUMBER.fullmatch(told):
        return Decimal(value) == Decimal(told)  # 0.94 is kept as 0.940
    return value == told or (value in (None, "", [], {}) and told in (None, "", [], {}))
