"""The map of space: what lies in a prefix of a realm, fit to be drawn at that zoom, whatever the number of blocks.

Read from the innermost pools in view: extents as wide as a slot are cells of their own, what is narrower comes as the sums
that tiles keep. Pools carved from pools are entered while they are wide enough to show something inside.
"""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field
from typing import Any

from django.db.models import Count

from lentra.addressing.extents import Extent, State
from lentra.addressing.prefix import BITS, Prefix, containing
from lentra.addressing.tiles import Cell, Sums, branches_of, cells_of, has_tiles, outside, slot_length, slots_of
from lentra.registry.errors import Invalid
from lentra.registry.lookup.realms import likely_realms
from lentra.registry.lookup.sightings import last_in
from lentra.registry.models import (
    Address,
    ExtentRow,
    Finding,
    KeepOut,
    Pool,
    PoolRange,
    Realm,
    Region,
    Sighting,
    Space,
    Tile,
)
from lentra.registry.space.evidence import pool_chain
from lentra.registry.space.keep_outs import keep_outs_over

_ENTERED = 2  # a carved pool is entered if it is so many bits wider than a slot
_MOST_DETAILED = 2000  # extents too narrow to show, of which it is still said whose they are
_WITH = ("subnet__project", "subnet__zone", "subnet__tier", "reservation")
_OWNERS = ("project", "zone", "tier")


@dataclass
class _Gathered:
    """What was found in a view: cells, the pool of each, rows of wide extents, pools entered or shown as one cell."""

    cells: list[Cell] = field(default_factory=list)
    pool_of: dict[Prefix, int] = field(default_factory=dict)
    rows: dict[Prefix, ExtentRow] = field(default_factory=dict)
    entered: list[tuple[Prefix, int]] = field(default_factory=list)
    shown_whole: dict[Prefix, int] = field(default_factory=dict)


def ranges_to_map(realm: Realm | None, pool: Pool | None, region: Region | None) -> list[PoolRange]:
    """The widest ranges that a realm, a pool or a region has, in order: where a map may begin."""
    rows = PoolRange.objects.select_related("pool", "realm").order_by("realm__name", "family", "first")
    if pool:
        return list(rows.filter(pool=pool))
    if region:
        rows = rows.filter(pool__region=region)
        found = list(rows.filter(realm=realm) if realm else rows)
        return [row for row in found if not any(_inside(row, other) for other in found)]
    return list(rows.filter(realm=realm, top=True))


def realm_of(view: Prefix) -> Realm:
    """The one realm whose pools have something in a range.

    Raises:
        Invalid: none has, or several: then it must be said.
    """
    rows = PoolRange.objects.filter(family=view.family, top=True, first__lte=view.last, last__gte=view.first)
    realms = list(Realm.objects.filter(pk__in=rows.values("realm")).order_by("name"))
    if len(realms) != 1:
        names = [realm.name for realm in realms] or likely_realms()
        fault = f"{view} is in pools of {', '.join(names)}" if realms else f"{view} is in no pool"
        raise Invalid(f"{fault}: say which realm", field="realm", suggestions=names)
    return realms[0]


def space_map(realm: Realm, view: Prefix) -> dict[str, Any]:
    """The map of one prefix, in a bounded number of statements and of cells.

    Returns:
        ``range``, ``slot`` (length of the slots), ``chain`` (pools around, outermost first), ``wider``, ``before`` and
        ``after`` (where to go next), ``quarters``, ``pools`` (entered, with range and depth), ``branches`` (divided prefixes
        with their used share) and ``cells`` in order, each with start and share of the view.
    """
    chain = pool_chain(realm.pk, view.family, view.first, view.last)
    found = _Gathered()
    if chain:
        _enter(found, view, [(chain[-1].pk, view)])
    else:
        _enter_top(found, realm, view)
    found.cells.sort(key=lambda cell: cell.prefix.first)
    told = _tell_cells(realm, view, found)
    free = {cell.prefix: int(row["free"]) for cell, row in zip(found.cells, told, strict=True)}
    branches = branches_of(view, found.cells, free)
    names = dict(Pool.objects.filter(pk__in={pk for _, pk in found.entered}).values_list("pk", "name"))
    step = min(2, view.length)
    return {
        "realm": {"id": realm.pk, "name": realm.name},
        "range": str(view),
        "family": view.family,
        "slot": slot_length(view),
        "chain": _chain(realm, chain, view),
        "wider": str(view.enclosing(view.length - step)) if step else None,
        "before": str(Prefix(view.family, view.first - view.size, view.length)) if view.first else None,
        "after": _after(view),
        "quarters": [str(quarter) for quarter in view.children(min(view.length + 2, view.bits))],
        "pools": [
            {"id": pk, "name": names[pk], **_place(view, prefix), "depth": _depth(found.entered, prefix)}
            for prefix, pk in sorted(found.entered)
        ],
        "branches": [
            {
                **_place(view, prefix),
                "length": prefix.length,
                "used_percent": round(float(100 - 100 * left / size), 2),
            }
            for prefix, (left, size) in sorted(branches.items())
        ],
        "cells": told,
    }


