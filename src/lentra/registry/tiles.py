"""Tiles in the database: the sums that the map of space is drawn from, kept with each change of the extents."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from lentra.addressing.tiles import TileChanges
from lentra.registry.models import Tile
from lentra.registry.statements import Batch, insert

_SUMS = ("extents", "free", "held", "handed_out", "room", "reserved", "cooling", "kept_out", "carved")


def tile_values(pool: int, changes: TileChanges) -> Iterator[dict[str, Any]]:
    """The rows that noted changes come to."""
    for prefix, sums in changes.take():
        yield {
            "pool_id": pool,
            "family": prefix.family,
            "length": prefix.length,
            "first": prefix.first,
            "extents": sums.extents,
            **{state.name.lower(): addresses for state, addresses in sums.addresses.items()},
        }


def add_tiles(pool: int, changes: TileChanges, batch: Batch | None = None) -> None:
    """Add noted changes to the tiles of a pool, whose space is locked; with the batch, if given."""
    rows = [Tile(**values) for values in tile_values(pool, changes)]
    if batch:
        batch.insert(rows, add=_SUMS)
    else:
        insert(rows, add=_SUMS)
