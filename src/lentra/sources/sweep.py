"""What an address sweep has found (`lentra-sweep-1`): what ``nmap -oX`` writes."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import UTC, datetime
from typing import Any
from xml.etree.ElementTree import Element, ParseError

from defusedxml.common import DefusedXmlException
from defusedxml.ElementTree import fromstring

from lentra.addressing.prefix import parse_address
from lentra.registry.errors import Invalid
from lentra.registry.operations.findings.take_survey import Seen
from lentra.registry.operations.subnets.record_addresses import read_mac
from lentra.sources.facts import Collected, told


def read_sweep(document: Mapping[str, Any]) -> list[Seen]:
    """The addresses of hosts that answered, with their names and hardware addresses.

    Raises:
        Refusal: it is no report of a sweep, or has an address that is none.
    """
    seen = Collected()
    for n, host in enumerate(_report(document).iterfind("host")):
        status = host.find("status")
        if status is None or status.get("state") != "up":
            continue
        name = host.find("hostnames/hostname")
        facts = {"name": str(name.get("name"))[:120]} if name is not None and name.get("name") else {}
        addresses = host.findall("address")
        for one in addresses:
            if one.get("addrtype") == "mac":
                facts["mac"] = told(f"document.text: host {n + 1}", read_mac, str(one.get("addr")))
        for one in addresses:
            if one.get("addrtype") in ("ipv4", "ipv6"):
                where = f"document.text: host {n + 1}"
                family, address = told(where, parse_address, str(one.get("addr")))
                seen.add(Seen(family, address, address, True, facts))
    return seen.all()


def swept_at(document: Mapping[str, Any]) -> datetime | None:
    """When it was at its end, if it says so."""
    finished = _report(document).find("runstats/finished")
    time = finished.get("time") if finished is not None else None
    return datetime.fromtimestamp(int(time), UTC) if time and time.isdigit() else None


def _report(document: Mapping[str, Any]) -> Element:
    try:
        root: Element = fromstring(str(document.get("text") or ""), forbid_dtd=False)
    except (ParseError, DefusedXmlException, ValueError) as why:
        raise Invalid(f"this is no XML that can be read: {why}", field="document.text")
    if root.tag != "nmaprun":
        raise Invalid(
            f"this is no report of a sweep: it begins with <{root.tag}>",
            field="document.text",
            rule="what nmap -oX writes",
        )
    return root
