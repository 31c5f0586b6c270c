"""What a report is made of: the same queries that the API answers from, and their drawings."""

from __future__ import annotations

from datetime import datetime, timedelta
from typing import Any

from lentra.api.report.drawings import bars, grid_drawing, map_drawing, over_time
from lentra.registry.foresight.alerts import alert_facts
from lentra.registry.foresight.headroom import overview, owner_headroom, realm_headroom
from lentra.registry.models import Alert, PlannedNeed, Pool, Project, Realm
from lentra.registry.reports.breakdown import breakdown
from lentra.registry.reports.idle import first_idle
from lentra.registry.reports.project_grid import project_grid
from lentra.registry.reports.seen import worst_findings
from lentra.registry.reports.space_map import ranges_to_map, space_map
from lentra.registry.reports.usage_history import changes_between

_CHANGES = timedelta(days=30)
_MOST_ROWS = 100  # of one table: a report is read on paper
_MOST_POOLS = 1000
_MOST_MAPS = 4


def realm_figures(realm: Realm, now: datetime) -> dict[str, Any]:
    """The report of a realm: growth per family, maps, every pool, who uses it, alerts, needs, changes, idle things."""
    headroom = realm_headroom(realm, now)
    every = Pool.objects.filter(realm=realm).order_by("name")
    pools = list(every.select_related("realm")[:_MOST_POOLS])
    by_project = breakdown(["project"], realm=realm)
    alerts = Alert.objects.filter(pool__realm=realm).exclude(living=None).select_related("pool__realm")
    starts = ranges_to_map(realm, None, None)
    maps = [space_map(realm, row.prefix) for row in starts[:_MOST_MAPS]]
    return {
        "kind": "realm",
        "name": realm.name,
        "about": realm.about,
        "made_at": now,
        "headroom": [row | {"drawing": over_time(row, realm.name)} for row in headroom],
        "maps": [shown | {"drawing": map_drawing(shown)} for shown in maps],
        "maps_left": max(0, len(starts) - _MOST_MAPS),
        "pools": overview(pools, now),
        "by_project": by_project[:_MOST_ROWS],
        "by_zone": breakdown(["zone"], realm=realm)[:_MOST_ROWS],
        "bars": bars(by_project, "project"),
        "alerts": [alert_facts(alert) for alert in alerts.order_by("pk")[:_MOST_ROWS]],
        "needs": _needs(PlannedNeed.objects.filter(pool__realm=realm), now),
        "changes": changes_between(
            (now - _CHANGES).date(), now.date(), Pool.objects.filter(realm=realm).values_list("pk", flat=True)
        ),
        "idle": first_idle(now, _MOST_ROWS, realm=realm),
        "findings": worst_findings(realm=realm)[:_MOST_ROWS],
        "most": _MOST_ROWS,
        "pools_left": max(0, every.count() - _MOST_POOLS),
    }


def project_figures(project: Project, now: datetime) -> dict[str, Any]:
    """The report of a project: growth per family, zones × tiers, usage by zone and pool, needs, idle things."""
    grid = project_grid(project)
    by_zone = breakdown(["zone"], project=project)
    return {
        "kind": "project",
        "name": project.name,
        "about": project.title,
        "made_at": now,
        "headroom": [row | {"drawing": over_time(row, project.name)} for row in owner_headroom(project, now)],
        "grid": grid,
        "grid_drawing": grid_drawing(grid),
        "by_zone": by_zone[:_MOST_ROWS],
        "by_pool": breakdown(["pool"], project=project)[:_MOST_ROWS],
        "bars": bars(by_zone, "zone"),
        "needs": _needs(PlannedNeed.objects.filter(project=project), now),
        "idle": first_idle(now, _MOST_ROWS, project=project),
        "findings": worst_findings(project=project.pk)[:_MOST_ROWS],
        "most": _MOST_ROWS,
    }


def _needs(rows: Any, now: datetime) -> list[PlannedNeed]:
    return list(rows.filter(day__gte=now.date()).select_related("pool", "project").order_by("day")[:_MOST_ROWS])
