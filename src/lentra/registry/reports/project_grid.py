"""A project over zones and tiers: what it has in each, how much of it is used, and where something is missing."""

from __future__ import annotations

from typing import Any

from django.db.models import Count, QuerySet

from lentra.addressing.extents import State
from lentra.registry.lookup.rules_in_force import ipv4_rules_of
from lentra.registry.models import Address, Project, Subnet, SubnetSum, Tier, Zone
from lentra.registry.models.subnets import ANY_FAMILY, SUBNET_STATES
from lentra.registry.transactions.sql import Prepared, Slot, read_together

EACH = 8  # subnets that are named in a cell; the others are counted
ELSEWHERE = "no zone"
_SHOWN = ("active", "retiring", "held")
_IN_USE = (State.HANDED_OUT, State.HELD)

Place = tuple[int, int]  # zone (0 for none) and tier


def _first_of(**zone: Any) -> Prepared:
    """The first subnets of a project in a tier and zone, by an index in that order."""
    return Prepared(
        lambda: (
            Subnet.objects.filter(project=Slot("project"), tier=Slot("tier"), state__in=_SHOWN, **zone)
            .order_by("place")
            .values_list("pk")[:EACH]
        )
    )


_in_zone, _without_zone = _first_of(zone=Slot("zone")), _first_of(zone__isnull=True)


def project_grid(project: Project) -> dict[str, Any]:
    """The zones and tiers of a project's subnets in use, and a cell for each pair of them.

    Returns:
        ``zones`` and ``tiers`` in order of name; ``cells`` with ``zone``, ``tier``, the ``count`` of their subnets, the
        first of these (``name``, ``blocks``, ``room``, ``usable`` and ``hosts`` of IPv4), sums of the latter two, and
        ``gap``: the tier is elsewhere, not here.
    """
    sums = SubnetSum.objects.filter(project=project.pk)
    counts = _counts(sums)
    named = {model: dict(model._default_manager.values_list("pk", "name")) for model in (Zone, Tier)}
    zones = sorted({zone for zone, _ in counts}, key=lambda zone: named[Zone].get(zone, ELSEWHERE))
    tiers = sorted({tier for _, tier in counts}, key=lambda tier: named[Tier][tier])
    use, shown = _use(sums), _first(project, list(counts))
    return {
        "project": {"id": project.pk, "name": project.name},
        "zones": [named[Zone].get(zone, ELSEWHERE) for zone in zones],
        "tiers": [named[Tier][tier] for tier in tiers],
        "cells": [
            {
                "zone": named[Zone].get(zone, ELSEWHERE),
                "tier": named[Tier][tier],
                "gap": (zone, tier) not in counts and bool(zone),
                "count": counts.get((zone, tier), 0),
                "usable": str(use.get((zone, tier), (0, 0))[0]),
                "hosts": str(use.get((zone, tier), (0, 0))[1]),
                "subnets": shown.get((zone, tier), []),
            }
            for tier in tiers
            for zone in zones
        ],
    }


def _counts(sums: QuerySet[SubnetSum]) -> dict[Place, int]:
    """How many subnets there are at each place."""
    states = [SUBNET_STATES.index(state) for state in _SHOWN]
    counts: dict[Place, int] = {}
    rows = sums.filter(family=ANY_FAMILY, state__in=states, subnets__gt=0)
    for zone, tier, subnets in rows.values_list("zone", "tier", "subnets"):
        counts[zone, tier] = counts.get((zone, tier), 0) + subnets
    return counts


def _use(sums: QuerySet[SubnetSum]) -> dict[Place, tuple[int, int]]:
    """Usable IPv4 addresses at each place, and how many of them are used."""
    rules = ipv4_rules_of(sums)
    found: dict[Place, tuple[int, int]] = {}
    rows = sums.filter(family=4, state__in=_IN_USE, extents__gt=0)
    for zone, tier, pool, length, extents, hosts in rows.values_list(
        "zone", "tier", "pool", "length", "extents", "hosts"
    ):
        usable, used = found.get((zone, tier), (0, 0))
        more = extents * rules[pool].usable_of(1 << (32 - length)) if pool in rules else 0
        found[zone, tier] = (usable + more, used + hosts)
    return found


def _first(project: Project, places: list[Place]) -> dict[Place, list[dict[str, Any]]]:
    """The first subnets of each place, as they are shown: one statement for each, all in one round trip."""
    if not places:
        return {}
    at = {"project": project.pk}
    asked = [
        (_in_zone, at | {"zone": zone, "tier": tier}) if zone else (_without_zone, at | {"tier": tier})
        for zone, tier in places
    ]
    numbers = [[pk for (pk,) in rows] for rows in read_together(*asked)]
    wanted = {pk for own in numbers for pk in own}
    found = Subnet.objects.filter(pk__in=wanted).prefetch_related("pool__sheet", "extents").in_bulk()
    records = Address.objects.filter(subnet__in=wanted, family=4).order_by().values_list("subnet")
    recorded = dict(records.annotate(n=Count("pk")))
    return {
        place: [_subnet(found[pk], recorded) for pk in own if pk in found]
        for place, own in zip(places, numbers, strict=True)
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
