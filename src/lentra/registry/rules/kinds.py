"""The kinds of records of set-up: what is checked, what uses one, what is fixed once it is in use."""

from __future__ import annotations

from collections.abc import Callable, Container
from dataclasses import dataclass, fields
from datetime import datetime
from typing import Any

from django.db.models import QuerySet
from django.db.models.functions import Lower

from lentra.addressing.prefix import BITS, parse_range, range_text
from lentra.addressing.refusal import Refusal
from lentra.addressing.rules import FamilyRules
from lentra.addressing.special import is_private
from lentra.registry.errors import InUse, Invalid, NotPrivate, ZoneNotInRegion
from lentra.registry.models import (
    KeepOut,
    LedgerEntry,
    Person,
    Plan,
    PlannedNeed,
    Pool,
    PoolRange,
    Project,
    Realm,
    Record,
    Region,
    Reservation,
    Sheet,
    Subnet,
    TagMember,
    TagRange,
    Tier,
    Zone,
)
from lentra.registry.rules.names import TEMPLATES, check_name, check_pattern, check_template
from lentra.registry.rules.quotas import held_addresses, over_zone_limit
from lentra.registry.rules.tags import check_tag

MOST_NEEDED = 1_000_000  # blocks of one planned need
MOST_FORBIDDEN = 64


@dataclass(frozen=True)
class RecordKind:
    """One kind of record of set-up.

    Args:
        role: who may add, edit and remove it.
        check: refuses values that break a rule; gets the record with the new values set, and the moment.
        derived: values that follow from those given, as a mapping; gets the record and which values were given.
        remarks: what is worth knowing of the record, although it does not stop it.
        uses: what stands on it, as (kind, rows); a record in use cannot be removed.
        fixed: fields that never change.
        fixed_in_use: fields that do not change while something uses the record.
    """

    model: type[Record]
    role: str
    check: Callable[[Any, datetime], None]
    uses: Callable[[Any], list[tuple[str, QuerySet]]]
    fixed: tuple[str, ...] = ()
    fixed_in_use: tuple[str, ...] = ()
    derived: Callable[[Any, Container[str]], dict[str, Any]] = lambda record, given: {}
    remarks: Callable[[Any], list[str]] = lambda record: []

    def users_of(self, record: Record, most: int = 20) -> tuple[int, list[dict[str, Any]]]:
        """How many records use this one, and the first of them (kind, number, name)."""
        count = 0
        shown: list[dict[str, Any]] = []
        for kind, rows in self.uses(record):
            count += rows.count()
            shown += [
                {"range": getattr(row, "label_text", str(row)), "kind": kind, "id": row.pk}
                for row in rows[: most - len(shown)]
            ]
        return count, shown

    def frozen(self, record: Record) -> list[str]:
        """Fields of this record that cannot be changed now."""
        if self.fixed_in_use and any(rows.exists() for _, rows in self.uses(record)):
            return [*self.fixed, *self.fixed_in_use]
        return list(self.fixed)


def _check_named(record: Any, now: datetime) -> None:
    check_name(record.name)


def _check_realm(realm: Realm, now: datetime) -> None:
    check_name(realm.name)
    for field in TEMPLATES:
        if getattr(realm, field) or field not in ("pool_template", "plan_template"):
            check_template(getattr(realm, field), field)
    check_pattern(realm.name_pattern)
    if realm.private_only and realm.pk:
        public = [r.prefix for r in PoolRange.objects.filter(realm=realm) if not is_private(r.prefix)]
        if public:
            raise NotPrivate(
                f"realm {realm.name} has public ranges, so it cannot be private only: {public[0]}",
                field="private_only",
                conflicts=[{"range": str(p)} for p in public[:20]],
            )


