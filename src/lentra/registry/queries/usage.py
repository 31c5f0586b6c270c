"""Usage of pools: their own counters, and rolled up over the pools carved from them."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import Any

from lentra.addressing.extents import State
from lentra.addressing.headroom import Usage, units_at
from lentra.registry.models import Pool, Space

FITS = {4: range(8, 33), 6: (40, 44, 48, 52, 56, 60, 64)}


def own_usage(pools: Iterable[int]) -> dict[int, dict[int, Usage]]:
    """Counters of each pool's own extents: pool number -> family -> usage. One statement."""
    found: dict[int, dict[int, Usage]] = {}
    for space in Space.objects.filter(pool_id__in=list(pools)):
        found.setdefault(space.pool_id, {})[space.family] = space.usage()
    return found


def rolled_up(pools: Iterable[int]) -> dict[int, dict[int, Usage]]:
    """Usage of pools with what was carved from them counted by its own use, never twice.

    One statement for each level that pools are carved in, and one for the counters of them all.
    """
    asked = list(pools)
    children: dict[int, list[int]] = {}
    level = asked
    while level:
        rows = list(Pool.objects.filter(parent__in=level).values_list("parent_id", "pk"))
        for parent, pk in rows:
            if pk not in children.setdefault(parent, []):
                children[parent].append(pk)
        level = [pk for _, pk in rows if pk not in children]
    own = own_usage({*asked, *(pk for below in children.values() for pk in below)})
    rolled: dict[int, dict[int, Usage]] = {}
    for pk in sorted(own, reverse=True):  # a carved pool's number is above its parent's
        rolled[pk] = {
            family: _with_children(usage, [rolled[c][family] for c in children.get(pk, []) if family in rolled[c]])
            for family, usage in own[pk].items()
        }
    return {pk: rolled.get(pk, {}) for pk in asked}


def usage_together(pools: Iterable[Pool]) -> dict[int, Usage]:
    """Usage of pools together, by family, with all that was carved from them; no address counts twice."""
    parents: dict[int, int | None] = {pool.pk: pool.parent_id for pool in pools}
    above = dict(parents)
    while unknown := {parent for parent in above.values() if parent is not None and parent not in above}:
        above |= dict(Pool.objects.filter(pk__in=unknown).values_list("pk", "parent_id"))
    found: dict[int, Usage] = {}
    for usages in rolled_up(pk for pk in parents if not _lies_in_another(pk, parents, above)).values():
        for family, usage in usages.items():
            found[family] = found[family].plus(usage) if family in found else usage
    return dict(sorted(found.items()))


def _lies_in_another(pool: int, parents: Mapping[int, int | None], above: Mapping[int, int | None]) -> bool:
    """True if a pool is carved, at whatever depth, from another one of `parents`."""
    parent = above[pool]
    while parent is not None:
        if parent in parents:
            return True
        parent = above[parent]
    return False


def _with_children(usage: Usage, below: list[Usage]) -> Usage:
    own = usage.less_carved(sum(child.total for child in below))
    for child in below:
        own = own.plus(child)
    return own


def usage_of_pools(pools: Iterable[Pool]) -> list[dict[str, Any]]:
    """Usage of pools, each by itself and with what was carved from it. A bounded number of statements."""
    pools = list(pools)
    own = own_usage(pool.pk for pool in pools)
    rolled = rolled_up(pool.pk for pool in pools)
    return [
        {
            "pool": _ref(pool),
            "realm": _ref(pool.realm),
            "parent": _ref(pool.parent),
            "region": _ref(pool.region),
            "zone": _ref(pool.zone),
            "warning_percent": pool.warning_percent,
            "critical_percent": pool.critical_percent,
            "own": _facts(pool, own),
            "with_carved": _facts(pool, rolled),
        }
        for pool in pools
    ]


def _facts(pool: Pool, usages: dict[int, dict[int, Usage]]) -> list[dict[str, Any]]:
    threshold = float(pool.sheet.hd_threshold)
    return [usage_facts(usage, pool.unit_v6, threshold) for _, usage in sorted(usages.get(pool.pk, {}).items())]


def _ref(record: Any) -> dict[str, Any] | None:
    return {"id": record.pk, "name": record.name} if record else None


def usage_facts(usage: Usage, unit_v6: int = 64, hd_threshold: float = 0.94) -> dict[str, Any]:
    """Usage as it is told: whole numbers as text (they may have 39 digits), shares in percent.

    The HD ratio and the units at which it reaches the rule sheet's threshold (RFC 3194, RFC 4692) are for IPv6.
    `units` counts in the pool's unit: single addresses for IPv4, blocks of `unit_v6` for IPv6, rounded down.
    """
    shift = 0 if usage.family == 4 else 128 - unit_v6
    return {
        "family": usage.family,
        "unit": "/32" if usage.family == 4 else f"/{unit_v6}",
        "units": {state.word: str(usage.addresses.get(state, 0) >> shift) for state in State},
        "total": str(usage.total),
        "addresses": {state.word: str(usage.addresses.get(state, 0)) for state in State},
        "percent": {state.word: round(float(usage.share(state) * 100), 4) for state in State},
        "used_percent": round(usage.used_percent, 2),
        "largest_free": f"/{usage.largest_free}" if usage.largest_free is not None else None,
        "fragmentation_percent": round(usage.fragmentation * 100, 2),
        "hd_ratio": round(usage.hd_ratio(unit_v6), 4) if usage.family == 6 else None,
        "hd_threshold": hd_threshold if usage.family == 6 else None,
        "hd_threshold_units": str(units_at(hd_threshold, usage.total >> shift)) if usage.family == 6 else None,
        "still_fits": [
            {"length": n, "count": str(usage.still_fits(n))} for n in FITS[usage.family] if _in_reach(usage, n)
        ],
    }


def _in_reach(usage: Usage, length: int) -> bool:
    """Lengths from the widest that could ever fit down to the smallest of interest."""
    bits = 32 if usage.family == 4 else 128
    return 1 << (bits - length) <= usage.total and (usage.family == 6 or length <= 30)
