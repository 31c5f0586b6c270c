"""Commit a plan: a whole layout handed out (or held) at once, all or nothing."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from datetime import datetime, timedelta

from lentra.addressing.extents import Extent, State
from lentra.addressing.layout import Laid
from lentra.addressing.refusal import Refusal
from lentra.registry.endings import free_reservations, note_end
from lentra.registry.errors import Invalid, PlanNotPossible
from lentra.registry.ledger import Change
from lentra.registry.models import Plan, Reservation, Subnet, Zone, place_key
from lentra.registry.models.subnets import EXTENT_STATE
from lentra.registry.naming import split_name, stem_for
from lentra.registry.operations.give_back import give_back_many
from lentra.registry.operations.hand_out import set_tag
from lentra.registry.permissions import require, require_project
from lentra.registry.plans.comparing import compare
from lentra.registry.plans.locking import drop_held, existing_plan, lock_plan
from lentra.registry.plans.placing import Reserving, Stores
from lentra.registry.plans.proposing import Placed, Proposed, propose, seal, usage_of
from lentra.registry.plans.reading import PlanText
from lentra.registry.plans.remarks import remarks
from lentra.registry.plans.slots import Finding, Wanted, resolve
from lentra.registry.requests import MOST_HOLD_MINUTES
from lentra.registry.setup import check_name


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
    stores = lock_plan(change, wanted)
    plan = existing_plan(wanted)
    if (
        plan
        and plan.state == "held"
        and plan.document == text.document
        and not change.preview
        and not hold_minutes
    ):
        return _activate(change, wanted, plan, stores)
    if plan and plan.state == "held":
        drop_held(change, plan, stores, "end hold")
        plan = None
    comparison = compare(plan, wanted)
    before = usage_of(wanted, stores)
    proposed = propose(change, wanted, plan, comparison, stores, proposal, "held" if hold_minutes else "active")
    proposed.usage = [
        (pool, was, now) for (pool, was), (_, now) in zip(before, usage_of(wanted, stores), strict=True)
    ]
    proposed.notes += remarks(wanted, proposed.comparison, proposed.usage)
    if proposed.reserving:
        try:
            require(change.actor, "planner", "keep spare zones and tiers")
        except Refusal as refusal:
            proposed.errors.append(Finding(text.where("summarise"), refusal.message, "no prefix is kept together"))
    if change.preview:
        if not proposed.errors:
            proposed.token = seal(proposed)
        return proposed
    if proposed.errors:
        raise _not_possible(proposed.errors)
    _write(change, wanted, proposed, stores, source, hold_minutes)
    if give_back and comparison.unwanted:
        change.batch.send()
        give_back_many(change, [s for s in comparison.unwanted if s.state in ("active", "retiring")])
    return proposed


def propose_plan(change: Change, text: PlanText) -> Proposed:
    """What a plan would hand out now. Nothing is written; faults are listed in it."""
    wanted = resolve(text)
    if wanted.errors:
        return Proposed(text, None, compare(None, wanted), [], [], [], list(wanted.errors))
    stores = lock_plan(change, wanted)
    plan = existing_plan(wanted)
    return propose(change, wanted, plan, compare(plan, wanted), stores, None, "active")


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
    zones = {zone.name: zone for zone in Zone.objects.filter(name__in={one.zone for one in rows if one.zone})}
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
                zone=zones.get(one.zone),
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
