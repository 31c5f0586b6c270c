"""Rename and relabel a subnet, and edit what else may be said about it."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import Any

from lentra.addressing.address_map import Inside, gateway_address, next_free, own_address
from lentra.addressing.dhcp import dhcp_ranges, span_text, spans_in
from lentra.addressing.prefix import Prefix, address_text, parse_address, parse_range
from lentra.addressing.refusal import BadAddress, Exhausted, HostsDoNotFit, Refusal
from lentra.addressing.sizing import hosts_with_growth
from lentra.registry.errors import AddressTaken, Frozen, Invalid, NoDhcp
from lentra.registry.lookup.insides import gateway_of, rules_of
from lentra.registry.lookup.target import target_of
from lentra.registry.models import IPV6_HOSTS, Address, Subnet
from lentra.registry.operations.subnets.opened import locked_subnet
from lentra.registry.rules.names import (
    check_name,
    name_values,
    refuse_off_pattern,
    refuse_taken_subnet_name,
    split_name,
)
from lentra.registry.rules.permissions import require
from lentra.registry.rules.quotas import Take, refuse_over_quota
from lentra.registry.rules.tags import Tags, check_tag, no_tag, wanted_tag
from lentra.registry.transactions.change import Change

EDITABLE = (
    *("name", "purpose", "notes", "labels", "hosts", "growth", "service"),
    *("tag", "outer_tag", "gateway", "dhcp", "dhcp_excluded", "dhcp_service"),
    *("ipv6_hosts", "name_servers", "dns_suffix", "exposure"),
)
INSIDE = ("gateway", "dhcp", "dhcp_excluded", "dhcp_service")  # that stand on addresses of its blocks
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
        refuse_off_pattern(
            subnet.pool.realm.name_pattern, values["name"], name_values(target_of(subnet), subnet.pool)
        )
        refuse_taken_subnet_name(change, subnet.realm_id, values["name"], besides=subnet.pk)
        lengths = [block.length for block in subnet.blocks()]
        values["name_stem"], values["name_number"] = split_name(values["name"], lengths=lengths)
    if subnet.service and values.get("service", subnet.service) != subnet.service:
        require(change.actor, "planner", f"open a subnet that is kept for {subnet.service} to others")
    if {"tag", "outer_tag"} & set(values):
        values |= _tagged(change, subnet, values)
    change.edited(subnet, **checked_inside(subnet, values))
    return subnet


def checked_inside(subnet: Subnet, values: dict[str, Any]) -> dict[str, Any]:
    """Values of a subnet, those of what is fixed inside it as they are kept.

    Raises:
        HostsDoNotFit, BadAddress, AddressTaken, NoDhcp, Invalid: its blocks cannot have them.
    """
    values = dict(values)
    if {"hosts", "growth"} & set(values):
        _check_hosts(subnet, values)
    if set(INSIDE) & set(values):
        values |= check_inside(subnet, values)
    if "ipv6_hosts" in values:
        _check_ipv6_hosts(subnet, values["ipv6_hosts"])
    if "name_servers" in values:
        values["name_servers"] = _name_servers(values["name_servers"])
    if values.get("dns_suffix"):
        values["dns_suffix"] = _suffix(values["dns_suffix"])
    return values


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
        number = Tags(change, place, outer).take(number, subnet.name, tier=subnet.tier)
        if subnet.tag is None:
            refuse_over_quota(change, subnet.project, [Take(subnet.pool, subnet.region_id, tags=1)])
        if differing := [member.name for member in subnet.members.filter(tag__isnull=False).exclude(tag=number)]:
            change.note(f"its tag differs at {', '.join(differing[:8])}: change it there as well")
    return {"tag": number, "outer_tag": outer, "tag_scope": place.pk}


def check_inside(subnet: Subnet, values: dict[str, Any]) -> dict[str, Any]:
    """Gateway and DHCP as they are kept.

    Raises:
        BadAddress, AddressTaken, NoDhcp: the subnet's blocks cannot have them.
    """
    blocks = subnet.blocks()
    gateway = values.get("gateway", subnet.gateway)
    home = next((b for b in blocks if b.family == (6 if ":" in gateway else 4)), blocks[0])
    address = gateway_address(home, rules_of(subnet, home.family), gateway)
    if address is not None and "gateway" in values:
        _refuse_taken(list(subnet.addresses.all()), home.family, address, "gateway", "gateway")
    return values | _dhcp(subnet, values, home, address)


def _dhcp(subnet: Subnet, values: dict[str, Any], home: Prefix, gateway: int | None) -> dict[str, Any]:
    """DHCP ranges, exclusions and service as they are kept, if the subnet's blocks can have them."""
    ranges = _listed("dhcp", values.get("dhcp", subnet.dhcp_ranges))
    excluded = _listed("dhcp_excluded", values.get("dhcp_excluded", subnet.dhcp_exclusions if ranges else []))
    service = values.get("dhcp_service", subnet.dhcp_service if ranges else "")
    sheet = subnet.pool.sheet
    if (ranges or service) and not sheet.dhcp:
        raise NoDhcp(
            f"rule sheet {sheet.name} of pool {subnet.pool.name} does not allow DHCP: record static addresses instead",
            field="dhcp",
            received=", ".join(ranges) or service,
            rule=f"{sheet.name}: no DHCP",
        )
    _refuse_elsewhere(subnet, "dhcp", ranges)
    _refuse_elsewhere(subnet, "dhcp_excluded", excluded)
    _refuse_elsewhere(subnet, "dhcp_service", [service] if service else [])
    records = list(subnet.addresses.all())
    for family in (4, 6):
        for block in [block for block in subnet.blocks() if block.family == family]:
            rules = rules_of(subnet, family)
            inside = Inside(block, rules, gateway if block == home else gateway_of(subnet, block))
            taken = {record.address: record.name for record in records if record.family == family}
            ours, cuts = _lying_in(ranges, inside), _lying_in(excluded, inside)
            if sheet.dhcp_service and not service and ours and family == 4:
                spans = tuple(dhcp_ranges(inside, ours, taken, cuts))
                service = _service_for(subnet, replace(inside, dhcp=spans), taken)
            if service and _lies_in(service, block):
                address = own_address(block, rules, service, "dhcp_service")
                _refuse_taken(records, family, address, "dhcp_service", "dhcp-service")
                inside = replace(inside, dhcp_service=address)
            dhcp_ranges(inside, ours, taken, cuts)
    return {"dhcp": ", ".join(ranges), "dhcp_excluded": ", ".join(excluded), "dhcp_service": service}


