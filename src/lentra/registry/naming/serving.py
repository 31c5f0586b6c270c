"""What waits to be done on the servers of DNS zones, how it goes with that, and the serials of files."""

from __future__ import annotations

import hashlib
from collections.abc import Collection, Iterable, Sequence
from datetime import datetime, timedelta

from django.db import transaction
from django.db.models import Count, Exists, F, OuterRef, Q, QuerySet

from lentra.addressing.dns import BY_HAND, is_newer, next_serial
from lentra.registry.models import DnsEntry, DnsServing, DnsZone
from lentra.registry.rules.sealed import unsealed

TO_ADD, TO_REMOVE, REFUSED = 1, 2, 3  # what is pending
_PENDING = {"to add": TO_ADD, "to remove": TO_REMOVE, "refused": REFUSED}
WAITS = (1, 2, 5, 10, 30)  # seconds until a server that fails is tried again; the last goes on
_AT_ONCE, _LETTERS = 400, 40_000  # of one message, which has 64 KiB at most


def zones_to_push(now: datetime) -> list[int]:
    """DNS zones with something to be done on their servers now."""
    rows = DnsServing.objects.exclude(dns_zone__address="").filter(Q(due_at=None) | Q(due_at__lte=now))
    return list(rows.filter(Q(Exists(_waiting())) | Q(overwrites=True)).values_list("pk", flat=True))


def zones_to_compare(now: datetime) -> list[int]:
    """DNS zones that are to be held against their servers now: once there is nothing to be done on them."""
    rows = DnsServing.objects.exclude(dns_zone__address="").filter(compare_at__lte=now, overwrites=False)
    return list(rows.filter(~Exists(_waiting())).values_list("pk", flat=True))


def _waiting() -> QuerySet[DnsEntry]:
    return DnsEntry.objects.filter(dns_zone=OuterRef("pk"), pending__in=(TO_ADD, TO_REMOVE))


def key_of(zone: DnsZone) -> str:
    """The key that a DNS zone's server is spoken to with; empty for none.

    Raises:
        ValueError: it cannot be read any more.
    """
    return unsealed(zone.credential) if zone.credential else ""


def next_batch(zone: DnsZone) -> list[DnsEntry]:
    """What is to be done next on a server, in the order of the ledger; what is to be added may be there from now on.

    What would be removed and is wanted all the same, for somebody else, stays.
    """
    rows = DnsEntry.objects.select_for_update().filter(dns_zone=zone.pk, pending__in=(TO_ADD, TO_REMOVE))
    batch: list[DnsEntry] = []
    letters = 0
    with transaction.atomic():
        for row in rows.order_by("number", "-pending", "pk")[:_AT_ONCE]:
            letters += len(row.owner) + len(row.data) + 20
            if batch and letters > _LETTERS:
                break
            batch.append(row)
        added = [row.pk for row in batch if row.pending == TO_ADD]
        DnsEntry.objects.filter(pk__in=added).update(there=True)  # whatever becomes of the message
    wanted = DnsEntry.objects.filter(dns_zone=zone.pk, owner__in={row.owner for row in batch}, wins=True)
    kept = set(wanted.values_list("owner", "type", "data"))
    stays = [row for row in batch if row.pending == TO_REMOVE and (row.owner, row.type, row.data) in kept]
    if stays:
        done(zone, stays)
        batch = [row for row in batch if row not in stays]
        return batch or next_batch(zone)
    return batch


def done(zone: DnsZone, batch: Sequence[DnsEntry]) -> None:
    """Note that a batch was taken by the server: unless something else is to be done with an entry meanwhile."""
    with transaction.atomic():
        for pending, there in ((TO_ADD, True), (TO_REMOVE, False)):
            numbers = [row.pk for row in batch if row.pending == pending]
            DnsEntry.objects.filter(pk__in=numbers, pending=pending).update(pending=0, there=there)
        DnsEntry.objects.filter(pk__in=[row.pk for row in batch], claimed=False, there=False).delete()


def refused(rows: Iterable[DnsEntry]) -> None:
    """Note entries that a server refuses, though it takes others: they wait until everything is pushed anew."""
    for row in rows:  # unless something else is to be done with it meanwhile
        DnsEntry.objects.filter(pk=row.pk, pending=row.pending).update(pending=REFUSED)


