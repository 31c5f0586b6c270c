"""Give back a subnet: active, then cooling, then free and gone from the registry (but not its ledger)."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import datetime, timedelta
from typing import Any

from lentra.addressing.extents import Extent, State, give_back
from lentra.registry.endings import free_subnets, note_end
from lentra.registry.errors import StillAttached, WrongState
from lentra.registry.keep_outs import keep_out_of
from lentra.registry.ledger import Change
from lentra.registry.models import Subnet
from lentra.registry.operations.edit_set_up import refuse_stale
from lentra.registry.permissions import require, require_project
from lentra.registry.queries.find import find
from lentra.registry.space import DatabaseExtents, lock_spaces, open_extents


def give_back_subnet(change: Change, subnet_ref: Any, at_once: bool = False, version: int | None = None) -> Subnet:
    """Give a subnet back. Its range and name cool for as long as its pool says, or are free at once.

    Args:
        at_once: skip cooling, or end it now; for planners.

    Raises:
        NotAllowed: neither planner nor requester of the project, or `at_once` by a requester.
        WrongState: it is cooling already.
        StillAttached: it is a public address that is attached to something.
        StaleEdit: it has changed since `version`.
    """
    subnet = find(Subnet, subnet_ref, "subnet", related=("project", "pool__realm", "zone", "tier", "region"))
    require_project(change.actor, subnet.project, "give back a subnet")
    if at_once:
        require(change.actor, "planner", "free a subnet at once")
    pool = subnet.pool
    stores = open_extents(pool, lock_spaces([pool.pk]))
    subnet = find(Subnet, subnet.pk, "subnet", related=("project", "pool__realm", "zone", "tier", "region"))
    refuse_stale(subnet, version)
    if subnet.state == "cooling" and not at_once:
        raise WrongState(
            f"subnet {subnet.name} has been given back already: it cools until "
            f"{subnet.ends_at:%Y-%m-%d %H:%M} UTC",
            received=subnet.state,
            rule="a planner can end cooling at once",
            suggestions=["at_once: true"],
        )
    if subnet.attached_to:
        raise StillAttached(
            f"{subnet.blocks()[0]} ({subnet.name}) is attached to {subnet.attached_to}: detach it first",
            received=subnet.name,
            rule="what is attached is in use",
            conflicts=[{"range": str(subnet.blocks()[0]), "owner": subnet.attached_to, "kind": "target"}],
            suggestions=["detach it"],
        )
    subnet.known_blocks = subnet.blocks()
    if at_once or pool.cooling_days == 0 or subnet.state == "held":
        free_subnets(change, [subnet], stores, "give back")
        subnet.state = "free"
    else:
        _cool(change, subnet, stores, change.now + timedelta(days=pool.cooling_days))
    for store in stores.values():
        store.save()
    return subnet


def _cool(change: Change, subnet: Subnet, stores: Mapping[int, DatabaseExtents], until: datetime) -> None:
    for store in stores.values():
        room = []
        for extent in store.owned_by(subnet.pk):
            if extent.state is State.HANDED_OUT:
                store.replace([extent], [Extent(extent.prefix, State.COOLING, subnet.pk)])
            else:
                room.append(extent)
        for free in give_back(store, room):
            keep_out_of(store, free, subnet.realm_id)
    note_end(stores, until)
    change.edited(subnet, "give back", state="cooling", ends_at=until)
