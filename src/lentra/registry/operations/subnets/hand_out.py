"""Hand out: subnets for a project in a place and tier, out of one pool or one of its reservations."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

from lentra.addressing.extents import State
from lentra.addressing.refusal import Exhausted, Refusal
from lentra.addressing.rules import RuleSheet
from lentra.addressing.special import prefilled_notes
from lentra.registry.errors import NameTaken, StaleProposal, WrongPool
from lentra.registry.lookup.find import find
from lentra.registry.lookup.target import Target, resolve_target
from lentra.registry.models import Pool, Reservation, Subnet, place_key
from lentra.registry.models.subnets import EXTENT_STATE
from lentra.registry.requests.allocation import Allocation, Allocator
from lentra.registry.requests.request import SubnetRequest, check_request, lengths_wanted, likely_length, pool_for
from lentra.registry.rules.drawing import require_may_draw
from lentra.registry.rules.names import (
    highest_number,
    names_for,
    refuse_taken_subnet_name,
    split_name,
    wanted_stem,
)
from lentra.registry.rules.permissions import require, require_project
from lentra.registry.rules.quotas import Take, refuse_over_quota
from lentra.registry.rules.tags import Tags, no_tag, wanted_tag
from lentra.registry.rules.zone_limits import refuse_more_zones
from lentra.registry.space.expiry import free_reservations
from lentra.registry.space.keep_outs import keep_outs_over
from lentra.registry.space.keeping import prepare
from lentra.registry.space.locking import Families, open_pool, refuse_old_rules
from lentra.registry.space.reserved import ReservedSpace, whole_of
from lentra.registry.transactions.change import Change
from lentra.registry.transactions.locks import lock
from lentra.registry.transactions.proposals import Shown, seal, unseal


@dataclass
class HandedOut:
    """What was handed out (or held), why there, and the token of a preview."""

    subnets: list[Subnet]
    why: list[str]
    token: str


@dataclass(frozen=True)
class _Order:
    """A request that makes sense: for whom, where, out of what, and what a preview showed of it."""

    request: SubnetRequest
    target: Target
    pool: Pool
    sheet: RuleSheet
    reservation: Reservation | None
    stem: str | None
    shown: list[Shown] | None
    digest: str
    replaces: Subnet | None

    @property
    def state(self) -> str:
        """The state that its subnets begin in."""
        return "held" if self.request.hold_minutes or self.request.held_until else "active"


@dataclass(frozen=True)
class _Chosen:
    """What each subnet of an order gets: its number, name, blocks and segment tag."""

    numbers: list[int]
    names: list[str]
    blocks: list[list[Allocation]]
    tags: list[int | None]


def hand_out(change: Change, request: SubnetRequest, replaces: Subnet | None = None) -> HandedOut:
    """Hand out blocks, or say exactly why not.

    Args:
        replaces: the subnet that the new one is to take the place of.

    Raises:
        UnknownName, Invalid, ZoneNotInRegion, WrongPool: the request does not make sense.
        NotAllowed: neither planner nor requester of the project, or not one who may draw from the reservation.
        LengthOutOfBounds, HostsDoNotFit, WrongFamily, NeedsIpv4: the rule sheet or the pool says no.
        Exhausted, OutsideParent, Overlaps, KeptOut: there is no such space.
        KeptForService: the reservation is kept for another service.
        NameTaken, TagTaken, QuotaReached: what is asked for is taken or used up.
        StaleProposal: what the preview showed is no longer possible.
    """
    order = _read(change, request, replaces)
    naming = [highest_number(order.pool.realm_id, order.stem)] if order.stem else []
    with open_pool(change, order.pool.pk, *naming, numbers=order.request.count, snug=_snug(order), later=True) as (
        stores,
        rows,
    ):
        refuse_old_rules(order.pool, stores)
        chosen = _choose(change, order, stores, rows[0][0][0] if rows and rows[0] else 0)
        return _record(change, order, chosen, stores)


def _read(change: Change, request: SubnetRequest, replaces: Subnet | None) -> _Order:
    require(change.actor, "requester", "ask for a subnet")
    reservation = _reservation(request)
    if reservation and request.pool is None:
        request = replace(request, pool=reservation.pool_id)
    target = resolve_target(change, request.project, request.tier, request.zone, request.region, request.pool)
    require_project(change.actor, target.project, "ask for a subnet", target.member)
    if reservation:
        require_may_draw(change.actor, reservation, target.project, target.tier, request.service)
    digest = request.digest() if change.preview or request.proposal else ""
    request = _sized_by(reservation, request)
    check_request(request)
    pool = pool_for(request, target)
    _refuse_foreign(reservation, pool)
    shown = unseal(request.proposal, digest) if request.proposal else _promised(change, request.count)
    stem = wanted_stem(pool, target, request.count, request.name)
    return _Order(request, target, pool, pool.sheet.rules(), reservation, stem, shown, digest, replaces)


def _snug(order: _Order) -> tuple[int, int] | None:
    """Family and length of the block that is going to be looked for first, if it is the snuggest place that is wanted."""
    request, family = order.request, order.request.leading_family
    elsewhere = request.prefix or request.beside or request.away_from or order.reservation or order.shown
    if elsewhere or (request.placement or order.pool.placement(family)) != "snug":
        return None
    try:
        length = likely_length(request, order.sheet)
    except Refusal:
        return None
    return family, max(0, length - request.room)


def _promised(change: Change, count: int) -> list[Shown] | None:
    """What a preview of a larger change has shown of the subnets."""
    facts = [one for _ in range(count) if (one := change.shown(Subnet.KIND))]
    return [Shown(one["name"], one["blocks"], one.get("tag")) for one in facts] or None


def _choose(change: Change, order: _Order, stores: Families, highest: int) -> _Chosen:
    """Take the blocks, and choose names and tags, under the pool's lock: as shown, or anew."""
    request, pool = order.request, order.pool
    lengths = lengths_wanted(request, pool, order.sheet, stores)
    target = order.target
    if target.zone is not None and target.region.zones_per_project is not None:
        refuse_more_zones(change, target.project, target.region, [target.zone])
    if target.limited:
        refuse_over_quota(change, target.project, [_taken(order, lengths)])
    reserved = None
    if order.reservation:
        reserved = ReservedSpace(stores[order.reservation.family], order.reservation)
    rooms = {family: request.room if family == min(lengths) else 0 for family in lengths}
    state = EXTENT_STATE[order.state]
    allocator = Allocator(request, pool, order.target, stores, rooms, reserved, state, change.preview)
    numbers = list(change.numbers(request.count))
    if order.shown:
        names = _names_as_shown(change, pool, order.shown)
        blocks = [
            [allocator.allocate_as_proposed(text, owner) for text in one.blocks]
            for one, owner in zip(order.shown, numbers, strict=True)
        ]
        tags = _tags(change, order, names)
    elif pool.numbering_v6 and len(lengths) > 1:
        names = _names(change, order, highest)
        tags = _tags(change, order, names)
        blocks = _allocate(allocator, lengths, numbers, tags)
    else:
        blocks = _allocate(allocator, lengths, numbers)
        names = _names(change, order, highest)
        tags = _tags(change, order, names)
    return _Chosen(numbers, names, blocks, tags)


