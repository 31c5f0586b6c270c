"""Documents of sightings, read: `lentra-sightings-1`, and what a Linux host tells of itself (`lentra-host-1`)."""

from __future__ import annotations

import json
from collections.abc import Callable, Iterator, Mapping
from datetime import datetime
from functools import cache
from pathlib import Path
from typing import Any

from django.utils.dateparse import parse_datetime
from jsonschema import Draft202012Validator

from lentra.addressing.prefix import BITS, parse_address, parse_range
from lentra.addressing.refusal import Refusal
from lentra.registry.errors import Invalid
from lentra.registry.operations.findings.take_survey import Seen
from lentra.registry.operations.subnets.record_addresses import read_mac

_FACTS = ("name", "zone", "project", "tag", "gateway")


@cache
def schema() -> dict[str, Any]:
    """The published JSON Schema of `lentra-sightings-1`."""
    read: dict[str, Any] = json.loads((Path(__file__).parent / "sightings.schema.json").read_text())
    return read


def read_document(document: Mapping[str, Any], now: datetime) -> tuple[list[Seen], datetime]:
    """What a document has seen, and when.

    Raises:
        Invalid: it is of no known format, or has something that its format does not allow; says where.
    """
    read = _READERS.get(str(document.get("format")))
    if read is None:
        raise Invalid(
            f"there is no format {document.get('format')!r} of sightings",
            field="document.format",
            received=document.get("format"),
            suggestions=list(_READERS),
        )
    seen, at = read(document), now
    if document.get("at"):
        moment = parse_datetime(str(document["at"]))
        if moment is None or moment.tzinfo is None:
            raise Invalid(
                "when it looked is to be a moment with its time zone",
                field="document.at",
                received=document["at"],
                suggestions=[now.isoformat()],
            )
        at = moment
    return seen, at


def _sightings(document: Mapping[str, Any]) -> list[Seen]:
    faults = sorted(
        Draft202012Validator(schema()).iter_errors(document), key=lambda fault: list(fault.absolute_path)
    )
    if faults:
        where = ".".join(str(step) for step in ["document", *faults[0].absolute_path])
        more = f" (and {len(faults) - 1:,} more)" if len(faults) > 1 else ""
        raise Invalid(f"{faults[0].message[:200]}{more}", field=where, rule="the format lentra-sightings-1")
    return [_seen(one, f"document.sightings.{n}") for n, one in enumerate(document["sightings"])]


def _seen(one: Mapping[str, Any], where: str) -> Seen:
    facts = {name: str(one[name]) for name in _FACTS if one.get(name) not in (None, "")}
    if one.get("mac"):
        facts["mac"] = _told(f"{where}.mac", read_mac, str(one["mac"]))
    if facts.get("gateway"):
        _told(f"{where}.gateway", parse_address, facts["gateway"])
    if "address" in one:
        family, address = _told(f"{where}.address", parse_address, one["address"])
        return Seen(family, address, address, True, facts)
    family, first, last = _told(f"{where}.range", parse_range, one["range"])
    return Seen(family, first, last, False, facts)


def _host(document: Mapping[str, Any]) -> list[Seen]:
    """What ``ip -j -d addr`` and ``ip -j neigh`` say: the networks of its interfaces, its own addresses, its neighbours'."""
    host = str(document.get("host") or "")[:120]
    seen: dict[tuple[int, int, int, bool], Seen] = {}
    for one in (*_interfaces(document, host), *_neighbours(document)):
        seen.setdefault(one.key, one)
    return list(seen.values())


def _interfaces(document: Mapping[str, Any], host: str) -> Iterator[Seen]:
    for n, link in _parts(document, "addr"):
        tag = ((link.get("linkinfo") or {}).get("info_data") or {}).get("id")
        mac = str(link.get("address") or "")
        for one in link.get("addr_info") or ():
            if one.get("scope") != "global" or one.get("family") not in ("inet", "inet6"):
                continue
            where = f"document.addr.{n}.addr_info"
            family, address = _told(where, parse_address, str(one.get("local")))
            length = one.get("prefixlen")
            if not isinstance(length, int) or not 0 <= length <= BITS[family]:
                raise Invalid(f"{length!r} is no length of a prefix", field=where, received=length)
            facts = {"name": host} if host else {}
            if mac and link.get("link_type") == "ether":
                facts["mac"] = _told(f"document.addr.{n}.address", read_mac, mac)
            yield Seen(family, address, address, True, facts)
            if length < BITS[family]:
                size = 1 << (BITS[family] - length)
                first = address // size * size
                yield Seen(family, first, first + size - 1, False, {"tag": str(tag)} if tag else {})


def _neighbours(document: Mapping[str, Any]) -> Iterator[Seen]:
    for n, one in _parts(document, "neigh"):
        if not one.get("lladdr") or "FAILED" in (one.get("state") or ()):
            continue
        family, address = _told(f"document.neigh.{n}.dst", parse_address, str(one.get("dst")))
        if family == 6 and address >> 118 == 0b1111111010:  # of one link alone: fe80::/10 (RFC 4291, 2.5.6)
            continue
        yield Seen(
            family,
            address,
            address,
            True,
            {"mac": _told(f"document.neigh.{n}.lladdr", read_mac, str(one["lladdr"]))},
        )


def _parts(document: Mapping[str, Any], name: str) -> Iterator[tuple[int, Mapping[str, Any]]]:
    part = document.get(name) or []
    if not isinstance(part, list) or not all(isinstance(one, dict) for one in part):
        raise Invalid(f"{name} is to be what `ip -j` prints: a list", field=f"document.{name}")
    yield from enumerate(part)


def _told(where: str, read: Callable[[str], Any], text: str) -> Any:
    """What a text is read as; a refusal says where it stands."""
    try:
        return read(text)
    except Refusal as refusal:
        refusal.field = where
        raise


_READERS: dict[str, Callable[[Mapping[str, Any]], list[Seen]]] = {
    "lentra-sightings-1": _sightings,
    "lentra-host-1": _host,
}
