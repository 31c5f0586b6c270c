"""A name belongs to one host in DNS, whoever records another at the same moment."""

from __future__ import annotations

from collections.abc import Iterable, Iterator

from lentra.addressing.dns import ALIAS, HOST, is_host_name
from lentra.registry.errors import NameTaken
from lentra.registry.lookup.not_kept import not_kept
from lentra.registry.models import Address, DnsEntry, DnsZone, Subnet
from lentra.registry.naming.facts import entries_of_subnets
from lentra.registry.rules.naming import Naming
from lentra.registry.transactions.locks import lock

_NAMED = ("subnet__project", "subnet__zone", "subnet__region", "subnet__tier")
_MOST = 1000  # records of the same name, or without kept names, that are looked at


class NamesInDns:
    """The names that hosts of a subnet would have in DNS: looked up once, and only where there are DNS zones."""

    def __init__(self, subnet: Subnet) -> None:
        self._subnet = subnet
        self._naming = Naming(subnet.realm_id)
        self.unusable: list[str] = []  # those that no host can have: they stand in no DNS zone
        self._here: dict[str, str] = {}  # whole names of what is recorded together -> the host's own

    def refuse_taken(self, names: Iterable[str], aliases: Iterable[str] = (), besides: str = "") -> None:
        """Refuse names of hosts that would be those of others: a name belongs to one host in a DNS zone.

        Args:
            aliases: further names of the host.
            besides: its name so far, if it has one.

        Raises:
            NameTaken: says whose it is.
        """
        subnet, naming = self._subnet, self._naming
        names, aliases = list(names), list(aliases)
        if naming.zone_for(subnet) is None or not (names or aliases):
            return
        lock(DnsZone, min(naming.zones))  # names of a realm are recorded one after the other
        hosts = {whole: name for name in names if (whole := naming.host(subnet, name))}
        self.unusable += [whole for whole in hosts if not is_host_name(whole)]
        others = {whole: alias for alias in aliases if (whole := naming.alias(subnet, alias))}
        beside = Address.objects.filter(realm=subnet.realm_id, name__in=set(names)).exclude(subnet=subnet)
        for record in beside.filter(replaced_by=None, replaces=None).select_related(*_NAMED)[:_MOST]:
            if (whole := naming.host(record.subnet, record.name)) in hosts:
                raise _taken(whole, hosts[whole], _whose(record), record.pk)
        there = _numbers_of(subnet, {*names, besides} - {""})
        given = {**others, **hosts}
        for record in _just_recorded(subnet.realm_id):
            aliased = (naming.alias(record.subnet, alias) for alias in record.aliases)
            for whole in () if record.pk in there else (naming.host(record.subnet, record.name), *aliased):
                if whole in given:
                    raise _taken(whole, given[whole], _whose(record), record.pk)
        for whole, name in given.items():
            host = besides or (names[0] if whole in others else name)
            if self._here.setdefault(whole, host) != host:
                raise _taken(whole, name, f"{self._here[whole]}, which is recorded with it", subnet.pk)
        rows = DnsEntry.objects.filter(realm=subnet.realm_id, name__in=given, claimed=True)
        for entry in rows.exclude(type="PTR").order_by("rank", "host"):
            its_own = entry.rank in (HOST, ALIAS) and entry.host in there
            of_another = entry.name in others or entry.type == "CNAME" or entry.rank == HOST
            if of_another and not its_own and self._still_follows(entry):
                raise _taken(entry.name, given[entry.name], f"{entry.type} {entry.data}", entry.host)

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


def _numbers_of(subnet: Subnet, names: Iterable[str]) -> set[int]:
    """Numbers by which hosts of a subnet are known: those of the records that their own replace as well."""
    pairs = subnet.addresses.filter(name__in=names).values_list("pk", "replaces")
    return {number for pair in pairs for number in pair if number is not None}


def _whose(record: Address) -> str:
    return f"{record.name} ({record.text}, {record.subnet.name})"


def _taken(name: str, given: str, whose: str, number: int) -> NameTaken:
    return NameTaken(
        f"{name} is the name of {whose} in DNS already",
        field="name",
        received=given,
        rule="a name belongs to one host in a DNS zone",
        conflicts=[{"range": name, "owner": whose, "id": number}],
        suggestions=[f"{given}-2"],
    )
