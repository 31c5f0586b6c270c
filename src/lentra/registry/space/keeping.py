"""What follows from subnets and is kept with each change: sums of what they own, whether it is used, words to find them by.

A subnet that is made knows at once what it adds (`prepare`); of all others that a change has touched it is read anew before
the change is committed (`settle`), and the difference to what was `counted` of it goes into the sums.
"""

from __future__ import annotations

import json
from collections import Counter
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field

from django.db.models import Count

from lentra.addressing.extents import State
from lentra.addressing.prefix import BITS, Prefix
from lentra.addressing.sizing import hosts_with_growth
from lentra.registry.models import Address, ExtentRow, Subnet, SubnetLabel, SubnetSum, SubnetWords
from lentra.registry.models.subnets import ANY_FAMILY, EXTENT_STATE, SUBNET_STATES
from lentra.registry.transactions.change import Change
from lentra.registry.transactions.sql import Batch, Text, update_text

Key = tuple[int, ...]  # realm, project, region, zone, tier, pool, family, state, length
_COLUMNS = ("extents", "subnets", "hosts")
_KEY = ("realm", "project", "region", "zone", "tier", "pool", "family", "state", "length")
_OF = ("realm_id", "project_id", "region_id", "zone_id", "tier_id")
FAR_BELOW = 4  # a block so many times as wide as it need be
_AT_ONCE = 1000
_IN_USE = EXTENT_STATE["active"]


@dataclass
class Owned:
    """What a subnet owns and how much of it is used, as far as it is counted."""

    pieces: list[tuple[int, Prefix, State]] = field(default_factory=list)  # pool, extent, state
    recorded: Counter[int] = field(default_factory=Counter)  # address records by family

    def blocks(self) -> list[tuple[int, Prefix, State]]:
        """The pieces that are blocks, in order of address."""
        return sorted((piece for piece in self.pieces if piece[2] is not State.ROOM), key=lambda piece: piece[1])


class Sums:
    """Sums by key, as they are counted of subnets."""

    def __init__(self) -> None:
        self._rows: dict[Key, list[int]] = {}

    def count(self, counted: str, sign: int) -> None:
        """Add, or take away, what was counted of a subnet."""
        place, *parts = json.loads(counted) if counted else ([],)
        for part in parts:
            row = self._rows.setdefault((*place, *part[:4]), [0, 0, 0])
            for n, amount in enumerate(part[4:]):
                row[n] += sign * amount

    def only(self, pool: int) -> None:
        """Leave those of one pool."""
        self._rows = {key: row for key, row in self._rows.items() if key[_KEY.index("pool")] == pool}

    def add_to(self, batch: Batch) -> None:
        """Add them to those in the database, in one order, so that changes of the same ones wait and do not cross."""
        rows = [(*key, *row) for key, row in sorted(self._rows.items()) if any(row)]
        batch.rows(SubnetSum, (*_KEY, *_COLUMNS), rows, add=_COLUMNS)

    def departures(self, of: Mapping[str, int]) -> list[str]:
        """Where those in the database that match a filter are others, in words."""
        counted = {key: row for key, row in self._rows.items() if any(row)}
        for row in SubnetSum.objects.filter(**of).values_list(*_KEY, *_COLUMNS):
            key, kept = row[: len(_KEY)], list(row[len(_KEY) :])
            if any(kept) and counted.pop(key, None) != kept:
                counted[key] = [-1]
        return [", ".join(f"{name} {n}" for name, n in zip(_KEY, key, strict=True)) for key in sorted(counted)][
            :100
        ]


def prepare(subnet: Subnet, pieces: Iterable[tuple[int, Prefix, State]]) -> None:
    """Set what follows from a subnet that is about to be made, with the pieces that it was given."""
    owned = Owned(list(pieces))
    subnet.counted = _told(_parts(subnet, owned))
    subnet.unused, subnet.spare = _unused(subnet, owned), _spare(subnet, owned)


