"""Bring a subnet back that was given back, while its range and name still cool."""

from __future__ import annotations

from typing import Any

from lentra.addressing.extents import Extent, State
from lentra.registry.models import Subnet
from lentra.registry.operations.subnets.opened import open_subnet
from lentra.registry.rules.quotas import refuse_over_quota
from lentra.registry.transactions.change import Change


def bring_back(change: Change, subnet_ref: Any, state: str = "active", version: int | None = None) -> Subnet:
    """Have a cooling subnet in use again: same number, name, blocks, tag and address records. Its room is not kept again.

    Args:
        state: what it was before: active, or retiring.

    Raises:
        WrongState: it does not cool.
        QuotaReached: it is a public address, and the project's quota is used up by others.
        NotAllowed, StaleEdit.
    """
    with open_subnet(change, subnet_ref, "bring a subnet back", version, ("cooling",)) as (subnet, pools):
        if subnet.pool.exposure == "public":
            refuse_over_quota(change, subnet.project, [(block.family, block.length) for block in subnet.blocks()])
        for families in pools.values():
            for store in families.values():
                for extent in store.owned_by(subnet.pk):
                    if extent.state is State.COOLING:
                        store.replace([extent], [Extent(extent.prefix, State.HANDED_OUT, extent.owner)])
        change.edited(subnet, "bring back", state=state, ends_at=None)
    return subnet