def _taken(order: _Order, lengths: Mapping[int, int]) -> Take:
    """What an order takes, as quotas count it."""
    count, tag = order.request.count, order.request.tag
    tags = count if order.sheet.tag_needed or tag not in (None, "none") else 0
    blocks = [*lengths.items()] * count
    return Take(order.pool, order.target.region.pk, blocks, subnets=count, tags=tags)


def _names(change: Change, order: _Order, highest: int) -> list[str]:
    """Names for the subnets, after the highest number that their stem has."""
    skip = max(0, change.attempt - 2)  # after clashing again and again with others who number the same stem
    request = order.request
    return names_for(change, order.pool, order.target, request.name, order.stem, request.count, highest + skip)


def _allocate(
    allocator: Allocator, lengths: Mapping[int, int], numbers: Sequence[int], tags: Sequence[int | None] = ()
) -> list[list[Allocation]]:
    """Blocks for each subnet, anew; where they do not all fit, it is told how many do.

    Args:
        tags: each subnet's, where its IPv6 block is paired with its IPv4 one.
    """
    blocks: list[list[Allocation]] = []
    try:
        for n, owner in enumerate(numbers):
            paired = {6: tags[n]} if tags else {}
            blocks.append(
                [
                    allocator.pair(length, owner, paired[family])
                    if family in paired
                    else allocator.allocate(family, length, owner)
                    for family, length in lengths.items()
                ]
            )
    except Exhausted as refusal:
        if not blocks:
            raise
        of = " and ".join(f"/{length}" for length in lengths.values())
        message = f"{len(blocks)} × {of} fit, {len(numbers)} are asked for: {refusal.message}"
        raise refusal.with_(message=message, suggestions=[f"count: {len(blocks)}", *refusal.suggestions])
    return blocks