def settle(change: Change) -> None:
    """Bring what follows from the subnets of a change up to date; called before it is committed."""
    made, touched = _touched(change)
    sums = Sums()
    for subnet in made:
        assert subnet.counted, f"subnet {subnet.name} was made and not prepared"
        sums.count(subnet.counted, 1)
    just_made = {record.pk for record in change.made}
    gone = [record for record in change.gone if isinstance(record, Subnet) and record.pk not in just_made]
    for subnet in gone:
        sums.count(subnet.counted, -1)
    for at in range(0, len(touched), _AT_ONCE):
        _read_anew(change, touched[at : at + _AT_ONCE], sums)
    sums.add_to(change.batch)
    numbers = [subnet.pk for subnet in gone]
    if numbers:
        SubnetLabel.objects.filter(subnet__in=numbers).delete()
        SubnetWords.objects.filter(subnet__in=numbers).delete()
    _found_by(change, [subnet for subnet in made if subnet.pk not in touched])


def recount(pool: int, batch: Batch) -> tuple[int, int]:
    """Count the subnets of an open pool anew, with the sums of what they have in it.

    Returns:
        how many subnets had other things kept of them, and how many sums were others.
    """
    list(SubnetSum.objects.select_for_update().filter(pool=pool).values_list("pk"))
    sums, wrong, after = Sums(), 0, 0
    there = ExtentRow.objects.filter(pool=pool, subnet__isnull=False).values("subnet")
    while page := list(Subnet.objects.filter(pk__in=there, pk__gt=after).order_by("pk")[:_AT_ONCE]):
        owned = owned_by([subnet.pk for subnet in page])
        for subnet in page:
            kept = kept_of(subnet, owned[subnet.pk])
            if kept != (subnet.counted, subnet.unused, subnet.spare):
                wrong += 1
                batch.add([keep(subnet, kept)])
            sums.count(subnet.counted, 1)
        after = page[-1].pk
    sums.only(pool)
    departures = len(sums.departures({"pool": pool}))
    if departures:
        SubnetSum.objects.filter(pool=pool).delete()
        sums.add_to(batch)
    return wrong, departures


def owned_by(numbers: Sequence[int]) -> dict[int, Owned]:
    """What subnets own and how much of it is recorded, as it is in the database: subnet number -> owned."""
    found = {number: Owned() for number in numbers}
    rows = ExtentRow.objects.filter(subnet__in=numbers)
    for owner, pool, family, first, length, state in rows.values_list(
        "subnet_id", "pool_id", "family", "first", "length", "state"
    ):
        found[owner].pieces.append((pool, Prefix(family, first, length), State(state)))
    records = Address.objects.filter(subnet__in=numbers).order_by().values_list("subnet", "family")
    for owner, family, count in records.annotate(n=Count("pk")):
        found[owner].recorded[family] = count
    return found


def kept_of(subnet: Subnet, owned: Owned) -> tuple[str, bool, int | None]:
    """What is to be kept of a subnet: what is counted of it, whether it is unused, spare addresses."""
    return _told(_parts(subnet, owned)), _unused(subnet, owned), _spare(subnet, owned)


def _touched(change: Change) -> tuple[list[Subnet], list[int]]:
    """The subnets that a change has made, and the numbers of those there that it has entered or made more of."""
    gone = {record.pk for record in change.gone if isinstance(record, Subnet)}
    made = [record for record in change.made if isinstance(record, Subnet) and record.pk not in gone]
    touched: set[int] = set()
    for entry in change.entries:
        if entry.kind == Subnet.KIND and entry.subject:
            touched.add(entry.subject)
        elif entry.kind == Address.KIND:
            touched.add((entry.after or {}).get("subnet_id") or (entry.before or {}).get("subnet_id") or 0)
    return made, sorted(touched - gone - {0})


