"""The entries of DNS zones follow the ledger: what a change has touched is derived anew, and what differs is to be pushed.

One process at a time does it. What it has not finished it does again from where it stood, to the same end.
"""

from __future__ import annotations

from collections.abc import Collection, Iterable, Iterator, Sequence

from django.db import transaction
from django.db.models import Q

from lentra.addressing.dns import BY_HAND, Claim, is_host_name, winners
from lentra.registry.models import (
    Address,
    DnsEntry,
    DnsKept,
    DnsRecord,
    DnsZone,
    LedgerEntry,
    Pool,
    Project,
    Region,
    Sheet,
    Subnet,
    Tier,
    Zone,
)
from lentra.registry.naming.facts import entries_by_hand, entries_of_subnets
from lentra.registry.reports.feed import read_feed
from lentra.registry.rules.dns import NAME_TEMPLATES
from lentra.registry.rules.naming import Naming
from lentra.registry.transactions.ordering import newest_placed
from lentra.registry.transactions.sql import insert

_AT_ONCE = 500  # entries of the ledger
_SUBNETS, _NAMES = 1000, 1000  # derived, or settled, together
_IN_NAMES: dict[str, set[str]] = {  # what of a set-up object is part of names: all is derived anew with it
    DnsZone.KIND: {*NAME_TEMPLATES, "names_end", "project_id", "delegated", "servers", "ds", "address"},
    Tier.KIND: {"name", "host_names"},
    Zone.KIND: {"name"},
    Region.KIND: {"name"},
    Project.KIND: {"name", "environment"},
    Sheet.KIND: {"v4", "v6", "gateway"},
    Pool.KIND: {"sheet_id"},
}
_FOLLOWED = (Subnet.KIND, Address.KIND, DnsZone.KIND, DnsRecord.KIND, *_IN_NAMES)
_ASKED = ("push", "compare")  # what is asked of a DNS zone and changes nothing of it
_KEPT = ("name", "rank", "subnet", "ttl", "claimed", "wins", "there", "pending", "number")


def keep_names() -> int:
    """Bring the entries of all DNS zones up to what has been committed; returns how many entries of the ledger it took."""
    kept = DnsKept.objects.filter(pk=1).first() or _begun()
    if kept.number == (newest := newest_placed()):
        return 0
    if not DnsZone.objects.exists() and not DnsEntry.objects.exists():
        DnsKept.objects.filter(pk=1).update(number=newest)
        return 0
    part = read_feed(LedgerEntry.objects.filter(kind__in=_FOLLOWED), kept.number, _AT_ONCE)
    _follow(part.entries)
    DnsKept.objects.filter(pk=1).update(number=part.after)
    return len(part.entries)


def are_kept() -> bool:
    """Whether the entries are up to what has been committed."""
    return DnsKept.objects.filter(pk=1, number=newest_placed()).exists()


def _begun() -> DnsKept:
    """Nothing was kept before: everything is derived, as of what is committed now."""
    number = newest_placed()
    for realm in sorted(set(DnsZone.objects.values_list("realm", flat=True))):
        derive_whole(realm, number)
    return DnsKept.objects.create(pk=1, number=number)


def derive_whole(realm: int, number: int = 0) -> None:
    """Derive everything of a realm anew, some subnets at a time."""
    naming = Naming(realm)
    _derived(naming, realm, Q(subnet=None), list(entries_by_hand(naming)), number)
    first = 0
    while True:
        rows = Subnet.objects.filter(realm=realm, pk__gte=first).order_by("pk")
        numbers = list(rows.values_list("pk", flat=True)[: _SUBNETS + 1])
        last = numbers[_SUBNETS] if len(numbers) > _SUBNETS else None
        span = {"gte": first} if last is None else {"gte": first, "lt": last}
        here = Subnet.objects.filter(realm=realm, **{f"pk__{of}": bound for of, bound in span.items()})
        old = Q(**{f"subnet__{of}": bound for of, bound in span.items()})
        _derived(naming, realm, old, list(entries_of_subnets(naming, here)), number)
        if last is None:
            return
        first = last


