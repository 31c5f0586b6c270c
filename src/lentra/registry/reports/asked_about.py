"""What somebody may be told who asks about an address, a domain, a server or a project, in one realm."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field
from datetime import datetime

from lentra.addressing.extents import State
from lentra.addressing.prefix import Prefix
from lentra.addressing.special import NOT_PUBLIC, kind_of_space
from lentra.registry.lookup.any_of import begins
from lentra.registry.models import DnsZone, ExtentRow, LedgerEntry, Pool, PoolRange, Project, Realm, Record, Subnet
from lentra.registry.space.evidence import holding

_TAKEN = (State.HANDED_OUT, State.HELD, State.COOLING)
MOST_FOUND = 100  # of a search


@dataclass(frozen=True)
class Events:
    """When a record was made, and when it was changed last."""

    made: datetime | None
    changed: datetime | None


@dataclass
class Network:
    """What holds a range: a subnet's block, or else a range of the innermost pool around it."""

    realm: Realm
    record: Subnet | Pool
    prefix: Prefix
    around: Network | None = None
    events: Events = field(default_factory=lambda: Events(None, None))

    @property
    def is_public(self) -> bool:
        """Whether it is space that others can reach."""
        return kind_of_space(self.prefix) == "public"

    @property
    def project(self) -> Project | None:
        """Whose it is."""
        return self.record.project


def network_at(realm: Realm, family: int, first: int, last: int, public: bool = False) -> Network | None:
    """The innermost network that holds all of a range, with the one around it; found by one step of an index, however many
    blocks there are.

    Args:
        public: only if it is one that others can reach.
    """
    if public and any(one.family == family and one.first <= last and one.last >= first for one in NOT_PUBLIC):
        return None
    ranges = PoolRange.objects.filter(realm=realm, family=family, first__lte=first, last__gte=last)
    nets: list[Network] = []
    for row in ranges.order_by("length", "pool_id").select_related("pool__project"):
        nets.append(Network(realm, row.pool, row.prefix, nets[-1] if nets else None))
    rows = ExtentRow.objects.filter(realm=realm, family=family, state__in=_TAKEN)
    for key in holding(rows, family, first):
        extent = ExtentRow.objects.select_related("subnet__project").get(pk=key)
        if extent.subnet and last <= extent.prefix.last:
            nets.append(Network(realm, extent.subnet, extent.prefix, nets[-1] if nets else None))
    if not nets or (public and not nets[-1].is_public):
        return None
    nets[-1].events = events_of(nets[-1].record)
    return nets[-1]


def events_of(record: Record) -> Events:
    """When a record was made and changed last, by the ledger."""
    numbers = (record.pk, record.last_entry)
    moments = dict(LedgerEntry.objects.filter(pk__in=numbers).values_list("pk", "at"))
    return Events(moments.get(record.pk), moments.get(record.last_entry))


def domain_around(realm: Realm, name: str) -> DnsZone | None:
    """The innermost DNS zone of a realm that a name lies in."""
    names = [name]
    while "." in names[-1]:
        names.append(names[-1].partition(".")[2])
    rows = DnsZone.objects.filter(realm=realm, name__in=names[:64]).select_related("project", "realm")
    return max(rows, key=lambda zone: len(zone.name), default=None)


def domains_named(realm: Realm, pattern: str) -> list[DnsZone]:
    """DNS zones of a realm whose names a pattern fits, by name; one more than are told, if there are more."""
    rows = DnsZone.objects.filter(begins("name", pattern.partition("*")[0]), realm=realm)
    found = [zone for zone in rows.order_by("name") if fits(pattern, zone.name)]
    return found[: MOST_FOUND + 1]


def servers_named(realm: Realm, pattern: str) -> dict[str, list[str]]:
    """Name servers of a realm's DNS zones whose names a pattern fits: name -> addresses, as far as they are said."""
    found: dict[str, list[str]] = {}
    for servers in DnsZone.objects.filter(realm=realm).order_by("name").values_list("servers", flat=True):
        for text in servers:
            name, *addresses = text.split()
            if fits(pattern, name):
                found[name] = list(dict.fromkeys([*found.get(name, []), *addresses]))
    return dict(sorted(found.items())[: MOST_FOUND + 1])


def projects_named(realm: Realm, pattern: str, by_title: bool) -> list[Project]:
    """Projects with something in a realm whose keys, or titles, a pattern fits."""
    here = Subnet.objects.filter(realm=realm).order_by().values("project").distinct()
    rows: Iterable[Project] = Project.objects.filter(pk__in=here).order_by("name")
    found = [
        one for one in rows if fits(pattern.lower(), (one.title or one.name).lower() if by_title else one.name)
    ]
    return found[: MOST_FOUND + 1]


def fits(pattern: str, text: str) -> bool:
    """Whether a text is what a pattern says: the same, or with anything in the place of one star (RFC 9082, section 4.1)."""
    head, star, tail = pattern.partition("*")
    if not star:
        return text == pattern
    return len(text) >= len(head) + len(tail) and text.startswith(head) and text.endswith(tail)
