"""Verify: does everything that must always hold, hold? One consistent snapshot of the whole registry."""

from __future__ import annotations

import itertools
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from typing import Any

from django.db import connection, transaction
from django.db.models import BigIntegerField, Max, Q
from django.db.models.functions import Coalesce

from lentra.addressing.extents import Extent, State
from lentra.addressing.headroom import usage_of
from lentra.addressing.overlap import Range, clashes
from lentra.addressing.prefix import Prefix, aggregate
from lentra.addressing.tiles import Sums, TileChanges
from lentra.registry.models import (
    ExtentRow,
    LedgerEntry,
    Pool,
    PoolRange,
    Realm,
    Record,
    Reservation,
    Space,
    Subnet,
    Tile,
)
from lentra.registry.models.subnets import EXTENT_STATE


@dataclass(frozen=True)
class Offence:
    """Something that must hold and does not: the rule's number and words, and who breaks it."""

    rule: int
    what: str
    where: str


def verify() -> dict[str, Any]:
    """Check the whole registry.

    Returns:
        ``clean``, what was ``checked`` (counts), and the ``offences`` with rule, what and where.
    """
    with _snapshot():
        offences: list[Offence] = []
        checked = {"pools": 0, "extents": 0, "subnets": 0, "records": 0, "ledger_entries": 0}
        for pool in Pool.objects.order_by("pk").select_related("realm"):
            checked["pools"] += 1
            for space in Space.objects.filter(pool=pool).order_by("family"):
                checked["extents"] += _check_space(pool, space, offences)
        offences += _top_level_overlaps()
        offences += _carved_pools()
        checked["subnets"] = _check_subnets(offences)
        offences += _reservations()
        checked["records"] = _check_ledger(offences)
        checked["ledger_entries"] = LedgerEntry.objects.count()
    return {
        "clean": not offences,
        "checked": checked,
        "offences": [{"rule": o.rule, "what": o.what, "where": o.where} for o in offences[:1000]],
    }


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


def _check_space(pool: Pool, space: Space, offences: list[Offence]) -> int:
    """Rules 2 and 7 for one pool and family; returns the number of extents."""
    where = f"{pool.realm.name}/{pool.name} IPv{space.family}"
    rows = ExtentRow.objects.filter(pool=pool, family=space.family).order_by("first")
    extents = [
        Extent(Prefix(space.family, first, length), State(state))
        for first, length, state in rows.values_list("first", "length", "state").iterator(chunk_size=20000)
    ]
    for left, right in itertools.pairwise(extents):
        if right.prefix.first <= left.prefix.last:
            offences.append(Offence(1, f"{left.prefix} and {right.prefix} overlap", where))
        elif left.state is right.state is State.FREE and left.prefix.buddy() == right.prefix:
            joined = left.prefix.enclosing(left.prefix.length - 1)
            if any(r.prefix.contains(joined) for r in pool.ranges.all()):
                offences.append(Offence(2, f"free {left.prefix} and {right.prefix} are not joined", where))
    ranges = [row.prefix for row in pool.ranges.all() if row.prefix.family == space.family]
    if aggregate([extent.prefix for extent in extents]) != aggregate(ranges):
        offences.append(Offence(2, "extents are not exactly the ranges", where))
    counted, kept = usage_of(space.family, extents), space.usage()
    for state in State:
        if counted.addresses[state] != kept.addresses[state]:
            what = f"counter {state.word} is {kept.addresses[state]}, counted {counted.addresses[state]}"
            offences.append(Offence(7, what, where))
    if counted.free_counts != kept.free_counts or counted.largest_free != space.largest_free:
        offences.append(Offence(7, "free extents per length differ from the count", where))
    offences += _check_tiles(pool, extents, where, space.family)
    return len(extents)


