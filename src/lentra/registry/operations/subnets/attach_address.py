"""Attach a single public address to a target, move it to another, detach it."""

from __future__ import annotations

from typing import Any

from lentra.addressing.prefix import parse_address
from lentra.addressing.refusal import Refusal
from lentra.registry.errors import AddressTaken, Invalid, StillAttached, UnknownName, WrongState
from lentra.registry.lookup.find import find
from lentra.registry.models import TRANSLATIONS, Address, Subnet
from lentra.registry.operations.subnets.opened import IN_USE, locked_subnet
from lentra.registry.transactions.change import Change
from lentra.registry.transactions.locks import lock


def attach_address(
    change: Change,
    subnet_ref: Any,
    target: str = "",
    move: bool = False,
    version: int | None = None,
    record: Any = None,
    how: str = "one-to-one",
    purpose: str = "",
) -> Subnet:
    """Attach a held public address to a target.

    Args:
        target: a name outside the registry, such as a balancer's; or `record`: number or address of an address record.
        move: take it away from what it is attached to now.
        how: ``one-to-one``: it stands for the target alone; ``many-to-one``: many go out by it, and `purpose` says which.

    Raises:
        StillAttached: it is attached to something else, and `move` was not said.
        AddressTaken: another public address stands for the record one-to-one.
        WrongState: it is no single address in use.
        Invalid, UnknownName, NotAllowed, StaleEdit.
    """
    subnet = _locked(change, subnet_ref, "attach an address", version)
    found = _record(record, subnet) if record not in (None, "") else None
    target, purpose = (found.label_text if found else target.strip()), purpose.strip()
    if not target:
        raise Invalid(
            "say what to attach it to: a name, or an address record", field="target", suggestions=["balancer-1"]
        )
    if how not in TRANSLATIONS:
        raise Invalid(f"{how!r} is not a way to translate", field="how", received=how, suggestions=TRANSLATIONS)
    if how == "many-to-one" and not purpose:
        raise Invalid("many-to-one translation needs a purpose: who goes out by it", field="purpose")
    if subnet.attached_to and subnet.attached_to != target and not move:
        raise StillAttached(
            f"{subnet.blocks()[0]} ({subnet.name}) is attached to {subnet.attached_to}: move it on explicit word",
            field="target",
            received=target,
            conflicts=[{"range": str(subnet.blocks()[0]), "owner": subnet.attached_to, "kind": "target"}],
            suggestions=["move: true"],
        )
    if found and how == "one-to-one":
        _refuse_second(subnet, found)
    verb = "move" if subnet.attached_to and subnet.attached_to != target else "attach"
    if subnet.attached_to != target:
        others = Subnet.objects.filter(project=subnet.project, attached_to=target).exclude(pk=subnet.pk)
        for other in others.order_by("place")[:5]:
            change.note(f"{other.blocks()[0]} ({other.name}) is attached to {target} as well")
    same = subnet.attached_to == target
    change.edited(
        subnet,
        verb,
        attached_to=target,
        attached_at=subnet.attached_at if same else change.now,
        attached_record=found,
        attached_how=how,
        attached_for=purpose,
    )
    return subnet


def _record(ref: Any, subnet: Subnet) -> Address:
    """An address record by its number, or by its address: in the realm of the public address, if several have it."""
    text = str(ref).strip()
    if text.isascii() and text.isdigit():
        found = find(Address, int(text), "record")
    else:
        found = _at(text, subnet)
    home = lock(Subnet, found.subnet_id)
    if home.state not in IN_USE:
        raise WrongState(
            f"subnet {home.name} of {found.label_text} is {home.state}", field="record", received=text
        )
    return lock(Address, found.pk)


def _at(text: str, subnet: Subnet) -> Address:
    try:
        family, address = parse_address(text)
    except Refusal as refusal:
        raise refusal.about("record")
    found = list(Address.objects.filter(family=family, address=address)[:20])
    here = [record for record in found if record.realm_id == subnet.realm_id] or found
    if len(here) == 1:
        return here[0]
    raise UnknownName(
        f"{text} is recorded in several subnets: say which number" if here else f"{text} is recorded in no subnet",
        field="record",
        received=text,
        suggestions=[record.pk for record in here] or ["record the address first, or attach to a name"],
    )


def _refuse_second(subnet: Subnet, record: Address) -> None:
    other = record.public.filter(attached_how="one-to-one").exclude(pk=subnet.pk).first()
    if other:
        raise AddressTaken(
            f"{other.blocks()[0]} ({other.name}) stands for {record.label_text} one-to-one already",
            field="record",
            received=record.text,
            rule="one public address stands for an address one-to-one",
            conflicts=[{"range": str(other.blocks()[0]), "owner": other.name, "id": other.pk}],
            suggestions=[f"detach {other.name}", "how: many-to-one"],
        )


def detach_address(change: Change, subnet_ref: Any, version: int | None = None) -> Subnet:
    """Detach a public address; the project still holds it.

    Raises:
        WrongState: it is not attached.
        NotAllowed, StaleEdit.
    """
    subnet = _locked(change, subnet_ref, "detach an address", version)
    if not subnet.attached_to:
        raise WrongState(f"{subnet.blocks()[0]} ({subnet.name}) is attached to nothing", rule="attached")
    nothing = {"attached_record": None, "attached_how": "", "attached_for": ""}
    change.edited(subnet, "detach", attached_to="", attached_at=None, **nothing)
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
