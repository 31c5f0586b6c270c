"""Locks on records: whatever is entered of a record that was there before is held under its lock.

The row is written too, so that changes on two nodes of a cluster collide.
"""

from __future__ import annotations

from typing import Any, TypeVar

from django.db.models import F, QuerySet

from lentra.registry.errors import UnknownName
from lentra.registry.models import Record

Locked = TypeVar("Locked", bound=Record)


def lock(model: type[Locked], number: int, related: tuple[str, ...] = ()) -> Locked:
    """Lock a record until the change ends, and read it.

    Raises:
        UnknownName: it was removed just now.
    """
    rows = model._default_manager.filter(pk=number)
    if not rows.update(revision=F("revision") + 1):
        raise UnknownName(f"there is no {model.KIND} number {number} any more", field=model.KIND, received=number)
    record = model._default_manager.select_related(*related).get(pk=number)
    record.under_lock = True
    return record


def lock_all(rows: QuerySet) -> list[Any]:
    """Lock all records of a query in order of their number, and read those that still fit it, in the query's order."""
    numbers = sorted(rows.order_by().values_list("pk", flat=True))
    if not numbers:
        return []
    rows.model._default_manager.filter(pk__in=numbers).order_by("pk").update(revision=F("revision") + 1)
    records = list(rows.filter(pk__in=numbers))
    for record in records:
        record.under_lock = True
    return records
