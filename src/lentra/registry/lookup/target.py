"""Who a request is for and where it goes, read in one statement."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache
from typing import Any

from django.db.models import BooleanField, CharField, Exists, F, IntegerField, OuterRef, QuerySet, Value
from django.db.models.functions import Cast

from lentra.registry.errors import Invalid, ZoneNotInRegion
from lentra.registry.lookup.find import find
from lentra.registry.lookup.kept import known
from lentra.registry.lookup.pools import pool_of, pool_query
from lentra.registry.models import Membership, Person, Pool, Project, Quota, Region, Subnet, Tier, Zone
from lentra.registry.transactions.change import Change
from lentra.registry.transactions.revision import revision_in, revision_of_set_up
from lentra.registry.transactions.sql import Prepared, Slot, read_together


@dataclass
class Target:
    """Project, tier, place and pool of a request.

    `member`: whether the actor belongs to the project. `pool`: None if the request names none. `limited`: whether the
    project has a quota of anything.
    """

    project: Project
    tier: Tier
    zone: Zone | None
    region: Region
    member: bool
    pool: Pool | None
    limited: bool = True


def resolve_target(change: Change, project: Any, tier: Any, zone: Any, region: Any, pool: Any = None) -> Target:
    """Find project, tier, zone, region and pool by name or number; kept by this process, as long as the set-up stays.

    Raises:
        UnknownName: with the nearest names.
        Invalid: neither zone nor region is given.
        ZoneNotInRegion: they do not belong together.
    """
    for field, value in (("project", project), ("tier", tier)):
        if value in (None, ""):
            raise Invalid(f"{field} is missing", field=field)
    if zone in (None, "") and region in (None, ""):
        raise Invalid(
            "say where: a zone, or a region where no zone applies",
            field="zone",
            suggestions=list(Zone.objects.order_by("name").values_list("name", flat=True)[:10]),
        )
    actor = change.actor
    given = (project, tier, zone, region, pool)
    if not all(isinstance(ref, str | int | None) for ref in given):
        return _read(actor, *given)[0]
    return known(change, ("target", actor.pk if actor else 0, *given), lambda: _read(actor, *given))


def _read(actor: Person | None, project: Any, tier: Any, zone: Any, region: Any, pool: Any) -> tuple[Target, int]:
    """Find it in the database; told with the revision of the set-up."""
    rows, found_pool, revision = _by_name(actor, project, tier, zone, region, pool)
    got_project, member, limited = rows.get("project", (None, None, None))
    got_zone, got_region = rows.get("zone", (None, None))[0], rows.get("region", (None, None))[0]
    found_project = got_project or find(Project, project, "project")
    if member is None:
        member = actor is not None and Membership.objects.filter(person=actor, project=found_project).exists()
    found_zone = None
    if zone not in (None, ""):
        found_zone = got_zone or find(Zone, zone, "zone", related=("region",))
    if region not in (None, ""):
        found_region = got_region or find(Region, region, "region")
        if found_zone and found_zone.region_id != found_region.pk:
            raise ZoneNotInRegion(
                f"zone {found_zone.name} is in region {found_zone.region.name}, not {found_region.name}",
                field="zone",
                received=found_zone.name,
                suggestions=[z.name for z in found_region.zones.order_by("name")[:10]],
            )
    else:
        assert found_zone is not None
        found_region = found_zone.region
    found_tier = rows.get("tier", (None, None))[0] or find(Tier, tier, "tier")
    if limited is None:
        limited = Quota.objects.filter(project=found_project).exists()
    found = Target(found_project, found_tier, found_zone, found_region, bool(member), found_pool, bool(limited))
    return found, revision


def target_of(subnet: Subnet) -> Target:
    """Who a subnet is for and where it is."""
    return Target(subnet.project, subnet.tier, subnet.zone, subnet.region, True, subnet.pool)


def _by_name(
    actor: Person | None, project: Any, tier: Any, zone: Any, region: Any, pool: Any
) -> tuple[dict[str, tuple], Pool | None, int]:
    """Whatever of the four is given by name and exists: kind -> (record, actor is a member, it has a quota); the pool; the
    revision."""
    given = {"project": project, "tier": tier, "zone": zone, "region": region}
    names = {kind: name for kind, name in given.items() if isinstance(name, str)}
    queries = [revision_of_set_up()]
    if names:
        queries.append((_names(tuple(names)), {"person": actor.pk if actor else 0, **names}))
    if pool not in (None, ""):
        queries.append(pool_query(pool))
    results = read_together(*queries)
    found_pool = pool_of(results[-1], pool) if pool not in (None, "") else None
    rows = results[1] if names else []
    found: dict[str, tuple] = {}
    for what, pk, name, word, member, over, over_name, limit in rows:
        record: Any
        if what == "project":
            record = Project(id=pk, name=name, environment=word)
            found[what] = (record, bool(member), bool(over))
            continue
        elif what == "tier":
            record = Tier(id=pk, name=name, exposure=word)
        elif what == "zone":
            within = Region(id=over, name=over_name, zones_per_project=limit)
            record = Zone(id=pk, name=name, physical=word, region=within)
        else:
            record = Region(id=pk, name=name, zones_per_project=limit)
        found[what] = (record, None)
    return found, found_pool, revision_in(results[0])


@cache
def _names(kinds: tuple[str, ...]) -> Prepared:
    """One statement that looks up a name of each kind."""
    number, text, flag = IntegerField(), CharField(), BooleanField()
    belongs = Membership.objects.filter(person=Slot("person"), project=OuterRef("pk"))
    has_quota = Cast(Exists(Quota.objects.filter(project=OuterRef("pk"))), number)
    models = {"project": Project, "tier": Tier, "zone": Zone, "region": Region}
    words: dict[str, Any] = {
        "project": F("environment"),
        "tier": F("exposure"),
        "zone": F("physical"),
        "region": Value("", text),
    }

    limits = {"zone": "region__zones_per_project", "region": "zones_per_project"}

    def part(kind: str) -> QuerySet:
        in_zone = kind == "zone"
        rows = models[kind]._default_manager.filter(name=Slot(kind))
        return rows.annotate(
            what=Value(kind, text),
            word=words[kind],
            member=Exists(belongs) if kind == "project" else Value(False, flag),
            over=F("region_id") if in_zone else has_quota if kind == "project" else Value(0, number),
            over_name=F("region__name") if in_zone else Value("", text),
            limit=F(limits[kind]) if kind in limits else Value(None, number),
        ).values_list("what", "pk", "name", "word", "member", "over", "over_name", "limit")

    parts = [part(kind) for kind in kinds]
    return Prepared(lambda: parts[0].union(*parts[1:], all=True) if len(parts) > 1 else parts[0])
