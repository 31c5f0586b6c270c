"""Finding things by whatever one has of them: an address, part of a name, a hardware address, a tag, a label, a number."""

from __future__ import annotations

import re
from collections.abc import Iterator
from typing import Any

from django.db.models import Q

from lentra.addressing.prefix import parse_range, range_text
from lentra.addressing.refusal import Refusal
from lentra.registry.lookup.any_of import any_of, begins
from lentra.registry.models import (
    Address,
    DnsEntry,
    DnsZone,
    KeepOut,
    Link,
    Person,
    Plan,
    PlannedNeed,
    Pool,
    Project,
    Realm,
    Record,
    Region,
    Renumbering,
    Reservation,
    Sheet,
    Source,
    Subnet,
    Tier,
    Zone,
)
from lentra.registry.operations.subnets.record_addresses import read_mac
from lentra.registry.reports.listing import subnets_matching
from lentra.registry.rules.permissions import visible_entries
from lentra.registry.space.evidence import realms_at, whereabouts

EACH = 8  # of each kind
_NAMED: tuple[type[Record], ...] = (
    *(Realm, Region, Zone, Tier, Project, Sheet, Person, Pool, Reservation, Plan, PlannedNeed, Link, Source),
    Renumbering,
    DnsZone,
)
_TAG = re.compile(r"(?:tag[ :=]*)?([1-9][0-9]{0,3})", re.IGNORECASE)


def search(text: str, person: Person) -> dict[str, Any]:
    """What is found by a text.

    Args:
        person: who asks: some ledger entries are not for everybody.

    Returns:
        ``range``, if the text is one, and ``places``: what is there, realm by realm (see `whereabouts`);
        ``records``: ``kind``, ``id``, ``name``, ``realm``, ``about`` and ``why`` it was found.
    """
    text = text.strip()
    try:
        family, first, last = parse_range(text)
    except Refusal:
        return {"range": None, "places": [], "records": list(_records(text, person))}
    places = [whereabouts(realm, family, first, last) for realm in realms_at(family, first, last)]
    records = Address.objects.filter(family=family, address__range=(first, last)).select_related("realm", "subnet")
    return {
        "range": range_text(family, first, last),
        "places": places,
        "records": [_told(record, "has the address") for record in records.order_by("address")[:EACH]],
    }


def _records(text: str, person: Person) -> Iterator[dict[str, Any]]:
    if text.isascii() and text.isdigit() and len(text) < 19:
        yield from _by_number(int(text), person)
    if tag := _TAG.fullmatch(text):
        yield from _subnets(f"has segment tag {tag[1]}", {"tag": [int(tag[1])]})
    if "=" in text:
        key, _, value = text.partition("=")
        yield from _subnets(f"has the label {text}", {"label": f"{key.strip()}={value.strip()}"})
    try:
        rows = Address.objects.filter(mac=read_mac(text)).select_related("realm", "subnet")
        yield from (_told(record, "has the hardware address") for record in rows[:EACH])
    except Refusal:
        pass
    realm, _, name = text.rpartition(":")
    name = name.strip().lower()
    if not name:
        return
    realms = list(Realm.objects.filter(name=realm)) if realm else []
    if realm and not realms:
        return
    of = {"realm": realms} if realms else {}
    yield from _subnets("is called so", {**of, "name": name}, "name")
    records = Address.objects.filter(begins("name", name)).prefetch_related("realm", "subnet")
    records = records.filter(**any_of("realm", realms)) if realms else records
    yield from (_told(record, "is called so") for record in records.order_by("name")[:EACH])
    yield from _in_dns(text)
    for kind in _NAMED:
        rows = kind._default_manager.filter(name__contains=name).order_by("name")
        yield from (_told(record, "is called so") for record in rows[:EACH])
    found = KeepOut.objects.filter(Q(reason__icontains=text) | Q(source__icontains=text)).select_related("realm")
    yield from (_told(keep_out, "speaks of it") for keep_out in found.order_by("pk")[:EACH])


def _in_dns(text: str) -> Iterator[dict[str, Any]]:
    """What a whole name in DNS is for: the address records of a host, or else the subnet that it follows from."""
    rows = DnsEntry.objects.filter(owner=text.rstrip(".").lower(), claimed=True).exclude(subnet=None)
    entries = list(rows.order_by("rank", "host")[:EACH])
    hosts = Address.objects.filter(pk__in=[entry.host for entry in entries]).select_related("realm", "subnet")
    found = list(hosts.order_by("family", "address"))
    yield from (_told(record, "has the name in DNS") for record in found)
    if not found:
        subnets = Subnet.objects.filter(pk__in=[entry.subnet for entry in entries])
        yield from (_told(subnet, "has the name in DNS") for subnet in subnets.order_by("pk"))


def _subnets(why: str, values: dict[str, Any], order: str = "place") -> Iterator[dict[str, Any]]:
    yield from (_told(subnet, why) for subnet in subnets_matching(values).order_by(order, "pk")[:EACH])


def _by_number(number: int, person: Person) -> Iterator[dict[str, Any]]:
    """The record that has a number, or had it; or what the ledger says under it."""
    entry = visible_entries(person).filter(Q(number=number) | Q(subject=number)).order_by("-number").first()
    if entry is None:
        return
    gone = "" if entry.after is not None else "; it is gone"
    yield {
        "kind": entry.kind,
        "id": entry.record,
        "name": entry.name,
        "realm": None,
        "about": f"{entry.verb} by {entry.actor_name} at {entry.at:%Y-%m-%d %H:%M} UTC{gone}",
        "why": "has the number" if entry.record == number else "was changed in that ledger entry",
    }


def _told(record: Record, why: str) -> dict[str, Any]:
    realm = getattr(record, "realm", None)
    about = getattr(record, "about", "") or getattr(record, "purpose", "") or getattr(record, "reason", "")
    if isinstance(record, Subnet):
        about = ", ".join(str(block) for block in record.blocks())
    if isinstance(record, Address):
        about = f"{record.text} in {record.subnet.name}"
    return {
        "kind": record.KIND,
        "id": record.subnet_id if isinstance(record, Address) else record.pk,
        "name": record.label_text if isinstance(record, KeepOut) else str(getattr(record, "name", record.pk)),
        "realm": {"id": realm.pk, "name": realm.name} if realm else None,
        "about": about,
        "why": why,
    }
