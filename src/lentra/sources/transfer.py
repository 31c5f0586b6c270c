"""A name server, asked by zone transfer (AXFR, RFC 5936): names and addresses that exist."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import dns.exception
import dns.name
import dns.query
import dns.rdatatype
import dns.reversename
import dns.xfr
import dns.zone
from django.conf import settings

from lentra.addressing.prefix import parse_address
from lentra.addressing.refusal import Refusal
from lentra.name_servers import LIFETIME, TIMEOUT, Unanswered, place_of, signed, told_in_words
from lentra.registry.models import Source
from lentra.registry.operations.findings.take_survey import Seen
from lentra.sources.asking import Answered, CannotAsk, Progress, bounded
from lentra.sources.facts import Collected

_REVERSE = (dns.name.from_text("in-addr.arpa."), dns.name.from_text("ip6.arpa."))


def ask_name_server(source: Source, credential: str, progress: Progress) -> Answered:
    """What the DNS zones of a source have addresses for. The name of an address is relative to its DNS zone.

    Raises:
        CannotAsk: nobody answers, a transfer or the signature is refused, or the answer is none.
        Cancelled.
    """
    seen = Collected()
    origins = [dns.name.from_text(text) for text in source.parts]
    try:
        for origin in sorted(origins, key=_is_reverse):  # forward ones first: their names are the shorter
            with told_in_words(origin.to_text()):
                where, port = place_of(source.address, settings.SOURCE_HOSTS)
                zone = _Zone(origin, progress, len(seen))
                query, _ = dns.xfr.make_query(zone, **signed(credential))
                dns.query.inbound_xfr(where, zone, query, port=port, timeout=TIMEOUT, lifetime=LIFETIME)
            for one in _addresses(zone, origins):
                seen.add(one)
    except Unanswered as why:
        raise CannotAsk(str(why))
    return Answered(seen.all())


def _is_reverse(origin: dns.name.Name) -> bool:
    return any(origin.is_subdomain(top) for top in _REVERSE)


def _addresses(zone: dns.zone.Zone, origins: list[dns.name.Name]) -> Iterator[Seen]:
    assert zone.origin is not None
    for kind in (dns.rdatatype.A, dns.rdatatype.AAAA):
        for name, _, rdata in zone.iterate_rdatas(kind):
            owner = name.to_text() if name.labels else zone.origin.to_text(omit_final_dot=True)
            if one := _seen(str(rdata), owner):
                yield one
    if _is_reverse(zone.origin):
        for name, _, rdata in zone.iterate_rdatas(dns.rdatatype.PTR):
            try:
                address = dns.reversename.to_address(name.derelativize(zone.origin))
            except (dns.exception.DNSException, ValueError):
                continue  # a name that stands for no whole address
            if one := _seen(address, _short(dns.name.from_text(str(rdata), zone.origin), origins)):
                yield one


def _short(name: dns.name.Name, origins: list[dns.name.Name]) -> str:
    """A name within the forward DNS zone that it lies in, if that is one of those asked for."""
    around = [origin for origin in origins if name.is_subdomain(origin) and name != origin]
    longest = max(around, key=len, default=None)
    return str((name.relativize(longest) if longest else name).to_text(omit_final_dot=True))


def _seen(address: str, name: str) -> Seen | None:
    try:
        family, number = parse_address(address)
    except Refusal:
        return None  # one that no registry has, such as a mapped one
    return Seen(family, number, number, True, {"name": name[:120]})


class _Writing(dns.zone.Transaction):
    """A transfer under way: tells how far it is, and ends where it is more than there may be."""

    def _put_rdataset(self, name: Any, rdataset: Any) -> None:
        zone = self.manager
        assert isinstance(zone, _Zone)
        zone.count += len(rdataset)
        bounded(zone.count)
        if zone.count // 1000 > zone.told:
            zone.told = zone.count // 1000
            zone.progress(zone.before + zone.count)
        super()._put_rdataset(name, rdataset)


class _Zone(dns.zone.Zone):
    def __init__(self, origin: dns.name.Name, progress: Progress, before: int) -> None:
        super().__init__(origin)
        self.progress, self.before, self.count, self.told = progress, before, 0, 0

    def writer(self, replacement: bool = False) -> dns.zone.Transaction:
        writing = _Writing(self, replacement)
        writing._setup_version()
        return writing
