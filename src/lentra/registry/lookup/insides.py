"""The blocks of a subnet with what is fixed inside them: withheld addresses, gateway, DHCP."""

from __future__ import annotations

from dataclasses import replace

from lentra.addressing.address_map import Inside, gateway_address
from lentra.addressing.dhcp import spans_in, without_excluded
from lentra.addressing.prefix import Prefix, parse_address
from lentra.addressing.refusal import BadAddress, WrongFamily
from lentra.addressing.rules import FamilyRules
from lentra.registry.models import Subnet


def inside_of(subnet: Subnet, block: Prefix) -> Inside:
    """A block of a subnet with its gateway, DHCP service, and what DHCP hands out of it."""
    inside = Inside(block, rules_of(subnet, block.family), gateway_of(subnet, block))
    if not (subnet.dhcp or subnet.dhcp_service):
        return inside
    service = None
    if subnet.dhcp_service:
        family, address = parse_address(subnet.dhcp_service)
        service = address if family == block.family and block.first <= address <= block.last else None
    ranges, excluded = spans_in(inside, subnet.dhcp_ranges), spans_in(inside, subnet.dhcp_exclusions)
    return replace(inside, dhcp=tuple(without_excluded(ranges, excluded)), dhcp_service=service)


def insides_of(subnet: Subnet) -> list[Inside]:
    """Every block of a subnet with what is fixed in it."""
    return [inside_of(subnet, block) for block in subnet.blocks()]


def rules_of(subnet: Subnet, family: int) -> FamilyRules:
    """The rules of the subnet's sheet for a family; nothing is withheld where it has none."""
    try:
        return subnet.pool.sheet.rules().family(family)
    except WrongFamily:
        bits = 32 if family == 4 else 128
        return FamilyRules(0, 0, 0, bits, 0, bits)


def gateway_of(subnet: Subnet, block: Prefix) -> int | None:
    """The gateway's address in a block, by the subnet's rule; None where the rule gives none there."""
    try:
        return gateway_address(block, rules_of(subnet, block.family), subnet.gateway)
    except BadAddress:
        return None
