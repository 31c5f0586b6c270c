"""Record single addresses inside a subnet: given or the next free ones, alone, in pairs of both families, from a list."""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from typing import Any

from lentra.addressing.address_map import refuse_address
from lentra.addressing.prefix import parse_address
from lentra.addressing.refusal import BadAddress, Refusal
from lentra.registry.errors import AddressTaken, InUse, Invalid, KeptForService, NameTaken, StillAttached
from lentra.registry.lookup.find import find
from lentra.registry.lookup.locked import find_locked
from lentra.registry.models import ADDRESS_KINDS, Address, Subnet
from lentra.registry.naming.taken import NamesInDns
from lentra.registry.operations.subnets.opened import IN_USE, locked_subnet
from lentra.registry.operations.subnets.recorded import Recorded
from lentra.registry.rules.names import check_name, numbered_names
from lentra.registry.rules.naming import read_aliases
from lentra.registry.rules.quotas import Take, refuse_over_quota
from lentra.registry.transactions.change import Change
from lentra.registry.transactions.locks import lock_all

MOST_AT_ONCE = 1000
_TOLD = 5


@dataclass
class AddressRequest:
    """Addresses to record. Without `address` the next free ones are taken; with `count` several, whose names are
    numbered: ``camera-01``, ``camera-02``… Without `name`, the realm's template makes one.

    `pair`: an IPv4 and an IPv6 address for each name. `secondary`: a further address of the host that has the name.
    """

    name: str | None = None
    address: str | None = None
    count: int = 1
    family: int | None = None
    kind: str = "host"
    mac: str | None = None
    purpose: str = ""
    service: str = ""
    secondary: bool = False
    pair: bool = False
    aliases: Sequence[str] = ()

    @property
    def records(self) -> int:
        """How many records it makes."""
        return self.count * (2 if self.pair else 1)


def record_addresses(
    change: Change, subnet_ref: Any, wanted: AddressRequest | Sequence[AddressRequest], version: int | None = None
) -> list[Address]:
    """Record addresses of a subnet: all that are wanted, or none.

    Raises:
        BadAddress: outside the subnet's blocks, withheld, or handed out by DHCP.
        AddressTaken: another record has the address or the MAC; says which.
        NameTaken: another record has the name, and it is not said to be a further address of that host.
        Exhausted: there are not so many free.
        KeptForService: the subnet is kept for another service.
        StaleEdit: the subnet has changed since `version`.
        Invalid, NotAllowed, WrongState. Of several, it says which one it is about.
    """
    wanted = [wanted] if isinstance(wanted, AddressRequest) else wanted
    total = sum(one.records for one in wanted)
    if not 1 <= total <= MOST_AT_ONCE:
        raise Invalid(
            f"{total} addresses at once: 1 to {MOST_AT_ONCE}",
            field="count" if len(wanted) == 1 else "records",
            received=total,
            suggestions=[max(1, min(total, MOST_AT_ONCE))],
        )
    subnet = locked_subnet(change, subnet_ref, "record an address", version, IN_USE)
    refuse_over_quota(change, subnet.project, [Take(subnet.pool, subnet.region_id, records=total)])
    recorded = Recorded(subnet)
    in_dns = NamesInDns(subnet)
    made: list[Address] = []
    for n, one in enumerate(wanted):
        try:
            made += _record(change, recorded, one, in_dns, n)
        except Refusal as refusal:
            raise _of_one(refusal, wanted, n)
    try:
        in_dns.refuse_taken()
    except NameTaken as refusal:
        raise _of_one(refusal, wanted, in_dns.places[refusal.conflicts[0]["range"]])
    change.added(made)
    for name in in_dns.unusable[:_TOLD]:
        change.note(
            f"{name} stands in no DNS zone: a label has more than 63 letters, or no letter that it can have"
        )
    return made


def _of_one(refusal: Refusal, wanted: Sequence[AddressRequest], n: int) -> Refusal:
    """A refusal of one of several records: says which."""
    if len(wanted) == 1:
        return refusal
    one = wanted[n]
    words = f"record {n + 1} ({one.name or one.address or 'without name'}): {refusal.message}"
    told = refusal.with_(message=words)
    told.field = f"records.{n}" + (f".{refusal.field}" if refusal.field else "")
    return told


