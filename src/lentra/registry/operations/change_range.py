"""Change a range of a pool: widen it, narrow it, or move it with everything that lives in it (re-basing)."""

from __future__ import annotations

import hashlib
from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

from lentra.addressing.extents import Extent, State, carve, give_back, require_free
from lentra.addressing.prefix import Prefix, address_text, parse_range
from lentra.addressing.refusal import Overlaps, Refusal
from lentra.registry.endings import lock_settled
from lentra.registry.errors import DoesNotFit, Invalid, StaleProposal
from lentra.registry.keep_outs import keep_out_of
from lentra.registry.ledger import Change
from lentra.registry.models import Pool, PoolRange, Reservation, Space, Subnet, place_key
from lentra.registry.operations.add_pool import check_top_level, lock_outline, take_ranges
from lentra.registry.permissions import require
from lentra.registry.proposals import Shown, seal, unseal
from lentra.registry.queries.find import find
from lentra.registry.queries.whereabouts import conflicts_over
from lentra.registry.space import DatabaseExtents, open_extents


@dataclass(frozen=True)
class Move:
    """One extent in use, and where it lands. `lands` is None where there is no place for it."""

    kind: str
    owner: str
    was: Prefix
    lands: Prefix | None


@dataclass
class RangeChanged:
    """A changed range: the pool, what moved, and the token of a preview."""

    pool: Pool
    moves: list[Move]
    token: str = ""


def change_range(
    change: Change, pool_ref: Any, old: Prefix, new: Prefix, rebase: bool = False, proposal: str | None = None
) -> RangeChanged:
    """Put a new range in the place of one that a pool has.

    What lives in the old range and lies inside the new one as well stays where it is. If anything does not, all of
    it must move by the same distance, which is done only on explicit word (`rebase`) or by a preview's proposal.

    Raises:
        DoesNotFit: something does not fit; lists each with where it would land.
        Overlaps, KeptOut, NotPrivate, LengthOutOfBounds, OutsideParent: the new range cannot be had.
        StaleProposal: what would move is no longer what was shown.
        NotAllowed, Invalid.
    """
    require(change.actor, "planner", "change a pool's range")
    pool = find(Pool, pool_ref, "pool", related=("realm", "sheet", "parent__realm"))
    row = _range(pool, old)
    if new.family != old.family:
        raise Invalid(f"{new} is not of the family of {old}", field="new", received=new)
    if not pool.parent:
        check_top_level(lock_outline(pool.realm_id), new, besides=row)
    below = _below(pool)
    spaces = lock_settled(change, [p.pk for p in below] + ([pool.parent_id] if pool.parent_id else []))
    pool.sheet.rules().check_range_length(new.family, new.length)
    if clash := next((r.prefix for r in pool.ranges.all() if r.pk != row.pk and r.prefix.overlaps(new)), None):
        raise Overlaps(f"{new} overlaps {clash} of the same pool", field="new", received=new)

    store = open_extents(pool, spaces)[old.family]
    moves = list(_moves(pool, store, old, new))
    digest = hashlib.sha256(f"{pool.pk} {old} {new}".encode()).hexdigest()
    shown = [Shown(move.owner, [str(move.was), str(move.lands)]) for move in moves]
    if proposal and unseal(proposal, digest) != shown:
        raise StaleProposal(
            f"what lives in {old} has changed since the preview",
            field="proposal",
            rule="a commit does exactly what was shown",
            suggestions=["preview again"],
        )
    _refuse_moves(moves, old, new, rebase or bool(proposal))

    if pool.parent:
        _retake(pool, open_extents(pool.parent, spaces), old, new)
    distance = new.first - old.first if moves else 0
    result = RangeChanged(pool, moves)
    _shift(change, pool, spaces, row, new, distance)
    ranges = [str(r.prefix) for r in pool.ranges.all()]
    change.entered(
        pool,
        "change range",
        {"ranges": sorted({*ranges, str(old)} - {str(new)})},
        {"ranges": ranges, "moved": len(moves)},
    )
    pool.save(update_fields=["last_entry"])
    if change.preview:
        result.token = seal(digest, shown)
    return result


def _range(pool: Pool, old: Prefix) -> PoolRange:
    for row in pool.ranges.all():
        if row.prefix == old:
            return row
    raise Invalid(
        f"pool {pool.name} has no range {old}",
        field="old",
        received=old,
        suggestions=[row.prefix for row in pool.ranges.all()],
    )


def _below(pool: Pool) -> list[Pool]:
    """A pool and all pools carved from it, at any depth."""
    found, level = [pool], [pool]
    while level:
        level = list(Pool.objects.filter(parent__in=level))
        found += level
    return found


def _moves(pool: Pool, store: DatabaseExtents, old: Prefix, new: Prefix) -> Iterator[Move]:
    """What would move, with where it lands; nothing if all of it lies inside the new range as well."""
    rows = [e for e in store.overlapping(old.first, old.last) if e.state not in (State.FREE, State.KEPT_OUT)]
    if all(new.contains(extent.prefix) for extent in rows):
        return
    names = _owners(rows)
    for extent in rows:
        lands = _moved(extent.prefix, new.first - old.first)
        kind = "pool" if extent.state is State.CARVED else extent.state.word
        owner = names.get((extent.state is State.CARVED, extent.owner or 0), "")
        yield Move(kind, owner, extent.prefix, lands if lands and new.contains(lands) else None)


def _owners(extents: list[Extent]) -> dict[tuple[bool, int], str]:
    numbers = {e.owner for e in extents if e.owner}
    names = {(True, p.pk): p.name for p in Pool.objects.filter(pk__in=numbers)}
    for model in (Subnet, Reservation):
        names |= {(False, r.pk): r.name for r in model.objects.filter(pk__in=numbers)}
    return names


