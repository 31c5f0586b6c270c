"""What follows from the registry as it is now: who is to have which name in DNS, and the records by which that is met."""

from __future__ import annotations

import hashlib
from collections.abc import Iterator
from dataclasses import dataclass

from django.db.models import F, Q, QuerySet

from lentra.addressing.dns import ALIAS as OTHER_NAME
from lentra.addressing.dns import BY_HAND, HOST, OF_SUBNET, Claim, Entry, is_host_name
from lentra.addressing.prefix import Prefix
from lentra.registry.lookup.insides import gateway_of, rules_of
from lentra.registry.models import Address, DnsEntry, DnsRecord, Subnet
from lentra.registry.rules.naming import Naming

_RELATED = ("project", "zone", "region", "tier", "pool__sheet", "attached_record")
_STANDING = ("active", "retiring", "cooling")
TOGETHER = 1000  # subnets that are looked at together


@dataclass(frozen=True)
class _Recorded:
    """An address record, as far as names go: `host` is that of the one it replaces while both live."""

    name: str
    host: int
    family: int
    address: int
    aliases: tuple[str, ...]


def entries_of_subnets(naming: Naming, rows: QuerySet[Subnet]) -> Iterator[DnsEntry]:
    """What follows from some subnets: unsaved, whoever wins a name. Names that no host can have are left out."""
    standing = rows.filter(state__in=_STANDING).select_related(*_RELATED).prefetch_related("extents")
    subnets = [subnet for subnet in standing if _is_named(naming, subnet)]
    records = _records(subnet.pk for subnet in subnets)
    for subnet in subnets:
        for claim in _claims(naming, subnet, records.get(subnet.pk, [])):
            if not is_host_name(claim.name):
                continue
            for entry in naming.domains.entries(claim):
                yield _row(naming, entry, claim.name, claim.rank, claim.host, subnet.pk)


def parts_of(realm: int) -> Iterator[tuple[QuerySet[Subnet], Q]]:
    """All subnets of a realm, some at a time, and how what is kept for them is found: for those that are gone as well."""
    first = 0
    while True:
        rows = Subnet.objects.filter(realm=realm, pk__gte=first).order_by("pk")
        numbers = list(rows.values_list("pk", flat=True)[: TOGETHER + 1])
        last = numbers[TOGETHER] if len(numbers) > TOGETHER else None
        span = {"gte": first} if last is None else {"gte": first, "lt": last}
        here = Subnet.objects.filter(realm=realm, **{f"pk__{of}": bound for of, bound in span.items()})
        yield here, Q(**{f"subnet__{of}": bound for of, bound in span.items()})
        if last is None:
            return
        first = last


def entries_by_hand(naming: Naming) -> Iterator[DnsEntry]:
    """What the DNS zones say of each other, and the records that somebody keeps in them: unsaved."""
    for entry in dict.fromkeys(naming.domains.structure()):
        yield _row(naming, entry, entry.owner, BY_HAND, 0, None)
    for record in DnsRecord.objects.filter(dns_zone__in=naming.zones).select_related("dns_zone"):
        name = record.full_name
        row = _row(
            naming, Entry(record.dns_zone_id, name, record.type, record.data), name, BY_HAND, record.pk, None
        )
        row.ttl = record.ttl
        yield row


def _is_named(naming: Naming, subnet: Subnet) -> bool:
    """Whether what is in a subnet has names: while it cools only where that is said."""
    zone = naming.zone_for(subnet)
    return zone is not None and (subnet.state != "cooling" or zone.names_end == "cooled")


def _records(subnets: Iterator[int]) -> dict[int, list[_Recorded]]:
    """Address records by subnet. One whose host has moved to another address is left out."""
    rows = Address.objects.filter(subnet__in=list(subnets)).exclude(replaced_by__moved_at__isnull=False)
    found: dict[int, list[_Recorded]] = {}
    columns = ("subnet_id", "name", "pk", "replaces_id", "family", "address", "aliases")
    for subnet, name, number, replaces, family, address, aliases, old in rows.order_by("pk").values_list(
        *columns, F("replaces__family")
    ):
        host = replaces if old is not None else number
        found.setdefault(subnet, []).append(_Recorded(name, host, family, address, tuple(aliases)))
    return found


def _claims(naming: Naming, subnet: Subnet, records: list[_Recorded]) -> Iterator[Claim]:
    hosts: dict[str, list[_Recorded]] = {}
    for record in records:
        hosts.setdefault(record.name, []).append(record)
    for name, of_host in hosts.items():
        host = min(record.host for record in of_host)
        whole = naming.host(subnet, name)
        if whole is None:
            continue
        yield Claim(whole, HOST, host, tuple((r.family, r.address) for r in of_host))
        for alias in sorted({alias for record in of_host for alias in record.aliases}):
            if other := naming.alias(subnet, alias):
                yield Claim(other, OTHER_NAME, host, alias_of=whole)
    taken = {(record.family, record.address) for record in records}
    if called := naming.gateway(subnet):
        gateways = ((block.family, gateway_of(subnet, block)) for block in subnet.blocks())
        there = tuple((f, a) for f, a in gateways if a is not None and (f, a) not in taken)
        if there:
            yield Claim(called, OF_SUBNET, subnet.pk, there)
    for edge, places in _edges(subnet).items():
        if places and (called := naming.edge(subnet, edge)):
            yield Claim(called, OF_SUBNET, subnet.pk, tuple(place for place in places if place not in taken))
    if subnet.attached_to:
        beside = subnet.attached_record
        if called := naming.public(subnet, beside.name if beside else subnet.attached_to):
            host = beside.pk if beside else subnet.pk
            yield Claim(called, HOST, host, tuple((b.family, b.first) for b in subnet.blocks()))


def _edges(subnet: Subnet) -> dict[str, list[tuple[int, int]]]:
    """The first and last addresses of its IPv4 blocks, where hosts cannot have them."""
    found: dict[str, list[tuple[int, int]]] = {"network": [], "broadcast": []}
    for block in _of_ipv4(subnet):
        rules = rules_of(subnet, 4)
        if rules.head:
            found["network"].append((4, block.first))
        if rules.tail:
            found["broadcast"].append((4, block.last))
    return found


def _of_ipv4(subnet: Subnet) -> list[Prefix]:
    return [block for block in subnet.blocks() if block.family == 4]


def _row(naming: Naming, entry: Entry, name: str, rank: int, host: int, subnet: int | None) -> DnsEntry:
    zone = naming.zones[entry.domain]
    said = f"{zone.pk}/{entry.owner}/{entry.type}/{subnet or 0}/{host}/{entry.data}"
    return DnsEntry(
        key=hashlib.blake2s(said.encode(), digest_size=16).hexdigest(),
        realm=zone.realm_id,
        dns_zone=zone.pk,
        owner=entry.owner,
        type=entry.type,
        data=entry.data,
        name=name,
        rank=rank,
        host=host,
        subnet=subnet,
    )
