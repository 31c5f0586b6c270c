"""Candidates for a need: the pools that may serve it, and where in each the block would go."""

from __future__ import annotations

from dataclasses import dataclass

from lentra.addressing.placement import Place, neighbours_in_words, place
from lentra.addressing.prefix import Prefix
from lentra.addressing.refusal import Refusal
from lentra.addressing.sizing import size_by_hosts, size_of_length
from lentra.registry.lookup.serving import serving_pools
from lentra.registry.models import Pool, Project, Realm, Region, Space, Tier, Zone
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
) -> tuple[list[Candidate], list[str]]:
    """Candidates in the order of `serving_pools`, and why other pools do not serve (pool: reason).

    Args:
        dual: an IPv6 block is wanted beside the IPv4 one.
    """
    found: list[Candidate] = []
    passed: list[str] = []
    pools = serving_pools(family, None, zone=zone, region=region, project=project, tier=tier, realm=realm)
    spaces = {s.pool_id: s for s in Space.objects.filter(pool__in=pools[:100], family=family)}
    with_v6 = set(Space.objects.filter(pool__in=pools[:100], family=6).values_list("pool_id", flat=True))
    for pool in pools[:100]:
        if dual and pool.pk not in with_v6:
            passed.append(f"{pool.name}: it has no IPv6 range")
            continue
        if family == 6 and pool.sheet.ipv6_needs_ipv4:
            passed.append(f"{pool.name}: rule sheet {pool.sheet.name} wants IPv4 beside IPv6")
            continue
        if len(found) == _MOST:
            break
        space = spaces[pool.pk]
        sheet = pool.sheet.rules()
        try:
            if hosts is not None:
                size = size_by_hosts(hosts, sheet, growth=growth, length=length, family=family)
            else:
                size = size_of_length(
                    sheet.family(family).longest if length is None else length, sheet, family=family
                )
            store = DatabaseExtents(space)
            place_found = place(store, size.length, placement or pool.placement(family))
        except Refusal as refusal:
            passed.append(f"{pool.name}: {refusal.message}")
            continue
        why = f"{place_found.why}, {neighbours_in_words(store, place_found.within)}"
        found.append(
            Candidate(
                pool,
                space,
                place_found.block,
                size.usable,
                why,
                space.usage().still_fits(size.length) - 1,
                _can_grow_to(place_found),
            )
        )
    return found, passed


def _can_grow_to(found: Place) -> Prefix:
    """The widest prefix inside the free extent that starts where the block does."""
    block = found.block
    while block.length > found.within.length and block.enclosing(block.length - 1).first == found.block.first:
        block = block.enclosing(block.length - 1)
    return block
