"""The server of a DNS zone: what stands there is told by zone transfer (RFC 5936), and changed by update (RFC 2136)."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass

import dns.message
import dns.name
import dns.query
import dns.rcode
import dns.rdata
import dns.rdataclass
import dns.rdatatype
import dns.update
import dns.xfr
import dns.zone
from django.conf import settings

from lentra.name_servers import LIFETIME, TIMEOUT, Unanswered, place_of, signed, told_in_words
from lentra.registry.models import DnsEntry, DnsZone
from lentra.registry.naming.serving import TO_ADD, key_of

Stands = dict[tuple[str, str], set[str]]  # name and type -> data
_OF_SERVER = {  # what a server makes by itself
    *("SOA", "RRSIG", "NSEC", "NSEC3", "NSEC3PARAM", "DNSKEY", "CDS", "CDNSKEY", "TYPE65534"),
}
_FAULTY = (dns.rcode.REFUSED, dns.rcode.FORMERR)  # may be the fault of one record


@dataclass
class Contents:
    """What stands in a DNS zone on its server, but for what that makes by itself; its serial among it."""

    serial: int
    stands: Stands


class Server:
    """The server of one DNS zone.

    Raises:
        Unanswered: its key cannot be read, or nobody knows where it is, or it may not be spoken to.
    """

    def __init__(self, zone: DnsZone) -> None:
        self._zone = zone
        self._origin = dns.name.from_text(zone.name)
        try:
            self._key = signed(key_of(zone))
        except ValueError as why:
            raise Unanswered(f"its credential cannot be read: {why}; give it anew")
        with told_in_words(zone.name):
            self._host, self._port = place_of(zone.address, settings.NAME_SERVER_HOSTS)

    def contents(self) -> Contents:
        """All that stands there.

        Raises:
            Unanswered.
        """
        there = dns.zone.Zone(self._origin, relativize=False)
        with told_in_words(self._zone.name):
            query, _ = dns.xfr.make_query(there, **self._key)
            dns.query.inbound_xfr(self._host, there, query, port=self._port, timeout=TIMEOUT, lifetime=LIFETIME)
        stands: Stands = {}
        for name, _, rdata in there.iterate_rdatas():
            kind = dns.rdatatype.to_text(rdata.rdtype)
            if kind not in _OF_SERVER:
                owner = name.to_text(omit_final_dot=True).lower()
                stands.setdefault((owner, kind), set()).add(data_of(rdata))
        return Contents(there.get_soa().serial, stands)

    def update(self, entries: Sequence[DnsEntry]) -> list[DnsEntry]:
        """Have entries added or removed, each by itself: whatever else stands under a name stays, another CNAME too.

        Returns:
            Those that it refuses, although it takes others.

        Raises:
            Unanswered: it takes none at all.
        """
        gone = [entry for entry in entries if entry.pending != TO_ADD]
        fresh = [entry for entry in entries if entry.pending == TO_ADD and entry.type != "CNAME"]
        names = [entry for entry in entries if entry.pending == TO_ADD and entry.type == "CNAME"]
        return [*self._update(gone), *self._update(fresh), *self._update(names, alone=True)]

    def _update(self, entries: Sequence[DnsEntry], alone: bool = False) -> list[DnsEntry]:
        """What goes goes first, then what comes in its place; in one message, and in halves where that is refused.

        Args:
            alone: only where nothing of the type stands under the name yet: a server would put it in the place of that.
        """
        if not entries:
            return []
        message = self._message()
        for entry in entries:
            name, rdata = _read(entry)
            if alone:
                message.absent(name, entry.type)
            if entry.pending == TO_ADD:
                message.add(name, self._zone.ttl if entry.ttl is None else entry.ttl, rdata)
            else:
                message.delete(name, rdata)
        rcode = self._sent(message)
        if rcode == dns.rcode.NOERROR or (alone and rcode == dns.rcode.YXRRSET and len(entries) == 1):
            return []
        if not (alone and rcode == dns.rcode.YXRRSET):
            if rcode not in _FAULTY or self._sent(self._message()) != dns.rcode.NOERROR:
                raise Unanswered(f"it refuses updates of {self._zone.name}: {dns.rcode.to_text(rcode)}")
            if len(entries) == 1:
                return list(entries)
        half = len(entries) // 2
        return [*self._update(entries[:half], alone), *self._update(entries[half:], alone)]

    def replace(
        self, wanted: Mapping[tuple[str, str], Sequence[DnsEntry]], besides: Iterable[tuple[str, str]]
    ) -> None:
        """Have all data of some names and types replaced; what stands under `besides` is removed.

        Raises:
            Unanswered.
        """
        for (owner, kind), entries in wanted.items():
            message = self._message()
            name = dns.name.from_text(owner)
            for other in (pair for pair in besides if pair[0] == owner):
                message.delete(name, other[1])
            message.delete(name, kind)
            for entry in entries:
                message.add(name, self._zone.ttl if entry.ttl is None else entry.ttl, _read(entry)[1])
            self._need(message)

    def raise_serial(self, serial: int) -> None:
        """Set the serial of the DNS zone there; a server takes one that is newer than its own.

        Raises:
            Unanswered.
        """
        with told_in_words(self._zone.name):
            query = dns.message.make_query(self._origin, "SOA")
            answer = dns.query.tcp(query, self._host, port=self._port, timeout=TIMEOUT)
            told = answer.get_rrset(answer.answer, self._origin, dns.rdataclass.IN, dns.rdatatype.SOA)
        if told:
            message = self._message()
            message.replace(self._origin, told.ttl, told[0].replace(serial=serial))
            self._need(message)

    def _message(self) -> dns.update.UpdateMessage:
        return dns.update.UpdateMessage(self._origin, **self._key)

    def _need(self, message: dns.update.UpdateMessage) -> None:
        rcode = self._sent(message)
        if rcode != dns.rcode.NOERROR:
            raise Unanswered(f"it refuses updates of {self._zone.name}: {dns.rcode.to_text(rcode)}")

    def _sent(self, message: dns.update.UpdateMessage) -> dns.rcode.Rcode:
        with told_in_words(self._zone.name):
            return dns.query.tcp(message, self._host, port=self._port, timeout=TIMEOUT).rcode()


def data_of(rdata: dns.rdata.Rdata) -> str:
    """The data of a record as they are kept."""
    return str(rdata.to_text(origin=None, relativize=False))


def _read(entry: DnsEntry) -> tuple[dns.name.Name, dns.rdata.Rdata]:
    data = dns.rdata.from_text(dns.rdataclass.IN, dns.rdatatype.from_text(entry.type), entry.data)
    return dns.name.from_text(entry.owner), data
