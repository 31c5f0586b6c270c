"""Subnets beside what the ledger says of them, what they own, and what is kept of them: read in bulk.

There are more subnets than of all else together. What is plainly right of one is seen by comparing columns; only what is not
is looked at by the general way, which says what is wrong.
"""

from __future__ import annotations

import json
from collections import Counter
from collections.abc import Iterator
from datetime import datetime
from functools import cache
from typing import Any

from lentra.addressing.extents import State
from lentra.addressing.prefix import Prefix, prefix_text
from lentra.registry.models import Address, ExtentRow, LedgerEntry, Subnet, Tenure
from lentra.registry.models.records import fact_names
from lentra.registry.models.subnets import EXTENT_STATE
from lentra.registry.reports.replay import departures_from_ledger, tenures_beside_ledger
from lentra.registry.space.keeping import Owned, Sums, kept_of
from lentra.registry.transactions.sql import Prepared, Slot

_PAGE = 5000
_MOST_KNOWN = 20_000
_NOTHING = (None, "", "{}", "[]")
_COLUMNS = [field.attname for field in Subnet._meta.concrete_fields]
_AT = {name: n for n, name in enumerate(_COLUMNS)}
_FACTS = [(n, name) for n, name in enumerate(_COLUMNS) if name in fact_names(Subnet)]
_KEPT = [_AT[name] for name in ("counted", "unused", "spare")]
_KEPT_FROM = [_AT[f"{name}_id"] for name in ("realm", "project", "region", "zone", "tier", "pool")] + [
    _AT[name] for name in ("state", "hosts", "growth")
]
_ROOM = int(State.ROOM)
# What a tenure tells of a subnet, and where the subnet's own row has it.
_HAD_AS = ("realm", "pool", "project", "region", "zone", "tier", "name", "state", "attached_to", "attached_record")
_HAD = [_AT[f"{name}_id"] for name in _HAD_AS[:6]] + [
    *(_AT[name] for name in _HAD_AS[6:9]),
    _AT["attached_record_id"],
]

Offences = Iterator[tuple[int, str, str]]  # rule, what is wrong, where
Piece = tuple[int, int, int, int, int]  # pool, family, first address, length, state


@cache
def _subnets(realm: bool) -> Prepared:
    rows = Subnet.objects.filter(realm=Slot("realm")) if realm else Subnet.objects.all()
    return Prepared(lambda: rows.filter(pk__gt=Slot("after")).order_by("pk").values_list(*_COLUMNS)[:_PAGE])


_extents = Prepared(
    lambda: ExtentRow.objects.filter(subnet__gte=Slot("first"), subnet__lte=Slot("last")).values_list(
        "subnet_id", "pool_id", "family", "first", "length", "state"
    )
)
_made = Prepared(
    lambda: LedgerEntry.objects.filter(
        number__gte=Slot("first"), number__lte=Slot("last"), subject=None, kind=Subnet.KIND
    ).values_list("number", "after", "at")
)
_tenures = Prepared(
    lambda: (
        Tenure.objects.filter(record__gte=Slot("first"), record__lte=Slot("last"), kind=Subnet.KIND)
        .order_by("record", "family", "first")
        .values_list("record", "entry_id", "begins", "ends", "ended_by", *_HAD_AS, "family", "first", "length")
    )
)
_changed = Prepared(
    lambda: (
        LedgerEntry.objects.filter(subject__gte=Slot("first"), subject__lte=Slot("last"))
        .order_by("number")
        .values_list("subject", "number", "after")
    )
)


