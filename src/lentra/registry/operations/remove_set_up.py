"""Remove a set-up object that nothing uses."""

from __future__ import annotations

from lentra.registry.errors import InUse
from lentra.registry.ledger import Change
from lentra.registry.models import Record
from lentra.registry.permissions import require
from lentra.registry.setup import SETUPS


def remove_set_up(change: Change, kind: str, record_id: int) -> Record:
    """Remove an object.

    Raises:
        NotAllowed: the actor's role does not reach.
        InUse: something uses it; lists what.
    """
    set_up = SETUPS[kind]
    require(change.actor, set_up.role, f"remove a {kind}")
    record = set_up.model._default_manager.select_for_update().get(pk=record_id)
    refuse_used(kind, record)
    change.removed([record])
    set_up.follows(record)
    return record


def refuse_used(kind: str, record: Record) -> None:
    """Refuse to remove what is in use, and list what uses it."""
    count, users = SETUPS[kind].users_of(record)
    if count:
        first = users[0]
        more = f" and {count - 1} more" if count > 1 else ""
        raise InUse(
            f"{kind} {record.label_text} is used by {first['kind']} {first['range']}{more}: it cannot be removed",
            conflicts=users,
            rule="what is in use stays",
        )