def _service_for(subnet: Subnet, inside: Inside, taken: Mapping[int, str]) -> str:
    """The address of the DHCP service, where the rule sheet wants one and none is given."""
    try:
        return address_text(4, next_free(inside, taken)[0])
    except Exhausted:
        raise BadAddress(
            f"the DHCP ranges leave no address of {inside.block} for the DHCP service, which rule sheet "
            f"{subnet.pool.sheet.name} wants",
            field="dhcp",
            rule=f"{subnet.pool.sheet.name}: the DHCP service takes an address",
        )


def _listed(field: str, given: str | Sequence[str]) -> list[str]:
    """Ranges in the way they are written, each once."""
    texts = given.split(",") if isinstance(given, str) else given
    try:
        return list(dict.fromkeys(span_text(*parse_range(text.strip())) for text in texts if text.strip()))
    except Refusal as refusal:
        raise refusal.about(field)


def _lying_in(texts: Sequence[str], inside: Inside) -> list[str]:
    family = inside.block.family
    return [span_text(family, *span) for span in spans_in(inside, texts)]


def _lies_in(text: str, block: Prefix) -> bool:
    family, first, _ = parse_range(text)
    return family == block.family and block.first <= first <= block.last


def _refuse_elsewhere(subnet: Subnet, field: str, texts: Sequence[str]) -> None:
    """Refuse what lies in no block of the subnet."""
    for text in texts:
        if not any(_lies_in(text, block) for block in subnet.blocks()):
            blocks = ", ".join(str(block) for block in subnet.blocks())
            raise BadAddress(
                f"{text} is outside {blocks}",
                field=field,
                received=text,
                rule="what is inside a subnet lies in a block",
            )


def _refuse_taken(records: Sequence[Address], family: int, address: int | None, field: str, kind: str) -> None:
    """Refuse an address that another kind of record has."""
    holder = next((r for r in records if (r.family, r.address) == (family, address) and r.kind != kind), None)
    if holder:
        raise AddressTaken(
            f"{holder.text} is taken by {holder.name} ({holder.kind})",
            field=field,
            received=holder.text,
            conflicts=[{"range": holder.text, "owner": holder.name, "kind": "address record"}],
        )


def _check_ipv6_hosts(subnet: Subnet, how: str) -> None:
    """Refuse a way for hosts to get IPv6 addresses that the subnet cannot have."""
    blocks = [block for block in subnet.blocks() if block.family == 6]
    sheet, fault, rule = subnet.pool.sheet, None, ""
    if how not in ("", *IPV6_HOSTS):
        fault, rule = f"{how!r} is not a way for hosts to get their addresses", "slaac, dhcpv6 or both"
    elif how and not blocks:
        fault, rule = f"subnet {subnet.name} has no IPv6 block", "hosts get IPv6 addresses in an IPv6 block"
    elif how in ("slaac", "both") and any(block.length != 64 for block in blocks):
        fault = f"{blocks[0]} is no /64, so hosts cannot number themselves in it"
        rule = "interface identifiers have 64 bits (RFC 4862, section 5.5.3; RFC 4291, section 2.5.1)"
    elif how in ("dhcpv6", "both") and not sheet.dhcp:
        fault, rule = f"rule sheet {sheet.name} does not allow DHCP", f"{sheet.name}: no DHCP"
    if fault:
        raise Invalid(fault, field="ipv6_hosts", received=how, rule=rule, suggestions=["dhcpv6"] if blocks else [])


def _name_servers(given: list[str]) -> list[str]:
    """Addresses of name servers, each once, in RFC 5952 form."""
    if len(given) > 8:
        raise Invalid("8 name servers at most", field="name_servers", received=len(given))
    try:
        return list(dict.fromkeys(address_text(*parse_address(text)) for text in given))
    except Refusal as refusal:
        raise refusal.about("name_servers")
