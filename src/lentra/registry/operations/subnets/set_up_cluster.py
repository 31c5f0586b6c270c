"""Set up a cluster's address space in one go: node subnet, workload range, service range, bridge range."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

from lentra.addressing.clusters import ClusterNeed, ClusterSize, ServiceRange, service_range, size_cluster
from lentra.addressing.prefix import Prefix, parse_address
from lentra.addressing.refusal import Overlaps
from lentra.registry.errors import Invalid
from lentra.registry.lookup.find import find
from lentra.registry.models import KeepOut, Pool, Project, Reservation, Subnet
from lentra.registry.operations.pools.add_keep_out import add_keep_out
from lentra.registry.operations.reservations.reserve import ReservationRequest, reserve
from lentra.registry.operations.subnets.hand_out import hand_out
from lentra.registry.requests.request import SubnetRequest
from lentra.registry.rules.names import check_name
from lentra.registry.rules.permissions import require
from lentra.registry.space.evidence import taken_over
from lentra.registry.space.locking import lock_outline
from lentra.registry.transactions.change import Change

TAKEN_AS = ("reserve", "keep out")


@dataclass
class ClusterRequest:
    """A cluster's need of address space.

    Args:
        name: marks all that is made for it.
        need: nodes, surge, workloads, balancers.
        length: the node subnet's length, if it is to be wider than needed.
        workload_range, service_range, bridge_range: prefixes; a workload range may be left out to have one found.
        take_as: ``reserve``: workload and service range become reservations of the pool, kept for the cluster, where
            they lie in it, and are kept out elsewhere; ``keep out``: they are kept out wherever they lie.
        name_service: the name service's address in the service range; offset 10 if None.
    """

    name: str
    pool: Any
    project: Any
    tier: Any
    need: ClusterNeed
    zone: Any = None
    region: Any = None
    length: int | None = None
    workload_range: Prefix | None = None
    service_range: Prefix | None = None
    bridge_range: Prefix | None = None
    name_service: str | None = None
    take_as: str = "reserve"
    labels: dict[str, str] = field(default_factory=dict)


@dataclass
class ClusterMade:
    """What was made for a cluster."""

    size: ClusterSize
    subnet: Subnet
    reservations: list[Reservation]
    keep_outs: list[KeepOut]
    services: ServiceRange | None
    why: list[str]


def set_up_cluster(change: Change, wanted: ClusterRequest) -> ClusterMade:
    """Hand out the node subnet, and reserve or keep out the ranges that the cluster brings along; all or nothing.

    Raises:
        WorkloadsOutOfBounds, ClusterDoesNotFit, BadNameService: the numbers do not work out.
        Overlaps, KeptOut: a range overlaps something in the realm, or another of the cluster's ranges.
        NotAllowed: the actor is no planner.
        and all that `hand_out` and `reserve` raise.
    """
    require(change.actor, "planner", "set up a cluster")
    check_name(wanted.name)
    pool = find(Pool, wanted.pool, "pool", related=("sheet", "realm"))
    size = size_cluster(wanted.need, pool.sheet.rules(), length=wanted.length)
    if wanted.take_as not in TAKEN_AS:
        raise Invalid(
            f"{wanted.take_as!r}: ranges are reserved or kept out", field="take_as", suggestions=TAKEN_AS
        )
    services = _services(wanted)
    ranges = check_cluster_ranges(pool, wanted)
    project = find(Project, wanted.project, "project")
    if ranges:
        lock_outline(pool.realm_id)  # before the pool: some of the ranges may have to be kept out
    reservations: list[Reservation] = []
    keep_outs: list[KeepOut] = []
    # The ranges first, so that nothing else lands in them.
    for what, prefix in ranges.items():
        if what == "workloads" and size.workload_length is not None and prefix.length > size.workload_length:
            raise Invalid(
                f"{prefix} is too small for the workloads: /{size.workload_length} is the least",
                field="workload_range",
                received=prefix,
                suggestions=[f"/{size.workload_length}"],
            )
        in_pool = any(row.prefix.contains(prefix) for row in pool.ranges.all())
        if in_pool:
            change.note(
                f"{prefix} ({what}) lies in pool {pool.name} itself, from which the network takes its subnets: it is "
                "taken out of there for the cluster alone"
            )
        if wanted.take_as == "keep out" or what == "bridge" or not in_pool:
            values = {
                "realm": pool.realm,
                "family": prefix.family,
                "first": prefix.first,
                "last": prefix.last,
                "kind": "container-bridge" if what == "bridge" else "other",
                "reason": f"{what} of cluster {wanted.name}",
                "source": f"cluster {wanted.name}",
            }
            keep_outs.append(add_keep_out(change, values))
        else:
            reservations.append(_reserve(change, wanted, pool, project, what, prefix=prefix))
    if wanted.need.own_range and "workloads" not in ranges:
        reservations.append(_reserve(change, wanted, pool, project, "workloads", length=size.workload_length))
    handed = hand_out(
        change,
        SubnetRequest(
            pool=pool.pk,
            project=wanted.project,
            tier=wanted.tier,
            zone=wanted.zone,
            region=wanted.region,
            length=size.subnet.length,
            hosts=size.subnet.needed,
            name=f"{wanted.name}-nodes",
            purpose=f"nodes of cluster {wanted.name}",
            labels={**wanted.labels, "cluster": wanted.name},
        ),
    )
    return ClusterMade(size, handed.subnets[0], reservations, keep_outs, services, handed.why)


def check_cluster_ranges(pool: Pool, wanted: ClusterRequest) -> dict[str, Prefix]:
    """The ranges given, each checked against the realm, its keep-outs, and the others.

    Raises:
        Overlaps: with all that is in the way of any of them, and whose it is.
    """
    given = {
        "workloads": wanted.workload_range if wanted.need.own_range else None,
        "services": wanted.service_range,
        "bridge": wanted.bridge_range,
    }
    ranges = {what: prefix for what, prefix in given.items() if prefix is not None}
    conflicts: list[dict[str, Any]] = []
    faults: list[tuple[str, str, Prefix]] = []  # field, what is wrong, range
    checked: dict[str, Prefix] = {}
    for what, prefix in ranges.items():
        field_name = {"workloads": "workload_range", "services": "service_range"}.get(what, "bridge_range")
        for other, taken in checked.items():
            if taken.overlaps(prefix):
                faults.append(
                    (field_name, f"{prefix} ({what}) overlaps {taken} ({other} of the same cluster)", prefix)
                )
                conflicts.append({"range": str(taken), "owner": f"{other} of {wanted.name}", "field": field_name})
        if there := taken_over(pool.realm_id, prefix):
            whose = there[0].get("owner") or there[0]["state"]
            words = f"{prefix} ({what}) overlaps {there[0]['range']} in realm {pool.realm.name}: {whose}"
            faults.append((field_name, words, prefix))
            conflicts += [{**one, "field": field_name} for one in there[:20]]
        checked[what] = prefix
    if faults:
        raise Overlaps(
            "; ".join(words for _, words, _ in faults),
            field=faults[0][0],
            received=", ".join(dict.fromkeys(str(prefix) for _, _, prefix in faults)),
            rule="a cluster's ranges overlap nothing in its realm",
            conflicts=conflicts,
        )
    return ranges


def _services(wanted: ClusterRequest) -> ServiceRange | None:
    if wanted.service_range is None:
        return None
    address = None
    if wanted.name_service:
        _, address = parse_address(wanted.name_service, family=wanted.service_range.family)
    return service_range(wanted.service_range, address)


def _reserve(
    change: Change,
    wanted: ClusterRequest,
    pool: Pool,
    project: Project,
    what: str,
    prefix: Prefix | None = None,
    length: int | None = None,
) -> Reservation:
    return reserve(
        change,
        ReservationRequest(
            pool=pool.pk,
            reason=f"{what} of cluster {wanted.name}",
            range=(prefix.family, prefix.first, prefix.last) if prefix else None,
            length=length,
            kind="cluster",
            name=f"{wanted.name}-{what}",
            service=wanted.name,
            projects=[project],
        ),
    )
