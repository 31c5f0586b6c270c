"""DNS zones as files (RFC 1035, section 5), for servers that are not pushed to."""

from __future__ import annotations

from lentra.registry.models import DnsZone
from lentra.registry.naming.serving import entries_in, file_serial

REFRESH, RETRY, EXPIRE = 7200, 900, 1_209_600  # seconds (RFC 1912, section 2.2)
MEDIA = "text/dns; charset=utf-8"  # RFC 4027


def zone_file(zone: DnsZone) -> str:
    """A DNS zone as a file. Its serial is another one than that of the last file only if something else is in it."""
    rows = entries_in(zone).filter(wins=True).values_list("owner", "ttl", "type", "data").distinct()
    lines = [
        f"{_relative(owner, zone.name)}\t{'' if ttl is None else ttl}\tIN\t{kind}\t{data}"
        for owner, ttl, kind, data in sorted(rows, key=lambda row: (row[0] != zone.name, row[0], row[2], row[3]))
    ]
    person, _, domain = zone.contact.partition("@")
    mail = f"{person.replace('.', chr(92) + '.')}.{domain}."
    head = f"$ORIGIN {zone.name}.\n$TTL {zone.ttl}\n"
    times = f"{REFRESH} {RETRY} {EXPIRE} {zone.negative_ttl}"
    contents = "".join(f"{line}\n" for line in lines)
    serial = file_serial(zone, f"{head}{zone.primary} {mail} {times}\n{contents}")
    return f"{head}@\t\tIN\tSOA\t{zone.primary}. {mail} {serial} {times}\n{contents}"


def _relative(owner: str, origin: str) -> str:
    return "@" if owner == origin else owner.removesuffix(f".{origin}")