# --- gathering ---


def _enter_top(found: _Gathered, realm: Realm, view: Prefix) -> None:
    """A view wider than any pool: the top-level ranges in it, and what is outside of them."""
    rows = PoolRange.objects.filter(
        realm=realm, family=view.family, top=True, first__gte=view.first, last__lte=view.last
    )
    slot = slot_length(view)
    inside = list(rows.filter(length__lte=slot).order_by("first"))
    narrow = rows.filter(length__gt=slot).values_list("first", "length")
    slots: dict[int, Sums] = {}
    for first, length in narrow.iterator():
        at = containing(view.family, first, slot).first
        slots.setdefault(at, Sums()).add(State.CARVED, 1 << (view.bits - length), 1)
    for at, sums in slots.items():
        found.cells.append(Cell(Prefix(view.family, at, slot), sums=sums))
    enter = []
    for row in inside:
        if row.length <= slot - _ENTERED:
            enter.append((row.pool_id, row.prefix))
        else:
            found.cells.append(Cell(row.prefix))
            found.shown_whole[row.prefix] = row.pool_id
    taken = [row.prefix for row in inside] + [Prefix(view.family, at, slot) for at in slots]
    found.cells += [Cell(prefix) for prefix in outside(view, taken)]
    _enter(found, view, enter)


def _enter(found: _Gathered, view: Prefix, pools: Sequence[tuple[int, Prefix]]) -> None:
    """The extents of pools in view, and then those of the pools carved from them, level by level."""
    slot = slot_length(view)
    while pools:
        found.entered += [(area, pk) for pk, area in pools]
        numbers = [pk for pk, _ in pools]
        areas = {pk: [area for p, area in pools if p == pk] for pk in numbers}
        wide = _wide_rows(numbers, view, slot, any(area == view for _, area in pools))
        tiles = _narrow(numbers, view, slot, found)
        further, shown = [], []
        for row in wide:
            prefix = view if row.prefix.contains(view) else row.prefix
            if not any(area.contains(prefix) for area in areas[row.pool_id]):
                continue
            found.pool_of[prefix] = row.pool_id
            if row.state == State.CARVED and row.child_id:
                if prefix.length <= slot - _ENTERED:
                    further.append((row.child_id, prefix))
                    continue
                found.shown_whole[prefix] = row.child_id
            found.rows[prefix] = row
            shown.append(Extent(row.prefix, State(row.state)))
        found.cells += cells_of(view, shown, tiles)
        pools = further


def _wide_rows(pools: Sequence[int], view: Prefix, slot: int, around: bool) -> list[ExtentRow]:
    """Extents as wide as a slot or wider: equality on all but the last column of one index."""
    rows = ExtentRow.objects.filter(pool__in=pools, family=view.family).select_related(*_WITH)
    if around:
        enclosing = [view.enclosing(length).first for length in range(view.length + 1)]
        wider = rows.filter(first__in=enclosing, length__lte=view.length)
        if holders := [row for row in wider if row.prefix.contains(view)]:
            return holders
    inside = rows.filter(
        state__in=[state.value for state in State],
        length__in=range(view.length, slot + 1),
        first__gte=view.first,
        first__lte=view.last,
    )
    return list(inside)


