"""Give back a subnet: active, then cooling, then free and gone from the registry (but not its ledger)."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import datetime, timedelta
from typing import Any

from django.db.models import Min

from lentra.addressing.extents import Extent, State, give_back
from lentra.registry.errors import WrongState
from lentra.registry.keep_outs import keep_out_of
from lentra.registry.ledger import Change
from lentra.registry.models import Pool, Subnet
from lentra.registry.operations.edit_set_up import refuse_stale
from lentra.registry.permissions import require, require_project
from lentra.registry.queries.find import find
from lentra.registry.space import DatabaseExtents, lock_spaces, open_extents

_AT_A_TIME = 200


def give_back_subnet(change: Change, subnet_ref: Any, at_once: bool = False, version: int | None = None) -> Subnet:
    """Give a subnet back. Its range and name cool for as long as its pool says, or are free at once.

    Args:
        at_once: skip cooling, or end it now; for planners.

    Raises:
        NotAllowed: neither planner nor requester of the project, or `at_once` by a requester.
        WrongState: it is cooling already.
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
            f"{subnet.cools_until:%Y-%m-%d %H:%M} UTC",
            received=subnet.state,
            rule="a planner can end cooling at once",
            suggestions=["at_once: true"],
        )
    subnet.known_blocks = subnet.blocks()
    if at_once or pool.cooling_days == 0:
        _free(change, subnet, stores, "give back")
        subnet.state = "free"
    else:
        _cool(change, subnet, stores, change.now + timedelta(days=pool.cooling_days))
    for store in stores.values():
        store.save()
    return subnet


def end_due_cooling(change: Change, pool: Pool, stores: Mapping[int, DatabaseExtents]) -> int:
    """Free what has cooled long enough in a locked pool; returns how many subnets. The caller saves."""
    due = [s.space.next_due for s in stores.values() if s.space.next_due]
    if not due or min(due) > change.now:
        return 0
    rows = Subnet.objects.filter(pool=pool, cools_until__lte=change.now).order_by("cools_until")
    subnets = list(rows[:_AT_A_TIME])
    for subnet in subnets:
        subnet.known_blocks = subnet.blocks()
        _free(change, subnet, stores, "end cooling")
    _set_next_due(pool, stores)
    return len(subnets)


def settle_pool(change: Change, pool_id: int) -> int:
    """Upkeep of one pool: end the cooling that is due."""
    spaces = lock_spaces([pool_id])
    pool = Pool.objects.filter(pk=pool_id).first()
    if pool is None:
        return 0
    stores = open_extents(pool, spaces)
    ended = end_due_cooling(change, pool, stores)
    for store in stores.values():
        store.save()
    return ended


def _cool(change: Change, subnet: Subnet, stores: Mapping[int, DatabaseExtents], until: datetime) -> None:
    for store in stores.values():
        for extent in store.owned_by(subnet.pk):
            if extent.state is State.HANDED_OUT:
                store.replace([extent], [Extent(extent.prefix, State.COOLING, subnet.pk)])
        if store.space.next_due is None or until < store.space.next_due:
            store.space.next_due = until
    change.edited(subnet, "give back", state="cooling", cools_until=until)


def _free(change: Change, subnet: Subnet, stores: Mapping[int, DatabaseExtents], verb: str) -> None:
    for store in stores.values():
        extents = store.owned_by(subnet.pk)
        for free in give_back(store, extents):
            keep_out_of(store, free, subnet.realm_id)
        store.flush()
    change.removed([subnet], verb)


def _set_next_due(pool: Pool, stores: Mapping[int, DatabaseExtents]) -> None:
    earliest = Subnet.objects.filter(pool=pool, cools_until__isnull=False).aggregate(at=Min("cools_until"))
    for store in stores.values():
        store.space.next_due = earliest["at"]
