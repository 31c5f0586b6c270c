"""What each format of sightings says, and that what says something else is refused, with where it stands."""

from __future__ import annotations

import base64
import io
from datetime import UTC, datetime

import openpyxl
import pytest

from lentra.addressing.prefix import address_text, range_text
from lentra.addressing.refusal import Refusal

NOW = datetime(2026, 11, 20, 8, tzinfo=UTC)
SWEEP = """<?xml version="1.0"?><nmaprun scanner="nmap"><host><status state="up"/>
<address addr="10.40.64.7" addrtype="ipv4"/><address addr="02:00:00:00:00:07" addrtype="mac"/>
<hostnames><hostname name="gate-7" type="PTR"/></hostnames></host>
<host><status state="down"/><address addr="10.40.64.8" addrtype="ipv4"/></host>
<runstats><finished time="1795000000"/></runstats></nmaprun>"""


def read(document):
    from lentra.sources.documents import read_document

    seen, at = read_document(document, NOW)
    shown = {
        (
            address_text(one.family, one.first) if one.single else range_text(one.family, one.first, one.last)
        ): one.facts
        for one in seen
    }
    return shown, at


def table(name, content, **more):
    return {"format": "lentra-table-1", "name": name, "content": base64.b64encode(content).decode(), **more}


def test_a_sweep_tells_the_hosts_that_answered(registry_database):
    shown, at = read({"format": "lentra-sweep-1", "text": SWEEP})
    assert shown == {"10.40.64.7": {"name": "gate-7", "mac": "02:00:00:00:00:07"}}
    assert at == datetime.fromtimestamp(1795000000, UTC)


@pytest.mark.parametrize(
    ("text", "why"),
    [
        ("nothing", "no XML that can be read"),
        ("<other/>", "no report of a sweep"),
        ("<nmaprun><host><status state='up'/><address addr='10.1' addrtype='ipv4'/></host></nmaprun>", "10.1"),
        ("<!DOCTYPE x [<!ENTITY a 'b'><!ENTITY c '&a;&a;'>]><nmaprun>&c;</nmaprun>", "no XML"),
    ],
)
def test_what_is_no_sweep_is_refused(registry_database, text, why):
    with pytest.raises(Refusal, match=why) as refused:
        read({"format": "lentra-sweep-1", "text": text})
    assert refused.value.field.startswith("document.text")


def test_tables_are_read_by_their_headings_or_as_it_is_said(registry_database):
    shown, at = read(table("walk.csv", b"Network;VLAN;Hostname\n10.40.64.0/26;12;quay\n10.40.64.70;;cam-1\n\n"))
    assert shown == {"10.40.64.0/26": {"tag": "12", "name": "quay"}, "10.40.64.70": {"name": "cam-1"}}
    assert at == NOW
    book, data = openpyxl.Workbook(), io.BytesIO()
    book.active.append(["from there", "to there", "who"])
    book.active.append(["10.40.66.0", "10.40.66.80", "crew"])
    book.save(data)
    columns = {"first": "from there", "last": "to there", "project": "who"}
    shown, _ = read(table("walk.xlsx", data.getvalue(), mapping={"columns": columns}))
    assert shown == {"10.40.66.0-10.40.66.80": {"project": "crew"}}
    shown, _ = read(table("walk.csv", b"address,mask\n10.40.64.0,255.255.255.0\n"))
    assert list(shown) == ["10.40.64.0/24"]


@pytest.mark.parametrize(
    ("document", "field", "why"),
    [
        (table("walk.csv", b"Colour,Taste\nred,sweet\n"), "document.mapping", "no column tells what was seen"),
        (table("walk.csv", b"Network\n10.40.64.0/33\n"), "document.content: row 2", "row 2"),
        (table("walk.csv", b""), "content", "is empty"),
        (table("walk.csv", b"Network\n10.40.64.0/24\n", mapping={"columns": {"prefix": "Net"}}), "columns", "no column"),
        ({"format": "lentra-table-1", "content": "%%"}, "document.content", "base64"),
    ],
)  # fmt: skip
def test_what_is_no_table_of_sightings_is_refused(registry_database, document, field, why):
    with pytest.raises(Refusal, match=why) as refused:
        read(document)
    assert refused.value.field == field


def link(device, *addresses, tag=None):
    rows = [
        {"family": "inet6" if ":" in text else "inet", "scope": "global", "local": text.partition("/")[0],
         "prefixlen": int(text.partition("/")[2])}
        for text in addresses
    ]  # fmt: skip
    more = {"linkinfo": {"info_data": {"id": tag}}} if tag else {}
    return {"ifname": device, "link_type": "ether", "address": "02:00:00:00:00:01", "addr_info": rows, **more}


def test_a_router_tells_how_far_its_networks_reach(registry_database):
    addr = [
        link("hall", "10.90.3.1/24", "2001:db8:90::1/64"),
        link("crew", "10.90.4.1/24", tag=12),
        link("wan", "203.0.113.2/30", "2001:db8:ffff::2/64"),
    ]
    route = [
        {"dst": "default", "gateway": "203.0.113.1", "dev": "wan"},
        {"dst": "default", "gateway": "fe80::1", "dev": "wan"},
        {"type": "blackhole", "dst": "10.0.0.0/8"},
        {"dst": "10.90.3.0/24", "dev": "hall", "scope": "link"},
    ]
    shown, _ = read({"format": "lentra-host-1", "host": "quay", "addr": addr, "route": route,
                     "vlan": [{"ifname": "hall", "vlans": [{"vlan": 1}, {"vlan": 30, "flags": ["PVID"]}]}]})  # fmt: skip
    assert (
        shown["10.90.3.0/24"]["reach"] == "outward"
    )  # a private network is translated on its way, if it gets out
    assert shown["2001:db8:90::/64"]["reach"] == "outside"
    assert "fe80::1 on wan" in shown["2001:db8:90::/64"]["route"]
    assert (shown["10.90.3.0/24"]["tag"], shown["10.90.4.0/24"]["tag"]) == ("30", "12")
    assert "reach" not in shown["203.0.113.0/30"]  # its own router knows
    inside = [{"dst": "default", "gateway": "10.90.4.254", "dev": "crew"}]
    shown, _ = read({"format": "lentra-host-1", "addr": addr, "route": inside})
    assert shown["10.90.3.0/24"]["reach"] == "inside"
    shown, _ = read({"format": "lentra-host-1", "addr": addr[:1], "route": inside})
    assert "reach" not in shown["10.90.3.0/24"]  # a host with one network is no router
