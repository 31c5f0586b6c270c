"""Lists of ranges for access rules and routes: all prefixes of a realm, pool, project, zone or tier, one after the other."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from datetime import date
from itertools import groupby, islice
from operator import itemgetter
from typing import Any

from django.db.models import QuerySet

from lentra.addressing.extents import State
from lentra.addressing.prefix import Prefix, aggregate_in_order, parse_prefix, prefix_text
from lentra.registry.lookup.any_of import any_of
from lentra.registry.models import ExtentRow, LedgerEntry, Project, Realm, Tier, Zone
from lentra.registry.transactions.clock import start_of
from lentra.registry.transactions.sql import stream

Row = dict[str, Any]

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
_OWN = ("realm", "pool")  # what an extent says of itself; all else is its subnet's
_AT_ONCE = 1000


def ranges_of(
    family: int | None = None,
    aggregated: bool = False,
    since: date | None = None,
    most: int | None = None,
    **of: Any,
) -> Iterator[Row]:
    """The blocks in use that match every filter, realm by realm in order; or the fewest prefixes that cover just the same.

    They are read one after the other: nothing else may be asked of the database in between.

    Args:
        since: mark what came since that day, and list what went, so that rules can be completed.
        most: how many of them are going to be read, if that is known.
        of: records to filter by: realm, pool, project, region, zone, tier; several of one name mean any of them.

    Yields:
        rows with ``prefix``, ``family``, ``realm``, ``mark`` (empty, added or gone) and, unless aggregated, ``name`` of the
        subnet, ``project``, ``zone`` and ``tier``. An aggregated prefix is marked added if any of it is; prefixes of two
        realms are never joined.
    """
    rows = _matching(family, of)
    if most is not None and not aggregated:
        rows = rows[:most]
    yield from _fewest(_bare(rows, since)) if aggregated else _told(rows, since)
    if since:
        gone = _gone(since, family, of)
        if aggregated:
            marked = ((row["realm"], parse_prefix(row["prefix"]), "gone") for row in gone)
            yield from _fewest(sorted(marked))
        else:
            yield from gone


def _matching(family: int | None, of: dict[str, Any]) -> QuerySet:
    rows = ExtentRow.objects.filter(state__in=_IN_USE, subnet__isnull=False)
    for name, records in of.items():
        rows = rows.filter(**any_of(name if name in _OWN else f"subnet__{name}", records))
    if family:
        rows = rows.filter(family=family)
    # The order of an index, so that nothing has to be sorted.
    alone = isinstance(of.get("pool"), list) and len(of["pool"]) == 1
    return rows.order_by(*(() if alone else ("realm_id",)), "family", "first")


def _told(rows: QuerySet, since: date | None) -> Iterator[Row]:
    names = [dict(model._default_manager.values_list("pk", "name")) for model in (Realm, Project, Zone, Tier)]
    realms, projects, zones, tiers = names
    of_subnet = ("subnet__name", "subnet__project_id", "subnet__zone_id", "subnet__tier_id", "subnet__created_at")
    for realm, family, first, length, name, project, zone, tier, made in stream(
        rows.values_list("realm_id", "family", "first", "length", *of_subnet)
    ):
        yield {
            "prefix": prefix_text(family, first, length),
            "family": family,
            "realm": realms.get(realm, ""),
            "mark": "added" if since and made.date() >= since else "",
            "name": name,
            "project": projects.get(project, ""),
            "zone": zones.get(zone, ""),
            "tier": tiers.get(tier, ""),
        }


def _bare(rows: QuerySet, since: date | None) -> Iterator[tuple[str, Prefix, str]]:
    """Realm, prefix and mark of each row."""
    realms = dict(Realm.objects.values_list("pk", "name"))
    for realm, family, first, length, made in stream(
        rows.values_list("realm_id", "family", "first", "length", "subnet__created_at")
    ):
        mark = "added" if since and made.date() >= since else ""
        yield realms.get(realm, ""), Prefix(family, first, length), mark


def _gone(since: date, family: int | None, of: dict[str, Any]) -> list[Row]:
    """Prefixes that matched and were given back since a day, and are in use by nothing that matches now, in order."""
    wanted = {
        _KEYS[name]: {record.pk for record in (of[name] if isinstance(of[name], list) else [of[name]])}
        for name in of
    }
    names = dict(Realm.objects.values_list("pk", "name"))
    gone: dict[tuple[int, Prefix], str] = {}
    for part in _parts(_ended(since)):
        made = LedgerEntry.objects.filter(pk__in={subject for _, subject, *_ in part if subject})
        first_facts = dict(made.values_list("number", "after"))
        for _, subject, before, after in part:
            facts = {**(first_facts.get(subject) or {}), **(before or {})}
            if any(facts.get(key) not in numbers for key, numbers in wanted.items()):
                continue
            for text in set(facts.get("blocks") or []) - set((after or {}).get("blocks") or []):
                prefix = parse_prefix(text)
                if family in (None, prefix.family):
                    gone[facts["realm_id"], prefix] = facts.get("name", "")
    matching = _matching(family, of)
    found = []
    for part in _parts(sorted(gone)):
        there = matching.filter(first__in={prefix.first for _, prefix in part})
        taken = set(there.values_list("realm_id", "family", "first", "length"))
        found += [(realm, p) for realm, p in part if (realm, p.family, p.first, p.length) not in taken]
    return [_row(names.get(realm, ""), prefix, "gone", gone[realm, prefix]) for realm, prefix in found]


def _ended(since: date) -> Iterator[tuple[int, int, Any, Any]]:
    """The ledger entries since a day by which something ended, in order of number."""
    rows = LedgerEntry.objects.filter(kind="subnet", verb__in=_ENDED, at__gte=start_of(since)).order_by("number")
    after = 0
    while part := list(
        rows.filter(number__gt=after).values_list("number", "subject", "before", "after")[:_AT_ONCE]
    ):
        yield from part
        after = part[-1][0]


def _parts(rows: Iterable[Any]) -> Iterator[Sequence[Any]]:
    """Rows in lots."""
    rest = iter(rows)
    while part := list(islice(rest, _AT_ONCE)):
        yield part


def _fewest(marked: Iterable[tuple[str, Prefix, str]]) -> Iterator[Row]:
    """The fewest prefixes of each realm, with the mark of what each covers."""
    for realm, own in groupby(marked, key=itemgetter(0)):
        for whole, mark in aggregate_in_order((prefix, mark) for _, prefix, mark in own):
            yield _row(realm, whole, mark)


def _row(realm: str, prefix: Prefix, mark: str, name: str = "") -> Row:
    empty = dict.fromkeys(("project", "zone", "tier"), "")
    return {"prefix": str(prefix), "family": prefix.family, "realm": realm, "mark": mark, "name": name, **empty}
