"""Usage by project, zone, tier, region, pool or realm, in any combination of filters."""

from __future__ import annotations

from typing import Any

from django.db.models import Count, F, Q, QuerySet, Sum

from lentra.addressing.extents import State
from lentra.addressing.prefix import BITS
from lentra.registry.errors import Invalid
from lentra.registry.lookup.any_of import any_of
from lentra.registry.models import Address, ExtentRow, Pool, Project, Realm, Region, Subnet, Tier, Zone

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
    subnets, extents = Subnet.objects.all(), ExtentRow.objects.filter(family=family)
    for name, records in of.items():
        subnets = subnets.filter(**any_of(name, records))
        extents = extents.filter(**any_of(_path(name), records))
    rows = _addresses(extents, by, family)
    _hosts(subnets, extents, by, rows, family)
    names = {name: dict(DIMENSIONS[name]._default_manager.values_list("pk", "name")) for name in by}  # type: ignore[attr-defined]
    whole = sum(row["used"] for row in rows.values())
    told = []
    for key, row in sorted(rows.items(), key=lambda item: (-item[1]["used"], str(item[0]))):
        refs = {
            name: {"id": pk, "name": names[name][pk]} if pk is not None else None
            for name, pk in zip(by, key, strict=True)
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


def _path(name: str) -> str:
    """Where an extent says its dimension: its pool is its own, all else its subnet's."""
    return "pool" if name == "pool" else f"subnet__{name}"


def _addresses(extents: QuerySet[ExtentRow], by: list[str], family: int) -> dict[tuple[Any, ...], dict[str, Any]]:
    """Addresses by state of each group, in one statement."""
    keys = [_path(name) for name in by]
    grouped = (
        extents.filter(subnet__isnull=False)
        .values_list(*keys, "state", "length")
        .annotate(n=Count("id"))
        .order_by()
    )
    rows: dict[tuple[Any, ...], dict[str, Any]] = {}
    for *key, state, length, n in grouped:
        row = rows.setdefault(tuple(key), {"subnets": 0, "used": 0, "states": {}, "usable": 0, "hosts": 0})
        size = n << (BITS[family] - length)
        row["used"] += size
        row["states"][State(state)] = row["states"].get(State(state), 0) + size
    # Counted apart: a subnet whose blocks differ in length is one all the same.
    blocks = extents.filter(subnet__isnull=False).exclude(state=State.ROOM)
    for *key, subnets in blocks.values_list(*keys).annotate(n=Count("subnet", distinct=True)).order_by():
        rows[tuple(key)]["subnets"] = subnets
    return rows


def _hosts(
    subnets: QuerySet[Subnet],
    extents: QuerySet[ExtentRow],
    by: list[str],
    rows: dict[tuple[Any, ...], dict[str, Any]],
    family: int,
) -> None:
    """Usable hosts of the blocks, and how many are used: address records where there are any, else expected hosts."""
    if family != 4:
        return
    keys = [_path(name) for name in by]
    blocks = extents.filter(state=State.HANDED_OUT, subnet__isnull=False)
    rules = {}
    for pool in Pool.objects.filter(pk__in=blocks.values("pool").distinct()).select_related("sheet"):
        rules[pool.pk] = pool.sheet.rules().family(4)
    for *key, pool, length, n in blocks.values_list(*keys, "pool", "length").annotate(n=Count("id")).order_by():
        rows[tuple(key)]["usable"] += n * rules[pool].usable_of(1 << (32 - length))
    recorded = Address.objects.filter(subnet__in=subnets, family=4)
    counted = recorded.values_list(*(f"subnet__{name}" for name in by)).annotate(n=Count("id")).order_by()
    for *key, n in counted:
        if tuple(key) in rows:
            rows[tuple(key)]["hosts"] += n
    with_records = recorded.values("subnet")
    expected = subnets.filter(Q(state="active") | Q(state="retiring")).exclude(pk__in=with_records)
    for *key, hosts in expected.values_list(*by).annotate(hosts=Sum(F("hosts"))).order_by():
        if tuple(key) in rows:
            rows[tuple(key)]["hosts"] += hosts or 0
