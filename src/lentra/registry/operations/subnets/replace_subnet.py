"""Replace a subnet: a new one beside it, the old one retiring until it is given back. And confirm what was held."""

from __future__ import annotations

from typing import Any

from lentra.addressing.extents import Extent, State
from lentra.addressing.renumbering import moved_text
from lentra.registry.lookup.find import find
from lentra.registry.models import Subnet
from lentra.registry.operations.subnets.edit_subnet import INSIDE, check_inside
from lentra.registry.operations.subnets.hand_out import HandedOut, hand_out
from lentra.registry.operations.subnets.opened import open_subnet, refuse_moving
from lentra.registry.requests.request import SubnetRequest
from lentra.registry.rules.waiting import refuse_undecided
from lentra.registry.transactions.change import Change

_KEPT = ("hosts", "growth", "purpose", "notes", "labels", "service")  # unless the request says otherwise
_CARRIED = ("name_servers", "dns_suffix", "ipv6_hosts", "exposure")  # onto the new one as they are


def replace_subnet(
    change: Change, subnet_ref: Any, values: dict[str, Any], version: int | None = None
) -> HandedOut:
    """Hand out a subnet that takes the place of another; both live side by side until the old one is given back.

    What is said of the old one is carried over: size, purpose, notes, labels, service, name servers, room, and the gateway
    and DHCP range at the same place inside the block. A segment tag stays with the old one while it lives: where it has
    one, the new one gets the next free one.

    Args:
        values: fields of `SubnetRequest` that differ from the old subnet's: another pool, zone, size, prefix, name.

    Raises:
        WrongState: it is not active.
        and all that `hand_out` raises.
    """
    with open_subnet(change, subnet_ref, "replace a subnet", version, ("active",)) as (subnet, _):
        refuse_moving([subnet], "replace it")
        request = SubnetRequest(**(_as_request(subnet, values) | values))
        made = hand_out(change, request, replaces=subnet)
        change.batch.send()
        if len(made.subnets) == 1:
            _carry_over(change, subnet, made.subnets[0], values)
        if subnet.tag is not None and "tag" not in values:
            change.note(f"segment tag {subnet.tag} stays with {subnet.name}; {made.subnets[0].name} has another")
        change.edited(subnet, "retire", state="retiring")
    return made


def confirm_held(change: Change, subnet_ref: Any, version: int | None = None) -> Subnet:
    """Turn a held subnet into an active one.

    Raises:
        WrongState: it is not held.
        UnknownName: its hold has ended.
        StaleEdit: it has changed since `version`.
        NotAllowed.
    """
    with open_subnet(change, subnet_ref, "confirm a held subnet", version, ("held",)) as (subnet, pools):
        for number in (subnet.pk, subnet.plan_id):
            refuse_undecided(change.actor, number)
        refuse_moving([subnet], "confirm it")
        activate(pools, [subnet.pk])
        change.edited(subnet, "hand out", state="active", ends_at=None)
    return find(Subnet, subnet.pk)


def activate(pools: Any, subnets: list[int]) -> None:
    """Turn the held blocks of subnets into handed-out ones."""
    for families in pools.values():
        for store in families.values():
            for extent in store.owned_by(*subnets):
                if extent.state is State.HELD:
                    store.replace([extent], [Extent(extent.prefix, State.HANDED_OUT, extent.owner)])


def _as_request(subnet: Subnet, values: dict[str, Any]) -> dict[str, Any]:
    """The old subnet as a request, but for what makes no sense beside the values given."""
    blocks = subnet.blocks()
    request: dict[str, Any] = {
        "pool": subnet.pool_id,
        "project": subnet.project_id,
        "tier": subnet.tier_id,
        "zone": subnet.zone_id,
        "region": subnet.region_id,
        "families": sorted({block.family for block in blocks}),
        **{name: getattr(subnet, name) for name in _KEPT},
    }
    if "zone" in values and "region" not in values:
        request["region"] = None
    sized = {"hosts", "length", "prefix"} & set(values)
    if sized and "hosts" not in sized:
        request["hosts"] = None
    if not sized and subnet.hosts is None:
        request["length"] = blocks[0].length
    if not sized and (room := subnet.room()):
        whole = blocks[0].size + sum(piece.size for piece in room if piece.family == blocks[0].family)
        request["room"] = (whole // blocks[0].size).bit_length() - 1
    if subnet.tag is not None:
        request |= {"tag": "next", "outer_tag": subnet.outer_tag}
    request["gateway"] = subnet.gateway if subnet.gateway in ("first", "last") else "none"
    return request


def _carry_over(change: Change, old: Subnet, new: Subnet, values: dict[str, Any]) -> None:
    """What is fixed inside the old subnet, at the same place inside the new one."""
    carried: dict[str, Any] = {name: getattr(old, name) for name in _CARRIED}
    for name in INSIDE:
        text = getattr(old, name)
        if name in values or not text or text in ("none", "first", "last"):
            continue
        pairs = [(one, other) for one in old.blocks() for other in new.blocks() if one.family == other.family]
        sides = [[pair[n] for pair in pairs] for n in (0, 1)]
        parts = [moved_text(part, *sides) for part in text.split(", ")]
        if None in parts:
            words = name.replace("_", " ")
            change.note(f"{words} {text} of {old.name} has no place in {new.blocks()[0]}: set another")
        else:
            carried[name] = ", ".join(part for part in parts if part)
    if not any(block.family == 6 for block in new.blocks()):
        del carried["ipv6_hosts"]
    if any(carried.get(name) for name in carried):
        carried |= check_inside(new, {name: carried[name] for name in INSIDE if name in carried})
        change.edited(new, **{name: value for name, value in carried.items() if value})
