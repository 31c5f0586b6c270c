"""The address map of a subnet: what each address of its blocks is for."""

from __future__ import annotations

from typing import Any

from lentra.addressing.address_map import Inside, gateway_address, stretches
from lentra.addressing.prefix import Prefix, address_text, parse_range
from lentra.addressing.refusal import BadAddress, WrongFamily
from lentra.addressing.rules import FamilyRules
from lentra.registry.models import Address, Subnet

_LISTED = 2000


def inside_of(subnet: Subnet, block: Prefix) -> Inside:
    """A block of a subnet with its gateway and DHCP range."""
    rules = rules_of(subnet, block.family)
    dhcp = None
    if subnet.dhcp:
        family, first, last = parse_range(subnet.dhcp)
        if family == block.family and block.first <= first and last <= block.last:
            dhcp = (first, last)
    return Inside(block, rules, gateway_of(subnet, block), dhcp)


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


def address_map(subnet: Subnet) -> dict[str, Any]:
    """The map of every block: stretches in order, with totals by purpose that add up to the block.

    Returns:
        ``subnet`` and ``blocks``, each with ``prefix``, ``gateway``, ``total``, ``totals`` and ``stretches``.
    """
    records: dict[int, dict[int, Address]] = {4: {}, 6: {}}
    for record in subnet.addresses.all():
        records[record.family][record.address] = record
    blocks = []
    for inside in insides_of(subnet):
        own = records[inside.block.family]
        found = stretches(inside, {a: (r.kind, r.name) for a, r in own.items()})
        totals: dict[str, int] = {}
        for stretch in found:
            totals[stretch.purpose] = totals.get(stretch.purpose, 0) + stretch.addresses
        gateway = inside.gateway
        blocks.append(
            {
                "prefix": str(inside.block),
                "family": inside.block.family,
                "gateway": None if gateway is None else address_text(inside.block.family, gateway),
                "dhcp": subnet.dhcp if inside.dhcp else None,
                "total": str(inside.block.size),
                "totals": {purpose: str(count) for purpose, count in totals.items()},
                "stretches": [
                    {
                        "range": str(stretch),
                        "first": address_text(stretch.family, stretch.first),
                        "last": address_text(stretch.family, stretch.last),
                        "purpose": stretch.purpose,
                        "name": stretch.name,
                        "addresses": str(stretch.addresses),
                        "start": (stretch.first - inside.block.first) / inside.block.size,
                        "share": stretch.addresses / inside.block.size,
                        "record": own[stretch.first].pk if stretch.first in own else None,
                    }
                    for stretch in found[:_LISTED]
                ],
            }
        )
    return {"subnet": {"id": subnet.pk, "name": subnet.name}, "blocks": blocks}
