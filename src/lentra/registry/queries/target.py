"""Who a request is for and where it goes, read in one statement."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from django.db.models import BooleanField, CharField, Exists, F, IntegerField, OuterRef, Value

from lentra.registry.errors import Invalid, ZoneNotInRegion
from lentra.registry.models import Membership, Person, Project, Region, Tier, Zone
from lentra.registry.queries.find import find


@dataclass
class Target:
    """Project, tier and place of a request. `member`: whether the actor belongs to the project."""

    project: Project
    tier: Tier
    zone: Zone | None
    region: Region
    member: bool


def resolve_target(actor: Person | None, project: Any, tier: Any, zone: Any, region: Any) -> Target:
    """Find project, tier, zone and region by name or number.

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
    rows = _by_name(actor, project, tier, zone, region)
    got_project, member = rows.get("project", (None, None))
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
    return Target(found_project, found_tier, found_zone, found_region, bool(member))


def _by_name(actor: Person | None, project: Any, tier: Any, zone: Any, region: Any) -> dict[str, tuple]:
    """Whatever of the four is given by name and exists: kind -> (record, actor is a member)."""
    number, text, flag = IntegerField(), CharField(), BooleanField()
    belongs = Membership.objects.filter(person=actor.pk if actor else 0, project=OuterRef("pk"))
    columns = ("what", "pk", "name", "word", "member", "over", "over_name")
    nothing = {"member": Value(False, flag), "over": Value(0, number), "over_name": Value("", text)}
    parts = []
    if isinstance(project, str):
        parts.append(
            Project.objects.filter(name=project).annotate(
                what=Value("project", text), word=F("environment"), **nothing | {"member": Exists(belongs)}
            )
        )
    if isinstance(tier, str):
        parts.append(
            Tier.objects.filter(name=tier).annotate(what=Value("tier", text), word=F("exposure"), **nothing)
        )
    if isinstance(zone, str):
        over = {"over": F("region_id"), "over_name": F("region__name")}
        parts.append(
            Zone.objects.filter(name=zone).annotate(what=Value("zone", text), word=F("physical"), **nothing | over)
        )
    if isinstance(region, str):
        parts.append(
            Region.objects.filter(name=region).annotate(
                what=Value("region", text), word=Value("", text), **nothing
            )
        )
    if not parts:
        return {}
    rows = [part.values_list(*columns) for part in parts]
    found: dict[str, tuple] = {}
    for what, pk, name, word, member, over, over_name in rows[0].union(*rows[1:], all=True):
        record: Any
        if what == "project":
            record = Project(id=pk, name=name, environment=word)
        elif what == "tier":
            record = Tier(id=pk, name=name, exposure=word)
        elif what == "zone":
            record = Zone(id=pk, name=name, physical=word, region=Region(id=over, name=over_name))
        else:
            record = Region(id=pk, name=name)
        found[what] = (record, bool(member) if what == "project" else None)
    return found
