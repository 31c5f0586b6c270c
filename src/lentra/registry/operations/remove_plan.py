"""Remove a plan."""

from __future__ import annotations

from typing import Any

from lentra.registry.endings import free_reservations, lock_settled
from lentra.registry.errors import InUse
from lentra.registry.ledger import Change
from lentra.registry.models import Plan, Pool
from lentra.registry.operations.give_back import give_back_many
from lentra.registry.permissions import require_project
from lentra.registry.plans.locking import drop_held, pools_of
from lentra.registry.queries.find import find
from lentra.registry.space import open_extents


def remove_plan(change: Change, plan_ref: Any, give_back: bool = False) -> Plan:
    """Remove a plan: a held one falls back at once; a committed one only if nothing of it is left, or on explicit
    word with all of it given back (its ranges free at once, its subnets cooling).

    Raises:
        InUse: subnets of it are in use, and `give_back` was not said.
    """
    plan = find(Plan, plan_ref, "plan", related=("project", "realm"))
    require_project(change.actor, plan.project, "remove a plan")
    numbers = pools_of(plan)
    spaces = lock_settled(change, numbers)
    pools = list(Pool.objects.filter(pk__in=numbers))
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
    give_back_many(change, living)
    plan.subnets.update(plan=None, plan_slot="")
    change.removed([plan])
    return plan
