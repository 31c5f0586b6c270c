"""The extents of a pool in the database: the store that the core's operations work on.

`locking.open_pools` makes one for each pool and family that a change opens, and saves them all at its end. Until then
changes are kept here, and every read sees them: n blocks cost little more than one, and each extent is written once,
with its owner.
"""

from __future__ import annotations

from bisect import bisect_left, bisect_right, insort
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime
from functools import cache
from typing import Any

from django.db.models import QuerySet, Subquery

from lentra.addressing.extents import Extent, State
from lentra.addressing.prefix import BITS, Prefix, starts_around
from lentra.addressing.tiles import TileChanges
from lentra.registry.models import ExtentRow, PoolRange, Space
from lentra.registry.space.tiles import add_tiles
from lentra.registry.transactions.sql import Batch, Prepared, Slot, deletion

_STARTS_AT_ONCE = 2000  # addresses of one look for what begins there
_RUN = 4  # free extents read at once at first; doubles with each further read
_OWNER_COLUMNS = {State.CARVED: "child_id", State.RESERVED: "reservation_id"}  # all others: the subnet's
_OWNERS = ("subnet_id", "child_id", "reservation_id")
_WRITTEN = ("pool_id", "realm_id", "family", "first", "length", "state", *_OWNERS)
_COLUMNS = ("first", "length", "state", "COALESCE(subnet_id, child_id, reservation_id, 0)")
_VALUES = ("first", "length", "state", "subnet_id", "child_id", "reservation_id")


@dataclass
class _Run:
    """Free extents of one length, read from the database in order of address."""

    firsts: list[int] = field(default_factory=list)  # highest first, so that pop() gives the lowest
    after: int = -1
    size: int = _RUN
    ended: bool = False


@cache
def _lowest(count: int, size: int) -> Prepared:
    """The lowest `size` free extents of each of `count` lengths."""

    def part(n: int) -> QuerySet:
        rows = ExtentRow.objects.filter(pool=Slot("pool"), family=Slot("family"), state=State.FREE.value)
        rows = rows.filter(length=Slot(f"length{n}"))
        return rows.order_by("first").values_list("length", "first")[:size]

    parts = [part(n) for n in range(count)]
    return Prepared(lambda: parts[0].union(*parts[1:], all=True) if count > 1 else parts[0])


@cache
def _snuggest() -> Prepared:
    """The lowest free extents of the longest length that is no longer than one."""
    rows = ExtentRow.objects.filter(pool=Slot("pool"), family=Slot("family"), state=State.FREE.value)
    best = rows.filter(length__lte=Slot("length")).order_by("-length").values("length")[:1]
    return Prepared(
        lambda: rows.filter(length=Subquery(best)).order_by("first").values_list("length", "first")[:_RUN]
    )


def snuggest(pool: int, family: int, length: int) -> tuple[Prepared, dict[str, Any]]:
    """The prepared statement that looks where a block fits most snugly, and its values; for `foresee`."""
    return _snuggest(), {"pool": pool, "family": family, "length": length}


