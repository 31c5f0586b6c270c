"""Remove a record of set-up that nothing uses."""

from __future__ import annotations

from lentra.registry.errors import InUse
from lentra.registry.lookup.locked import find_locked
from lentra.registry.models import Record
from lentra.registry.rules.kinds import KINDS
from lentra.registry.rules.permissions import require
from lentra.registry.transactions.change import Change


def remove_record(change: Change, kind: str, record_id: int, version: int | None = None) -> Record:
    """Remove an object.

    Raises:
        NotAllowed: the actor's role does not reach.
        InUse: something uses it; lists what.
        StaleEdit: it has changed since `version`.
    """
    known = KINDS[kind]
    require(change.actor, known.role, f"remove a {kind}")
    record = find_locked(known.model, record_id, version=version)
    refuse_used(kind, record)
    change.removed([record])
    return record


def refuse_used(kind: str, record: Record) -> None:
    """Refuse to remove what is in use, and list what uses it."""
    count, users = KINDS[kind].users_of(record)
    if count:
        first = users[0]
        more = f" and {count - 1} more" if count > 1 else ""
        raise InUse(
            f"{kind} {record.label_text} is used by {first['kind']} {first['range']}{more}: it cannot be removed",
            conflicts=users,
            rule="what is in use stays",
        )
