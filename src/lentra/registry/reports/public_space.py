"""What others may know of public space: where it is, and who announces it."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from typing import Any

from django.db.models import Q, QuerySet

from lentra.addressing.extents import State
from lentra.addressing.geofeed import Authorisation, Location, fewest_authorised, fewest_located
from lentra.addressing.prefix import Prefix
from lentra.addressing.special import NOT_PUBLIC
from lentra.registry.models import ExtentRow, Pool, PoolRange, Realm, Region, Zone

_IN_USE = (State.HANDED_OUT, State.HELD)


def published_realms() -> list[Realm]:
    """Realms whose public ranges anybody may look up."""
    return list(Realm.objects.filter(published=True).order_by("name"))


def located_ranges(realms: Sequence[Realm]) -> list[tuple[Prefix, Location]]:
    """Where the public ranges of some realms are, in the fewest prefixes: of pools, and of what is in use elsewhere."""
    zones, regions = _places(Zone.objects.all()), _places(Region.objects.all())
    if not (zones or regions):
        return []
    located: dict[Prefix, Location] = {}
    for prefix, zone, region in (*_of_pools(realms), *_in_use(realms)):
        place = zones.get(zone or 0) or regions.get(region or 0)
        if place:
            located[prefix] = place
    return fewest_located(located.items())


def public_ranges(realms: Sequence[Realm]) -> list[Prefix]:
    """The public ranges of top-level pools of some realms, in order."""
    tops = _ranges(realms).filter(top=True).values_list("family", "first", "length")
    return sorted(Prefix(*top) for top in tops)


def _ranges(realms: Sequence[Realm]) -> QuerySet[PoolRange]:
    """The public ranges of the realms' pools."""
    others = Q()
    for one in NOT_PUBLIC:
        others |= Q(family=one.family, first__lte=one.last, last__gte=one.first)
    return PoolRange.objects.filter(realm__in=realms).exclude(others)


_Placed = Iterator[tuple[Prefix, int | None, int | None]]  # with zone and region


def _of_pools(realms: Sequence[Realm]) -> _Placed:
    """Public ranges of pools, narrower ones of a place after the wider ones."""
    columns = ("family", "first", "length", "pool__zone", "pool__region")
    for *block, zone, region in _ranges(realms).order_by("-top", "pool").values_list(*columns):
        yield Prefix(*block), zone, region


def _in_use(realms: Sequence[Realm]) -> _Placed:
    """Blocks in use in public ranges."""
    tops = public_ranges(realms)
    inside = Q(pk__in=[])
    for top in tops:
        inside |= Q(family=top.family, first__gte=top.first, first__lte=top.last)
    rows = ExtentRow.objects.filter(inside, realm__in=realms, state__in=_IN_USE, subnet__isnull=False)
    columns = ("family", "first", "length", "subnet__zone", "subnet__region")
    for *block, zone, region in rows.order_by("family", "first").values_list(*columns).iterator():
        yield Prefix(*block), zone, region


def _places(rows: Iterable[Any]) -> dict[int, Location]:
    """Where zones or regions are, of those that say so; a zone that does not is where its region is."""
    return {row.pk: Location(row.country, row.subdivision, row.city) for row in rows if row.country}


def authorised(realms: Sequence[Realm]) -> list[tuple[Authorisation, str]]:
    """What may be announced by whom, by the pools that say so; with the name of the pool."""
    rows = _ranges(realms).exclude(pool__origin_as=None).select_related("pool").order_by("family", "first", "pool")
    wanted = {_authorisation(row): row.pool for row in rows}
    return [(one, wanted[one].name) for one in fewest_authorised(wanted)]


def _authorisation(row: PoolRange) -> Authorisation:
    pool: Pool = row.pool
    longest = pool.announced_v4 if row.family == 4 else pool.announced_v6
    assert pool.origin_as is not None
    return Authorisation(row.prefix, max(longest or row.length, row.length), pool.origin_as)
