"""Give back a subnet: active, then cooling, then free and gone from the registry (but not its ledger)."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import datetime, timedelta
from typing import Any

from lentra.addressing.extents import Extent, State, give_back
from lentra.registry.endings import free_subnets, note_end
from lentra.registry.errors import StillAttached, WrongState
from lentra.registry.keep_outs import keep_out_of
from lentra.registry.ledger import Change
from lentra.registry.models import Pool, Subnet
from lentra.registry.operations.edit_set_up import refuse_stale
from lentra.registry.permissions import require, require_project
from lentra.registry.queries.find import find
from lentra.registry.space import DatabaseExtents, lock_stores_of


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
    stores = lock_stores_of([subnet.pk])
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
        _cool(change, [subnet], stores, change.now + timedelta(days=pool.cooling_days))
    for store in stores.values():
        store.save()
    return subnet


def give_back_many(change: Change, subnets: Sequence[Subnet]) -> None:
    """Give back subnets in use, together: each cools for as long as its pool says, or is free at once.

    Raises:
        StillAttached: one is attached to something.
    """
    for subnet in subnets:
        if subnet.attached_to:
            raise StillAttached(f"{subnet.name} is attached to {subnet.attached_to}: detach it first")
    stores = lock_stores_of([subnet.pk for subnet in subnets])
    days = dict(Pool.objects.filter(pk__in={s.pool_id for s in subnets}).values_list("pk", "cooling_days"))
    for cooling in sorted(set(days.values())):
        own = [subnet for subnet in subnets if days[subnet.pool_id] == cooling]
        if cooling:
            _cool(change, own, stores, change.now + timedelta(days=cooling))
        else:
            free_subnets(change, own, stores, "give back")
    for store in stores.values():
        store.save()


def _cool(
    change: Change, subnets: Sequence[Subnet], stores: Mapping[Any, DatabaseExtents], until: datetime
) -> None:
    for store in stores.values():
        room = []
        for extent in store.owned_by(*(subnet.pk for subnet in subnets)):
            if extent.state is State.HANDED_OUT:
                store.replace([extent], [Extent(extent.prefix, State.COOLING, extent.owner)])
            elif extent.state is State.ROOM:
                room.append(extent)
        for free in give_back(store, room):
            keep_out_of(store, free, subnets[0].realm_id)
    note_end(stores, until)
    before = [{"state": subnet.state, "ends_at": subnet.ends_at} for subnet in subnets]
    change.entered_all(subnets, "give back", before, [{"state": "cooling", "ends_at": until}] * len(subnets))
    for subnet in subnets:
        subnet.state, subnet.ends_at = "cooling", until
    Subnet.objects.bulk_update(subnets, ["state", "ends_at", "last_entry"], batch_size=1000)