def _record(
    change: Change, recorded: Recorded, wanted: AddressRequest, in_dns: NamesInDns, place: int
) -> list[Address]:
    """The records that are wanted, entered among the subnet's, not yet stored."""
    subnet = recorded.subnet
    _check(wanted)
    if subnet.service and wanted.service != subnet.service:
        raise KeptForService(
            f"subnet {subnet.name} is kept for {subnet.service} alone",
            field="service",
            received=wanted.service or None,
            rule="an exclusive subnet serves one service",
            conflicts=[{"range": str(subnet.blocks()[0]), "owner": subnet.service}],
            suggestions=[subnet.service],
        )
    mac = read_mac(wanted.mac) if wanted.mac else None
    places = list(_places(change, recorded, wanted))
    families = {family for family, _ in places}
    made: list[Address] = []
    aliases, names = read_aliases(wanted.aliases), _names(recorded, wanted, families)
    first = names[0] if wanted.secondary else ""
    in_dns.claim([] if wanted.secondary else names, aliases, first, place)
    for name, (family, address) in zip(names, places, strict=True):
        recorded.refuse_taken_name(name, family, wanted.secondary)
        recorded.refuse_taken_mac(mac, family)
        record = Address(
            realm_id=subnet.realm_id,
            subnet=subnet,
            family=family,
            address=address,
            kind=wanted.kind,
            name=name,
            mac=mac,
            secondary=wanted.secondary,
            purpose=wanted.purpose,
            aliases=aliases,
            created_at=change.now,
        )
        recorded.add(record)
        made.append(record)
    return made


def _places(change: Change, recorded: Recorded, wanted: AddressRequest) -> Iterator[tuple[int, int]]:
    """Family and address of each record: as a preview has shown, as given, or the next free ones."""
    shown = [one for _ in range(wanted.records) if (one := change.shown(Address.KIND))]
    if len(shown) == wanted.records:
        yield from (_given(recorded, one["address"], wanted.kind) for one in shown)
        return
    if wanted.address is not None:
        family, address = _given(recorded, wanted.address, wanted.kind)
        if not wanted.pair:
            yield family, address
            return
        firsts = [address] if family == 4 else recorded.free(4)
        yield 4, firsts[0]
        yield (6, recorded.twin(address, set())) if family == 4 else (6, address)
        return
    family = 4 if wanted.pair else wanted.family or recorded.insides[0].block.family
    twins: set[int] = set()
    for address in recorded.free(family, wanted.count):
        yield family, address
        if wanted.pair:
            twins.add(twin := recorded.twin(address, twins))
            yield 6, twin


