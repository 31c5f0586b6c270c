"""Rows of set-up, ranges and addresses, one after the other: each by the operation that its kind of record is made by."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from lentra.addressing.prefix import range_text
from lentra.addressing.refusal import Refusal
from lentra.addressing.tables import blocks_of
from lentra.registry.errors import Invalid
from lentra.registry.intakes.columns import COLUMNS
from lentra.registry.intakes.found import Found, Progress, refused_alone
from lentra.registry.intakes.records import KINDS, TableKind, Values, text_of
from lentra.registry.models import Record
from lentra.registry.transactions.change import Change


def bring_in_rows(change: Change, table: str, rows: Sequence[Found], update: bool, progress: Progress) -> None:
    """Make, compare or refuse each row's record, in the order of the table; of pools, those around others first."""
    kind = KINDS[table]
    seen: dict[Any, int] = {}
    for count, one in enumerate(sorted(rows, key=_width) if table == "pools" else rows, 1):
        if not one.outcome:
            with refused_alone(change, one):
                _bring_in(change, table, kind, one, update, seen)
        progress("rows placed", count, len(rows))


def _width(one: Found) -> int:
    """The length of a pool's widest range; what cannot be read comes first, and is refused."""
    try:
        return min(block.length for block in blocks_of(one.said))
    except Refusal:
        return 0


def _bring_in(change: Change, table: str, kind: TableKind, one: Found, update: bool, seen: dict[Any, int]) -> None:
    refuse_incomplete(table, one.said)
    values = kind.read(one.said)
    there = kind.there(values)
    if there is None:
        record = kind.add(change, values)
        seen[record.pk] = one.number
        one.outcome = "pool" if table == "pools" else "new"
        one.told = _told(kind, record)
        return
    if earlier := seen.get(there.pk):
        raise Invalid(
            f"row {earlier} is of the same {kind.record}, {there.label_text}",
            field=COLUMNS[table][0].name,
            conflicts=[{"range": there.label_text, "kind": f"row {earlier}"}],
        )
    seen[there.pk] = one.number
    differs = differences(kind, there, values)
    one.outcome, one.told = ("differs" if differs else "same"), {**_told(kind, there), "id": there.pk}
    if differs:
        one.told["differs"] = differs
        if update:
            kind.edit(change, there, values)


def refuse_incomplete(table: str, said: dict[str, str]) -> None:
    """Refuse a row that leaves out what it must say.

    Raises:
        Invalid.
    """
    for column in COLUMNS[table]:
        if column.needed and column.name not in said:
            raise Invalid(f"the row does not say its {column.name}: {column.about}", field=column.name)


def differences(kind: TableKind, record: Record, values: Values) -> dict[str, list[str]]:
    """The facts that a row says otherwise than they are: field -> what is there, what the row says."""
    told = kind.told(record)
    found = {}
    for name, value in values.items():
        if name in ("family", "first", "last", "at", "address", "subnet"):
            continue
        if name == "range":
            kept = record.family, record.first, record.last
            if kept != value:
                found["prefix"] = [range_text(*kept), range_text(*value)]
            continue
        was: Any = getattr(record, name)
        if name == "ranges":
            was, value = (
                [str(one) for one in sorted(ranges)] for ranges in ([r.prefix for r in was.all()], value)
            )
            if was != value:
                found["prefix"] = [" ".join(was), " ".join(value)]
        elif isinstance(value, dict) and isinstance(was, dict):
            if {key: one for key, one in was.items() if one is not None} != value:
                found[name] = [text_of(was), text_of(value)]
        elif isinstance(value, list):
            names = ", ".join(sorted(str(getattr(one, "name", one)) for one in value))
            if names != told.get(name):
                found[name] = [told.get(name, ""), names]
        elif (text_of(was).lower() if name == "mac" else was) != (value.lower() if name == "mac" else value):
            found[name] = [text_of(was), text_of(value)]
    return found


def _told(kind: TableKind, record: Record) -> dict[str, Any]:
    return {name: text for name, text in kind.told(record).items() if text}
