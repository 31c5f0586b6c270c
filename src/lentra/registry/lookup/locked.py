"""Find, lock, look again: a record that is about to be changed is judged as it is under its lock."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from lentra.registry.errors import StaleEdit
from lentra.registry.lookup.find import find
from lentra.registry.models import Record
from lentra.registry.transactions.locks import Locked, lock


def find_locked(
    model: type[Locked],
    ref: Any,
    field: str | None = None,
    *,
    may: Callable[[Locked], None] = lambda record: None,
    version: int | None = None,
    related: tuple[str, ...] = (),
) -> Locked:
    """The record that `ref` means, locked until the change ends.

    Args:
        may: refuses who may not change it; asked before the lock is taken, and again of what is locked.
        version: the `last_entry` that the editor has read; None to change whatever is there.

    Raises:
        UnknownName: nothing is called that, or it was removed just now.
        StaleEdit: it has changed since `version`.
    """
    found = find(model, ref, field, related=related)
    may(found)
    record = lock(model, found.pk, related)
    may(record)
    refuse_stale(record, version)
    return record


def refuse_stale(record: Record, version: int | None) -> None:
    """Refuse an edit made on an older version of the record."""
    if version is not None and version != record.last_entry:
        raise StaleEdit(
            f"{record.KIND} {record.label_text} has changed since you read it (then at ledger entry "
            f"{version}, now at {record.last_entry}): read it again",
            field="If-Match",
            received=version,
            suggestions=[record.last_entry],
        )
