"""Remove a plan."""

from __future__ import annotations

from typing import Any

from lentra.registry.endings import free_reservations
from lentra.registry.errors import InUse
from lentra.registry.ledger import Change
from lentra.registry.models import Plan, Pool
from lentra.registry.operations.give_back import give_back_subnet
from lentra.registry.permissions import require_project
from lentra.registry.plans.locking import drop_held
from lentra.registry.queries.find import find
from lentra.registry.space import lock_spaces, open_extents


def remove_plan(change: Change, plan_ref: Any, give_back: bool = False) -> Plan:
    """Remove a plan: a held one falls back at once; a committed one only if nothing of it is left, or on explicit
    word with all of it given back (its ranges free at once, its subnets cooling).

    Raises:
        InUse: subnets of it are in use, and `give_back` was not said.
    """
    plan = find(Plan, plan_ref, "plan", related=("project", "realm"))
    require_project(change.actor, plan.project, "remove a plan")
    pools = Pool.objects.filter(
        pk__in=[*plan.subnets.values_list("pool", flat=True), *plan.reservations.values_list("pool", flat=True)]
    )
    spaces = lock_spaces([pool.pk for pool in pools])
    stores = {pool.pk: open_extents(pool, spaces) for pool in pools}
    if plan.state == "held":
        drop_held(change, plan, stores, "end hold")
        return plan
    living = list(plan.subnets.exclude(state="cooling").order_by("place"))
    if living and not give_back:
        raise InUse(
            f"{len(living)} subnets of plan {plan.name} are in use: give them back with it on explicit word",
            rule="what is in use stays",
            conflicts=[{"range": s.name, "kind": "subnet", "id": s.pk} for s in living[:20]],
            suggestions=["give_back: true"],
        )
    for pool in pools:
        rows = list(plan.reservations.filter(pool=pool))
        free_reservations(change, rows, stores[pool.pk], "give back")
        for store in stores[pool.pk].values():
            store.save()
    for subnet in living:
        give_back_subnet(change, subnet.pk)
    plan.subnets.update(plan=None, plan_slot="")
    change.removed([plan])
    return plan
