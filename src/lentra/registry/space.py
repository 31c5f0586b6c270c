"""The extents of a pool in the database: the store that the core's operations work on.

`lock_spaces` first; then one `DatabaseExtents` per locked row; `flush` at the end. Reads of free extents
are cached in runs and changes are written in one statement, so that n blocks cost little more than one.
"""

from __future__ import annotations

from bisect import insort
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime
from functools import cache
from typing import Any

from django.db.models import QuerySet

from lentra.addressing.extents import Extent, State
from lentra.addressing.prefix import BITS, Prefix
from lentra.addressing.tiles import TileChanges
from lentra.registry.models import ExtentRow, Pool, PoolRange, Space
from lentra.registry.statements import Batch, Prepared, Slot, insert, read_together, update
from lentra.registry.tiles import add_tiles

_RUN = 4  # free extents read at once at first; doubles with each further read
_OWNER_COLUMNS = {State.CARVED: "child_id", State.RESERVED: "reservation_id"}  # all others: the subnet's


@dataclass
class _Run:
    """Free extents of one length, read from the database in order of address."""

    firsts: list[int] = field(default_factory=list)  # highest first, so that pop() gives the lowest
    after: int = -1
    size: int = _RUN
    ended: bool = False


def lock_spaces(pools: Iterable[int]) -> list[Space]:
    """Lock the spaces of pools, in order of pool number and family; every change of space starts here."""
    rows = Space.objects.select_for_update().filter(pool_id__in=set(pools))
    return list(rows.order_by("pool_id", "family"))


def lock_pool(pool: int, *then: tuple[Prepared, dict[str, Any]]) -> tuple[list[Space], list[list[tuple]]]:
    """Lock the spaces of one pool, then read something under that lock: one round trip for all of it."""
    rows, *results = read_together((_lock_one, {"pool": pool}), *then)
    return [Space.from_db(None, _COLUMNS, row) for row in rows], results


_COLUMNS = [field.attname for field in Space._meta.concrete_fields]
_lock_one = Prepared(
    lambda: Space.objects.select_for_update().filter(pool=Slot("pool")).order_by("family").values_list(*_COLUMNS)
)


@cache
def _lowest(count: int, size: int) -> Prepared:
    """The lowest `size` free extents of each of `count` lengths."""

    def part(n: int) -> QuerySet:
        rows = ExtentRow.objects.filter(pool=Slot("pool"), family=Slot("family"), state=State.FREE.value)
        rows = rows.filter(length=Slot(f"length{n}"))
        return rows.order_by("first").values_list("length", "first")[:size]

    parts = [part(n) for n in range(count)]
    return Prepared(lambda: parts[0].union(*parts[1:], all=True) if count > 1 else parts[0])