def _check_sheet(sheet: Sheet, now: datetime) -> None:
    check_name(sheet.name)
    if not sheet.v4 and not sheet.v6:
        raise Invalid("a rule sheet needs rules for IPv4, IPv6 or both", field="v4")
    for field, family in (("v4", 4), ("v6", 6)):
        if (values := getattr(sheet, field)) is not None:
            _check_family_rules(field, family, values)
    if not 1 <= sheet.workloads_min <= sheet.workloads_max:
        raise Invalid(
            f"workloads per node run from {sheet.workloads_min} to {sheet.workloads_max}: the first must be "
            "1 or more and not above the second",
            field="workloads_min",
        )
    if not sheet.workloads_min <= sheet.workloads <= sheet.workloads_max:
        raise Invalid(
            f"{sheet.workloads} workloads a node, where nothing is said, are out of bounds: {sheet.workloads_min} to "
            f"{sheet.workloads_max}",
            field="workloads",
            received=sheet.workloads,
            suggestions=[max(sheet.workloads_min, min(sheet.workloads, sheet.workloads_max))],
        )
    if sheet.zones is not None and not 1 <= sheet.zones <= 64:
        raise Invalid("a plan spans 1 to 64 zones", field="zones", received=sheet.zones, suggestions=[3])
    if sheet.dhcp_service and not sheet.dhcp:
        raise Invalid("a sheet without DHCP has no DHCP service", field="dhcp_service", suggestions=["dhcp: true"])
    if not 0 < float(sheet.hd_threshold) <= 1:
        raise Invalid("the HD-ratio threshold lies above 0 and not above 1", field="hd_threshold")


def _forbidden_of(sheet: Sheet, given: Container[str]) -> dict[str, Any]:
    """The forbidden ranges as they are written everywhere."""
    if "forbidden" not in given:
        return {}
    if not isinstance(sheet.forbidden, list | tuple) or len(sheet.forbidden) > MOST_FORBIDDEN:
        raise Invalid(f"a sheet forbids {MOST_FORBIDDEN} ranges at most, in a list", field="forbidden")
    try:
        return {"forbidden": [range_text(*parse_range(str(text))) for text in sheet.forbidden]}
    except Refusal as refusal:
        raise refusal.about("forbidden")


def _check_family_rules(field: str, family: int, values: Any) -> None:
    names = {f.name for f in fields(FamilyRules)}
    given = set(values) if isinstance(values, dict) else set()
    missing, unknown = sorted(names - {"max_ranges"} - given), sorted(given - names)
    if missing or unknown:
        faults = [f"{', '.join(missing)} missing"] if missing else []
        faults += [f"{', '.join(unknown)[:80]} unknown"] if unknown else []
        raise Invalid(
            f"{field}: {' and '.join(faults)}; it needs {', '.join(sorted(names - {'max_ranges'}))} and may have max_ranges",
            field=field,
        )
    numbers = [v for v in values.values() if v is not None]
    if not all(isinstance(v, int) and not isinstance(v, bool) and 0 <= v <= 4096 for v in numbers):
        raise Invalid(f"{field}: all values are whole numbers from 0 to 4096", field=field)
    rules, bits = FamilyRules(**values), BITS[family]
    for low, high, what in (
        (rules.shortest, rules.longest, "subnet lengths"),
        (rules.range_shortest, rules.range_longest, "range lengths"),
    ):
        if not low <= high <= bits:
            raise Invalid(
                f"{field}: {what} run from /{low} to /{high}; the shorter comes first and /{bits} is the end",
                field=field,
                suggestions=[f"/{min(low, high, bits)} to /{min(max(low, high), bits)}"],
            )
    if rules.range_longest > rules.longest:
        raise Invalid(
            f"{field}: a pool's range may be a /{rules.range_longest}, which is too small for any subnet: the smallest is a "
            f"/{rules.longest}",
            field=field,
            received=f"/{rules.range_longest}",
            suggestions=[f"range_longest={rules.longest}"],
        )
    withheld = rules.head + rules.tail
    if withheld and (1 << (bits - rules.longest)) <= withheld:
        room = bits - withheld.bit_length()
        raise Invalid(
            f"{field}: {withheld} addresses are withheld, so a /{rules.longest} has none that can be used",
            field=field,
            received=f"/{rules.longest}",
            suggestions=[f"longest={room}"] if room >= rules.shortest else ["fewer withheld addresses"],
        )


