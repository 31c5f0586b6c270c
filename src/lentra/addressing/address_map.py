"""Inside a block: which address is for what.

An address is withheld by the rule sheet (the network and broadcast address among them), the gateway's, part of
the DHCP range, taken by a record, or open for static use. The parts of a block are stretches that cover it
exactly once, so totals add up.
"""

from __future__ import annotations

import itertools
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass

from lentra.addressing.prefix import Prefix, address_text, parse_address, parse_range, range_text
from lentra.addressing.refusal import BadAddress, Exhausted, Refusal
from lentra.addressing.rules import FamilyRules

GATEWAY_RULES = ("none", "first", "last")


@dataclass(frozen=True, slots=True)
class Stretch:
    """first..last (both included) for one purpose: network, withheld, gateway, service, host, virtual, dhcp,
    static or broadcast. `name` is that of the record, if one record has the stretch."""

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
        dhcp: first and last address of its DHCP range, if it has one.
    """

    block: Prefix
    rules: FamilyRules
    gateway: int | None = None
    dhcp: tuple[int, int] | None = None

    @property
    def low(self) -> int:
        """The first address that hosts can have."""
        return self.block.first + self.rules.head

    @property
    def high(self) -> int:
        """The last address that hosts can have; below `low` if there is none."""
        return self.block.last - self.rules.tail

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
        family, address = parse_address(rule)
    except Refusal:
        raise BadAddress(
            f"{rule!r} is not a gateway: none, first, last, or an address of {block}",
            field="gateway",
            received=rule,
            suggestions=[*GATEWAY_RULES, address_text(block.family, min(inside.low, block.last))],
        )
    fault = None
    if family != block.family or not block.first <= address <= block.last:
        fault = f"is outside {block}: a gateway has an address of its block"
    elif address == block.first and rules.head:
        fault = f"is the {'network' if family == 4 else 'subnet-router anycast'} address of {block}"
    elif family == 4 and address == block.last and rules.tail:
        fault = f"is the broadcast address of {block}"
    if fault:
        raise BadAddress(
            f"{rule} {fault}",
            field="gateway",
            received=rule,
            rule="a gateway has an address of its block that is neither the first nor the broadcast address",
            suggestions=[address_text(block.family, min(inside.low, block.last))],
        )
    return address


def dhcp_range(inside: Inside, text: str, taken: Mapping[int, str]) -> tuple[int, int]:
    """Read and check a DHCP range.

    Args:
        taken: addresses that records have, with their names.

    Raises:
        BadPrefix: reversed, or no range.
        BadAddress: outside the block, over withheld addresses, over the gateway, or over a record.
    """
    try:
        family, first, last = parse_range(text)
    except Refusal as refusal:
        raise refusal.about("dhcp")
    usable = f"{address_text(inside.block.family, inside.low)}-{address_text(inside.block.family, inside.high)}"
    fault = None
    if family != inside.block.family or first < inside.block.first or last > inside.block.last:
        fault = f"is outside {inside.block}"
    elif first < inside.low or last > inside.high:
        fault = f"covers addresses that the rule sheet withholds; usable are {usable}"
    elif inside.gateway is not None and first <= inside.gateway <= last:
        fault = f"covers the gateway, {address_text(family, inside.gateway)}"
    else:
        over = sorted(address for address in taken if first <= address <= last)
        if over:
            names = ", ".join(f"{address_text(family, a)} ({taken[a]})" for a in over[:3])
            fault = f"covers addresses that records have: {names}" + (" and more" if len(over) > 3 else "")
    if fault:
        raise BadAddress(
            f"the DHCP range {text} {fault}",
            field="dhcp",
            received=text,
            rule="a DHCP range holds usable addresses that nothing else has",
            suggestions=[widest] if (widest := widest_dhcp(inside, taken)) else [],
        )
    return first, last


def widest_dhcp(inside: Inside, taken: Iterable[int]) -> str | None:
    """The widest run of usable addresses that neither the gateway nor a record has, as text; None without any."""
    stops = sorted({*taken, *([inside.gateway] if inside.gateway is not None else [])})
    best: tuple[int, int] | None = None
    start = inside.low
    for stop in [*[s for s in stops if inside.low <= s <= inside.high], inside.high + 1]:
        if stop > start and (best is None or stop - start > best[1] - best[0] + 1):
            best = (start, stop - 1)
        start = stop + 1
    return range_text(inside.block.family, *best) if best else None


def refuse_address(inside: Inside, address: int, *, gateway: bool = False) -> None:
    """Refuse an address that a record cannot have.

    Args:
        gateway: the record is the gateway's, so a withheld address will do.

    Raises:
        BadAddress: outside the block, withheld, or inside the DHCP range.
    """
    block, shown = inside.block, address_text(inside.block.family, address)
    fault, rule = None, ""
    if not block.first <= address <= block.last:
        fault, rule = f"is outside {block}", "an address record lies in a block of its subnet"
    elif inside.withholds(address) and not gateway:
        fault = "is withheld by the rule sheet"
        rule = f"withheld: {inside.rules.head} at the head, {inside.rules.tail} at the tail"
    elif inside.dhcp and inside.dhcp[0] <= address <= inside.dhcp[1]:
        fault, rule = f"is inside the DHCP range {range_text(block.family, *inside.dhcp)}", "DHCP hands it out"
    if fault:
        raise BadAddress(f"{shown} {fault}", field="address", received=shown, rule=rule)


def next_free(inside: Inside, taken: Iterable[int], count: int = 1) -> list[int]:
    """The lowest `count` addresses open for static use.

    Raises:
        Exhausted: there are not so many; says how the block is full.
    """
    busy = set(taken)
    if inside.gateway is not None:
        busy.add(inside.gateway)
    found: list[int] = []
    at = inside.low
    while at <= inside.high and len(found) < count:
        if inside.dhcp and inside.dhcp[0] <= at <= inside.dhcp[1]:
            at = inside.dhcp[1] + 1
            continue
        if at not in busy:
            found.append(at)
        at += 1
    if len(found) < count:
        dhcp = inside.dhcp[1] - inside.dhcp[0] + 1 if inside.dhcp else 0
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
    if inside.gateway is not None:
        name = single.get(inside.gateway, ("", ""))[1]
        single[inside.gateway] = ("gateway", name)
    borders = {block.first, block.last + 1, inside.low, inside.high + 1, block.first + 1, block.last}
    if inside.dhcp:
        borders |= {inside.dhcp[0], inside.dhcp[1] + 1}
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
            return "network", ""
        return ("broadcast", "") if block.family == 4 and address == block.last else ("withheld", "")
    if inside.dhcp and inside.dhcp[0] <= address <= inside.dhcp[1]:
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