def push_done(zone: DnsZone, now: datetime, outcome: str) -> None:
    """Note that a server has taken what there was for it."""
    rows = DnsServing.objects.filter(pk=zone.pk)
    rows.update(pushed_at=now, due_at=None, failing_since=None, tries=0, outcome=outcome[:300])


def put_off(zone: DnsZone, now: datetime, outcome: str) -> None:
    """Note that a server has not answered as it should, and when it is tried again."""
    serving = DnsServing.objects.get(pk=zone.pk)
    wait = timedelta(seconds=WAITS[min(serving.tries, len(WAITS) - 1)])
    DnsServing.objects.filter(pk=zone.pk).update(
        due_at=now + wait,
        failing_since=serving.failing_since or now,
        tries=F("tries") + 1,
        outcome=outcome[:300],
        compare_at=now + wait if serving.compare_at and serving.compare_at <= now else serving.compare_at,
    )


def compared(zone: DnsZone, now: datetime, asked_at: datetime, serial: int, differences: int) -> str:
    """Note what came of a comparison; returns words if the server's serial has gone back.

    Args:
        asked_at: when it was begun: what was asked since is done again.
    """
    serving = DnsServing.objects.get(pk=zone.pk)
    newest, back = serial, ""
    if serving.server_serial and is_newer(serving.server_serial, serial):
        newest = serving.server_serial
        back = f"its serial has gone back from {newest} to {serial}: it was set up from an older copy"
    rows = DnsServing.objects.filter(pk=zone.pk)
    well = {"failing_since": None, "due_at": None, "tries": 0}
    rows.update(server_serial=newest, compared_at=now, differences=differences, **well)
    again = now + timedelta(minutes=zone.every) if zone.every else None
    rows.filter(compare_at__lte=asked_at).update(compare_at=again)
    return back


def file_serial(zone: DnsZone, contents: str) -> int:
    """The serial of a file with these contents: another one for others, and never one that is not newer (RFC 1982)."""
    digest = hashlib.sha256(contents.encode()).hexdigest()
    with transaction.atomic():
        serving = DnsServing.objects.select_for_update().get(pk=zone.pk)
        if serving.digest != digest:
            serving.serial, serving.digest = next_serial(serving.serial, serving.server_serial), digest
            serving.save(update_fields=["serial", "digest"])
    return serving.serial


def counts_of(zones: Collection[int]) -> dict[int, dict[str, int]]:
    """How many entries DNS zones have, how many wait to be pushed or are refused, and how many are hidden by others'."""
    rows = DnsEntry.objects.filter(dns_zone__in=zones).order_by()
    found: dict[int, dict[str, int]] = {}
    states = ("dns_zone", "pending", "wins", "claimed")  # an index has them, so no entry is read
    for zone, pending, wins, claimed, n in rows.values(*states).annotate(n=Count("*")).values_list(*states, "n"):
        counts = found.setdefault(zone, {"entries": 0, "pending": 0, "refused": 0, "hidden": 0})
        for name, counted in (
            ("entries", wins),
            ("pending", pending in (TO_ADD, TO_REMOVE)),
            ("refused", pending == REFUSED),
            ("hidden", claimed and not wins),
        ):
            counts[name] += n if counted else 0
    return found


def entries_in(zone: DnsZone) -> QuerySet[DnsEntry]:
    """Every entry of a DNS zone, in order of name: those that are to go, and those hidden by others', among them."""
    return DnsEntry.objects.filter(dns_zone=zone.pk).order_by("owner", "type", "data", "pk")


def in_states(rows: QuerySet[DnsEntry], states: Collection[str]) -> QuerySet[DnsEntry]:
    """Those of some entries that are in any of some states; in any at all, if none is named."""
    found = Q()
    for state in states:
        if state in _PENDING:
            found |= Q(pending=_PENDING[state])
        else:
            found |= Q(pending=0, wins=state == "published")
    return rows.filter(found)


def state_of(entry: DnsEntry) -> str:
    """In one word: how it stands with an entry."""
    for state, pending in _PENDING.items():
        if entry.pending == pending:
            return state
    return "published" if entry.wins else "hidden"


def is_by_hand(entry: DnsEntry) -> bool:
    """Whether somebody keeps it: the others follow from the registry."""
    return entry.rank == BY_HAND and entry.host > 0