def _check_pool(pool: Pool, now: datetime) -> None:
    check_name(pool.name)
    if pool.zone and pool.region_id not in (None, pool.zone.region_id):
        raise ZoneNotInRegion(
            f"zone {pool.zone.name} is in region {pool.zone.region.name}, not {pool.region.name}",
            field="zone",
            received=pool.zone.name,
            suggestions=[z.name for z in pool.region.zones.all()[:10]],
        )
    if not 1 <= pool.warning_percent <= pool.critical_percent <= 100:
        raise Invalid(
            f"thresholds are {pool.warning_percent} % (warning) and {pool.critical_percent} % (critical): "
            "1 to 100, the warning first",
            field="warning_percent",
            suggestions=["75 and 90"],
        )
    if pool.cooling_days > 3650:
        raise Invalid("cooling takes 3650 days at most", field="cooling_days", suggestions=["30"])
    for low, high in ((pool.shortest_v4, pool.longest_v4),):
        if not 0 <= (low or 0) <= (32 if high is None else high) <= 32:
            raise Invalid(
                f"the pool's IPv4 lengths run from /{low} to /{high}: the shorter first, /32 at most",
                field="shortest_v4",
            )
    if not 1 <= pool.unit_v6 <= 128:
        raise Invalid("the IPv6 unit is a prefix length from 1 to 128", field="unit_v6", suggestions=["64"])

    if pool.pk:
        _refuse_elsewhere(pool)


def _refuse_elsewhere(pool: Pool) -> None:
    """Refuse a place or project for a pool that holds subnets of another."""
    rows = Subnet.objects.filter(pool=pool).order_by("place")
    for field in ("zone", "region", "project"):
        wanted = getattr(pool, field)
        others = list(rows.exclude(**{field: wanted}).select_related(field)[:20]) if wanted else []
        if others:
            theirs = getattr(others[0], field)
            raise InUse(
                f"pool {pool.name} holds {others[0].name} of {field} {theirs.name if theirs else 'none'}: it cannot serve "
                f"{wanted.name} alone",
                field=field,
                received=wanted.name,
                rule="a pool with a zone, region or project serves that alone",
                conflicts=[{"range": s.name, "kind": "subnet", "id": s.pk} for s in others],
                suggestions=[f"another pool for {wanted.name}"],
            )


def _region_of(pool: Pool, given: Container[str]) -> dict[str, Any]:
    """A pool that serves a zone serves its region."""
    return {"region": pool.zone.region} if pool.zone and ("region" not in given or not pool.region_id) else {}


def _check_region(region: Region, now: datetime) -> None:
    check_name(region.name)
    limit = region.zones_per_project
    if limit is None:
        return
    if limit < 1:
        raise Invalid(
            "a project may use 1 zone or more", field="zones_per_project", received=limit, suggestions=[1]
        )
    if region.pk and (over := over_zone_limit(region, limit)):
        project, zones = over[0]
        raise Invalid(
            f"project {project} uses {len(zones)} zones of {region.name} ({', '.join(zones)}): a limit of {limit} is "
            "below that",
            field="zones_per_project",
            received=limit,
            rule="a limit is not below what is in use",
            conflicts=[{"range": name, "kind": "project", "owner": ", ".join(used)} for name, used in over[:20]],
            suggestions=[max(len(used) for _, used in over)],
        )


def _same_place(zone: Zone) -> list[str]:
    """Another zone with the same physical identifier is the same place twice."""
    if not zone.physical:
        return []
    same = Zone.objects.annotate(place=Lower("physical")).filter(place=zone.physical.strip().lower())
    others = same.exclude(pk=zone.pk).select_related("region")
    return [
        f"zone {other.name} of region {other.region.name} has the physical identifier {other.physical} as well: what is "
        "meant to survive a zone may stand in one place"
        for other in others[:5]
    ]


def _check_project(project: Project, now: datetime) -> None:
    check_name(project.name)
    if project.public_quota is None or not project.pk:
        return
    held = held_addresses(project, now).count()
    if project.public_quota < held:
        raise Invalid(
            f"project {project.name} holds {held} public addresses: a quota of {project.public_quota} is below that",
            field="public_quota",
            received=project.public_quota,
            rule="a quota is not below what is held",
            suggestions=[held],
        )


def _check_keep_out(keep_out: KeepOut, now: datetime) -> None:
    if not keep_out.reason.strip():
        raise Invalid("a keep-out needs a reason: who uses the range, or what forbids it", field="reason")


def _check_reservation(reservation: Reservation, now: datetime) -> None:
    if not reservation.reason.strip():
        raise Invalid("a reservation needs a reason: what the range is kept for", field="reason")
    if reservation.service:
        check_name(reservation.service, "service")


