"""DNS zones and the records by hand in them, as sections of an estate file."""

from __future__ import annotations

from collections.abc import Callable

from django.db.models import QuerySet

from lentra.registry.errors import Invalid
from lentra.registry.estate.section import Section, by_name_in_realm, key_in_realm
from lentra.registry.intakes.records import Said, TableKind, Values, field_value, text_of
from lentra.registry.lookup.find import find
from lentra.registry.models import BY_HAND_TYPES, DnsRecord, DnsZone, Project, Realm
from lentra.registry.operations.dns.keep_dns_zone import (
    add_dns_record,
    add_dns_zone,
    edit_dns_record,
    edit_dns_zone,
    remove_dns_zone,
)
from lentra.registry.operations.setup.remove_record import remove_record
from lentra.registry.rules.dns import NAME_TEMPLATES, domain_name, record_follows, zone_follows

_DNS_ZONE = (
    *("project", "delegated", "primary", "contact", "servers", "ds", "ttl", "negative_ttl", *NAME_TEMPLATES),
    *("names_end", "address", "every", "about"),
)
_DNS_LISTS = ("servers", "ds")
_DNS_RECORD, _SAID = ("ttl", "about"), ("owner", "type", "data")


def _read_dns_zone(said: Said) -> Values:
    values = {
        name: [part.strip() for part in text.split(",")]
        if name in _DNS_LISTS
        else field_value(DnsZone, name, text)
        for name, text in said.items()
    }
    values["name"] = domain_name(said["name"], "DNS zones")
    return {**values, **zone_follows(DnsZone(**values), values.keys() - {"name"})}


def _told_dns_zone(record: DnsZone) -> dict[str, str]:
    told = {name: text_of(getattr(record, name)) for name in ("name", "realm", *_DNS_ZONE)}
    return told if record.delegated else {**told, "delegated": ""}


def _dns_zones(realm: Realm | None, project: Project | None) -> QuerySet:
    found = DnsZone.objects.select_related("realm", "project").order_by("realm__name", "name")
    found = found.filter(realm=realm) if realm else found
    return found.filter(project=project) if project else found


def _read_dns_record(said: Said) -> Values:
    values = {name: field_value(DnsRecord, name, text) for name, text in said.items() if name in _DNS_RECORD}
    zone = find(DnsZone, said["dns_zone"], "DNS records")
    values |= {"dns_zone": zone, **{name: said[name] for name in _SAID}}
    return {**values, **record_follows(DnsRecord(**values), _SAID)}


def _told_dns_record(record: DnsRecord) -> dict[str, str]:
    return {name: text_of(getattr(record, name)) for name in _DNS_RECORD} | _said_dns_record(
        _key_of_dns_record(record)
    )


def _key_of_dns_record(record: DnsRecord) -> str:
    """Where it stands and what it says: ``fleet:ferry.example @ MX 10 post.ferry.example.``."""
    return f"{key_in_realm(record.dns_zone)} {record.owner} {record.type} {record.data}"


def _said_dns_record(key: str) -> dict[str, str]:
    zone, owner, kind, data = [*key.split(maxsplit=3), "", "", ""][:4]
    if ":" not in zone or kind not in BY_HAND_TYPES or not data:
        raise Invalid(
            f"{key[:100]!r} is no key of a DNS record: it is REALM:ZONE NAME TYPE DATA",
            field="DNS records",
            received=key[:100],
            rule=f"a type is one of {', '.join(BY_HAND_TYPES)}",
            suggestions=["fleet:ferry.example @ MX 10 post.ferry.example."],
        )
    return {"dns_zone": zone, "owner": owner, "type": kind, "data": data}


def _dns_records(realm: Realm | None, project: Project | None) -> QuerySet:
    found = DnsRecord.objects.select_related("dns_zone__realm").order_by(
        "dns_zone__realm__name", "dns_zone__name", "owner", "type", "data"
    )
    found = found.filter(dns_zone__realm=realm) if realm else found
    return found.filter(dns_zone__project=project) if project else found


DNS_SECTIONS = (
    Section(
        "DNS zones",
        DnsZone,
        TableKind(
            DnsZone.KIND,
            read=_read_dns_zone,
            there=lambda values: DnsZone.objects.filter(realm=values["realm"], name=values["name"]).first(),
            add=lambda change, values: add_dns_zone(change, {"host_names": "", **values}),
            edit=lambda change, record, values: edit_dns_zone(change, record.pk, values),
            told=_told_dns_zone,
        ),
        _DNS_ZONE,
        key_in_realm,
        by_name_in_realm,
        _dns_zones,
        lambda change, record: remove_dns_zone(change, record.pk),
    ),
    Section(
        "DNS records",
        DnsRecord,
        TableKind(
            DnsRecord.KIND,
            read=_read_dns_record,
            there=lambda values: DnsRecord.objects.filter(
                **{name: values[name] for name in ("dns_zone", *_SAID)}
            ).first(),
            add=add_dns_record,
            edit=lambda change, record, values: edit_dns_record(change, record.pk, values),
            told=_told_dns_record,
        ),
        _DNS_RECORD,
        _key_of_dns_record,
        _said_dns_record,
        _dns_records,
        lambda change, record: remove_record(change, DnsRecord.KIND, record.pk),
    ),
)


def _zone_key(key: str) -> str:
    realm, _, text = key.partition(":")
    return f"{realm}:{domain_name(text, 'DNS zones')}"


def _record_key(key: str) -> str:
    return _key_of_dns_record(DnsRecord(**_read_dns_record(_said_dns_record(key))))


DNS_KEYS: dict[str, Callable[[str], str]] = {
    "DNS zones": _zone_key,
    "DNS records": _record_key,
}  # as they are told
