"""What still fits in a pool, a region or a realm: blocks per length, from the counters alone."""

from __future__ import annotations

from typing import Any

from lentra.registry.models import Pool, Realm, Region, Space
from lentra.registry.reports.usage import handed_out_lengths

_NAMED = 3


def still_fits(
    pool: Pool | None = None, region: Region | None = None, realm: Realm | None = None
) -> list[dict[str, Any]]:
    """How many blocks of each length that can be handed out still fit, over all pools that match.

    Returns:
        rows with ``family``, ``length``, ``count`` and the ``pools`` with most room for that length.
    """
    spaces = Space.objects.select_related("pool__sheet")
    if pool:
        spaces = spaces.filter(pool=pool)
    if region:
        spaces = spaces.filter(pool__region=region)
    if realm:
        spaces = spaces.filter(pool__realm=realm)
    by_length: dict[tuple[int, int], list[tuple[int, Pool]]] = {}
    for space in spaces:
        usage = space.usage()
        for length in handed_out_lengths(space.pool, space.family):
            if count := usage.still_fits(length):
                by_length.setdefault((space.family, length), []).append((count, space.pool))
    rows = []
    for (family, length), found in sorted(by_length.items()):
        widest = sorted(found, key=lambda pair: (-pair[0], pair[1].name))[:_NAMED]
        rows.append(
            {
                "family": family,
                "length": length,
                "count": str(sum(count for count, _ in found)),
                "pools": [{"id": p.pk, "name": p.name} for _, p in widest],
            }
        )
    return rows
