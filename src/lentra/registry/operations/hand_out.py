"""Hand out: subnets for a project in a place and tier, out of one pool or one of its reservations."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, replace
from datetime import timedelta

from lentra.addressing.extents import Extent, State
from lentra.addressing.rules import RuleSheet
from lentra.addressing.special import prefilled_notes
from lentra.registry.drawing import Reserve, require_may_draw, whole_of
from lentra.registry.endings import end_due, free_reservations, note_end
from lentra.registry.errors import NameTaken, StaleProposal, WrongPool
from lentra.registry.ledger import Change
from lentra.registry.models import Pool, Reservation, Subnet, place_key
from lentra.registry.models.subnets import EXTENT_STATE
from lentra.registry.naming import (
    highest_number,
    names_for,
    refuse_taken_subnet_name,
    split_name,
    wanted_stem,
)
from lentra.registry.permissions import require, require_project
from lentra.registry.placing import Taken, take_as_shown, take_place
from lentra.registry.proposals import Shown, seal, unseal
from lentra.registry.queries.find import find
from lentra.registry.queries.target import Target, resolve_target
from lentra.registry.quotas import refuse_over_quota
from lentra.registry.requests import Wanted, check_request, lengths_wanted, pool_for
from lentra.registry.space import DatabaseExtents, lock_pool, open_extents
from lentra.registry.tags import Tags, no_tag, wanted_tag


@dataclass
class HandedOut:
    """What was handed out (or held), why there, and the token of a preview."""

    subnets: list[Subnet]
    why: list[str]
    token: str


def hand_out(change: Change, wanted: Wanted, replaces: Subnet | None = None) -> HandedOut:
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
    require(change.actor, "requester", "ask for a subnet")
    reservation = _reservation(wanted)
    if reservation and wanted.pool is None:
        wanted = replace(wanted, pool=reservation.pool_id)
    target = resolve_target(change.actor, wanted.project, wanted.tier, wanted.zone, wanted.region, wanted.pool)
    require_project(change.actor, target.project, "ask for a subnet", target.member)
    if reservation:
        require_may_draw(change.actor, reservation, target.project, target.tier, wanted.service)
    digest = wanted.digest()
    wanted = _sized_by(reservation, wanted)
    check_request(wanted)
    pool = pool_for(wanted, target)
    _refuse_foreign(reservation, pool)
    sheet = pool.sheet.rules()
    shown = unseal(wanted.proposal, digest) if wanted.proposal else None
    stem = wanted_stem(pool, target, wanted.count, wanted.name)
    spaces, numbers = lock_pool(pool.pk, *([highest_number(pool.realm_id, stem)] if stem else []))
    stores = open_extents(pool, spaces)
    lengths = lengths_wanted(wanted, pool, sheet, stores)
    end_due(change, pool, stores)
    if pool.exposure == "public":
        refuse_over_quota(target.project, lengths, wanted.count)

    subnet_state = "held" if wanted.hold_minutes else "active"
    state = EXTENT_STATE[subnet_state]
    reserve = Reserve(reservation, stores[reservation.family]) if reservation else None
    first_family = min(lengths)
    rooms = {family: wanted.room if family == first_family else 0 for family in lengths}

    def drawn(family: int) -> Reserve | None:
        return reserve if reserve and reserve.store.family == family else None

    if shown:
        names = _names_as_shown(change, pool, shown)
        places = [
            [
                take_as_shown(pool, stores, text, rooms[family], drawn(family), state)
                for text, family in zip(one.blocks, lengths, strict=True)
            ]
            for one in shown
        ]
    else:
        places = [
            [
                take_place(
                    wanted,
                    pool,
                    target,
                    stores[family],
                    length,
                    room=rooms[family],
                    reserve=drawn(family),
                    state=state,
                    explain=change.preview,
                )
                for family, length in lengths.items()
            ]
            for _ in range(wanted.count)
        ]
        highest = numbers[0][0][0] if numbers and numbers[0] else 0
        skip = max(0, change.attempt - 2)  # after clashing again and again with others who number the same stem
        names = names_for(pool, wanted.name, stem, wanted.count, highest + skip, change.now)
    tags = tags_for(change, wanted, sheet, target, names, shown)

    subnets = [
        _new_subnet(change, wanted, pool, target, split_name(name, stem), name, found)
        for name, found in zip(names, places, strict=True)
    ]
    for subnet, tag in zip(subnets, tags, strict=True):
        subnet.state = subnet_state
        subnet.replaces = replaces
        subnet.drawn_from = reservation
        set_tag(subnet, tag, wanted.outer_tag)
        if wanted.hold_minutes:
            subnet.ends_at = change.now + timedelta(minutes=wanted.hold_minutes)
            note_end(stores, subnet.ends_at)
    change.added(subnets, "hold" if wanted.hold_minutes else "hand out", later=True)
    for subnet, found in zip(subnets, places, strict=True):
        own(stores, subnet, found, state)
        for taken in found:
            for text in prefilled_notes(taken.block):
                change.note(text)
    if reservation and reserve and reserve.is_used_up:
        change.batch.send()
        free_reservations(change, [reservation], stores, "use up")
    for store in stores.values():
        store.save(change.batch)
    token = ""
    if change.preview:
        made = [Shown(s.name, [str(b) for b in s.known_blocks or []], s.tag) for s in subnets]
        token = seal(digest, made)
    return HandedOut(subnets, [taken.why for found in places for taken in found], token)


def own(stores: dict[int, DatabaseExtents], subnet: Subnet, taken: Iterable[Taken], state: State) -> None:
    """Make a subnet the owner of blocks and room that were taken for it."""
    for one in taken:
        store = stores[one.block.family]
        store.replace([Extent(one.block, state)], [Extent(one.block, state, subnet.pk)])
        for piece in one.room:
            store.replace([Extent(piece, State.ROOM)], [Extent(piece, State.ROOM, subnet.pk)])


def tags_for(
    change: Change,
    wanted: Wanted,
    sheet: RuleSheet,
    target: Target,
    names: list[str],
    shown: list[Shown] | None = None,
) -> list[int | None]:
    """Segment tags for new subnets: as shown, given, or the next free ones where the rule sheet needs one."""
    given, number = wanted_tag(wanted.tag)
    if wanted.tag is None and sheet.tag_needed:
        given = True
    if sheet.tag_needed and not given:
        raise no_tag(sheet.name, wanted.tag)
    if not given:
        return [None] * len(names)
    place = target.zone or target.region
    tags = Tags(change, place.pk, place.name, wanted.outer_tag)
    asked = [one.tag for one in shown] if shown else [number if n == 0 else None for n in range(len(names))]
    return [tags.take(tag, name) for tag, name in zip(asked, names, strict=True)]


def set_tag(subnet: Subnet, tag: int | None, outer: int) -> None:
    """Set a subnet's segment tag, unique in its zone, or in its region without one."""
    subnet.tag = tag
    subnet.outer_tag = outer if tag is not None else 0
    subnet.tag_scope = (subnet.zone_id or subnet.region_id) if tag is not None else None


