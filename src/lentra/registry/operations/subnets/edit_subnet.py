"""Rename and relabel a subnet, and edit what else may be said about it."""

from __future__ import annotations

import re
from typing import Any

from lentra.addressing.address_map import Inside, dhcp_range, gateway_address
from lentra.addressing.prefix import address_text, parse_address
from lentra.addressing.refusal import HostsDoNotFit, Refusal
from lentra.addressing.sizing import hosts_with_growth
from lentra.registry.errors import AddressTaken, Frozen, Invalid, NoDhcp
from lentra.registry.lookup.insides import gateway_of, rules_of
from lentra.registry.models import Subnet
from lentra.registry.operations.subnets.opened import locked_subnet
from lentra.registry.rules.names import check_name, refuse_taken_subnet_name, split_name
from lentra.registry.rules.permissions import require
from lentra.registry.rules.tags import Tags, check_tag, no_tag, wanted_tag
from lentra.registry.transactions.change import Change

EDITABLE = (
    *("name", "purpose", "notes", "labels", "hosts", "growth", "service"),
    *("tag", "outer_tag", "gateway", "dhcp", "name_servers", "dns_suffix"),
)
FIXED = ("realm", "pool", "project", "zone", "region", "tier", "blocks")


def edit_subnet(change: Change, subnet_ref: Any, values: dict[str, Any], version: int | None = None) -> Subnet:
    """Set values on a subnet.

    Raises:
        Frozen: realm, pool, place and range never change: replace it by another.
        TagTaken, NoDhcp, BadAddress: a segment tag, DHCP range or gateway that cannot be had.
        NameTaken: a living or cooling subnet has the name.
        NotAllowed, StaleEdit.
    """
    subnet = locked_subnet(change, subnet_ref, "edit a subnet", version)
    values = dict(values)
    if fixed := [field for field in values if field not in EDITABLE]:
        raise Frozen(
            f"{fixed[0]} of a subnet cannot change while it is in use: replace it by a new one, and give this one "
            "back when nothing uses it any more",
            field=fixed[0],
            rule=f"fixed: {', '.join(FIXED)}",
            suggestions=["replace"],
        )
    if "name" in values and values["name"] != subnet.name:
        check_name(values["name"])
        refuse_taken_subnet_name(change, subnet.realm_id, values["name"], besides=subnet.pk)
        values["name_stem"], values["name_number"] = split_name(values["name"])
    if subnet.service and values.get("service", subnet.service) != subnet.service:
        require(change.actor, "planner", f"open a subnet that is kept for {subnet.service} to others")
    if {"hosts", "growth"} & set(values):
        _check_hosts(subnet, values)
    if {"tag", "outer_tag"} & set(values):
        values |= _tagged(change, subnet, values)
    if {"gateway", "dhcp"} & set(values):
        check_inside(subnet, values)
    if "name_servers" in values:
        values["name_servers"] = _name_servers(values["name_servers"])
    if values.get("dns_suffix"):
        values["dns_suffix"] = _suffix(values["dns_suffix"])
    change.edited(subnet, **values)
    return subnet


def _check_hosts(subnet: Subnet, values: dict[str, Any]) -> None:
    """Refuse more hosts than the subnet's IPv4 blocks have addresses for."""
    hosts, growth = values.get("hosts", subnet.hosts), values.get("growth", subnet.growth)
    blocks = [block for block in subnet.blocks() if block.family == 4]
    if hosts is None or not blocks:
        return
    rules = rules_of(subnet, 4)
    usable, needed = sum(rules.usable(block) for block in blocks), hosts_with_growth(hosts, growth)
    if needed > usable:
        with_growth = f" with {growth} % of growth" if growth else ""
        raise HostsDoNotFit(
            f"{hosts:,} hosts{with_growth} need {needed:,} addresses, and {subnet.name} has {usable:,} usable ones: grow it",
            field="hosts",
            received=hosts,
            rule="what is expected in a subnet fits into it",
            suggestions=[usable * 100 // (100 + growth)],
        )


def _suffix(text: str) -> str:
    """A domain name (RFC 1035, section 2.3.1) without its final dot, in lower case."""
    name = text.strip().rstrip(".").lower()
    label = r"[a-z0-9]([a-z0-9-]{0,61}[a-z0-9])?"
    if len(name) > 200 or not re.fullmatch(rf"{label}(\.{label})*", name):
        usable = re.sub(r"[^a-z0-9.-]+", "-", name).strip("-.")
        raise Invalid(
            f"{text[:100]!r} is not a valid domain name: labels of letters, digits and hyphens, with dots between them",
            field="dns_suffix",
            received=text[:100],
            rule="RFC 1035, section 2.3.1",
            suggestions=[usable] if usable else ["quay.example"],
        )
    return name


def _tagged(change: Change, subnet: Subnet, values: dict[str, Any]) -> dict[str, Any]:
    """The columns of a new segment tag."""
    outer = values.get("outer_tag", subnet.outer_tag) or 0
    if outer:
        check_tag(outer, "outer_tag")
    given, number = wanted_tag(values.get("tag", subnet.tag))
    sheet = subnet.pool.sheet
    if not given:
        if sheet.tag_needed:
            raise no_tag(sheet.name, values.get("tag"))
        return {"tag": None, "outer_tag": 0, "tag_scope": None}
    place = subnet.zone or subnet.region
    if (number, outer) != (subnet.tag, subnet.outer_tag):
        number = Tags(change, place.pk, place.name, outer).take(number, subnet.name)
    return {"tag": number, "outer_tag": outer, "tag_scope": place.pk}


def check_inside(subnet: Subnet, values: dict[str, Any]) -> None:
    """Refuse a gateway or a DHCP range that the subnet's blocks cannot have."""
    blocks = subnet.blocks()
    gateway, dhcp = values.get("gateway", subnet.gateway), values.get("dhcp", subnet.dhcp)
    home = next((b for b in blocks if b.family == (6 if ":" in gateway else 4)), blocks[0])
    address = gateway_address(home, rules_of(subnet, home.family), gateway)
    holder = subnet.addresses.filter(family=home.family, address=address).exclude(kind="gateway").first()
    if address is not None and holder and "gateway" in values:
        raise AddressTaken(
            f"{holder.text} is taken by {holder.name} ({holder.kind})",
            field="gateway",
            received=gateway,
            conflicts=[{"range": holder.text, "owner": holder.name, "kind": "address record"}],
        )
    if not dhcp:
        return
    sheet = subnet.pool.sheet
    if not sheet.dhcp:
        raise NoDhcp(
            f"rule sheet {sheet.name} of pool {subnet.pool.name} does not allow DHCP: record static addresses instead",
            field="dhcp",
            received=dhcp,
            rule=f"{sheet.name}: no DHCP",
        )
    block = next((b for b in blocks if b.family == (6 if ":" in dhcp else 4)), blocks[0])
    gateway_there = address if block == home else gateway_of(subnet, block)
    taken = {a.address: a.name for a in subnet.addresses.filter(family=block.family)}
    dhcp_range(Inside(block, rules_of(subnet, block.family), gateway_there), dhcp, taken)


def _name_servers(given: list[str]) -> list[str]:
    """Addresses of name servers, each once, in RFC 5952 form."""
    if len(given) > 8:
        raise Invalid("8 name servers at most", field="name_servers", received=len(given))
    try:
        return list(dict.fromkeys(address_text(*parse_address(text)) for text in given))
    except Refusal as refusal:
        raise refusal.about("name_servers")
