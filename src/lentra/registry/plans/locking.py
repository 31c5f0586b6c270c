"""Finding and locking all that a plan touches, and letting a held one fall back."""

from __future__ import annotations

from lentra.registry.endings import end_due, free_reservations, free_subnets
from lentra.registry.errors import NameTaken
from lentra.registry.ledger import Change
from lentra.registry.models import Plan, Pool
from lentra.registry.plans.placing import Stores
from lentra.registry.plans.slots import Wanted
from lentra.registry.space import lock_spaces, open_extents


def lock_plan(change: Change, wanted: Wanted) -> Stores:
    pools = wanted.pools
    existing = existing_plan(wanted)
    numbers = set(pools)
    if existing:
        numbers |= set(existing.reservations.values_list("pool", flat=True))
        if existing.state == "held":
            numbers |= set(existing.subnets.values_list("pool", flat=True))
    spaces = lock_spaces(numbers)
    stores = {}
    for pool in Pool.objects.filter(pk__in=numbers).select_related("realm"):
        stores[pool.pk] = open_extents(pool, spaces)
        end_due(change, pool, stores[pool.pk])
    return stores


def existing_plan(wanted: Wanted) -> Plan | None:
    if wanted.realm is None:
        return None
    plan = Plan.objects.filter(realm=wanted.realm, name=wanted.text.name).first()
    if plan and wanted.project and plan.project_id != wanted.project.pk:
        raise NameTaken(
            f"the name {plan.name!r} is taken by a plan of project {plan.project.name}",
            field="name",
            received=plan.name,
            suggestions=[f"{wanted.project.name}-{plan.name}"[:63]],
        )
    return plan


def drop_held(change: Change, plan: Plan, stores: Stores, verb: str) -> None:
    """Let a held plan fall back at once."""
    subnets = list(plan.subnets.all())
    for pool_id, own in stores.items():
        free_subnets(change, [s for s in subnets if s.pool_id == pool_id], own, verb)
        free_reservations(change, list(plan.reservations.filter(pool=pool_id)), own, verb)
        for store in own.values():
            store.save()
    change.removed([plan], verb)
