"""All that a project holds: its pools, subnets, reservations, plans and planned needs, with ranges and counts."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from datetime import datetime
from typing import Any, overload

from django.db.models import Count, Q, QuerySet, Sum

from lentra.addressing.extents import State
from lentra.addressing.prefix import BITS
from lentra.registry.models import (
    ExtentRow,
    Plan,
    PlannedNeed,
    Pool,
    Project,
    Quota,
    Realm,
    Reservation,
    Subnet,
    SubnetSum,
)
from lentra.registry.models.subnets import ANY_FAMILY, BLOCK_STATES, SUBNET_STATES
from lentra.registry.rules.quotas import quotas_of


class Holdings(Sequence[dict[str, Any]]):
    """What a project holds, kind by kind, each thing as a row; only what is asked for is read."""

    def __init__(self, project: Project) -> None:
        self._kinds: list[tuple[QuerySet, Callable[[Any], dict[str, Any]]]] = [
            (
                Pool.objects.filter(project=project)
                .order_by("name")
                .select_related("realm")
                .prefetch_related("ranges"),
                _pool,
            ),
            (_reservations(project), _reservation),
            (Plan.objects.filter(project=project).order_by("name").select_related("realm"), _plan),
            (PlannedNeed.objects.filter(project=project).order_by("day").select_related("pool__realm"), _need),
            (
                Subnet.objects.filter(project=project)
                .order_by("place", "pk")
                .prefetch_related("realm", "zone", "region", "tier", "extents"),
                _subnet,
            ),
        ]
        self._counts = [rows.count() for rows, _ in self._kinds[:-1]]
        self._counts.append(sum(subnets_by_state(project).values()))

    def __len__(self) -> int:
        return sum(self._counts)

    @overload
    def __getitem__(self, at: int) -> dict[str, Any]: ...
    @overload
    def __getitem__(self, at: slice) -> list[dict[str, Any]]: ...
    def __getitem__(self, at: int | slice) -> dict[str, Any] | list[dict[str, Any]]:
        if isinstance(at, int):
            return self[at : at + 1][0]
        start, stop, _ = at.indices(len(self))
        found: list[dict[str, Any]] = []
        for (rows, told), count in zip(self._kinds, self._counts, strict=True):
            if start < count and stop > 0:
                found += [told(row) for row in rows[max(0, start) : stop]]
            start, stop = start - count, stop - count
        return found


def totals(project: Project, now: datetime) -> dict[str, Any]:
    """Counts of what a project holds.

    Returns:
        ``pools``, ``reservations``, ``plans``, ``planned_needs``; ``subnets`` by state; ``blocks`` by realm, family and
        length with their addresses; ``public``: see `public_use`; its ``quotas``, which the caller tells.
    """
    rows = SubnetSum.objects.filter(project=project.pk, state__in=BLOCK_STATES, extents__gt=0)
    blocks = rows.order_by("family", "length").values_list("realm", "family", "length").annotate(n=Sum("extents"))
    names = dict(Realm.objects.values_list("pk", "name"))
    return {
        "pools": Pool.objects.filter(project=project).count(),
        "reservations": _reservations(project).count(),
        "plans": Plan.objects.filter(project=project).count(),
        "planned_needs": PlannedNeed.objects.filter(project=project).count(),
        "subnets": subnets_by_state(project),
        "blocks": [
            {
                "realm": {"id": realm, "name": names[realm]},
                "family": family,
                "length": length,
                "count": int(count),
                "addresses": str(int(count) << (BITS[family] - length)),
            }
            for realm, family, length, count in sorted(blocks, key=lambda row: names[row[0]])
        ],
        "public": public_use(project, now),
        "quotas": quotas_of(project.pk),
    }


def subnets_by_state(project: Project) -> dict[str, int]:
    """How many subnets a project has in each state that any is in."""
    rows = SubnetSum.objects.filter(project=project.pk, family=ANY_FAMILY, subnets__gt=0)
    counted = rows.values_list("state").annotate(n=Sum("subnets")).order_by("state")
    return {SUBNET_STATES[state]: int(n) for state, n in counted}


def public_use(project: Project, now: datetime) -> dict[str, Any]:
    """How many public addresses a project holds, of its quota, and how many of them lie idle."""
    public = Pool.objects.filter(exposure="public").values("pk")
    sums = SubnetSum.objects.filter(project=project.pk, pool__in=public, extents__gt=0)
    rows = held_addresses(project, now, list(sums.values_list("pool", flat=True).distinct()))
    counts = rows.aggregate(held=Count("*"), idle=Count("first", filter=Q(subnet__attached_to="")))
    everywhere = Quota.objects.filter(project=project, realm=None, region=None, pool=None)
    held, quota = counts["held"], everywhere.values_list("public_addresses", flat=True).first()
    return {
        "project": {"id": project.pk, "name": project.name},
        "quota": quota,
        "held": held,
        "attached": held - counts["idle"],
        "idle": counts["idle"],
        "left": None if quota is None else max(0, quota - held),
    }


def with_public() -> QuerySet[Project]:
    """The projects that hold public addresses or have a quota of them, by name."""
    public = Pool.objects.filter(exposure="public").values("pk")
    holding = SubnetSum.objects.filter(pool__in=public, extents__gt=0).values("project")
    return (
        Project.objects.filter(Q(pk__in=holding) | Q(quotas__public_addresses__isnull=False))
        .distinct()
        .order_by("name")
    )


def held_addresses(project: Project, now: datetime, pools: list[int]) -> QuerySet[ExtentRow]:
    """The single public addresses that a project holds; what has ended by now is not held.

    Args:
        pools: numbers of the public pools that it may have any in.
    """
    standing = Q(subnet__ends_at=None) | Q(subnet__ends_at__gt=now)
    held = (State.HELD, State.HANDED_OUT)
    rows = ExtentRow.objects.filter(standing, subnet__project=project, pool__in=pools, state__in=held)
    single = Q(family=4, length=BITS[4]) | Q(family=6, length=BITS[6])
    return rows.filter(single)


def _reservations(project: Project) -> QuerySet[Reservation]:
    rows = Reservation.objects.filter(projects=project).order_by("name")
    return rows.select_related("realm").prefetch_related("extents")


def _pool(pool: Pool) -> dict[str, Any]:
    return _row(pool, pool.realm, [str(row.prefix) for row in pool.ranges.all()])


def _reservation(reservation: Reservation) -> dict[str, Any]:
    return _row(
        reservation, reservation.realm, [str(prefix) for prefix in reservation.left()], about=reservation.reason
    )


def _plan(plan: Plan) -> dict[str, Any]:
    return _row(plan, plan.realm, [], state=plan.state)


def _need(need: PlannedNeed) -> dict[str, Any]:
    return _row(need, need.pool.realm, [], about=f"{need.count} × /{need.length} on {need.day}")


def _subnet(subnet: Subnet) -> dict[str, Any]:
    place = subnet.zone or subnet.region
    blocks = [str(block) for block in subnet.blocks()]
    return _row(
        subnet, subnet.realm, blocks, state=subnet.state, place=place, tier=subnet.tier, about=subnet.purpose
    )


def _row(
    record: Any, realm: Any, ranges: list[str], state: str | None = None, about: str = "", **at: Any
) -> dict[str, Any]:
    return {
        "kind": record.KIND,
        "id": record.pk,
        "name": record.name,
        "realm": {"id": realm.pk, "name": realm.name},
        "ranges": ranges,
        "state": state,
        "place": at["place"].name if at.get("place") else None,
        "tier": at["tier"].name if at.get("tier") else None,
        "about": about,
    }
