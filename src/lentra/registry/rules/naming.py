"""What things of a realm are called in DNS."""

from __future__ import annotations

from collections.abc import Iterable

from lentra.addressing.dns import Domains, is_host_name, usable_label
from lentra.registry.errors import Invalid
from lentra.registry.models import DnsZone, Subnet
from lentra.registry.rules.names import filled


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
