"""What things of a realm are called in DNS, and that a name belongs to one host there."""

from __future__ import annotations

from collections.abc import Iterable

from lentra.addressing.dns import ALIAS, HOST, Domains, is_host_name, usable_label
from lentra.registry.errors import Invalid, NameTaken
from lentra.registry.models import Address, DnsEntry, DnsZone, Subnet
from lentra.registry.rules.names import filled

_NAMED = ("subnet__project", "subnet__zone", "subnet__region", "subnet__tier")
_MOST = 1000  # records of the same name that are looked at


class Naming:
    """What things of a realm are called in DNS, and which DNS zones there are for it."""

    def __init__(self, realm_id: int) -> None:
        self.zones = {zone.pk: zone for zone in DnsZone.objects.filter(realm=realm_id).order_by("name")}
        self.domains = Domains(zone.domain for zone in self.zones.values())
        self._takers = {zone.project_id: zone for zone in self.zones.values() if zone.host_names}

    def zone_for(self, subnet: Subnet) -> DnsZone | None:
        """The DNS zone whose templates hold for a subnet: its project's, else its realm's."""
        return self._takers.get(subnet.project_id) or self._takers.get(None)

    def host(self, subnet: Subnet, name: str) -> str | None:
        """The whole name of a host; None where no DNS zone takes it."""
        return self._named(subnet, "host_names", name=name)

    def gateway(self, subnet: Subnet) -> str | None:
        """That of a subnet's gateway."""
        return self._named(subnet, "gateway_names")

    def edge(self, subnet: Subnet, edge: str) -> str | None:
        """That of the first (network) or last (broadcast) address of its block."""
        return self._named(subnet, "edge_names", edge=edge)

    def public(self, subnet: Subnet, name: str) -> str | None:
        """That of a public address, by the name of what it is attached to."""
        return self._named(subnet, "public_names", name=name)

    def alias(self, subnet: Subnet, alias: str) -> str | None:
        """That of a further name, in the domain of its subnet."""
        zone = self.zone_for(subnet)
        return f"{alias}.{self._domain(subnet, zone)}" if zone else None

    def _domain(self, subnet: Subnet, zone: DnsZone) -> str:
        """The domain of a subnet's hosts: what they are told by DHCP where that is one of the realm's, else the DNS zone."""
        suffix = subnet.dns_suffix.strip(".").lower()
        return suffix if suffix and self.domains.around(suffix) else zone.name

    def _named(self, subnet: Subnet, field: str, **values: str) -> str | None:
        zone = self.zone_for(subnet)
        if zone is None:
            return None
        template = getattr(zone, field)
        if field == "host_names":
            template = subnet.tier.host_names or template
        if not template:
            return None
        place = subnet.zone or subnet.region
        values |= {
            "subnet": subnet.name,
            "project": subnet.project.name,
            "environment": subnet.project.environment,
            "zone": place.name if place else "",
            "region": subnet.region.name if subnet.region else "",
            "tier": subnet.tier.name,
        }
        name = usable_label(filled(template, {key: usable_label(value) for key, value in values.items()}))
        return f"{name}.{self._domain(subnet, zone)}"


def read_aliases(names: Iterable[str]) -> list[str]:
    """Further names of a host as they are kept.

    Raises:
        Invalid: one is none.
    """
    found = []
    for n, text in enumerate(names):
        name = text.strip().lower()
        if not is_host_name(name):
            raise Invalid(
                f"{text[:100]!r} is no name of a host: letters, digits and hyphens, with dots between labels",
                field=f"aliases.{n}",
                received=text[:100],
                rule="RFC 1123, section 2.1",
                suggestions=[usable_label(text)] if is_host_name(usable_label(text)) else [],
            )
        found.append(name)
    return list(dict.fromkeys(found))


class NamesInDns:
    """The names that hosts of a subnet would have in DNS: looked up once, and only where its realm has DNS zones."""

    def __init__(self, subnet: Subnet) -> None:
        self._subnet = subnet
        self._naming = Naming(subnet.realm_id)
        self.unusable: list[str] = []  # those that no host can have: they stand in no DNS zone

    def refuse_taken(self, names: Iterable[str], aliases: Iterable[str] = (), besides: str = "") -> None:
        """Refuse names of hosts that would be those of others: a name belongs to one host in a DNS zone.

        Args:
            aliases: further names of the host.
            besides: its name so far, if it has one.

        Raises:
            NameTaken: says whose it is.
        """
        subnet, naming = self._subnet, self._naming
        if naming.zone_for(subnet) is None:
            return
        names, aliases = list(names), list(aliases)
        hosts = {whole: name for name in names if (whole := naming.host(subnet, name))}
        self.unusable += [whole for whole in hosts if not is_host_name(whole)]
        others = {whole: alias for alias in aliases if (whole := naming.alias(subnet, alias))}
        beside = Address.objects.filter(realm=subnet.realm_id, name__in=set(names)).exclude(subnet=subnet)
        for record in beside.filter(replaced_by=None, replaces=None).select_related(*_NAMED)[:_MOST]:
            if (whole := naming.host(record.subnet, record.name)) in hosts:
                raise _taken(
                    whole, hosts[whole], f"{record.name} ({record.text}, {record.subnet.name})", record.pk
                )
        own = {whole for name in (*names, besides) if name and (whole := naming.host(subnet, name))}
        there = _numbers_of(subnet, besides) if besides else set()
        rows = DnsEntry.objects.filter(realm=subnet.realm_id, name__in={*hosts, *others}, claimed=True)
        for entry in rows.exclude(type="PTR").order_by("rank", "host"):
            its_own = entry.subnet == subnet.pk and (entry.name in own or entry.data.rstrip(".") in own)
            moving = entry.rank in (HOST, ALIAS) and entry.host in there
            if not its_own and not moving and (entry.name in others or entry.type == "CNAME"):
                given = {**hosts, **others}[entry.name]
                raise _taken(entry.name, given, f"{entry.type} {entry.data}", entry.host)


def _numbers_of(subnet: Subnet, name: str) -> set[int]:
    """Numbers by which a host of a subnet is known: those of the records that its own replace as well."""
    pairs = subnet.addresses.filter(name=name).values_list("pk", "replaces")
    return {number for pair in pairs for number in pair if number is not None}


def _taken(name: str, given: str, whose: str, number: int) -> NameTaken:
    return NameTaken(
        f"{name} is the name of {whose} in DNS already",
        field="name",
        received=given,
        rule="a name belongs to one host in a DNS zone",
        conflicts=[{"range": name, "owner": whose, "id": number}],
        suggestions=[f"{given}-2"],
    )
