"""Verify: does everything that must always hold, hold? One consistent snapshot of the whole registry, read in pages."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from typing import Any

from django.db import connection, transaction
from django.db.models import Q, QuerySet
from django.utils import timezone

from lentra.addressing.extents import Extent, State
from lentra.addressing.headroom import usage_of
from lentra.addressing.overlap import Range, clashes
from lentra.addressing.prefix import Prefix, aggregate
from lentra.addressing.tiles import Sums as TileSums
from lentra.addressing.tiles import TileStream
from lentra.registry.models import (
    Address,
    ExtentRow,
    KeepOut,
    LedgerEntry,
    Pool,
    PoolRange,
    Project,
    Realm,
    Record,
    Reservation,
    Space,
    Subnet,
    Tile,
)
from lentra.registry.models.subnets import EXTENT_STATE
from lentra.registry.reports.replay import departures_from_ledger
from lentra.registry.rules.quotas import held_addresses
from lentra.registry.space.counting import extents_in_order, overlooked
from lentra.registry.space.keep_outs import spans_of
from lentra.registry.space.keeping import KEPT_FROM, Sums, kept_of, owned_by

_PAGE = 10_000
_RECORDS = 1_000


@dataclass(frozen=True)
class Offence:
    """Something that must hold and does not: the rule's number and words, and who breaks it."""

    rule: int
    what: str
    where: str


def verify(only: Realm | None = None) -> dict[str, Any]:
    """Check the whole registry, or what lies in one realm.

    Returns:
        ``clean``, what was ``checked`` (counts), and the ``offences`` with rule, what and where.
    """
    with _snapshot():
        offences: list[Offence] = []
        checked = {"pools": 0, "extents": 0, "subnets": 0, "records": 0, "ledger_entries": 0}
        for realm in _in(Realm.objects.order_by("pk"), only, "pk"):
            spans = {family: spans_of(KeepOut.objects.filter(realm=realm, family=family)) for family in (4, 6)}
            for pool in Pool.objects.filter(realm=realm).order_by("pk").prefetch_related("ranges"):
                checked["pools"] += 1
                spaces = list(Space.objects.filter(pool=pool).order_by("family"))
                for space in spaces:
                    checked["extents"] += _check_space(realm, pool, space, spans[space.family], offences)
                offences += _due(realm, pool, spaces)
        offences += _top_level_overlaps(only)
        offences += _carved_pools(only)
        checked["subnets"] = _check_subnets(offences, only)
        offences += _reservations(only)
        offences += _quotas()
        offences += _tags(only)
        checked["records"] = _check_ledger(offences, only)
        checked["ledger_entries"] = LedgerEntry.objects.count()
    return {
        "clean": not offences,
        "checked": checked,
        "offences": [{"rule": o.rule, "what": o.what, "where": o.where} for o in offences[:1000]],
    }


def _in(rows: QuerySet[Any], only: Realm | None, field: str = "realm") -> QuerySet[Any]:
    return rows if only is None else rows.filter(**{field: only.pk})


@contextmanager
def _snapshot() -> Iterator[None]:
    """A transaction that sees the registry as it was at one moment."""
    if connection.in_atomic_block:  # a caller's transaction: its own view has to do
        yield
        return
    with connection.cursor() as cursor:
        cursor.execute("SET TRANSACTION ISOLATION LEVEL REPEATABLE READ")
    with transaction.atomic():
        with connection.cursor() as cursor:
            cursor.execute("SELECT 1 FROM registry_realm LIMIT 1")
        yield


