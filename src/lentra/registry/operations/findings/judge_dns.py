"""What stands on the server of a DNS zone and is not as the registry has it: a finding for each name and type."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from lentra.addressing.prefix import parse_address
from lentra.addressing.refusal import Refusal
from lentra.registry.models import DnsZone, Finding, Subnet
from lentra.registry.operations.findings.wanted import DNS, Wanted, bring_up_to_date
from lentra.registry.transactions.change import Change

MOST = 2000  # of a DNS zone, told as findings


@dataclass(frozen=True)
class Differs:
    """A name and type with other data on the server than here; none where there is none. `subnet` is where the name is."""

    name: str
    type: str
    here: tuple[str, ...]
    there: tuple[str, ...]
    subnet: int | None = None

    @property
    def text(self) -> str:
        """What it is, in a line."""
        here, there = " and ".join(self.here), " and ".join(self.there)
        if not here:
            return f"{self.name} has {self.type} {there} on its server, and nothing here"
        if not there:
            return f"{self.name} has {self.type} {here} here, and nothing on its server"
        return f"{self.name} has {self.type} {there} on its server, and {here} here"


def judge_dns(change: Change, zone: DnsZone, differences: Sequence[Differs]) -> dict[str, int]:
    """Open a finding for each difference of a DNS zone, and close those that are gone."""
    living = {one.living: one for one in Finding.objects.filter(dns_zone=zone.pk).exclude(living=None)}
    wanted: dict[str | None, Wanted] = {one.key(zone.realm): one for one in _wanted(zone, differences[:MOST])}
    return bring_up_to_date(change, zone.realm, wanted, living)


def close_dns(change: Change, zone: DnsZone) -> None:
    """Close the findings of a DNS zone that nobody compares with that server any more."""
    living = {one.living: one for one in Finding.objects.filter(dns_zone=zone.pk).exclude(living=None)}
    bring_up_to_date(change, zone.realm, {}, living)


def _wanted(zone: DnsZone, differences: Sequence[Differs]) -> Iterator[Wanted]:
    numbers = {one.subnet for one in differences if one.subnet}
    subnets = Subnet.objects.select_related("project").in_bulk(numbers)
    for one in differences:
        family, address = _place(one)
        yield Wanted(
            DNS,
            family,
            address,
            address,
            one.text,
            one.type,
            ", ".join(one.here),
            [{"source": f"server of {zone.name}"[:63], "value": ", ".join(one.there)[:400] or "nothing"}],
            subnets.get(one.subnet or 0),
            dns_zone=zone.pk,
            dns_name=one.name,
        )


def _place(one: Differs) -> tuple[int | None, int | None]:
    """The address that a record is of, if it is of one."""
    if one.type in ("A", "AAAA"):
        try:
            return parse_address((one.here or one.there)[0])
        except Refusal:
            pass
    return None, None
