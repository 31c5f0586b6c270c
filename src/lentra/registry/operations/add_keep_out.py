"""Add and remove a keep-out."""

from __future__ import annotations

from typing import Any

from lentra.addressing.extents import Extent, State, give_back
from lentra.addressing.prefix import Prefix, prefixes_of_range
from lentra.addressing.refusal import Overlaps
from lentra.registry.errors import Invalid
from lentra.registry.keep_outs import keep_out_of, withdraw
from lentra.registry.ledger import Change
from lentra.registry.models import KeepOut, Pool, PoolRange
from lentra.registry.operations.add_pool import lock_outline
from lentra.registry.operations.add_set_up import add_set_up
from lentra.registry.permissions import require
from lentra.registry.queries.whereabouts import describe, extents_over
from lentra.registry.space import DatabaseExtents, lock_spaces, open_extents

_IN_USE = (State.HELD, State.HANDED_OUT, State.ROOM, State.RESERVED, State.COOLING)


def add_keep_out(change: Change, values: dict[str, Any], despite_use: bool = False) -> KeepOut:
    """Declare a range used or forbidden elsewhere.

    Free space it covers is kept out at once; space in use follows as it becomes free.

    Args:
        values: fields of `KeepOut`.
        despite_use: accept a range over space in use, which then counts as a clash.

    Raises:
        Overlaps: space in use is covered and `despite_use` is not set; lists it.
        NotAllowed, Invalid: as for every set-up object.
    """
    require(change.actor, "planner", "add a keep-out")
    lock_outline(values["realm"].pk)
    family, first, last = values["family"], values["first"], values["last"]
    stores = _lock_pools_over(values["realm"].pk, family, first, last)
    rows = extents_over(values["realm"].pk, family, first, last)
    in_use = [describe(row, first, last) for row in rows if row.state in _IN_USE]
    keep_out = add_set_up(change, "keep-out", values)
    assert isinstance(keep_out, KeepOut)
    if in_use and not despite_use:
        raise Overlaps(
            f"{keep_out.range_text} covers space in use: {in_use[0]['range']} "
            f"({in_use[0].get('owner', in_use[0]['state'])})"
            + (f" and {len(in_use) - 1} more" if len(in_use) > 1 else ""),
            field="range",
            received=keep_out.range_text,
            rule="over space in use only on explicit word (despite_use)",
            conflicts=in_use[:20],
            suggestions=["despite_use: true"],
        )
    for clash in in_use[:20]:
        change.note(f"{clash['range']} stays in use ({clash.get('owner')}) and is a clash until given back")
    for store, ranges in stores:
        for part in ranges:
            for piece in prefixes_of_range(family, max(first, part.first), min(last, part.last)):
                withdraw(store, piece)
        store.save()
    return keep_out


def remove_keep_out(change: Change, keep_out: KeepOut) -> KeepOut:
    """Lift a keep-out: what no other keep-out covers becomes free again.

    Raises:
        Invalid: no reason is given; lifting one is worth a reason.
        NotAllowed: the actor is no planner.
    """
    require(change.actor, "planner", "lift a keep-out")
    if not change.why.strip():
        raise Invalid(
            f"lifting the keep-out of {keep_out.range_text} ({keep_out.reason}) needs a reason",
            field="why",
            rule="the ledger says why a keep-out was lifted",
        )
    lock_outline(keep_out.realm_id)
    family, first, last = keep_out.family, keep_out.first, keep_out.last
    stores = _lock_pools_over(keep_out.realm_id, family, first, last)
    change.removed([keep_out])
    for store, ranges in stores:
        for part in ranges:
            low: int = max(first, part.first)
            extents = store.overlapping(low, min(last, part.last))
            kept = [extent for extent in extents if extent.state is State.KEPT_OUT]
            for extent in kept:
                store.replace([extent], [Extent(extent.prefix)])
                for free in give_back(store, [Extent(extent.prefix)]):
                    keep_out_of(store, free, keep_out.realm_id)
        store.save()
    return keep_out


def _lock_pools_over(
    realm_id: int, family: int, first: int, last: int
) -> list[tuple[DatabaseExtents, list[Prefix]]]:
    """Lock every pool with a range over first..last; each store with those ranges.

    A pool may be carved while the first ones are locked, so it looks again until there is no new one.
    """
    rows = PoolRange.objects.filter(realm_id=realm_id, family=family, first__lte=last, last__gte=first)
    locked: set[int] = set()
    while (over := set(rows.values_list("pool_id", flat=True))) - locked:
        lock_spaces(over - locked)
        locked |= over
    result = []
    for pool in Pool.objects.filter(pk__in=locked).order_by("pk"):
        stores = open_extents(pool, lock_spaces([pool.pk]))
        result.append((stores[family], [row.prefix for row in rows.filter(pool=pool)]))
    return result
