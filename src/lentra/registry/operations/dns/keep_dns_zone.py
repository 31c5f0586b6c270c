"""Add, edit and remove a DNS zone and a record by hand; have what is in one pushed anew, or held against its server."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from lentra.addressing.dns import range_of
from lentra.addressing.prefix import Prefix, prefixes_of_range
from lentra.registry.errors import Invalid, WrongState
from lentra.registry.lookup.locked import find_locked
from lentra.registry.models import DnsEntry, DnsRecord, DnsServing, DnsZone, Pool, Realm
from lentra.registry.operations.findings.judge_dns import close_dns
from lentra.registry.operations.setup.add_record import add_record
from lentra.registry.operations.setup.edit_record import edit_record
from lentra.registry.operations.setup.remove_record import remove_record
from lentra.registry.rules.permissions import require
from lentra.registry.rules.sealed import sealed
from lentra.registry.rules.sources import check_key
from lentra.registry.transactions.change import Change
from lentra.registry.transactions.locks import lock

MOST_AT_ONCE = 256
_LIKE = ("primary", "contact", "servers", "ttl", "negative_ttl", "address", "credential", "every")
_SERVER = ("address", "credential")


def add_dns_zone(change: Change, values: dict[str, Any]) -> DnsZone:
    """Add a DNS zone. What follows from the registry stands in it, and on its server, soon after.

    Raises:
        Invalid, NameTaken, NotAllowed: as for every set-up object.
    """
    zone = add_record(change, DnsZone.KIND, _sealed(values))
    assert isinstance(zone, DnsZone)
    DnsServing.objects.create(dns_zone=zone, compare_at=change.now if zone.address else None)
    return zone


def edit_dns_zone(change: Change, number: int, values: dict[str, Any], version: int | None = None) -> DnsZone:
    """Edit a DNS zone. With another server, everything is pushed there; without one, nothing is any more.

    Raises:
        Invalid, Frozen, StaleEdit, NotAllowed: as for every set-up object.
    """
    found = find_locked(DnsZone, number, version=version)
    was, good_for = found.address, found.ttl
    zone = edit_record(change, DnsZone.KIND, number, _sealed(values), version)
    assert isinstance(zone, DnsZone)
    if zone.address != was:
        entries = DnsEntry.objects.filter(dns_zone=zone.pk)
        entries.filter(claimed=False).delete()  # what was to go from the server that it had
        entries.filter(wins=False).update(there=False, pending=0)
        entries.filter(wins=True).update(there=not zone.address, pending=1 if zone.address else 0)
        close_dns(change, zone)
    elif zone.address and zone.ttl != good_for:
        DnsEntry.objects.filter(dns_zone=zone.pk, wins=True, ttl=None, pending=0).update(pending=1)
    if {*_SERVER, "every"} & values.keys():
        at = change.now if zone.address else None
        fresh = {"server_serial": 0} if zone.address != was else {}
        DnsServing.objects.filter(pk=zone.pk).update(
            due_at=None, tries=0, failing_since=None, compare_at=at, **fresh
        )
    return zone


def remove_dns_zone(change: Change, number: int, version: int | None = None) -> DnsZone:
    """Remove a DNS zone. What was published of it stays where it is.

    Raises:
        InUse: it has records by hand; NotAllowed, StaleEdit.
    """
    zone = remove_record(change, DnsZone.KIND, number, version)
    assert isinstance(zone, DnsZone)
    close_dns(change, zone)
    if zone.address:
        change.note(f"what stands at {zone.address} stays there: nothing is pushed to it any more")
    return zone


def add_reverse_zones(
    change: Change,
    realm: Realm,
    ranges: Sequence[tuple[int, int, int]] | None,
    like: DnsZone | None,
    values: dict[str, Any],
) -> list[DnsZone]:
    """Add the reverse DNS zones that some ranges need, each on a boundary of labels or as a part of a /24 (RFC 2317).

    Args:
        ranges: family, first and last of each; None for those of the realm's top-level pools.
        like: one whose servers and times they get.
        values: what is said of each beside its name.

    Raises:
        WrongState: there are all of them.
        Invalid: more at once than can be; or a value breaks a rule.
        NameTaken, NotAllowed.
    """
    require(change.actor, "planner", "add a DNS zone")
    given = {name: getattr(like, name) for name in _LIKE} if like and not values.get("delegated") else {}
    missing = missing_reverse_zones(realm, ranges)
    if not missing:
        raise WrongState(
            "every range has its reverse DNS zone already",
            field="ranges" if ranges else "realm",
            suggestions=["lentra dns zones"],
        )
    if len(missing) > MOST_AT_ONCE:
        raise Invalid(
            f"{len(missing):,} DNS zones at once: {MOST_AT_ONCE} at most; name ranges",
            field="ranges",
            received=len(missing),
            suggestions=[str(range_of(missing[0]))],
        )
    made = []
    for name in missing:
        zone = add_record(change, DnsZone.KIND, {**given, **_sealed(values), "realm": realm, "name": name})
        assert isinstance(zone, DnsZone)
        DnsServing.objects.create(dns_zone=zone, compare_at=change.now if zone.address else None)
        made.append(zone)
    return made


def missing_reverse_zones(realm: Realm, ranges: Sequence[tuple[int, int, int]] | None) -> list[str]:
    """Names of the reverse DNS zones that ranges need and that are not there, in order; one that lies in a wider one which
    is there is not needed, unless its range is asked for by itself."""
    there = {zone.name: zone.range for zone in DnsZone.objects.filter(realm=realm)}
    wide = [span for span in there.values() if span] if ranges is None else []
    found: list[str] = []
    for block in _blocks(realm, ranges):
        if not any(span.contains(block) for span in wide):
            found += [name for name in block.reverse_names(MOST_AT_ONCE + 1) if name not in there]
    return list(dict.fromkeys(found))


def _blocks(realm: Realm, ranges: Sequence[tuple[int, int, int]] | None) -> list[Prefix]:
    if ranges is not None:
        return [block for one in ranges for block in prefixes_of_range(*one)]
    pools = Pool.objects.filter(realm=realm, parent=None).order_by("name").prefetch_related("ranges")
    return sorted(row.prefix for pool in pools for row in pool.ranges.all())


def add_dns_record(change: Change, values: dict[str, Any]) -> DnsRecord:
    """Add a record by hand.

    Raises:
        NameTaken: something else stands there that it cannot stand beside.
        Invalid, NotAllowed.
    """
    require(change.actor, "planner", "add a DNS record")
    lock(DnsZone, values["dns_zone"].pk)
    record = add_record(change, DnsRecord.KIND, values)
    assert isinstance(record, DnsRecord)
    return record


def edit_dns_record(change: Change, number: int, values: dict[str, Any], version: int | None = None) -> DnsRecord:
    """Edit a record by hand.

    Raises:
        NameTaken, Invalid, Frozen, StaleEdit, NotAllowed: as for adding.
    """
    require(change.actor, "planner", "edit a DNS record")
    lock(DnsZone, find_locked(DnsRecord, number).dns_zone_id)
    record = edit_record(change, DnsRecord.KIND, number, values, version)
    assert isinstance(record, DnsRecord)
    return record


def ask_push(change: Change, number: int, overwrite: bool = False, version: int | None = None) -> DnsZone:
    """Have everything in a DNS zone pushed anew: what is missing on its server is there again.

    Args:
        overwrite: what stands there otherwise, under names that the registry has, is replaced too.

    Raises:
        WrongState: it has no server.
        NotAllowed, StaleEdit.
    """
    zone = _served(change, number, "push a DNS zone", version)
    entries = DnsEntry.objects.filter(dns_zone=zone.pk, wins=True).exclude(pending=2)
    change.note(f"{entries.count():,} records are pushed anew")
    entries.update(pending=1)
    fresh = {"due_at": None, "tries": 0, "compare_at": change.now, "overwrites": overwrite}
    DnsServing.objects.filter(pk=zone.pk).update(**fresh)
    change.entered(zone, "push", None, {"overwrite": overwrite})
    zone.save(update_fields=["last_entry"])
    return zone


def ask_compare(change: Change, number: int, version: int | None = None) -> DnsZone:
    """Have a DNS zone held against what stands on its server now, whenever that is due.

    Raises:
        WrongState: it has no server.
        NotAllowed, StaleEdit.
    """
    zone = _served(change, number, "compare a DNS zone", version)
    DnsServing.objects.filter(pk=zone.pk).update(compare_at=change.now, due_at=None, tries=0)
    change.entered(zone, "compare", None, None)
    zone.save(update_fields=["last_entry"])
    return zone


def _served(change: Change, number: int, to: str, version: int | None) -> DnsZone:
    require(change.actor, "planner", to)
    zone = find_locked(DnsZone, number, version=version, related=("realm", "project"))
    if not zone.address:
        what = "others keep it" if zone.delegated else "it is written as a file (lentra dns write)"
        raise WrongState(
            f"{zone.name} has no server: {what}", field="address", suggestions=[f"lentra dns write {zone.name}"]
        )
    return zone


def _sealed(values: dict[str, Any]) -> dict[str, Any]:
    if not values.get("credential"):
        return values
    check_key(values["credential"])
    return {**values, "credential": sealed(values["credential"])}