def _narrow(pools: Sequence[int], view: Prefix, slot: int, found: _Gathered) -> dict[int, Sums]:
    """Sums of the extents narrower than a slot, by the first address of the slot."""
    if slot == view.bits:
        return {}
    scope = {"pool__in": pools, "family": view.family, "first__gte": view.first, "first__lte": view.last}
    if has_tiles(view.family, slot):
        sums = {}
        for tile in Tile.objects.filter(length=slot, extents__gt=0, **scope):
            sums[tile.first] = tile.sums()
            found.pool_of[tile.prefix] = tile.pool_id
        return sums
    rows = ExtentRow.objects.filter(length__gt=slot, **scope).values_list("first", "length", "state")
    return slots_of(view, (Extent(Prefix(view.family, f, n), State(s)) for f, n, s in rows.iterator()))


# --- telling ---


def _tell_cells(realm: Realm, view: Prefix, found: _Gathered) -> list[dict[str, Any]]:
    whole = {s.pool_id: s.usage() for s in _spaces(found.shown_whole.values(), view.family)}
    pools = {
        pool.pk: pool for pool in Pool.objects.filter(pk__in=set(found.pool_of.values())).select_related("sheet")
    }
    hosts = _recorded_hosts(found.rows.values())
    children = dict(Pool.objects.filter(pk__in=whole).values_list("pk", "name"))
    keep_outs = keep_outs_over(realm.pk, view.family, view.first, view.last)
    owners = _owners_of_narrow(view, found)
    told = []
    for cell in found.cells:
        prefix, row = cell.prefix, found.rows.get(cell.prefix)
        pool = pools.get(found.pool_of.get(prefix, 0))
        facts: dict[str, Any] = {
            **_place(view, prefix),
            "addresses": str(prefix.size),
            "pool": {"id": pool.pk, "name": pool.name} if pool else None,
            "extents": 1,
            **dict.fromkeys(("subnet", "child", "reservation", "since", "hosts", "usable", "sums", "why", "seen")),
            **dict.fromkeys(_OWNERS),
        }
        free = 0
        if cell.sums:
            sums = {state: n for state, n in cell.sums.addresses.items() if n}
            free = sums.get(State.FREE, 0)
            if cell.sums.total < prefix.size:  # pools too narrow to show, with nothing between them
                free += 0 if pool else prefix.size - cell.sums.total
            facts["state"] = next(iter(sums)).word if len(sums) == 1 and pool else "mixed"
            facts["sums"] = {state.word: str(n) for state, n in sorted(sums.items())}
            facts["extents"] = cell.sums.extents
            facts |= owners.get(prefix.first, {})
        elif prefix in found.shown_whole:
            number = found.shown_whole[prefix]
            usage = whole[number]
            free = prefix.size * usage.free // usage.total if usage.total else 0
            facts["state"] = State.CARVED.word
            facts["child"] = {"id": number, "name": children[number]}
        elif row is None:
            facts["state"], free = "outside", prefix.size
            facts["why"] = _why_kept_out(keep_outs, prefix)
        else:
            facts["state"] = State(row.state).word
            free = prefix.size if row.state == State.FREE else 0
            facts |= _of_row(row, pool, hosts)
            if row.state == State.KEPT_OUT:
                facts["why"] = _why_kept_out(keep_outs, prefix)
        told.append(facts | {"free": str(free)})
    _tell_seen(realm, view, found, told)
    return told


def _tell_seen(realm: Realm, view: Prefix, found: _Gathered, told: list[dict[str, Any]]) -> None:
    """Whether what is in use is seen, and where something is seen that is not recorded; nothing where nobody looks."""
    if not Sighting.objects.filter(realm=realm).exists():
        return
    used = [n for n, cell in enumerate(found.cells) if cell.prefix in found.rows and told[n]["subnet"]]
    for n in used:
        told[n]["seen"] = "never seen"
    for place, _, living in last_in((realm.pk, found.cells[n].prefix) for n in used):
        cell = told[used[place]]
        cell["seen"] = "seen" if living or cell["seen"] == "seen" else "seen no more"
    strays = Finding.objects.filter(realm=realm, kind="stray", state="open", family=view.family, subnet=None)
    firsts = [cell.prefix.first for cell in found.cells]
    for first, last in strays.filter(first__lte=view.last, last__gte=view.first).values_list("first", "last"):
        place = max(0, bisect_right(firsts, first) - 1)
        while place < len(firsts) and firsts[place] <= last:
            if found.cells[place].prefix.last >= first:
                told[place]["seen"] = "seen, not recorded"
            place += 1


