"""One change in the making, and the ledger: every change of a record goes through a method of `Change`.

The number of a record is known before anything is written of it: it is that of its first ledger entry. Each later
entry leaves its number on the record.
"""

from __future__ import annotations

import uuid
from collections.abc import Callable, Iterable, Iterator, Sequence
from datetime import datetime
from typing import Any

from lentra.registry.models import LedgerEntry, Number, Person, Record
from lentra.registry.transactions.clock import Clock
from lentra.registry.transactions.proposals import Promise
from lentra.registry.transactions.sql import Batch, Prepared, insert, numbering, read_text

# Query, values, who reads it.
AskedFirst = tuple[Prepared, dict[str, Any], Callable[[list[tuple[Any, ...]]], None]]


class Change:
    """One change in the making: who, when, why, and what it has written so far.

    Args:
        attempt: 0 at first, more when the same change is tried again after a clash with another.
        also_open: pools that must be opened with whatever else is, since what has ended in them is in the way.
        promise: what a preview has shown, if the change is to do just that.
    """

    def __init__(
        self,
        clock: Clock,
        actor: Person | None,
        operation: uuid.UUID,
        why: str,
        attempt: int,
        preview: bool,
        also_open: Iterable[int] = (),
        promise: Promise | None = None,
    ) -> None:
        self.now: datetime = clock.now()
        self.actor = actor
        self.operation = operation
        self.why = why
        self.attempt = attempt
        self.preview = preview
        self.also_open = set(also_open)
        self.promise = promise
        self.notes: list[str] = []
        self.batch = Batch()
        self.entries: list[LedgerEntry] = []
        self.ended: list[LedgerEntry] = []  # those of what has ended by itself
        self.made: list[Record] = []
        self.gone: list[Record] = []
        self.forgotten = 0  # entries that are written and no longer held
        self.asks_first: AskedFirst | None = None  # whether it was done before, where that is asked under its lock
        self.goes_by: int | None = None  # the revision of the set-up as this process keeps it, if it goes by that
        self.takes: dict[int, list[Any]] = {}  # project -> what it takes for it: see `rules.quotas`
        self.beyond_quota = (
            False  # a planner grants what goes beyond: quotas are raised to that, if it comes to it
        )
        self.raises: dict[int, dict[str, int]] = {}  # quota -> limit -> what it is raised to
        self.over: Exception | None = None  # the refusal of what goes beyond a quota, where that may be granted
        self.for_planner = False  # what it does is done only once a planner has granted it
        self.waits: Any = None  # the approval rule that it meets, in a preview
        self.open_pools: dict[int, dict[int, Any]] = {}  # pool -> family -> store: see `space.locking`
        self._numbers: list[int] = []  # taken and not yet used, lowest last

    @property
    def own_entries(self) -> list[LedgerEntry]:
        """The entries of what the change itself does."""
        ended = {entry.number for entry in self.ended}
        return [entry for entry in self.entries if entry.number not in ended]

    def shown(self, kind: str) -> dict[str, Any] | None:
        """What a preview has shown of the next record of a kind, which this change is to make just so."""
        return self.promise.next(kind) if self.promise else None

    def note(self, text: str) -> None:
        """Something worth knowing that does not stop the change."""
        if text not in self.notes:
            self.notes.append(text)

    def numbers(self, count: int) -> Iterator[int]:
        """Take so many numbers for records to come: an owner is known before it takes space."""
        self.expect_numbers(count)
        return iter([self._numbers.pop() for _ in range(count)])

    def expect_numbers(self, count: int) -> None:
        """Have so many numbers ready: one statement, where they would be taken one by one."""
        missing = count - len(self._numbers)
        if missing > 0:
            self.numbered(read_text(numbering(Number, missing)))

    def numbered(self, rows: Iterable[tuple[Any, ...]]) -> None:
        """Keep numbers that were taken together with something else."""
        self._numbers = sorted([*self._numbers, *(row[0] for row in rows)], reverse=True)

    def added(self, records: Sequence[Record], verb: str = "add", later: bool = False, **more: Any) -> None:
        """Enter new records and store them, under the numbers that they have been given or get here.

        `more` goes into each entry's `after`.

        Args:
            later: store them with the batch at the end, since nothing reads them before.
        """
        if not records:
            return
        entries = [self._entry(record, verb, None, record.made_facts() | more) for record in records]
        fresh = self.numbers(sum(record.pk is None for record in records))
        for record, entry in zip(records, entries, strict=True):
            if record.pk is None:
                record.id = next(fresh)
            entry.number = record.last_entry = record.pk
            if record.KIND == "realm":
                entry.realm = record.pk
            record.under_lock = True
        self._write(entries)
        self.made += records
        if later:
            self.batch.insert(records)
        else:
            insert(records)

    def edited(self, record: Record, verb: str = "edit", **values: Any) -> bool:
        """Set values on a record, enter what differs, store the columns that changed. False if nothing differs."""
        before = record.facts()
        for field, value in values.items():
            setattr(record, field, value)
        after = record.facts()
        changed = {field for field in after if after[field] != before[field]}
        hidden = {field for field in values if field in record.HIDDEN}
        if not changed and not hidden:
            return False
        self.entered(record, verb, {f: before[f] for f in changed}, {f: after[f] for f in changed})
        record.save(update_fields=[*values, "last_entry"])
        return True

    def edited_all(self, records: Sequence[Record], verb: str, **values: Any) -> None:
        """Set the same values on many records of one kind, enter what differs, store those columns."""
        if not records:
            return
        names = [type(records[0])._meta.get_field(name).attname for name in values]
        before = [{name: getattr(record, name) for name in names} for record in records]
        for record in records:
            for name, value in values.items():
                setattr(record, name, value)
        after = [{name: getattr(record, name) for name in names} for record in records]
        self.entered_all(records, verb, before, after)
        self.stored(records, *names)

    def entered(
        self, record: Record, verb: str, before: dict[str, Any] | None, after: dict[str, Any] | None
    ) -> None:
        """Enter a change of a record that the caller stores."""
        self.entered_all([record], verb, [before], [after])

    def entered_all(
        self,
        records: Sequence[Record],
        verb: str,
        before: Sequence[dict[str, Any] | None],
        after: Sequence[dict[str, Any] | None],
    ) -> None:
        """Enter a change of many records of one kind, which the caller stores."""
        entries = [self._entry_of_known(r, verb, b, a) for r, b, a in zip(records, before, after, strict=True)]
        self._write(entries)
        for record, entry in zip(records, entries, strict=True):
            record.last_entry = entry.number

    def stored(self, records: Sequence[Record], *columns: str) -> None:
        """Store columns (attnames) of many records that are there and were entered, with the numbers of their entries."""
        insert(records, update=(*columns, "last_entry"))

    def forget_entered(self) -> None:
        """Hold no more of what was entered: it is written, and what follows from it is kept."""
        self.forgotten += len(self.entries)
        self.entries, self.made, self.gone = [], [], []
        self.takes = {}  # it is counted where it is kept

    def told(self, verb: str, kind: str, name: str, after: dict[str, Any], realm: int | None = None) -> None:
        """Enter something that happened and changed no record."""
        entry = LedgerEntry(verb=verb, kind=kind, name=name, after=after, why=self.why, realm=realm)
        self._write([self._signed(entry)])

    def removed(self, records: Sequence[Record], verb: str = "remove", **more: Any) -> None:
        """Enter the removal of records of one kind, and delete them."""
        if not records:
            return
        self._write([self._entry_of_known(record, verb, record.facts() | more, None) for record in records])
        self.gone += records
        model = type(records[0])
        model._default_manager.filter(pk__in=[r.pk for r in records]).delete()

    def _write(self, entries: list[LedgerEntry]) -> None:
        fresh = self.numbers(sum(entry.number is None for entry in entries))
        for entry in entries:
            if entry.number is None:
                entry.number = next(fresh)
        self.batch.insert(entries)
        self.entries += entries

    def _entry_of_known(self, record: Record, verb: str, before: Any, after: Any) -> LedgerEntry:
        """An entry of a record that was there before: held under its lock, lest another change be overwritten."""
        assert record.under_lock, f"{record.KIND} {record.pk} is changed ({verb}) and not locked"
        entry = self._entry(record, verb, before, after)
        entry.subject = record.pk
        return entry

    def _entry(self, record: Record, verb: str, before: Any, after: Any) -> LedgerEntry:
        realm = record.pk if record.KIND == "realm" else getattr(record, "realm_id", None)
        entry = LedgerEntry(
            verb=verb,
            kind=record.KIND,
            name=record.label_text,
            realm=realm,
            before=before,
            after=after,
            why=self.why,
        )
        return self._signed(entry)

    def _signed(self, entry: LedgerEntry) -> LedgerEntry:
        entry.at, entry.operation = self.now, self.operation
        entry.actor = self.actor.pk if self.actor else None
        entry.actor_name = self.actor.name if self.actor else "lentra"
        return entry
