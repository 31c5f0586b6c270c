"""Inside a block: which address is for what.

An address is withheld by the rule sheet (the network and broadcast address among them), the gateway's, the DHCP
service's, handed out by DHCP, taken by a record, or open for static use. The parts of a block are stretches that cover it
exactly once, so totals add up.
"""

from __future__ import annotations

import itertools
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass

from lentra.addressing.prefix import Prefix, address_text, parse_address, range_text
from lentra.addressing.refusal import BadAddress, Exhausted, Refusal
from lentra.addressing.rules import FamilyRules

GATEWAY_RULES = ("none", "first", "last")


@dataclass(frozen=True, slots=True)
class Stretch:
    """first..last (both included) for one purpose: network (IPv4), anycast (IPv6), withheld, gateway, dhcp,
    dhcp-service, static, broadcast, or the kind of a record. `name` is that of the record, if one has the stretch."""

    family: int
    first: int
    last: int
    purpose: str
    name: str = ""

    @property
    def addresses(self) -> int:
        """Number of addresses."""
        return self.last - self.first + 1

    def __str__(self) -> str:
        if self.first == self.last:
            return address_text(self.family, self.first)
        return range_text(self.family, self.first, self.last)


@dataclass(frozen=True, slots=True)
class Inside:
    """A block with what is fixed in it.

    Args:
        gateway: its gateway's address, if it has one.
        dhcp: first and last address of each stretch that DHCP hands out, in order, exclusions taken out.
        dhcp_service: the address of its DHCP service, if it has one there.
    """

    block: Prefix
    rules: FamilyRules
    gateway: int | None = None
    dhcp: tuple[tuple[int, int], ...] = ()
    dhcp_service: int | None = None

    @property
    def low(self) -> int:
        """The first address that hosts can have."""
        return self.block.first + self.rules.head

    @property
    def high(self) -> int:
        """The last address that hosts can have; below `low` if there is none."""
        return self.block.last - self.rules.tail

    @property
    def fixed(self) -> list[int]:
        """The addresses of gateway and DHCP service."""
        return [address for address in (self.gateway, self.dhcp_service) if address is not None]

    def dhcp_over(self, address: int) -> tuple[int, int] | None:
        """The stretch of DHCP that an address lies in."""
        return next((part for part in self.dhcp if part[0] <= address <= part[1]), None)

    def withholds(self, address: int) -> bool:
        """True if the rule sheet withholds the address."""
        return self.block.first <= address < self.low or self.high < address <= self.block.last


def gateway_address(block: Prefix, rules: FamilyRules, rule: str) -> int | None:
    """The gateway's address by a rule: ``none``, ``first`` or ``last`` usable, or an address given.

    A gateway may be an address that the rule sheet withholds: the sheet often withholds it for just that.

    Raises:
        BadAddress: the address given is not in the block, or the block has no usable address.
    """
    if rule == "none":
        return None
    inside = Inside(block, rules)
    if rule in ("first", "last"):
        if inside.high < inside.low:
            raise BadAddress(
                f"{block} has no usable address for a gateway",
                field="gateway",
                received=rule,
                suggestions=["none"],
            )
        return inside.low if rule == "first" else inside.high
    try:
        address = own_address(block, rules, rule, "gateway")
    except BadAddress:
        raise
    except Refusal:
        raise BadAddress(
            f"{rule!r} is not a gateway: none, first, last, or an address of {block}",
            field="gateway",
            received=rule,
            suggestions=[*GATEWAY_RULES, address_text(block.family, min(inside.low, block.last))],
        )
    return address


def own_address(block: Prefix, rules: FamilyRules, text: str, what: str) -> int:
    """An address given for a block's own use: its gateway, its DHCP service. It may be one that the sheet withholds.

    Args:
        what: the field that it is for.

    Raises:
        BadPrefix: it is no address.
        BadAddress: it is not in the block, or is its network, subnet-router anycast (RFC 4291, section 2.6.1) or broadcast
            address.
    """
    family, address = parse_address(text)
    words = what.replace("_", " ").replace("dhcp", "DHCP")
    fault = None
    if family != block.family or not block.first <= address <= block.last:
        fault = f"is outside {block}: a {words} has an address of its block"
    elif address == block.first and rules.head:
        fault = f"is the {'network' if family == 4 else 'subnet-router anycast'} address of {block}"
    elif family == 4 and address == block.last and rules.tail:
        fault = f"is the broadcast address of {block}"
    if fault:
        raise BadAddress(
            f"{text} {fault}",
            field=what,
            received=text,
            rule=f"a {words} has an address of its block that is neither the first nor the broadcast address",
            suggestions=[address_text(block.family, min(Inside(block, rules).low, block.last))],
        )
    return address


