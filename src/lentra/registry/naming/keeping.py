"""The entries of DNS zones follow the ledger: what a change has touched is derived anew, and what differs is to be pushed.

One process at a time does it. What it has not finished it does again from where it stood, to the same end.
"""

from __future__ import annotations

from collections.abc import Collection, Iterable, Iterator, Sequence
from typing import Any

from django.db import transaction
from django.db.models import Q

from lentra.addressing.dns import BY_HAND, Claim, winners
from lentra.registry.models import DnsEntry, DnsKept, DnsZone, LedgerEntry, Subnet
from lentra.registry.naming.facts import TOGETHER, entries_by_hand, entries_of_subnets, parts_of
from lentra.registry.naming.serving import TO_ADD, TO_REMOVE
from lentra.registry.naming.touched import FOLLOWED, realms_of, touched_by
from lentra.registry.rules.naming import Naming
from lentra.registry.transactions.feed import read_feed
from lentra.registry.transactions.ordering import newest_placed
from lentra.registry.transactions.sql import insert

_AT_ONCE = 500  # entries of the ledger
_NAMES, _TOGETHER = 1000, 5000  # names that are settled, entries that are read, together
_KEPT = ("name", "rank", "subnet", "ttl", "claimed", "wins", "there", "pending", "number")


def keep_names() -> int:
    """Bring the entries of all DNS zones up to what has been committed; returns how many entries of the ledger it took."""
    kept = DnsKept.objects.filter(pk=1).first() or _begun()
    if kept.number == (newest := newest_placed()):
        return 0
    if not DnsZone.objects.exists() and not DnsEntry.objects.exists():
        DnsKept.objects.filter(pk=1).update(number=newest)
        return 0
    part = read_feed(LedgerEntry.objects.filter(kind__in=FOLLOWED), kept.number, _AT_ONCE)
    _follow(part.entries)
    DnsKept.objects.filter(pk=1).update(number=part.after)
    return len(part.entries)


def are_kept() -> bool:
    """Whether the entries are up to what has been committed."""
    return DnsKept.objects.filter(pk=1, number=newest_placed()).exists()


def keep_anew() -> None:
    """Have everything derived anew, whatever has been kept."""
    DnsKept.objects.all().delete()


def _begun() -> DnsKept:
    """Nothing was kept before: everything is derived, as of what is committed now."""
    number = newest_placed()
    with_names = (rows.values_list("realm", flat=True).distinct() for rows in (DnsZone.objects, DnsEntry.objects))
    for realm in sorted({realm for realms in with_names for realm in realms}):
        were_there = DnsEntry.objects.filter(realm=realm).exists()
        derive_whole(realm, number)
        naming = Naming(realm)
        for rows in by_name(realm) if were_there else ():  # whatever is wrong with them
            with transaction.atomic():
                _settle(naming, realm, sorted({row.name for row in rows}), number)
    return DnsKept.objects.create(pk=1, number=number)


def derive_whole(realm: int, number: int = 0) -> None:
    """Derive everything of a realm anew, some subnets at a time."""
    naming = Naming(realm)
    _derived(naming, realm, Q(subnet=None), list(entries_by_hand(naming)), number)
    for here, old in parts_of(realm):
        _derived(naming, realm, old, list(entries_of_subnets(naming, here)), number)


def _follow(entries: Sequence[LedgerEntry]) -> None:
    """Derive anew what some entries of the ledger have touched."""
    touched = touched_by(entries)
    number = entries[-1].number if entries else 0
    for realm in sorted(touched.whole):
        derive_whole(realm, number)
    for realm in sorted(touched.by_hand - touched.whole):
        naming = Naming(realm)
        _derived(naming, realm, Q(subnet=None), list(entries_by_hand(naming)), number)
    subnets = sorted(touched.subnets)
    for n in range(0, len(subnets), TOGETHER):
        some = subnets[n : n + TOGETHER]
        for realm in sorted(realms_of(some) - touched.whole):
            naming = Naming(realm)
            rows = Subnet.objects.filter(realm=realm, pk__in=some)
            _derived(naming, realm, Q(subnet__in=some), list(entries_of_subnets(naming, rows)), number)


