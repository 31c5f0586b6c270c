"""Remove a realm that has no pools, with its keep-outs and past renumberings."""

from __future__ import annotations

from lentra.registry.lookup.locked import find_locked
from lentra.registry.models import KeepOut, Move, Realm, Renumbering
from lentra.registry.operations.setup.remove_record import refuse_used
from lentra.registry.rules.permissions import require
from lentra.registry.space.locking import lock_outline
from lentra.registry.transactions.change import Change
from lentra.registry.transactions.locks import lock_all


def remove_realm(change: Change, realm_id: int, version: int | None = None) -> Realm:
    """Remove a realm.

    Raises:
        InUse: it still has pools; lists them.
        NotAllowed: the actor is no planner.
    """
    require(change.actor, "planner", "remove a realm")
    lock_outline(realm_id)
    realm = find_locked(Realm, realm_id, version=version)
    refuse_used("realm", realm)
    change.removed(lock_all(Move.objects.filter(realm_id=realm_id)))
    change.removed(lock_all(Renumbering.objects.filter(realm_id=realm_id)))
    change.removed(lock_all(KeepOut.objects.filter(realm_id=realm_id)))
    change.removed([realm])
    return realm