def refuse_address(inside: Inside, address: int, *, gateway: bool = False) -> None:
    """Refuse an address that a record cannot have.

    Args:
        gateway: the record is the gateway's or the DHCP service's, so a withheld address will do.

    Raises:
        BadAddress: outside the block, withheld, or handed out by DHCP.
    """
    block, shown = inside.block, address_text(inside.block.family, address)
    fault, rule = None, ""
    if not block.first <= address <= block.last:
        fault, rule = f"is outside {block}", "an address record lies in a block of its subnet"
    elif inside.withholds(address) and not gateway:
        fault = "is withheld by the rule sheet"
        rule = f"withheld: {inside.rules.head} at the head, {inside.rules.tail} at the tail"
    elif (part := inside.dhcp_over(address)) is not None:
        fault, rule = f"is inside the DHCP range {range_text(block.family, *part)}", "DHCP hands it out"
    if fault:
        raise BadAddress(f"{shown} {fault}", field="address", received=shown, rule=rule)


def next_free(inside: Inside, taken: Iterable[int], count: int = 1) -> list[int]:
    """The lowest `count` addresses open for static use.

    Raises:
        Exhausted: there are not so many; says how the block is full.
    """
    busy = {*taken, *inside.fixed}
    found: list[int] = []
    at = inside.low
    while at <= inside.high and len(found) < count:
        if (part := inside.dhcp_over(at)) is not None:
            at = part[1] + 1
            continue
        if at not in busy:
            found.append(at)
        at += 1
    if len(found) < count:
        dhcp = sum(last - first + 1 for first, last in inside.dhcp)
        raise Exhausted(
            f"{inside.block} has {len(found):,} free static addresses, {count:,} are wanted: "
            f"{len(busy):,} are taken, {dhcp:,} are the DHCP range's",
            field="count",
            received=count,
            suggestions=[len(found)] if found else ["grow the subnet"],
        )
    return found


def stretches(inside: Inside, records: Mapping[int, tuple[str, str]]) -> list[Stretch]:
    """The block as stretches in order; together they cover it exactly once.

    Args:
        records: address -> (kind, name).
    """
    return list(_joined(inside.block.family, _cuts(inside, records)))


def _cuts(inside: Inside, records: Mapping[int, tuple[str, str]]) -> Iterator[tuple[int, int, str, str]]:
    """Stretches in order, before equal neighbours are joined."""
    block = inside.block
    single: dict[int, tuple[str, str]] = {a: r for a, r in records.items() if block.first <= a <= block.last}
    for purpose, own in (("dhcp-service", inside.dhcp_service), ("gateway", inside.gateway)):
        if own is not None:
            single[own] = (purpose, single.get(own, ("", ""))[1])
    borders = {block.first, block.last + 1, inside.low, inside.high + 1, block.first + 1, block.last}
    for first, last in inside.dhcp:
        borders |= {first, last + 1}
    for address in single:
        borders |= {address, address + 1}
    ordered = sorted(b for b in borders if block.first <= b <= block.last + 1)
    for first, after in itertools.pairwise(ordered):
        yield first, after - 1, *_purpose(inside, first, single)


def _purpose(inside: Inside, address: int, single: Mapping[int, tuple[str, str]]) -> tuple[str, str]:
    block = inside.block
    if address in single:
        return single[address]
    if inside.withholds(address):
        if address == block.first:
            return ("network" if block.family == 4 else "anycast"), ""
        return ("broadcast", "") if block.family == 4 and address == block.last else ("withheld", "")
    if inside.dhcp_over(address) is not None:
        return "dhcp", ""
    return "static", ""


def _joined(family: int, cuts: Iterable[tuple[int, int, str, str]]) -> Iterator[Stretch]:
    waiting: Stretch | None = None
    for first, last, purpose, name in cuts:
        alike = waiting and waiting.purpose == purpose and purpose in ("withheld", "dhcp", "static")
        if waiting and alike:
            waiting = Stretch(family, waiting.first, last, purpose)
            continue
        if waiting:
            yield waiting
        waiting = Stretch(family, first, last, purpose, name)
    if waiting:
        yield waiting