def _derived(naming: Naming, realm: int, old: Q, new: Iterable[DnsEntry], number: int) -> None:
    """Put what was derived in the place of what there was, and settle who has the names that differ."""
    with transaction.atomic():
        there = {row.key: row for row in DnsEntry.objects.select_for_update().filter(old, realm=realm)}
        fresh = {row.key: row for row in new}
        moved = []
        for key, row in there.items():
            now = fresh.get(key)
            said = said_of(now or row)
            if (*said_of(row), row.claimed) == (*said, now is not None):
                continue
            if now and row.ttl != now.ttl and row.pending == 0 and row.there:
                row.pending = TO_ADD
            row.name, row.rank, row.subnet, row.ttl = said
            row.claimed, row.number = now is not None, number
            moved.append(row)
        added = [row for key, row in fresh.items() if key not in there]
        for row in added:
            row.number, row.wins = number, False
        insert([*moved, *added], update=_KEPT)
        names = sorted({row.name for row in (*moved, *added)})
        for n in range(0, len(names), _NAMES):
            _settle(naming, realm, names[n : n + _NAMES], number)


def _settle(naming: Naming, realm: int, names: Sequence[str], number: int) -> None:
    """Say who has some names, and what is to be done on the servers for it."""
    rows = list(DnsEntry.objects.select_for_update().filter(realm=realm, name__in=names))
    winning = winning_of(rows)
    moved, gone = [], []
    for row in rows:
        before = (row.wins, row.there, row.pending)
        zone = naming.zones.get(row.dns_zone)
        row.wins = row.key in winning
        row.there, row.pending = standing_of(row, zone)
        if (not row.claimed and not row.there) or zone is None:
            gone.append(row.pk)
        elif before != (row.wins, row.there, row.pending):
            row.number = number
            moved.append(row)
    DnsEntry.objects.filter(pk__in=gone).delete()
    insert(moved, update=_KEPT)


def by_name(realm: int) -> Iterator[list[DnsEntry]]:
    """All entries of a realm, some names at a time, each with everything that there is for it."""
    rows: Any = DnsEntry.objects.filter(realm=realm).order_by("name", "pk")
    after = ""
    while page := list(rows.filter(name__gt=after)[:_TOGETHER]):
        after = page[-1].name
        if len(page) == _TOGETHER:  # the last name may go on behind the page
            page = [row for row in page if row.name != after] + list(rows.filter(name=after))
        yield page


def said_of(row: DnsEntry) -> tuple[object, ...]:
    """What an entry says beside what its key is made of."""
    return row.name, row.rank, row.subnet, row.ttl


def standing_of(row: DnsEntry, zone: DnsZone | None) -> tuple[bool, int]:
    """Whether an entry may be on the server of its DNS zone, and what is to be done there, as it wins or does not."""
    if zone is None or not zone.address:
        return row.wins and zone is not None, 0
    if not row.wins:
        return row.there, TO_REMOVE if row.there else 0
    if row.pending in (0, TO_REMOVE):
        return row.there, 0 if row.there and not row.pending else TO_ADD
    return row.there, row.pending


def winning_of(rows: Collection[DnsEntry]) -> set[str]:
    """Keys of the entries that win, of all that there are for some names."""
    first = winners(_claims(rows), _taken_by_hand(rows))
    return {
        row.key
        for row in rows
        if row.claimed and (row.rank == BY_HAND or first.get(row.name) == (row.rank, row.host))
    }


def _claims(rows: Iterable[DnsEntry]) -> Iterator[Claim]:
    for row in rows:
        if row.claimed and row.rank != BY_HAND:
            yield Claim(row.name, row.rank, row.host, alias_of=row.data if row.type == "CNAME" else "")


def _taken_by_hand(rows: Iterable[DnsEntry]) -> dict[str, bool]:
    """Names with records by hand: True where one of them is another name (CNAME)."""
    taken: dict[str, bool] = {}
    for row in rows:
        if row.claimed and row.rank == BY_HAND:
            taken[row.name] = taken.get(row.name, False) or row.type == "CNAME"
    return taken
