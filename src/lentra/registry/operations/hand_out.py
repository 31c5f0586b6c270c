"""Hand out: subnets for a project in a place and tier, out of one pool."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from lentra.addressing.extents import Extent, State
from lentra.addressing.prefix import Prefix
from lentra.addressing.special import prefilled_notes
from lentra.registry.errors import NameTaken, StaleProposal
from lentra.registry.ledger import Change
from lentra.registry.models import Pool, Subnet, place_key
from lentra.registry.naming import (
    highest_number,
    names_for,
    refuse_taken_subnet_name,
    split_name,
    wanted_stem,
)
from lentra.registry.operations.give_back import end_due_cooling
from lentra.registry.permissions import require, require_project
from lentra.registry.placing import take_as_shown, take_place
from lentra.registry.proposals import Shown, seal, unseal
from lentra.registry.queries.target import Target, resolve_target
from lentra.registry.requests import Wanted, check_request, lengths_wanted, pool_for
from lentra.registry.space import lock_pool, open_extents


@dataclass
class HandedOut:
    """What was handed out, why there, and the token of a preview."""

    subnets: list[Subnet]
    why: list[str]
    token: str


def hand_out(change: Change, wanted: Wanted) -> HandedOut:
    """Hand out blocks, or say exactly why not.

    Raises:
        UnknownName, Invalid, ZoneNotInRegion, WrongPool: the request does not make sense.
        NotAllowed: neither planner nor requester of the project.
        LengthOutOfBounds, HostsDoNotFit, WrongFamily, NeedsIpv4: the rule sheet or the pool says no.
        Exhausted, OutsideParent, Overlaps, KeptOut: there is no such space.
        NameTaken: a living or cooling subnet has the name.
        StaleProposal: what the preview showed is no longer possible.
    """
    require(change.actor, "requester", "ask for a subnet")
    check_request(wanted)
    target = resolve_target(change.actor, wanted.project, wanted.tier, wanted.zone, wanted.region, wanted.pool)
    require_project(change.actor, target.project, "ask for a subnet", target.member)
    pool = pool_for(wanted, target)
    sheet = pool.sheet.rules()
    shown = unseal(wanted.proposal, wanted.digest()) if wanted.proposal else None
    stem = wanted_stem(pool, target, wanted.count, wanted.name)
    spaces, numbers = lock_pool(pool.pk, *([highest_number(pool.realm_id, stem)] if stem else []))
    stores = open_extents(pool, spaces)
    lengths = lengths_wanted(wanted, pool, sheet, stores)
    end_due_cooling(change, pool, stores)

    if shown:
        names = _names_as_shown(pool, shown)
        places = [[take_as_shown(pool, stores, text) for text in one.blocks] for one in shown]
    else:
        places = [
            [
                take_place(wanted, pool, target, stores[family], length, change.preview)
                for family, length in lengths.items()
            ]
            for _ in range(wanted.count)
        ]
        highest = numbers[0][0][0] if numbers and numbers[0] else 0
        skip = max(0, change.attempt - 2)  # after clashing again and again with others who number the same stem
        names = names_for(pool, wanted.name, stem, wanted.count, highest + skip)

    subnets = [
        _new_subnet(change, wanted, pool, target, split_name(name, stem), name, [p.block for p in found])
        for name, found in zip(names, places, strict=True)
    ]
    change.added(subnets, "hand out", later=True)
    for subnet in subnets:
        for block in subnet.known_blocks or []:
            stores[block.family].replace(
                [Extent(block, State.HANDED_OUT)], [Extent(block, State.HANDED_OUT, subnet.pk)]
            )
            for text in prefilled_notes(block):
                change.note(text)
    for family in lengths:
        stores[family].save(change.batch)
    if sheet.tag_needed:
        change.note(f"rule sheet {sheet.name} wants a segment tag on every subnet")
    token = ""
    if change.preview:
        made = [Shown(s.name, [str(b) for b in s.known_blocks or []]) for s in subnets]
        token = seal(wanted.digest(), made)
    return HandedOut(subnets, [p.why for found in places for p in found], token)


def _names_as_shown(pool: Pool, shown: Iterable[Shown]) -> list[str]:
    names = [one.name for one in shown]
    taken = Subnet.objects.filter(realm_id=pool.realm_id, name__in=names).first()
    if taken:
        try:
            refuse_taken_subnet_name(pool.realm_id, taken.name)
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
    blocks: list[Prefix],
) -> Subnet:
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
        created_at=change.now,
    )
    subnet.known_blocks = blocks
    return subnet
