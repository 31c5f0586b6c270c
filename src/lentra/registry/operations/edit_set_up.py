"""Edit a set-up object."""

from __future__ import annotations

from typing import Any

from lentra.registry.errors import Frozen, StaleEdit
from lentra.registry.ledger import Change
from lentra.registry.models import Pool, Record
from lentra.registry.operations.add_set_up import refuse_taken_name
from lentra.registry.permissions import require
from lentra.registry.setup import SETUPS


def edit_set_up(
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
    set_up = SETUPS[kind]
    require(change.actor, set_up.role, f"edit a {kind}")
    record = set_up.model._default_manager.select_for_update().get(pk=record_id)
    refuse_stale(record, version)
    refuse_frozen(kind, record, values)
    if isinstance(record, Pool) and "sheet" in values:
        values["sheet_inherited"] = False
    before = {field: getattr(record, field) for field in values}
    for field, value in values.items():
        setattr(record, field, value)
    set_up.check(record)
    refuse_taken_name(kind, record)
    for field, value in before.items():
        setattr(record, field, value)
    set_up.follows(record)
    change.edited(record, **values)
    set_up.follows(record)
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


def refuse_frozen(kind: str, record: Record, values: dict[str, Any]) -> None:
    """Refuse a change of a field that is fixed."""
    touched = [f for f in values if _differs(record, f, values[f])]
    if not touched:
        return
    set_up = SETUPS[kind]
    frozen = [f for f in set_up.frozen(record) if f in touched]
    if frozen:
        count, users = set_up.users_of(record)
        why = f"{count} {'record uses' if count == 1 else 'records use'} it" if count else "it never can"
        raise Frozen(
            f"{frozen[0]} of {kind} {record.label_text} cannot change: {why}",
            field=frozen[0],
            rule=f"fixed: {', '.join(set_up.frozen(record))}",
            conflicts=users,
            suggestions=[f"add another {kind}"],
        )


def _differs(record: Record, field: str, value: Any) -> bool:
    return field not in {f.name for f in record._meta.get_fields()} or getattr(record, field) != value
