"""Rule sheets: the rules of a platform or site as data, per address family."""

from __future__ import annotations

from dataclasses import dataclass

from lentra.addressing.prefix import Prefix, parse_range
from lentra.addressing.refusal import ForbiddenRange, LengthOutOfBounds, WrongFamily


@dataclass(frozen=True, slots=True)
class FamilyRules:
    """The rules of one family on a sheet.

    Args:
        head: addresses withheld at the start of a subnet, the network address among them.
        tail: addresses withheld at its end.
        shortest, longest: bounds of a subnet's prefix length.
        range_shortest, range_longest: bounds of the length of a pool's range.
        max_ranges: how many ranges a pool may have in this family; None for no limit.
    """

    head: int
    tail: int
    shortest: int
    longest: int
    range_shortest: int
    range_longest: int
    max_ranges: int | None = None

    @property
    def withheld(self) -> int:
        """Addresses of a subnet that hosts cannot have."""
        return self.head + self.tail

    def usable(self, block: Prefix) -> int:
        """Addresses of a block that hosts can have, never below 0."""
        return self.usable_of(block.size)

    def usable_of(self, size: int) -> int:
        """The same of any block of that many addresses."""
        return max(0, size - self.withheld)


@dataclass(frozen=True, slots=True)
class RuleSheet:
    """One sheet. A family that is None is not served at all.

    Args:
        dhcp_service: where there is DHCP, its service takes an address of its own in every IPv4 subnet.
        workloads: those of a cluster's node, where nothing is said.
        gateway: where the gateway stands, where nothing is said: ``none``, ``first`` or ``last`` usable.
        zones: how many zones a plan should span at least; None for any number.
        forbidden: ranges (prefix, or first-last) that no pool under this sheet may have.
    """

    name: str
    v4: FamilyRules | None
    v6: FamilyRules | None
    about: str = ""
    ipv6_needs_ipv4: bool = False
    tag_needed: bool = False
    dhcp: bool = True
    workloads_min: int = 8
    workloads_max: int = 110
    workloads: int = 30
    dhcp_service: bool = False
    gateway: str = "none"
    zones: int | None = None
    forbidden: tuple[str, ...] = ()
    hd_threshold: str = "0.94"

    def family(self, family: int) -> FamilyRules:
        """The rules of a family.

        Raises:
            WrongFamily: the sheet has no rules for it.
        """
        rules = self.v4 if family == 4 else self.v6
        if rules is None:
            other = 6 if family == 4 else 4
            raise WrongFamily(f"rule sheet {self.name} has no IPv{family}", rule=f"{self.name}: IPv{other} only")
        return rules

    def taken(self, family: int) -> int:
        """Addresses of a subnet that the platform takes from those that hosts could have."""
        return 1 if family == 4 and self.dhcp and self.dhcp_service else 0

    def forbids(self, prefix: Prefix) -> str | None:
        """The first forbidden range that shares addresses with a prefix; None without one."""
        for text in self.forbidden:
            family, first, last = parse_range(text)
            if family == prefix.family and first <= prefix.last and last >= prefix.first:
                return text
        return None

    def check_range(self, prefix: Prefix) -> None:
        """Refuse a pool's range that the sheet does not allow.

        Raises:
            LengthOutOfBounds: with the nearest length allowed.
            ForbiddenRange: it shares addresses with a range that is forbidden there.
        """
        self.check_range_length(prefix.family, prefix.length)
        if (text := self.forbids(prefix)) is not None:
            raise ForbiddenRange(
                f"{prefix} shares addresses with {text}, which rule sheet {self.name} forbids",
                field="ranges",
                received=prefix,
                rule=f"{self.name}: {', '.join(self.forbidden)} forbidden",
                conflicts=[{"range": text, "kind": "forbidden range", "owner": f"rule sheet {self.name}"}],
                suggestions=[f"a range outside {', '.join(self.forbidden)}"],
            )

    def check_subnet_length(self, family: int, length: int) -> None:
        """Refuse a subnet length that the sheet does not allow.

        Raises:
            LengthOutOfBounds: with the nearest length allowed.
        """
        rules = self.family(family)
        self._check("subnets", "length", family, length, rules.shortest, rules.longest)

    def check_range_length(self, family: int, length: int) -> None:
        """Refuse a pool's range whose length the sheet does not allow.

        Raises:
            LengthOutOfBounds: with the nearest length allowed.
        """
        rules = self.family(family)
        self._check("ranges of a pool", "ranges", family, length, rules.range_shortest, rules.range_longest)

    def _check(self, what: str, field: str, family: int, length: int, shortest: int, longest: int) -> None:
        if not shortest <= length <= longest:
            bounds = span(shortest, longest)
            raise LengthOutOfBounds(
                f"/{length} is out of bounds: rule sheet {self.name} allows IPv{family} {what} {bounds}",
                field=field,
                received=f"/{length}",
                rule=f"{self.name}: IPv{family} {what} {bounds}",
                suggestions=[f"/{shortest if length < shortest else longest}"],
            )


def span(shortest: int, longest: int) -> str:
    """Bounds in words: ``/18 to /28``, or ``/64 only``."""
    return f"/{shortest} only" if shortest == longest else f"/{shortest} to /{longest}"


def _v6(head: int, shortest: int = 64, longest: int = 64, ranges: tuple[int, int] = (40, 56)) -> FamilyRules:
    return FamilyRules(head, 0, shortest, longest, *ranges)


# The subnet-router anycast address is the first of an IPv6 subnet (RFC 4291 section 2.6.1), so an IPv6
# subnet withholds one at its head, but for /127 (RFC 6164 section 5) and /128.
SHIPPED = (
    RuleSheet(
        "ends-withheld",
        FamilyRules(1, 1, 12, 30, 8, 28),
        _v6(1),
        "Network and broadcast address withheld: the plain routed segment.",
    ),
    RuleSheet(
        "four-and-one",
        FamilyRules(4, 1, 18, 28, 8, 28, 4),
        FamilyRules(1, 0, 64, 64, 40, 56, 4),
        "Four addresses withheld at the head, one at the tail; at most four ranges a family.",
        ipv6_needs_ipv4=True,
    ),
    RuleSheet(
        "two-and-two",
        FamilyRules(2, 2, 20, 29, 8, 28),
        _v6(1),
        "Two addresses withheld at each end; every subnet carries a segment tag.",
        tag_needed=True,
    ),
    RuleSheet(
        "point-to-point",
        FamilyRules(0, 0, 31, 31, 16, 30),
        _v6(0, 127, 127, (48, 126)),
        "Links between two routers: /31 (RFC 3021) and /127 (RFC 6164), nothing withheld.",
        dhcp=False,
    ),
    RuleSheet(
        "single-address",
        FamilyRules(0, 0, 32, 32, 16, 31),
        _v6(0, 128, 128, (48, 127)),
        "Single addresses: /32 and /128, nothing withheld.",
        dhcp=False,
    ),
)
