"""How far each block of a subnet can grow in place, and what is in the way."""

from __future__ import annotations

from typing import Any

from lentra.addressing.growth import farthest, in_the_way
from lentra.addressing.prefix import Prefix
from lentra.registry.models import Space, Subnet
from lentra.registry.space.evidence import conflicts_over
from lentra.registry.space.store import DatabaseExtents

_STEPS = 4


def block_headroom(subnet: Subnet) -> list[dict[str, Any]]:
    """Of each block of a subnet in use: how far it can grow, and each wider length with what stands in its way.

    Returns:
        rows with ``block``, ``usable`` and ``hosts`` (IPv4: recorded, or else expected), ``can_grow_to`` (keeping its
        first address), and ``steps``: ``prefix``, ``possible``, ``moves_first`` (its first address would change),
        ``in_the_way``, ``why``.
    """
    recorded = subnet.addresses.filter(family=4).count()
    rules = subnet.pool.sheet.rules()
    rows = []
    for block in subnet.blocks():
        extent = subnet.extents.get(family=block.family, first=block.first)
        space = Space.objects.get(pool=extent.pool_id, family=block.family)
        store = DatabaseExtents(space)
        withheld = rules.family(4).withheld if rules.v4 else 0
        usable = max(0, block.size - withheld) if block.family == 4 else None
        hosts = (recorded or subnet.hosts) if block.family == 4 else None
        rows.append(
            {
                "block": str(block),
                "family": block.family,
                "usable": None if usable is None else str(usable),
                "hosts": None if hosts is None else str(hosts),
                "can_grow_to": str(farthest(store, block, subnet.pk)[0]),
                "steps": _steps(store, block, subnet),
            }
        )
    return rows


def _steps(store: DatabaseExtents, block: Prefix, subnet: Subnet) -> list[dict[str, Any]]:
    found = []
    for length in range(block.length - 1, max(block.length - 1 - _STEPS, -1), -1):
        target = block.enclosing(length)
        inside = store.range_of(target) is not None
        stopping = in_the_way(store, block, target, subnet.pk) if inside else []
        conflicts = (
            [c for c in conflicts_over(subnet.realm_id, target) if c.get("id") != subnet.pk] if stopping else []
        )
        moves = target.first != block.first
        found.append(
            {
                "prefix": str(target),
                "length": length,
                "possible": inside and not stopping,
                "moves_first": moves,
                "in_the_way": [
                    {
                        "range": conflict["range"],
                        "state": conflict["state"],
                        "owner": conflict.get("owner"),
                        "addresses": str(conflict["addresses"]),
                    }
                    for conflict in conflicts
                ],
                "why": _why(target, inside, len(stopping), moves),
            }
        )
        if not inside:
            break
    return found


def _why(target: Prefix, inside: bool, stopping: int, moves: bool) -> str:
    if not inside:
        return f"{target} lies in no range of the pool"
    if stopping:
        return f"{stopping} {'extent is' if stopping == 1 else 'extents are'} in the way"
    return "possible, but its first address would change" if moves else "possible"
