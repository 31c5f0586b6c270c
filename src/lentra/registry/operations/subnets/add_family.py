"""Second family: give the existing subnets of a pool an IPv6 block each, in one go, with paired numbering."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from lentra.addressing.extents import State, carve, require_free
from lentra.addressing.prefix import Prefix
from lentra.addressing.refusal import Overlaps
from lentra.registry.errors import Invalid
from lentra.registry.lookup.find import find
from lentra.registry.lookup.locked import find_locked
from lentra.registry.models import Pool, Subnet
from lentra.registry.requests.request import no_range_yet
from lentra.registry.rules.permissions import require
from lentra.registry.space.evidence import conflicts_over
from lentra.registry.space.locking import open_pools
from lentra.registry.space.outside import outside
from lentra.registry.space.store import DatabaseExtents
from lentra.registry.transactions.change import Change
from lentra.registry.transactions.locks import lock_all

NUMBERINGS = ("number", "tag")


@dataclass(frozen=True)
class Paired:
    """A subnet and the IPv6 block it is given."""

    subnet: Subnet
    block: Prefix


def add_second_family(
    change: Change,
    pool_ref: Any,
    within: Prefix | None = None,
    numbering: str = "number",
    version: int | None = None,
) -> list[Paired]:
    """Give every subnet of a pool that has IPv4 alone an IPv6 block.

    Args:
        within: the IPv6 prefix that the blocks are numbered in; the pool's first IPv6 range if not given.
        numbering: ``number``: the n-th subnet in order of address (from 0) has the n-th block of `within`;
            ``tag``: the block whose number is the subnet's segment tag.

    Raises:
        WrongFamily: the pool has no IPv6 range yet; says what to add first.
        Invalid: too many subnets for `within`, or one without a tag.
        Overlaps, OutsideParent: a block is in use, or `within` is not in the pool.
        StaleEdit: the pool has changed since `version`.
        NotAllowed: the actor is no planner.
    """
    require(change.actor, "planner", "add a family to subnets")
    if numbering not in NUMBERINGS:
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
        whole = within or store.ranges[0]
        if store.range_of(whole) is None:
            raise outside(pool, whole, "within")
        length = pool.sheet.rules().family(6).longest
        if whole.length > length:
            raise Invalid(
                f"{whole} holds no /{length}", field="within", received=whole, suggestions=[store.ranges[0]]
            )
        paired = _pair(pool, store, whole, length, numbering)
        subnets = [one.subnet for one in paired]
        before = [{"blocks": [str(b) for b in subnet.blocks()]} for subnet in subnets]
        for one in paired:
            one.subnet.known_blocks = [*one.subnet.blocks(), one.block]
        after = [{"blocks": [str(b) for b in subnet.blocks()]} for subnet in subnets]
        change.entered_all(subnets, "add family", before, after)
        Subnet.objects.bulk_update(subnets, ["last_entry"], batch_size=500)
    if not paired:
        change.note(f"every subnet of pool {pool.name} has IPv6 already")
    return paired


def _pair(pool: Pool, store: DatabaseExtents, whole: Prefix, length: int, numbering: str) -> list[Paired]:
    """Take an IPv6 block for each subnet that has none."""
    rows = Subnet.objects.filter(pool=pool, state__in=("active", "retiring")).order_by("place")
    paired = []
    for n, subnet in enumerate(lock_all(rows.prefetch_related("extents"))):
        if any(block.family == 6 for block in subnet.blocks()):
            continue
        block = _nth(whole, length, n if numbering == "number" else _tag_of(subnet), subnet)
        try:
            carve(store, block, State.HANDED_OUT, subnet.pk, within=require_free(store, block))
        except Overlaps as refusal:
            raise refusal.with_(conflicts=conflicts_over(pool.realm_id, block) or None).about("within")
        paired.append(Paired(subnet, block))
    return paired


def _nth(whole: Prefix, length: int, n: int, subnet: Subnet) -> Prefix:
    most = 1 << (length - whole.length)
    if n >= most:
        raise Invalid(
            f"{whole} holds {most:,} × /{length}, and subnet {subnet.name} would have number {n:,}",
            field="within",
            received=whole,
            suggestions=[f"/{length - n.bit_length()}"],
        )
    return whole.child(length, n)


def _tag_of(subnet: Subnet) -> int:
    if subnet.tag is None:
        raise Invalid(
            f"subnet {subnet.name} has no segment tag to number by: give it one, or number in order",
            field="numbering",
            received="tag",
            suggestions=["number"],
        )
    return int(subnet.tag)
