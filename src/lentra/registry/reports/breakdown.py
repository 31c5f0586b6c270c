"""Usage by project, zone, tier, region, pool or realm, in any combination of filters."""

from __future__ import annotations

from typing import Any

from django.db.models import QuerySet, Sum

from lentra.addressing.extents import State
from lentra.addressing.prefix import BITS
from lentra.registry.errors import Invalid
from lentra.registry.lookup.any_of import any_of
from lentra.registry.lookup.rules_in_force import ipv4_rules_of
from lentra.registry.models import Pool, Project, Realm, Region, SubnetSum, Tier, Zone

DIMENSIONS: dict[str, type] = {
    "realm": Realm,
    "pool": Pool,
    "region": Region,
    "zone": Zone,
    "tier": Tier,
    "project": Project,
}
_OWNED = (State.HANDED_OUT, State.HELD, State.ROOM, State.COOLING)


def breakdown(by: list[str], family: int = 4, **of: Any) -> list[dict[str, Any]]:
    """What subnets own, grouped by one or more dimensions: addresses by state, and hosts inside against usable ones.

    Args:
        by: names of `DIMENSIONS`.
        of: records to filter by, by the same names; several of one name mean any of them.

    Returns:
        rows, the largest first: a reference per dimension, ``subnets``, ``addresses`` by state, ``used`` in all,
        ``percent`` of the sum of all rows, ``usable``, ``hosts`` (recorded, or else expected) of IPv4 blocks.

    Raises:
        Invalid: a dimension that there is not.
    """
    for name in by:
        if name not in DIMENSIONS:
            raise Invalid(
                f"usage is not told by {name!r}", field="by", received=name, suggestions=list(DIMENSIONS)
            )
    sums = SubnetSum.objects.filter(family=family)
    for name, records in of.items():
        numbers = [record.pk for record in (records if isinstance(records, list) else [records])]
        sums = sums.filter(**any_of(name, numbers))
    rows = _grouped(sums, by, family)
    names = {name: dict(DIMENSIONS[name]._default_manager.values_list("pk", "name")) for name in by}  # type: ignore[attr-defined]
    whole = sum(row["used"] for row in rows.values())
    told = []
    for key, row in sorted(rows.items(), key=lambda item: (-item[1]["used"], str(item[0]))):
        refs = {
            name: {"id": pk, "name": names[name][pk]} if pk else None for name, pk in zip(by, key, strict=True)
        }
        told.append(
            {
                **refs,
                "subnets": row["subnets"],
                "used": str(row["used"]),
                "percent": round(100 * row["used"] / whole, 3) if whole else 0.0,
                "addresses": {state.word: str(row["states"].get(state, 0)) for state in _OWNED},
                "usable": str(row["usable"]) if family == 4 else None,
                "hosts": str(row["hosts"]) if family == 4 else None,
            }
        )
    return told


def _grouped(sums: QuerySet[SubnetSum], by: list[str], family: int) -> dict[tuple[Any, ...], dict[str, Any]]:
    """Sums of each group, in one statement; usable addresses by the rules that each pool has now."""
    columns = ("extents", "subnets", "hosts")
    added = {f"all_{name}": Sum(name) for name in columns}
    kept = sums.exclude(extents=0).values_list(*by, "pool", "state", "length").annotate(**added).order_by()
    rules = ipv4_rules_of(sums) if family == 4 else {}
    rows: dict[tuple[Any, ...], dict[str, Any]] = {}
    for line in kept:
        key, (pool, state, length), (extents, subnets, hosts) = (
            line[: len(by)],
            line[len(by) : -3],
            map(int, line[-3:]),
        )
        row = rows.setdefault(key, {"subnets": 0, "used": 0, "states": {}, "usable": 0, "hosts": 0})
        size = extents << (BITS[family] - length)
        row["used"] += size
        row["states"][State(state)] = row["states"].get(State(state), 0) + size
        row["subnets"] += subnets
        row["hosts"] += hosts
        if state == State.HANDED_OUT and pool in rules:
            row["usable"] += extents * rules[pool].usable_of(1 << (32 - length))
    return rows
