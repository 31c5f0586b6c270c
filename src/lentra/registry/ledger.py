"""Writing the ledger: every change of a record goes through one of these methods of `Change`.

A record made here gets the number of its own first entry; each later entry leaves its number on the record.
"""

from __future__ import annotations

import uuid
from collections.abc import Sequence
from datetime import datetime
from typing import Any

from lentra.registry.clock import Clock
from lentra.registry.models import LedgerEntry, Person, Record
from lentra.registry.statements import Batch, insert


class Change:
    """One change in the making: who, when, why, and what it has written so far.

    Args:
        attempt: 0 at first, more when the same change is tried again after a clash with another.
    """

    def __init__(
        self,
        clock: Clock,
        actor: Person | None,
        operation: uuid.UUID,
        why: str,
        attempt: int,
        preview: bool,
    ) -> None:
        self.now: datetime = clock.now()
        self.actor = actor
        self.operation = operation
        self.why = why
        self.attempt = attempt
        self.preview = preview
        self.notes: list[str] = []
        self.batch = Batch()
        self.entries: list[LedgerEntry] = []

    def note(self, text: str) -> None:
        """Something worth knowing that does not stop the change."""
        if text not in self.notes:
            self.notes.append(text)

    def added(self, records: Sequence[Record], verb: str = "add", later: bool = False, **more: Any) -> None:
        """Enter new records and store them. `more` goes into each entry's `after`.

        Args:
            later: store them with the batch at the end, since nothing reads them before.
        """
        if not records:
            return
        entries = [self._entry(record, verb, None, record.made_facts() | more) for record in records]
        self._write(entries)
        for record, entry in zip(records, entries, strict=True):
            record.id = record.last_entry = entry.number
        if later:
            self.batch.insert(records)
        else:
            insert(records)

    def edited(self, record: Record, verb: str = "edit", **values: Any) -> bool:
        """Set values on a record, enter what differs, store it. Returns False if nothing differs."""
        before = record.facts()
        for field, value in values.items():
            setattr(record, field, value)
        after = record.facts()
        changed = {field for field in after if after[field] != before[field]}
        hidden = {field for field in values if field in record.HIDDEN}
        if not changed and not hidden:
            return False
        self.entered(record, verb, {f: before[f] for f in changed}, {f: after[f] for f in changed})
        record.save()
        return True

    def entered(
        self, record: Record, verb: str, before: dict[str, Any] | None, after: dict[str, Any] | None
    ) -> None:
        """Enter a change of a record that the caller stores."""
        entry = self._entry(record, verb, before, after)
        entry.subject = record.pk
        self._write([entry])
        record.last_entry = entry.number

    def entered_all(
        self,
        records: Sequence[Record],
        verb: str,
        before: Sequence[dict[str, Any]],
        after: Sequence[dict[str, Any]],
    ) -> None:
        """Enter a change of many records of one kind, which the caller stores."""
        entries = [self._entry(r, verb, b, a) for r, b, a in zip(records, before, after, strict=True)]
        for record, entry in zip(records, entries, strict=True):
            entry.subject = record.pk
        self._write(entries)
        for record, entry in zip(records, entries, strict=True):
            record.last_entry = entry.number

    def removed(self, records: Sequence[Record], verb: str = "remove", **more: Any) -> None:
        """Enter the removal of records of one kind, and delete them."""
        if not records:
            return
        entries = []
        for record in records:
            entry = self._entry(record, verb, record.facts() | more, None)
            entry.subject = record.pk
            entries.append(entry)
        self._write(entries)
        model = type(records[0])
        model._default_manager.filter(pk__in=[r.pk for r in records]).delete()

    def _write(self, entries: list[LedgerEntry]) -> None:
        numbers = insert(entries, returning="number")
        for entry, number in zip(entries, numbers, strict=True):
            entry.number = number
        self.entries += entries

    def _entry(self, record: Record, verb: str, before: Any, after: Any) -> LedgerEntry:
        realm = record.pk if record.KIND == "realm" else getattr(record, "realm_id", None)
        return LedgerEntry(
            at=self.now,
            operation=self.operation,
            actor=self.actor.pk if self.actor else None,
            actor_name=self.actor.name if self.actor else "lentra",
            verb=verb,
            kind=record.KIND,
            name=record.label_text,
            realm=realm,
            before=before,
            after=after,
            why=self.why,
        )
