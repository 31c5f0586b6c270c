"""Second family: give existing subnets of a pool an IPv6 block each, all or some, with paired numbering."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from lentra.addressing.extents import State, carve, require_free
from lentra.addressing.prefix import Prefix, parse_prefix
from lentra.addressing.refusal import Overlaps
from lentra.registry.errors import Invalid
from lentra.registry.lookup.find import find
from lentra.registry.lookup.locked import find_locked
from lentra.registry.models import NUMBERINGS, Pool, Subnet
from lentra.registry.operations.subnets.opened import refuse_moving
from lentra.registry.requests.pairing import paired_block
from lentra.registry.requests.request import no_range_yet
from lentra.registry.rules.permissions import require
from lentra.registry.rules.quotas import Take, refuse_over_quota
from lentra.registry.space.evidence import conflicts_over
from lentra.registry.space.locking import open_pools
from lentra.registry.space.outside import outside
from lentra.registry.space.store import DatabaseExtents
from lentra.registry.transactions.change import Change
from lentra.registry.transactions.locks import lock_all


@dataclass(frozen=True)
class Paired:
    """A subnet and the IPv6 block it is given."""

    subnet: Subnet
    block: Prefix


def add_second_family(
    change: Change,
    pool_ref: Any,
    within: Prefix | None = None,
    numbering: str | None = None,
    version: int | None = None,
    subnets: Sequence[Any] = (),
) -> list[Paired]:
    """Give subnets of a pool that have IPv4 alone an IPv6 block each. The pool's later requests for both families follow.

    Args:
        within: the IPv6 prefix that the blocks are numbered in; as before, or the pool's first IPv6 range, if not given.
        numbering: ``number``: in order of address, each the next block of `within` that is free; ``tag``: the block whose
            number is the subnet's segment tag; as before, or else by number, if not given.
        subnets: these alone; all of the pool if there is none.

    Raises:
        WrongFamily: the pool has no IPv6 range yet; says what to add first.
        Invalid: too many subnets for `within`, or one without a tag.
        Overlaps, OutsideParent: a block is in use, or `within` is not in the pool.
        QuotaReached: a project may have no more IPv6.
        StaleEdit: the pool has changed since `version`.
        NotAllowed: the actor is no planner.
    """
    require(change.actor, "planner", "add a family to subnets")
    if numbering is not None and numbering not in NUMBERINGS:
        raise Invalid(
            f"{numbering!r} is not a way of numbering",
            field="numbering",
            received=numbering,
            suggestions=NUMBERINGS,
        )
    pool = find(Pool, pool_ref, "pool", related=("sheet", "realm", "parent"))
    with open_pools(change, [pool.pk]) as pools:
        if version is not None:
            find_locked(Pool, pool.pk, version=version)
        stores = pools[pool.pk]
        if 6 not in stores:
            raise no_range_yet(pool, 6, "pool")
        store = stores[6]
        before_it = parse_prefix(pool.numbering_within) if pool.numbering_within else None
        whole = within or before_it or store.ranges[0]
        how = numbering or pool.numbering_v6 or "number"
        if store.range_of(whole) is None:
            raise outside(pool, whole, "within")
        length = pool.sheet.rules().family(6).longest
        if whole.length > length:
            raise Invalid(
                f"{whole} holds no /{length}", field="within", received=whole, suggestions=[store.ranges[0]]
            )
        paired = _pair(pool, store, whole, length, how, [find(Subnet, ref, "subnets").pk for ref in subnets])
        given = [one.subnet for one in paired]
        refuse_moving(given, "give it IPv6")
        for project in {subnet.project for subnet in given}:
            own = [subnet for subnet in given if subnet.project_id == project.pk]
            refuse_over_quota(change, project, [Take(pool, one.region_id, [(6, length)]) for one in own])
        before = [{"blocks": [str(b) for b in subnet.blocks()]} for subnet in given]
        for one in paired:
            one.subnet.known_blocks = [*one.subnet.blocks(), one.block]
        after = [{"blocks": [str(b) for b in subnet.blocks()]} for subnet in given]
        change.entered_all(given, "add family", before, after)
        Subnet.objects.bulk_update(given, ["last_entry"], batch_size=500)
        change.edited(find_locked(Pool, pool.pk), "number", numbering_v6=how, numbering_within=str(whole))
    if not paired:
        change.note(f"every subnet of pool {pool.name} has IPv6 already")
    return paired


def _pair(
    pool: Pool, store: DatabaseExtents, whole: Prefix, length: int, numbering: str, only: Sequence[int]
) -> list[Paired]:
    """Take an IPv6 block for each subnet that has none."""
    rows = Subnet.objects.filter(pool=pool, state__in=("active", "retiring")).order_by("place")
    if only:
        rows = rows.filter(pk__in=only)
        if strangers := set(only) - set(rows.values_list("pk", flat=True)):
            names = Subnet.objects.filter(pk__in=strangers).values_list("name", flat=True)
            raise Invalid(
                f"{', '.join(names[:8])} {'is' if len(strangers) == 1 else 'are'} not in use in pool {pool.name}",
                field="subnets",
                suggestions=list(rows.values_list("name", flat=True)[:8]),
            )
    paired = []
    for subnet in lock_all(rows.prefetch_related("extents", "project")):
        if any(block.family == 6 for block in subnet.blocks()):
            continue
        block = paired_block(store, whole, length, numbering, subnet.tag, subnet.name)
        try:
            carve(store, block, State.HANDED_OUT, subnet.pk, within=require_free(store, block))
        except Overlaps as refusal:
            raise refusal.with_(conflicts=conflicts_over(pool.realm_id, block) or None).about("within")
        paired.append(Paired(subnet, block))
    return paired
