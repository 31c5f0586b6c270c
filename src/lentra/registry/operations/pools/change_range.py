"""Change a range of a pool: widen it, narrow it, or move it with everything that lives in it (re-basing)."""

from __future__ import annotations

import hashlib
from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

from lentra.addressing.extents import Extent, ExtentStore, State, carve, give_back, require_free
from lentra.addressing.prefix import Prefix, address_text, parse_prefix, parse_range
from lentra.addressing.refusal import Overlaps, Refusal
from lentra.registry.errors import DoesNotFit, Invalid, StaleProposal
from lentra.registry.lookup.find import find
from lentra.registry.lookup.locked import find_locked
from lentra.registry.lookup.meeting import lock_joined
from lentra.registry.models import Pool, PoolRange, Reservation, Subnet, place_key
from lentra.registry.operations.links.settle import follow_ranges
from lentra.registry.operations.pools.add_pool import check_top_level, take_ranges
from lentra.registry.operations.subnets.opened import refuse_moving
from lentra.registry.rules.permissions import require
from lentra.registry.space.evidence import conflicts_over
from lentra.registry.space.keep_outs import keep_out_of
from lentra.registry.space.locking import Families, open_pools, save_pools
from lentra.registry.transactions.change import Change
from lentra.registry.transactions.locks import lock_all
from lentra.registry.transactions.proposals import Shown, seal, unseal

_INSIDE = ("gateway", "dhcp", "dhcp_excluded", "dhcp_service")  # of a subnet, that move with its blocks


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
    change: Change,
    pool_ref: Any,
    old: Prefix,
    new: Prefix,
    rebase: bool = False,
    proposal: str | None = None,
    version: int | None = None,
) -> RangeChanged:
    """Put a new range in the place of one that a pool has.

    What lives in the old range and lies inside the new one as well stays where it is. If anything does not, all of
    it must move by the same distance, which is done only when requested explicitly (`rebase`) or by a preview's proposal.

    Raises:
        DoesNotFit: something does not fit; lists each with where it would land.
        Overlaps, KeptOut, NotPrivate, LengthOutOfBounds, OutsideParent: the new range cannot be had.
        StaleProposal: what would move is no longer what was shown.
        StaleEdit: the pool has changed since `version`.
        NotAllowed, Invalid.
    """
    require(change.actor, "planner", "change a pool's range")
    if new.family != old.family:
        raise Invalid(f"{new} is not of the family of {old}", field="new", received=new)
    found = find(Pool, pool_ref, "pool")
    if found.parent_id is None:
        lock_joined(found.realm_id)
    parent = [found.parent_id] if found.parent_id else []
    with open_pools(change, [*_below(found), *parent]) as pools:
        pool = find_locked(Pool, found.pk, version=version, related=("realm", "sheet", "parent__realm"))
        row = range_of(pool, old)
        if not pool.parent:
            check_top_level(pool.realm, new, besides=row)
        try:
            pool.sheet.rules().check_range(new)
        except Refusal as refusal:
            refusal.field = "new"
            raise
        if clash := next((r.prefix for r in pool.ranges.all() if r.pk != row.pk and r.prefix.overlaps(new)), None):
            raise Overlaps(f"{new} overlaps {clash} of the same pool", field="new", received=new)
        moves = list(_moves(pools[pool.pk][old.family], old, new))
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
            _retake(pool, pools[pool.parent.pk], old, new)
        _shift(change, pool, row, new, new.first - old.first if moves else 0)
        ranges = [str(r.prefix) for r in pool.ranges.all()]
        change.entered(
            pool,
            "change range",
            {"ranges": sorted({*ranges, str(old)} - {str(new)})},
            {"ranges": ranges, "moved": len(moves)},
        )
        pool.save(update_fields=["last_entry"])
        carry_numbering(change, pool, old, new, new.first - old.first if moves else 0)
        if not pool.parent_id:
            follow_ranges(change, pool.realm_id)
    return RangeChanged(pool, moves, seal(digest, shown) if change.preview else "")


