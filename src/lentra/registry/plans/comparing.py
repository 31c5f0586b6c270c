"""A plan beside what is there: what is new, kept, of another size, no longer wanted, and what has departed."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
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
    """Compare what a plan wants now with what it has; departures that were taken over into it are as it wants them."""
    result = Comparison()
    there: dict[str, Subnet] = {}
    if plan:
        rows = (
            plan.subnets.exclude(state="cooling").select_related("zone", "pool__sheet").prefetch_related("extents")
        )
        there = {subnet.plan_slot: subnet for subnet in rows}
    accepted = plan.accepted if plan else {}
    result.settled = {subnet.zone.name for subnet in there.values() if subnet.zone}
    for slot in wanted.slots:
        subnet = there.pop(slot.key, None)
        if subnet is None and accepted.get(slot.key) in ("gone", "cooling"):
            continue
        if subnet is None:
            result.added.append(slot)
        elif _lengths(subnet) == slot.lengths:
            result.kept.append((slot, subnet))
        else:
            result.resized.append((slot, subnet))
    left = (subnet for key, subnet in there.items() if accepted.get(key) != "unwanted")
    result.unwanted = sorted(left, key=lambda subnet: subnet.place)
    return result


@dataclass(frozen=True)
class Departure:
    """Where the registry differs from a plan.

    `kind` is what differs: gone, cooling, retiring, length, families, tag, gateway, unwanted, or plan where the plan itself
    is at fault. `wanted` is what the plan says of it, `step` what would put it right. One that is `accepted` was taken over
    into the plan.
    """

    slot: str
    kind: str
    what: str
    subnet: Subnet | None
    step: str = ""
    wanted: dict[str, Any] = field(default_factory=dict)
    accepted: bool = False


def departures(plan: Plan) -> list[Departure]:
    """Where the registry has departed from a plan since it was committed."""
    wanted = resolve(read_document(plan.document))
    found = [
        Departure("", "plan", f"{e.path}: {e.text}", None, "mend the plan, and commit it again")
        for e in wanted.errors
    ]
    rows = plan.subnets.select_related("pool", "zone").prefetch_related("extents", "replaced_by")
    there = {subnet.plan_slot: subnet for subnet in rows}
    for slot in wanted.slots:
        subnet = there.pop(slot.key, None)
        if subnet is None:
            found.append(Departure(slot.key, "gone", "it is gone", None, "commit the plan again"))
        else:
            found += _departed(slot, subnet)
    found += [
        Departure(key, "unwanted", "the plan no longer wants it", subnet, f"give {subnet.name} back")
        for key, subnet in there.items()
    ]
    return [replace(one, accepted=plan.accepted.get(one.slot) == one.kind) for one in found]


def _departed(slot: Slot, subnet: Subnet) -> list[Departure]:
    """How a subnet differs from its slot: the first thing that does."""

    def of(kind: str, what: str, step: str, **wanted: Any) -> list[Departure]:
        return [Departure(slot.key, kind, what, subnet, step, wanted)]

    if subnet.state == "cooling":
        what = f"given back, it cools until {subnet.ends_at:%Y-%m-%d %H:%M} UTC"
        return of("cooling", what, f"bring {subnet.name} back")
    if subnet.state == "retiring":
        others = ", ".join(other.name for other in subnet.replaced_by.all())
        return of(
            "retiring",
            f"it is being replaced by {others or 'another'}",
            f"put {others or 'another'} into its slot",
        )
    lengths = _lengths(subnet)
    if lengths != slot.lengths:
        now = " and ".join(f"/{n}" for n in lengths.values())
        then = " and ".join(f"/{n}" for n in slot.lengths.values())
        wider = any(slot.lengths.get(family, n) < n for family, n in lengths.items())
        same = slot.lengths.keys() == lengths.keys()
        step = f"{'grow' if wider else 'shrink'} {subnet.name} to {then}" if same else f"replace {subnet.name}"
        return of(
            "length" if same else "families", f"it has {now}, the plan says {then}", step, lengths=slot.lengths
        )
    if isinstance(slot.entry.tag, int) and subnet.tag != (tag := slot.entry.tag + slot.number - 1):
        return of(
            "tag",
            f"its segment tag is {subnet.tag}, the plan says {tag}",
            f"give {subnet.name} tag {tag}",
            tag=tag,
        )
    if subnet.gateway != slot.gateway:
        what = f"its gateway is {subnet.gateway}, the plan says {slot.gateway}"
        return of("gateway", what, f"set the gateway of {subnet.name} to {slot.gateway}", gateway=slot.gateway)
    return []


def _lengths(subnet: Subnet) -> dict[int, int]:
    """The widest block's length per family."""
    lengths: dict[int, int] = {}
    for block in subnet.blocks():
        lengths[block.family] = min(lengths.get(block.family, 128), block.length)
    return lengths
