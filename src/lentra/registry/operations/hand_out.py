"""Hand out: subnets for a project in a place and tier, out of one pool."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Iterable
from dataclasses import asdict, dataclass, field
from typing import Any

from lentra.addressing.extents import Extent, State, carve
from lentra.addressing.placement import Place, neighbours_in_words, place, place_beside, place_exact
from lentra.addressing.prefix import BITS, Prefix, parse_prefix
from lentra.addressing.refusal import (
    Exhausted,
    HostsDoNotFit,
    LengthOutOfBounds,
    Overlaps,
    Refusal,
    WrongFamily,
)
from lentra.addressing.rules import RuleSheet, span
from lentra.addressing.sizing import size_by_hosts
from lentra.addressing.special import prefilled_notes
from lentra.registry.errors import Invalid, NameTaken, NeedsIpv4, StaleProposal, WrongPool
from lentra.registry.ledger import Change
from lentra.registry.models import Pool, Subnet, place_key
from lentra.registry.naming import names_for, split_name
from lentra.registry.operations.give_back import end_due_cooling
from lentra.registry.permissions import require, require_project
from lentra.registry.proposals import Shown, seal, unseal
from lentra.registry.queries.find import find
from lentra.registry.queries.outside import outside
from lentra.registry.queries.serving import exhausted_in, serving_pools
from lentra.registry.queries.target import Target, resolve_target
from lentra.registry.queries.whereabouts import conflicts_over
from lentra.registry.space import DatabaseExtents, lock_spaces, open_extents

MOST_AT_ONCE = 256


@dataclass
class Wanted:
    """A request. References are names or numbers; lengths and hosts are per subnet.

    Give `hosts` (with `growth` in percent), `length`, or `prefix` (exactly this block). With both families
    asked for, these speak of IPv4, and the IPv6 block has the longest length that the rule sheet allows.
    """

    pool: Any
    project: Any
    tier: Any
    zone: Any = None
    region: Any = None
    families: list[int] = field(default_factory=lambda: [4])
    hosts: int | None = None
    growth: int = 0
    length: int | None = None
    prefix: str | None = None
    count: int = 1
    placement: str | None = None
    beside: str | None = None
    name: str | None = None
    purpose: str = ""
    notes: str = ""
    labels: dict[str, str] = field(default_factory=dict)
    proposal: str | None = None

    def digest(self) -> str:
        """Tells two requests apart, the proposal aside."""
        values = asdict(self) | {"proposal": None}
        return hashlib.sha256(json.dumps(values, sort_keys=True, default=str).encode()).hexdigest()


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
    _check_request(wanted)
    target = resolve_target(change.actor, wanted.project, wanted.tier, wanted.zone, wanted.region, wanted.pool)
    require_project(change.actor, target.project, "ask for a subnet", target.member)
    pool = _pool_for(wanted, target)
    sheet = pool.sheet.rules()
    shown = unseal(wanted.proposal, wanted.digest()) if wanted.proposal else None
    spaces = lock_spaces([pool.pk])
    stores = open_extents(pool, spaces)
    lengths = _lengths(wanted, pool, sheet, stores)
    end_due_cooling(change, pool, stores)

    if shown:
        names = _names_as_shown(pool, target, shown)
        places = [[_as_shown(pool, stores, text) for text in one.blocks] for one in shown]
    else:
        places = [
            [
                _find_place(wanted, pool, target, stores[family], length, change.preview)
                for family, length in lengths.items()
            ]
            for _ in range(wanted.count)
        ]
        names = names_for(pool, target, wanted.count, wanted.name, change.attempt)

    subnets = [
        _new_subnet(change, wanted, pool, target, name, [p.block for p in found])
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


# --- checks --------------------------------------------------------------------------------------------


def _check_request(wanted: Wanted) -> None:
    if not 1 <= wanted.count <= MOST_AT_ONCE:
        raise Invalid(
            f"{wanted.count} subnets at once: 1 to {MOST_AT_ONCE}",
            field="count",
            received=wanted.count,
            suggestions=[max(1, min(wanted.count, MOST_AT_ONCE))],
        )
    if not wanted.families or set(wanted.families) - {4, 6}:
        raise Invalid("families are 4, 6 or both", field="families", suggestions=["[4]", "[6]", "[4, 6]"])
    sized = [name for name in ("hosts", "length", "prefix") if getattr(wanted, name) is not None]
    if not sized and 4 in wanted.families:
        raise Invalid(
            "say how much: a number of hosts, a length, or an exact prefix",
            field="hosts",
            suggestions=["hosts: 180", "length: 23"],
        )
    if wanted.prefix is not None and wanted.count > 1:
        raise Invalid("one prefix is one block: leave out count, or give a length", field="count")
    if wanted.prefix is not None and wanted.beside is not None:
        raise Invalid("give a prefix or what to be beside of, not both", field="beside")


def _pool_for(wanted: Wanted, target: Target) -> Pool:
    """The pool asked for, if it serves this project and place."""
    family = wanted.families[0]
    pool = target.pool
    if pool is None:
        options = serving_pools(
            family, wanted.length, zone=target.zone, region=target.region, project=target.project
        )
        raise Invalid(
            "say which pool: " + (", ".join(p.name for p in options[:8]) or "none serves this place yet"),
            field="pool",
            suggestions=[p.name for p in options[:8]],
        )
    wrong = None
    if pool.project_id is not None and pool.project_id != target.project.pk:
        wrong = f"pool {pool.name} belongs to another project"
    elif pool.zone_id is not None and (target.zone is None or pool.zone_id != target.zone.pk):
        wrong = f"pool {pool.name} serves another zone"
    elif pool.region_id is not None and pool.region_id != target.region.pk:
        wrong = f"pool {pool.name} serves another region"
    if wrong:
        options = serving_pools(
            family, wanted.length, zone=target.zone, region=target.region, project=target.project
        )
        raise WrongPool(
            f"{wrong}, not {target.project.name} in {target.zone.name if target.zone else target.region.name}",
            field="pool",
            received=pool.name,
            rule="a pool with a zone, region or project serves that alone",
            suggestions=[p.name for p in options[:8]],
        )
    return pool


def _lengths(wanted: Wanted, pool: Pool, sheet: RuleSheet, stores: dict[int, DatabaseExtents]) -> dict[int, int]:
    """The length to hand out per family, within the bounds of rule sheet and pool."""
    families = sorted(set(wanted.families))
    for family in families:
        if family not in stores:
            raise WrongFamily(
                f"pool {pool.name} has no IPv{family} range: add one first, or ask another pool",
                field="families",
                received=family,
                suggestions=[str(f) for f in stores],
            )
    if families == [6] and sheet.ipv6_needs_ipv4:
        raise NeedsIpv4(
            f"rule sheet {sheet.name} of pool {pool.name} wants IPv4 beside IPv6: ask for both families",
            field="families",
            received=[6],
            rule=f"{sheet.name}: IPv6 needs IPv4",
            suggestions=["[4, 6]"],
        )
    lengths = {}
    for family in families:
        if family == families[0]:
            lengths[family] = _leading_length(wanted, sheet, family)
        else:
            lengths[family] = sheet.family(family).longest
    if 4 in lengths:
        _check_pool_bounds(pool, lengths[4])
    return lengths


def _leading_length(wanted: Wanted, sheet: RuleSheet, family: int) -> int:
    length = wanted.length
    if wanted.prefix is not None:
        length = _parse(wanted.prefix, "prefix", family).length
        if wanted.length not in (None, length):
            raise Invalid(
                f"prefix {wanted.prefix} is a /{length}, length says /{wanted.length}: leave one out",
                field="length",
                suggestions=[length],
            )
    try:
        if wanted.hosts is not None:
            return size_by_hosts(wanted.hosts, sheet, growth=wanted.growth, length=length, family=family).length
        if length is None:
            length = sheet.family(family).longest
        if not 0 <= length <= BITS[family]:
            raise LengthOutOfBounds(
                f"/{length} is no IPv{family} prefix length: 0 to {BITS[family]}",
                field="length",
                received=length,
                suggestions=[f"/{sheet.family(family).longest}"],
            )
        sheet.check_subnet_length(family, length)
    except (HostsDoNotFit, LengthOutOfBounds) as refusal:
        if wanted.prefix is not None and refusal.field == "length":
            refusal.field = "prefix"
        raise
    return length


def _check_pool_bounds(pool: Pool, length: int) -> None:
    low, high = pool.shortest_v4 or 0, pool.longest_v4 or 32
    if not low <= length <= high:
        raise LengthOutOfBounds(
            f"/{length} is out of bounds: pool {pool.name} hands out {span(low, high)}",
            field="length",
            received=f"/{length}",
            rule=f"pool {pool.name}: {span(low, high)}",
            suggestions=[f"/{low if length < low else high}"],
        )


def _parse(text: str, field_name: str, family: int | None = None) -> Prefix:
    try:
        return parse_prefix(text, family=family)
    except Refusal as refusal:
        raise refusal.about(field_name)


# --- places --------------------------------------------------------------------------------------------


def _find_place(
    wanted: Wanted, pool: Pool, target: Target, store: DatabaseExtents, length: int, explain: bool
) -> Place:
    """Find a place and take it, as a block without an owner yet."""
    try:
        if wanted.prefix is not None and store.family == wanted.families[0]:
            found = _exactly(pool, store, _parse(wanted.prefix, "prefix"))
        elif wanted.beside is not None and store.family == (beside := _beside(wanted, pool)).family:
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


def _beside(wanted: Wanted, pool: Pool) -> Prefix:
    """What to be beside of: a prefix, or the name of a subnet."""
    text = str(wanted.beside)
    if "/" in text and (text[0].isdigit() or ":" in text):
        return _parse(text, "beside")
    subnet = find(Subnet, text, "beside")
    return next(b for b in subnet.blocks() if b.family == wanted.families[0])


def _as_shown(pool: Pool, stores: dict[int, DatabaseExtents], text: str) -> Place:
    """A block of a proposal, exactly, or what took its place."""
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


def _names_as_shown(pool: Pool, target: Target, shown: Iterable[Shown]) -> list[str]:
    names = [one.name for one in shown]
    taken = Subnet.objects.filter(realm_id=pool.realm_id, name__in=names).first()
    if taken:
        try:
            names_for(pool, target, 1, taken.name, 0)
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
    change: Change, wanted: Wanted, pool: Pool, target: Target, name: str, blocks: list[Prefix]
) -> Subnet:
    stem, number = split_name(name)
    subnet = Subnet(
        realm=pool.realm,
        pool=pool,
        project=target.project,
        region=target.region,
        zone=target.zone,
        tier=target.tier,
        name=name,
        name_stem=stem,
        name_number=number,
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