class DatabaseExtents:
    """The extents of one locked space. Follows the core's `ExtentStore`."""

    def __init__(self, space: Space) -> None:
        self.space = space
        self.family = space.family
        self._ranges: list[Prefix] | None = None
        self._counts = {int(n): c for n, c in space.free_counts.items()}
        self._runs: dict[int, _Run] = {}
        # What has changed: extents as they were read and no longer are, and those to be written in their place.
        self._gone: dict[int, Extent] = {}
        self._written: dict[int, Extent] = {}
        self._firsts: list[int] = []  # of what is to be written, in order
        self._free: dict[int, list[int]] = {}  # free ones of those, by length, in order
        self._tiles = TileChanges(space.family)
        self._starts: dict[
            int, Prefix | None
        ] = {}  # free extents as they were read, by where they were looked for
        self._noted = False  # counters or due time have changed
        self._freed = 0  # how many more addresses are free than when it was opened

    # --- reading ---

    @property
    def used_before(self) -> int:
        """How many addresses were in use when it was opened."""
        return self.space.total - (self.space.free - self._freed)

    def free_counts(self) -> Mapping[int, int]:
        return {n: c for n, c in self._counts.items() if c}

    def lowest_free(self, lengths: Sequence[int], start: int = 0) -> list[Prefix]:
        if start:
            return list(self._nearest(lengths, start, +1))
        self._fill([n for n in lengths if not self._run(n).firsts and not self._run(n).ended])
        found = []
        for length in lengths:
            options = self._run(length).firsts[-1:] + self._free.get(length, [])[:1]
            if options:
                found.append(Prefix(self.family, min(options), length))
        return found

    def foresee(self, rows: Sequence[tuple[Any, ...]]) -> None:
        """Take note of the lowest free extents of one length, as `snuggest` has found them since the space was locked."""
        if not self._gone and not self._written:
            self._found({length: [first for _, first in rows] for length, _ in rows[:1]})

    def highest_free(self, lengths: Sequence[int], end: int) -> list[Prefix]:
        return list(self._nearest(lengths, end, -1))

    def at(self, address: int) -> Extent | None:
        n = bisect_right(self._firsts, address)
        written = self._written[self._firsts[n - 1]] if n else None
        if written and address <= written.prefix.last:
            return written
        rows = self._read(self._rows().filter(first__in=starts_around(self.family, address)))
        return next((extent for extent in rows if extent.prefix.last >= address), None)

    def overlapping(self, first: int, last: int) -> list[Extent]:
        start = self.at(first)
        low = start.prefix.first if start else first
        rows = self._read(self._rows().filter(first__gte=low, first__lte=last))
        written = self._firsts[bisect_left(self._firsts, low) : bisect_right(self._firsts, last)]
        return sorted([*rows, *(self._written[f] for f in written)])

    def free_starting_at(self, firsts: Sequence[int]) -> dict[int, Prefix]:
        unknown = [first for first in firsts if first not in self._starts]
        for at in range(0, len(unknown), _STARTS_AT_ONCE):
            part = unknown[at : at + _STARTS_AT_ONCE]
            self._starts |= dict.fromkeys(part)
            rows = self._rows().filter(state=State.FREE, first__in=part)
            self._starts |= {
                first: Prefix(self.family, first, n) for first, n in rows.values_list("first", "length")
            }
        known = ((first, self._starts[first]) for first in firsts if first not in self._gone)
        found = {first: prefix for first, prefix in known if prefix}
        written = (self._written.get(first) for first in firsts)
        return found | {e.prefix.first: e.prefix for e in written if e and e.state is State.FREE}

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
        return self._owned("subnet_id", subnets)

    def reserved_by(self, *reservations: int) -> list[Extent]:
        """What is left of reservations in this pool, in order."""
        return self._owned("reservation_id", reservations)

    # --- writing ---

    def replace(self, old: Sequence[Extent], new: Sequence[Extent]) -> None:
        for extent in old:
            self._count(extent, -1)
            self._forget(extent)
        for extent in new:
            self._count(extent, +1)
            first = extent.prefix.first
            self._written[first] = extent
            insort(self._firsts, first)
            if extent.state is State.FREE:
                insort(self._free.setdefault(extent.prefix.length, []), first)

    def due(self, at: datetime) -> None:
        """Note that something of this space ends by itself at that moment."""
        if self.space.next_due is None or at < self.space.next_due:
            self.set_due(at)

    def set_due(self, at: datetime | None) -> None:
        """Set when something of this space ends next."""
        self.space.next_due = at
        self._noted = True

    def touch(self) -> None:
        """Have it written although nothing changes in it, so that whoever changes it at the same time is in the way."""
        self._noted = True

    def set_rules(self, entry: int) -> None:
        """The ledger entry by which the rules in force here have changed."""
        self.space.rules_entry = entry
        self._noted = True

    def add_range(self, prefix: Prefix) -> None:
        """A new range of the pool: all of it is free."""
        self._ranges = [*self.ranges, prefix]
        self.space.total += prefix.size
        self.replace([], [Extent(prefix)])

    def remove_range(self, prefix: Prefix) -> list[Extent]:
        """Take a range out of the pool with all extents in it, and return them."""
        extents = self.overlapping(prefix.first, prefix.last)
        self._ranges = [r for r in self.ranges if r != prefix]
        self.space.total -= prefix.size
        self.replace(extents, [])
        return extents

    def save(self, batch: Batch) -> None:
        """Write what has changed, with the counters and tiles, through a batch.

        Extents that were read are deleted only where they still are what was read; new ones are inserted, never written
        over another: the database refuses a second owner, whatever the code believed.
        """
        if not (self._gone or self._written or self._noted):
            return
        same = {first for first, extent in self._written.items() if self._gone.get(first) == extent}
        gone = [extent for first, extent in self._gone.items() if first not in same]
        written = [extent for first, extent in self._written.items() if first not in same]
        if gone:
            fixed = {"pool_id": self.space.pool_id, "family": self.family}
            batch.add(deletion(ExtentRow, fixed, "first", _COLUMNS, [_as_read(extent) for extent in gone]))
        if written:
            batch.rows(ExtentRow, _WRITTEN, [self._row(extent) for extent in written])
        space = self.space
        space.free_counts = {str(n): c for n, c in sorted(self._counts.items()) if c}
        space.largest_free = min((n for n, c in self._counts.items() if c), default=None)
        space.revision += 1
        batch.update(space)
        add_tiles(space.pool_id, self._tiles, batch)
        self._gone, self._written, self._firsts, self._runs, self._free = {}, {}, [], {}, {}
        self._starts = {}
        self._noted = False

    # --- inside ---

    def _rows(self) -> QuerySet[ExtentRow]:
        return ExtentRow.objects.filter(pool_id=self.space.pool_id, family=self.family)

    def _read(self, rows: QuerySet[ExtentRow]) -> Iterator[Extent]:
        """Rows as extents, but for those that are no longer so."""
        for first, length, state, subnet, child, reservation in rows.values_list(*_VALUES):
            if first not in self._gone:
                yield Extent(Prefix(self.family, first, length), State(state), subnet or child or reservation)

    def _owned(self, column: str, owners: Iterable[int]) -> list[Extent]:
        numbers = set(owners)
        rows = self._read(self._rows().filter(**{f"{column}__in": numbers}))
        written = (e for e in self._written.values() if e.owner in numbers and _owner_column(e.state) == column)
        return sorted([*rows, *written])

    def _row(self, extent: Extent) -> tuple[Any, ...]:
        """An extent as the columns of `_WRITTEN`."""
        space, prefix = self.space, extent.prefix
        place = (space.pool_id, space.realm_id, self.family, prefix.first.to_bytes(16, "big"), prefix.length)
        column = _owner_column(extent.state)
        return *place, extent.state.value, *(extent.owner if name == column else None for name in _OWNERS)

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
        self._found(found)

    def _found(self, found: Mapping[int, list[int]]) -> None:
        """Keep the next free extents of each length."""
        for length, firsts in found.items():
            run = self._run(length)
            run.ended = len(firsts) < run.size
            run.size = min(run.size * 2, 2000)
            if firsts:
                run.after = max(firsts)
            run.firsts = sorted((f for f in firsts if f not in self._gone), reverse=True)
            if not run.firsts and not run.ended:
                self._fill([length])

    def _nearest(self, lengths: Sequence[int], bound: int, way: int) -> Iterator[Prefix]:
        """For each length, the free extent nearest to an address: from it upwards, or before it downwards."""
        side: dict[str, int] = {"first__gte": bound} if way > 0 else {"first__lt": bound}
        order = "first" if way > 0 else "-first"
        parts = []
        for length in lengths:  # as many of each as may be gone, and one more
            gone = sum(e.state is State.FREE and e.prefix.length == length for e in self._gone.values())
            rows = self._rows().filter(state=State.FREE, length=length, **side).order_by(order)
            parts.append(rows.values_list("length", "first")[: gone + 1])
        read = parts[0].union(*parts[1:], all=True) if len(parts) > 1 else parts[0] if parts else []
        options: dict[int, list[int]] = {length: [] for length in lengths}
        for length, first in read:
            if first not in self._gone:
                options[length].append(first)
        for length, firsts in options.items():
            written = self._free.get(length, [])
            n = bisect_left(written, bound)
            firsts += written[n : n + 1] if way > 0 else written[max(0, n - 1) : n]
            if firsts:
                yield Prefix(self.family, min(firsts) if way > 0 else max(firsts), length)

    def _forget(self, extent: Extent) -> None:
        first, length = extent.prefix.first, extent.prefix.length
        if first in self._written:
            del self._written[first]
            del self._firsts[bisect_left(self._firsts, first)]
        else:
            self._gone[first] = extent
        if extent.state is State.FREE:
            unwritten, firsts = self._free.get(length, []), self._run(length).firsts
            for known in (unwritten, firsts):
                if first in known:
                    known.remove(first)

    def _count(self, extent: Extent, sign: int) -> None:
        self._tiles.count(extent, sign)
        column = extent.state.name.lower()
        size = 1 << (BITS[self.family] - extent.prefix.length)
        setattr(self.space, column, getattr(self.space, column) + sign * size)
        if extent.state is State.FREE:
            self._freed += sign * size
            length = extent.prefix.length
            self._counts[length] = self._counts.get(length, 0) + sign


def _as_read(extent: Extent) -> tuple[Any, ...]:
    """An extent as the columns that its row is found by."""
    prefix = extent.prefix
    return prefix.first.to_bytes(16, "big"), prefix.length, extent.state.value, extent.owner or 0


def _owner_column(state: State) -> str:
    """The column of an extent that says who owns it."""
    return _OWNER_COLUMNS.get(state, "subnet_id")