def carry_numbering(change: Change, pool: Pool, old: Prefix, new: Prefix | None, distance: int) -> None:
    """What IPv6 blocks are numbered in goes along with its range, and ends where that does: `new` is None if it goes."""
    whole = parse_prefix(pool.numbering_within) if pool.numbering_within else None
    if whole is None or not old.contains(whole):
        return
    moved = Prefix(whole.family, whole.first + distance, whole.length)
    if new and new.contains(moved):
        if distance:
            change.edited(pool, "number", numbering_within=str(moved))
        return
    change.edited(pool, "number", numbering_v6="", numbering_within="")
    change.note(f"IPv6 blocks are no longer numbered in {whole}: those to come are placed as the pool says")


def range_of(pool: Pool, old: Prefix, field: str = "old") -> PoolRange:
    """The range of a pool that is exactly this prefix.

    Raises:
        Invalid: it has no such range; suggests those it has.
    """
    for row in pool.ranges.all():
        if row.prefix == old:
            return row
    raise Invalid(
        f"pool {pool.name} has no range {old}",
        field=field,
        received=old,
        suggestions=[row.prefix for row in pool.ranges.all()],
    )


def _below(pool: Pool) -> list[int]:
    """Numbers of a pool and all pools carved from it, at any depth."""
    found, level = [pool.pk], [pool.pk]
    while level:
        level = list(Pool.objects.filter(parent__in=level).values_list("pk", flat=True))
        found += level
    return found


def _moves(store: ExtentStore, old: Prefix, new: Prefix) -> Iterator[Move]:
    """What would move, with where it lands; nothing if all of it lies inside the new range as well."""
    rows = [e for e in store.overlapping(old.first, old.last) if e.state not in (State.FREE, State.KEPT_OUT)]
    if all(new.contains(extent.prefix) for extent in rows):
        return
    names = _owners(rows)
    for extent in rows:
        lands = _translated(extent.prefix, new.first - old.first)
        kind = "pool" if extent.state is State.CARVED else extent.state.word
        owner = names.get((extent.state is State.CARVED, extent.owner or 0), "")
        yield Move(kind, owner, extent.prefix, lands if lands and new.contains(lands) else None)


def _owners(extents: list[Extent]) -> dict[tuple[bool, int], str]:
    numbers = {e.owner for e in extents if e.owner}
    names = {(True, p.pk): p.name for p in Pool.objects.filter(pk__in=numbers)}
    for model in (Subnet, Reservation):
        names |= {(False, r.pk): r.name for r in model.objects.filter(pk__in=numbers)}
    return names


def _translated(prefix: Prefix, distance: int) -> Prefix | None:
    first = prefix.first + distance
    if first % prefix.size or not 0 <= first < 1 << prefix.bits:
        return None
    return Prefix(prefix.family, first, prefix.length)


def _refuse_moves(moves: list[Move], old: Prefix, new: Prefix, agreed: bool) -> None:
    unplaceable = [move for move in moves if move.lands is None]
    if not moves or (agreed and not unplaceable):
        return
    listed = [
        {"range": str(m.was), "owner": m.owner, "kind": m.kind, "lands": str(m.lands) if m.lands else "no place"}
        for m in moves
    ]
    if unplaceable:
        words = f"{unplaceable[0].was} ({unplaceable[0].owner}) has no place in {new}"
        more = f", and {len(unplaceable) - 1} more have none" if len(unplaceable) > 1 else ""
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
        if unplaceable
        else ["rebase: true"],
    )


def _retake(pool: Pool, stores: Families, old: Prefix, new: Prefix) -> None:
    """Give the old range back to the parent, and take the new one from it."""
    assert pool.parent
    store = stores[old.family]
    for free in give_back(store, [Extent(old, State.CARVED, pool.pk)]):
        keep_out_of(store, free, pool.realm_id)
    take_ranges(pool.parent, stores, [new], [], None, pool.pk)


