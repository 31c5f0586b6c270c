"""Tenures follow from the ledger: what entries say of a record's space and place makes its tenures, and ends them.

`settle` keeps them in the same transaction as each change; `Course` makes them anew out of entries alone, for whoever
checks that they agree. What one operation changes twice was the second from the start.
"""

from __future__ import annotations

import uuid
from collections.abc import Iterable, Mapping, Sequence
from datetime import datetime
from typing import Any

from lentra.addressing.prefix import Prefix, parse_prefix, parse_range, prefixes_of_range
from lentra.registry.models import Address, KeepOut, LedgerEntry, Reservation, Subnet, Tenure
from lentra.registry.transactions.change import Change

# What an entry calls it, and what a tenure does.
_TOLD: dict[str, dict[str, str]] = {
    Subnet.KIND: {
        **{f"{name}_id": name for name in ("realm", "pool", "project", "region", "zone", "tier")},
        **{name: name for name in ("name", "state", "attached_to")},
        "attached_record_id": "attached_record",
    },
    Address.KIND: {"realm_id": "realm", "subnet_id": "subnet", "name": "name", "kind": "state", "mac": "mac"},
    Reservation.KIND: {"realm_id": "realm", "pool_id": "pool", "zone_id": "zone", "name": "name", "kind": "state"},
    KeepOut.KIND: {"realm_id": "realm", "kind": "state", "reason": "name"},
}
_SPACE = {Subnet.KIND: "blocks", Address.KIND: "address", Reservation.KIND: "range", KeepOut.KIND: "range"}
_ENDS = "ends_at"
_EMPTY = {"name": "", "state": "", "attached_to": ""}
_WRITTEN = tuple(
    field.attname for field in Tenure._meta.concrete_fields if field.attname not in Tenure._meta.pk.field_names
)
KINDS = tuple(_TOLD)


class Course:
    """The tenures of one record as entries are played, the earliest first.

    Args:
        going_on: its tenures that go on, where it is known already.
    """

    def __init__(self, kind: str, record: int, going_on: Iterable[Tenure] = ()) -> None:
        self.kind, self.record = kind, record
        self.going_on = {tenure.prefix: tenure for tenure in going_on}
        self.ended: list[Tenure] = []
        self._fresh: set[int] = set()  # entries by which those of the operation under way began
        self._operation: uuid.UUID | None = None

    def enter(self, number: int, operation: uuid.UUID, at: datetime, after: Mapping[str, Any] | None) -> None:
        """Take the next entry of the record into account."""
        if operation != self._operation:
            self._operation, self._fresh = operation, set()
        if after is None:
            for tenure in list(self.going_on.values()):
                self._end(tenure, number, at)
            return
        told = {column: after[name] for name, column in _TOLD[self.kind].items() if name in after}
        space = after.get(_SPACE[self.kind])
        if not (told or space is not None or _ENDS in after):
            return
        before = next(iter(self.going_on.values()), None)
        facts = {} if before is None else {name: getattr(before, name) for name in _columns(self.kind)}
        now = facts | {name: _EMPTY.get(name) if value is None else value for name, value in told.items()}
        if before is None and "realm" not in now:
            return  # of one that has none, a part of its facts makes none either
        prefixes = list(self.going_on) if space is None else _prefixes(space)
        ends = (before.ends if before else None) if _ENDS not in after else _moment(after[_ENDS])
        since: Tenure | None = None  # whose place others take, in the same operation
        for prefix, tenure in list(self.going_on.items()):
            if now == facts and prefix in prefixes:
                tenure.ends = ends
            elif self._end(tenure, number, at):
                since = tenure
        entry = since.entry_id if since else number
        self._fresh.add(entry)
        for prefix in prefixes:
            if prefix not in self.going_on:
                self.going_on[prefix] = Tenure(
                    record=self.record,
                    entry_id=entry,
                    family=prefix.family,
                    first=prefix.first,
                    length=prefix.length,
                    kind=self.kind,
                    begins=at,
                    ends=ends,
                    **now,
                )

    def _end(self, tenure: Tenure, number: int, at: datetime) -> bool:
        """End a tenure; whether it never was, since it began in the same operation."""
        del self.going_on[tenure.prefix]
        if tenure.entry_id in self._fresh:
            return True
        tenure.ends = max(tenure.begins, min(tenure.ends or at, at))
        tenure.ended_by_id = number
        self.ended.append(tenure)
        return False


def settle(change: Change) -> None:
    """Keep the tenures of what a change has entered; called before it is committed."""
    entered: dict[int, list[LedgerEntry]] = {}
    for entry in change.entries:
        if entry.kind in _TOLD and (entry.after is None or _speaks(entry.kind, entry.after)):
            entered.setdefault(entry.record, []).append(entry)
    if not entered:
        return
    known = [record for record, entries in entered.items() if entries[0].subject is not None]
    going_on: dict[int, list[Tenure]] = {}
    for tenure in Tenure.objects.filter(record__in=known, ended_by=None) if known else ():
        going_on.setdefault(tenure.record, []).append(tenure)
    fresh: list[Tenure] = []
    kept: list[Tenure] = []
    for record, entries in entered.items():
        course = Course(entries[0].kind, record, going_on.get(record, ()))
        for entry in entries:
            course.enter(entry.number, entry.operation, entry.at, entry.after)
        if record not in going_on:
            fresh += [*course.ended, *course.going_on.values()]
            continue
        kept += [*course.ended, *course.going_on.values()]
    _end_with_subnets(kept)
    change.batch.insert(fresh)
    change.batch.insert(kept, update=_WRITTEN)


def _end_with_subnets(tenures: Sequence[Tenure]) -> None:
    """What is recorded in a subnet that has ended by itself has ended when it did."""
    ends = {t.record: t.ends for t in tenures if t.kind == Subnet.KIND and t.ended_by_id and t.ends}
    for tenure in tenures:
        if tenure.ended_by_id and tenure.ends and (end := ends.get(tenure.subnet or 0)) and end < tenure.ends:
            tenure.ends = max(tenure.begins, end)


def _speaks(kind: str, after: Mapping[str, Any]) -> bool:
    """Whether an entry says anything that tenures tell."""
    return not {*_TOLD[kind], _SPACE[kind], _ENDS}.isdisjoint(after)


def _columns(kind: str) -> Iterable[str]:
    return _TOLD[kind].values()


def _prefixes(space: Any) -> list[Prefix]:
    """The prefixes of what an entry says: a list of prefixes, or an address or range."""
    if isinstance(space, list | tuple):
        return [parse_prefix(text) for text in space]
    return prefixes_of_range(*parse_range(space))


def _moment(value: Any) -> datetime | None:
    """A moment as a record has it, or as the ledger has it in JSON."""
    return datetime.fromisoformat(value) if isinstance(value, str) else value
