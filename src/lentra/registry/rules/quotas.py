"""How many single public addresses a project may hold, and how many zones of a region it may use."""

from __future__ import annotations

from collections.abc import Iterable
from datetime import datetime

from django.db.models import Q, QuerySet

from lentra.addressing.extents import State
from lentra.addressing.prefix import BITS
from lentra.registry.errors import QuotaReached
from lentra.registry.models import ExtentRow, Project, Region, Subnet, Zone
from lentra.registry.transactions.change import Change
from lentra.registry.transactions.locks import lock

_HELD = (State.HELD, State.HANDED_OUT)


def refuse_over_quota(
    change: Change, project: Project, lengths: Iterable[tuple[int, int]], count: int = 1
) -> None:
    """Refuse single public addresses beyond a project's quota; locks the project.

    Args:
        lengths: family and length of each block out of a public pool; `count` times over.

    Raises:
        QuotaReached: names the held ones that are idle.
    """
    asked = count * sum(1 for family, length in lengths if length == BITS[family])
    if not asked:
        return
    quota = lock(Project, project.pk).public_quota
    if quota is None:
        return
    rows = held_addresses(project, change.now)
    held = rows.count()
    if held + asked <= quota:
        return
    idle = list(rows.filter(subnet__attached_to="").select_related("subnet").order_by("first")[:20])
    words = f"; idle: {', '.join(f'{row.prefix} ({row.subnet.name})' for row in idle[:5])}" if idle else ""
    raise QuotaReached(
        f"project {project.name} holds {held} public addresses, its quota is {quota}, and {asked} more are asked for{words}",
        field="project",
        received=project.name,
        rule=f"public addresses of {project.name}: {quota}",
        conflicts=[{"range": str(row.prefix), "owner": row.subnet.name, "state": "idle"} for row in idle],
        suggestions=[f"attach {idle[0].subnet.name}" if idle else "give one back"],
    )


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
    rows = Subnet.objects.filter(project=project, region=region, zone__isnull=False).exclude(state="cooling")
    return set(rows.order_by().values_list("zone__name", flat=True).distinct())


def over_zone_limit(region: Region, limit: int) -> list[tuple[str, list[str]]]:
    """Projects that use more zones of a region than a limit, with these."""
    rows = (
        Subnet.objects.filter(region=region, zone__isnull=False).exclude(state="cooling").order_by("project__name")
    )
    used: dict[str, set[str]] = {}
    for project, zone in rows.values_list("project__name", "zone__name").distinct():
        used.setdefault(project, set()).add(zone)
    return [(project, sorted(zones)) for project, zones in used.items() if len(zones) > limit]


def held_addresses(project: Project, now: datetime) -> QuerySet[ExtentRow]:
    """The single public addresses that a project holds; what has ended by now is not held."""
    standing = Q(subnet__ends_at=None) | Q(subnet__ends_at__gt=now)
    rows = ExtentRow.objects.filter(standing, subnet__project=project, pool__exposure="public", state__in=_HELD)
    single = Q(family=4, length=BITS[4]) | Q(family=6, length=BITS[6])
    return rows.filter(single)