def _shift(change: Change, pool: Pool, row: PoolRange, new: Prefix, distance: int) -> None:
    """Put a range of a pool elsewhere, and all that lives in it by `distance`; pools carved from it as well."""
    old = row.prefix
    store = change.open_pools[pool.pk][old.family]
    living = store.remove_range(old)
    row.first, row.last, row.length = new.first, new.last, new.length
    row.save()
    store.add_range(new)
    keep_out_of(store, new, pool.realm_id)
    for extent in living:
        if extent.state in (State.FREE, State.KEPT_OUT):
            continue
        block = Prefix(extent.prefix.family, extent.prefix.first + distance, extent.prefix.length)
        if extent.state is State.CARVED:
            _clear(store, block)
        try:
            carve(store, block, extent.state, extent.owner, within=require_free(store, block))
        except Overlaps as refusal:
            raise refusal.with_(conflicts=conflicts_over(pool.realm_id, block) or None).about("new")
        except Refusal as refusal:
            raise refusal.about("new")
    if not distance:
        return
    for extent in living:
        if extent.state is State.CARVED:
            child = Pool.objects.select_related("realm").get(pk=extent.owner)
            inner = child.ranges.get(family=extent.prefix.family, first=extent.prefix.first)
            there = Prefix(extent.prefix.family, extent.prefix.first + distance, extent.prefix.length)
            _shift(change, child, inner, there, distance)
    save_pools(change)
    _shift_records(change, pool, old, distance)


def _clear(store: ExtentStore, block: Prefix) -> None:
    """A carved pool may lie over kept-out space: its own extents tell what is kept out there."""
    over = store.overlapping(block.first, block.last)
    if all(e.state in (State.FREE, State.KEPT_OUT) and block.contains(e.prefix) for e in over) and len(over) > 1:
        store.replace(over, [Extent(block)])


def _shift_records(change: Change, pool: Pool, old: Prefix, distance: int) -> None:
    """Subnets, address records and reservations of a pool, moved by `distance`."""

    def moved(text: str) -> str:
        family, first, last = parse_range(text)
        if family != old.family or not old.first <= first <= old.last:
            return text
        if first == last:
            return address_text(family, first + distance)
        return f"{address_text(family, first + distance)}-{address_text(family, last + distance)}"

    subnets = lock_all(Subnet.objects.filter(extents__pool=pool).distinct().prefetch_related("extents"))
    span = range(old.first + distance, old.last + distance + 1)
    here_now = [s for s in subnets if any(b.family == old.family and b.first in span for b in s.blocks())]
    refuse_moving(here_now, "change the range that it is in")
    for subnet in subnets:
        blocks = subnet.blocks()
        here = {
            b for b in blocks if b.family == old.family and b.first - distance in range(old.first, old.last + 1)
        }
        if not here:
            continue
        before: dict[str, Any] = {
            "blocks": [str(_translated(b, -distance)) if b in here else str(b) for b in blocks]
        }
        after: dict[str, Any] = {"blocks": [str(b) for b in blocks]}
        subnet.place = place_key(blocks[0])
        for name in _INSIDE:
            text = getattr(subnet, name)
            if not text or text in ("none", "first", "last"):
                continue
            there = ", ".join(moved(part) for part in text.split(", "))
            if there != text:
                before[name], after[name] = text, there
                setattr(subnet, name, there)
        change.entered(subnet, "rebase", before, after)
        subnet.save(update_fields=["place", *_INSIDE, "last_entry"])
        for record in lock_all(subnet.addresses.filter(family=old.family, address__range=(old.first, old.last))):
            change.edited(record, "rebase", address=record.address + distance)
    for reservation in lock_all(Reservation.objects.filter(pool=pool, family=old.family)):
        if old.first <= reservation.first <= old.last:
            first, last = reservation.first + distance, reservation.last + distance
            change.edited(reservation, "rebase", first=first, last=last)
