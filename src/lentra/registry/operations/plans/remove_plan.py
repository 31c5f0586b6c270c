"""Remove a plan."""

from __future__ import annotations

from typing import Any

from lentra.registry.errors import InUse
from lentra.registry.lookup.find import find
from lentra.registry.lookup.locked import find_locked
from lentra.registry.models import Plan
from lentra.registry.operations.subnets.give_back import give_back_many
from lentra.registry.plans.locking import drop_held, pools_of
from lentra.registry.rules.permissions import require_project
from lentra.registry.space.expiry import free_reservations
from lentra.registry.space.locking import open_pools
from lentra.registry.transactions.change import Change
from lentra.registry.transactions.locks import lock_all


def remove_plan(
    change: Change, plan_ref: Any, give_back: bool = False, despite_use: bool = False, version: int | None = None
) -> Plan:
    """Remove a plan: a held one falls back at once; a committed one only if nothing of it is left, or when
    asked for, with all of it given back (its ranges free at once, its subnets cooling).

    Raises:
        InUse: subnets of it are in use, and `give_back` was not said; or something is recorded in one, and `despite_use`
            was not.
        StaleEdit: it has changed since `version`.
    """
    found = find(Plan, plan_ref, "plan", related=("project", "realm"))
    require_project(change.actor, found.project, "remove a plan")
    with open_pools(change, pools_of(found)) as pools:
        plan = find_locked(Plan, found.pk, version=version, related=("project", "realm"))
        if plan.state == "held":
            drop_held(change, plan, pools, "end hold")
            return plan
        living = list(plan.subnets.exclude(state="cooling").order_by("place"))
        if living and not give_back:
            raise InUse(
                f"{len(living)} subnets of plan {plan.name} are in use: give them back with it, if that is meant",
                rule="what is in use stays",
                conflicts=[{"range": s.name, "kind": "subnet", "id": s.pk} for s in living[:20]],
                suggestions=["give_back: true"],
            )
        free_reservations(change, lock_all(plan.reservations.all()), pools, "give back")
        give_back_many(change, living, despite_use)
        change.edited_all(lock_all(plan.subnets.all()), "outlive plan", plan=None, plan_slot="")
        change.removed([plan])
    return plan
