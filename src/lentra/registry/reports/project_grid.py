"""A project over zones and tiers: what it has in each, how much of it is used, and where something is missing."""

from __future__ import annotations

from typing import Any

from django.db.models import Count

from lentra.registry.models import Address, Project, Subnet

MOST_SUBNETS = 5000
ELSEWHERE = "no zone"


def project_grid(project: Project) -> dict[str, Any]:
    """The zones and tiers of a project's subnets in use, and a cell for each pair of them.

    Returns:
        ``zones`` and ``tiers`` in order of name; ``cells`` with ``zone``, ``tier``, their ``subnets`` (``name``, ``blocks``,
        ``room``, ``usable`` and ``hosts`` of IPv4), sums of the latter two, and ``gap``: the tier is elsewhere, not here.
    """
    rows = Subnet.objects.filter(project=project, state__in=("active", "retiring", "held"))
    rows = rows.select_related("zone", "region", "tier", "pool__sheet").prefetch_related("extents")
    subnets = list(rows.order_by("place")[:MOST_SUBNETS])
    recorded = dict(
        Address.objects.filter(subnet__project=project, family=4)
        .values_list("subnet")
        .annotate(n=Count("id"))
        .order_by()
    )
    by_cell: dict[tuple[str, str], list[Subnet]] = {}
    for subnet in subnets:
        zone = subnet.zone.name if subnet.zone else ELSEWHERE
        by_cell.setdefault((zone, subnet.tier.name), []).append(subnet)
    zones = sorted({zone for zone, _ in by_cell})
    tiers = sorted({tier for _, tier in by_cell})
    return {
        "project": {"id": project.pk, "name": project.name},
        "zones": zones,
        "tiers": tiers,
        "cells": [_cell(zone, tier, by_cell.get((zone, tier), []), recorded) for tier in tiers for zone in zones],
    }


def _cell(zone: str, tier: str, subnets: list[Subnet], recorded: dict[int, int]) -> dict[str, Any]:
    shown = [_subnet(subnet, recorded) for subnet in subnets]
    usable = sum(int(row["usable"] or 0) for row in shown)
    hosts = sum(int(row["hosts"] or 0) for row in shown)
    return {
        "zone": zone,
        "tier": tier,
        "gap": not subnets and zone != ELSEWHERE,
        "usable": str(usable),
        "hosts": str(hosts),
        "subnets": shown,
    }


def _subnet(subnet: Subnet, recorded: dict[int, int]) -> dict[str, Any]:
    rules = subnet.pool.sheet.rules().v4
    usable = sum(rules.usable(block) for block in subnet.blocks() if block.family == 4) if rules else 0
    hosts = recorded.get(subnet.pk) or subnet.hosts
    return {
        "id": subnet.pk,
        "name": subnet.name,
        "blocks": [str(block) for block in subnet.blocks()],
        "room": [str(piece) for piece in subnet.room()],
        "usable": str(usable) if usable else None,
        "hosts": None if hosts is None else str(hosts),
    }