def _check_need(need: PlannedNeed, now: datetime) -> None:
    check_name(need.name)
    if not need.reason.strip():
        raise Invalid("a planned need needs a reason: who will ask, and what for", field="reason")
    if need.family not in (4, 6):
        raise Invalid(f"{need.family} is not a family", field="family", received=need.family, suggestions=[4, 6])
    lengths = [r.length for r in need.pool.ranges.all() if r.family == need.family]
    if not lengths:
        raise Invalid(f"pool {need.pool.name} has no IPv{need.family}", field="family", received=need.family)
    if not min(lengths) <= need.length <= BITS[need.family]:
        raise Invalid(
            f"a /{need.length} is wider than pool {need.pool.name}, or no IPv{need.family} length",
            field="length",
            received=need.length,
            suggestions=[min(max(need.length, min(lengths)), BITS[need.family])],
        )
    if need.day < now.date():
        raise Invalid(
            f"{need.day} has passed: a planned need is of a day to come",
            field="day",
            received=need.day,
            suggestions=[now.date()],
        )
    if not 1 <= need.count <= MOST_NEEDED:
        raise Invalid(f"{need.count} blocks: 1 to {MOST_NEEDED:,}", field="count", received=need.count)


def _does_it_fit(need: PlannedNeed) -> list[str]:
    """A need beyond what its pool has room for today says so."""
    space = need.pool.spaces.filter(family=need.family).first()
    fits = space.usage().still_fits(need.length) if space else 0
    if need.count <= fits:
        return []
    return [
        f"pool {need.pool.name} has room for {fits:,} × /{need.length} today: {need.count - fits:,} of this need do not fit"
    ]


def _check_tag_range(span: TagRange, now: datetime) -> None:
    for field in ("first", "last"):
        check_tag(getattr(span, field), field)
    if span.first > span.last:
        raise Invalid(
            f"tags run from {span.first} to {span.last}: the lower comes first",
            field="first",
            received=span.first,
            suggestions=[span.last],
        )
    if span.zone_id and span.region_id:
        raise Invalid("a range of tags is of a zone or of a region, not both", field="region")
    if span.forbidden and span.tier_id:
        raise Invalid("what is forbidden is so for every tier: leave out the tier", field="tier")
    same = TagRange.objects.filter(
        zone=span.zone_id, region=span.region_id, first__lte=span.last, last__gte=span.first
    )
    if other := same.exclude(pk=span.pk).first():
        raise Invalid(
            f"{span.first} to {span.last} overlaps {other.label_text}",
            field="first",
            received=span.first,
            rule="ranges of tags of one place do not overlap",
            conflicts=[{"range": other.label_text, "kind": "tag range", "id": other.pk}],
        )


def _tags_in_use(span: TagRange) -> list[str]:
    """Tags of a forbidden range that subnets have, and of one for a tier that others have."""
    rows = Subnet.objects.filter(tag__range=(span.first, span.last)).order_by("tag")
    if span.zone_id:
        rows = rows.filter(zone=span.zone_id)
    elif span.region_id:
        rows = rows.filter(region=span.region_id)
    if span.tier_id:
        rows = rows.exclude(tier=span.tier_id)
    if not span.forbidden and not span.tier_id:
        return []
    found = [f"{subnet.tag} ({subnet.name})" for subnet in rows[:9]]
    more = " and more" if len(found) > 8 else ""
    return [f"in use already: {', '.join(found[:8])}{more}"] if found else []


def _check_tag_member(member: TagMember, now: datetime) -> None:
    check_name(member.name)
    if member.tag is not None:
        check_tag(member.tag, "tag")
    if member.outer_tag:
        check_tag(member.outer_tag, "outer_tag")
    if TagMember.objects.filter(subnet=member.subnet, name=member.name).exclude(pk=member.pk).exists():
        raise Invalid(
            f"{member.name} is a member of {member.subnet.name} already",
            field="name",
            suggestions=[f"{member.name}-2"],
        )


def _differing_ends(member: TagMember) -> list[str]:
    """A member with another tag than its subnet says so."""
    subnet = member.subnet
    if member.pair() == (subnet.outer_tag, subnet.tag):
        return []
    own = (
        "none"
        if subnet.tag is None
        else f"{subnet.outer_tag}.{subnet.tag}"
        if subnet.outer_tag
        else str(subnet.tag)
    )
    there = f"{member.outer_tag}.{member.tag}" if member.outer_tag else str(member.tag)
    return [
        f"the tag is {there} at {member.name}, and that of {subnet.name} is {own}: the two do not hear one another"
    ]


