"""Remove a realm that has no pools, with its keep-outs."""

from __future__ import annotations

from lentra.registry.ledger import Change
from lentra.registry.models import KeepOut, Realm
from lentra.registry.operations.add_pool import lock_outline
from lentra.registry.operations.remove_set_up import remove_set_up
from lentra.registry.permissions import require


def remove_realm(change: Change, realm_id: int) -> Realm:
    """Remove a realm.

    Raises:
        InUse: it still has pools; lists them.
        NotAllowed: the actor is no planner.
    """
    require(change.actor, "planner", "remove a realm")
    lock_outline(realm_id)
    keep_outs = list(KeepOut.objects.filter(realm_id=realm_id))
    change.removed(keep_outs)
    realm = remove_set_up(change, "realm", realm_id)
    assert isinstance(realm, Realm)
    return realm
