"""How many zones of a region a project may use."""

from __future__ import annotations

from collections.abc import Iterable

from django.db.models import QuerySet

from lentra.registry.errors import QuotaReached
from lentra.registry.models import Project, Region, SubnetSum, Zone
from lentra.registry.models.subnets import ANY_FAMILY, SUBNET_STATES
from lentra.registry.transactions.change import Change
from lentra.registry.transactions.locks import lock


def refuse_more_zones(change: Change, project: Project, region: Region, zones: Iterable[Zone]) -> None:
    """Refuse zones of a region beyond those that a project may use there; locks the project.

    Raises:
        QuotaReached: names the zones that it uses.
    """
    limit = region.zones_per_project
    if limit is None:
        return
    lock(Project, project.pk)
    used = zones_in_use(project, region)
    wanted = used | {zone.name for zone in zones}
    if len(wanted) <= limit or wanted == used:
        return
    new = ", ".join(sorted(wanted - used))
    raise QuotaReached(
        f"project {project.name} uses {len(used)} zones of {region.name} ({', '.join(sorted(used))}) and may use {limit}: "
        f"{new} is beyond that",
        field="zone",
        received=new,
        rule=f"{region.name}: {limit} zones a project",
        conflicts=[{"range": name, "kind": "zone", "owner": project.name} for name in sorted(used)],
        suggestions=sorted(used),
    )


def zones_in_use(project: Project, region: Region) -> set[str]:
    """The zones of a region in which a project has subnets that do not cool."""
    rows = _standing(region).filter(project=project.pk)
    return set(Zone.objects.filter(pk__in=rows.values("zone")).values_list("name", flat=True))


def over_zone_limit(region: Region, limit: int) -> list[tuple[str, list[str]]]:
    """Projects that use more zones of a region than a limit, with these."""
    used: dict[int, set[int]] = {}
    for project, zone in _standing(region).values_list("project", "zone"):
        used.setdefault(project, set()).add(zone)
    over = {project: zones for project, zones in used.items() if len(zones) > limit}
    names = dict(Zone.objects.filter(region=region).values_list("pk", "name"))
    projects = Project.objects.filter(pk__in=over).order_by("name")
    return [(project.name, sorted(names[zone] for zone in over[project.pk])) for project in projects]


def _standing(region: Region) -> QuerySet[SubnetSum]:
    """The sums of subnets in zones of a region that do not cool."""
    rows = SubnetSum.objects.filter(region=region.pk, family=ANY_FAMILY, subnets__gt=0).exclude(zone=0)
    return rows.exclude(state=SUBNET_STATES.index("cooling"))
