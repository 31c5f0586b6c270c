"""What a DNS zone and a record by hand may be."""

from __future__ import annotations

from collections.abc import Container
from datetime import datetime
from typing import Any

import dns.exception
import dns.name
import dns.rdata
import dns.rdataclass
import dns.rdatatype

from lentra.addressing.dns import is_reverse, range_of
from lentra.addressing.prefix import address_text, parse_address
from lentra.addressing.refusal import Refusal
from lentra.registry.errors import Invalid, NameTaken
from lentra.registry.models import BY_HAND_TYPES, DnsEntry, DnsRecord, DnsZone
from lentra.registry.rules.names import DNS_TEMPLATES, check_template
from lentra.registry.rules.sources import host_and_port

NAME_TEMPLATES = tuple(DNS_TEMPLATES)
MOST_SERVERS, MOST_DS = 13, 8
_OF_OWN = ("primary", "contact", "address", "credential", "every", *NAME_TEMPLATES)  # nothing for a delegated one
_LONGEST_TTL = (1 << 31) - 1  # RFC 2181, section 8


def domain_name(text: str, field: str) -> str:
    """A name of DNS in lower case without a dot at its end, an internationalised one in ASCII (IDNA, RFC 5891).

    Raises:
        Invalid: it is none.
    """
    try:
        name = dns.name.from_text(text.strip(), dns.name.root, dns.name.IDNA_2008_Practical)
        if name == dns.name.root:
            raise Invalid("the root is none of yours", field=field, received=text[:100])
        return name.to_text(omit_final_dot=True).lower()
    except (dns.exception.DNSException, UnicodeError) as why:
        raise Invalid(
            f"{text[:100]!r} is no name of DNS: {why}",
            field=field,
            received=text[:100],
            rule="labels of 1 to 63 letters with dots between them, 253 in all",
            suggestions=["ferry.example"],
        )


def shown_name(name: str) -> str:
    """A name as people read it: an internationalised one in its own letters."""
    try:
        return dns.name.from_text(name).to_unicode(omit_final_dot=True, idna_codec=dns.name.IDNA_2008_Practical)
    except (dns.exception.DNSException, UnicodeError):
        return name


def zone_follows(zone: DnsZone, given: Container[str]) -> dict[str, Any]:
    """A DNS zone as it is kept: its name in ASCII, the range of a reverse one, names of servers and DS records in one form;
    of the first one that takes the names of its realm or project, that its hosts are called by their names."""
    values: dict[str, Any] = {}
    if "name" in given:
        zone.name = values["name"] = domain_name(zone.name, "name")
        span = range_of(zone.name)
        values |= {
            "family": span.family if span else None,
            "first": span.first if span else None,
            "length": span.length if span else None,
        }
        if not zone.delegated and not is_reverse(zone.name) and "host_names" not in given and not _taker(zone):
            values["host_names"] = "{name}"
    for field in ("primary", "servers"):
        if field in given:
            values[field] = _server_names(zone, field)
    if "ds" in given:
        values["ds"] = [_data("DS", text, zone.name, f"ds.{n}") for n, text in enumerate(zone.ds)]
    return values


def _server_names(zone: DnsZone, field: str) -> Any:
    """Names of name servers as they are kept."""
    if field == "primary":
        return domain_name(zone.primary, "primary") if zone.primary else ""
    return [_server(text, f"servers.{n}") for n, text in enumerate(zone.servers)]


def _server(text: str, field: str) -> str:
    name, *glue = text.split() or [""]
    try:
        addresses = [address_text(*parse_address(one)) for one in glue]
    except Refusal as refusal:
        raise refusal.about(field)
    return " ".join([domain_name(name, field), *addresses])


