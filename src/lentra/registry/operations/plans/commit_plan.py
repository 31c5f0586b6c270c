"""Commit a plan: a whole layout handed out (or held) at once, all or nothing."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from datetime import datetime, timedelta

from lentra.addressing.layout import Laid
from lentra.addressing.refusal import Refusal
from lentra.registry.errors import PlanNotPossible, QuotaReached
from lentra.registry.models import Person, Plan, Reservation, Subnet, Zone
from lentra.registry.operations.subnets.give_back import give_back_many
from lentra.registry.operations.subnets.hand_out import count_in, new_subnet, set_tag
from lentra.registry.operations.subnets.replace_subnet import activate
from lentra.registry.plans.comparing import Comparison, compare
from lentra.registry.plans.locking import drop_held, open_plan
from lentra.registry.plans.placing import PlannedReservation
from lentra.registry.plans.proposing import Placed, Proposed, propose, seal, usage_of
from lentra.registry.plans.reading import PlanText
from lentra.registry.plans.remarks import remarks
from lentra.registry.plans.slots import Finding, ResolvedPlan, resolve
from lentra.registry.requests.allocation import Allocation
from lentra.registry.requests.request import refuse_hold
from lentra.registry.rules.names import check_name, split_name, stem_for
from lentra.registry.rules.permissions import require, require_project
from lentra.registry.rules.quotas import Take, refuse_over_quota
from lentra.registry.rules.waiting import refuse_undecided
from lentra.registry.rules.zone_limits import refuse_more_zones
from lentra.registry.space.expiry import free_reservations
from lentra.registry.space.locking import Pools, discard_changes
from lentra.registry.transactions.change import Change
from lentra.registry.transactions.locks import lock, lock_all

IN_USE = ("active", "retiring")


def commit_plan(
    change: Change,
    text: PlanText,
    source: str = "",
    *,
    proposal: str | None = None,
    hold_minutes: int | None = None,
    give_back: bool = False,
    despite_use: bool = False,
    held_until: datetime | None = None,
) -> Proposed:
    """Hand out what a plan wants and is not there yet. In a preview nothing is written, and faults are listed.

    Args:
        source: the plan's text as written, to be kept.
        proposal: a preview's token: do exactly what it showed.
        hold_minutes: only hold it; it falls back by itself unless it is committed. `held_until`: while a planner is to
            decide.
        give_back: also give back what the plan has and no longer wants; with `despite_use` although something is
            recorded there.

    Raises:
        PlanNotPossible: something stops it; lists all of it.
        StaleProposal: what the preview showed is no longer possible; says what changed.
        InUse, StillAttached: what is no longer wanted cannot be given back.
        NotAllowed: neither planner nor requester of the project; planners alone keep spare zones and tiers.
    """
    require_may_commit(change.actor)
    refuse_hold(hold_minutes)
    ends_at = held_until or (change.now + timedelta(minutes=hold_minutes) if hold_minutes else None)
    wanted = resolve(text)
    if wanted.project:
        require_project(change.actor, wanted.project, "commit a plan")
    if wanted.errors and not change.preview:
        raise not_possible(wanted.errors)
    with open_plan(change, wanted) as (plan, pools):
        if plan and plan.state == "held":
            if not held_until:
                refuse_undecided(change.actor, plan.pk)
            if plan.document == text.document and not change.preview and not ends_at:
                return _activate(change, wanted, plan, pools)
            drop_held(change, plan, pools, "end hold")
            plan = None
        comparison = compare(plan, wanted)
        before = usage_of(wanted, pools)
        if give_back:
            give_back_many(change, _given_back(comparison), despite_use)
        state = "held" if ends_at else "active"
        proposed = propose(change, wanted, plan, comparison, pools, proposal, state)
        after = usage_of(wanted, pools)
        proposed.usage = [(pool, was, now) for (pool, was), (_, now) in zip(before, after, strict=True)]
        proposed.notes += remarks(wanted, proposed.comparison, proposed.usage, give_back)
        proposed.errors += _not_allowed(change, wanted, proposed)
        if change.preview:
            discard_changes(change)
            if not proposed.errors:
                proposed.token = seal(proposed)
            return proposed
        if proposed.errors:
            raise not_possible(proposed.errors)
        _write(change, wanted, proposed, pools, source, ends_at)
    return proposed


def require_may_commit(actor: Person | None) -> None:
    """Refuse who may commit no plan at all; to be asked before a text is read.

    Raises:
        NotAllowed.
    """
    require(actor, "requester", "commit a plan")


def propose_plan(change: Change, text: PlanText) -> Proposed:
    """What a plan would hand out now. Nothing is written; faults are listed in it."""
    wanted = resolve(text)
    if wanted.errors:
        return Proposed(text, None, compare(None, wanted), [], [], [], list(wanted.errors))
    with open_plan(change, wanted) as (plan, pools):
        proposed = propose(change, wanted, plan, compare(plan, wanted), pools, None, "active")
        discard_changes(change)
    return proposed


def _given_back(comparison: Comparison) -> list[Subnet]:
    """What a plan has and no longer wants, and is in use."""
    return [subnet for subnet in comparison.unwanted if subnet.state in IN_USE]


def _not_allowed(change: Change, wanted: ResolvedPlan, proposed: Proposed) -> list[Finding]:
    """What the project or the person may not have of a plan."""
    found = []
    if proposed.reserving:
        try:
            require(change.actor, "planner", "keep spare zones and tiers")
        except Refusal as refusal:
            where = wanted.text.where("summarise")
            found.append(Finding(where, refusal.message, "no prefix is kept together", refusal.code))
    if proposed.added and wanted.project:
        try:
            refuse_over_quota(change, wanted.project, [take for one in proposed.added for take in _takes(one)])
        except QuotaReached as refusal:
            where = wanted.text.where("project")
            found.append(
                Finding(where, refusal.message, "nothing is handed out", refusal.code, refusal.suggestions)
            )
    by_region: dict[int, list[Zone]] = {}
    for one in proposed.added:
        if (zone := one.slot.target.zone) is not None and zone.region.zones_per_project is not None:
            by_region.setdefault(zone.region_id, []).append(zone)
    for zones in by_region.values():
        assert wanted.project
        try:
            refuse_more_zones(change, wanted.project, zones[0].region, zones)
        except QuotaReached as refusal:
            where = wanted.text.where("zones")
            found.append(
                Finding(where, refusal.message, "nothing is handed out", refusal.code, refusal.suggestions)
            )
    return found


def _takes(one: Placed) -> list[Take]:
    """What a planned subnet takes: its blocks may lie in two pools, and it counts where its first one lies."""
    if not one.blocks:
        return []  # it has no place: that is told by another fault
    first, *others = sorted(one.blocks)
    region = one.slot.target.region.pk
    found = [
        Take(
            one.slot.pools[first],
            region,
            [(first, one.blocks[first].block.length)],
            subnets=1,
            tags=int(bool(one.tag)),
        )
    ]
    return found + [Take(one.slot.pools[f], region, [(f, one.blocks[f].block.length)]) for f in others]


def not_possible(errors: Sequence[Finding]) -> PlanNotPossible:
    """The refusal of a plan, with all that stops it."""
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
    change: Change,
    wanted: ResolvedPlan,
    proposed: Proposed,
    pools: Pools,
    source: str,
    ends_at: datetime | None,
) -> None:
    proposed.ends_at = ends_at
    proposed.plan = plan = _keep_plan(change, wanted, proposed.plan, source, ends_at)
    if not proposed.added and not proposed.reserving:
        return
    state = "held" if ends_at else "active"
    subnets = [_new_subnet(change, one, plan, wanted, state, ends_at) for one in proposed.added]
    change.added(subnets, "hold" if ends_at else "hand out", later=True)
    for one, subnet in zip(proposed.added, subnets, strict=True):
        one.subnet = subnet
    change.batch.send()
    _keep_back(change, wanted, proposed.reserving, plan, ends_at)
    for reservation in list(plan.reservations.all()):
        if not pools[reservation.pool_id][reservation.family].reserved_by(reservation.pk):
            free_reservations(change, [lock(Reservation, reservation.pk)], pools, "use up")
    if ends_at:
        for pool in {pool.pk for one in proposed.added for pool in one.slot.pools.values()}:
            for store in pools[pool].values():
                store.due(ends_at)


def _keep_plan(
    change: Change, wanted: ResolvedPlan, plan: Plan | None, source: str, ends_at: datetime | None
) -> Plan:
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
    change: Change, one: Placed, plan: Plan, wanted: ResolvedPlan, state: str, ends_at: datetime | None
) -> Subnet:
    entry, target = one.slot.entry, one.slot.target
    blocks = [Allocation(laid.block, laid.room, "") for _, laid in sorted(one.blocks.items())]
    pool = one.slot.pools[blocks[0].block.family]
    assert wanted.realm
    stem, number = split_name(one.name, stem_for(wanted.realm, target, pool, wanted.text.names))
    subnet = new_subnet(
        wanted.realm,
        pool,
        target,
        blocks,
        id=one.number,
        name=one.name,
        name_stem=stem,
        name_number=number,
        state=state,
        hosts=entry.hosts,
        growth=entry.growth,
        purpose=entry.purpose,
        labels=wanted.text.labels,
        gateway=one.slot.gateway,
        created_at=change.now,
        ends_at=ends_at,
        plan=plan,
        plan_slot=one.slot.key,
        drawn_from=one.slot.drawn_from,
    )
    set_tag(subnet, one.tag, 0)
    count_in(subnet, {family: own.pk for family, own in one.slot.pools.items()})
    return subnet


def _keep_back(
    change: Change,
    wanted: ResolvedPlan,
    reserving: Iterable[PlannedReservation],
    plan: Plan,
    ends_at: datetime | None,
) -> None:
    """Make the ranges that the plan keeps back its reservations, for its project to draw from."""
    rows = list(reserving)
    beginning = Reservation.objects.filter(realm=wanted.realm, name__startswith=plan.name)
    taken = set(beginning.values_list("name", flat=True))
    zones = {zone.name: zone for zone in Zone.objects.filter(name__in={one.zone for one in rows if one.zone})}
    reservations = []
    for one in rows:
        name = _reservation_name(plan, one, taken)
        taken.add(name)
        reservations.append(
            Reservation(
                id=one.number,
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


def _reservation_name(plan: Plan, one: PlannedReservation, taken: set[str]) -> str:
    stem = f"{plan.name}-{one.zone or 'zones'}"[:110].rstrip("-._")
    base = f"{stem}-ipv{one.family}"
    if base not in taken:
        return base
    return next(name for n in range(2, len(taken) + 3) if (name := f"{base}-{n}") not in taken)


def _activate(change: Change, wanted: ResolvedPlan, plan: Plan, pools: Pools) -> Proposed:
    """Turn a held plan into a committed one: exactly what was held."""
    subnets = lock_all(plan.subnets.order_by("place").prefetch_related("extents"))
    activate(pools, [subnet.pk for subnet in subnets])
    before = [{"state": s.state, "ends_at": s.ends_at} for s in subnets]
    change.entered_all(subnets, "hand out", before, [{"state": "active", "ends_at": None}] * len(subnets))
    for subnet in subnets:
        subnet.state, subnet.ends_at = "active", None
    change.stored(subnets, "state", "ends_at")
    for reservation in lock_all(plan.reservations.all()):
        change.edited(reservation, "reserve", ends_at=None)
    change.edited(plan, "commit", state="committed", ends_at=None, changed_at=change.now)
    slots = {slot.key: slot for slot in wanted.slots}
    added = [
        Placed(
            slots[s.plan_slot], s.pk, s.name, s.tag, {b.family: Laid(s.plan_slot, b, []) for b in s.blocks()}, s
        )
        for s in subnets
        if s.plan_slot in slots
    ]
    return Proposed(wanted.text, plan, compare(None, wanted), added, [], [], [])
