"""Record single addresses inside a subnet: given or the next free ones, alone or in a batch; edit and release them."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any

from lentra.addressing.address_map import next_free, refuse_address
from lentra.addressing.prefix import address_text, parse_address
from lentra.addressing.refusal import BadAddress, Exhausted, Refusal
from lentra.registry.errors import AddressTaken, Invalid, KeptForService, NameTaken
from lentra.registry.lookup.find import find
from lentra.registry.lookup.insides import inside_of, insides_of
from lentra.registry.lookup.locked import find_locked
from lentra.registry.models import ADDRESS_KINDS, Address, Subnet
from lentra.registry.operations.subnets.opened import IN_USE, locked_subnet
from lentra.registry.rules.names import check_name
from lentra.registry.transactions.change import Change

MOST_AT_ONCE = 1000


@dataclass
class AddressRequest:
    """Addresses to record. Without `address` the next free ones are taken; with `count` several, whose names are
    numbered: ``camera-01``, ``camera-02``…"""

    name: str
    address: str | None = None
    count: int = 1
    family: int | None = None
    kind: str = "host"
    mac: str | None = None
    purpose: str = ""
    service: str = ""


def record_addresses(
    change: Change, subnet_ref: Any, wanted: AddressRequest, version: int | None = None
) -> list[Address]:
    """Record addresses of a subnet.

    Raises:
        BadAddress: outside the subnet's blocks, withheld, or inside the DHCP range.
        AddressTaken: another record has the address or the MAC; says which.
        Exhausted: there are not so many free.
        KeptForService: the subnet is kept for another service.
        StaleEdit: the subnet has changed since `version`.
        Invalid, NotAllowed, WrongState.
    """
    _check(wanted)
    subnet = locked_subnet(change, subnet_ref, "record an address", version, IN_USE)
    if subnet.service and wanted.service != subnet.service:
        raise KeptForService(
            f"subnet {subnet.name} is kept for {subnet.service} alone",
            field="service",
            received=wanted.service or None,
            rule="an exclusive subnet serves one service",
            conflicts=[{"range": str(subnet.blocks()[0]), "owner": subnet.service}],
            suggestions=[subnet.service],
        )
    taken = {(a.family, a.address): a for a in subnet.addresses.all()}
    shown = [one for _ in range(wanted.count) if (one := change.shown(Address.KIND))]
    if len(shown) == wanted.count:
        places = [_given(subnet, replace(wanted, address=one["address"]), taken) for one in shown]
    elif wanted.address is not None:
        places = [_given(subnet, wanted, taken)]
    else:
        places = _next_free(subnet, wanted, taken)
    names = [wanted.name]
    if wanted.count > 1:
        width = max(2, len(str(wanted.count)))
        names = [f"{wanted.name}-{n:0{width}d}" for n in range(1, wanted.count + 1)]
    for name in (names[0], names[-1]):
        check_name(name)
    refuse_taken_names(subnet, names, places[0][0])
    mac = read_mac(wanted.mac) if wanted.mac else None
    refuse_taken_mac(subnet, mac, places[0][0])
    records = [
        Address(
            realm_id=subnet.realm_id,
            subnet=subnet,
            family=family,
            address=address,
            kind=wanted.kind,
            name=name,
            mac=mac,
            purpose=wanted.purpose,
            created_at=change.now,
        )
        for name, (family, address) in zip(names, places, strict=True)
    ]
    change.added(records)
    return records


def edit_address(change: Change, address_ref: Any, values: dict[str, Any], version: int | None = None) -> Address:
    """Edit what is said of an address: name, kind, MAC, what it is for.

    Raises:
        AddressTaken: another record of the subnet has the MAC.
        Invalid, NotAllowed, StaleEdit.
    """
    record, subnet = _locked_record(change, address_ref, "edit an address", version)
    values = dict(values)
    if "name" in values and values["name"] != record.name:
        check_name(values["name"])
        refuse_taken_names(subnet, [values["name"]], record.family)
    if values.get("kind", "host") not in ADDRESS_KINDS:
        raise Invalid(f"{values['kind']!r} is not a kind of address", field="kind", suggestions=ADDRESS_KINDS)
    if values.get("mac"):
        values["mac"] = read_mac(values["mac"])
        refuse_taken_mac(subnet, values["mac"], record.family, besides=record.pk)
    change.edited(record, **values)
    return record


def release_address(change: Change, address_ref: Any, version: int | None = None) -> Address:
    """Release an address: it is free again at once."""
    record, _ = _locked_record(change, address_ref, "release an address", version)
    change.removed([record], "release")
    return record


def _locked_record(change: Change, ref: Any, to: str, version: int | None) -> tuple[Address, Subnet]:
    """An address record and its subnet, both locked."""
    found = find(Address, ref, "address")
    subnet = locked_subnet(change, found.subnet_id, to, states=IN_USE)
    return find_locked(Address, found.pk, "address", version=version), subnet


def read_mac(text: str) -> str:
    """A hardware address (EUI-48) as lower-case pairs with colons.

    Raises:
        Invalid: it has not 12 hexadecimal digits.
    """
    digits = re.sub(r"[:.\-]", "", text.strip().lower())
    if not re.fullmatch(r"[0-9a-f]{12}", digits):
        raise Invalid(
            f"{text[:40]!r} is no hardware address: 12 hexadecimal digits",
            field="mac",
            received=text[:40],
            suggestions=["02:00:5e:10:00:01"],
        )
    return ":".join(digits[n : n + 2] for n in range(0, 12, 2))


def refuse_taken_names(subnet: Subnet, names: Sequence[str], family: int) -> None:
    """Refuse names that other records of the subnet have in the same family."""
    other = subnet.addresses.filter(name__in=names, family=family).first()
    if other:
        taken = set(subnet.addresses.filter(family=family).values_list("name", flat=True))
        free = next(name for n in range(2, len(taken) + 3) if (name := f"{names[0]}-{n}") not in taken)
        raise NameTaken(
            f"{other.name} is the name of {other.text} in {subnet.name} already",
            field="name",
            received=other.name,
            rule="a name is recorded once in a subnet and family",
            conflicts=[{"range": other.text, "owner": other.name, "id": other.pk}],
            suggestions=[free],
        )


def refuse_taken_mac(subnet: Subnet, mac: str | None, family: int, besides: int | None = None) -> None:
    """Refuse a hardware address that another record of the subnet has in the same family."""
    if mac is None:
        return
    other = subnet.addresses.filter(mac=mac, family=family).exclude(pk=besides).first()
    if other:
        raise AddressTaken(
            f"{mac} is taken in {subnet.name} by {other.name} ({other.text})",
            field="mac",
            received=mac,
            rule="a hardware address is recorded once in a subnet and family",
            conflicts=[{"range": other.text, "owner": other.name, "id": other.pk}],
        )


def _check(wanted: AddressRequest) -> None:
    if wanted.kind not in ADDRESS_KINDS:
        raise Invalid(
            f"{wanted.kind!r} is not a kind of address",
            field="kind",
            received=wanted.kind,
            suggestions=ADDRESS_KINDS,
        )
    if not 1 <= wanted.count <= MOST_AT_ONCE:
        raise Invalid(
            f"{wanted.count} addresses at once: 1 to {MOST_AT_ONCE}",
            field="count",
            received=wanted.count,
            suggestions=[max(1, min(wanted.count, MOST_AT_ONCE))],
        )
    if wanted.count > 1 and (wanted.address is not None or wanted.mac):
        raise Invalid(
            "an address or a MAC is for one record: leave out count", field="count", received=wanted.count
        )


def _given(subnet: Subnet, wanted: AddressRequest, taken: dict[tuple[int, int], Address]) -> tuple[int, int]:
    """The address given, if a record may have it."""
    assert wanted.address is not None
    try:
        family, address = parse_address(wanted.address)
    except Refusal as refusal:
        raise refusal.about("address")
    insides = insides_of(subnet)
    inside = next(
        (i for i in insides if i.block.family == family and i.block.first <= address <= i.block.last), None
    )
    free = _something_free(subnet, family, taken)
    if inside is None:
        blocks = ", ".join(str(i.block) for i in insides)
        raise BadAddress(
            f"{wanted.address} is outside subnet {subnet.name}: {blocks}",
            field="address",
            received=wanted.address,
            rule="an address record lies in a block of its subnet",
            suggestions=free,
        )
    holder = taken.get((family, address))
    if holder or (inside.gateway == address and wanted.kind != "gateway"):
        owner = f"{holder.name} ({holder.kind})" if holder else "the gateway"
        raise AddressTaken(
            f"{wanted.address} is taken by {owner}",
            field="address",
            received=wanted.address,
            conflicts=[
                {"range": wanted.address, "owner": holder.name if holder else "gateway", "kind": "address"}
            ],
            suggestions=free,
        )
    try:
        refuse_address(inside, address, gateway=wanted.kind == "gateway")
    except BadAddress as refusal:
        refusal.suggestions = free
        raise
    return family, address


def _next_free(
    subnet: Subnet, wanted: AddressRequest, taken: dict[tuple[int, int], Address]
) -> list[tuple[int, int]]:
    blocks = subnet.blocks()
    family = wanted.family or blocks[0].family
    ours = [block for block in blocks if block.family == family]
    if not ours:
        raise Invalid(f"subnet {subnet.name} has no IPv{family} block", field="family", received=family)
    found: list[tuple[int, int]] = []
    refusal: Exhausted | None = None
    for block in ours:
        try:
            missing = wanted.count - len(found)
            busy = [address for (of, address) in taken if of == family]
            found += [(family, address) for address in next_free(inside_of(subnet, block), busy, missing)]
            return found
        except Exhausted as full:
            refusal = full
    assert refusal
    raise refusal


def _something_free(subnet: Subnet, family: int, taken: dict[tuple[int, int], Address]) -> list[str]:
    for block in subnet.blocks():
        if block.family == family:
            try:
                busy = [address for (of, address) in taken if of == family]
                return [address_text(family, next_free(inside_of(subnet, block), busy)[0])]
            except Exhausted:
                continue
    return []