class DatabaseExtents:
    """The extents of one locked space. Follows the core's `ExtentStore`."""

    def __init__(self, space: Space, realm_id: int, ranges: Sequence[Prefix] | None = None) -> None:
        self.space = space
        self.family = space.family
        self._realm_id = realm_id
        self._ranges = list(ranges) if ranges is not None else None
        self._counts = {int(n): c for n, c in space.free_counts.items()}
        self._runs: dict[int, _Run] = {}
        self._free: dict[int, list[int]] = {}  # free extents not yet written, by length
        self._written: dict[int, Extent] = {}
        self._removed: set[int] = set()
        self._tiles = TileChanges(space.family)

    # --- reading ---

    def free_counts(self) -> Mapping[int, int]:
        return {n: c for n, c in self._counts.items() if c}

    def lowest_free(self, lengths: Sequence[int], start: int = 0) -> list[Prefix]:
        if start:
            self.flush()
            return self._probe(lengths, {"first__gte": start}, "first")
        self._fill([n for n in lengths if not self._run(n).firsts and not self._run(n).ended])
        found = []
        for length in lengths:
            run, unwritten = self._run(length), self._free.get(length, [])
            options = run.firsts[-1:] + unwritten[:1]
            if options:
                found.append(Prefix(self.family, min(options), length))
        return found

    def highest_free(self, lengths: Sequence[int], end: int) -> list[Prefix]:
        self.flush()
        return self._probe(lengths, {"first__lt": end}, "-first")

    def at(self, address: int) -> Extent | None:
        self.flush()
        row = self._rows().filter(first__lte=address).order_by("-first").first()
        extent = _extent(row) if row else None
        return extent if extent and address <= extent.prefix.last else None

    def overlapping(self, first: int, last: int) -> list[Extent]:
        start = self.at(first)
        low = start.prefix.first if start else first
        rows = self._rows().filter(first__gte=low, first__lte=last).order_by("first")
        return [_extent(row) for row in rows]

    def free_starting_at(self, firsts: Sequence[int]) -> dict[int, Prefix]:
        self.flush()
        rows = self._rows().filter(state=State.FREE, first__in=list(firsts))
        return {row.first: row.prefix for row in rows}

    def range_of(self, prefix: Prefix) -> Prefix | None:
        return next((r for r in self.ranges if r.contains(prefix)), None)

    @property
    def ranges(self) -> list[Prefix]:
        """The pool's ranges of this family."""
        if self._ranges is None:
            rows = PoolRange.objects.filter(pool_id=self.space.pool_id, family=self.family)
            self._ranges = [row.prefix for row in rows]
        return self._ranges

    def owned_by(self, *subnets: int) -> list[Extent]:
        """All extents of subnets in this pool, in order."""
        self.flush()
        return [_extent(row) for row in self._rows().filter(subnet_id__in=subnets).order_by("first")]

    def reserved_by(self, *reservations: int) -> list[Extent]:
        """What is left of reservations in this pool, in order."""
        self.flush()
        return [_extent(row) for row in self._rows().filter(reservation_id__in=reservations).order_by("first")]

    def unowned(self, state: State) -> list[Extent]:
        """Extents of a state that were taken in this change and have no owner yet, in order."""
        self.flush()
        rows = self._rows().filter(state=state, **{_owner_column(state): None})
        return [_extent(row) for row in rows.order_by("first")]

    # --- writing ---

    def replace(self, old: Sequence[Extent], new: Sequence[Extent]) -> None:
        for extent in old:
            self._count(extent, -1)
            self._forget(extent)
        for extent in new:
            self._count(extent, +1)
            first, length = extent.prefix.first, extent.prefix.length
            self._removed.discard(first)
            self._written[first] = extent
            if extent.state is State.FREE:
                insort(self._free.setdefault(length, []), first)

    def due(self, at: datetime) -> None:
        """Note that something of this space ends by itself at that moment."""
        if self.space.next_due is None or at < self.space.next_due:
            self.space.next_due = at

    def add_free(self, prefix: Prefix) -> None:
        """Fill a new range of the pool with free space."""
        self.replace([], [Extent(prefix)])

    def remove(self, extents: Sequence[Extent]) -> None:
        """Take extents out of the pool altogether."""
        self.replace(extents, [])

    def flush(self, batch: Batch | None = None) -> None:
        """Write what has changed: at most one delete and one insert-or-update."""
        if not self._written and not self._removed:
            return
        if self._removed:
            self._rows().filter(first__in=list(self._removed)).delete()
        if self._written:
            rows = [self._row(extent) for extent in self._written.values()]
            columns = ("length", "state", "subnet_id", "child_id", "reservation_id")
            (batch.insert if batch else insert)(rows, columns)
        self._written, self._removed, self._runs, self._free = {}, set(), {}, {}

    def save(self, batch: Batch | None = None) -> None:
        """Write what has changed, and the counters; with the batch, where nothing reads them before the commit."""
        self.flush(batch)
        self.space.free_counts = {str(n): c for n, c in sorted(self._counts.items()) if c}
        self.space.largest_free = min(self.free_counts(), default=None)
        self.space.revision += 1
        (batch.update if batch else update)(self.space)
        add_tiles(self.space.pool_id, self._tiles, batch)

    # --- inside ---

    def _rows(self) -> QuerySet[ExtentRow]:
        return ExtentRow.objects.filter(pool_id=self.space.pool_id, family=self.family)

    def _row(self, extent: Extent) -> ExtentRow:
        return ExtentRow(
            pool_id=self.space.pool_id,
            realm_id=self._realm_id,
            family=self.family,
            first=extent.prefix.first,
            length=extent.prefix.length,
            state=extent.state,
            **{_owner_column(extent.state): extent.owner},
        )

    def _run(self, length: int) -> _Run:
        return self._runs.setdefault(length, _Run())

    def _fill(self, lengths: Sequence[int]) -> None:
        """Read the next free extents of each length: one statement for all that are read at first."""
        if not lengths:
            return
        fresh = [n for n in lengths if self._run(n).after < 0]
        rows: list[tuple[Any, ...]] = []
        if fresh:
            slots = {f"length{k}": n for k, n in enumerate(fresh)}
            rows += _lowest(len(fresh), _RUN)(pool=self.space.pool_id, family=self.family, **slots)
        for length in set(lengths) - set(fresh):
            run = self._run(length)
            more = self._rows().filter(state=State.FREE, length=length, first__gt=run.after)
            rows += more.order_by("first").values_list("length", "first")[: run.size]
        found: dict[int, list[int]] = {length: [] for length in lengths}
        for length, first in rows:
            found[length].append(first)
        for length, firsts in found.items():
            run = self._run(length)
            run.ended = len(firsts) < run.size
            run.size = min(run.size * 2, 2000)
            if firsts:
                run.after = max(firsts)
            # What this transaction has already taken or written is still as it was in the database.
            untouched = (f for f in firsts if f not in self._written and f not in self._removed)
            run.firsts = sorted(untouched, reverse=True)
            if not run.firsts and not run.ended:
                self._fill([length])

    def _probe(self, lengths: Sequence[int], bound: dict[str, int], order: str) -> list[Prefix]:
        parts = [
            self._rows()
            .filter(state=State.FREE, length=length, **bound)
            .order_by(order)
            .values_list("length", "first")[:1]
            for length in lengths
        ]
        return [Prefix(self.family, first, length) for length, first in _together(parts)]

    def _forget(self, extent: Extent) -> None:
        first, length = extent.prefix.first, extent.prefix.length
        self._written.pop(first, None)
        self._removed.add(first)
        if extent.state is State.FREE:
            if first in (unwritten := self._free.get(length, [])):
                unwritten.remove(first)
            elif first in (firsts := self._run(length).firsts):
                firsts.remove(first)

    def _count(self, extent: Extent, sign: int) -> None:
        self._tiles.count(extent, sign)
        column = extent.state.name.lower()
        size = 1 << (BITS[self.family] - extent.prefix.length)
        setattr(self.space, column, getattr(self.space, column) + sign * size)
        if extent.state is State.FREE:
            length = extent.prefix.length
            self._counts[length] = self._counts.get(length, 0) + sign