def _names(recorded: Recorded, wanted: AddressRequest, families: set[int]) -> list[str]:
    """A name for each record; both of a pair have the same."""
    if wanted.name is None:
        taken = {name for of, name in recorded.names if of in families}
        subnet = recorded.subnet
        values = {
            "subnet": subnet.name,
            "kind": wanted.kind,
            "project": subnet.project.name,
            "zone": subnet.zone.name if subnet.zone else "",
            "tier": subnet.tier.name,
        }
        names = numbered_names(subnet.pool.realm.address_template, values, taken, wanted.count)
    elif wanted.count > 1:
        width = max(2, len(str(wanted.count)))
        names = [f"{wanted.name}-{n:0{width}d}" for n in range(1, wanted.count + 1)]
    else:
        names = [wanted.name]
    for name in {names[0], names[-1]}:
        check_name(name)
    return [name for name in names for _ in range(wanted.records // wanted.count)]


def edit_address(change: Change, address_ref: Any, values: dict[str, Any], version: int | None = None) -> Address:
    """Edit what is said of an address: name, kind, MAC, what it is for.

    Raises:
        AddressTaken: another record of the subnet has the MAC.
        Invalid, NotAllowed, StaleEdit.
    """
    record, subnet = _locked_record(change, address_ref, "edit an address", version)
    values = dict(values)
    recorded = Recorded(subnet)
    if "name" in values and values["name"] != record.name:
        check_name(values["name"])
    if {"name", "secondary"} & set(values):
        name, secondary = values.get("name", record.name), values.get("secondary", record.secondary)
        recorded.refuse_taken_name(name, record.family, secondary, besides=record.pk)
    if "aliases" in values:
        values["aliases"] = read_aliases(values["aliases"])
    fresh = [values["name"]] if values.get("name", record.name) != record.name else []
    if fresh or set(values.get("aliases", ())) - set(record.aliases):
        in_dns = NamesInDns(subnet)
        in_dns.claim(fresh, values.get("aliases", ()), record.name)
        in_dns.refuse_taken()
    if values.get("kind", "host") not in ADDRESS_KINDS:
        raise Invalid(f"{values['kind']!r} is not a kind of address", field="kind", suggestions=ADDRESS_KINDS)
    if values.get("mac"):
        values["mac"] = read_mac(values["mac"])
        recorded.refuse_taken_mac(values["mac"], record.family, besides=record.pk)
    change.edited(record, **values)
    return record


def release_address(change: Change, address_ref: Any, version: int | None = None) -> Address:
    """Release an address: it is free again at once.

    Raises:
        InUse: its host has secondary addresses; lists them.
    """
    record, subnet = _locked_record(change, address_ref, "release an address", version)
    alike = subnet.addresses.filter(name=record.name, family=record.family).exclude(pk=record.pk)
    further = [] if record.secondary else list(alike.filter(secondary=True)[:20])
    if further and not alike.filter(secondary=False).exists():
        raise InUse(
            f"{record.text} is the first address of {record.name}, which has {further[0].text} besides: release that first",
            field="number",
            rule="a secondary address is a further one of a host that has one",
            conflicts=[{"range": other.text, "owner": other.name, "id": other.pk} for other in further],
        )
    refuse_public([record])
    follower = lock_all(Address.objects.filter(replaces=record, moved_at=None))
    change.edited_all(follower, "move", moved_at=change.now)
    change.removed([record], "release")
    return record


def refuse_public(records: Iterable[Address]) -> None:
    """Refuse to release addresses that public ones are attached to.

    Raises:
        StillAttached: says which.
    """
    numbers = [record.pk for record in records]
    held = (
        Subnet.objects.filter(attached_record__in=numbers).order_by("place") if numbers else Subnet.objects.none()
    )
    if attached := list(held.prefetch_related("extents")[:20]):
        first = attached[0]
        raise StillAttached(
            f"{first.blocks()[0]} ({first.name}) is attached to {first.attached_to}: detach it first",
            received=first.attached_to,
            rule="what is attached is in use",
            conflicts=[
                {"range": str(s.blocks()[0]), "owner": s.name, "id": s.pk, "kind": "public address"}
                for s in attached
            ],
            suggestions=[f"detach {first.name}"],
        )


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


def _check(wanted: AddressRequest) -> None:
    if wanted.kind not in ADDRESS_KINDS:
        raise Invalid(
            f"{wanted.kind!r} is not a kind of address",
            field="kind",
            received=wanted.kind,
            suggestions=ADDRESS_KINDS,
        )
    if wanted.count < 1:
        raise Invalid(f"{wanted.count} addresses at once: 1 or more", field="count", suggestions=[1])
    if wanted.count > 1 and (wanted.address is not None or wanted.mac or wanted.secondary or wanted.aliases):
        raise Invalid(
            "an address, a MAC, another name or a secondary address is for one record: leave out count",
            field="count",
            received=wanted.count,
        )
    if wanted.pair and wanted.family is not None:
        raise Invalid("a pair has both families: leave out family", field="family", received=wanted.family)


def _given(recorded: Recorded, text: str, kind: str) -> tuple[int, int]:
    """The address given, if a record may have it."""
    try:
        family, address = parse_address(text)
    except Refusal as refusal:
        raise refusal.about("address")
    subnet, taken = recorded.subnet, recorded.at
    insides = recorded.insides
    inside = next(
        (i for i in insides if i.block.family == family and i.block.first <= address <= i.block.last), None
    )
    free = recorded.something_free(family)
    if inside is None:
        blocks = ", ".join(str(i.block) for i in insides)
        raise BadAddress(
            f"{text} is outside subnet {subnet.name}: {blocks}",
            field="address",
            received=text,
            rule="an address record lies in a block of its subnet",
            suggestions=free,
        )
    holder = taken.get((family, address))
    own = {inside.gateway: "gateway", inside.dhcp_service: "dhcp-service"}.get(address)
    if holder or own not in (None, kind):
        owner = f"{holder.name} ({holder.kind})" if holder else f"the {str(own).replace('dhcp-', 'DHCP ')}"
        raise AddressTaken(
            f"{text} is taken by {owner}",
            field="address",
            received=text,
            conflicts=[{"range": text, "owner": holder.name if holder else own, "kind": "address"}],
            suggestions=free,
        )
    try:
        refuse_address(inside, address, gateway=kind in ("gateway", "dhcp-service"))
    except BadAddress as refusal:
        refusal.suggestions = free
        raise
    return family, address
