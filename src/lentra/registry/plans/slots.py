"""From a plan's text to its slots: which subnet is wanted in which zone and tier, how large, from which pools."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field, replace
from typing import Any

from lentra.addressing.refusal import Refusal
from lentra.addressing.sizing import size_by_hosts, size_of_length
from lentra.registry.lookup.find import find
from lentra.registry.lookup.target import Target
from lentra.registry.models import Pool, Project, Realm, Reservation, Tier, Zone
from lentra.registry.plans.reading import PlanText, TierPlan, ZonePlan
from lentra.registry.requests.request import check_pool_bounds, no_range_yet, refuse_wrong_pool
from lentra.registry.rules.names import filled


@dataclass(frozen=True)
class Finding:
    """Something a plan's reader should know: where, what, and what comes of it. Blocking ones stop a commit."""

    path: str
    text: str
    consequence: str
    code: str = "note"
    suggestions: list[str] = field(default_factory=list)


@dataclass
class Slot:
    """One subnet wanted: ``zone/tier/number``, its lengths and pools per family."""

    key: str
    entry: TierPlan
    number: int
    target: Target
    pools: dict[int, Pool]
    lengths: dict[int, int]
    usable: int | None
    drawn_from: Reservation | None = None

    @property
    def room(self) -> int:
        """Doublings of room behind the first family's block."""
        return self.entry.room

    @property
    def gateway(self) -> str:
        """Where its gateway stands: as the plan says, or else its pool's rule sheet."""
        return self.entry.gateway or self.pools[min(self.pools)].sheet.gateway

    def footprint(self, family: int) -> int:
        """Length of the block with its room."""
        return self.lengths[family] - (self.room if family == min(self.lengths) else 0)


@dataclass
class ResolvedPlan:
    """A plan with everything it names looked up. `errors` are what stops it."""

    text: PlanText
    project: Project | None
    realm: Realm | None
    slots: list[Slot]
    errors: list[Finding]

    @property
    def pools(self) -> dict[int, Pool]:
        """Every pool that the plan draws from."""
        return {pool.pk: pool for slot in self.slots for pool in slot.pools.values()}


def resolve(text: PlanText) -> ResolvedPlan:
    """Look up all that a plan names, and size its slots; every fault becomes a finding."""
    errors: list[Finding] = []

    def look(model: type, ref: Any, path: str, related: tuple[str, ...] = ()) -> Any:
        try:
            return find(model, ref, path, related=related)
        except Refusal as refusal:
            errors.append(_finding(text, path, refusal, "nothing of the plan can be handed out"))
            return None

    project = look(Project, text.project, "project")
    zones: dict[str, Zone | None] = {}
    for zone_plan in text.zones:
        zones[zone_plan.zone] = look(Zone, zone_plan.zone, zone_plan.path, ("region",))
    tiers: dict[str, Tier | None] = {}
    for entry in text.tiers:
        if entry.tier not in tiers:
            tiers[entry.tier] = look(Tier, entry.tier, f"{entry.path}.tier")
        tier = tiers[entry.tier]
        if tier and entry.exposure and entry.exposure != tier.exposure:
            errors.append(
                Finding(
                    text.where(f"{entry.path}.exposure"),
                    f"tier {tier.name} is {tier.exposure}, the plan says {entry.exposure}",
                    "what runs there would be reachable otherwise than meant",
                    "invalid-value",
                    [tier.exposure],
                )
            )
    pools: dict[str, Pool | None] = {}
    for zone_plan in text.zones:
        for name in zone_plan.pools.values():
            if name not in pools:
                ref = name if ":" in name or not text.realm else f"{text.realm}:{name}"
                pools[name] = look(Pool, ref, "pools", ("realm", "sheet", "parent"))
    realms = {pool.realm for pool in pools.values() if pool}
    if len(realms) > 1:
        names = ", ".join(sorted(realm.name for realm in realms))
        errors.append(
            Finding(text.where("pools"), f"its pools lie in several realms: {names}", "a plan is for one realm")
        )
    if not text.name and project and len(realms) == 1:
        text = _named(text, project, next(iter(realms)), errors)
    slots = []
    if project and len(realms) == 1:
        slots = list(_slots(text, project, zones, tiers, pools, errors))
    return ResolvedPlan(text, project, next(iter(realms), None), slots, errors)


