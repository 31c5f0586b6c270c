"""Edit a record of set-up."""

from __future__ import annotations

from typing import Any

from lentra.registry.errors import Frozen
from lentra.registry.lookup.locked import find_locked
from lentra.registry.models import Pool, Record
from lentra.registry.operations.setup.add_record import refuse_taken_name
from lentra.registry.rules.kinds import KINDS
from lentra.registry.rules.permissions import require
from lentra.registry.transactions.change import Change


def edit_record(
    change: Change, kind: str, record_id: int, values: dict[str, Any], version: int | None = None
) -> Record:
    """Set values on an object.

    Args:
        version: the `last_entry` that the editor has read; None to edit whatever is there.

    Raises:
        StaleEdit: the object has changed since.
        Frozen: a field cannot change (any more).
        NotAllowed, Invalid, NameTaken: as for adding.
    """
    known = KINDS[kind]
    require(change.actor, known.role, f"edit a {kind}")
    record = find_locked(known.model, record_id, version=version)
    values = dict(values)
    refuse_frozen(kind, record, values)
    if isinstance(record, Pool) and "sheet" in values:
        values.setdefault("sheet_inherited", False)
    before = {field: getattr(record, field) for field in values}
    for field, value in values.items():
        setattr(record, field, value)
    derived = known.derived(record, values)
    before = {**{field: getattr(record, field) for field in derived}, **before}
    for field, value in derived.items():
        setattr(record, field, value)
    known.check(record, change.now)
    refuse_taken_name(kind, record)
    for field, value in before.items():
        setattr(record, field, value)
    change.edited(record, **{**values, **derived})
    for text in known.remarks(record):
        change.note(text)
    return record


def refuse_frozen(kind: str, record: Record, values: dict[str, Any]) -> None:
    """Refuse a change of a field that is fixed."""
    touched = [f for f in values if _differs(record, f, values[f])]
    if not touched:
        return
    known = KINDS[kind]
    frozen = [f for f in known.frozen(record) if f in touched]
    if frozen:
        count, users = known.users_of(record)
        why = f"{count} {'record uses' if count == 1 else 'records use'} it" if count else "it never can"
        raise Frozen(
            f"{frozen[0]} of {kind} {record.label_text} cannot change: {why}",
            field=frozen[0],
            rule=f"fixed: {', '.join(known.frozen(record))}",
            conflicts=users,
            suggestions=[f"add another {kind}"],
        )


def _differs(record: Record, field: str, value: Any) -> bool:
    return field not in {f.name for f in record._meta.get_fields()} or getattr(record, field) != value
