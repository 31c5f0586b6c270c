"""Rule sheets in force: what of a pool, and of what lives in it, would break under other rules, and how to mend it."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from itertools import islice
from typing import Any

from django.db.models import Q

from lentra.addressing.address_map import Inside, gateway_address, refuse_address
from lentra.addressing.dhcp import dhcp_ranges, span_text, spans_in
from lentra.addressing.prefix import Prefix, parse_address
from lentra.addressing.refusal import BadAddress, Refusal
from lentra.addressing.rules import FamilyRules, RuleSheet, span
from lentra.addressing.sizing import hosts_with_growth
from lentra.registry.errors import BreaksRules
from lentra.registry.models import Address, ExtentRow, Pool, Subnet
from lentra.registry.models.subnets import BLOCK_STATES

MOST_TOLD = 200

Break = dict[str, Any]


def refuse_breaks(sheet: RuleSheet, pools: Sequence[Pool], field: str, before: RuleSheet | None = None) -> None:
    """Refuse rules under which something that is there would break.

    Args:
        before: the rules in force until now, the same for all pools: what is not narrower than these is not looked at.

    Raises:
        BreaksRules: lists what would break, each with a way to mend it.
    """
    found = list(islice(what_breaks(sheet, pools, before), MOST_TOLD + 1))
    if not found:
        return
    more = len(found) - 1
    others = (
        f", and {'more than ' if more >= MOST_TOLD else ''}{min(more, MOST_TOLD)} more would break" if more else ""
    )
    raise BreaksRules(
        f"{found[0]['owner']} would break under rule sheet {sheet.name}: {found[0]['why']}{others}",
        field=field,
        received=sheet.name,
        rule="what is there keeps to the rules of its pool",
        conflicts=found[:MOST_TOLD],
        suggestions=list(dict.fromkeys(one["mend"] for one in found[:8])),
    )


def what_breaks(sheet: RuleSheet, pools: Sequence[Pool], before: RuleSheet | None = None) -> Iterator[Break]:
    """What would break: first ranges of pools, then blocks, then what is inside them."""
    for pool in pools:
        yield from _ranges(sheet, pool)
    numbers = [pool.pk for pool in pools]
    for family, rules in ((4, sheet.v4), (6, sheet.v6)):
        if rules is not None:
            yield from _lengths(sheet.name, numbers, family, rules)
    subnets = Subnet.objects.filter(pool__in=numbers).exclude(state="cooling").order_by("place")
    if sheet.tag_needed and not (before and before.tag_needed):
        for subnet in subnets.filter(tag=None).prefetch_related("extents"):
            yield _of_subnet(subnet, "it has no segment tag", f"give {subnet.name} a segment tag")
    if sheet.ipv6_needs_ipv4 and not (before and before.ipv6_needs_ipv4):
        alone = subnets.filter(place__startswith="6")  # sorted by IPv4 where there is any
        for subnet in alone.prefetch_related("extents"):
            yield _of_subnet(subnet, "it has IPv6 alone", f"replace {subnet.name} by a subnet with both families")
    if not sheet.dhcp and (before is None or before.dhcp):
        for subnet in subnets.exclude(dhcp="").prefetch_related("extents"):
            yield _of_subnet(subnet, "it has a DHCP range", f"take the DHCP range out of {subnet.name}")
    yield from _insides(sheet, numbers, before)


def _ranges(sheet: RuleSheet, pool: Pool) -> Iterator[Break]:
    ranges = [row.prefix for row in pool.ranges.all()]
    for prefix in ranges:
        try:
            sheet.check_range(prefix)
        except Refusal as refusal:
            mend = f"take {prefix} out of pool {pool.name}, or change it"
            yield _told(str(prefix), "pool", pool.name, pool.pk, refusal.message, mend)
    for family, rules in ((4, sheet.v4), (6, sheet.v6)):
        ours = [prefix for prefix in ranges if prefix.family == family]
        most = rules.max_ranges if rules else None
        if most is not None and len(ours) > most:
            why = f"it has {len(ours)} IPv{family} ranges, and {most} are allowed"
            yield _told(str(ours[-1]), "pool", pool.name, pool.pk, why, f"take {ours[-1]} out of pool {pool.name}")


def _lengths(name: str, pools: Sequence[int], family: int, rules: FamilyRules) -> Iterator[Break]:
    rows = ExtentRow.objects.filter(pool__in=pools, family=family, state__in=BLOCK_STATES)
    out = rows.exclude(length__range=(rules.shortest, rules.longest)).select_related("subnet").order_by("first")
    for row in out[: MOST_TOLD + 1]:
        assert row.subnet
        why = f"{row.prefix} is a /{row.length}, and {name} allows {span(rules.shortest, rules.longest)}"
        way = (
            f"grow {row.subnet.name} to /{rules.longest}"
            if row.length > rules.longest
            else f"shrink {row.subnet.name}"
        )
        yield _told(str(row.prefix), "subnet", row.subnet.name, row.subnet.pk, why, f"{way}, or replace it")


def _insides(sheet: RuleSheet, pools: Sequence[int], before: RuleSheet | None) -> Iterator[Break]:
    """What stands on addresses that would be withheld, and hosts that would fit no more."""
    until_now = (before.v4, before.v6) if before else (None, None)
    narrower = [
        family
        for family, rules, was in ((4, sheet.v4, until_now[0]), (6, sheet.v6, until_now[1]))
        if rules
        and (was is None or rules.head > was.head or rules.tail > was.tail or _takes_more(sheet, before, family))
    ]
    if not narrower:
        return
    matters = Q(hosts__isnull=False) | ~Q(dhcp="") | ~Q(gateway__in=("none", "first", "last"))
    recorded = Address.objects.filter(subnet__pool__in=pools, family__in=narrower).values("subnet")
    rows = (
        Subnet.objects.filter(matters | Q(pk__in=recorded), pool__in=pools)
        .exclude(state="cooling")
        .order_by("place")
    )
    for subnet in rows.prefetch_related("extents", "addresses").iterator(chunk_size=1000):
        for family in narrower:
            yield from _inside(
                sheet, subnet, family, [block for block in subnet.blocks() if block.family == family]
            )


def _takes_more(sheet: RuleSheet, before: RuleSheet | None, family: int) -> bool:
    return before is not None and sheet.taken(family) > before.taken(family)


def _inside(sheet: RuleSheet, subnet: Subnet, family: int, blocks: Iterable[Prefix]) -> Iterator[Break]:
    rules, usable = sheet.family(family), 0
    for block in blocks:
        usable += rules.usable(block)
        inside = Inside(block, rules)
        for record in subnet.addresses.all():
            if record.family == family and block.first <= record.address <= block.last:
                try:
                    refuse_address(inside, record.address, gateway=record.kind in ("gateway", "dhcp-service"))
                except BadAddress as refusal:
                    yield _of_subnet(
                        subnet, f"{refusal.message} ({record.name})", f"move {record.name} to another address"
                    )
        try:
            gateway_address(block, rules, subnet.gateway if _lies_in(subnet.gateway, block) else "none")
            dhcp_ranges(inside, [span_text(family, *span) for span in spans_in(inside, subnet.dhcp_ranges)], {})
        except BadAddress as refusal:
            yield _of_subnet(subnet, refusal.message, f"change the {refusal.field} of {subnet.name}")
    needed = hosts_with_growth(subnet.hosts or 0, subnet.growth) + sheet.taken(family)
    if family == 4 and subnet.hosts and usable and needed > usable:
        why = f"it is meant for {needed:,} addresses, and {usable:,} would be usable"
        yield _of_subnet(subnet, why, f"grow {subnet.name}")


def _lies_in(address: str, block: Prefix) -> bool:
    if address in ("none", "first", "last"):
        return False
    family, number = parse_address(address)
    return family == block.family and block.first <= number <= block.last


def _of_subnet(subnet: Subnet, why: str, mend: str) -> Break:
    return _told(", ".join(str(block) for block in subnet.blocks()), "subnet", subnet.name, subnet.pk, why, mend)


def _told(where: str, kind: str, owner: str, number: int, why: str, mend: str) -> Break:
    return {"range": where, "kind": kind, "owner": owner, "id": number, "why": why, "mend": mend}