def _check_space(
    realm: Realm, pool: Pool, space: Space, kept_out: Sequence[tuple[int, int]], offences: list[Offence]
) -> int:
    """Rules 2 and 7 for one pool and family; returns the number of extents."""
    where = f"{realm.name}/{pool.name} IPv{space.family}"
    ranges = [row.prefix for row in pool.ranges.all() if row.prefix.family == space.family]
    stream = TileStream(space.family)
    watch = _Watch(where, ranges, kept_out, offences)
    tiles = _TileCheck(pool, space.family, where, offences)

    def seen() -> Iterator[Extent]:
        for extent in extents_in_order(pool.pk, space.family):
            watch.see(extent)
            tiles.compare(stream.add(extent))
            yield extent

    counted, kept = usage_of(space.family, seen()), space.usage()
    watch.end()
    tiles.compare(stream.end())
    tiles.end()
    for state in State:
        if counted.addresses[state] != kept.addresses[state]:
            what = f"counter {state.word} is {kept.addresses[state]}, counted {counted.addresses[state]}"
            offences.append(Offence(7, what, where))
    if space.total != sum(prefix.size for prefix in ranges):
        offences.append(Offence(7, f"the total is {space.total}, its ranges have another", where))
    if counted.free_counts != kept.free_counts or counted.largest_free != space.largest_free:
        offences.append(Offence(7, "free extents per length differ from the count", where))
    return watch.count


def _due(realm: Realm, pool: Pool, spaces: Sequence[Space]) -> list[Offence]:
    """Rule 8: a pool knows, in one of its families, when something in it ends next."""
    if not (missed := overlooked(pool.pk, spaces)):
        return []
    what = f"something ends at {missed[0]:%Y-%m-%d %H:%M} UTC, and the pool waits until {missed[1] or 'ever'}"
    return [Offence(8, what, f"{realm.name}/{pool.name}")]


class _Watch:
    """Looks at the extents of one space as they pass in order: one after the other, joined, and on the right side of
    every keep-out."""

    def __init__(
        self, where: str, ranges: Iterable[Prefix], kept_out: Sequence[tuple[int, int]], offences: list[Offence]
    ) -> None:
        self.where, self.offences = where, offences
        self.ranges = list(ranges)
        self.wholes = aggregate(self.ranges)  # what has to be covered, in order
        self.kept_out = kept_out
        self.count = 0
        self._span = 0
        self._whole = 0
        self._next = self.wholes[0].first if self.wholes else 0
        self._before: Extent | None = None
        self._gap_told = False

    def see(self, extent: Extent) -> None:
        """The next extent."""
        self.count += 1
        before, prefix = self._before, extent.prefix
        if before and prefix.first <= before.prefix.last:
            self._tell(1, f"{before.prefix} and {prefix} overlap")
        elif before and before.state is extent.state is State.FREE and before.prefix.buddy() == prefix:
            joined = before.prefix.enclosing(prefix.length - 1)
            if any(r.contains(joined) for r in self.ranges):
                self._tell(2, f"free {before.prefix} and {prefix} are not joined")
        if prefix.first != self._next and not self._gap_told:
            self._gap_told = True
            self._tell(2, f"extents are not exactly the ranges: something is wrong before {prefix}")
        self._next = prefix.last + 1
        if self._whole < len(self.wholes) and self._next > self.wholes[self._whole].last:
            self._whole += 1
            if self._whole < len(self.wholes):
                self._next = self.wholes[self._whole].first
        self._keep_outs(extent)
        self._before = extent

    def end(self) -> None:
        """There are no more."""
        if self._whole < len(self.wholes) and not self._gap_told:
            self._tell(2, "extents are not exactly the ranges: some are missing at the end")

    def _keep_outs(self, extent: Extent) -> None:
        if extent.state not in (State.FREE, State.KEPT_OUT):
            return
        first, last = extent.prefix.first, extent.prefix.last
        while self._span < len(self.kept_out) and self.kept_out[self._span][1] < first:
            self._span += 1
        span = self.kept_out[self._span] if self._span < len(self.kept_out) else None
        if extent.state is State.FREE and span and span[0] <= last:
            self._tell(2, f"free {extent.prefix} lies under a keep-out")
        if extent.state is State.KEPT_OUT and not (span and span[0] <= first and last <= span[1]):
            self._tell(2, f"{extent.prefix} is kept out, and no keep-out says so")

    def _tell(self, rule: int, what: str) -> None:
        self.offences.append(Offence(rule, what, self.where))


