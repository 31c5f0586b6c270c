"""Finding and locking all that a plan touches, and letting a held one fall back."""

from __future__ import annotations

from lentra.registry.endings import free_reservations, free_subnets, lock_settled
from lentra.registry.errors import NameTaken
from lentra.registry.ledger import Change
from lentra.registry.models import ExtentRow, Plan, Pool
from lentra.registry.plans.placing import Stores
from lentra.registry.plans.slots import Wanted
from lentra.registry.space import open_extents


def lock_plan(change: Change, wanted: Wanted) -> Stores:
    """The space of all pools that a plan names or already has blocks in, locked, with what is due ended."""
    pools = wanted.pools
    existing = existing_plan(wanted)
    numbers = set(pools)
    if existing:
        numbers |= pools_of(existing)
    spaces = lock_settled(change, numbers)
    rows = Pool.objects.filter(pk__in=numbers).select_related("realm")
    return {pool.pk: open_extents(pool, spaces) for pool in rows}


def pools_of(plan: Plan) -> set[int]:
    """Numbers of the pools in which a plan has blocks or reservations."""
    blocks = ExtentRow.objects.filter(subnet__plan=plan).values_list("pool", flat=True).distinct()
    return {*blocks, *plan.reservations.values_list("pool", flat=True)}


def existing_plan(wanted: Wanted) -> Plan | None:
    """The plan of that name, if there is one.

    Raises:
        NameTaken: it belongs to another project.
    """
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
    everywhere = {(pool, family): store for pool, own in stores.items() for family, store in own.items()}
    free_subnets(change, list(plan.subnets.all()), everywhere, verb)
    for pool_id, own in stores.items():
        free_reservations(change, list(plan.reservations.filter(pool=pool_id)), own, verb)
        for store in own.values():
            store.save()
    change.removed([plan], verb)
