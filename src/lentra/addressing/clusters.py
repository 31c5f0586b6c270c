"""Sizing clusters: nodes, the workloads on them, and the ranges of their own that clusters bring along.

Two ways are common. Workloads *draw from the subnet*: each node takes an address and one more for each of its
workloads. Or workloads have *a range of their own*: the subnet holds nodes alone, and each node gets an aligned
slice of the workload range.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

from lentra.addressing.prefix import BITS, Prefix, address_text
from lentra.addressing.refusal import (
    BadNameService,
    ClusterDoesNotFit,
    LengthOutOfBounds,
    Refusal,
    WorkloadsOutOfBounds,
)
from lentra.addressing.rules import RuleSheet
from lentra.addressing.sizing import Size, size_by_hosts, spread_over_zones

NAME_SERVICE_OFFSET = 10
_MOST_NODES = 100_000


@dataclass(frozen=True, slots=True)
class ClusterNeed:
    """What a cluster needs.

    Args:
        nodes: nodes at work.
        surge: nodes that come on top while the cluster is upgraded.
        workloads: most workloads on one node; None for what the rule sheet says.
        balancers: addresses for internal balancers.
        own_range: workloads have a range of their own.
        most_nodes: nodes that it may grow to; it is sized for these.
        zones: spread over so many, a node subnet in each, so that any one may fail.
        services: how many services it is to have, where their range is to be sized.
    """

    nodes: int
    surge: int = 1
    workloads: int | None = None
    balancers: int = 0
    own_range: bool = False
    most_nodes: int | None = None
    zones: int | None = None
    services: int | None = None

    @property
    def nodes_at_most(self) -> int:
        """The nodes that it is sized for."""
        return max(self.nodes, self.most_nodes or 0)

    @property
    def nodes_of_a_zone(self) -> int:
        """Nodes in each zone, so that any one zone may fail; all of them without zones."""
        return self.nodes_at_most if self.zones is None else spread_over_zones(self.nodes_at_most, self.zones)

    def under(self, sheet: RuleSheet) -> ClusterNeed:
        """The same with what the rule sheet says where nothing is said."""
        return self if self.workloads is not None else replace(self, workloads=sheet.workloads)

    def addresses(self, nodes: int | None = None) -> int:
        """Addresses taken from the node subnet, with `nodes` in place of the need's own."""
        per_node = 1 if self.own_range else 1 + (self.workloads or 0)
        return ((self.nodes_of_a_zone if nodes is None else nodes) + self.surge) * per_node + self.balancers


@dataclass(frozen=True, slots=True)
class ClusterSize:
    """A cluster sized: the node subnet of each zone (or the only one), and the ranges of its workloads and services.

    `workload_length` and `slice_length` are None where workloads draw from the subnet; `service_length` where nothing is
    said of services.

    `most_nodes` is how many nodes the node subnet (and the workload range) carry.
    """

    subnet: Size
    most_nodes: int
    workload_length: int | None
    slice_length: int | None
    service_length: int | None = None
    zones: int | None = None
    nodes_of_a_zone: int = 0


def size_cluster(need: ClusterNeed, sheet: RuleSheet, *, length: int | None = None) -> ClusterSize:
    """Size a cluster's node subnet and workload range (IPv4).

    Args:
        length: the node subnet's length, if it is given.

    Raises:
        WorkloadsOutOfBounds: the rule sheet bounds the workloads of a node.
        ClusterDoesNotFit: `length` is too small; says needed, available, and the largest node count that fits.
        LengthOutOfBounds: no subnet that the sheet allows is wide enough.
    """
    need = need.under(sheet)
    check_need(need, sheet)
    needed = need.addresses()
    if length is not None:
        sheet.check_subnet_length(4, length)
        require_fit(need, sheet, length)
    try:
        subnet = size_by_hosts(needed, sheet, length=length)
    except LengthOutOfBounds as refusal:
        most = nodes_carried(need, sheet, sheet.family(4).shortest)
        refusal.suggestions = [f"{most} nodes"]
        raise refusal
    most = nodes_carried(need, sheet, subnet.length)
    services = None if need.services is None else service_length(need.services)
    if not need.own_range:
        return ClusterSize(subnet, most, None, None, services, need.zones, need.nodes_of_a_zone)
    assert need.workloads is not None
    slice_length = 32 - (need.workloads - 1).bit_length()
    slices = need.nodes_of_a_zone * (need.zones or 1) + need.surge
    workload_length = slice_length - (slices - 1).bit_length()
    if workload_length < 8:
        raise LengthOutOfBounds(
            f"{slices:,} nodes with a /{slice_length} each need a workload range of /{workload_length}: /8 is the widest",
            field="nodes",
            received=need.nodes,
        )
    most = min(most, (1 << (slice_length - workload_length)) - need.surge)
    return ClusterSize(subnet, most, workload_length, slice_length, services, need.zones, need.nodes_of_a_zone)


