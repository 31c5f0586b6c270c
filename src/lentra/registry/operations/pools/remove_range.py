"""Take a range out of a pool in which nothing lives any more."""

from __future__ import annotations

from typing import Any

from lentra.addressing.extents import Extent, State, give_back
from lentra.addressing.prefix import Prefix
from lentra.registry.errors import InUse, Invalid
from lentra.registry.lookup.find import find
from lentra.registry.lookup.locked import find_locked
from lentra.registry.lookup.meeting import lock_joined
from lentra.registry.models import Pool, Reservation, Subnet
from lentra.registry.operations.links.settle import follow_ranges
from lentra.registry.operations.pools.change_range import carry_numbering, range_of
from lentra.registry.rules.permissions import require
from lentra.registry.space.keep_outs import keep_out_of
from lentra.registry.space.locking import close_family, open_pools, save_pools
from lentra.registry.transactions.change import Change

_TOLD = 200


def remove_range(change: Change, pool_ref: Any, prefix: Prefix, version: int | None = None) -> Pool:
    """Take a range out of a pool; that of a carved one falls back to its parent.

    Raises:
        InUse: something lives in it; lists each with a way out.
        Invalid: the pool has no such range, or no other.
        StaleEdit, NotAllowed.
    """
    require(change.actor, "planner", "take a range out of a pool")
    found = find(Pool, pool_ref, "pool")
    if found.parent_id is None:
        lock_joined(found.realm_id)
    with open_pools(change, [found.pk, *([found.parent_id] if found.parent_id else [])]) as pools:
        pool = find_locked(Pool, found.pk, version=version)
        row = range_of(pool, prefix, "range")
        before = [str(r.prefix) for r in pool.ranges.all()]
        if len(before) == 1:
            raise Invalid(
                f"{prefix} is the only range of pool {pool.name}: give the pool back instead",
                field="range",
                received=prefix,
                suggestions=[f"give back pool {pool.name}"],
            )
        store = pools[pool.pk][prefix.family]
        living = [
            e for e in store.overlapping(prefix.first, prefix.last) if e.state not in (State.FREE, State.KEPT_OUT)
        ]
        if living:
            raise _in_use(pool, prefix, living)
        store.remove_range(prefix)
        if pool.parent_id:
            parent = pools[pool.parent_id][prefix.family]
            for free in give_back(parent, [Extent(prefix, State.CARVED, pool.pk)]):
                keep_out_of(parent, free, pool.realm_id)
        save_pools(change)
        row.delete()
        if not store.ranges:
            close_family(change, pool.pk, prefix.family)
        change.entered(
            pool, "remove range", {"ranges": before}, {"ranges": [r for r in before if r != str(prefix)]}
        )
        pool.save(update_fields=["last_entry"])
        carry_numbering(change, pool, prefix, None, 0)
        if not pool.parent_id:
            follow_ranges(change, pool.realm_id)
    return Pool.objects.get(pk=pool.pk)


def _in_use(pool: Pool, prefix: Prefix, living: list[Extent]) -> InUse:
    """What lives in a range, each with what to do about it."""
    numbers = {extent.owner for extent in living if extent.owner}
    subnets = Subnet.objects.in_bulk(numbers)
    reservations = Reservation.objects.in_bulk(numbers)
    carved = Pool.objects.in_bulk(numbers)
    told = []
    for extent in living[:_TOLD]:
        owner = extent.owner or 0
        facts: dict[str, Any] = {"range": str(extent.prefix), "state": extent.state.word}
        if extent.state is State.CARVED and owner in carved:
            name = carved[owner].name
            facts |= {
                "kind": "pool",
                "owner": name,
                "id": owner,
                "mend": f"give back pool {name}, or move its range",
            }
        elif owner in reservations:
            name = reservations[owner].name
            facts |= {"kind": "reservation", "owner": name, "id": owner, "mend": f"give back reservation {name}"}
        elif owner in subnets:
            facts |= {"kind": "subnet", "owner": subnets[owner].name, "id": owner} | _way_out(subnets[owner])
        told.append(facts)
    more, lies = (f" and {len(living) - 1} more", "lie") if len(living) > 1 else ("", "lies")
    return InUse(
        f"{told[0]['range']} ({told[0].get('owner', told[0]['state'])}){more} {lies} in {prefix} of pool "
        f"{pool.name}",
        field="range",
        received=prefix,
        rule="a range is taken out when nothing lives in it",
        conflicts=told,
        suggestions=list(dict.fromkeys(row["mend"] for row in told if "mend" in row))[:5],
    )


def _way_out(subnet: Subnet) -> dict[str, Any]:
    if subnet.state == "cooling":
        return {"until": subnet.ends_at, "mend": f"free {subnet.name} at once, or wait until it has cooled"}
    if subnet.state == "held":
        return {"until": subnet.ends_at, "mend": f"give back {subnet.name}, or wait until its hold has ended"}
    if subnet.state == "retiring":
        return {"mend": f"give back {subnet.name}, which is being replaced"}
    return {"mend": f"replace {subnet.name} by a subnet from another range, then give it back"}
