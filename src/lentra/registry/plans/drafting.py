"""A plan's text out of several needs that were sized and packed."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import Any

import yaml

from lentra.registry.errors import Invalid
from lentra.registry.models import Pool, Project, Tier, Zone


def draft_plan(
    needs: Iterable[Mapping[str, Any]],
    project: Project,
    pool: Pool,
    zones: Iterable[Zone],
    tier: Tier | None = None,
    family: int = 4,
) -> str:
    """The text of a plan that hands out each need in each zone, or in the need's own.

    Args:
        needs: ``name``, ``hosts`` with ``growth`` or ``length``, and ``zone`` if it is for one alone.
        tier: of those whose name is no tier's.

    Raises:
        Invalid: a need's name is no tier's, and no tier is given; or its zone is none of them.
    """
    names = [zone.name for zone in zones]
    rows = list(needs)
    tiers = set(Tier.objects.filter(name__in=[need["name"] for need in rows]).values_list("name", flat=True))
    entries: list[dict[str, Any]] = []
    for need in rows:
        name = need["name"]
        if name not in tiers and tier is None:
            raise Invalid(
                f"there is no tier {name!r}: say which tier such subnets are of",
                field="tier",
                received=name,
                suggestions=list(Tier.objects.order_by("name").values_list("name", flat=True)[:8]),
            )
        entry: dict[str, Any] = {"tier": name if name in tiers or tier is None else tier.name}
        if entry["tier"] != name:
            entry["as"] = name
        entry |= {what: need[what] for what in ("hosts", "length") if need.get(what) is not None}
        if need.get("growth"):
            entry["growth"] = need["growth"]
        if zone := need.get("zone"):
            if zone not in names:
                raise Invalid(
                    f"{name} is for zone {zone}, which is none of the plan's", field="zones", suggestions=names
                )
            entry["zones"] = [zone]
        entries.append(entry)
    document = {
        "format": "lentra-plan-1",
        "name": f"{project.name}-layout",
        "project": project.name,
        "realm": pool.realm.name,
        "pools": {f"ipv{family}": pool.name},
        "zones": names,
        "tiers": entries,
    }
    return str(yaml.safe_dump(document, sort_keys=False, allow_unicode=True))