def _follow(entries: Sequence[LedgerEntry]) -> None:
    """Derive anew what some entries of the ledger have touched."""
    whole, by_hand, subnets, records = set(), set(), set(), set()
    for entry in entries:
        if entry.kind == DnsZone.KIND:
            if not (entry.before and entry.after) or _IN_NAMES[entry.kind] & entry.after.keys():
                whole |= {entry.realm} if entry.verb not in _ASKED else set()
        elif entry.kind == DnsRecord.KIND:
            by_hand.add(entry.realm)
        elif entry.kind == Subnet.KIND:
            subnets.add(entry.record)
        elif entry.kind == Address.KIND:
            records.add(entry.record)
            subnets |= {
                facts["subnet_id"] for facts in (entry.before, entry.after) if facts and "subnet_id" in facts
            }
        elif entry.before and entry.after and _IN_NAMES[entry.kind] & entry.after.keys():
            whole |= set(DnsZone.objects.values_list("realm", flat=True))
    number = entries[-1].number if entries else 0
    for realm in sorted(whole - {None}):
        derive_whole(realm, number)
    for realm in sorted(by_hand - whole - {None}):
        naming = Naming(realm)
        _derived(naming, realm, Q(subnet=None), list(entries_by_hand(naming)), number)
    _derive_subnets(subnets | _subnets_with(records), whole, number)


def _subnets_with(records: Collection[int]) -> set[int]:
    """Subnets that some address records lie in, and those of the records that they replace."""
    rows = Address.objects.filter(pk__in=records)
    found = set(rows.values_list("subnet", flat=True))
    return found | set(rows.exclude(replaces__subnet=None).values_list("replaces__subnet", flat=True))


def _derive_subnets(subnets: set[int], besides: Collection[int], number: int) -> None:
    """Derive some subnets anew, with the public addresses that are attached to what is in them."""
    public = Subnet.objects.filter(attached_record__subnet__in=subnets)
    touched = sorted(subnets | set(public.values_list("pk", flat=True)))
    realms = set(DnsZone.objects.values_list("realm", flat=True)) - set(besides)
    for n in range(0, len(touched), _SUBNETS):
        some = touched[n : n + _SUBNETS]
        for realm in sorted(realms):
            naming = Naming(realm)
            rows = Subnet.objects.filter(realm=realm, pk__in=some)
            _derived(naming, realm, Q(subnet__in=some), list(entries_of_subnets(naming, rows)), number)


def _derived(naming: Naming, realm: int, old: Q, new: Iterable[DnsEntry], number: int) -> None:
    """Put what was derived in the place of what there was, and settle who has the names that differ."""
    with transaction.atomic():
        there = {row.key: row for row in DnsEntry.objects.select_for_update().filter(old, realm=realm)}
        fresh: dict[str, DnsEntry] = {}
        for row in new:
            if row.rank == BY_HAND or is_host_name(row.name):
                fresh.setdefault(row.key, row)
        moved = []
        for key, row in there.items():
            now = fresh.get(key)
            said = (now.name, now.rank, now.subnet, now.ttl) if now else (row.name, row.rank, row.subnet, row.ttl)
            if (row.name, row.rank, row.subnet, row.ttl, row.claimed) == (*said, now is not None):
                continue
            if now and row.ttl != now.ttl and row.pending == 0 and row.there:
                row.pending = 1
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
    first = winners(_claims(rows), _taken_by_hand(rows))
    moved, gone = [], []
    for row in rows:
        wins = row.claimed and (row.rank == BY_HAND or first.get(row.name) == (row.rank, row.host))
        before = (row.wins, row.there, row.pending)
        row.wins = wins
        zone = naming.zones.get(row.dns_zone)
        if zone is None or not zone.address:
            row.there, row.pending = wins and zone is not None, 0
        elif wins and not row.pending:
            row.pending = 0 if row.there else 1
        elif wins and row.pending == 2:
            row.pending = 1
        elif not wins:
            row.pending = 2 if row.there else 0
        if (not row.claimed and not row.there) or zone is None:
            gone.append(row.pk)
        elif before != (row.wins, row.there, row.pending):
            row.number = number
            moved.append(row)
    DnsEntry.objects.filter(pk__in=gone).delete()
    insert(moved, update=_KEPT)


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
