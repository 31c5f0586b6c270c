"""Finding the place of a block in a locked pool, and taking it."""

from __future__ import annotations

from lentra.addressing.extents import State, carve
from lentra.addressing.placement import Place, neighbours_in_words, place, place_beside, place_exact
from lentra.addressing.prefix import Prefix, parse_prefix
from lentra.addressing.refusal import Exhausted, Overlaps, Refusal
from lentra.registry.errors import StaleProposal
from lentra.registry.models import Pool, Subnet
from lentra.registry.queries.find import find
from lentra.registry.queries.outside import outside
from lentra.registry.queries.serving import exhausted_in, serving_pools
from lentra.registry.queries.target import Target
from lentra.registry.queries.whereabouts import conflicts_over
from lentra.registry.requests import Wanted, parse_given
from lentra.registry.space import DatabaseExtents


def take_place(
    wanted: Wanted, pool: Pool, target: Target, store: DatabaseExtents, length: int, explain: bool
) -> Place:
    """Find a place and take it, as a block without an owner yet.

    Args:
        explain: say in words what lies on both sides.

    Raises:
        Exhausted, OutsideParent, Overlaps, KeptOut: with evidence and a way out.
    """
    beside = _beside(wanted.beside, pool, store.family) if wanted.beside is not None else None
    try:
        if wanted.prefix is not None and store.family == wanted.families[0]:
            found = _exactly(pool, store, parse_given(wanted.prefix, "prefix"))
        elif beside is not None:
            found = place_beside(store, length, beside)
        else:
            found = place(store, length, wanted.placement or pool.placement(store.family))
    except Exhausted:
        others = serving_pools(
            store.family,
            length,
            zone=target.zone,
            region=target.region,
            project=target.project,
            realm=pool.realm,
        )
        raise exhausted_in(store.space, pool, length, others)
    if explain:
        found = Place(found.block, found.within, f"{found.why}, {neighbours_in_words(store, found.within)}")
    carve(store, found.block, State.HANDED_OUT, None, found.within)
    return found


def _exactly(pool: Pool, store: DatabaseExtents, block: Prefix) -> Place:
    if store.range_of(block) is None:
        raise outside(pool, block)
    try:
        return place_exact(store, block)
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


def take_as_shown(pool: Pool, stores: dict[int, DatabaseExtents], text: str) -> Place:
    """Take a block of a proposal, exactly.

    Raises:
        StaleProposal: it is no longer free; says what took its place.
    """
    block = parse_prefix(text)
    store = stores[block.family]
    try:
        found = place_exact(store, block)
    except Refusal as refusal:
        conflicts = conflicts_over(pool.realm_id, block) or refusal.conflicts
        taken = conflicts[0].get("owner") or conflicts[0].get("state") if conflicts else "something else"
        free = _something_free(store, block.length, pool)
        raise StaleProposal(
            f"{block} is no longer free: {taken} took its place since the preview",
            field="proposal",
            received=text,
            rule="a commit does exactly what was shown",
            conflicts=conflicts,
            suggestions=[f"preview again ({free} is free)"] if free else ["preview again"],
        )
    carve(store, block, State.HANDED_OUT, None, found.within)
    return Place(block, found.within, "as proposed")
