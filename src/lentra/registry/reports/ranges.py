"""Lists of ranges for access rules and routes: all prefixes of a realm, pool, project, zone or tier, one after the other."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from datetime import date
from itertools import groupby, islice
from operator import itemgetter
from typing import Any

from django.db.models import Exists, OuterRef, Q, QuerySet, Value

from lentra.addressing.extents import State
from lentra.addressing.prefix import Prefix, aggregate_in_order, parse_prefix, prefix_text
from lentra.registry.lookup.any_of import any_of
from lentra.registry.lookup.then import pools_ever
from lentra.registry.models import ExtentRow, Project, Realm, Tenure, Tier, Zone
from lentra.registry.models.subnets import TAKEN
from lentra.registry.transactions.clock import database_time, start_of
from lentra.registry.transactions.sql import stream

Row = dict[str, Any]

_IN_USE = (State.HANDED_OUT, State.HELD)
_PLACE = ("family", "first", "length")
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
        since: mark what was not in use when that day began, and list what was and is no more, so that rules can be
            completed.
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
    rows = _with_mark(rows, since, of)
    yield from _fewest(_bare(rows)) if aggregated else _told(rows)
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


def _told(rows: QuerySet) -> Iterator[Row]:
    names = [dict(model._default_manager.values_list("pk", "name")) for model in (Realm, Project, Zone, Tier)]
    realms, projects, zones, tiers = names
    of_subnet = ("subnet__name", "subnet__project_id", "subnet__zone_id", "subnet__tier_id")
    for realm, family, first, length, name, project, zone, tier, had in stream(
        rows.values_list("realm_id", *_PLACE, *of_subnet, "had")
    ):
        yield {
            "prefix": prefix_text(family, first, length),
            "family": family,
            "realm": realms.get(realm, ""),
            "mark": "" if had else "added",
            "name": name,
            "project": projects.get(project, ""),
            "zone": zones.get(zone, ""),
            "tier": tiers.get(tier, ""),
        }


def _bare(rows: QuerySet) -> Iterator[tuple[str, Prefix, str]]:
    """Realm, prefix and mark of each row."""
    realms = dict(Realm.objects.values_list("pk", "name"))
    for realm, family, first, length, had in stream(rows.values_list("realm_id", *_PLACE, "had")):
        yield realms.get(realm, ""), Prefix(family, first, length), "" if had else "added"


def _gone(since: date, family: int | None, of: dict[str, Any]) -> list[Row]:
    """Prefixes that matched when a day began, and are in use by nothing that matches now, in order."""
    rows = _had(since, of).filter(ends__gt=start_of(since), ends__lte=database_time())
    rows = rows.filter(pool__in=pools_ever()) if "pool" not in of else rows  # in the order of an index of tenures
    rows = rows.filter(family=family) if family else rows
    gone = {(realm, Prefix(*place)): name for realm, name, *place in rows.values_list("realm", "name", *_PLACE)}
    names = dict(Realm.objects.values_list("pk", "name"))
    matching = _matching(family, of)
    found = []
    for part in _parts(sorted(gone)):
        there = matching.filter(first__in={prefix.first for _, prefix in part})
        taken = set(there.values_list("realm_id", *_PLACE))
        found += [(realm, p) for realm, p in part if (realm, p.family, p.first, p.length) not in taken]
    return [_row(names.get(realm, ""), prefix, "gone", gone[realm, prefix]) for realm, prefix in found]


def _had(since: date, of: dict[str, Any]) -> QuerySet[Tenure]:
    """What was in use, and matched, when a day began."""
    begin = start_of(since)
    rows = Tenure.objects.filter(
        Q(ends=None) | Q(ends__gt=begin), begins__lt=begin, kind="subnet", state__in=TAKEN
    )
    for name, records in of.items():
        rows = rows.filter(**any_of(name, records))
    return rows


def _with_mark(rows: QuerySet, since: date | None, of: dict[str, Any]) -> QuerySet:
    """Extents, annotated with whether they were in use when a day began."""
    if since is None:
        return rows.annotate(had=Value(True))
    same = {name: OuterRef(name) for name in _PLACE}
    return rows.annotate(had=Exists(_had(since, of).filter(realm=OuterRef("realm_id"), **same)))


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
