"""Tiles in the database: the sums that the map of space is drawn from, kept with each change of the extents."""

from __future__ import annotations

from collections.abc import Mapping

from lentra.addressing.extents import State
from lentra.addressing.tiles import Tally, TileChanges
from lentra.registry.models import Tile
from lentra.registry.transactions.sql import Batch

SUMS = ("extents", *(state.name.lower() for state in State))  # the columns of a tally
_PLACE = ("pool_id", "family", "length", "first")


def insert_tiles(pool: int, family: int, tallies: Mapping[tuple[int, int], Tally], batch: Batch) -> None:
    """Add tallies to the tiles of a pool, by length and first address; those that are not there yet are made."""
    rows = [
        (pool, family, length, first.to_bytes(16, "big"), *tally) for (length, first), tally in tallies.items()
    ]
    batch.rows(Tile, (*_PLACE, *SUMS), rows, add=SUMS)


def add_tiles(pool: int, changes: TileChanges, batch: Batch) -> None:
    """Add noted changes to the tiles of a pool that is open."""
    found = list(changes.take())
    if found:
        tallies = {
            (prefix.length, prefix.first): (sums.extents, *(sums.addresses.get(state, 0) for state in State))
            for prefix, sums in found
        }
        insert_tiles(pool, found[0][0].family, tallies, batch)
