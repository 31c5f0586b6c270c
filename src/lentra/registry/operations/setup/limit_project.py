"""Limit what a project may have: add a quota, edit one.

Whoever takes something for a project that has a quota locks the project, as is done here. Whoever takes something for one
that has none locks only where it takes it: so before the first quota counts, all of that is locked.
"""

from __future__ import annotations

import itertools
from collections.abc import Iterable
from typing import Any

from lentra.registry.lookup.locked import find_locked
from lentra.registry.models import Pool, Project, Quota, Subnet
from lentra.registry.operations.setup.add_record import add_record
from lentra.registry.operations.setup.edit_record import edit_record
from lentra.registry.rules.permissions import require
from lentra.registry.space.locking import open_pools
from lentra.registry.transactions.change import Change
from lentra.registry.transactions.locks import lock, lock_all


def add_quota(change: Change, values: dict[str, Any]) -> Quota:
    """Limit what a project may have, everywhere or in one realm, region or pool.

    Raises:
        Invalid: it limits nothing, or less than is held; or there is one of that project and place already.
        NotAllowed: the actor is no planner.
    """
    require(change.actor, "planner", "add a quota")
    quota = Quota(**values)
    first = not Quota.objects.filter(project=quota.project).exists()
    with open_pools(change, _pools_in(quota) if first else ()) as pools:
        for store in itertools.chain.from_iterable(families.values() for families in pools.values()):
            store.touch()
        if first and (quota.records is not None or quota.tags is not None):
            lock_all(Subnet.objects.filter(project=quota.project))
        lock(Project, quota.project_id)
        made = add_record(change, Quota.KIND, values)
    assert isinstance(made, Quota)
    return made


def _pools_in(quota: Quota) -> Iterable[int]:
    """The pools out of which something may be taken that a quota counts."""
    if quota.pool_id is not None:
        return [quota.pool_id]
    rows = Pool.objects.filter(realm=quota.realm_id) if quota.realm_id is not None else Pool.objects.all()
    return rows.values_list("pk", flat=True)


def edit_quota(change: Change, number: int, values: dict[str, Any], version: int | None = None) -> Quota:
    """Edit the limits of a quota.

    Raises:
        Invalid: a limit is below what is held; or none is left.
        Frozen: whose it is and where it counts never change.
        NotAllowed, StaleEdit.
    """
    require(change.actor, "planner", "edit a quota")
    lock(Project, find_locked(Quota, number).project_id)
    edited = edit_record(change, Quota.KIND, number, values, version)
    assert isinstance(edited, Quota)
    return edited


def raise_quotas(change: Change) -> None:
    """Raise quotas to what a planner has granted beyond them in this change."""
    for number, limits in sorted(change.raises.items()):
        quota = find_locked(Quota, number)
        was = ", ".join(f"{name} {getattr(quota, name):,} to {limit:,}" for name, limit in limits.items())
        change.edited(quota, "raise", **limits)
        change.note(f"the quota of {quota.label_text} is raised: {was}")
    change.raises = {}