def check_dns_zone(zone: DnsZone, now: datetime) -> None:
    """A name that is one, who serves it, names that its templates can make, a server that may be asked."""
    if is_reverse(zone.name):
        if zone.range is None:
            raise Invalid(
                f"{zone.name} stands for no range of addresses",
                field="name",
                received=zone.name,
                suggestions=["40.10.in-addr.arpa", "64/26.2.0.192.in-addr.arpa"],
            )
        if named := next((name for name in NAME_TEMPLATES if getattr(zone, name)), None):
            raise Invalid(f"{zone.name} is a reverse one: names are made in a forward one", field=named)
    if not 1 <= len(zone.servers) <= MOST_SERVERS:
        raise Invalid(
            f"{len(zone.servers)} name servers: 1 to {MOST_SERVERS}",
            field="servers",
            suggestions=["ns1.ferry.example"],
        )
    if len(zone.ds) > MOST_DS:
        raise Invalid(f"{len(zone.ds)} DS records: {MOST_DS} at most", field="ds")
    for field in ("ttl", "negative_ttl"):
        _check_ttl(getattr(zone, field), field)
    if zone.delegated:
        if given := [name for name in _OF_OWN if getattr(zone, name)]:
            raise Invalid(
                f"others keep what stands in {zone.name}: here only who serves it is known",
                field=given[0],
                rule="only without delegated",
            )
        return
    if not zone.primary:
        raise Invalid(
            "which of its servers is the primary one",
            field="primary",
            suggestions=[text.split()[0] for text in zone.servers[:1]],
        )
    if "@" not in zone.contact.strip("@") or any(letter.isspace() for letter in zone.contact):
        raise Invalid(
            f"{zone.contact!r} is no mail address of whoever answers for it",
            field="contact",
            received=zone.contact,
            suggestions=["names@ferry.example"],
        )
    for field in NAME_TEMPLATES:
        if template := getattr(zone, field):
            check_template(template, field)
    if zone.host_names and (taker := _taker(zone)):
        whose = f"project {zone.project.name} there" if zone.project else f"realm {zone.realm.name}"
        raise Invalid(
            f"{taker.name} takes the names of {whose} already",
            field="host_names",
            received=zone.host_names,
            conflicts=[{"range": taker.name, "kind": "DNS zone", "id": taker.pk}],
            suggestions=["leave host_names empty", "give a project"],
        )
    _check_server(zone)


def _check_server(zone: DnsZone) -> None:
    if zone.address:
        host_and_port(zone.address)
    elif zone.every is not None or zone.credential:
        raise Invalid(
            "which server: without an address it is written as a file",
            field="address",
            suggestions=["ns1.ferry.example"],
        )
    if zone.every is not None and not 1 <= zone.every <= 44_640:
        raise Invalid("every 1 to 44,640 minutes (a month)", field="every", received=zone.every, suggestions=[60])


def _check_ttl(ttl: int, field: str) -> None:
    if not 0 <= ttl <= _LONGEST_TTL:
        raise Invalid(f"{ttl:,} seconds: 0 to {_LONGEST_TTL:,}", field=field, received=ttl, suggestions=[3600])


def _taker(zone: DnsZone) -> DnsZone | None:
    """Another one that takes the names of the same realm and project."""
    rows = DnsZone.objects.filter(realm=zone.realm, project=zone.project).exclude(host_names="")
    return rows.exclude(pk=zone.pk).first()


def _data(kind: str, text: str, origin: str, field: str) -> str:
    """The data of a record as they are kept: names in them whole, texts in quotes.

    Raises:
        Invalid: they are not of that type.
    """
    zone = dns.name.from_text(origin)
    try:
        if kind == "TXT" and not text.lstrip().startswith('"'):
            letters = text.encode()
            parts = [letters[n : n + 255] for n in range(0, len(letters) or 1, 255)]
            text = " ".join(
                '"' + part.decode("latin-1").replace("\\", "\\\\").replace('"', '\\"') + '"' for part in parts
            )
        data = dns.rdata.from_text(
            dns.rdataclass.IN,
            dns.rdatatype.from_text(kind),
            text,
            zone,
            relativize=False,
            idna_codec=dns.name.IDNA_2008_Practical,
        )
        kept = data.to_text(origin=None, relativize=False)
    except (dns.exception.DNSException, UnicodeError, ValueError) as why:
        raise Invalid(
            f"{text[:100]!r} are no data of a {kind} record: {why}",
            field=field,
            received=text[:100],
            suggestions=[_EXAMPLES[kind]],
        )
    if len(kept) > 2000:
        raise Invalid(f"data of {len(kept):,} letters: 2,000 at most", field=field, suggestions=[_EXAMPLES[kind]])
    return kept