def service_length(services: int) -> int:
    """Length of the IPv4 range for a number of services: its first two and its last address are none.

    >>> service_length(1000), service_length(5)
    (22, 28)

    Raises:
        Refusal: none, or too many.
    """
    if not 1 <= services <= 1 << 20:
        raise Refusal(
            f"{services:,} services: 1 to {1 << 20:,}",
            field="services",
            received=services,
            suggestions=[max(1, min(services, 1 << 20))],
        )
    return min(28, 32 - (services + 2).bit_length())


def nodes_carried(need: ClusterNeed, sheet: RuleSheet, length: int) -> int:
    """How many nodes (surge aside) a subnet of that length carries; 0 if none.

    >>> from lentra.addressing.rules import SHIPPED
    >>> nodes_carried(ClusterNeed(1, 1, 40, 3), SHIPPED[1], 22)
    23
    """
    need = need.under(sheet)
    check_need(need, sheet)
    assert need.workloads is not None
    rules = sheet.family(4)
    usable = rules.usable_of(1 << (32 - length))
    per_node = 1 if need.own_range else 1 + need.workloads
    return max(0, (usable - need.balancers) // per_node - need.surge)


def require_fit(need: ClusterNeed, sheet: RuleSheet, length: int) -> None:
    """Refuse a node subnet that is too small.

    Raises:
        ClusterDoesNotFit: says needed, available, and the largest node count that fits.
    """
    need = need.under(sheet)
    usable = sheet.family(4).usable_of(1 << (32 - length))
    needed = need.addresses()
    if needed <= usable:
        return
    most = nodes_carried(need, sheet, length)
    least = 32 - (needed + sheet.family(4).withheld - 1).bit_length()
    fits = f"{most} nodes fit at most" if most else "not one node fits"
    raise ClusterDoesNotFit(
        f"a /{length} has {usable:,} usable addresses, the cluster needs {needed:,}: {fits}, and a /{least} is the "
        "least for all of them",
        field="length",
        received=f"/{length}",
        rule=f"{sheet.name} withholds {sheet.family(4).withheld} addresses of a subnet",
        suggestions=[f"/{least}", *([f"{most} nodes"] if most else [])],
    )


def check_need(need: ClusterNeed, sheet: RuleSheet) -> None:
    """Refuse numbers that make no sense, or that the rule sheet does not allow.

    Raises:
        Refusal, WorkloadsOutOfBounds.
    """
    bounds = (
        ("nodes", 1, _MOST_NODES),
        ("surge", 0, 1000),
        ("balancers", 0, 10_000),
        ("most_nodes", 1, _MOST_NODES),
    )
    for field, least, most in bounds:
        value = getattr(need, field)
        if value is None:
            continue
        if not least <= value <= most:
            raise Refusal(
                f"{value:,} {field}: {least} to {most:,}",
                field=field,
                received=value,
                suggestions=[max(least, min(value, most))],
            )
    low, high = sheet.workloads_min, sheet.workloads_max
    if need.workloads is None:
        return
    if not low <= need.workloads <= high:
        raise WorkloadsOutOfBounds(
            f"{need.workloads} workloads a node are out of bounds: rule sheet {sheet.name} allows {low} to {high}",
            field="workloads",
            received=need.workloads,
            rule=f"{sheet.name}: {low} to {high} workloads a node",
            suggestions=[max(low, min(need.workloads, high))],
        )


@dataclass(frozen=True, slots=True)
class ServiceRange:
    """A cluster's service range with its two well-known addresses, as text."""

    prefix: Prefix
    default_service: str
    name_service: str
    services: int


def service_range(prefix: Prefix, name_service: int | None = None) -> ServiceRange:
    """The well-known addresses of a service range: the default service is its second address, the name service
    lies at offset 10 unless given.

    Raises:
        BadNameService: outside the range, its first address, or the default service's; or no room for one.
    """
    bits = BITS[prefix.family]
    if prefix.size <= NAME_SERVICE_OFFSET + 1 and name_service is None:
        raise BadNameService(
            f"{prefix} has no address at offset {NAME_SERVICE_OFFSET} for the name service: /{bits - 4} or wider, or "
            "give the address",
            field="service_range",
            received=prefix,
            suggestions=[f"/{bits - 4}"],
        )
    address = prefix.first + NAME_SERVICE_OFFSET if name_service is None else name_service
    shown = address_text(prefix.family, address)
    broadcast = prefix.last if prefix.family == 4 else None
    if not prefix.first < address <= prefix.last or address in (prefix.first + 1, broadcast):
        if address == prefix.first:
            fault = "is the first address of the service range, which no service may have"
        elif address == prefix.first + 1:
            fault = "belongs to the default service"
        elif address == broadcast:
            fault = (
                "is the last address of the service range, which some platforms withhold as its broadcast address"
            )
        else:
            fault = f"is outside the service range {prefix}"
        usual = min(prefix.first + NAME_SERVICE_OFFSET, max(prefix.first + 2, prefix.last - 1))
        raise BadNameService(
            f"{shown} {fault}",
            field="name_service",
            received=shown,
            rule="the name service has an address of the service range beyond the first two, and not the last",
            suggestions=[address_text(prefix.family, usual)],
        )
    default = address_text(prefix.family, prefix.first + 1)
    return ServiceRange(prefix, default, shown, prefix.size - 2)
