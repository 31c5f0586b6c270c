"""Mend what is derived from a pool's extents: counters, free counts, tiles, sums, and when something ends next."""

from __future__ import annotations

from typing import Any

from lentra.addressing.extents import State
from lentra.addressing.prefix import Prefix
from lentra.addressing.tiles import Tally, TileStream
from lentra.registry.lookup.find import find
from lentra.registry.models import Pool, Space, Tile
from lentra.registry.rules.permissions import require
from lentra.registry.space.counting import extents_in_order, overlooked
from lentra.registry.space.keeping import recount
from lentra.registry.space.tiles import SUMS, insert_tiles
from lentra.registry.transactions.change import Change
from lentra.registry.transactions.locks import lock
from lentra.registry.transactions.sql import Batch


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
    mended: list[str] = []
    for space in spaces:
        stream, tiles = _counted(pool, space)
        mended += [*_counters(pool, space, stream), *_tiles(pool, space, tiles)]
    mended += _due(pool, spaces)
    mended += _kept(change, pool)
    if mended:
        change.entered(pool, "mend", None, {"mended": mended[:100]})
        pool.save(update_fields=["last_entry"])
    return mended


def _counters(pool: Pool, space: Space, counted: TileStream) -> list[str]:
    values: dict[str, Any] = {state.name.lower(): counted.counted[1 + state] for state in State}
    values |= {
        "total": sum(row.prefix.size for row in pool.ranges.all() if row.prefix.family == space.family),
        "free_counts": {str(n): c for n, c in sorted(counted.free_counts.items())},
        "largest_free": min(counted.free_counts, default=None),
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


def _tiles(pool: Pool, space: Space, counted: dict[tuple[int, int], Tally]) -> list[str]:
    """Tiles are made anew where any of them differs."""
    rows = Tile.objects.filter(pool=pool, family=space.family, extents__gt=0).values_list("length", "first", *SUMS)
    kept = {(length, first): tally for length, first, *tally in rows}
    wrong = [key for key in counted.keys() | kept.keys() if list(counted.get(key, ())) != kept.get(key, [])]
    if not wrong:
        return []
    Tile.objects.filter(pool=pool, family=space.family).delete()
    batch = Batch()
    insert_tiles(pool.pk, space.family, counted, batch)
    batch.send()
    length, first = min(wrong, key=lambda key: key[1])
    words = f"{len(wrong)} tiles of the map were wrong, first {Prefix(space.family, first, length)}"
    return [f"{pool.name} IPv{space.family}: {words}"]


def _counted(pool: Pool, space: Space) -> tuple[TileStream, dict[tuple[int, int], Tally]]:
    """What is there: all of it, and by tile (length, first address)."""
    stream = TileStream(space.family)
    made = [tile for extent in extents_in_order(pool.pk, space.family) for tile in stream.add(*extent)]
    return stream, {(length, first): tally for length, first, tally in [*made, *stream.end()]}