class _TileCheck:
    """Compares tiles, as they are counted in order, with those that are kept: a page of each length at a time."""

    def __init__(self, pool: Pool, family: int, where: str, offences: list[Offence]) -> None:
        self.where, self.offences = where, offences
        rows = Tile.objects.filter(pool=pool, family=family).exclude(extents=0)
        lengths = sorted(rows.values_list("length", flat=True).distinct())
        self._kept = {length: _Pages(rows.filter(length=length)) for length in lengths}

    def compare(self, counted: Iterable[tuple[Prefix, TileSums]]) -> None:
        """Tiles that are complete, in order within each length."""
        for prefix, wanted in counted:
            pages = self._kept.get(prefix.length)
            for odd in pages.until(prefix.first) if pages else ():
                self._tell(f"the tile {odd.prefix} counts extents that are not there")
            tile = pages.take(prefix.first) if pages else None
            if tile is None:
                self._tell(f"the tile {prefix} is missing")
                continue
            if not tile.sums().same_as(wanted):
                self._tell(f"the tile {prefix} differs from the count")

    def end(self) -> None:
        """There are no more."""
        for pages in self._kept.values():
            for odd in pages.until(1 << 128):
                self._tell(f"the tile {odd.prefix} counts extents that are not there")

    def _tell(self, what: str) -> None:
        self.offences.append(Offence(7, what, self.where))


class _Pages:
    """Tiles of one length in order of address, read in pages."""

    def __init__(self, rows: QuerySet[Tile]) -> None:
        self._rows = rows.order_by("first")
        self._page: list[Tile] = []
        self._after = -1
        self._ended = False

    def until(self, first: int) -> Iterator[Tile]:
        """Take those that start before an address."""
        while (head := self._head()) and head.first < first:
            yield self._page.pop()

    def take(self, first: int) -> Tile | None:
        """Take the one that starts at an address, if there is one."""
        head = self._head()
        return self._page.pop() if head and head.first == first else None

    def _head(self) -> Tile | None:
        if not self._page and not self._ended:
            rows = self._rows.filter(first__gt=self._after) if self._after >= 0 else self._rows
            page = list(rows[:_PAGE])
            self._ended = len(page) < _PAGE
            if page:
                self._after = page[-1].first
            self._page = page[::-1]
        return self._page[-1] if self._page else None


def _top_level_overlaps(only: Realm | None) -> list[Offence]:
    """Rule 1 among the top-level ranges of each realm."""
    offences = []
    for realm in _in(Realm.objects.all(), only, "pk"):
        rows = PoolRange.objects.filter(realm=realm, top=True).select_related("pool")
        ranges = [Range(r.family, r.first, r.last, (r.pool.name, r.pk)) for r in rows]
        for clash in clashes(ranges, ranges):
            if clash.left.owner < clash.right.owner:
                names = f"{clash.left.owner[0]} and {clash.right.owner[0]}"
                offences.append(Offence(1, f"top-level ranges of {names} overlap", realm.name))
    return offences


def _carved_pools(only: Realm | None) -> list[Offence]:
    """Rule 1 between a carved extent and the pool carved from it."""
    carved = {
        (row["child_id"], row["pool_id"], row["family"], row["first"], row["length"])
        for row in _in(ExtentRow.objects.filter(state=State.CARVED), only).values(
            "child_id", "pool_id", "family", "first", "length"
        )
    }
    ranges = {
        (r.pool_id, r.pool.parent_id, r.family, r.first, r.length)
        for r in _in(PoolRange.objects.filter(top=False), only).select_related("pool")
    }
    return [
        Offence(1, f"carved extent and range of the carved pool differ at {Prefix(*key[2:])}", f"pool {key[0]}")
        for key in sorted(carved ^ ranges)
    ]


def _pages_of(rows: QuerySet[Any], size: int = _RECORDS) -> Iterator[list[Any]]:
    """Records in order of their number, a page at a time."""
    after = 0
    while page := list(rows.filter(pk__gt=after).order_by("pk")[:size]):
        yield page
        after = page[-1].pk


