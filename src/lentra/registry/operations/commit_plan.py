"""Commit a plan: a whole layout handed out (or held) at once, all or nothing; and remove one."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field
from datetime import datetime, timedelta
from typing import Any

from django.core import signing

from lentra.addressing.extents import Extent, State
from lentra.addressing.headroom import Usage
from lentra.addressing.layout import Laid
from lentra.addressing.refusal import Refusal
from lentra.registry.endings import end_due, free_reservations, free_subnets, note_end
from lentra.registry.errors import InUse, Invalid, NameTaken, PlanNotPossible, StaleProposal
from lentra.registry.ledger import Change
from lentra.registry.models import Plan, Pool, Reservation, Subnet, place_key
from lentra.registry.models.subnets import EXTENT_STATE
from lentra.registry.naming import check_numbered, numbered, refuse_taken_subnet_name, split_name, stem_for
from lentra.registry.operations.give_back import give_back_subnet
from lentra.registry.operations.hand_out import set_tag
from lentra.registry.permissions import require, require_project
from lentra.registry.plans.comparing import Comparison, compare
from lentra.registry.plans.placing import Placer, Reserving, Stores
from lentra.registry.plans.reading import PlanText
from lentra.registry.plans.remarks import remarks
from lentra.registry.plans.slots import Finding, Slot, Wanted, resolve
from lentra.registry.queries.find import find
from lentra.registry.requests import MOST_HOLD_MINUTES
from lentra.registry.setup import check_name, check_template
from lentra.registry.space import lock_spaces, open_extents
from lentra.registry.tags import Tags, wanted_tag

_SALT = "lentra.plan"
_LIFETIME_SECONDS = 24 * 3600


@dataclass
class Placed:
    """One slot with its name, tag and blocks, as proposed."""

    slot: Slot
    name: str
    tag: int | None
    blocks: dict[int, Laid]
    subnet: Subnet | None = None


@dataclass
class Proposed:
    """What a plan comes to. `errors` stop it; `notes` do not. `usage` is before and after, per pool and family."""

    text: PlanText
    plan: Plan | None
    comparison: Comparison
    added: list[Placed]
    reserving: list[Reserving]
    notes: list[Finding]
    errors: list[Finding]
    usage: list[tuple[Pool, Usage, Usage]] = field(default_factory=list)
    token: str = ""
    ends_at: datetime | None = None


def commit_plan(
    change: Change,
    text: PlanText,
    source: str = "",
    *,
    proposal: str | None = None,
    hold_minutes: int = 0,
    give_back: bool = False,
) -> Proposed:
    """Hand out what a plan wants and is not there yet. In a preview nothing is written, and faults are listed.

    Args:
        source: the plan's text as written, to be kept.
        proposal: a preview's token: do exactly what it showed.
        hold_minutes: only hold it; it falls back by itself unless it is committed.
        give_back: also give back what the plan has and no longer wants.

    Raises:
        PlanNotPossible: something stops it; lists all of it.
        StaleProposal: what the preview showed is no longer possible; says what changed.
        NotAllowed: neither planner nor requester of the project; planners alone keep spare zones and tiers.
    """
    require(change.actor, "requester", "commit a plan")
    if not 0 <= hold_minutes <= MOST_HOLD_MINUTES:
        raise Invalid(f"held for {hold_minutes} minutes: 1 to {MOST_HOLD_MINUTES}", field="hold_minutes")
    wanted = resolve(text)
    if wanted.project:
        require_project(change.actor, wanted.project, "commit a plan")
    if wanted.errors and not change.preview:
        raise _not_possible(wanted.errors)
    stores = _lock(change, wanted)
    plan = _existing(wanted)
    if (
        plan
        and plan.state == "held"
        and plan.document == text.document
        and not change.preview
        and not hold_minutes
    ):
        return _activate(change, wanted, plan, stores)
    if plan and plan.state == "held":
        _drop(change, plan, stores, "end hold")
        plan = None
    comparison = compare(plan, wanted)
    before = _usage(wanted, stores)
    proposed = _propose(change, wanted, plan, comparison, stores, proposal, "held" if hold_minutes else "active")
    proposed.usage = [
        (pool, was, now) for (pool, was), (_, now) in zip(before, _usage(wanted, stores), strict=True)
    ]
    proposed.notes += remarks(wanted, proposed.comparison, proposed.usage)
    if proposed.reserving:
        try:
            require(change.actor, "planner", "keep spare zones and tiers")
        except Refusal as refusal:
            proposed.errors.append(Finding(text.where("summarise"), refusal.message, "no prefix is kept together"))
    if change.preview:
        if not proposed.errors:
            proposed.token = _seal(proposed)
        return proposed
    if proposed.errors:
        raise _not_possible(proposed.errors)
    _write(change, wanted, proposed, stores, source, hold_minutes)
    if give_back and comparison.unwanted:
        change.batch.send()
        for subnet in comparison.unwanted:
            if subnet.state in ("active", "retiring"):
                give_back_subnet(change, subnet.pk)
    return proposed


def remove_plan(change: Change, plan_ref: Any, give_back: bool = False) -> Plan:
    """Remove a plan: a held one falls back at once; a committed one only if nothing of it is left, or on explicit
    word with all of it given back (its ranges free at once, its subnets cooling).

    Raises:
        InUse: subnets of it are in use, and `give_back` was not said.
    """
    plan = find(Plan, plan_ref, "plan", related=("project", "realm"))
    require_project(change.actor, plan.project, "remove a plan")
    pools = Pool.objects.filter(
        pk__in=[*plan.subnets.values_list("pool", flat=True), *plan.reservations.values_list("pool", flat=True)]
    )
    spaces = lock_spaces([pool.pk for pool in pools])
    stores = {pool.pk: open_extents(pool, spaces) for pool in pools}
    if plan.state == "held":
        _drop(change, plan, stores, "end hold")
        return plan
    living = list(plan.subnets.exclude(state="cooling").order_by("place"))
    if living and not give_back:
        raise InUse(
            f"{len(living)} subnets of plan {plan.name} are in use: give them back with it on explicit word",
            rule="what is in use stays",
            conflicts=[{"range": s.name, "kind": "subnet", "id": s.pk} for s in living[:20]],
            suggestions=["give_back: true"],
        )
    for pool in pools:
        rows = list(plan.reservations.filter(pool=pool))
        free_reservations(change, rows, stores[pool.pk], "give back")
        for store in stores[pool.pk].values():
            store.save()
    for subnet in living:
        give_back_subnet(change, subnet.pk)
    plan.subnets.update(plan=None, plan_slot="")
    change.removed([plan])
    return plan


# --- working out ---


def _lock(change: Change, wanted: Wanted) -> Stores:
    pools = wanted.pools
    existing = _existing(wanted)
    numbers = set(pools)
    if existing:
        numbers |= set(existing.reservations.values_list("pool", flat=True))
        if existing.state == "held":
            numbers |= set(existing.subnets.values_list("pool", flat=True))
    spaces = lock_spaces(numbers)
    stores = {}
    for pool in Pool.objects.filter(pk__in=numbers).select_related("realm"):
        stores[pool.pk] = open_extents(pool, spaces)
        end_due(change, pool, stores[pool.pk])
    return stores


def _existing(wanted: Wanted) -> Plan | None:
    if wanted.realm is None:
        return None
    plan = Plan.objects.filter(realm=wanted.realm, name=wanted.text.name).first()
    if plan and wanted.project and plan.project_id != wanted.project.pk:
        raise NameTaken(
            f"the name {plan.name!r} is taken by a plan of project {plan.project.name}",
            field="name",
            received=plan.name,
            suggestions=[f"{wanted.project.name}-{plan.name}"[:63]],
        )
    return plan


def _propose(
    change: Change,
    wanted: Wanted,
    plan: Plan | None,
    comparison: Comparison,
    stores: Stores,
    proposal: str | None,
    subnet_state: str,
) -> Proposed:
    text = wanted.text
    kept: dict[tuple[int, int, str], list[Reservation]] = {}
    for reservation in plan.reservations.all() if plan else []:
        zone = reservation.name.removeprefix(f"{text.name}-").rpartition("-ipv")[0]
        where = zone if reservation.kind == "future tier" else ""
        kept.setdefault((reservation.pool_id, reservation.family, where), []).append(reservation)
    placer = Placer(stores, EXTENT_STATE[subnet_state], text.summarise, text.placement, kept)
    shown = _unseal(proposal, text) if proposal else None
    if shown is not None:
        _refuse_other_slots(comparison.added, shown)
        reserving = [Reserving(wanted.pools[pool], *rest) for pool, *rest in shown["reserving"]]
        slots = {key: (blocks, drawn) for key, _, _, blocks, drawn in shown["slots"]}
        places = placer.as_shown(comparison.added, slots, reserving)
        given = {key: (name, tag) for key, name, tag, _, _ in shown["slots"]}
        errors = _refuse_taken_names(wanted, [name for name, _ in given.values()])
    else:
        places = placer.lay_out(
            comparison.added,
            spare_zones=text.spare_zones,
            spare_tiers=text.spare_tiers,
            settled=comparison.settled,
        )
        names, errors = _names(change, wanted, comparison.added)
        given = {slot.key: (name, None) for slot, name in zip(comparison.added, names, strict=True)}
    tags, tag_errors = _tags(change, wanted, comparison.added, given, shown is not None)
    added = [
        Placed(slot, given[slot.key][0], tags.get(slot.key), places.blocks.get(slot.key, {}))
        for slot in comparison.added
    ]
    proposed = Proposed(text, plan, comparison, added, places.reserving, list(places.notes), [])
    proposed.errors = [*wanted.errors, *places.errors, *errors, *tag_errors]
    proposed_drawn = places.drawn
    for one in added:
        one.slot.drawn_from = proposed_drawn.get(one.slot.key)
    return proposed


def _names(change: Change, wanted: Wanted, slots: Sequence[Slot]) -> tuple[list[str], list[Finding]]:
    """Names for all slots, numbered onward per stem: one statement for all of them."""
    if not slots or wanted.realm is None:
        return [], []
    template = wanted.text.names
    if template is not None:
        try:
            check_template(template)
        except Refusal as refusal:
            fault = Finding(
                wanted.text.where("names"),
                refusal.message,
                "no subnet can be named",
                refusal.code,
                refusal.suggestions,
            )
            return ["" for _ in slots], [fault]
    stems = [stem_for(wanted.realm, slot.target, next(iter(slot.pools.values())), template) for slot in slots]
    rows = Subnet.objects.filter(realm=wanted.realm, name_stem__in=set(stems))
    highest: dict[str, int] = {}
    for stem, number in rows.values_list("name_stem", "name_number"):
        highest[stem] = max(highest.get(stem, 0), number)
    skip = max(0, change.attempt - 2)
    names, errors = [], []
    for stem in stems:
        highest[stem] = highest.get(stem, skip) + 1
        names.append(numbered(stem, highest[stem]))
    try:
        for name in names:
            check_numbered(name)
    except Refusal as refusal:
        errors.append(Finding(wanted.text.where("names"), refusal.message, "no subnet can be named", refusal.code))
    if len(set(names)) < len(names):
        errors.append(
            Finding(
                wanted.text.where("names"),
                "the template gives several subnets the same name",
                "names are unique in a realm",
                "name-taken",
                ["{project}-{zone}-{tier}-{nn}"],
            )
        )
    return names, errors


def _refuse_taken_names(wanted: Wanted, names: Sequence[str]) -> list[Finding]:
    taken = Subnet.objects.filter(realm=wanted.realm, name__in=names)[:20]
    found = []
    for subnet in taken:
        try:
            refuse_taken_subnet_name(subnet.realm_id, subnet.name)
        except NameTaken as refusal:
            found.append(
                Finding(
                    wanted.text.where("names"),
                    refusal.message,
                    "names are unique in a realm",
                    refusal.code,
                    refusal.suggestions,
                )
            )
    return found


def _tags(
    change: Change, wanted: Wanted, slots: Sequence[Slot], given: dict[str, tuple[str, int | None]], shown: bool
) -> tuple[dict[str, int | None], list[Finding]]:
    """Segment tags of slots, by their keys; the tags of each zone are read once."""
    tags: dict[str, int | None] = {}
    errors: list[Finding] = []
    scopes: dict[int, Tags] = {}
    for slot in slots:
        sheet = next(iter(slot.pools.values())).sheet
        zone = slot.target.zone
        assert zone
        try:
            has, number = wanted_tag(slot.entry.tag)
            if slot.entry.tag is None and sheet.tag_needed:
                has = True
            name, tag = given[slot.key]
            if shown:
                has, number = tag is not None, tag
            elif number is not None:
                number += slot.number - 1
            if not has:
                if sheet.tag_needed:
                    raise Invalid(
                        f"rule sheet {sheet.name} wants a segment tag on every subnet", suggestions=["next"]
                    )
                continue
            if zone.pk not in scopes:
                scopes[zone.pk] = Tags(change, zone.pk, zone.name)
            tags[slot.key] = scopes[zone.pk].take(number, name, wanted.text.tags_from)
        except Refusal as refusal:
            path = wanted.text.where(f"{slot.entry.path}.tag")
            errors.append(
                Finding(path, refusal.message, f"{slot.key} has no segment tag", refusal.code, refusal.suggestions)
            )
    return tags, errors


def _usage(wanted: Wanted, stores: Stores) -> list[tuple[Pool, Usage]]:
    found = []
    for pool in sorted(wanted.pools.values(), key=lambda p: p.name):
        for family, store in sorted(stores[pool.pk].items()):
            kept = store.space.usage()
            found.append((pool, Usage(family, dict(kept.addresses), dict(store.free_counts()))))
    return found


def _not_possible(errors: Sequence[Finding]) -> PlanNotPossible:
    first = errors[0]
    more = f" (and {len(errors) - 1} more)" if len(errors) > 1 else ""
    return PlanNotPossible(
        f"{first.path}: {first.text}{more}",
        field=first.path,
        rule="a plan is handed out whole or not at all",
        conflicts=[
            {"range": e.path, "why": e.text, "consequence": e.consequence, "code": e.code} for e in errors[:50]
        ],
        suggestions=first.suggestions,
    )


# --- proposals ---


def _seal(proposed: Proposed) -> str:
    slots = [
        [
            p.slot.key,
            p.name,
            p.tag,
            [str(laid.block) for _, laid in sorted(p.blocks.items())],
            _number(p.slot.drawn_from),
        ]
        for p in proposed.added
    ]
    reserving = [[r.pool.pk, r.family, r.first, r.last, r.kind, r.zone] for r in proposed.reserving]
    body = {"plan": proposed.text.document, "slots": slots, "reserving": reserving}
    return signing.dumps(body, salt=_SALT, compress=True)


def _unseal(token: str, text: PlanText) -> dict[str, Any]:
    try:
        body = signing.loads(token, salt=_SALT, max_age=_LIFETIME_SECONDS)
    except signing.BadSignature:  # too old as well
        raise Invalid("this is no plan's proposal, or it is older than a day: preview again", field="proposal")
    if body["plan"] != text.document:
        raise Invalid("the proposal was made for another plan: preview this one", field="proposal")
    return body


def _refuse_other_slots(added: Sequence[Slot], shown: dict[str, Any]) -> None:
    now, then = {slot.key for slot in added}, {key for key, *_ in shown["slots"]}
    if now != then:
        odd = sorted(now ^ then)
        raise StaleProposal(
            f"since the preview, {odd[0]} has {'gone' if odd[0] in now else 'been handed out'}"
            + (f", and {len(odd) - 1} more have changed" if len(odd) > 1 else ""),
            field="proposal",
            received=odd[0],
            rule="a commit does exactly what was shown",
            suggestions=["preview again"],
        )


def _number(reservation: Reservation | None) -> int:
    return reservation.pk if reservation else 0


# --- writing ---


def _write(
    change: Change, wanted: Wanted, proposed: Proposed, stores: Stores, source: str, hold_minutes: int
) -> None:
    assert wanted.project
    assert wanted.realm
    ends_at = change.now + timedelta(minutes=hold_minutes) if hold_minutes else None
    proposed.ends_at = ends_at
    nothing_new = not proposed.added and not proposed.reserving
    proposed.plan = plan = _keep_plan(change, wanted, proposed.plan, source, ends_at)
    if nothing_new:
        return
    state = "held" if hold_minutes else "active"
    subnets = [_new_subnet(change, one, plan, wanted, state, ends_at) for one in proposed.added]
    change.added(subnets, "hold" if hold_minutes else "hand out", later=True)
    for one, subnet in zip(proposed.added, subnets, strict=True):
        one.subnet = subnet
        for family, laid in one.blocks.items():
            store = stores[one.slot.pools[family].pk][family]
            old = [Extent(laid.block, EXTENT_STATE[state]), *(Extent(p, State.ROOM) for p in laid.room)]
            store.replace(old, [Extent(e.prefix, e.state, subnet.pk) for e in old])
    change.batch.send()
    _keep_back(change, wanted, proposed.reserving, plan, stores, ends_at)
    for reservation in list(plan.reservations.all()):
        own = stores[reservation.pool_id]
        if not own[reservation.family].reserved_by(reservation.pk):
            free_reservations(change, [reservation], own, "use up")
    for own in stores.values():
        if ends_at:
            note_end(own, ends_at)
        for store in own.values():
            store.save(change.batch)


def _keep_plan(change: Change, wanted: Wanted, plan: Plan | None, source: str, ends_at: datetime | None) -> Plan:
    state = "held" if ends_at else "committed"
    if plan is None:
        check_name(wanted.text.name)
        plan = Plan(
            realm=wanted.realm,
            project=wanted.project,
            name=wanted.text.name,
            state=state,
            document=wanted.text.document,
            source=source,
            ends_at=ends_at,
            changed_at=change.now,
        )
        change.added([plan], "hold" if ends_at else "commit")
    elif plan.document != wanted.text.document or plan.state != state:
        values = {"document": wanted.text.document, "source": source, "state": state, "changed_at": change.now}
        change.edited(plan, "commit", ends_at=ends_at, **values)
    return plan


def _new_subnet(
    change: Change, one: Placed, plan: Plan, wanted: Wanted, state: str, ends_at: datetime | None
) -> Subnet:
    entry, target = one.slot.entry, one.slot.target
    blocks = [laid.block for _, laid in sorted(one.blocks.items())]
    pool = one.slot.pools[blocks[0].family]
    assert wanted.realm
    stem, number = split_name(one.name, stem_for(wanted.realm, target, pool, wanted.text.names))
    subnet = Subnet(
        realm=wanted.realm,
        pool=pool,
        project=target.project,
        region=target.region,
        zone=target.zone,
        tier=target.tier,
        name=one.name,
        name_stem=stem,
        name_number=number,
        place=place_key(blocks[0]),
        state=state,
        hosts=entry.hosts,
        growth=entry.growth,
        purpose=entry.purpose,
        labels=wanted.text.labels,
        gateway=entry.gateway,
        created_at=change.now,
        ends_at=ends_at,
        plan=plan,
        plan_slot=one.slot.key,
        drawn_from=one.slot.drawn_from,
    )
    set_tag(subnet, one.tag, 0)
    subnet.known_blocks = blocks
    subnet.known_room = [piece for laid in one.blocks.values() for piece in laid.room]
    return subnet


def _keep_back(
    change: Change,
    wanted: Wanted,
    reserving: Iterable[Reserving],
    plan: Plan,
    stores: Stores,
    ends_at: datetime | None,
) -> None:
    """Make the ranges that the plan keeps back its reservations, for its project to draw from."""
    rows = list(reserving)
    taken = set(Reservation.objects.filter(realm=wanted.realm, plan=plan).values_list("name", flat=True))
    reservations = []
    for one in rows:
        name = _reservation_name(plan, one, taken)
        taken.add(name)
        reservations.append(
            Reservation(
                realm=wanted.realm,
                pool=one.pool,
                name=name,
                family=one.family,
                first=one.first,
                last=one.last,
                kind=one.kind,
                reason=f"plan {plan.name}: " + (f"tiers to come in {one.zone}" if one.zone else "zones to come"),
                ends_at=ends_at,
                created_at=change.now,
                plan=plan,
            )
        )
    change.added(reservations, "reserve", projects=[wanted.text.project])
    through = Reservation.projects.through
    through._default_manager.bulk_create(
        through(reservation_id=r.pk, project_id=plan.project_id) for r in reservations
    )
    for own in stores.values():
        for store in own.values():
            theirs = [
                (o, r) for o, r in zip(rows, reservations, strict=True) if stores[o.pool.pk][o.family] is store
            ]
            for extent in store.unowned(State.RESERVED) if theirs else ():
                owner = next(r.pk for o, r in theirs if o.first <= extent.prefix.first <= o.last)
                store.replace([extent], [Extent(extent.prefix, State.RESERVED, owner)])


def _reservation_name(plan: Plan, one: Reserving, taken: set[str]) -> str:
    base = f"{plan.name}-{one.zone or 'zones'}-ipv{one.family}"
    return (
        base
        if base not in taken
        else next(name for n in range(2, len(taken) + 3) if (name := f"{base}-{n}") not in taken)
    )


def _activate(change: Change, wanted: Wanted, plan: Plan, stores: Stores) -> Proposed:
    """Turn a held plan into a committed one: exactly what was held."""
    subnets = list(plan.subnets.order_by("place").prefetch_related("extents"))
    by_number = {subnet.pk: subnet for subnet in subnets}
    for own in stores.values():
        for store in own.values():
            for extent in store.owned_by(*by_number):
                if extent.state is State.HELD:
                    store.replace([extent], [Extent(extent.prefix, State.HANDED_OUT, extent.owner)])
            store.save()
    before = [{"state": s.state, "ends_at": s.ends_at} for s in subnets]
    change.entered_all(subnets, "hand out", before, [{"state": "active", "ends_at": None}] * len(subnets))
    for subnet in subnets:
        subnet.state, subnet.ends_at = "active", None
    Subnet.objects.bulk_update(subnets, ["state", "ends_at", "last_entry"], batch_size=1000)
    for reservation in plan.reservations.all():
        change.edited(reservation, "reserve", ends_at=None)
    change.edited(plan, "commit", state="committed", ends_at=None, changed_at=change.now)
    slots = {slot.key: slot for slot in wanted.slots}
    added = [
        Placed(slots[s.plan_slot], s.name, s.tag, {b.family: Laid(s.plan_slot, b, []) for b in s.blocks()}, s)
        for s in subnets
        if s.plan_slot in slots
    ]
    return Proposed(wanted.text, plan, compare(None, wanted), added, [], [], [])


def _drop(change: Change, plan: Plan, stores: Stores, verb: str) -> None:
    """Let a held plan fall back at once."""
    subnets = list(plan.subnets.all())
    for pool_id, own in stores.items():
        free_subnets(change, [s for s in subnets if s.pool_id == pool_id], own, verb)
        free_reservations(change, list(plan.reservations.filter(pool=pool_id)), own, verb)
        for store in own.values():
            store.save()
    change.removed([plan], verb)