def _named(text: PlanText, project: Project, realm: Realm, errors: list[Finding]) -> PlanText:
    """A plan that says no name, with one by the realm's template."""
    if realm.plan_template:
        return replace(text, name=filled(realm.plan_template, {"project": project.name, "realm": realm.name}))
    what = f"the plan has no name, and realm {realm.name} has no template of plans"
    errors.append(
        Finding(text.where(""), what, "nothing can be committed", "invalid-value", [f"name: {project.name}"])
    )
    return text


def _slots(
    text: PlanText,
    project: Project,
    zones: dict[str, Zone | None],
    tiers: dict[str, Tier | None],
    pools: dict[str, Pool | None],
    errors: list[Finding],
) -> Iterator[Slot]:
    sized: dict[tuple[str, tuple[int, ...]], tuple[dict[int, int], int | None] | None] = {}
    for zone_plan in text.zones:
        zone = zones[zone_plan.zone]
        own = {family: pools[name] for family, name in zone_plan.pools.items()}
        if zone is None or any(pool is None for pool in own.values()):
            continue
        serving: dict[int, Pool] = {family: pool for family, pool in own.items() if pool}
        if not _serve(text, project, zone_plan, zone, serving, errors):
            continue
        for entry in text.tiers:
            tier = tiers[entry.tier]
            if tier is None or (entry.zones is not None and zone.name not in entry.zones):
                continue
            which = (entry.path, tuple(pool.pk for pool in serving.values()))
            if which not in sized:
                sized[which] = _lengths(text, entry, serving, errors)
            size = sized[which]
            if size is None:
                continue
            target = Target(project, tier, zone, zone.region, True, None)
            for number in range(1, entry.count + 1):
                key = f"{zone.name}/{entry.key}/{number}"
                yield Slot(key, entry, number, target, serving, *size)


def _serve(
    text: PlanText,
    project: Project,
    zone_plan: ZonePlan,
    zone: Zone,
    pools: dict[int, Pool],
    errors: list[Finding],
) -> bool:
    """Whether the pools serve project and zone, and have the families."""
    try:
        for family, pool in pools.items():
            refuse_wrong_pool(pool, project, zone, zone.region, family, None)
            if not any(row.family == family for row in pool.ranges.all()):
                raise no_range_yet(pool, family)
    except Refusal as refusal:
        errors.append(_finding(text, zone_plan.path, refusal, f"nothing can be handed out in {zone.name}"))
        return False
    return True


def _lengths(
    text: PlanText, entry: TierPlan, pools: dict[int, Pool], errors: list[Finding]
) -> tuple[dict[int, int], int | None] | None:
    """Length per family, and usable hosts of the IPv4 block."""
    lengths, usable = {}, None
    try:
        for family, pool in pools.items():
            sheet = pool.sheet.rules()
            if family == 6:
                if sheet.ipv6_needs_ipv4 and 4 not in pools:
                    raise Refusal(
                        f"rule sheet {sheet.name} of pool {pool.name} wants IPv4 beside IPv6", field="pools"
                    )
                lengths[6] = sheet.family(6).longest
                continue
            if entry.hosts is not None:
                size = size_by_hosts(entry.hosts, sheet, growth=entry.growth, length=entry.length)
            else:
                assert entry.length is not None
                size = size_of_length(entry.length, sheet)
            check_pool_bounds(pool, size.length)
            lengths[4], usable = size.length, size.usable
    except Refusal as refusal:
        path = f"{entry.path}.{refusal.field}" if refusal.field in ("hosts", "length", "growth") else entry.path
        errors.append(_finding(text, path, refusal, f"no block of tier {entry.key} can be handed out"))
        return None
    return lengths, usable


def _finding(text: PlanText, path: str, refusal: Refusal, consequence: str) -> Finding:
    return Finding(text.where(path), refusal.message, consequence, refusal.code, refusal.suggestions)
