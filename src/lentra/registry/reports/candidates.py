"""Candidates for a need: the pools that may serve it, and where in each the block would go."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from lentra.addressing.avoiding import Avoiding
from lentra.addressing.placement import Place, neighbours_in_words, place_beside, places
from lentra.addressing.prefix import Prefix
from lentra.addressing.refusal import Exhausted, Refusal
from lentra.addressing.sizing import size_by_hosts, size_of_length
from lentra.registry.lookup.serving import serving_pools
from lentra.registry.models import Pool, Project, Realm, Region, Space, Tier, Zone
from lentra.registry.requests.allocation import blocks_meant
from lentra.registry.requests.request import no_range_yet, refuse_wrong_pool
from lentra.registry.space.store import DatabaseExtents

_MOST = 12


@dataclass
class Candidate:
    """A pool that may serve, the block it would give, and why there.

    `leaves` is how many more of that length fit afterwards; `can_grow_to` the widest prefix that the block can
    become in place, keeping its first address.
    """

    pool: Pool
    space: Space
    block: Prefix
    usable: int
    why: str
    leaves: int
    can_grow_to: Prefix


def candidates(
    *,
    project: Project,
    tier: Tier | None,
    zone: Zone | None,
    region: Region | None,
    realm: Realm | None,
    family: int,
    hosts: int | None,
    growth: int,
    length: int | None,
    placement: str | None,
    dual: bool = False,
    pool: Pool | None = None,
    each: int = 1,
    beside: str | None = None,
    away_from: Sequence[str] = (),
) -> tuple[list[Candidate], list[str]]:
    """Candidates in the order of `serving_pools`, and why other pools do not serve (pool: reason).

    Args:
        dual: an IPv6 block is wanted beside the IPv4 one.
        pool: look into this one alone; `each`: how many places are shown of a pool.
        beside, away_from: prefixes and subnets to be near to, and to share no address with.
    """
    found: list[Candidate] = []
    passed: list[str] = []
    pools = serving_pools(family, None, zone=zone, region=region, project=project, tier=tier, realm=realm)
    if pool is not None:
        pools = [one for one in pools if one.pk == pool.pk] or _refused(
            pool, project, zone, region, family, length
        )
    spaces = {s.pool_id: s for s in Space.objects.filter(pool__in=pools[:100], family=family)}
    with_v6 = set(Space.objects.filter(pool__in=pools[:100], family=6).values_list("pool_id", flat=True))
    for one_pool in pools[:100]:
        if dual and one_pool.pk not in with_v6:
            passed.append(f"{one_pool.name}: it has no IPv6 range")
            continue
        if family == 6 and one_pool.sheet.ipv6_needs_ipv4:
            passed.append(f"{one_pool.name}: rule sheet {one_pool.sheet.name} wants IPv4 beside IPv6")
            continue
        if len(found) >= _MOST:
            break
        space = spaces[one_pool.pk]
        sheet = one_pool.sheet.rules()
        try:
            if hosts is not None:
                size = size_by_hosts(hosts, sheet, growth=growth, length=length, family=family)
            else:
                size = size_of_length(
                    sheet.family(family).longest if length is None else length, sheet, family=family
                )
            places_found = _places(
                DatabaseExtents(space), one_pool, size.length, placement, each, beside, away_from
            )
        except Refusal as refusal:
            passed.append(f"{one_pool.name}: {refusal.message}")
            continue
        for one in places_found:
            why = f"{one.why}, {neighbours_in_words(DatabaseExtents(space), one.within)}"
            leaves = space.usage().still_fits(size.length) - 1
            found.append(Candidate(one_pool, space, one.block, size.usable, why, leaves, _can_grow_to(one)))
    return found, passed


def _refused(
    pool: Pool, project: Project, zone: Zone | None, region: Region | None, family: int, length: int | None
) -> list[Pool]:
    """Why a pool that was asked for may not serve; itself, if it may for all that."""
    place = zone.region if zone else region
    if place is not None:
        refuse_wrong_pool(pool, project, zone, place, family, length)
    if not any(row.family == family for row in pool.ranges.all()):
        raise no_range_yet(pool, family, "pool")
    return [pool]


def _places(
    store: DatabaseExtents,
    pool: Pool,
    length: int,
    placement: str | None,
    each: int,
    beside: str | None,
    away_from: Sequence[str],
) -> list[Place]:
    """Where in a pool the block could go, the best first."""
    avoided = [block for text in away_from for block in blocks_meant(text, pool, "away_from", store.family)]
    near = blocks_meant(beside, pool, "beside", store.family) if beside is not None else []
    space = Avoiding(store, avoided) if avoided else store
    if not near:
        return places(space, length, placement or pool.placement(store.family), each)
    found: list[Place] = []
    while len(found) < each:
        try:
            found.append(
                place_beside(Avoiding(space, [one.block for one in found]) if found else space, length, near[0])
            )
        except Exhausted:
            if not found:
                raise
            break
    return found


def _can_grow_to(found: Place) -> Prefix:
    """The widest prefix inside the free extent that starts where the block does."""
    block = found.block
    while block.length > found.within.length and block.enclosing(block.length - 1).first == found.block.first:
        block = block.enclosing(block.length - 1)
    return block
