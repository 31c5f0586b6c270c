"""What ends by itself in a pool: holds, cooling, reservations. Whoever opens a pool ends what is due in it first.

So an expired hold counts as free from that second on, whether upkeep has run or not.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence

from django.db.models import Q

from lentra.addressing.extents import Extent, State, give_back
from lentra.addressing.prefix import prefixes_of_range, without
from lentra.registry.models import Address, ExtentRow, Plan, Reservation, Space, Subnet, TagMember
from lentra.registry.space.counting import due_at
from lentra.registry.space.keep_outs import keep_out_of
from lentra.registry.space.reserved import ReservedSpace
from lentra.registry.space.store import DatabaseExtents
from lentra.registry.transactions.change import Change
from lentra.registry.transactions.locks import lock_all

Pools = Mapping[int, Mapping[int, DatabaseExtents]]


def due_pools(now: object) -> list[int]:
    """Pools in which something is due. One indexed statement."""
    rows = Space.objects.filter(next_due__lte=now).order_by("pool_id")
    return list(rows.values_list("pool_id", flat=True).distinct())


def expire_due(change: Change, pool: int, open_others: Callable[[set[int]], None]) -> None:
    """End what is due in an open pool.

    Args:
        open_others: opens further pools, where a subnet's other family lies in one.
    """
    ending = Q(extents__pool=pool, extents__state__in=(State.HELD, State.COOLING), ends_at__lte=change.now)
    subnets = list(Subnet.objects.filter(ending).distinct().order_by("ends_at"))
    if subnets:
        rows = ExtentRow.objects.filter(subnet__in=subnets).exclude(pool=pool)
        open_others(set(rows.values_list("pool", flat=True)))
        # Opening another pool may have ended some of them.
        there = Subnet.objects.filter(pk__in=[s.pk for s in subnets], ends_at__lte=change.now)
        subnets = lock_all(there.order_by("ends_at"))
    before = len(change.entries)
    for state, verb in (("held", "end hold"), ("cooling", "end cooling")):
        free_subnets(change, [s for s in subnets if s.state == state], change.open_pools, verb)
    reservations = lock_all(Reservation.objects.filter(pool=pool, ends_at__lte=change.now))
    free_reservations(change, reservations, change.open_pools, "end")
    _forget_held_plans(change, {s.plan_id for s in subnets if s.plan_id is not None})
    change.ended += change.entries[before:]
    due = due_at(pool)
    for store in change.open_pools[pool].values():
        store.set_due(due)


def free_subnets(change: Change, subnets: Sequence[Subnet], pools: Pools, verb: str) -> None:
    """Remove subnets; all pools in which they own space are open.

    What they had becomes free, or goes back to the reservation it was drawn from, or is kept out.
    """
    if not subnets:
        return
    by_number = {subnet.pk: subnet for subnet in subnets}
    blocks: dict[int, list[Extent]] = {}
    drawn_from = reservations_of(change, subnets)
    for store in _stores(pools):
        for extent in store.owned_by(*by_number):
            assert extent.owner
            if extent.state is not State.ROOM:
                blocks.setdefault(extent.owner, []).append(extent)
        for number, own in _by_reservation(store.owned_by(*by_number), by_number).items():
            free_extents(store, own, drawn_from.get(number), subnets[0].realm_id)
        _write(change, store)
    for subnet in subnets:
        subnet.known_blocks = sorted(extent.prefix for extent in blocks.get(subnet.pk, []))
    change.edited_all(lock_all(Subnet.objects.filter(replaces__in=by_number)), "outlive replaced", replaces=None)
    attached = lock_all(Subnet.objects.filter(attached_record__subnet__in=by_number))
    change.edited_all(attached, "outlive record", attached_record=None)
    change.removed(lock_all(Address.objects.filter(subnet__in=by_number)), verb)
    change.removed(lock_all(TagMember.objects.filter(subnet__in=by_number)), verb)
    change.removed(subnets, verb)


def free_reservations(change: Change, reservations: Sequence[Reservation], pools: Pools, verb: str) -> None:
    """Remove reservations of open pools; what is left of them becomes free."""
    if not reservations:
        return
    for reservation in reservations:
        store = pools[reservation.pool_id][reservation.family]
        for free in give_back(store, store.reserved_by(reservation.pk)):
            keep_out_of(store, free, reservation.realm_id)
        _write(change, store)
    drawn = lock_all(Subnet.objects.filter(drawn_from__in=reservations))
    change.edited_all(drawn, "outlive reservation", drawn_from=None)
    change.removed(reservations, verb)


def free_extents(
    store: DatabaseExtents, extents: Sequence[Extent], drawn_from: Reservation | None, realm: int
) -> None:
    """Make extents free: in the reservation that they were drawn from, else in the pool, where keep-outs take their part."""
    inside: list[Extent] = []
    outside = list(extents)
    if drawn_from and (drawn_from.pool_id, drawn_from.family) == (store.space.pool_id, store.family):
        inside, outside = _divided(store, extents, drawn_from)
        give_back(ReservedSpace(store, drawn_from), inside)
    for free in give_back(store, outside):
        keep_out_of(store, free, realm)


def _divided(
    store: DatabaseExtents, extents: Sequence[Extent], reservation: Reservation
) -> tuple[list[Extent], list[Extent]]:
    """Extents inside and outside what was reserved; one that has grown beyond it is cut there."""
    inside: list[Extent] = []
    outside: list[Extent] = []
    for extent in extents:
        first: int = max(extent.prefix.first, reservation.first)
        last: int = min(extent.prefix.last, reservation.last)
        if first > last:
            outside.append(extent)
            continue
        within = prefixes_of_range(store.family, first, last)
        beyond = [extent.prefix]
        for piece in within:
            beyond = [
                rest
                for prefix in beyond
                for rest in (without(prefix, piece) if prefix.overlaps(piece) else [prefix])
            ]
        parts = [[Extent(prefix, extent.state, extent.owner) for prefix in side] for side in (within, beyond)]
        if beyond:
            store.replace([extent], sorted([*parts[0], *parts[1]]))
        inside += parts[0]
        outside += parts[1]
    return inside, outside


def reservations_of(change: Change, subnets: Iterable[Subnet]) -> dict[int, Reservation]:
    """The reservations that subnets were drawn from and that still stand."""
    numbers = {subnet.drawn_from_id for subnet in subnets} - {None}
    if not numbers:
        return {}
    standing = Q(ends_at=None) | Q(ends_at__gt=change.now)
    return {reservation.pk: reservation for reservation in Reservation.objects.filter(standing, pk__in=numbers)}


def _by_reservation(extents: Sequence[Extent], subnets: Mapping[int, Subnet]) -> dict[int, list[Extent]]:
    """Extents by the reservation that their subnet was drawn from; 0 for none."""
    found: dict[int, list[Extent]] = {}
    for extent in extents:
        found.setdefault(subnets[extent.owner or 0].drawn_from_id or 0, []).append(extent)
    return found


def _stores(pools: Pools) -> list[DatabaseExtents]:
    return [store for families in pools.values() for store in families.values()]


def _write(change: Change, store: DatabaseExtents) -> None:
    """Write a store at once: records that own nothing any more are about to be removed."""
    store.save(change.batch)
    change.batch.send()


def _forget_held_plans(change: Change, plans: set[int]) -> None:
    """Remove plans that were only held and of which nothing is left."""
    if plans:
        rows = Plan.objects.filter(pk__in=plans, state="held")
        change.removed(
            lock_all(rows.exclude(subnets__isnull=False).exclude(reservations__isnull=False)), "end hold"
        )
