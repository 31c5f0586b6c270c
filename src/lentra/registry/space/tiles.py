"""Tiles in the database: the sums that the map of space is drawn from, kept with each change of the extents."""

from __future__ import annotations

from lentra.addressing.extents import State
from lentra.addressing.prefix import Prefix
from lentra.addressing.tiles import Sums, TileChanges
from lentra.registry.models import Tile
from lentra.registry.transactions.sql import Batch

_SUMS = ("extents", *(state.name.lower() for state in State))
_PLACE = ("pool_id", "family", "length", "first")


def tile_row(pool: int, prefix: Prefix, sums: Sums) -> Tile:
    """The row of a tile with these sums (or these differences of them)."""
    return Tile(
        pool_id=pool,
        family=prefix.family,
        length=prefix.length,
        first=prefix.first,
        extents=sums.extents,
        **{state.name.lower(): addresses for state, addresses in sums.addresses.items()},
    )


def add_tiles(pool: int, changes: TileChanges, batch: Batch) -> None:
    """Add noted changes to the tiles of a pool that is open."""
    rows = [
        (
            *(pool, prefix.family, prefix.length, prefix.first.to_bytes(16, "big"), sums.extents),
            *(sums.addresses.get(state, 0) for state in State),
        )
        for prefix, sums in changes.take()
    ]
    batch.rows(Tile, (*_PLACE, *_SUMS), rows, add=_SUMS)
