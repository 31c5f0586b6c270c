"""Usage of pools: their own counters, and rolled up over the pools carved from them."""

from __future__ import annotations

from collections import Counter
from collections.abc import Container, Iterable
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
    children = _carved_from(asked)
    own = own_usage({*asked, *(pk for below in children.values() for pk in below)})
    rolled: dict[int, dict[int, Usage]] = {}
    for pk in sorted(own, reverse=True):  # a carved pool's number is above its parent's
        rolled[pk] = {
            family: _with_children(usage, [rolled[c][family] for c in children.get(pk, ()) if family in rolled[c]])
            for family, usage in own[pk].items()
        }
    return {pk: rolled.get(pk, {}) for pk in asked}


def usage_together(pools: Iterable[Pool]) -> dict[int, Usage]:
    """Usage of pools together, by family, with all that was carved from them; no address counts twice."""
    asked = [pool.pk for pool in pools]
    below = {pk for children in _carved_from(asked).values() for pk in children}
    return sum_of(Space.objects.filter(pool__in={*asked, *below}).order_by("family"))


def sum_of(spaces: Iterable[Space]) -> dict[int, Usage]:
    """The usage of spaces together, by family. All pools carved from theirs must be among them: they tell what is carved."""
    found: dict[int, Usage] = {}
    for space in spaces:
        usage = space.usage()
        usage = usage.less_carved(usage.addresses[State.CARVED])
        found[space.family] = found[space.family].plus(usage) if space.family in found else usage
    return found


def _carved_from(pools: Iterable[int]) -> dict[int, set[int]]:
    """The pools carved from some, at whatever depth: parent -> children."""
    children: dict[int, set[int]] = {}
    level = list(pools)
    while level:
        rows = list(Pool.objects.filter(parent__in=level).values_list("parent_id", "pk"))
        level = [pk for parent, pk in rows if parent not in children]
        for parent, pk in rows:
            children.setdefault(parent, set()).add(pk)
    return children


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
    carved = Counter(Pool.objects.filter(parent__in=[p.pk for p in pools]).values_list("parent", flat=True))
    return [
        {
            "pool": _ref(pool),
            "realm": _ref(pool.realm),
            "parent": _ref(pool.parent),
            "region": _ref(pool.region),
            "zone": _ref(pool.zone),
            "carved": carved[pool.pk],
            "warning_percent": pool.warning_percent,
            "critical_percent": pool.critical_percent,
            "own": _facts(pool, own),
            "with_carved": _facts(pool, rolled),
        }
        for pool in pools
    ]


def _facts(pool: Pool, usages: dict[int, dict[int, Usage]]) -> list[dict[str, Any]]:
    threshold = float(pool.sheet.hd_threshold)
    return [
        usage_facts(usage, pool.unit_v6, threshold, handed_out_lengths(pool, family))
        for family, usage in sorted(usages.get(pool.pk, {}).items())
    ]


def _ref(record: Any) -> dict[str, Any] | None:
    return {"id": record.pk, "name": record.name} if record else None


def usage_facts(
    usage: Usage, unit_v6: int = 64, hd_threshold: float = 0.94, lengths: Container[int] | None = None
) -> dict[str, Any]:
    """Usage as it is told: whole numbers as text (they may have 39 digits), shares in percent.

    The HD ratio and the units at which it reaches the rule sheet's threshold (RFC 3194, RFC 4692) are for IPv6.
    `lengths` are those that can be handed out (all usual ones, if None). `units` counts in the pool's unit: single
    addresses for IPv4, blocks of `unit_v6` for IPv6, rounded down.
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
            {"length": n, "count": str(usage.still_fits(n))}
            for n in (FITS[usage.family] if lengths is None else range(129))
            if _in_reach(usage, n, lengths)
        ],
    }


def handed_out_lengths(pool: Pool, family: int) -> range:
    """The lengths that a pool hands out: what its rule sheet and its own bounds allow."""
    sheet = pool.sheet.rules()
    rules = sheet.v4 if family == 4 else sheet.v6
    if rules is None:
        return range(0)
    low, high = rules.shortest, rules.longest
    if family == 4:
        low, high = max(low, pool.shortest_v4 or 0), min(high, 32 if pool.longest_v4 is None else pool.longest_v4)
    return range(low, high + 1)


def _in_reach(usage: Usage, length: int, lengths: Container[int] | None) -> bool:
    """Lengths from the widest that could ever fit down to the smallest of interest."""
    bits = 32 if usage.family == 4 else 128
    if length > bits or 1 << (bits - length) > usage.total:
        return False
    return (usage.family == 6 or length <= 30) if lengths is None else length in lengths
