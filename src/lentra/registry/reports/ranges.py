"""Lists of ranges for access rules and routes: all prefixes of a realm, pool, project, zone or tier."""

from __future__ import annotations

from datetime import date
from typing import Any

from lentra.addressing.extents import State
from lentra.addressing.prefix import Prefix, aggregate, parse_prefix
from lentra.registry.lookup.any_of import any_of
from lentra.registry.models import ExtentRow, LedgerEntry, Realm
from lentra.registry.transactions.clock import start_of

_IN_USE = (State.HANDED_OUT, State.HELD)
_ENDED = ("give back", "end cooling", "end hold", "shrink", "rebase")
_KEYS = {
    "realm": "realm_id",
    "pool": "pool_id",
    "project": "project_id",
    "region": "region_id",
    "zone": "zone_id",
    "tier": "tier_id",
}


def ranges_of(
    family: int | None = None, aggregated: bool = False, since: date | None = None, **of: Any
) -> list[dict[str, Any]]:
    """The blocks in use that match every filter, in order; or the fewest prefixes that cover exactly the same.

    Args:
        since: mark what came since that day, and list what went, so that rules can be completed.
        of: records to filter by: realm, pool, project, region, zone, tier; several of one name mean any of them.

    Returns:
        rows with ``prefix``, ``family``, ``realm``, ``mark`` (empty, added or gone) and, unless aggregated, ``name`` of the
        subnet, ``project``, ``zone`` and ``tier``. An aggregated prefix is marked added if any of it is; prefixes of two
        realms are never joined.
    """
    rows = ExtentRow.objects.filter(state__in=_IN_USE, subnet__isnull=False)
    for name, records in of.items():
        rows = rows.filter(**any_of(f"subnet__{name}", records))
    if family:
        rows = rows.filter(family=family)
    rows = rows.select_related("subnet__realm", "subnet__project", "subnet__zone", "subnet__tier").order_by(
        "family", "first"
    )
    found = [
        {
            "prefix": str(row.prefix),
            "family": row.family,
            "realm": row.subnet.realm.name if row.subnet else "",
            "mark": "added" if since and row.subnet and row.subnet.created_at.date() >= since else "",
            "name": row.subnet.name if row.subnet else "",
            "project": row.subnet.project.name if row.subnet else "",
            "zone": row.subnet.zone.name if row.subnet and row.subnet.zone else "",
            "tier": row.subnet.tier.name if row.subnet else "",
        }
        for row in rows
    ]
    gone = _gone(since, family, of, {(row["realm"], row["prefix"]) for row in found}) if since else []
    if aggregated:
        found = _aggregated(found)
        gone = _aggregated(gone)
    return [*found, *gone]


def _gone(
    since: date, family: int | None, of: dict[str, Any], there: set[tuple[str, str]]
) -> list[dict[str, Any]]:
    """Prefixes that matched and were given back since a day, and are in use by nothing that matches now."""
    entries = LedgerEntry.objects.filter(kind="subnet", verb__in=_ENDED, at__gte=start_of(since))
    subjects = list(entries.values_list("subject", "before", "after"))
    made = dict(LedgerEntry.objects.filter(pk__in={s for s, _, _ in subjects if s}).values_list("number", "after"))
    wanted = {
        _KEYS[name]: {record.pk for record in (of[name] if isinstance(of[name], list) else [of[name]])}
        for name in of
    }
    found: dict[tuple[str, str], dict[str, Any]] = {}
    realms = dict(Realm.objects.values_list("pk", "name"))
    for subject, before, after in subjects:
        facts = {**(made.get(subject) or {}), **(before or {})}
        if any(facts.get(key) not in numbers for key, numbers in wanted.items()):
            continue
        realm = realms.get(facts.get("realm_id"), "")
        for text in set(facts.get("blocks") or []) - set((after or {}).get("blocks") or []):
            prefix = parse_prefix(text)
            if family in (None, prefix.family) and (realm, text) not in there:
                found[realm, text] = {
                    "prefix": text,
                    "family": prefix.family,
                    "realm": realm,
                    "mark": "gone",
                    "name": facts.get("name", ""),
                    "project": "",
                    "zone": "",
                    "tier": "",
                }
    return sorted(found.values(), key=lambda row: parse_prefix(row["prefix"]))


def _aggregated(rows: list[dict[str, Any]]) -> list[dict[str, Any]]:
    """The fewest prefixes of each realm, with the strongest mark of what each covers."""
    by_realm: dict[str, list[dict[str, Any]]] = {}
    for row in rows:
        by_realm.setdefault(row["realm"], []).append(row)
    return [one for realm, own in sorted(by_realm.items()) for one in _fewest(realm, own)]


def _fewest(realm: str, rows: list[dict[str, Any]]) -> list[dict[str, Any]]:
    prefixes = [parse_prefix(row["prefix"]) for row in rows]
    marks = dict(zip(prefixes, (row["mark"] for row in rows), strict=True))
    told = []
    waiting = sorted(prefixes, reverse=True)
    for whole in aggregate(prefixes):
        mark = ""
        while waiting and whole.contains(waiting[-1]):
            mark = marks[waiting.pop()] or mark
        told.append(_bare(whole, realm, mark))
    return told


def _bare(prefix: Prefix, realm: str, mark: str) -> dict[str, Any]:
    empty = dict.fromkeys(("name", "project", "zone", "tier"), "")
    return {"prefix": str(prefix), "family": prefix.family, "realm": realm, "mark": mark, **empty}
