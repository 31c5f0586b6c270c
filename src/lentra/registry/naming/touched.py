"""What some changes have touched of the names in DNS, by their entries in the ledger."""

from __future__ import annotations

from collections.abc import Collection, Iterable
from dataclasses import dataclass, field

from lentra.registry.models import (
    Address,
    DnsEntry,
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
from lentra.registry.rules.dns import NAME_TEMPLATES

_IN_NAMES: dict[str, set[str]] = {  # what of a set-up object is part of names: all is derived anew with it
    DnsZone.KIND: {*NAME_TEMPLATES, "names_end", "project_id", "delegated", "servers", "ds", "address"},
    Tier.KIND: {"name", "host_names"},
    Zone.KIND: {"name"},
    Region.KIND: {"name"},
    Project.KIND: {"name", "environment"},
    Sheet.KIND: {"v4", "v6", "gateway"},
    Pool.KIND: {"sheet_id"},
}
FOLLOWED = (Subnet.KIND, Address.KIND, DnsZone.KIND, DnsRecord.KIND, *_IN_NAMES)
_ASKED = ("push", "compare")  # what is asked of a DNS zone and changes nothing of it


@dataclass
class Touched:
    """Numbers of realms of which everything is to be derived anew, of those of which what is kept by hand is, and of
    subnets."""

    whole: set[int] = field(default_factory=set)
    by_hand: set[int] = field(default_factory=set)
    subnets: set[int] = field(default_factory=set)


def touched_by(entries: Iterable[LedgerEntry]) -> Touched:
    """What is to be derived anew after some changes."""
    touched, records = Touched(), set()
    for entry in entries:
        if entry.kind == DnsZone.KIND:
            if entry.verb not in _ASKED and entry.realm is not None and _is_in_names(entry):
                touched.whole.add(entry.realm)
        elif entry.kind == DnsRecord.KIND and entry.realm is not None:
            touched.by_hand.add(entry.realm)
        elif entry.kind == Subnet.KIND:
            touched.subnets.add(entry.record)
        elif entry.kind == Address.KIND:
            records.add(entry.record)
            both = (facts for facts in (entry.before, entry.after) if facts and "subnet_id" in facts)
            touched.subnets |= {facts["subnet_id"] for facts in both}
        elif entry.kind in _IN_NAMES and entry.before and entry.after and _is_in_names(entry):
            touched.whole |= set(DnsZone.objects.values_list("realm", flat=True))
    touched.subnets |= _subnets_with(records)
    public = Subnet.objects.filter(attached_record__subnet__in=touched.subnets)
    touched.subnets |= set(public.values_list("pk", flat=True))
    return touched


def realms_of(subnets: Collection[int]) -> set[int]:
    """Realms with DNS zones in which some subnets are, or in which something still stands for them."""
    here = set(Subnet.objects.filter(pk__in=subnets).values_list("realm", flat=True).distinct())
    gone = set(DnsEntry.objects.filter(subnet__in=subnets).values_list("realm", flat=True).distinct())
    return gone | set(DnsZone.objects.filter(realm__in=here).values_list("realm", flat=True).distinct())


def _is_in_names(entry: LedgerEntry) -> bool:
    """Whether an entry is of an object that came or went, or of what is part of names."""
    return not (entry.before and entry.after) or bool(_IN_NAMES[entry.kind] & entry.after.keys())


def _subnets_with(records: Collection[int]) -> set[int]:
    """Subnets that some address records lie in, and those of the records that they replace."""
    rows = Address.objects.filter(pk__in=records)
    found = set(rows.values_list("subnet", flat=True))
    return found | set(rows.exclude(replaces__subnet=None).values_list("replaces__subnet", flat=True))
