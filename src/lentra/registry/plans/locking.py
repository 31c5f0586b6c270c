"""Finding and locking all that a plan touches, and letting a held one fall back."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager

from lentra.registry.errors import NameTaken
from lentra.registry.models import ExtentRow, Plan
from lentra.registry.plans.slots import ResolvedPlan
from lentra.registry.space.expiry import free_reservations, free_subnets
from lentra.registry.space.locking import Pools, open_pools
from lentra.registry.transactions.change import Change
from lentra.registry.transactions.locks import lock, lock_all


@contextmanager
def open_plan(change: Change, wanted: ResolvedPlan) -> Iterator[tuple[Plan | None, Pools]]:
    """The plan of that name, if there is one, locked; with all pools that it names or has blocks in.

    Raises:
        NameTaken: it belongs to another project.
    """
    found = existing_plan(wanted)
    with open_pools(change, {*wanted.pools, *(pools_of(found) if found else ())}) as pools:
        found = existing_plan(wanted)  # what was only held may have ended just now
        yield lock(Plan, found.pk, ("project", "realm")) if found else None, pools


def pools_of(plan: Plan) -> set[int]:
    """Numbers of the pools in which a plan has blocks or reservations."""
    blocks = ExtentRow.objects.filter(subnet__plan=plan).values_list("pool", flat=True).distinct()
    return {*blocks, *plan.reservations.values_list("pool", flat=True)}


def existing_plan(wanted: ResolvedPlan) -> Plan | None:
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


def drop_held(change: Change, plan: Plan, pools: Pools, verb: str) -> None:
    """Let a held plan fall back at once."""
    free_subnets(change, lock_all(plan.subnets.all()), pools, verb)
    free_reservations(change, lock_all(plan.reservations.all()), pools, verb)
    change.removed([plan], verb)
