"""Mend what is derived from a pool's extents: counters, free counts, tiles, sums, and when something ends next."""

from __future__ import annotations

from typing import Any

from lentra.addressing.extents import State
from lentra.addressing.headroom import usage_of
from lentra.addressing.tiles import TileStream
from lentra.registry.lookup.find import find
from lentra.registry.models import Pool, Space, Tile
from lentra.registry.rules.permissions import require
from lentra.registry.space.counting import extents_in_order, overlooked
from lentra.registry.space.keeping import recount
from lentra.registry.space.tiles import tile_row
from lentra.registry.transactions.change import Change
from lentra.registry.transactions.locks import lock
from lentra.registry.transactions.sql import insert


def mend_space(change: Change, pool_ref: Any) -> list[str]:
    """Count a pool's extents anew under its lock, and write what differs; returns what was mended, in words.

    The extents themselves are never touched: they are what is true. It is the one change of space that does not go through
    the door to open pools, since what is due cannot be ended on counters that are wrong.

    Raises:
        NotAllowed: the actor is no admin.
    """
    require(change.actor, "admin", "mend counters")
    found = find(Pool, pool_ref, "pool")
    spaces = list(Space.objects.select_for_update().filter(pool=found.pk).order_by("family"))
    pool = lock(Pool, found.pk)
    mended = [words for space in spaces for words in (*_counters(pool, space), *_tiles(pool, space))]
    mended += _due(pool, spaces)
    mended += _kept(change, pool)
    if mended:
        change.entered(pool, "mend", None, {"mended": mended[:100]})
        pool.save(update_fields=["last_entry"])
    return mended


def _counters(pool: Pool, space: Space) -> list[str]:
    counted = usage_of(space.family, extents_in_order(pool.pk, space.family))
    values: dict[str, Any] = {state.name.lower(): counted.addresses[state] for state in State}
    values |= {
        "total": sum(row.prefix.size for row in pool.ranges.all() if row.prefix.family == space.family),
        "free_counts": {str(n): c for n, c in sorted(counted.free_counts.items()) if c},
        "largest_free": counted.largest_free,
    }
    differing = {name: value for name, value in values.items() if getattr(space, name) != value}
    if not differing:
        return []
    words = [
        f"{pool.name} IPv{space.family}: {name.replace('_', ' ')} was {getattr(space, name)}, is {value}"
        for name, value in differing.items()
    ]
    Space.objects.filter(pk=space.pk).update(**differing, revision=space.revision + 1)
    return words


def _due(pool: Pool, spaces: list[Space]) -> list[str]:
    """When something ends next, where the pool does not know it."""
    if not (missed := overlooked(pool.pk, spaces)):
        return []
    due, known = missed
    Space.objects.filter(pool=pool).update(next_due=due)
    return [f"{pool.name}: it waited until {known or 'ever'}, something ends at {due:%Y-%m-%d %H:%M} UTC"]


def _kept(change: Change, pool: Pool) -> list[str]:
    """What is kept of subnets and in sums, where it is not what is there."""
    wrong, sums = recount(pool.pk, change.batch)
    change.batch.send()
    return [
        f"{pool.name}: {count} {what} counted anew"
        for count, what in ((wrong, "subnets"), (sums, "sums"))
        if count
    ]


def _tiles(pool: Pool, space: Space) -> list[str]:
    """Tiles are made anew where any of them differs."""
    stream, made = TileStream(space.family), []
    for extent in extents_in_order(pool.pk, space.family):
        made += stream.add(extent)
    counted = dict([*made, *stream.end()])
    kept = {
        tile.prefix: tile.sums() for tile in Tile.objects.filter(pool=pool, family=space.family, extents__gt=0)
    }
    wrong = [
        prefix
        for prefix in counted.keys() | kept.keys()
        if prefix not in counted or prefix not in kept or not counted[prefix].same_as(kept[prefix])
    ]
    if not wrong:
        return []
    Tile.objects.filter(pool=pool, family=space.family).delete()
    insert([tile_row(pool.pk, prefix, sums) for prefix, sums in counted.items()])
    return [f"{pool.name} IPv{space.family}: {len(wrong)} tiles of the map were wrong, first {min(wrong)}"]
