"""A name belongs to one host in DNS, whoever records another at the same moment."""

from __future__ import annotations

from collections.abc import Iterable, Iterator

from lentra.addressing.dns import ALIAS, HOST, is_host_name
from lentra.registry.errors import NameTaken
from lentra.registry.lookup.not_kept import not_kept
from lentra.registry.models import Address, DnsEntry, DnsZone, Subnet
from lentra.registry.naming.facts import entries_of_subnets
from lentra.registry.rules.naming import Naming
from lentra.registry.transactions.locks import lock_all

_NAMED = ("subnet__project", "subnet__zone", "subnet__region", "subnet__tier")
_MOST = 1000  # records of the same name, or without kept names, that are looked at


class NamesInDns:
    """The names that hosts of a subnet would have in DNS: looked up once, and only where there are DNS zones."""

    def __init__(self, subnet: Subnet) -> None:
        self._subnet = subnet
        self._naming = Naming(subnet.realm_id)
        self._names: set[str] = set()
        self._given: dict[str, str] = {}  # whole name -> the one that was said
        self._hosts: dict[str, str] = {}  # whole name -> its host's own
        self._aliases: set[str] = set()  # whole ones
        self.places: dict[str, int] = {}  # whole name -> which of those that are recorded together claims it
        self.unusable: list[str] = []  # those that no host can have: they stand in no DNS zone

    def claim(self, names: Iterable[str], aliases: Iterable[str] = (), besides: str = "", place: int = 0) -> None:
        """Names that hosts are to have.

        Args:
            aliases: further names of the one host.
            besides: its name so far, if it has one.

        Raises:
            NameTaken: another one that is recorded with it claims the name.
        """
        naming, names, aliases = self._naming, list(names), list(aliases)
        if naming.zone_for(self._subnet) is None:
            return
        hosts = {whole: name for name in names if (whole := naming.host(self._subnet, name))}
        others = {whole: alias for alias in aliases if (whole := naming.alias(self._subnet, alias))}
        self.unusable += [whole for whole in hosts if not is_host_name(whole)]
        self._names |= {*names, besides} - {""}
        self._aliases |= others.keys()
        for whole, said in {**others, **hosts}.items():
            host = besides or (names[0] if whole in others else said)
            self.places.setdefault(whole, place)
            self._given.setdefault(whole, said)
            if (own := self._hosts.setdefault(whole, host)) != host:
                raise _taken(whole, said, f"{own}, which is recorded with it", self._subnet.pk)

    def refuse_taken(self) -> None:
        """Refuse names that others have: a name belongs to one host in a DNS zone.

        Raises:
            NameTaken: says whose it is.
        """
        naming, given, realm = self._naming, self._given, self._subnet.realm_id
        if not given:
            return
        lock_all(DnsZone.objects.filter(pk=min(naming.zones)))  # names of a realm are recorded one after the other
        own = self._own_numbers()
        beside = Address.objects.filter(realm=realm, name__in=self._names).exclude(subnet=self._subnet)
        alike = beside.filter(replaced_by=None, replaces=None).select_related(*_NAMED)[:_MOST]
        for record in (*alike, *_just_recorded(realm)):
            if {record.pk, record.replaces_id} & own:
                continue
            aliased = (naming.alias(record.subnet, alias) for alias in record.aliases)
            for whole in (naming.host(record.subnet, record.name), *aliased):
                if whole in given:
                    whose = f"{record.name} ({record.text}, {record.subnet.name})"
                    raise _taken(whole, given[whole], whose, record.pk)
        rows = DnsEntry.objects.filter(realm=realm, name__in=given, claimed=True)
        for entry in rows.exclude(type="PTR").order_by("rank", "host"):
            its_own = entry.rank in (HOST, ALIAS) and entry.host in own
            of_another = entry.name in self._aliases or entry.type == "CNAME" or entry.rank == HOST
            if of_another and not its_own and self._still_follows(entry):
                raise _taken(entry.name, given[entry.name], f"{entry.type} {entry.data}", entry.host)

    def _own_numbers(self) -> set[int]:
        """Numbers by which hosts of the subnet with these names are known: of what their own records replace as well."""
        pairs = self._subnet.addresses.filter(name__in=self._names).values_list("pk", "replaces")
        return {number for pair in pairs for number in pair if number is not None}

    def _still_follows(self, entry: DnsEntry) -> bool:
        """Whether an entry is not of what was taken away a moment ago."""
        if entry.subnet is None:
            return True
        now = entries_of_subnets(self._naming, Subnet.objects.filter(pk=entry.subnet))
        return any(row.key == entry.key for row in now)


def _just_recorded(realm: int) -> Iterator[Address]:
    """Address records of a realm whose names may not have been kept yet."""
    entries = not_kept([Address.KIND], _MOST) or []
    records = Address.objects.filter(realm=realm, pk__in={entry.record for entry in entries if entry.after})
    yield from records.select_related(*_NAMED)


def _taken(name: str, given: str, whose: str, number: int) -> NameTaken:
    return NameTaken(
        f"{name} is the name of {whose} in DNS already",
        field="name",
        received=given,
        rule="a name belongs to one host in a DNS zone",
        conflicts=[{"range": name, "owner": whose, "id": number}],
        suggestions=[f"{given}-2"],
    )
