"""Attach a single public address to a target, move it to another, detach it."""

from __future__ import annotations

from typing import Any

from lentra.registry.errors import Invalid, StillAttached, WrongState
from lentra.registry.models import Subnet
from lentra.registry.operations.subnets.opened import locked_subnet
from lentra.registry.transactions.change import Change


def attach_address(
    change: Change, subnet_ref: Any, target: str, move: bool = False, version: int | None = None
) -> Subnet:
    """Attach a held public address to a target, such as a balancer or a host.

    Args:
        move: take it away from what it is attached to now.

    Raises:
        StillAttached: it is attached to something else, and `move` was not said.
        WrongState: it is no single address in use.
        Invalid, NotAllowed, StaleEdit.
    """
    subnet = _locked(change, subnet_ref, "attach an address", version)
    target = target.strip()
    if not target:
        raise Invalid("say what to attach it to", field="target", suggestions=["balancer-1"])
    if subnet.attached_to and subnet.attached_to != target and not move:
        raise StillAttached(
            f"{subnet.blocks()[0]} ({subnet.name}) is attached to {subnet.attached_to}: move it on explicit word",
            field="target",
            received=target,
            conflicts=[{"range": str(subnet.blocks()[0]), "owner": subnet.attached_to, "kind": "target"}],
            suggestions=["move: true"],
        )
    verb = "move" if subnet.attached_to and subnet.attached_to != target else "attach"
    if subnet.attached_to != target:
        others = Subnet.objects.filter(project=subnet.project, attached_to=target).exclude(pk=subnet.pk)
        for other in others.order_by("place")[:5]:
            change.note(f"{other.blocks()[0]} ({other.name}) is attached to {target} as well")
        change.edited(subnet, verb, attached_to=target, attached_at=change.now)
    return subnet


def detach_address(change: Change, subnet_ref: Any, version: int | None = None) -> Subnet:
    """Detach a public address; the project still holds it.

    Raises:
        WrongState: it is not attached.
        NotAllowed, StaleEdit.
    """
    subnet = _locked(change, subnet_ref, "detach an address", version)
    if not subnet.attached_to:
        raise WrongState(f"{subnet.blocks()[0]} ({subnet.name}) is attached to nothing", rule="attached")
    change.edited(subnet, "detach", attached_to="", attached_at=None)
    return subnet


def _locked(change: Change, subnet_ref: Any, to: str, version: int | None) -> Subnet:
    subnet = locked_subnet(change, subnet_ref, to, version)
    single = [block for block in subnet.blocks() if block.size == 1]
    if subnet.state != "active" or not single:
        what = f"is {subnet.state}" if subnet.state != "active" else "is no single address"
        raise WrongState(
            f"subnet {subnet.name} {what}: only a single address in use can be attached",
            received=subnet.name,
            rule="a single address in use",
        )
    return subnet
