"""The address map of a subnet: what each address of its blocks is for."""

from __future__ import annotations

from typing import Any

from lentra.addressing.address_map import stretches
from lentra.addressing.dhcp import span_text
from lentra.addressing.prefix import address_text
from lentra.registry.lookup.insides import insides_of
from lentra.registry.models import Address, Subnet

_LISTED = 2000


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
                "dhcp": [span_text(inside.block.family, *span) for span in inside.dhcp],
                "dhcp_service": address_text(inside.block.family, inside.dhcp_service)
                if inside.dhcp_service is not None
                else None,
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
