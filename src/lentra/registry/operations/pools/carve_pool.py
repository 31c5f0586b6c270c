"""Carve a pool out of a pool, and give it back."""

from __future__ import annotations

from typing import Any

from lentra.addressing.extents import Extent, State, give_back
from lentra.addressing.prefix import Prefix, parse_prefix
from lentra.registry.errors import Invalid
from lentra.registry.lookup.find import find
from lentra.registry.lookup.locked import find_locked
from lentra.registry.lookup.meeting import lock_joined
from lentra.registry.models import Pool
from lentra.registry.operations.links.settle import follow_ranges
from lentra.registry.operations.pools.add_pool import named, store_ranges, take_ranges
from lentra.registry.operations.setup.add_record import add_record
from lentra.registry.operations.setup.remove_record import refuse_used
from lentra.registry.rules.permissions import require
from lentra.registry.space.keep_outs import keep_out_of
from lentra.registry.space.locking import close_pool, open_pools, save_pools
from lentra.registry.transactions.change import Change


def carve_pool(
    change: Change,
    parent_ref: Any,
    values: dict[str, Any],
    ranges: list[Prefix],
    lengths: list[tuple[int, int]] = (),  # type: ignore[assignment]
    placement: str | None = None,
) -> Pool:
    """Make a pool whose ranges come out of another pool's free space.

    Args:
        values: fields of `Pool`; the rule sheet, realm, region, exposure and origin come from the parent
            where they are not given.
        ranges: exact ranges; may be empty if lengths are given.
        lengths: further ranges to find, as (family, length).
        placement: where to find them; the parent's own if None.

    Raises:
        OutsideParent, Overlaps, KeptOut, Exhausted, WrongFamily: the parent cannot give the ranges.
        LengthOutOfBounds, TooManyRanges: the rule sheet does not allow them.
        NotAllowed, Invalid, NameTaken: as for every set-up object.
    """
    require(change.actor, "planner", "carve a pool")
    parent = find(Pool, parent_ref, "parent", related=("sheet", "realm"))
    if not ranges and not lengths:
        raise Invalid("say which range to carve, or a length to find", field="ranges", suggestions=["/20"])
    if lengths and (shown := change.shown("pool")):  # what is said exactly is not chosen
        ranges, lengths = [parse_prefix(text) for text in shown["ranges"]], []
    inherited = values.get("sheet") is None
    values = {
        **values,
        "parent": parent,
        "realm": parent.realm,
        "sheet": parent.sheet if inherited else values["sheet"],
        "sheet_inherited": inherited,
    }
    for field in ("region", "zone", "project", "exposure", "origin", "cooling_days"):
        if values.get(field) is None:
            values[field] = getattr(parent, field)
    with open_pools(change, [parent.pk]) as pools:
        values = named(values, parent.realm)
        (number,) = change.numbers(1)
        carved = take_ranges(parent, pools[parent.pk], ranges, list(lengths), placement, number)
        pool = add_record(change, "pool", {**values, "id": number}, ranges=[str(r) for r in carved])
        assert isinstance(pool, Pool)
        store_ranges(change, pool, pool.sheet.rules(), carved, top=False)
    return pool


def give_back_pool(change: Change, pool_ref: Any, version: int | None = None) -> Pool:
    """Remove a pool that nothing lives in; a carved one's space falls back to its parent.

    Raises:
        InUse: subnets (cooling ones too) or carved pools still live in it; lists them.
        NotAllowed: the actor is no planner.
        StaleEdit: it has changed since `version`.
    """
    require(change.actor, "planner", "give back a pool")
    found = find(Pool, pool_ref)
    if found.parent_id is None:
        lock_joined(found.realm_id)
    with open_pools(change, [found.pk, *([found.parent_id] if found.parent_id else [])]) as pools:
        pool = find_locked(Pool, found.pk, version=version)
        refuse_used("pool", pool)
        ranges = [row.prefix for row in pool.ranges.all()]
        for prefix in ranges if pool.parent_id else ():
            store = pools[pool.parent_id][prefix.family]
            for free in give_back(store, [Extent(prefix, State.CARVED, pool.pk)]):
                keep_out_of(store, free, pool.realm_id)
        save_pools(change)
        close_pool(change, pool.pk)
        pool.ranges.all().delete()
        change.removed([pool], "give back", ranges=[str(r) for r in ranges])
        if not pool.parent_id:
            follow_ranges(change, pool.realm_id)
    return pool
