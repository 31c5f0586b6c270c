"""A plan beside what is there: what is new, kept, of another size, no longer wanted, and what has departed."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

from lentra.registry.models import Plan, Subnet
from lentra.registry.plans.reading import read_document
from lentra.registry.plans.slots import ResolvedPlan, Slot, resolve


@dataclass
class Comparison:
    """Slots of a plan beside the subnets that an earlier commit of it made.

    `settled` are the zones in which it has subnets already.
    """

    added: list[Slot] = field(default_factory=list)
    kept: list[tuple[Slot, Subnet]] = field(default_factory=list)
    resized: list[tuple[Slot, Subnet]] = field(default_factory=list)
    unwanted: list[Subnet] = field(default_factory=list)
    settled: set[str] = field(default_factory=set)


def compare(plan: Plan | None, wanted: ResolvedPlan) -> Comparison:
    """Compare what a plan wants now with what it has."""
    result = Comparison()
    there: dict[str, Subnet] = {}
    if plan:
        rows = (
            plan.subnets.exclude(state="cooling").select_related("zone", "pool__sheet").prefetch_related("extents")
        )
        there = {subnet.plan_slot: subnet for subnet in rows}
    result.settled = {subnet.zone.name for subnet in there.values() if subnet.zone}
    for slot in wanted.slots:
        subnet = there.pop(slot.key, None)
        if subnet is None:
            result.added.append(slot)
        elif _lengths(subnet) == slot.lengths:
            result.kept.append((slot, subnet))
        else:
            result.resized.append((slot, subnet))
    result.unwanted = sorted(there.values(), key=lambda subnet: subnet.place)
    return result


def departures(plan: Plan) -> list[dict[str, Any]]:
    """Where the registry has departed from a plan since it was committed: slot, what, and the subnet if there is one."""
    wanted = resolve(read_document(plan.document))
    found: list[dict[str, Any]] = [
        {"slot": "", "what": f"{e.path}: {e.text}", "subnet": None} for e in wanted.errors
    ]
    rows = plan.subnets.select_related("pool", "zone").prefetch_related("extents", "replaced_by")
    there = {subnet.plan_slot: subnet for subnet in rows}
    for slot in wanted.slots:
        subnet = there.pop(slot.key, None)
        what = "it is gone" if subnet is None else _departed(slot, subnet)
        if what:
            found.append({"slot": slot.key, "what": what, "subnet": _ref(subnet)})
    found += [{"slot": key, "what": "the plan no longer wants it", "subnet": _ref(s)} for key, s in there.items()]
    return found


def _departed(slot: Slot, subnet: Subnet) -> str | None:
    if subnet.state == "cooling":
        return f"given back, it cools until {subnet.ends_at:%Y-%m-%d %H:%M} UTC"
    if subnet.state == "retiring":
        others = ", ".join(other.name for other in subnet.replaced_by.all())
        return f"it is being replaced by {others or 'another'}"
    lengths = _lengths(subnet)
    if lengths != slot.lengths:
        now = " and ".join(f"/{n}" for n in lengths.values())
        return f"it has {now}, the plan says {' and '.join(f'/{n}' for n in slot.lengths.values())}"
    if isinstance(slot.entry.tag, int) and subnet.tag != slot.entry.tag + slot.number - 1:
        return f"its segment tag is {subnet.tag}, the plan says {slot.entry.tag + slot.number - 1}"
    if subnet.gateway != slot.gateway:
        return f"its gateway is {subnet.gateway}, the plan says {slot.gateway}"
    return None


def _lengths(subnet: Subnet) -> dict[int, int]:
    """The widest block's length per family."""
    lengths: dict[int, int] = {}
    for block in subnet.blocks():
        lengths[block.family] = min(lengths.get(block.family, 128), block.length)
    return lengths


def _ref(subnet: Subnet | None) -> dict[str, Any] | None:
    return {"id": subnet.pk, "name": subnet.name} if subnet else None
