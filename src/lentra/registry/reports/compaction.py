"""Compaction advice: which few blocks of a pool to move so that a wanted length fits again."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from lentra.addressing.compaction import clearings, largest_possible
from lentra.addressing.extents import Extent, State
from lentra.addressing.headroom import usage_of
from lentra.addressing.prefix import BITS, Prefix
from lentra.addressing.refusal import LengthOutOfBounds
from lentra.registry.errors import Invalid
from lentra.registry.models import ExtentRow, Pool, Space, Subnet


def compaction(pool: Pool, length: int, family: int = 4) -> dict[str, Any]:
    """What would make a block of `length` fit.

    Returns:
        ``fits`` (blocks of that length that can be given now), ``free``, ``largest_free``, ``possible`` (the widest length
        if all that is free lay together), ``options`` (up to three, the cheapest first, each with the prefix that it
        frees, the addresses and blocks to move, and room to give up) and ``why`` there are none.

    Raises:
        Invalid: the pool has no such family.
        LengthOutOfBounds: no length that a range of the pool could hold.
    """
    space = Space.objects.filter(pool=pool, family=family).first()
    if space is None:
        raise Invalid(f"pool {pool.name} has no IPv{family}", field="family", received=family)
    ranges = [row.prefix for row in pool.ranges.all() if row.family == family]
    widest = min(prefix.length for prefix in ranges)
    if not widest <= length <= BITS[family]:
        raise LengthOutOfBounds(
            f"a /{length} lies in no range of pool {pool.name}",
            field="length",
            received=f"/{length}",
            suggestions=[f"/{min(max(length, widest), BITS[family])}"],
        )
    # Counted from the extents that are read: the counters may be a moment older or newer than these.
    extents = list(_extents(pool, family))
    usage = usage_of(family, extents)
    found = clearings(extents, ranges, length, usage.free_counts)
    owners = Subnet.objects.select_related("project", "zone", "tier").in_bulk(
        [extent.owner for option in found for extent in (*option.blocks, *option.room) if extent.owner]
    )
    possible = largest_possible(usage.free, family)
    return {
        "pool": {"id": pool.pk, "name": pool.name},
        "family": family,
        "length": length,
        "fits": str(usage.still_fits(length)),
        "free": str(usage.free),
        "largest_free": None if usage.largest_free is None else f"/{usage.largest_free}",
        "possible": None if possible is None else f"/{max(possible, widest)}",
        "options": [
            {
                "prefix": str(option.prefix),
                "addresses": str(option.cost),
                "blocks": [_block(extent, owners) for extent in option.blocks],
                "room": [_block(extent, owners) for extent in option.room],
            }
            for option in found
        ],
        "why": _why(usage.still_fits(length), length, possible, bool(found)),
    }


def _why(fits: int, length: int, possible: int | None, found: bool) -> str | None:
    if fits:
        return f"a /{length} fits already: nothing need be moved"
    if found:
        return None
    if possible is None or possible > length:
        return f"too little is free for a /{length}, wherever it lies: add a range, or give something back"
    return "every stretch holds something that cannot be moved, or its blocks would fit nowhere else"


def _extents(pool: Pool, family: int) -> Iterator[Extent]:
    rows = ExtentRow.objects.filter(pool=pool, family=family).order_by("first")
    for first, length, state, subnet in rows.values_list("first", "length", "state", "subnet").iterator(
        chunk_size=20_000
    ):
        yield Extent(Prefix(family, first, length), State(state), subnet)


def _block(extent: Extent, owners: dict[int, Subnet]) -> dict[str, Any]:
    subnet = owners[extent.owner or 0]
    return {
        "prefix": str(extent.prefix),
        "addresses": str(extent.prefix.size),
        "subnet": {"id": subnet.pk, "name": subnet.name},
        "project": subnet.project.name,
        "zone": subnet.zone.name if subnet.zone else None,
        "tier": subnet.tier.name,
    }
