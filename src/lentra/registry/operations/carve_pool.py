"""Carve a pool out of a pool, and give it back."""

from __future__ import annotations

from typing import Any

from lentra.addressing.extents import Extent, State, give_back
from lentra.addressing.prefix import Prefix
from lentra.registry.errors import Invalid
from lentra.registry.keep_outs import keep_out_of
from lentra.registry.ledger import Change
from lentra.registry.models import ExtentRow, Pool, PoolRange, Tile
from lentra.registry.operations.add_pool import store_ranges, take_ranges
from lentra.registry.operations.add_set_up import add_set_up
from lentra.registry.operations.remove_set_up import refuse_used
from lentra.registry.permissions import require
from lentra.registry.queries.find import find
from lentra.registry.space import lock_spaces, open_extents


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
    stores = open_extents(parent, lock_spaces([parent.pk]))
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
    carved = take_ranges(parent, stores, ranges, lengths, placement)
    pool = add_set_up(change, "pool", values, ranges=[str(r) for r in carved])
    assert isinstance(pool, Pool)
    for prefix in carved:
        store = stores[prefix.family]
        store.replace([Extent(prefix, State.CARVED)], [Extent(prefix, State.CARVED, pool.pk)])
    for store in stores.values():
        store.save()
    store_ranges(pool, pool.sheet.rules(), carved, top=False)
    return pool


def give_back_pool(change: Change, pool_ref: Any) -> Pool:
    """Remove a pool that nothing lives in; a carved one's space falls back to its parent.

    Raises:
        InUse: subnets (cooling ones too) or carved pools still live in it; lists them.
        NotAllowed: the actor is no planner.
    """
    require(change.actor, "planner", "give back a pool")
    pool = find(Pool, pool_ref, related=("parent",))
    spaces = lock_spaces([pool.pk, *([pool.parent_id] if pool.parent_id else [])])
    refuse_used("pool", pool)
    ranges = [row.prefix for row in PoolRange.objects.filter(pool=pool)]
    ExtentRow.objects.filter(pool=pool).delete()
    if pool.parent:
        stores = open_extents(pool.parent, spaces)
        for prefix in ranges:
            store = stores[prefix.family]
            for free in give_back(store, [Extent(prefix, State.CARVED, pool.pk)]):
                keep_out_of(store, free, pool.realm_id)
        for store in stores.values():
            store.save()
    pool.spaces.all().delete()
    Tile.objects.filter(pool=pool).delete()
    pool.ranges.all().delete()
    change.removed([pool], "give back", ranges=[str(r) for r in ranges])
    return pool
