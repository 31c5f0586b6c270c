"""A departure from a plan: taken over into the plan, or put right by one step."""

from __future__ import annotations

from typing import Any

from lentra.registry.errors import CannotUndo, Invalid
from lentra.registry.lookup.find import find
from lentra.registry.lookup.locked import find_locked
from lentra.registry.models import Plan, Subnet
from lentra.registry.operations.subnets.bring_back import bring_back
from lentra.registry.operations.subnets.edit_subnet import edit_subnet
from lentra.registry.operations.subnets.give_back import give_back_subnet
from lentra.registry.operations.subnets.grow import grow_subnet, shrink_subnet
from lentra.registry.plans.comparing import Departure, departures
from lentra.registry.rules.permissions import require_project
from lentra.registry.transactions.change import Change
from lentra.registry.transactions.locks import lock

WAYS = ("take over", "put right")


def settle_departure(change: Change, plan_ref: Any, slot: str, how: str, version: int | None = None) -> Plan:
    """Settle the departure of one slot.

    Args:
        how: ``take over``: the plan accepts what is there; ``put right``: what is there becomes what the plan says.

    Raises:
        Invalid: the slot has not departed, or there is no such way.
        CannotUndo: no single step puts it right; says what does.
        and all that the step raises: growing, shrinking, editing, bringing back, giving back.
    """
    found = find(Plan, plan_ref, "plan", related=("project", "realm"))
    require_project(change.actor, found.project, "settle a departure")
    if how not in WAYS:
        raise Invalid(f"{how!r} is not a way to settle a departure", field="how", received=how, suggestions=WAYS)
    plan = find_locked(Plan, found.pk, version=version)
    departed = {one.slot: one for one in departures(plan) if one.slot}
    if slot not in departed:
        raise Invalid(
            f"slot {slot} of plan {found.name} has not departed",
            field="slot",
            received=slot,
            suggestions=list(departed)[:8],
        )
    if how == "put right":
        _put_right(change, plan, departed[slot])
    accepted = {**plan.accepted, slot: departed[slot].kind}
    if how == "put right":
        accepted = {name: kind for name, kind in plan.accepted.items() if name != slot}
    change.edited(plan, how, accepted=accepted, changed_at=change.now)
    return plan


def _put_right(change: Change, plan: Plan, departure: Departure) -> None:
    subnet, wanted = departure.subnet, departure.wanted
    if departure.kind in ("gone", "families") or subnet is None:
        raise CannotUndo(
            f"slot {departure.slot}: {departure.what}; {departure.step}, or take the departure over",
            field="slot",
            received=departure.slot,
            rule="one step puts it right, or none",
            suggestions=[departure.step],
        )
    if departure.kind == "cooling":
        bring_back(change, subnet.pk)
    elif departure.kind == "retiring":
        _succeed(change, plan, subnet, departure.slot)
    elif departure.kind == "length":
        for family, length in wanted["lengths"].items():
            block = next(b for b in subnet.blocks() if b.family == family)
            if length < block.length:
                grow_subnet(change, subnet.pk, length=length, family=family)
            elif length > block.length:
                shrink_subnet(change, subnet.pk, length=length, family=family)
    elif departure.kind == "unwanted":
        give_back_subnet(change, subnet.pk)
    else:
        edit_subnet(change, subnet.pk, {departure.kind: wanted[departure.kind]})


def _succeed(change: Change, plan: Plan, subnet: Subnet, slot: str) -> None:
    """Put the subnet that replaces another into its slot."""
    successor = subnet.replaced_by.order_by("pk").first()
    if successor is None:
        raise CannotUndo(f"nothing replaces {subnet.name} any more", field="slot", received=slot)
    change.edited(lock(Subnet, subnet.pk), "leave plan", plan=None, plan_slot="")
    change.edited(lock(Subnet, successor.pk), "join plan", plan=plan, plan_slot=slot)