def _check_person(person: Person, now: datetime) -> None:
    check_name(person.name)


def _subnets(field: str) -> Callable[[Any], tuple[str, QuerySet]]:
    return lambda record: ("subnet", Subnet.objects.filter(**{field: record}).order_by("place"))


def _subnets_in_pool(pool: Any) -> tuple[str, QuerySet]:
    """Subnets with a block in the pool, also where their other family is in another one."""
    return "subnet", Subnet.objects.filter(extents__pool=pool).distinct().order_by("place")


def _pools(field: str) -> Callable[[Any], tuple[str, QuerySet]]:
    return lambda record: ("pool", Pool.objects.filter(**{field: record}).order_by("name"))


def _reservations(field: str) -> Callable[[Any], tuple[str, QuerySet]]:
    return lambda record: ("reservation", Reservation.objects.filter(**{field: record}).order_by("name"))


def _plans(field: str) -> Callable[[Any], tuple[str, QuerySet]]:
    return lambda record: ("plan", Plan.objects.filter(**{field: record}).order_by("name"))


def _needs(field: str) -> Callable[[Any], tuple[str, QuerySet]]:
    return lambda record: ("planned need", PlannedNeed.objects.filter(**{field: record}).order_by("day"))


def _tag_ranges(field: str) -> Callable[[Any], tuple[str, QuerySet]]:
    return lambda record: ("tag range", TagRange.objects.filter(**{field: record}).order_by("first"))


def _uses(*of: Callable[[Any], tuple[str, QuerySet]]) -> Callable[[Any], list[tuple[str, QuerySet]]]:
    return lambda record: [use(record) for use in of]


KINDS: dict[str, RecordKind] = {
    "realm": RecordKind(Realm, "planner", _check_realm, _uses(_pools("realm"), _plans("realm"))),
    "rule sheet": RecordKind(Sheet, "admin", _check_sheet, _uses(_pools("sheet")), derived=_forbidden_of),
    "region": RecordKind(
        Region,
        "planner",
        _check_region,
        _uses(
            lambda r: ("zone", Zone.objects.filter(region=r).order_by("name")),
            lambda r: ("project", Project.objects.filter(home_region=r).order_by("name")),
            _pools("region"),
            _subnets("region"),
            _tag_ranges("region"),
        ),
    ),
    "zone": RecordKind(
        Zone,
        "planner",
        _check_named,
        _uses(_pools("zone"), _subnets("zone"), _reservations("zone"), _tag_ranges("zone")),
        fixed_in_use=("region",),
        remarks=_same_place,
    ),
    "tier": RecordKind(
        Tier,
        "planner",
        _check_named,
        _uses(_subnets("tier"), _reservations("tiers"), _tag_ranges("tier")),
        fixed_in_use=("exposure",),
    ),
    "project": RecordKind(
        Project,
        "planner",
        _check_project,
        _uses(
            _pools("project"), _subnets("project"), _reservations("projects"), _plans("project"), _needs("project")
        ),
        fixed_in_use=("name",),
    ),
    "pool": RecordKind(
        Pool,
        "planner",
        _check_pool,
        _uses(_pools("parent"), _subnets_in_pool, _reservations("pool"), _needs("pool")),
        fixed=("realm", "parent"),
        derived=_region_of,
    ),
    "keep-out": RecordKind(KeepOut, "planner", _check_keep_out, lambda r: [], fixed=("realm", "range")),
    "reservation": RecordKind(
        Reservation, "planner", _check_reservation, lambda r: [], fixed=("realm", "pool", "range", "family")
    ),
    "tag range": RecordKind(TagRange, "planner", _check_tag_range, lambda r: [], remarks=_tags_in_use),
    "tag member": RecordKind(
        TagMember, "planner", _check_tag_member, lambda r: [], fixed=("subnet",), remarks=_differing_ends
    ),
    "planned need": RecordKind(PlannedNeed, "planner", _check_need, lambda r: [], remarks=_does_it_fit),
    "person": RecordKind(
        Person,
        "admin",
        _check_person,
        _uses(lambda p: ("ledger entry", LedgerEntry.objects.filter(actor=p.pk).order_by("-number"))),
        fixed_in_use=("name",),
    ),
}
