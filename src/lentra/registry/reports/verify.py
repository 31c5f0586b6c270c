"""Verify: does everything that must always hold, hold? One consistent snapshot of the whole registry, read in pages."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from typing import Any

from django.db import connection, transaction
from django.db.models import Q, QuerySet
from django.utils import timezone

from lentra.addressing.extents import State
from lentra.addressing.overlap import Range, clashes
from lentra.addressing.prefix import BITS, Prefix, aggregate
from lentra.addressing.tiles import Tally, TileStream
from lentra.registry.models import (
    ExtentRow,
    KeepOut,
    LedgerEntry,
    Pool,
    PoolRange,
    Quota,
    Realm,
    Record,
    Reservation,
    Space,
    Subnet,
    Tile,
)
from lentra.registry.reports.replay import departures_from_ledger, departures_of_gone
from lentra.registry.reports.verify_meetings import check_meetings
from lentra.registry.reports.verify_moves import check_moves
from lentra.registry.reports.verify_names import NamesCheck
from lentra.registry.reports.verify_subnets import SubnetCheck
from lentra.registry.rules.quotas import LIMITS, used_of_each
from lentra.registry.space.counting import extents_in_order, overlooked
from lentra.registry.space.keep_outs import spans_of
from lentra.registry.space.tenures import KINDS
from lentra.registry.space.tiles import SUMS
from lentra.registry.transactions.sql import Prepared, Slot

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
    with snapshot():
        offences: list[Offence] = []
        checked = {"pools": 0, "extents": 0, "subnets": 0, "records": 0, "name_entries": 0, "ledger_entries": 0}
        for realm in _in(Realm.objects.order_by("pk"), only, "pk"):
            spans = {family: spans_of(KeepOut.objects.filter(realm=realm, family=family)) for family in (4, 6)}
            for pool in Pool.objects.filter(realm=realm).order_by("pk").prefetch_related("ranges"):
                checked["pools"] += 1
                spaces = list(Space.objects.filter(pool=pool).order_by("family"))
                for space in spaces:
                    checked["extents"] += _check_space(realm, pool, space, spans[space.family], offences)
                offences += _due(realm, pool, spaces)
        offences += _top_level_overlaps(only)
        offences += [Offence(1, what, where) for what, where in check_meetings(only)]
        offences += [Offence(1, what, where) for what, where in check_moves(only)]
        offences += _carved_pools(only)
        subnets = SubnetCheck(only.pk if only else None)
        offences += [Offence(*offence) for offence in subnets.offences()]
        checked["subnets"] = subnets.count
        offences += _reservations(only)
        names = NamesCheck(only)
        offences += [Offence(12, what, where) for what, where in names.offences()]
        offences += _quotas()
        offences += _tags(only)
        checked["records"] = subnets.count + _check_ledger(offences, only)
        checked["name_entries"] = names.count
        checked["ledger_entries"] = LedgerEntry.objects.count()
    return {
        "clean": not offences,
        "checked": checked,
        "offences": [{"rule": o.rule, "what": o.what, "where": o.where} for o in offences[:1000]],
    }


def _in(rows: QuerySet[Any], only: Realm | None, field: str = "realm") -> QuerySet[Any]:
    return rows if only is None else rows.filter(**{field: only.pk})


@contextmanager
def snapshot() -> Iterator[None]:
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
    watch = _Watch(where, space.family, ranges, kept_out, offences)
    tiles = _TileCheck(pool, space.family, where, offences)
    for first, length, state in extents_in_order(pool.pk, space.family):
        watch.see(first, length, state)
        if done := stream.add(first, length, state):
            tiles.compare(done)
    watch.end()
    tiles.compare(stream.end())
    tiles.end()
    kept = space.usage()
    for state in State:
        if stream.counted[1 + state] != kept.addresses[state]:
            what = f"counter {state.word} is {kept.addresses[state]}, counted {stream.counted[1 + state]}"
            offences.append(Offence(7, what, where))
    if space.total != sum(prefix.size for prefix in ranges):
        offences.append(Offence(7, f"the total is {space.total}, its ranges have another", where))
    largest = min(stream.free_counts, default=None)
    if stream.free_counts != kept.free_counts or largest != space.largest_free:
        offences.append(Offence(7, "free extents per length differ from the count", where))
    return stream.counted[0]


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
        self,
        where: str,
        family: int,
        ranges: Iterable[Prefix],
        kept_out: Sequence[tuple[int, int]],
        offences: list[Offence],
    ) -> None:
        self.where, self.family, self.offences = where, family, offences
        self.ranges = list(ranges)
        self.wholes = aggregate(self.ranges)  # what has to be covered, in order
        self.kept_out = kept_out
        self._bits = BITS[family]
        self._span = 0
        self._whole = 0
        self._next = self.wholes[0].first if self.wholes else 0
        self._last = self.wholes[0].last if self.wholes else -1  # of what has to be covered now
        self._before: tuple[int, int, int] | None = None
        self._until = -1  # the last address that has passed
        self._gap_told = False

    def see(self, first: int, length: int, state: int) -> None:
        """The next extent."""
        size = 1 << (self._bits - length)
        if first != self._next:
            if first <= self._until and self._before:
                self._tell(1, f"{self._text(*self._before)} and {self._text(first, length)} overlap")
            if not self._gap_told:
                self._gap_told = True
                what = f"extents are not exactly the ranges: something is wrong before {self._text(first, length)}"
                self._tell(2, what)
        if state in _UNUSED:
            self._unused(first, length, state, size)
        self._before = first, length, state
        self._until = first + size - 1
        self._next = first + size
        if self._until >= self._last and self._whole < len(self.wholes):
            self._whole += 1
            if self._whole < len(self.wholes):
                self._next, self._last = self.wholes[self._whole].first, self.wholes[self._whole].last

    def end(self) -> None:
        """There are no more."""
        if self._whole < len(self.wholes) and not self._gap_told:
            self._tell(2, "extents are not exactly the ranges: some are missing at the end")

    def _unused(self, first: int, length: int, state: int, size: int) -> None:
        """A free one is joined to its buddy, and under no keep-out; a kept-out one is under one."""
        before = self._before
        if state == State.FREE and before == (first - size, length, state) and first & size:
            joined = Prefix(self.family, first - size, length - 1)
            if any(r.contains(joined) for r in self.ranges):
                what = f"free {self._text(first - size, length)} and {self._text(first, length)} are not joined"
                self._tell(2, what)
        last = first + size - 1
        while self._span < len(self.kept_out) and self.kept_out[self._span][1] < first:
            self._span += 1
        span = self.kept_out[self._span] if self._span < len(self.kept_out) else None
        if state == State.FREE and span and span[0] <= last:
            self._tell(2, f"free {self._text(first, length)} lies under a keep-out")
        if state == State.KEPT_OUT and not (span and span[0] <= first and last <= span[1]):
            self._tell(2, f"{self._text(first, length)} is kept out, and no keep-out says so")

    def _text(self, first: int, length: int, *_: int) -> str:
        return str(Prefix(self.family, first, length))

    def _tell(self, rule: int, what: str) -> None:
        self.offences.append(Offence(rule, what, self.where))


_UNUSED = (State.FREE, State.KEPT_OUT)


class _TileCheck:
    """Compares tiles, as they are counted in order, with those that are kept: a page of each length at a time."""

    def __init__(self, pool: Pool, family: int, where: str, offences: list[Offence]) -> None:
        self.where, self.offences, self.family = where, offences, family
        rows = Tile.objects.filter(pool=pool, family=family).exclude(extents=0)
        lengths = sorted(rows.values_list("length", flat=True).distinct())
        self._kept = {length: _Pages(pool.pk, family, length) for length in lengths}

    def compare(self, counted: Iterable[tuple[int, int, Tally]]) -> None:
        """Tiles that are complete, in order within each length."""
        for length, first, wanted in counted:
            pages = self._kept.get(length)
            for odd in pages.until(first) if pages else ():
                self._tell(f"the tile {Prefix(self.family, odd, length)} counts extents that are not there")
            tally = pages.take(first) if pages else None
            if tally is None:
                self._tell(f"the tile {Prefix(self.family, first, length)} is missing")
            elif tally != wanted:
                self._tell(f"the tile {Prefix(self.family, first, length)} differs from the count")

    def end(self) -> None:
        """There are no more."""
        for length, pages in self._kept.items():
            for odd in pages.until(1 << 128):
                self._tell(f"the tile {Prefix(self.family, odd, length)} counts extents that are not there")

    def _tell(self, what: str) -> None:
        self.offences.append(Offence(7, what, self.where))


_tiles = Prepared(
    lambda: (
        Tile.objects.filter(
            pool=Slot("pool"), family=Slot("family"), length=Slot("length"), first__gt=Slot("after")
        )
        .exclude(extents=0)
        .order_by("first")
        .values_list("first", *SUMS)[:_PAGE]
    )
)


class _Pages:
    """Tiles of one length in order of address, read in pages."""

    def __init__(self, pool: int, family: int, length: int) -> None:
        self._of = {"pool": pool, "family": family, "length": length}
        self._page: list[tuple[Any, ...]] = []
        self._after = b""
        self._ended = False

    def until(self, first: int) -> Iterator[int]:
        """Take those that start before an address."""
        start = first.to_bytes(17, "big")[1:] if first >> 128 == 0 else b"\xff" * 17
        while self._fill() and self._page[-1][0] < start:
            yield int.from_bytes(self._page.pop()[0], "big")

    def take(self, first: int) -> Tally | None:
        """Take the tally of the one that starts at an address, if there is one."""
        if self._fill() and self._page[-1][0] == first.to_bytes(16, "big"):
            return self._page.pop()[1:]
        return None

    def _fill(self) -> bool:
        if not self._page and not self._ended:
            page = _tiles.raw(**self._of, after=self._after)
            self._ended = len(page) < _PAGE
            if page:
                self._after = page[-1][0]
            self._page = page[::-1]
        return bool(self._page)


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
    """No project holds more than a quota of it allows."""
    now = timezone.now()
    found = []
    quotas = list(Quota.objects.select_related("project", "realm", "region", "pool").order_by("pk"))
    for used in used_of_each(quotas, now):
        quota = used.quota
        for row in used.told():
            if row["used"] > row["limit"]:
                words = LIMITS[row["what"]]
                what = f"it holds {row['used']} {words}{quota.place_text}, its quota is {row['limit']}"
                found.append(Offence(1, what, f"project {quota.project.name}"))
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
    """Rule 6: each record but for subnets carries the number of its last ledger entry, and is what its entries say.
    Rule 11: so were those that are gone."""
    count = 0
    for model in (kind for kind in Record.__subclasses__() if kind is not Subnet):
        rows = model._default_manager.all()
        if only:
            if not any(field.name == "realm" for field in model._meta.concrete_fields):
                continue
            rows = rows.filter(realm=only)
        for page in _pages_of(rows):
            count += len(page)
            offences += [Offence(6, what, where) for what, where in departures_from_ledger(model, page)]
    for model in (kind for kind in Record.__subclasses__() if kind.KIND in KINDS):
        gone = departures_of_gone(model, only.pk if only else None)
        offences += [Offence(11, what, where) for what, where in gone]
    return count