def _record(change: Change, order: _Order, chosen: _Chosen, stores: Families) -> HandedOut:
    """Enter the subnets; what was taken for them is saved with the pool."""
    rows = zip(chosen.numbers, chosen.names, chosen.blocks, chosen.tags, strict=True)
    subnets = [_subnet(change, order, *row) for row in rows]
    change.added(subnets, "hold" if order.state == "held" else "hand out", later=True)
    if order.request.despite_unsure:
        _note_keep_outs(change, order.pool, subnets)
    for subnet in subnets:
        if subnet.ends_at:
            for store in stores.values():
                store.due(subnet.ends_at)
        for block in subnet.known_blocks or []:
            for text in prefilled_notes(block):
                change.note(text)
    reservation = order.reservation
    if reservation and not ReservedSpace(stores[reservation.family], reservation).left:
        change.batch.send()
        free_reservations(change, [lock(Reservation, reservation.pk)], {order.pool.pk: stores}, "use up")
    note_last(change, order.pool, stores)
    token = ""
    if change.preview:
        made = [
            Shown(
                subnet.name,
                [str(block) for block in subnet.known_blocks or []],
                subnet.tag,
                [a.why for a in found],
            )
            for subnet, found in zip(subnets, chosen.blocks, strict=True)
        ]
        token = seal(order.digest, made)
    why = [words for one in order.shown for words in one.why] if order.shown else []
    return HandedOut(subnets, why or [taken.why for found in chosen.blocks for taken in found], token)


def _note_keep_outs(change: Change, pool: Pool, subnets: Sequence[Subnet]) -> None:
    """Note what is said of blocks that were taken although they may be used elsewhere."""
    for subnet in subnets:
        for block in subnet.known_blocks or []:
            for over in keep_outs_over(pool.realm_id, block.family, block.first, block.last):
                change.note(f"{block} is {over.certainty} to be used elsewhere: {over.range_text}, {over.reason}")


def note_last(change: Change, pool: Pool, stores: Mapping[int, Any]) -> None:
    """Note that a pool has nothing left after this."""
    for family, store in stores.items():
        if not store.free_counts():
            change.note(
                f"pool {pool.name} has no IPv{family} left afterwards: the next request there is refused until a range "
                "is added or something is given back"
            )


def new_subnet(realm: Any, pool: Pool, target: Target, blocks: Sequence[Allocation], **values: Any) -> Subnet:
    """A subnet with its blocks and room, not yet stored."""
    subnet = Subnet(
        realm=realm,
        pool=pool,
        project=target.project,
        region=target.region,
        zone=target.zone,
        tier=target.tier,
        place=place_key(blocks[0].block),
        **values,
    )
    subnet.known_blocks = [taken.block for taken in blocks]
    subnet.known_room = [piece for taken in blocks for piece in taken.room]
    return subnet


