"""Which pools may serve a request, and in which order they come to mind."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from django.db.models import Q

from lentra.addressing.compaction import largest_possible
from lentra.addressing.placement import exhausted
from lentra.addressing.refusal import Exhausted
from lentra.registry.models import Pool, Project, Realm, Region, Reservation, Space, Subnet, Tier, Zone

_TOLD = 8  # of what cools, and of what is reserved


def serving_pools(
    family: int,
    length: int | None,
    *,
    zone: Zone | None = None,
    region: Region | None = None,
    project: Project | None = None,
    tier: Tier | None = None,
    realm: Realm | None = None,
) -> list[Pool]:
    """Pools that may serve, the most fitting first.

    A pool serves a place if it has the same zone, or the zone's region and no zone, or no place at all; a
    project if it has none or the same. Only pools with a free extent wide enough for `length` are given,
    unless it is None; none that is public, unless for a public tier, and none that gives pools alone. Order: own
    project first, then zone, region, no place; one that gives subnets alone before one that gives both; then by name.
    """
    region = zone.region if zone else region
    place = Q(zone=None, region=None)
    if region:
        place |= Q(zone=None, region=region)
    if zone:
        place |= Q(zone=zone)
    # One join for both: the family that is asked for must have the room.
    space = {"spaces__family": family} | ({} if length is None else {"spaces__largest_free__lte": length})
    pools = Pool.objects.filter(place, **space).exclude(gives="pools")
    pools = pools.filter(Q(project=None) | Q(project=project)) if project else pools.filter(project=None)
    if realm:
        pools = pools.filter(realm=realm)
    if tier and tier.exposure != "public":
        pools = pools.filter(exposure="private")
    found = list(pools.select_related("sheet", "realm", "region", "zone", "project").order_by("name")[:500])
    if length is not None:
        found = [pool for pool in found if _allows(pool, family, length)]
    return sorted(
        found,
        key=lambda p: (p.project_id is None, p.zone_id is None, p.region_id is None, p.gives == "both", p.name),
    )


def _allows(pool: Pool, family: int, length: int) -> bool:
    sheet = pool.sheet.rules()
    rules = sheet.v4 if family == 4 else sheet.v6
    if rules is None or not rules.shortest <= length <= rules.longest:
        return False
    return family == 6 or (pool.shortest_v4 or 0) <= length <= (pool.longest_v4 or 32)


def exhausted_in(space: Space, pool: Pool, length: int, others: list[Pool]) -> Exhausted:
    """The refusal of a length that the pool has no room for: what else of it is not in use, and which pools have room."""
    plain = exhausted(space.family, length, space.usage().free_counts)
    rest = [other for other in others if other.pk != pool.pk][:5]
    words = [f"there is room for it in {', '.join(other.name for other in rest)}"] if rest else []
    to_come, suggestions = (
        list(_to_come(space, pool)),
        [*(f"pool {other.name}" for other in rest), *plain.suggestions],
    )
    if space.cooling:
        cooling = next((row for row in to_come if row["state"] == "cooling"), None)
        until = f", the first until {cooling['until']:%Y-%m-%d %H:%M} UTC" if cooling else ""
        words.append(f"{space.cooling:,} addresses cool{until}")
    if space.reserved:
        names = ", ".join(row["owner"] for row in to_come if row["state"] == "reserved")
        words.append(f"{space.reserved:,} are reserved ({names})")
    possible = largest_possible(space.free, space.family)
    if possible is not None and possible <= length:
        words.append(f"a /{possible} would fit if all that is free lay together")
        suggestions.append(f"see what compaction of pool {pool.name} to /{length} takes")
    return Exhausted(
        "; ".join([f"pool {pool.name}: {plain.message}", *words]),
        field="pool" if rest else "length",
        received=f"/{length}",
        rule="a block comes out of one free extent",
        conflicts=to_come,
        suggestions=suggestions,
    )


def _to_come(space: Space, pool: Pool) -> Iterator[dict[str, Any]]:
    """What of a pool cools, the first to end first; and what is reserved, with who may draw from it."""
    if space.cooling:
        ending = Subnet.objects.filter(
            pool=pool, state="cooling", ends_at__isnull=False
        )  # by the index of what ends
        for subnet in ending.order_by("ends_at").prefetch_related("extents")[:_TOLD]:
            where = ", ".join(str(block) for block in subnet.blocks())
            yield {
                "range": where,
                "state": "cooling",
                "owner": subnet.name,
                "id": subnet.pk,
                "until": subnet.ends_at,
            }
    if space.reserved:
        rows = Reservation.objects.filter(pool=pool, family=space.family, extents__isnull=False).distinct()
        for kept in rows.order_by("name").prefetch_related("extents", "projects")[:_TOLD]:
            yield {
                "range": ", ".join(str(prefix) for prefix in kept.left()[:4]),
                "state": "reserved",
                "owner": kept.name,
                "reservation": kept.pk,
                "reason": kept.reason,
                "project": ", ".join(project.name for project in kept.projects.all()) or None,
                "until": kept.ends_at,
            }