def _read_anew(change: Change, numbers: Sequence[int], sums: Sums) -> None:
    """Count subnets anew, and keep what differs."""
    change.batch.send()
    owned = owned_by(numbers)
    entered = [(entry.record, (entry.after or {}).keys()) for entry in change.entries if entry.kind == Subnet.KIND]
    labelled = {number for number, columns in entered if "labels" in columns} & set(numbers)
    worded = {number for number, columns in entered if {"purpose", "notes"} & columns} & set(numbers)
    found = list(Subnet.objects.filter(pk__in=numbers))
    for subnet in found:
        kept = kept_of(subnet, owned[subnet.pk])
        if kept[0] != subnet.counted:
            sums.count(subnet.counted, -1)
            sums.count(kept[0], 1)
        if kept != (subnet.counted, subnet.unused, subnet.spare):
            change.batch.add([keep(subnet, kept)])
    for model, changed in ((SubnetLabel, labelled), (SubnetWords, worded)):
        if changed:
            model._default_manager.filter(subnet__in=changed).delete()
    _found_by(change, [s for s in found if s.pk in labelled], [s for s in found if s.pk in worded])


def keep(subnet: Subnet, kept: tuple[str, bool, int | None]) -> Text:
    """A statement that keeps what follows from a subnet."""
    subnet.counted, subnet.unused, subnet.spare = kept
    return update_text(subnet, ("counted", "unused", "spare"))


def _found_by(change: Change, labelled: Iterable[Subnet], worded: Iterable[Subnet] | None = None) -> None:
    """Write the labels of subnets, and the words of these or others, so that they are found by them."""
    labelled = list(labelled)
    rows = [SubnetLabel(subnet=s.pk, key=key, value=value) for s in labelled for key, value in s.labels.items()]
    change.batch.insert(rows)
    words = labelled if worded is None else worded
    change.batch.insert([SubnetWords(subnet=s.pk, text=text) for s in words if (text := words_of(s))])


def words_of(subnet: Subnet) -> str:
    """The words that a subnet is found by."""
    return f"{subnet.purpose}\n{subnet.notes}".strip()


def _parts(subnet: Subnet, owned: Owned) -> list[list[int]]:
    """What a subnet adds to the sums: its place, then a row for each pool, family, state and length that it has."""
    hosts = owned.recorded[4] or subnet.hosts or 0
    rows: dict[tuple[int, int, int, int], list[int]] = {}
    for pool, prefix, state in owned.pieces:
        rows.setdefault((pool, prefix.family, int(state), prefix.length), [0, 0, 0])[0] += 1
    seen: set[tuple[int, int]] = set()
    used = False
    for pool, prefix, state in owned.blocks():
        row = rows[pool, prefix.family, int(state), prefix.length]
        if (pool, prefix.family) not in seen:
            seen.add((pool, prefix.family))
            row[1] = 1
            if prefix.family == 4 and state is _IN_USE and not used:
                row[2], used = hosts, True
    place = [getattr(subnet, name) or 0 for name in _OF]
    itself = [subnet.pool_id, ANY_FAMILY, SUBNET_STATES.index(subnet.state), 0, 0, 1, 0]
    return [place, itself, *([*key, *row] for key, row in sorted(rows.items()))]


def _told(parts: list[list[int]]) -> str:
    return json.dumps(parts, separators=(",", ":"))


def _unused(subnet: Subnet, owned: Owned) -> bool:
    """In use by its state, and nothing says what for: of blocks that hold hosts, and of single addresses."""
    if subnet.state != "active" or owned.recorded or subnet.dhcp or subnet.attached_to:
        return False
    return any(
        prefix.length == BITS[prefix.family] or (prefix.family == 4 and prefix.length < 31)
        for _, prefix, state in owned.blocks()
        if state is _IN_USE
    )


def _spare(subnet: Subnet, owned: Owned) -> int | None:
    """How many addresses of its first IPv4 block its expected hosts leave, if that is far more than they need."""
    if subnet.hosts is None or subnet.state != "active":
        return None
    needed = max(1, hosts_with_growth(subnet.hosts, subnet.growth))
    for _, prefix, state in owned.blocks():
        if prefix.family == 4 and state is _IN_USE:
            enough = 1 << (needed - 1).bit_length()
            return prefix.size - needed if prefix.size >= FAR_BELOW * enough else None
    return None