_EXAMPLES = {
    "CNAME": "boards.ferry.example.",
    "TXT": "v=spf1 -all",
    "MX": "10 post.ferry.example.",
    "SRV": "0 5 443 boards.ferry.example.",
    "CAA": '0 issue "ca.example"',
    "DS": "31589 8 2 CDE0D742D6998AA554A92D890F8184C698CFAC8A26FA59875A990C03E576343C",
}


def record_follows(record: DnsRecord, given: Container[str]) -> dict[str, Any]:
    """A record by hand as it is kept: its name in the DNS zone in ASCII, its data whole."""
    values: dict[str, Any] = {}
    origin = record.dns_zone.name
    if "owner" in given:
        text = record.owner.strip() or "@"
        if text != "@":
            whole = domain_name(text if text.endswith(".") else f"{text}.{origin}", "owner")
            if whole != origin and not whole.endswith(f".{origin}"):
                raise Invalid(
                    f"{whole} does not lie in {origin}", field="owner", received=text, suggestions=["www", "@"]
                )
            text = whole.removesuffix(origin).rstrip(".") or "@"
        values["owner"] = text
    if record.type not in BY_HAND_TYPES:
        raise Invalid(
            f"{record.type!r} is not kept by hand: what hosts have follows from the registry",
            field="type",
            received=record.type,
            suggestions=BY_HAND_TYPES,
        )
    if {"data", "type"} & {name for name in ("data", "type") if name in given}:
        values["data"] = _data(record.type, record.data, origin, "data")
    return values


def check_dns_record(record: DnsRecord, now: datetime) -> None:
    """A record in a DNS zone that is kept here, once, and no other name (CNAME) beside anything else of the same owner."""
    zone = record.dns_zone
    if zone.delegated:
        raise Invalid(f"others keep what stands in {zone.name}", field="dns_zone", received=zone.name)
    if record.ttl is not None:
        _check_ttl(record.ttl, "ttl")
    others = list(DnsRecord.objects.filter(dns_zone=zone, owner=record.owner).exclude(pk=record.pk))
    same = next((one for one in others if (one.type, one.data) == (record.type, record.data)), None)
    lone = next((one for one in others if "CNAME" in (one.type, record.type)), None)
    if other := same or lone:
        raise NameTaken(
            f"{record.full_name} has a {other.type} record already: {other.data[:100]}",
            field="owner",
            received=record.owner,
            rule="a CNAME record stands alone (RFC 1034, section 3.6.2), and no record comes twice",
            conflicts=[{"range": record.full_name, "owner": other.label_text, "id": other.pk}],
        )
    if record.type == "CNAME":
        refuse_alias_at(record)


def refuse_alias_at(record: DnsRecord) -> None:
    """Refuse another name (CNAME) where the registry has something, or the DNS zone begins."""
    there = DnsEntry.objects.filter(
        realm=record.dns_zone.realm_id, dns_zone=record.dns_zone_id, owner=record.full_name, claimed=True
    )
    held = there.exclude(host=record.pk or 0).first()
    if held or record.owner == "@":
        what = f"{held.type} {held.data}" if held else "the DNS zone's own records"
        raise NameTaken(
            f"{record.full_name} has {what} by the registry: another name would hide that",
            field="owner",
            received=record.owner,
            rule="a CNAME record stands alone (RFC 1034, section 3.6.2)",
            suggestions=[f"{record.owner}-2"] if record.owner != "@" else ["www"],
        )