def count_in(subnet: Subnet, pools: Mapping[int, int]) -> None:
    """Have what follows from a new subnet known before it is stored.

    Args:
        pools: number of the pool that its space of each family comes out of.
    """
    own = EXTENT_STATE[subnet.state]
    pieces = [(pools[block.family], block, own) for block in subnet.known_blocks or []]
    room = [(pools[piece.family], piece, State.ROOM) for piece in subnet.known_room or []]
    prepare(subnet, [*pieces, *room])


def set_tag(subnet: Subnet, tag: int | None, outer: int) -> None:
    """Set a subnet's segment tag, unique in its zone, or in its region without one."""
    subnet.tag = tag
    subnet.outer_tag = outer if tag is not None else 0
    subnet.tag_scope = (subnet.zone_id or subnet.region_id) if tag is not None else None


def _subnet(
    change: Change, order: _Order, number: int, name: str, blocks: list[Allocation], tag: int | None
) -> Subnet:
    request = order.request
    stem, name_number = split_name(name, order.stem, [taken.block.length for taken in blocks])
    subnet = new_subnet(
        order.pool.realm,
        order.pool,
        order.target,
        blocks,
        id=number,
        name=name,
        name_stem=stem,
        name_number=name_number,
        state=order.state,
        hosts=request.hosts,
        growth=request.growth,
        purpose=request.purpose,
        notes=request.notes,
        labels=request.labels,
        service=request.service,
        gateway=request.gateway or order.sheet.gateway,
        created_at=change.now,
        ends_at=request.ends_at(change.now),
        replaces=order.replaces,
        drawn_from=order.reservation,
    )
    set_tag(subnet, tag, request.outer_tag)
    count_in(subnet, {4: order.pool.pk, 6: order.pool.pk})
    return subnet


def _tags(change: Change, order: _Order, names: list[str]) -> list[int | None]:
    """Segment tags: as shown, given, or the next free ones where the rule sheet needs one."""
    request, sheet, target = order.request, order.sheet, order.target
    given, number = wanted_tag(request.tag)
    if request.tag is None and sheet.tag_needed:
        given = True
    if sheet.tag_needed and not given:
        raise no_tag(sheet.name, request.tag)
    if not given:
        return [None] * len(names)
    place = target.zone or target.region
    tags = Tags(change, place, request.outer_tag)
    asked = [number if n == 0 else None for n in range(len(names))]
    if order.shown:
        asked = [one.tag for one in order.shown]
    return [tags.take(tag, name, tier=target.tier) for tag, name in zip(asked, names, strict=True)]


def _reservation(request: SubnetRequest) -> Reservation | None:
    if request.reservation in (None, ""):
        return None
    return find(Reservation, request.reservation, "reservation", related=("pool",))


def _sized_by(reservation: Reservation | None, request: SubnetRequest) -> SubnetRequest:
    """The request with its size: nothing said of it, all that is left of the reservation."""
    if reservation is None or any(v is not None for v in (request.hosts, request.length, request.prefix)):
        return request
    families = request.families if reservation.family in request.families else [reservation.family]
    return replace(request, prefix=str(whole_of(reservation)), families=families)


def _refuse_foreign(reservation: Reservation | None, pool: Pool) -> None:
    if reservation and reservation.pool_id != pool.pk:
        raise WrongPool(
            f"reservation {reservation.name} is in pool {reservation.pool.name}, not {pool.name}",
            field="pool",
            received=pool.name,
            suggestions=[reservation.pool.name],
        )


def _names_as_shown(change: Change, pool: Pool, shown: Iterable[Shown]) -> list[str]:
    names = [one.name for one in shown]
    taken = Subnet.objects.filter(realm_id=pool.realm_id, name__in=names).first()
    if taken:
        try:
            refuse_taken_subnet_name(change, pool.realm_id, taken.name)
        except NameTaken as refusal:
            raise StaleProposal(
                f"since the preview, {refusal.message}",
                field="proposal",
                received=taken.name,
                rule="a commit does exactly what was shown",
                conflicts=refusal.conflicts,
                suggestions=["preview again"],
            )
    return names
