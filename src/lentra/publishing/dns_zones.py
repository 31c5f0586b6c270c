"""DNS zones on their servers: what has changed is pushed, in the order of the ledger; what differs there is told.

A server that is away, or refuses, is tried again; a hand-out never waits for it. What somebody has changed there stays, and
is told, unless it was asked to be overwritten.
"""

from __future__ import annotations

import logging
from collections.abc import Collection

from lentra.addressing.dns import next_serial
from lentra.name_servers import Unanswered
from lentra.publishing.dns_server import Server, Stands
from lentra.registry.models import DnsEntry, DnsServing, DnsZone
from lentra.registry.naming.serving import (
    TO_ADD,
    TO_REMOVE,
    compared,
    done,
    next_batch,
    push_done,
    put_off,
    refused,
)
from lentra.registry.operations.findings.judge_dns import Differs, judge_dns
from lentra.registry.transactions.clock import Clock
from lentra.registry.transactions.run import run_transaction

logger = logging.getLogger("lentra.names")
_OF_ADDRESSES = ("A", "AAAA", "PTR", "CNAME")  # that stand in each other's place


def push(number: int, clock: Clock) -> int:
    """Do on the server of a DNS zone what waits to be done there; returns how many records that were."""
    zone = DnsZone.objects.select_related("realm").get(pk=number)
    pushed = faulty = 0
    try:
        server = Server(zone)
        if DnsServing.objects.get(pk=number).overwrites:
            _overwrite(zone, server)
        while batch := next_batch(zone):
            wrong = server.update(batch)
            refused(wrong)
            done(zone, [entry for entry in batch if entry not in wrong])
            pushed, faulty = pushed + len(batch) - len(wrong), faulty + len(wrong)
    except Unanswered as why:
        logger.warning("DNS zone %s: %s", zone.name, why)
        put_off(zone, clock.now(), str(why))
        return pushed
    more = f"; {faulty:,} are refused" if faulty else ""
    push_done(zone, clock.now(), f"{pushed:,} records pushed{more}")
    return pushed


def compare(number: int, clock: Clock) -> int:
    """Hold a DNS zone against what stands on its server; returns in how many names and types they differ."""
    zone, begun = DnsZone.objects.select_related("realm").get(pk=number), clock.now()
    try:
        contents = Server(zone).contents()
    except Unanswered as why:
        logger.warning("DNS zone %s: %s", zone.name, why)
        put_off(zone, clock.now(), str(why))
        return 0
    differences = differences_of(zone, contents.stands)
    back = compared(zone, clock.now(), begun, contents.serial, len(differences))
    if back:
        newest = DnsServing.objects.get(pk=number).server_serial
        differences.append(Differs(zone.name, "SOA", (f"serial {newest}",), (f"serial {contents.serial}",)))
        DnsServing.objects.filter(pk=number).update(outcome=back[:300], differences=len(differences))
    run_transaction(lambda change: judge_dns(change, zone, differences), clock=clock)
    return len(differences)


def differences_of(zone: DnsZone, stands: Stands) -> list[Differs]:
    """Where a server has other data than a DNS zone is to have there; what is about to be pushed is not told."""
    here: dict[tuple[str, str], dict[str, int | None]] = {}
    under_way = set()
    for entry in DnsEntry.objects.filter(dns_zone=zone.pk).iterator():
        key = (entry.owner, entry.type)
        if entry.pending in (TO_ADD, TO_REMOVE):
            under_way.add(key)
        elif entry.wins:
            here.setdefault(key, {})[entry.data] = entry.subnet
    found = []
    for key in sorted((here.keys() | stands.keys()) - under_way):
        ours, theirs = here.get(key, {}), stands.get(key, set())
        if ours.keys() != theirs:
            subnet = next((number for number in ours.values() if number), None)
            found.append(Differs(*key, tuple(sorted(ours)), tuple(sorted(theirs)), subnet))
    return found


def _overwrite(zone: DnsZone, server: Server) -> None:
    """Put what the registry has in the place of what stands otherwise under its names, and a serial that was never seen."""
    contents = server.contents()
    wanted = DnsEntry.objects.filter(dns_zone=zone.pk, wins=True)
    entries: dict[tuple[str, str], list[DnsEntry]] = {}
    for entry in wanted.iterator():
        entries.setdefault((entry.owner, entry.type), []).append(entry)
    differing = {
        key: rows
        for key, rows in entries.items()
        if {row.data for row in rows} != contents.stands.get(key, set())
        or _in_the_way(key, contents.stands, entries)
    }
    wanted.update(there=True)  # whatever becomes of the messages
    besides = [other for key in differing for other in _in_the_way(key, contents.stands, entries)]
    server.replace(differing, besides)
    newest = DnsServing.objects.get(pk=zone.pk).server_serial
    serial = next_serial(newest, contents.serial)
    server.raise_serial(serial)
    DnsServing.objects.filter(pk=zone.pk).update(overwrites=False, server_serial=serial)


def _in_the_way(
    key: tuple[str, str], stands: Stands, entries: Collection[tuple[str, str]]
) -> list[tuple[str, str]]:
    """What stands under a name of the registry's, of another type that leads to addresses, and that the registry has not."""
    owner, kind = key
    if kind not in _OF_ADDRESSES:
        return []
    others = [(owner, other) for other in _OF_ADDRESSES if other != kind]
    return [pair for pair in others if pair in stands and pair not in entries]
