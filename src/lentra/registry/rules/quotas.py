"""How many single public addresses a project may hold, and how many zones of a region it may use."""

from __future__ import annotations

from collections.abc import Iterable
from datetime import datetime

from django.db.models import Q, QuerySet

from lentra.addressing.extents import State
from lentra.addressing.prefix import BITS
from lentra.registry.errors import QuotaReached
from lentra.registry.models import ExtentRow, Pool, Project, Region, SubnetSum, Zone
from lentra.registry.models.subnets import ANY_FAMILY, SUBNET_STATES
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


def held_addresses(project: Project, now: datetime, pools: list[int] | None = None) -> QuerySet[ExtentRow]:
    """The single public addresses that a project holds; what has ended by now is not held.

    Args:
        pools: numbers of those public pools that it may have any in; all of them if None.
    """
    standing = Q(subnet__ends_at=None) | Q(subnet__ends_at__gt=now)
    # Looked up first: public space is little, and where it lies the extents are found by their key.
    public = list(Pool.objects.filter(exposure="public").values_list("pk", flat=True)) if pools is None else pools
    rows = ExtentRow.objects.filter(standing, subnet__project=project, pool__in=public, state__in=_HELD)
    single = Q(family=4, length=BITS[4]) | Q(family=6, length=BITS[6])
    return rows.filter(single)
