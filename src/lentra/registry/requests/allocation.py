"""Allocation: choosing the place of a block in an open pool, and taking it for its owner."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass

from lentra.addressing.avoiding import Avoiding
from lentra.addressing.extents import Extent, ExtentStore, State
from lentra.addressing.growth import carve_with_room
from lentra.addressing.layout import with_room
from lentra.addressing.placement import Place, neighbours_in_words, place, place_beside, place_exact
from lentra.addressing.prefix import Prefix, parse_prefix
from lentra.addressing.refusal import Exhausted, KeptOut, OutsideParent, Overlaps, Refusal
from lentra.registry.errors import Invalid, StaleProposal
from lentra.registry.lookup.find import find
from lentra.registry.lookup.serving import exhausted_in, serving_pools
from lentra.registry.lookup.target import Target
from lentra.registry.models import Pool, Subnet
from lentra.registry.requests.pairing import paired_block
from lentra.registry.requests.request import SubnetRequest, parse_given
from lentra.registry.space.evidence import conflicts_over
from lentra.registry.space.keep_outs import give_way, keep_outs_over
from lentra.registry.space.outside import outside
from lentra.registry.space.reserved import ReservedSpace
from lentra.registry.space.store import DatabaseExtents


@dataclass(frozen=True)
class Allocation:
    """A block that was taken for an owner, the room behind it, and why there."""

    block: Prefix
    room: list[Prefix]
    why: str


class Allocator:
    """Allocates blocks of one request out of an open pool, or out of one of its reservations.

    Args:
        target: who the request is for, for the pools that are named where this one is exhausted.
        rooms: doublings of each family's block that are kept free behind it.
        reserved: the reservation to draw from; its family alone comes out of it.
        state: what the blocks become: handed out, or held.
        explain: say in words what lies on both sides.
    """

    def __init__(
        self,
        request: SubnetRequest,
        pool: Pool,
        target: Target,
        stores: Mapping[int, DatabaseExtents],
        rooms: Mapping[int, int],
        reserved: ReservedSpace | None,
        state: State,
        explain: bool,
    ) -> None:
        self.request = request
        self.pool = pool
        self.target = target
        self.stores = stores
        self.rooms = rooms
        self.reserved = reserved
        self.state = state
        self.explain = explain

    def allocate(self, family: int, length: int, owner: int) -> Allocation:
        """Find a place and take it.

        Raises:
            Exhausted, OutsideParent, Overlaps, KeptOut: with evidence and a way out.
        """
        store, kept = self.stores[family], self._space(family)
        footprint = max(0, length - self.rooms[family])
        away = self._avoided(family)
        space: ExtentStore = Avoiding(kept, away) if away else kept
        found = self._found(store, space, length, footprint)
        why = found.why
        if self.explain:
            why = f"{why}, {neighbours_in_words(space, found.within)}"
        if self.reserved and self.reserved.family == family:
            why += f", out of reservation {self.reserved.reservation.name}"
        if away:
            why += f", away from {', '.join(str(prefix) for prefix in away)}"
        return self._take(space, found, length, owner, why)

    def pair(self, length: int, owner: int, tag: int | None) -> Allocation:
        """Take the IPv6 block that goes with an IPv4 one, as the pool numbers them; where it cannot, one as usual."""
        store, pool = self.stores[6], self.pool
        whole = parse_prefix(pool.numbering_within)
        try:
            block = paired_block(store, whole, length, pool.numbering_v6, tag, "asked for")
        except Invalid:
            return self.allocate(6, length, owner)
        by = f"tag {tag}" if pool.numbering_v6 == "tag" else "the next number"
        return self._take(store, place_exact(store, block), length, owner, f"paired by {by} in {whole}")

    def allocate_as_proposed(self, text: str, owner: int) -> Allocation:
        """Take a block of a proposal, exactly.

        Raises:
            StaleProposal: it is no longer free; says what took its place.
        """
        block = parse_prefix(text)
        space = self._space(block.family)
        footprint = block.enclosing(max(0, block.length - self.rooms[block.family]))
        if self.request.despite_unsure:
            give_way_of(self.stores[block.family], footprint, self.pool.realm_id)
        try:
            found = place_exact(space, footprint)
        except Refusal as refusal:
            raise stale(self.pool, self.stores[block.family], footprint, refusal)
        return self._take(space, found, block.length, owner, "as proposed")

    def _avoided(self, family: int) -> list[Prefix]:
        """What the blocks of a family keep away from."""
        return [
            block
            for text in self.request.away_from
            for block in blocks_meant(text, self.pool, "away_from", family)
        ]

    def _space(self, family: int) -> DatabaseExtents | ReservedSpace:
        if self.reserved and self.reserved.family == family:
            return self.reserved
        return self.stores[family]

    def _found(self, store: DatabaseExtents, space: ExtentStore, length: int, footprint: int) -> Place:
        request, pool = self.request, self.pool
        near = [] if request.beside is None else blocks_meant(request.beside, pool, "beside", store.family)
        try:
            if request.prefix is not None and store.family == request.leading_family:
                return self._exactly(store, space, parse_given(request.prefix, "prefix"), footprint)
            if near:
                return place_beside(space, footprint, near[0])
            return place(space, footprint, request.placement or pool.placement(store.family))
        except Exhausted:
            if self.request.away_from:
                raise Exhausted(
                    f"no /{footprint} is free in pool {pool.name} away from {', '.join(self.request.away_from)}",
                    field="away_from",
                    received=", ".join(self.request.away_from),
                    suggestions=["leave out away_from"],
                )
            if isinstance(space, ReservedSpace):
                raise space.nothing_left(footprint)
            raise exhausted_in(store.space, pool, footprint, self._others(store.family, footprint))

    def _exactly(self, store: DatabaseExtents, space: ExtentStore, block: Prefix, footprint: int) -> Place:
        whole = block.enclosing(footprint)
        if whole.first != block.first:
            room = self.rooms[store.family]
            raise Invalid(
                f"{block} cannot keep {room} doublings behind it: it is not the first part of {whole}",
                field="room",
                received=room,
                suggestions=["0", f"prefix {whole.child(block.length, 0)}"],
            )
        if store.range_of(whole) is None:
            raise outside(self.pool, whole)
        if self.request.despite_unsure:
            give_way_of(store, whole, self.pool.realm_id)
        try:
            return place_exact(space, whole)
        except OutsideParent as refusal:  # of the reservation
            raise space.nothing_left(whole.length) if isinstance(space, ReservedSpace) else refusal.about("prefix")
        except Overlaps as refusal:
            raise naming_owner(refusal, store, self.pool, whole, lambda: self._others(store.family, whole.length))

    def _others(self, family: int, length: int) -> list[Pool]:
        target = self.target
        return serving_pools(
            family, length, zone=target.zone, region=target.region, project=target.project, realm=self.pool.realm
        )

    def _take(self, space: ExtentStore, found: Place, length: int, owner: int, why: str) -> Allocation:
        laid = with_room("", found.block, length)
        carve_with_room(space, laid.block, laid.room, self.state, owner, Extent(found.within))
        return Allocation(laid.block, laid.room, why)


def naming_owner(
    refusal: Overlaps, store: DatabaseExtents, pool: Pool, block: Prefix, others: Callable[[], Sequence[Pool]]
) -> Refusal:
    """A refusal of an exact prefix, with who has it and what is free instead.

    Args:
        others: pools that may serve as well.
    """
    conflicts = conflicts_over(pool.realm_id, block) or refusal.conflicts
    first = conflicts[0]
    message = None
    if owner := first.get("owner"):
        where = first.get("zone") or first.get("region")
        place_words = f" in {where}, tier {first['tier']}" if where else ""
        message = (
            f"{block} is not free: {first['range']} is {first['state']}, {owner}{place_words}, "
            f"{first['addresses']:,} addresses shared"
        )
    free = something_free(store, block.length, pool)
    suggestions: list[object] = [free] if free else []
    if free is None:
        suggestions += [f"pool {other.name}" for other in others()[:5]]
    if isinstance(refusal, KeptOut):
        over = keep_outs_over(pool.realm_id, block.family, block.first, block.last)
        if over and all(keep_out.certainty != "certain" for keep_out in over):
            message = (
                f"{block} is {over[0].certainty} to be used elsewhere: {over[0].range_text}, {over[0].reason}"
            )
            suggestions.append("despite_unsure: true")
    if first.get("reservation"):
        suggestions.append(f"reservation: {first['owner']}")
    return refusal.with_(message=message, conflicts=conflicts, suggestions=suggestions).about("prefix")


def something_free(store: DatabaseExtents, length: int, pool: Pool) -> Prefix | None:
    """A block of the length that the pool has free, as its placement finds it; None if there is none."""
    try:
        return place(store, length, pool.placement(store.family)).block
    except Exhausted:
        return None


def give_way_of(store: DatabaseExtents, block: Prefix, realm: int) -> None:
    """Take a block out of keep-outs, if all that are over it are likely or unsure."""
    over = keep_outs_over(realm, block.family, block.first, block.last)
    if over and all(keep_out.certainty != "certain" for keep_out in over):
        give_way(store, block)


def stale(pool: Pool, store: DatabaseExtents, block: Prefix, refusal: Refusal) -> StaleProposal:
    """The refusal of a proposal whose block is no longer free."""
    conflicts = conflicts_over(pool.realm_id, block) or refusal.conflicts
    taken = conflicts[0].get("owner") or conflicts[0].get("state") if conflicts else "something else"
    free = something_free(store, block.length, pool)
    return StaleProposal(
        f"{block} is no longer free: {taken} took its place since the preview",
        field="proposal",
        received=str(block),
        rule="a commit does exactly what was shown",
        conflicts=conflicts,
        suggestions=[f"preview again ({free} is free)"] if free else ["preview again"],
    )


def blocks_meant(text: str, pool: Pool, field: str, family: int) -> list[Prefix]:
    """A prefix, or the blocks of a subnet, as far as they are of the family."""
    if "/" in text and (text[0].isdigit() or ":" in text):
        blocks = [parse_given(text, field)]
    else:
        in_realm = text if ":" in text or text.isdigit() else f"{pool.realm.name}:{text}"
        blocks = find(Subnet, in_realm, field).blocks()
    return [block for block in blocks if block.family == family]