def _reservation(wanted: Wanted) -> Reservation | None:
    if wanted.reservation in (None, ""):
        return None
    return find(Reservation, wanted.reservation, "reservation", related=("pool",))


def _sized_by(reservation: Reservation | None, wanted: Wanted) -> Wanted:
    """The request with its size: nothing said of it, all that is left of the reservation."""
    if reservation is None or any(v is not None for v in (wanted.hosts, wanted.length, wanted.prefix)):
        return wanted
    families = wanted.families if reservation.family in wanted.families else [reservation.family]
    return replace(wanted, prefix=str(whole_of(reservation)), families=families)


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
            refuse_taken_subnet_name(pool.realm_id, taken.name, change.now)
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


def _new_subnet(
    change: Change,
    wanted: Wanted,
    pool: Pool,
    target: Target,
    numbering: tuple[str, int],
    name: str,
    found: list[Taken],
) -> Subnet:
    blocks = [taken.block for taken in found]
    subnet = Subnet(
        realm=pool.realm,
        pool=pool,
        project=target.project,
        region=target.region,
        zone=target.zone,
        tier=target.tier,
        name=name,
        name_stem=numbering[0],
        name_number=numbering[1],
        place=place_key(blocks[0]),
        hosts=wanted.hosts,
        growth=wanted.growth,
        purpose=wanted.purpose,
        notes=wanted.notes,
        labels=wanted.labels,
        service=wanted.service,
        gateway=wanted.gateway,
        created_at=change.now,
    )
    subnet.known_blocks = blocks
    subnet.known_room = [piece for taken in found for piece in taken.room]
    return subnet