def _moved(prefix: Prefix, distance: int) -> Prefix | None:
    first = prefix.first + distance
    if first % prefix.size or not 0 <= first < 1 << prefix.bits:
        return None
    return Prefix(prefix.family, first, prefix.length)


def _refuse_moves(moves: list[Move], old: Prefix, new: Prefix, agreed: bool) -> None:
    homeless = [move for move in moves if move.lands is None]
    if not moves or (agreed and not homeless):
        return
    listed = [
        {"range": str(m.was), "owner": m.owner, "kind": m.kind, "lands": str(m.lands) if m.lands else "no place"}
        for m in moves
    ]
    if homeless:
        words = f"{homeless[0].was} ({homeless[0].owner}) has no place in {new}"
        more = f", and {len(homeless) - 1} more have none" if len(homeless) > 1 else ""
    else:
        words = f"{moves[0].was} ({moves[0].owner}) would land at {moves[0].lands}"
        more = f", and {len(moves) - 1} more would move" if len(moves) > 1 else ""
    raise DoesNotFit(
        f"what lives in {old} does not all lie inside {new}: {words}{more}",
        field="new",
        received=str(new),
        rule="nothing that lives in a range is moved without a word",
        conflicts=listed[:200],
        suggestions=[f"/{old.length}" if new.length > old.length else "another range"]
        if homeless
        else ["rebase: true"],
    )


def _retake(pool: Pool, stores: dict[int, DatabaseExtents], old: Prefix, new: Prefix) -> None:
    """Give the old range back to the parent, and take the new one from it."""
    assert pool.parent
    store = stores[old.family]
    for free in give_back(store, [Extent(old, State.CARVED, pool.pk)]):
        keep_out_of(store, free, pool.realm_id)
    take_ranges(pool.parent, stores, [new], [], None)
    store.replace([Extent(new, State.CARVED)], [Extent(new, State.CARVED, pool.pk)])
    store.save()


def _shift(change: Change, pool: Pool, spaces: list[Space], row: PoolRange, new: Prefix, distance: int) -> None:
    """Put a range of a pool elsewhere, and all that lives in it by `distance`; pools carved from it as well."""
    old = row.prefix
    store = open_extents(pool, spaces)[old.family]
    living = store.overlapping(old.first, old.last)
    store.remove(living)
    row.first, row.last, row.length = new.first, new.last, new.length
    row.save()
    store.save()
    store = open_extents(pool, [store.space])[old.family]  # reads the ranges anew
    store.add_free(new)
    store.flush()
    keep_out_of(store, new, pool.realm_id)
    for extent in living:
        if extent.state in (State.FREE, State.KEPT_OUT):
            continue
        block = Prefix(extent.prefix.family, extent.prefix.first + distance, extent.prefix.length)
        if extent.state is State.CARVED:
            _clear(store, block)
        try:
            carve(store, block, extent.state, extent.owner, within=require_free(store, block))
        except Refusal as refusal:
            refusal.conflicts = list(conflicts_over(pool.realm_id, block)) or refusal.conflicts
            raise refusal.about("new")
    store.save()
    if not distance:
        return
    for extent in living:
        if extent.state is State.CARVED:
            child = Pool.objects.select_related("realm").get(pk=extent.owner)
            inner = child.ranges.get(family=extent.prefix.family, first=extent.prefix.first)
            there = Prefix(extent.prefix.family, extent.prefix.first + distance, extent.prefix.length)
            _shift(change, child, spaces, inner, there, distance)
    _shift_records(change, pool, old, distance)


def _clear(store: DatabaseExtents, block: Prefix) -> None:
    """A carved pool may lie over kept-out space: its own extents tell what is kept out there."""
    over = store.overlapping(block.first, block.last)
    if all(e.state in (State.FREE, State.KEPT_OUT) and block.contains(e.prefix) for e in over) and len(over) > 1:
        store.replace(over, [Extent(block)])
        store.flush()


def _shift_records(change: Change, pool: Pool, old: Prefix, distance: int) -> None:
    """Subnets, address records and reservations of a pool, moved by `distance`."""

    def moved(text: str) -> str:
        family, first, last = parse_range(text)
        if family != old.family or not old.first <= first <= old.last:
            return text
        if first == last:
            return address_text(family, first + distance)
        return f"{address_text(family, first + distance)}-{address_text(family, last + distance)}"

    for subnet in Subnet.objects.filter(extents__pool=pool).distinct().prefetch_related("extents"):
        blocks = subnet.blocks()
        here = {
            b for b in blocks if b.family == old.family and b.first - distance in range(old.first, old.last + 1)
        }
        if not here:
            continue
        before = [str(_moved(b, -distance)) if b in here else str(b) for b in blocks]
        subnet.place = place_key(blocks[0])
        if subnet.dhcp:
            subnet.dhcp = moved(subnet.dhcp)
        if subnet.gateway not in ("none", "first", "last"):
            subnet.gateway = moved(subnet.gateway)
        change.entered(subnet, "rebase", {"blocks": before}, {"blocks": [str(b) for b in blocks]})
        subnet.save()
        for record in subnet.addresses.filter(family=old.family, address__gte=old.first, address__lte=old.last):
            change.edited(record, "rebase", address=record.address + distance)
    for reservation in Reservation.objects.filter(pool=pool, family=old.family):
        if old.first <= reservation.first <= old.last:
            first, last = reservation.first + distance, reservation.last + distance
            change.edited(reservation, "rebase", first=first, last=last)
