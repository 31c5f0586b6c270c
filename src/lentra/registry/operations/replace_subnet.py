"""Replace a subnet: a new one beside it, the old one retiring until it is given back. And confirm what was held."""

from __future__ import annotations

from typing import Any

from lentra.addressing.extents import Extent, State
from lentra.registry.endings import lock_settled
from lentra.registry.errors import WrongState
from lentra.registry.ledger import Change
from lentra.registry.models import Subnet
from lentra.registry.operations.edit_set_up import refuse_stale
from lentra.registry.operations.hand_out import HandedOut, hand_out
from lentra.registry.permissions import require_project
from lentra.registry.queries.find import find
from lentra.registry.requests import Wanted
from lentra.registry.space import lock_stores_of

_KEPT = ("hosts", "growth", "purpose", "labels", "service")


def replace_subnet(
    change: Change, subnet_ref: Any, values: dict[str, Any], version: int | None = None
) -> HandedOut:
    """Hand out a subnet that takes the place of another; both live side by side until the old one is given back.

    Args:
        values: fields of `Wanted` that differ from the old subnet's: another pool, zone, size, prefix, name.

    Raises:
        WrongState: it is not active.
        and all that `hand_out` raises.
    """
    subnet = find(Subnet, subnet_ref, "subnet", related=("project", "pool__realm", "zone", "tier", "region"))
    require_project(change.actor, subnet.project, "replace a subnet")
    refuse_stale(subnet, version)
    if subnet.state != "active":
        raise WrongState(
            f"subnet {subnet.name} is {subnet.state}: only an active one is replaced",
            received=subnet.state,
            rule="active",
        )
    blocks = subnet.blocks()
    wanted: dict[str, Any] = {
        "pool": subnet.pool_id,
        "project": subnet.project_id,
        "tier": subnet.tier_id,
        "zone": subnet.zone_id,
        "region": subnet.region_id,
        "families": sorted({block.family for block in blocks}),
        **{name: getattr(subnet, name) for name in _KEPT},
    }
    if "zone" in values and "region" not in values:
        wanted["region"] = None
    sized = {"hosts", "length", "prefix"} & set(values)
    if sized and "hosts" not in sized:
        wanted["hosts"] = None
    if not sized and subnet.hosts is None:
        wanted["length"] = blocks[0].length
    made = hand_out(change, Wanted(**(wanted | values)), replaces=subnet)
    change.edited(subnet, "retire", state="retiring")
    return made


def confirm_held(change: Change, subnet_ref: Any) -> Subnet:
    """Turn a held subnet into an active one.

    Raises:
        WrongState: it is not held.
        UnknownName: its hold has ended.
        NotAllowed.
    """
    subnet = find(Subnet, subnet_ref, "subnet", related=("project", "pool"))
    require_project(change.actor, subnet.project, "confirm a held subnet")
    lock_settled(change, [subnet.pool_id])
    stores = lock_stores_of([subnet.pk])
    subnet = find(Subnet, subnet.pk, "subnet")
    if subnet.state != "held":
        raise WrongState(f"subnet {subnet.name} is {subnet.state}, not held", received=subnet.state, rule="held")
    for store in stores.values():
        for extent in store.owned_by(subnet.pk):
            if extent.state is State.HELD:
                store.replace([extent], [Extent(extent.prefix, State.HANDED_OUT, subnet.pk)])
        store.save()
    change.edited(subnet, "hand out", state="active", ends_at=None)
    return find(Subnet, subnet.pk)