def _check_tiles(pool: Pool, extents: list[Extent], where: str, family: int) -> list[Offence]:
    """Rule 7 for the sums that the map is drawn from."""
    changes = TileChanges(family)
    for extent in extents:
        changes.count(extent, 1)
    counted = dict(changes.take())
    offences = []
    for tile in Tile.objects.filter(pool=pool, family=family).iterator(chunk_size=20000):
        wanted = counted.pop(tile.prefix, Sums())
        kept = tile.sums()
        same = all(kept.addresses[state] == wanted.addresses.get(state, 0) for state in State)
        if not same or kept.extents != wanted.extents:
            offences.append(Offence(7, f"the tile {tile.prefix} differs from the count", where))
    offences += [Offence(7, f"the tile {prefix} is missing", where) for prefix in counted]
    return offences


def _top_level_overlaps() -> list[Offence]:
    """Rule 1 among the top-level ranges of each realm."""
    offences = []
    for realm in Realm.objects.all():
        rows = PoolRange.objects.filter(realm=realm, top=True).select_related("pool")
        ranges = [Range(r.family, r.first, r.last, (r.pool.name, r.pk)) for r in rows]
        for clash in clashes(ranges, ranges):
            if clash.left.owner < clash.right.owner:
                names = f"{clash.left.owner[0]} and {clash.right.owner[0]}"
                offences.append(Offence(1, f"top-level ranges of {names} overlap", realm.name))
    return offences


def _carved_pools() -> list[Offence]:
    """Rule 1 between a carved extent and the pool carved from it."""
    carved = {
        (row["child_id"], row["pool_id"], row["family"], row["first"], row["length"])
        for row in ExtentRow.objects.filter(state=State.CARVED).values(
            "child_id", "pool_id", "family", "first", "length"
        )
    }
    ranges = {
        (r.pool_id, r.pool.parent_id, r.family, r.first, r.length)
        for r in PoolRange.objects.filter(top=False).select_related("pool")
    }
    return [
        Offence(1, f"carved extent and range of the carved pool differ at {Prefix(*key[2:])}", f"pool {key[0]}")
        for key in sorted(carved ^ ranges)
    ]


def _check_subnets(offences: list[Offence]) -> int:
    """Every living subnet owns a block in its state; every owned extent has the state of its subnet."""
    count = 0
    owned: dict[int, set[int]] = {}
    rows = ExtentRow.objects.filter(subnet__isnull=False).values_list("subnet_id", "state")
    for subnet_id, state in rows.iterator(chunk_size=20000):
        owned.setdefault(subnet_id, set()).add(state)
    for pk, name, state in Subnet.objects.values_list("pk", "name", "state").iterator(chunk_size=20000):
        count += 1
        states = owned.get(pk, set()) - {State.ROOM}
        if states != {EXTENT_STATE[state]}:
            words = ", ".join(State(s).word for s in sorted(states)) or "no block"
            offences.append(Offence(1, f"subnet {name} is {state} but owns {words}", f"subnet {pk}"))
    return count


def _reservations() -> list[Offence]:
    """Every reservation has something left; every reserved extent has a reservation; no other extent has one."""
    reserved = Q(state=State.RESERVED)
    odd = ExtentRow.objects.filter((reserved & Q(reservation=None)) | (~reserved & ~Q(reservation=None)))
    empty = Reservation.objects.exclude(extents__state=State.RESERVED)
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


def _check_ledger(offences: list[Offence]) -> int:
    """Rule 6: each record carries the number of its last ledger entry."""
    rows = LedgerEntry.objects.annotate(
        record=Coalesce("subject", "number", output_field=BigIntegerField())
    ).values_list("record")
    last = dict(rows.annotate(last=Max("number")).values_list("record", "last").iterator(chunk_size=20000))
    count = 0
    for model in Record.__subclasses__():
        values = model._default_manager.values_list("pk", "last_entry")
        for pk, last_entry in values.iterator(chunk_size=20000):
            count += 1
            if last.get(pk) != last_entry:
                what = f"{model.KIND} carries entry {last_entry}, the ledger's last is {last.get(pk)}"
                offences.append(Offence(6, what, f"{model.KIND} {pk}"))
    return count
