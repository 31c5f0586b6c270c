"""Bring a subnet back that was given back, while its range and name still cool."""

from __future__ import annotations

from typing import Any

from lentra.addressing.extents import Extent, State
from lentra.registry.errors import NotAllowed
from lentra.registry.models import LedgerEntry, Subnet
from lentra.registry.operations.subnets.opened import open_subnet
from lentra.registry.rules.quotas import refuse_over_quota, whole_take
from lentra.registry.rules.zone_limits import refuse_more_zones
from lentra.registry.transactions.change import Change


def bring_back(change: Change, subnet_ref: Any, state: str = "active", version: int | None = None) -> Subnet:
    """Have a cooling subnet in use again: same number, name, blocks, tag and address records. Its room is not kept again.

    Args:
        state: what it was before: active, or retiring.

    Raises:
        WrongState: it does not cool.
        QuotaReached: the project's quota is used up by others meanwhile; or its zone is one too many.
        NotAllowed: the actor neither gave it back nor is a planner.
        StaleEdit.
    """
    with open_subnet(change, subnet_ref, "bring a subnet back", version, ("cooling",)) as (subnet, pools):
        _refuse_others(change, subnet)
        refuse_over_quota(change, subnet.project, [whole_take(subnet, recorded=0)])
        if subnet.zone is not None:
            refuse_more_zones(change, subnet.project, subnet.region, [subnet.zone])
        for families in pools.values():
            for store in families.values():
                for extent in store.owned_by(subnet.pk):
                    if extent.state is State.COOLING:
                        store.replace([extent], [Extent(extent.prefix, State.HANDED_OUT, extent.owner)])
        change.edited(subnet, "bring back", state=state, ends_at=None)
    return subnet


def _refuse_others(change: Change, subnet: Subnet) -> None:
    """Who gave it back may bring it back, and planners may."""
    if change.actor is None or change.actor.may("planner"):
        return
    given = LedgerEntry.objects.filter(subject=subnet.pk, verb="give back").order_by("-number").first()
    if given is None or given.actor != change.actor.pk:
        who = given.actor_name if given else "nobody"
        raise NotAllowed(
            f"{subnet.name} was given back by {who}: that person brings it back, or a planner",
            rule="who gave a subnet back may bring it back",
        )
