"""What a Linux host or router tells of itself (`lentra-host-1`): what iproute2 prints with ``-j``.

``addr``: ``ip -j -d addr``; ``neigh``: ``ip -j neigh``; ``route``: ``ip -j route`` and ``ip -j -6 route``; ``vlan``:
``bridge -j vlan``. Each may be left out.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Any

from lentra.addressing.exposure import INSIDE, NOWHERE, OUTSIDE, TRANSLATED, Route
from lentra.addressing.prefix import BITS, Prefix, address_text, parse_address, parse_prefix
from lentra.addressing.refusal import Refusal
from lentra.registry.errors import Invalid
from lentra.registry.operations.findings.take_survey import Seen
from lentra.registry.operations.subnets.record_addresses import read_mac
from lentra.sources.facts import Collected, is_list, reach_facts, told

_LINK_LOCAL = parse_prefix("fe80::/10")  # RFC 4291, 2.5.6
_LOCAL = [*map(parse_prefix, ("10.0.0.0/8", "172.16.0.0/12", "192.168.0.0/16", "100.64.0.0/10", "fc00::/7"))]
_DROPPED = ("blackhole", "unreachable", "prohibit")
_EVERYTHING = {4: parse_prefix("0.0.0.0/0"), 6: parse_prefix("::/0")}


def read_host(document: Mapping[str, Any]) -> list[Seen]:
    """The networks of a host's interfaces, how far they can be reached by its routes, its addresses, its neighbours'.

    Raises:
        Refusal: something is not what iproute2 prints; says where.
    """
    host = str(document.get("host") or "")[:120]
    links, tags = list(_links(document)), _bridged(document)
    routes = list(_routes(document))
    seen = Collected()
    for device, tag, mac, family, address, length in links:
        facts = {"name": host} if host else {}
        seen.add(Seen(family, address, address, True, facts | ({"mac": mac} if mac else {})))
        if length < BITS[family]:
            size = 1 << (BITS[family] - length)
            network = Prefix(family, address // size * size, length)
            of_network = {"tag": tag or tags[device]} if tag or device in tags else {}
            of_network |= _reach(network, device, links, routes)
            seen.add(Seen(family, network.first, network.last, False, of_network))
    for one in _neighbours(document):
        seen.add(one)
    return seen.all()


_Link = tuple[str, str, str, int, int, int]  # device, tag, hardware address, family, address, length
_Way = tuple[str, int, Prefix, int | None, bool]  # device, family, to, by which gateway, whether it is dropped


def _links(document: Mapping[str, Any]) -> Iterator[_Link]:
    for n, link in enumerate(is_list(document.get("addr"), "addr", "what `ip -j -d addr` prints")):
        tag = str(((link.get("linkinfo") or {}).get("info_data") or {}).get("id") or "")
        mac = str(link.get("address") or "") if link.get("link_type") == "ether" else ""
        for one in link.get("addr_info") or ():
            if one.get("scope") != "global" or one.get("family") not in ("inet", "inet6"):
                continue
            where = f"document.addr.{n}.addr_info"
            family, address = told(where, parse_address, str(one.get("local")))
            length = one.get("prefixlen")
            if not isinstance(length, int) or not 0 <= length <= BITS[family]:
                raise Invalid(f"{length!r} is no length of a prefix", field=where, received=length)
            own = told(f"document.addr.{n}.address", read_mac, mac) if mac else ""
            yield str(link.get("ifname")), tag, own, family, address, length


def _bridged(document: Mapping[str, Any]) -> dict[str, str]:
    """The tag that untagged traffic of a device has in its bridge; the first is what every bridge begins with."""
    tags = {}
    for row in is_list(document.get("vlan"), "vlan", "what `bridge -j vlan` prints"):
        for vlan in row.get("vlans") or ():
            if "PVID" in (vlan.get("flags") or ()) and vlan.get("vlan", 1) != 1:
                tags[str(row.get("ifname"))] = str(vlan["vlan"])
    return tags


def _routes(document: Mapping[str, Any]) -> Iterator[_Way]:
    for n, row in enumerate(is_list(document.get("route"), "route", "what `ip -j route` prints")):
        where, dropped = f"document.route.{n}", row.get("type") in _DROPPED
        if not (row.get("gateway") or dropped):
            continue  # of a network of its own
        to, by = str(row.get("dst")), None
        if row.get("gateway"):
            family, by = told(f"{where}.gateway", parse_address, str(row["gateway"]))
        elif to == "default":
            continue  # dropped for everything, in a family that is not told
        try:
            target = _EVERYTHING[family] if to == "default" else parse_prefix(to)
        except Refusal:
            target_family, address = told(f"{where}.dst", parse_address, to)
            target = Prefix(target_family, address, BITS[target_family])
        yield str(row.get("dev")), target.family, target, by, dropped


def _reach(network: Prefix, device: str, links: list[_Link], routes: list[_Way]) -> dict[str, str]:
    """How far a network can be reached by a host that has others as well: a host with one network alone is no router, and
    the network that its routes leave by has another.

    A gateway with a public address, or beyond a device that has one, leads outside; what has private addresses goes no
    further than outward by it.
    """
    family = network.family
    devices = {link[0] for link in links if link[3] == family}
    out = {by_device for by_device, of, _, _, dropped in routes if of == family and not dropped}
    if len(devices) < 2 or not routes or device in out:
        return {}
    own = any(local.contains(network) for local in _LOCAL)
    ways = []
    for by_device, of, to, by, dropped in routes:
        if of != family:
            continue
        if dropped:
            ways.append(Route(to, NOWHERE))
            continue
        assert by is not None
        gateway = Prefix(family, by, BITS[family])
        beyond = [
            Prefix(family, link[4], BITS[family]) for link in links if link[0] == by_device and link[3] == family
        ]
        public = [gateway] if not _LINK_LOCAL.contains(gateway) else beyond
        outside = any(not any(local.contains(one) for local in _LOCAL) for one in public)
        via = INSIDE if not outside else TRANSLATED if own else OUTSIDE
        ways.append(Route(to, via, f"{address_text(family, by)} on {by_device}"))
    return reach_facts(ways, family)


def _neighbours(document: Mapping[str, Any]) -> Iterator[Seen]:
    for n, one in enumerate(is_list(document.get("neigh"), "neigh", "what `ip -j neigh` prints")):
        if not one.get("lladdr") or "FAILED" in (one.get("state") or ()):
            continue
        family, address = told(f"document.neigh.{n}.dst", parse_address, str(one.get("dst")))
        if family == 6 and _LINK_LOCAL.contains(Prefix(6, address, 128)):
            continue  # of one link alone
        mac = told(f"document.neigh.{n}.lladdr", read_mac, str(one["lladdr"]))
        yield Seen(family, address, address, True, {"mac": mac})