class SubnetCheck:
    """Rules 1, 6 and 7 for the subnets of a realm, or of all.

    Attributes:
        count: the subnets that were looked at.
    """

    def __init__(self, realm: int | None) -> None:
        self._realm = realm
        self._known: dict[tuple[Any, ...], tuple[str, int, int | None]] = {}
        self._counted: Counter[str] = Counter()
        self._sums = Sums()
        self.count = 0

    def offences(self) -> Offences:
        """What is wrong with them."""
        rows, after = _subnets(self._realm is not None), 0
        while page := rows.raw(after=after, **({} if self._realm is None else {"realm": self._realm})):
            after = page[-1][0]
            self.count += len(page)
            yield from self._page(page)
        self._add_up()
        of = {} if self._realm is None else {"realm": self._realm}
        yield from ((7, what, "sums") for what in self._sums.departures(of))

    def _page(self, page: list[tuple[Any, ...]]) -> Offences:
        span = {"first": page[0][0], "last": page[-1][0]}
        owned: dict[int, list[Piece]] = {}
        for subnet, pool, family, first, length, state in _extents.raw(**span):
            owned.setdefault(subnet, []).append((pool, family, int.from_bytes(first, "big"), length, state))
        told, last, made = self._ledger(span)
        tenures: dict[int, list[tuple[Any, ...]]] = {}
        for tenure in _tenures.raw(**span):
            tenures.setdefault(tenure[0], []).append(tenure[1:])
        records = self._records(span)
        odd: list[int] = []
        looked_into: list[int] = []  # whose tenures take a closer look
        for row in page:
            number = row[0]
            pieces = owned.get(number, [])
            if len(pieces) > 1:
                pieces.sort(key=_in_order)
            yield from self._owns(row, pieces)
            for family, address, name in records.get(number, ()):
                if not any(p[1] == family and p[2] <= address < p[2] + _size(p) for p in pieces if p[4] != _ROOM):
                    yield 1, f"address record {name} lies outside its subnet", f"subnet {number}"
            recorded = tuple(sorted(Counter(family for family, *_ in records.get(number, ())).items()))
            if self._kept(row, pieces, recorded) != tuple(row[n] for n in _KEPT):
                yield 7, "what is kept of it differs from what is there", f"subnet {number}"
            self._counted[row[_KEPT[0]]] += 1
            if last.get(number) != row[1] or not _is_told(row, told[number], pieces):
                odd.append(number)
            elif last[number] != number or not _had_since(made[number], row, pieces, tenures.get(number, [])):
                looked_into.append(number)
        if len(self._counted) > _MOST_KNOWN:
            self._add_up()
        found = Subnet.objects.filter(pk__in=odd).prefetch_related("extents")
        yield from ((6, what, where) for what, where in departures_from_ledger(Subnet, list(found)))
        yield from ((11, what, where) for what, where in tenures_beside_ledger(Subnet, looked_into))

    def _ledger(
        self, span: dict[str, int]
    ) -> tuple[dict[int, dict[str, Any]], dict[int, int], dict[int, datetime]]:
        """What the ledger says of each subnet, the number of its last entry, and when it was made."""
        rows = _made.raw(**span)
        told = {number: json.loads(after) if after else {} for number, after, _ in rows}
        made = {number: at for number, _, at in rows}
        last = {number: number for number in told}
        for subject, number, after in _changed.raw(**span):
            last[subject] = number
            told.setdefault(subject, {}).update(json.loads(after) if after else {})
        return told, last, made

    def _records(self, span: dict[str, int]) -> dict[int, list[tuple[int, int, str]]]:
        found: dict[int, list[tuple[int, int, str]]] = {}
        for record in Address.objects.filter(subnet__gte=span["first"], subnet__lte=span["last"]).order_by("pk"):
            found.setdefault(record.subnet_id, []).append((record.family, record.address, record.label_text))
        return found

    def _owns(self, row: tuple[Any, ...], pieces: list[Piece]) -> Offences:
        """It owns a block in its state, and no other."""
        state = row[_AT["state"]]
        wanted = int(EXTENT_STATE[state])
        if len(pieces) == 1 and pieces[0][4] == wanted:
            return
        states = {piece[4] for piece in pieces} - {_ROOM}
        if states != {wanted}:
            words = ", ".join(State(one).word for one in sorted(states)) or "no block"
            yield 1, f"subnet {row[_AT['name']]} is {state} but owns {words}", f"subnet {row[0]}"

    def _kept(
        self, row: tuple[Any, ...], pieces: list[Piece], recorded: tuple[tuple[int, int], ...]
    ) -> tuple[str, int, int | None]:
        """What is to be kept of it: the same for all that have as much in the same place."""
        used = bool(row[_AT["dhcp"]]), bool(row[_AT["attached_to"]])
        shape = tuple([(pool, family, length, state) for pool, family, _, length, state in pieces])
        key = (*[row[n] for n in _KEPT_FROM], used, shape, recorded)
        known = self._known.get(key)
        if known is None:
            subnet = Subnet(**{name: row[n] for name, n in _AT.items() if name not in ("labels", "name_servers")})
            whole = Owned([(p[0], Prefix(p[1], p[2], p[3]), State(p[4])) for p in pieces], Counter(dict(recorded)))
            if len(self._known) >= _MOST_KNOWN:
                self._known.clear()
            known = self._known[key] = kept_of(subnet, whole)
        return known

    def _add_up(self) -> None:
        for counted, subnets in self._counted.items():
            self._sums.count(counted, subnets)
        self._counted.clear()


def _in_order(piece: Piece) -> tuple[int, int, int]:
    return piece[1], piece[2], piece[3]


def _size(piece: Piece) -> int:
    return 1 << ((32 if piece[1] == 4 else 128) - piece[3])


def _had_since(at: datetime, row: tuple[Any, ...], pieces: list[Piece], tenures: list[tuple[Any, ...]]) -> bool:
    """Plainly the tenures of a subnet that is as it was made; False also where it takes a closer look."""
    facts = [row[n] for n in _HAD]
    blocks = [piece for piece in pieces if piece[4] != _ROOM]
    return len(blocks) == len(tenures) and all(
        tenure[:4] == (row[0], at, row[_AT["ends_at"]], None)
        and list(tenure[4:-3]) == facts
        and tenure[-3:] == (piece[1], piece[2].to_bytes(16, "big"), piece[3])
        for piece, tenure in zip(blocks, tenures, strict=True)
    )


def _is_told(row: tuple[Any, ...], told: dict[str, Any], pieces: list[Piece]) -> bool:
    """Plainly what the ledger says; False also where it takes a closer look."""
    get = told.get
    for n, name in _FACTS:
        value, said = row[n], get(name)
        if value == said or (value in _NOTHING and said in _NOTHING):
            continue
        if isinstance(value, datetime) and said == f"{value.isoformat()}Z":
            continue
        return False
    return bool(
        get("blocks")
        == [prefix_text(family, first, length) for _, family, first, length, state in pieces if state != _ROOM]
    )
