"""Finding the place of a block in a locked pool, and taking it."""

from __future__ import annotations

from dataclasses import dataclass

from lentra.addressing.extents import Extent, State
from lentra.addressing.growth import carve_with_room
from lentra.addressing.layout import Laid, with_room
from lentra.addressing.placement import Place, neighbours_in_words, place, place_beside, place_exact
from lentra.addressing.prefix import Prefix, parse_prefix
from lentra.addressing.refusal import Exhausted, OutsideParent, Overlaps, Refusal
from lentra.registry.drawing import Reserve
from lentra.registry.errors import Invalid, StaleProposal
from lentra.registry.models import Pool, Subnet
from lentra.registry.queries.find import find
from lentra.registry.queries.outside import outside
from lentra.registry.queries.serving import exhausted_in, serving_pools
from lentra.registry.queries.target import Target
from lentra.registry.queries.whereabouts import conflicts_over
from lentra.registry.requests import Wanted, parse_given
from lentra.registry.space import DatabaseExtents


@dataclass(frozen=True)
class Taken:
    """A block that was taken, the room behind it, and why there."""

    block: Prefix
    room: list[Prefix]
    why: str


def take_place(
    wanted: Wanted,
    pool: Pool,
    target: Target,
    store: DatabaseExtents,
    length: int,
    *,
    room: int = 0,
    reserve: Reserve | None = None,
    state: State = State.HANDED_OUT,
    explain: bool = False,
) -> Taken:
    """Find a place and take it, as a block without an owner yet.

    Args:
        room: doublings of the block that are kept free behind it.
        reserve: the reservation to draw from, in place of the pool's free space.
        explain: say in words what lies on both sides.

    Raises:
        Exhausted, OutsideParent, Overlaps, KeptOut: with evidence and a way out.
    """
    space = reserve.space if reserve else store
    beside = _beside(wanted.beside, pool, store.family) if wanted.beside is not None else None
    footprint = max(0, length - room)
    try:
        if wanted.prefix is not None and store.family == wanted.families[0]:
            block = parse_given(wanted.prefix, "prefix")
            if block.enclosing(footprint).first != block.first:
                raise Invalid(
                    f"{block} cannot keep {room} doublings behind it: it is not the first part of "
                    f"{block.enclosing(footprint)}",
                    field="room",
                    received=room,
                    suggestions=["0", f"prefix {block.enclosing(footprint).child(length, 0)}"],
                )
            found = _exactly(pool, store, block.enclosing(footprint), reserve)
        elif beside is not None:
            found = place_beside(space, footprint, beside)
        else:
            found = place(space, footprint, wanted.placement or pool.placement(store.family))
    except Exhausted:
        if reserve:
            raise reserve.nothing_left(footprint)
        others = serving_pools(
            store.family,
            footprint,
            zone=target.zone,
            region=target.region,
            project=target.project,
            realm=pool.realm,
        )
        raise exhausted_in(store.space, pool, footprint, others)
    why = found.why
    if explain:
        why = f"{why}, {neighbours_in_words(space, found.within)}"
    if reserve:
        why += f", out of reservation {reserve.reservation.name}"
    return take(store, with_room("", found.block, length), found, state, reserve, why)


def take(
    store: DatabaseExtents, laid: Laid, found: Place, state: State, reserve: Reserve | None, why: str
) -> Taken:
    """Take a block and its room out of the free extent (or the reservation) that was found for them."""
    if reserve:
        reserve.take(found, laid.block, laid.room, state, None)
    else:
        carve_with_room(store, laid.block, laid.room, state, None, Extent(found.within))
    return Taken(laid.block, laid.room, why)


def _exactly(pool: Pool, store: DatabaseExtents, block: Prefix, reserve: Reserve | None) -> Place:
    if store.range_of(block) is None:
        raise outside(pool, block)
    try:
        return place_exact(reserve.space if reserve else store, block)
    except OutsideParent as refusal:  # of the reservation
        raise reserve.nothing_left(block.length) if reserve else refusal.about("prefix")
    except Overlaps as refusal:
        refusal.conflicts = list(conflicts_over(pool.realm_id, block)) or refusal.conflicts
        first = refusal.conflicts[0]
        if owner := first.get("owner"):
            where = first.get("zone") or first.get("region")
            place_words = f" in {where}, tier {first['tier']}" if where else ""
            refusal.args = (
                f"{block} is not free: {first['range']} is {first['state']}, {owner}{place_words}, "
                f"{first['addresses']:,} addresses shared",
            )
            refusal.message = refusal.args[0]
        free = _something_free(store, block.length, pool)
        refusal.suggestions = [str(free)] if free else []
        if first.get("reservation"):
            refusal.suggestions.append(f"reservation: {first['owner']}")
        raise refusal.about("prefix")


def _something_free(store: DatabaseExtents, length: int, pool: Pool) -> Prefix | None:
    try:
        return place(store, length, pool.placement(store.family)).block
    except Exhausted:
        return None


def _beside(text: str, pool: Pool, family: int) -> Prefix | None:
    """What to be beside of: a prefix, or the block of a subnet; None if it is of the other family."""
    if "/" in text and (text[0].isdigit() or ":" in text):
        blocks = [parse_given(text, "beside")]
    else:
        in_realm = text if ":" in text or text.isdigit() else f"{pool.realm.name}:{text}"
        blocks = find(Subnet, in_realm, "beside").blocks()
    return next((block for block in blocks if block.family == family), None)


def take_as_shown(
    pool: Pool,
    stores: dict[int, DatabaseExtents],
    text: str,
    room: int = 0,
    reserve: Reserve | None = None,
    state: State = State.HANDED_OUT,
) -> Taken:
    """Take a block of a proposal, exactly.

    Raises:
        StaleProposal: it is no longer free; says what took its place.
    """
    block = parse_prefix(text)
    store = stores[block.family]
    footprint = block.enclosing(max(0, block.length - room))
    try:
        found = place_exact(reserve.space if reserve else store, footprint)
    except Refusal as refusal:
        raise stale(pool, store, footprint, refusal)
    return take(store, with_room("", footprint, block.length), found, state, reserve, "as proposed")


def stale(pool: Pool, store: DatabaseExtents, block: Prefix, refusal: Refusal) -> StaleProposal:
    """The refusal of a proposal whose block is no longer free."""
    conflicts = conflicts_over(pool.realm_id, block) or refusal.conflicts
    taken = conflicts[0].get("owner") or conflicts[0].get("state") if conflicts else "something else"
    free = _something_free(store, block.length, pool)
    return StaleProposal(
        f"{block} is no longer free: {taken} took its place since the preview",
        field="proposal",
        received=str(block),
        rule="a commit does exactly what was shown",
        conflicts=conflicts,
        suggestions=[f"preview again ({free} is free)"] if free else ["preview again"],
    )