def _together(parts: Sequence[QuerySet]) -> list[tuple[int, int]]:
    if not parts:
        return []
    return list(parts[0].union(*parts[1:], all=True)) if len(parts) > 1 else list(parts[0])


def _extent(row: ExtentRow) -> Extent:
    return Extent(row.prefix, State(row.state), getattr(row, _owner_column(State(row.state))))


def _owner_column(state: State) -> str:
    """The column of an extent that says who owns it."""
    return _OWNER_COLUMNS.get(state, "subnet_id")


def lock_stores_of(subnets: Iterable[int]) -> dict[tuple[int, int], DatabaseExtents]:
    """Lock every pool in which subnets own space: (pool number, family) -> store.

    A subnet of a plan may have its IPv4 block in one pool and its IPv6 block in another.
    """
    rows = ExtentRow.objects.filter(subnet__in=list(subnets)).values_list("pool", "realm").distinct()
    realms = dict(rows)
    return {(s.pool_id, s.family): DatabaseExtents(s, realms[s.pool_id]) for s in lock_spaces(realms)}


def open_extents(pool: Pool, spaces: Iterable[Space]) -> dict[int, DatabaseExtents]:
    """The stores of one pool by family, over spaces that are locked."""
    return {s.family: DatabaseExtents(s, pool.realm_id) for s in spaces if s.pool_id == pool.pk}
