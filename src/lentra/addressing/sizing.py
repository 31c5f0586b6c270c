"""From a number of hosts to a prefix length, and from a prefix to what it carries."""

from __future__ import annotations

from dataclasses import dataclass

from lentra.addressing.prefix import BITS, Prefix, address_text
from lentra.addressing.refusal import HostsDoNotFit, LengthOutOfBounds, Refusal
from lentra.addressing.rules import FamilyRules, RuleSheet
from lentra.addressing.special import kind_of_space

MOST_HOSTS = 1 << 32


@dataclass(frozen=True, slots=True)
class Size:
    """A size that was worked out. All counts are addresses.

    `needed` is hosts with growth; `spare` is what stays usable beyond it.
    """

    family: int
    length: int
    total: int
    withheld: int
    usable: int
    needed: int
    spare: int
    why_not_smaller: str


@dataclass(frozen=True, slots=True)
class RangeSize:
    """A range of a pool, counted in subnets of `unit` length."""

    family: int
    length: int
    unit: int
    holds: int
    needed: int
    spare: int
    why_not_smaller: str


def hosts_with_growth(hosts: int, growth: int = 0) -> int:
    """ceil(hosts x (100 + growth) / 100), on whole numbers.

    >>> hosts_with_growth(110, 10)
    121
    """
    return -(-hosts * (100 + growth) // 100)


def size_by_hosts(
    hosts: int, sheet: RuleSheet, *, growth: int = 0, fixed: int = 0, length: int | None = None, family: int = 4
) -> Size:
    """The smallest block for a number of hosts, or a check of a given length.

    Args:
        hosts: addresses that hosts need, 1 or more.
        growth: percent on top, 0 to 1000.
        fixed: further addresses that do not grow with the hosts: gateways, balancers. What the platform takes for itself
            comes on top.
        length: a length asked for all the same; may be wider than needed, never too small.

    Raises:
        Refusal: hosts or growth out of range.
        HostsDoNotFit: `length` is too small; suggests the least that does.
        LengthOutOfBounds: the block that is needed is wider than the sheet allows.
    """
    _check_counts(hosts, growth)
    if not 0 <= fixed <= 10_000:
        raise Refusal(f"{fixed:,} fixed addresses: 0 to 10,000", field="fixed", received=fixed, suggestions=[0])
    rules = sheet.family(family)
    fixed += sheet.taken(family)
    needed = hosts_with_growth(hosts, growth) + fixed
    least = BITS[family] - (needed + rules.withheld - 1).bit_length()
    if least < rules.shortest:
        most = rules.usable_of(1 << (BITS[family] - rules.shortest))
        raise LengthOutOfBounds(
            f"{needed:,} hosts need a /{least}, but rule sheet {sheet.name} allows no subnet wider than "
            f"/{rules.shortest}, which has {most:,} usable addresses",
            field="hosts",
            received=hosts,
            rule=f"{sheet.name}: shortest IPv{family} subnet /{rules.shortest}",
            suggestions=[n, _several(hosts, n, rules.shortest)]
            if (n := max(0, most - fixed) * 100 // (100 + growth))
            else [],
        )
    chosen = min(least, rules.longest) if length is None else length
    sheet.check_subnet_length(family, chosen)
    if chosen > least:
        block = 1 << (BITS[family] - chosen)
        raise HostsDoNotFit(
            f"{needed:,} hosts do not fit a /{chosen}, which has {rules.usable_of(block):,} usable "
            f"addresses under {sheet.name}: /{least} is the least",
            field="length",
            received=f"/{chosen}",
            rule=f"{sheet.name} withholds {rules.withheld} addresses of a subnet",
            suggestions=[f"/{least}"],
        )
    return _size(family, chosen, rules, needed, sheet.name)


def _several(hosts: int, most: int, length: int) -> str:
    """How many of the widest subnets hold more hosts than one of them does."""
    count = -(-hosts // most)
    return f"{count:,} × /{length}, each for {-(-hosts // count):,} hosts"


def spread_over_zones(hosts: int, zones: int) -> int:
    """Hosts that each zone must carry so that any one zone may fail: ceil(hosts / (zones - 1)).

    >>> spread_over_zones(181, 3)
    91

    Raises:
        Refusal: with one zone, nothing would survive.
    """
    if zones < 2:
        raise Refusal(
            f"{zones} zone{'' if zones == 1 else 's'} cannot lose one: nothing would survive; spread over 2 or more",
            field="zones",
            received=zones,
            rule="so that one zone may fail, the others carry all hosts",
            suggestions=[2, 3],
        )
    return -(-hosts // (zones - 1))


def size_by_subnets(subnets: int, sheet: RuleSheet, *, growth: int = 0, family: int = 6) -> RangeSize:
    """The smallest range of a pool that holds a number of subnets of the sheet's longest length.

    Raises:
        LengthOutOfBounds: the sheet allows no range that wide.
    """
    _check_counts(subnets, growth, "subnets")
    rules = sheet.family(family)
    needed = hosts_with_growth(subnets, growth)
    fitting = rules.longest - (needed - 1).bit_length()
    length = min(fitting, rules.range_longest)
    if length < rules.range_shortest:
        most = 1 << (rules.longest - rules.range_shortest)
        raise LengthOutOfBounds(
            f"{needed:,} subnets of /{rules.longest} need a /{fitting}, but rule sheet {sheet.name} allows no IPv{family} "
            f"range wider than /{rules.range_shortest}, which has {most:,}",
            field="subnets",
            received=subnets,
            rule=f"{sheet.name}: shortest IPv{family} range /{rules.range_shortest}",
            suggestions=[most * 100 // (100 + growth)],
        )
    holds = 1 << (rules.longest - length)
    if length < fitting:
        why = f"rule sheet {sheet.name} allows no IPv{family} range smaller than /{rules.range_longest}"
    else:
        why = f"/{length + 1} has {holds >> 1:,} × /{rules.longest}, {needed:,} are needed"
    return RangeSize(family, length, rules.longest, holds, needed, holds - needed, why)


def size_of_length(length: int, sheet: RuleSheet, *, family: int = 4) -> Size:
    """What a length carries, when nothing is said about hosts.

    Raises:
        LengthOutOfBounds: the sheet does not allow it.
    """
    sheet.check_subnet_length(family, length)
    return _size(family, length, sheet.family(family), 0, sheet.name)


def _size(family: int, length: int, rules: FamilyRules, needed: int, sheet: str) -> Size:
    total = 1 << (BITS[family] - length)
    usable = rules.usable_of(total)
    if needed == 0:
        why = "the length was given"
    elif length >= rules.longest:
        why = f"rule sheet {sheet} allows no subnet smaller than /{rules.longest}"
    else:
        smaller = rules.usable_of(total >> 1)
        if smaller >= needed:
            why = f"/{length + 1} would do: it has {smaller:,} usable, {needed:,} are needed"
        else:
            verb = "is" if needed == 1 else "are"
            why = f"/{length + 1} has {smaller:,} usable, {needed:,} {verb} needed"
    return Size(family, length, total, rules.withheld, usable, needed, usable - needed, why)


def _check_counts(hosts: int, growth: int, what: str = "hosts") -> None:
    if not 1 <= hosts <= MOST_HOSTS:
        raise Refusal(
            f"{hosts:,} is not a valid number of {what}: 1 to {MOST_HOSTS:,}",
            field=what,
            received=hosts,
            suggestions=[max(1, min(hosts, MOST_HOSTS))],
        )
    if not 0 <= growth <= 1000:
        raise Refusal(
            f"growth of {growth} % is out of range: 0 to 1000",
            field="growth",
            received=growth,
            suggestions=[max(0, min(growth, 1000))],
        )


@dataclass(frozen=True, slots=True)
class Explanation:
    """All plain facts about a prefix. Addresses are text; counts are addresses unless said otherwise."""

    prefix: str
    family: int
    total: int
    withheld: int
    usable: int
    first: str
    last: str
    first_usable: str | None
    last_usable: str | None
    netmask: str | None
    wildcard: str | None
    fixed_bits: int
    free_bits: int
    space: str
    gateways: list[str]
    enclosing: list[str]
    children: dict[int, int]
    reverse_names: list[str]


def explain(block: Prefix, sheet: RuleSheet) -> Explanation:
    """Everything that follows from a prefix and a rule sheet.

    `netmask` and `wildcard` are of IPv4 alone; `fixed_bits` are the same in all its addresses, `free_bits` differ.
    `space` is private, shared (RFC 6598), public or mixed. `gateways` are the usual candidates: the first and the last
    usable address. `enclosing` are the next
    four wider prefixes, `children` the number of blocks per longer length (up to 8 bits, and /64).
    """
    rules = sheet.family(block.family)
    usable = rules.usable(block)
    first = address_text(block.family, block.first + rules.head) if usable else None
    last = address_text(block.family, block.last - rules.tail) if usable else None
    lengths = set(range(block.length + 1, min(block.length + 8, block.bits) + 1))
    if block.family == 6 and block.length < 64:
        lengths.add(64)
    return Explanation(
        prefix=str(block),
        family=block.family,
        total=block.size,
        withheld=min(rules.withheld, block.size),
        usable=usable,
        first=address_text(block.family, block.first),
        last=address_text(block.family, block.last),
        first_usable=first,
        last_usable=last,
        netmask=address_text(4, (1 << 32) - block.size) if block.family == 4 else None,
        wildcard=address_text(4, block.size - 1) if block.family == 4 else None,
        fixed_bits=block.length,
        free_bits=block.bits - block.length,
        space=kind_of_space(block),
        gateways=list(dict.fromkeys(a for a in (first, last) if a)),
        enclosing=[str(block.enclosing(n)) for n in range(block.length - 1, max(-1, block.length - 5), -1)],
        children={n: 1 << (n - block.length) for n in sorted(lengths)},
        reverse_names=block.reverse_names(),
    )