def _why_kept_out(keep_outs: Iterable[KeepOut], prefix: Prefix) -> str | None:
    reasons = [k.reason for k in keep_outs if k.first <= prefix.last and k.last >= prefix.first]
    return "; ".join(reasons[:3]) or None


def _of_row(row: ExtentRow, pool: Pool | None, hosts: dict[int, int]) -> dict[str, Any]:
    """Whose an extent is, how old, and how much of it is used."""
    if row.reservation:
        reserved = row.reservation
        return {"reservation": {"id": reserved.pk, "name": reserved.name}, "why": reserved.reason}
    subnet = row.subnet
    if subnet is None:
        return {}
    facts: dict[str, Any] = {
        "subnet": {"id": subnet.pk, "name": subnet.name},
        "since": subnet.created_at,
        **{name: getattr(subnet, name).name if getattr(subnet, name) else None for name in _OWNERS},
    }
    if row.family == 4 and row.state == State.HANDED_OUT and pool:
        facts["usable"] = str(pool.sheet.rules().family(4).usable(row.prefix))
        used = hosts.get(subnet.pk, subnet.hosts)
        facts["hosts"] = None if used is None else str(used)
    return facts


def _owners_of_narrow(view: Prefix, found: _Gathered) -> dict[int, dict[str, Any]]:
    """Of each slot that holds several extents, the project, zone and tier that all of them have, if they are few."""
    slots = [cell for cell in found.cells if cell.sums]
    if not slots or sum(cell.sums.extents for cell in slots if cell.sums) > _MOST_DETAILED:
        return {}
    rows = ExtentRow.objects.filter(
        pool__in={pk for _, pk in found.entered},
        family=view.family,
        first__gte=slots[0].prefix.first,
        first__lte=slots[-1].prefix.last,
        length__gt=slots[0].prefix.length,
        subnet__isnull=False,
    )
    names: dict[int, list[set[str]]] = {}
    columns = [f"subnet__{name}__name" for name in _OWNERS]
    for first, *owners in rows.values_list("first", *columns):
        at = containing(view.family, first, slots[0].prefix.length).first
        known = names.setdefault(at, [set() for _ in _OWNERS])
        for kept, name in zip(known, owners, strict=True):
            kept.add(name or "—")
    return {
        at: {
            owner: next(iter(kept)) if len(kept) == 1 else "several"
            for owner, kept in zip(_OWNERS, known, strict=True)
        }
        for at, known in names.items()
    }


def _recorded_hosts(rows: Iterable[ExtentRow]) -> dict[int, int]:
    subnets = [row.subnet_id for row in rows if row.subnet_id and row.family == 4]
    counted = Address.objects.filter(subnet__in=subnets, family=4).values_list("subnet").annotate(n=Count("id"))
    return dict(counted.order_by())


def _spaces(pools: Iterable[int], family: int) -> Iterable[Space]:
    return Space.objects.filter(pool__in=set(pools), family=family)


def _chain(realm: Realm, chain: Sequence[Pool], view: Prefix) -> list[dict[str, Any]]:
    """The wider prefixes that one can go back to: the ranges of the pools around, outermost first."""
    rows = PoolRange.objects.filter(
        realm=realm, pool__in=chain, family=view.family, first__lte=view.first, last__gte=view.last
    )
    ranges = {row.pool_id: row.prefix for row in rows}
    return [{"id": pool.pk, "name": pool.name, "range": str(ranges[pool.pk])} for pool in chain]


def _place(view: Prefix, prefix: Prefix) -> dict[str, Any]:
    return {
        "range": str(prefix),
        "start": (prefix.first - view.first) / view.size,
        "share": prefix.size / view.size,
    }


def _after(view: Prefix) -> str | None:
    first = view.first + view.size
    return str(Prefix(view.family, first, view.length)) if first < 1 << BITS[view.family] else None


def _depth(entered: Sequence[tuple[Prefix, int]], prefix: Prefix) -> int:
    """In how many other pools a pool's range lies, of those in view."""
    return sum(other.contains(prefix) and other != prefix for other, _ in entered)


def _inside(row: PoolRange, other: PoolRange) -> bool:
    return row.pk != other.pk and row.realm_id == other.realm_id and other.prefix.contains(row.prefix)
