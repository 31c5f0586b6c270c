"""What records of set-up must be: the checks of each kind, and what is worth remarking about one."""

from __future__ import annotations

from collections.abc import Container
from dataclasses import fields
from datetime import datetime
from typing import Any

from django.db.models.functions import Lower

from lentra.addressing.prefix import BITS, parse_range, range_text
from lentra.addressing.refusal import Refusal
from lentra.addressing.rules import FamilyRules
from lentra.addressing.special import is_private
from lentra.registry.errors import InUse, Invalid, NotPrivate, ZoneNotInRegion
from lentra.registry.models import (
    KeepOut,
    Person,
    PlannedNeed,
    Pool,
    PoolRange,
    Realm,
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
from lentra.registry.rules.places import check_place
from lentra.registry.rules.tags import check_tag
from lentra.registry.rules.zone_limits import over_zone_limit

MOST_NEEDED = 1_000_000  # blocks of one planned need
MOST_FORBIDDEN = 64


def check_named(record: Any, now: datetime) -> None:
    """A name that can be one."""
    check_name(record.name)


def check_zone(zone: Zone, now: datetime) -> None:
    """A name, and a place that there is."""
    check_name(zone.name)
    check_place(zone)


def check_tier(tier: Tier, now: datetime) -> None:
    """A name, and a template that names in DNS can be made of, if it has one of its own."""
    check_name(tier.name)
    if tier.host_names:
        check_template(tier.host_names, "host_names")


def check_realm(realm: Realm, now: datetime) -> None:
    """Templates that make names, a pattern that names can be of, and no public range in a realm that is private only."""
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


def check_sheet(sheet: Sheet, now: datetime) -> None:
    """Rules that do not contradict themselves."""
    check_name(sheet.name)
    if not sheet.v4 and not sheet.v6:
        raise Invalid("a rule sheet needs rules for IPv4, IPv6 or both", field="v4")
    for field, family in (("v4", 4), ("v6", 6)):
        if (values := getattr(sheet, field)) is not None:
            check_family_rules(field, family, values)
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


def forbidden_of(sheet: Sheet, given: Container[str]) -> dict[str, Any]:
    """The forbidden ranges as they are written everywhere."""
    if "forbidden" not in given:
        return {}
    if not isinstance(sheet.forbidden, list | tuple) or len(sheet.forbidden) > MOST_FORBIDDEN:
        raise Invalid(f"a sheet forbids {MOST_FORBIDDEN} ranges at most, in a list", field="forbidden")
    try:
        return {"forbidden": [range_text(*parse_range(str(text))) for text in sheet.forbidden]}
    except Refusal as refusal:
        raise refusal.about("forbidden")


def check_family_rules(field: str, family: int, values: Any) -> None:
    """The rules of one family: all there, in order, and a subnet that has usable addresses."""
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


def check_pool(pool: Pool, now: datetime) -> None:
    """Place, thresholds and bounds that go together, also with the subnets that are there."""
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

    _check_announced(pool)
    if pool.pk:
        refuse_elsewhere(pool)


def _check_announced(pool: Pool) -> None:
    """An AS number that is one, and lengths that can be announced by it."""
    if pool.origin_as is None:
        if pool.announced_v4 is not None or pool.announced_v6 is not None:
            raise Invalid("who announces them", field="origin_as", suggestions=[64496])
        return
    if not 0 <= pool.origin_as < 1 << 32:
        raise Invalid(
            f"{pool.origin_as:,} is no AS number: 0 to 4,294,967,295 (RFC 6793)",
            field="origin_as",
            received=pool.origin_as,
            suggestions=[64496],
        )
    for field, bits in (("announced_v4", 32), ("announced_v6", 128)):
        length = getattr(pool, field)
        if length is not None and not 0 < length <= bits:
            raise Invalid(f"the longest part is a /1 to /{bits}", field=field, received=length, suggestions=["24"])


def refuse_elsewhere(pool: Pool) -> None:
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


def region_of(pool: Pool, given: Container[str]) -> dict[str, Any]:
    """A pool that serves a zone serves its region."""
    return {"region": pool.zone.region} if pool.zone and ("region" not in given or not pool.region_id) else {}


def check_region(region: Region, now: datetime) -> None:
    """A limit of zones that no project is beyond already."""
    check_name(region.name)
    check_place(region)
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


def same_place(zone: Zone) -> list[str]:
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


def check_keep_out(keep_out: KeepOut, now: datetime) -> None:
    """A reason; one that follows from links says what they say."""
    if keep_out.kind == "linked" and keep_out.in_favour_of_id is None:
        raise Invalid(
            "what links keep out is declared by adding a link",
            field="kind",
            received="linked",
            suggestions=["tunnel"],
        )
    if keep_out.pk and not keep_out.declared:
        kept = KeepOut.objects.get(pk=keep_out.pk)
        if keep_out.certainty != kept.certainty or keep_out.kind != kept.kind:
            raise Invalid(
                f"{keep_out.range_text} is kept out by what was found or linked: its certainty and its kind follow",
                field="certainty",
            )
    if not keep_out.reason.strip():
        raise Invalid("a keep-out needs a reason: who uses the range, or what forbids it", field="reason")


def check_reservation(reservation: Reservation, now: datetime) -> None:
    """A reason, and a service that is a name."""
    if not reservation.reason.strip():
        raise Invalid("a reservation needs a reason: what the range is kept for", field="reason")
    if reservation.service:
        check_name(reservation.service, "service")


def check_need(need: PlannedNeed, now: datetime) -> None:
    """A day to come, and blocks that its pool could ever have."""
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


def does_it_fit(need: PlannedNeed) -> list[str]:
    """A need beyond what its pool has room for today says so."""
    space = need.pool.spaces.filter(family=need.family).first()
    fits = space.usage().still_fits(need.length) if space else 0
    if need.count <= fits:
        return []
    return [
        f"pool {need.pool.name} has room for {fits:,} × /{need.length} today: {need.count - fits:,} of this need do not fit"
    ]


def check_tag_range(span: TagRange, now: datetime) -> None:
    """Tags in order, of one place, that no other range there has."""
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


def tags_in_use(span: TagRange) -> list[str]:
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


def check_tag_member(member: TagMember, now: datetime) -> None:
    """Tags that are tags, and a name that is a member once."""
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


def differing_ends(member: TagMember) -> list[str]:
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


def check_person(person: Person, now: datetime) -> None:
    """A name that can be one."""
    check_name(person.name)
