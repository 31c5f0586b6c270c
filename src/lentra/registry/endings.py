"""What ends by itself in a pool: holds, cooling, reservations. Whoever locks a pool ends what is due first.

So an expired hold counts as free from that second on, whether upkeep has run or not.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from datetime import datetime
from typing import Any

from django.db.models import Min, Q

from lentra.addressing.extents import Extent, State, give_back
from lentra.registry.clock import Clock
from lentra.registry.envelope import perform
from lentra.registry.keep_outs import keep_out_of
from lentra.registry.ledger import Change
from lentra.registry.models import Address, ExtentRow, Plan, Pool, Reservation, Space, Subnet
from lentra.registry.space import DatabaseExtents, lock_spaces, lock_stores_of, open_extents


def end_due(change: Change, pool: Pool, stores: Mapping[int, DatabaseExtents]) -> int:
    """End what is due in a locked pool; returns how many subnets and reservations. The caller saves the stores."""
    due = [s.space.next_due for s in stores.values() if s.space.next_due]
    if not due or min(due) > change.now:
        return 0
    ending = Q(extents__pool=pool, extents__state__in=(State.HELD, State.COOLING), ends_at__lte=change.now)
    subnets = list(Subnet.objects.filter(ending).distinct().order_by("ends_at"))
    elsewhere = _stores_elsewhere(pool, subnets)
    everywhere = {**{(pool.pk, family): store for family, store in stores.items()}, **elsewhere}
    for state, verb in (("held", "end hold"), ("cooling", "end cooling")):
        free_subnets(change, [s for s in subnets if s.state == state], everywhere, verb)
    for store in elsewhere.values():
        store.save()
    reservations = list(Reservation.objects.filter(pool=pool, ends_at__lte=change.now))
    free_reservations(change, reservations, stores, "end")
    _forget_held_plans(change, {s.plan_id for s in subnets if s.plan_id is not None})
    earliest = [
        rows.aggregate(at=Min("ends_at"))["at"]
        for rows in (
            Subnet.objects.filter(extents__pool=pool, ends_at__isnull=False),
            Reservation.objects.filter(pool=pool),
        )
    ]
    for store in stores.values():
        store.space.next_due = min((at for at in earliest if at), default=None)
    return len(subnets) + len(reservations)


def lock_settled(change: Change, pools: Iterable[int]) -> list[Space]:
    """Lock the spaces of pools, with what is due in them ended and saved."""
    pools = set(pools)
    spaces = lock_spaces(pools)
    due = {space.pool_id for space in spaces if space.next_due and space.next_due <= change.now}
    if not due:
        return spaces
    for pool in Pool.objects.filter(pk__in=due).order_by("pk"):
        stores = open_extents(pool, lock_spaces([pool.pk]))
        end_due(change, pool, stores)
        for store in stores.values():
            store.save()
    return lock_spaces(pools)


def settle_pool(change: Change, pool_id: int) -> int:
    """End what is due in one pool; returns how much."""
    spaces = lock_spaces([pool_id])
    pool = Pool.objects.filter(pk=pool_id).first()
    if pool is None:
        return 0
    stores = open_extents(pool, spaces)
    ended = end_due(change, pool, stores)
    for store in stores.values():
        store.save()
    return ended


def settle_all_due(clock: Clock) -> int:
    """End what is due in every pool, each in a change of its own; returns how much. One statement if nothing is."""
    due = Space.objects.filter(next_due__lte=clock.now()).values_list("pool_id", flat=True).distinct()
    return sum(settle(pool_id, clock) for pool_id in list(due))


def settle(pool_id: int, clock: Clock) -> int:
    """End what is due in one pool, in a change of its own; returns how much."""
    outcome = perform(lambda change: settle_pool(change, pool_id), clock=clock, render=lambda count, _: count)
    return int(outcome.answer)


def free_subnets(
    change: Change, subnets: Sequence[Subnet], stores: Mapping[Any, DatabaseExtents], verb: str
) -> None:
    """Remove subnets of locked pools; `stores` are all in which they own space.

    What they had becomes free, or goes back to the reservation it was drawn from, or is kept out.
    """
    if not subnets:
        return
    by_number = {subnet.pk: subnet for subnet in subnets}
    blocks: dict[int, list[Extent]] = {}
    back_to = _reservations_of(change, subnets)
    for store in stores.values():
        freed = []
        for extent in store.owned_by(*by_number):
            assert extent.owner
            if extent.state is not State.ROOM:
                blocks.setdefault(extent.owner, []).append(extent)
            reservation = back_to.get(by_number[extent.owner].drawn_from_id or 0)
            if reservation and (reservation.pool_id, reservation.family) == (store.space.pool_id, store.family):
                store.replace([extent], [Extent(extent.prefix, State.RESERVED, reservation.pk)])
            else:
                freed.append(extent)
        for free in give_back(store, freed):
            keep_out_of(store, free, subnets[0].realm_id)
        store.flush()
    for subnet in subnets:
        subnet.known_blocks = sorted(extent.prefix for extent in blocks.get(subnet.pk, []))
    change.removed(list(Address.objects.filter(subnet__in=by_number)), verb)
    change.removed(subnets, verb)


def free_reservations(
    change: Change, reservations: Sequence[Reservation], stores: Mapping[int, DatabaseExtents], verb: str
) -> None:
    """Remove reservations of a locked pool; what is left of them becomes free."""
    for reservation in reservations:
        store = stores[reservation.family]
        for free in give_back(store, store.reserved_by(reservation.pk)):
            keep_out_of(store, free, reservation.realm_id)
        store.flush()
    Subnet.objects.filter(drawn_from__in=reservations).update(drawn_from=None)
    change.removed(reservations, verb)


def note_end(stores: Mapping[Any, DatabaseExtents], at: datetime) -> None:
    """Note on the spaces of a pool that something ends by itself at that moment."""
    for store in stores.values():
        store.due(at)


def _stores_elsewhere(pool: Pool, subnets: Sequence[Subnet]) -> dict[tuple[int, int], DatabaseExtents]:
    """The stores of other pools in which subnets own space as well, locked."""
    numbers = [subnet.pk for subnet in subnets]
    if not ExtentRow.objects.filter(subnet__in=numbers).exclude(pool=pool).exists():
        return {}
    return {key: store for key, store in lock_stores_of(numbers).items() if key[0] != pool.pk}


def _reservations_of(change: Change, subnets: Sequence[Subnet]) -> dict[int, Reservation]:
    """The reservations that subnets were drawn from and that still stand."""
    numbers = {subnet.drawn_from_id for subnet in subnets} - {None}
    if not numbers:
        return {}
    return {
        reservation.pk: reservation
        for reservation in Reservation.objects.filter(pk__in=numbers)
        if reservation.ends_at is None or reservation.ends_at > change.now
    }


def _forget_held_plans(change: Change, plans: set[int]) -> None:
    """Remove plans that were only held and of which nothing is left."""
    if plans:
        rows = Plan.objects.filter(pk__in=plans, state="held")
        change.removed(list(rows.exclude(subnets__isnull=False).exclude(reservations__isnull=False)), "end hold")