def _check_subnets(offences: list[Offence], only: Realm | None) -> int:
    """Every living subnet owns a block in its state, its address records lie in its blocks, and what is kept of it, and in
    sums, is what is there."""
    count, sums = 0, Sums()
    for page in _pages_of(_in(Subnet.objects.only("pk", "name", *KEPT_FROM), only)):
        numbers = [subnet.pk for subnet in page]
        owned = owned_by(numbers)
        count += len(page)
        for subnet in page:
            states = {state for *_, state in owned[subnet.pk].blocks()}
            if states != {EXTENT_STATE[subnet.state]}:
                words = ", ".join(state.word for state in sorted(states)) or "no block"
                what = f"subnet {subnet.name} is {subnet.state} but owns {words}"
                offences.append(Offence(1, what, f"subnet {subnet.pk}"))
            kept = kept_of(subnet, owned[subnet.pk])
            if kept != (subnet.counted, subnet.unused, subnet.spare):
                offences.append(Offence(7, "what is kept of it differs from what is there", f"subnet {subnet.pk}"))
            sums.count(subnet.counted, 1)
        for record in Address.objects.filter(subnet__in=numbers):
            blocks = [prefix for _, prefix, _ in owned[record.subnet_id].blocks()]
            if not any(b.family == record.family and b.first <= record.address <= b.last for b in blocks):
                what = f"address record {record.label_text} lies outside its subnet"
                offences.append(Offence(1, what, f"subnet {record.subnet_id}"))
    offences += [Offence(7, what, "sums") for what in sums.departures({} if only is None else {"realm": only.pk})]
    return count


def _reservations(only: Realm | None) -> list[Offence]:
    """Every reservation has something left; every reserved extent has a reservation; no other extent has one."""
    reserved = Q(state=State.RESERVED)
    odd = _in(ExtentRow.objects.all(), only).filter(
        (reserved & Q(reservation=None)) | (~reserved & ~Q(reservation=None))
    )
    empty = _in(Reservation.objects.all(), only).exclude(extents__state=State.RESERVED)
    return [
        *(
            Offence(
                1,
                f"{row.prefix} is {State(row.state).word}, its reservation does not say so",
                f"pool {row.pool_id}",
            )
            for row in odd[:100]
        ),
        *(
            Offence(1, f"nothing is left of reservation {row.name}", f"reservation {row.pk}")
            for row in empty[:100]
        ),
    ]


def _quotas() -> list[Offence]:
    """No project holds more single public addresses than its quota."""
    now = timezone.now()
    found = []
    for project in Project.objects.filter(public_quota__isnull=False).order_by("pk"):
        held = held_addresses(project, now).count()
        if project.public_quota is not None and held > project.public_quota:
            what = f"it holds {held} public addresses, its quota is {project.public_quota}"
            found.append(Offence(1, what, f"project {project.name}"))
    return found


def _tags(only: Realm | None) -> list[Offence]:
    """No segment of a region without a zone has the tag of one in its zones."""
    offences = []
    wide = _in(Subnet.objects.filter(zone=None, tag__isnull=False).exclude(region=None), only)
    for subnet in wide.order_by("pk"):
        same = Subnet.objects.filter(region=subnet.region_id, zone__isnull=False)
        for other in same.filter(tag=subnet.tag, outer_tag=subnet.outer_tag).order_by("pk"):
            what = f"segment tag {subnet.tag} of {subnet.name} is that of {other.name} as well"
            offences.append(Offence(1, what, f"subnet {subnet.pk}"))
    return offences


def _check_ledger(offences: list[Offence], only: Realm | None) -> int:
    """Rule 6: each record carries the number of its last ledger entry, and is what its entries say."""
    count = 0
    related: dict[type[Record], Callable[[QuerySet[Any]], QuerySet[Any]]] = {
        Subnet: lambda rows: rows.prefetch_related("extents"),
    }
    for model in Record.__subclasses__():
        rows = related.get(model, lambda rows: rows)(model._default_manager.all())
        if only:
            if not any(field.name == "realm" for field in model._meta.concrete_fields):
                continue
            rows = rows.filter(realm=only)
        for page in _pages_of(rows):
            count += len(page)
            offences += [Offence(6, what, where) for what, where in departures_from_ledger(model, page)]
    return count
