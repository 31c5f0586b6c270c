"""Quotas of projects: how much each may have, what it has, and what goes beyond."""

from __future__ import annotations

import json
from collections import Counter
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field
from datetime import datetime
from typing import Any, TypeVar

from django.db.models import Count, Model, QuerySet

from lentra.addressing.extents import State
from lentra.addressing.prefix import BITS
from lentra.registry.errors import Invalid, NameTaken, QuotaReached
from lentra.registry.models import Address, Pool, Project, Quota, Subnet, SubnetSum
from lentra.registry.models.subnets import ANY_FAMILY, SUBNET_STATES, TAKEN
from lentra.registry.transactions.change import Change
from lentra.registry.transactions.clock import SystemClock
from lentra.registry.transactions.locks import lock

LIMITS = {
    "subnets": "subnets",
    "v4_addresses": "IPv4 addresses",
    "v6_units": "IPv6 units",
    "public_addresses": "public addresses",
    "tags": "segment tags",
    "records": "address records",
}
_HELD = (State.HELD, State.HANDED_OUT)
_PLACES = ("project", "realm", "region", "pool")
_COUNTED = (*_PLACES, "family", "state", "length", "extents", "subnets")
_Row = TypeVar("_Row", bound=Model)
_COOLING = SUBNET_STATES.index("cooling")


@dataclass(frozen=True)
class Take:
    """What a change takes for a project in one pool: blocks as (family, length), and so many of the rest.

    Blocks of which it takes less are told as negative: what a growth replaces.
    """

    pool: Pool
    region: int | None
    blocks: Sequence[tuple[int, int]] = ()
    instead_of: Sequence[tuple[int, int]] = ()
    subnets: int = 0
    tags: int = 0
    records: int = 0

    def amounts(self) -> Counter[str]:
        """How much it is of each thing that has a limit."""
        found = Counter({"subnets": self.subnets, "tags": self.tags, "records": self.records})
        for blocks, sign in ((self.blocks, 1), (self.instead_of, -1)):
            for family, length in blocks:
                for name, amount in _of_extents(family, length, self.pool.unit_v6, self.pool.exposure, sign):
                    found[name] += amount
        return found

    def lies_in(self, quota: Quota) -> bool:
        """Whether a quota counts it."""
        here = {"realm_id": self.pool.realm_id, "region_id": self.region, "pool_id": self.pool.pk}
        return all(getattr(quota, name) in (None, number) for name, number in here.items())


@dataclass(frozen=True)
class Used:
    """How much of a quota is used, by the names of `LIMITS`, of those that have a limit."""

    quota: Quota
    amounts: dict[str, int] = field(default_factory=dict)

    def add(self, amounts: Iterable[tuple[str, int]]) -> None:
        """Add to what is used of each thing that was asked for."""
        for name, amount in amounts:
            if name in self.amounts:
                self.amounts[name] += amount

    def told(self) -> list[dict[str, Any]]:
        """Each limit with what is used and left of it."""
        limits = {name: getattr(self.quota, name) for name in LIMITS}
        return [
            {"what": name, "limit": limit, "used": self.amounts[name], "left": max(0, limit - self.amounts[name])}
            for name, limit in limits.items()
            if limit is not None
        ]


def quotas_of(project: int) -> list[Quota]:
    """The quotas of a project, the widest first."""
    return list(Quota.objects.filter(project=project).select_related("project", "realm", "region", "pool"))


def refuse_over_quota(change: Change, project: Project, takes: Iterable[Take]) -> None:
    """Refuse what goes beyond a quota of a project; locks the project if it has any.

    What the same change took for it before counts as well.

    Raises:
        QuotaReached: names what the project has and does not use.
    """
    taken = change.takes.setdefault(project.pk, [])
    taken += takes
    if not Quota.objects.filter(project=project.pk).exists():
        return
    lock(Project, project.pk)
    quotas = quotas_of(project.pk)  # as they are now that nobody else takes, or limits
    gone = [record for record in change.gone if isinstance(record, Subnet) and record.project_id == project.pk]
    for quota in quotas:
        asked: Counter[str] = Counter()
        for take in taken:
            if take.lies_in(quota):
                asked.update(take.amounts())
        over = [n for n in LIMITS if asked[n] > 0 and getattr(quota, n) is not None]
        used = used_of(quota, change.now, over, gone).amounts if over else {}
        for name in over:
            if used[name] + asked[name] > getattr(quota, name):
                refusal = _reached(quota, name, used[name], asked[name], change.now)
                if not change.beyond_quota:
                    raise refusal
                change.over = change.over or refusal
                change.raises.setdefault(quota.pk, {})[name] = used[name] + asked[name]


def whole_take(subnet: Subnet, recorded: int | None = None) -> Take:
    """A subnet with all that it has, as something that is taken.

    Args:
        recorded: how many of its address records; all of them if None.
    """
    blocks = [(block.family, block.length) for block in subnet.blocks()]
    records = subnet.addresses.count() if recorded is None else recorded
    tags = int(subnet.tag is not None)
    return Take(subnet.pool, subnet.region_id, blocks, subnets=1, tags=tags, records=records)


def _reached(quota: Quota, name: str, used: int, asked: int, now: datetime) -> QuotaReached:
    words, project = LIMITS[name], quota.project.name
    limit: int = getattr(quota, name)
    idle = idle_in(quota, now, single=name == "public_addresses")
    told = "; idle: " + ", ".join(f"{block} ({owner})" for owner, block in idle[:5]) if idle else ""
    least = "attach" if name == "public_addresses" else "give back"
    return QuotaReached(
        f"project {project} holds {used:,} {words}{quota.place_text}, its quota is {limit:,}, and {asked:,} more are asked "
        f"for{told}",
        field="project",
        received=project,
        rule=f"{words} of {quota.label_text}: {limit:,}",
        conflicts=[{"range": block, "owner": owner, "state": "idle"} for owner, block in idle],
        suggestions=[f"{least} {idle[0][0]}" if idle else "give one back"],
    )


def used_of(
    quota: Quota, now: datetime, names: Iterable[str] = tuple(LIMITS), gone: Iterable[Subnet] = ()
) -> Used:
    """How much of a quota is used, counted from the sums that are kept with each change; what has ended by now is not.

    Args:
        gone: subnets that the change under way has taken away, which the sums do not know yet.
    """
    return used_of_each([quota], now, names, gone)[0]


def used_of_each(
    quotas: Sequence[Quota], now: datetime, names: Iterable[str] = tuple(LIMITS), gone: Iterable[Subnet] = ()
) -> list[Used]:
    """How much of each of some quotas is used, in a few statements however many they are; see `used_of`."""
    found = [Used(quota, {n: 0 for n in names if getattr(quota, n) is not None}) for quota in quotas]
    by_project: dict[int, list[Used]] = {}
    for used in found:
        by_project.setdefault(used.quota.project_id, []).append(used)
    wanted = {name for used in found for name in used.amounts}
    if wanted & {"subnets", "v4_addresses", "v6_units", "public_addresses"}:
        sums = _counted_by(quotas, SubnetSum.objects.exclude(extents=0, subnets=0)).values_list(*_COUNTED)
        ended = Subnet.objects.filter(
            project__in={quota.project_id for quota in quotas}, state="held", ends_at__lte=now
        )
        counted = [*ended.values_list("counted", flat=True), *(subnet.counted for subnet in gone)]
        _count(by_project, sums, +1)
        _count(by_project, [row for text in counted for row in _rows_of(text)], -1)
    if "tags" in wanted:
        _count_records(by_project, "tags", _standing(quotas, now).filter(tag__isnull=False))
    if "records" in wanted:
        _count_records(by_project, "records", _counted_by(quotas, Address.objects.all(), "subnet__"), "subnet__")
    return found


def idle_in(quota: Quota, now: datetime, single: bool = False, most: int = 20) -> list[tuple[str, str]]:
    """What a project has and does not use where its quota counts, the oldest first: name, block.

    Args:
        single: public addresses alone.
    """
    rows = _standing([quota], now).filter(unused=True).prefetch_related("extents")
    if single:
        rows = rows.filter(pool__exposure="public")
    found = [(subnet.name, subnet.blocks()) for subnet in rows.order_by("created_at", "pk")[: 4 * most]]
    kept = [(n, str(blocks[0])) for n, blocks in found if blocks and (not single or blocks[0].size == 1)]
    return kept[:most]


def _scope(quota: Quota) -> dict[str, int]:
    named = {"realm": quota.realm_id, "region": quota.region_id, "pool": quota.pool_id}
    return {name: number for name, number in named.items() if number is not None}


def _counted_by(quotas: Sequence[Quota], rows: QuerySet[_Row], path: str = "") -> QuerySet[_Row]:
    """Those rows that may count for one of some quotas: of their projects; of one alone, where it counts."""
    places = _scope(quotas[0]) if len(quotas) == 1 else {}
    places = {f"{path}{name}": number for name, number in places.items()}
    return rows.filter(**{f"{path}project__in": {quota.project_id for quota in quotas}}, **places)


def _standing(quotas: Sequence[Quota], now: datetime) -> QuerySet[Subnet]:
    """The subnets that quotas count, in use or held."""
    rows = _counted_by(quotas, Subnet.objects.filter(state__in=TAKEN))
    return rows.exclude(state="held", ends_at__lte=now)


def _within(quota: Quota, row: Sequence[Any]) -> bool:
    here = dict(zip(_PLACES, row, strict=False))
    return all(here[name] == number for name, number in _scope(quota).items())


def _rows_of(counted: str) -> Iterable[tuple[Any, ...]]:
    """What is counted of a subnet, as rows like those of the sums."""
    (realm, project, region, _, _), *parts = json.loads(counted)
    for pool, family, state, length, extents, subnets, _ in parts:
        yield project, realm, region, pool, family, state, length, extents, subnets


def _count(by_project: dict[int, list[Used]], rows: Iterable[Sequence[Any]], sign: int) -> None:
    """Add rows of sums to what is used of each thing of the quotas that count them."""
    rows = list(rows)
    pools = {pool.pk: pool for pool in Pool.objects.filter(pk__in={row[3] for row in rows})}
    for row in rows:
        _, _, _, pool, family, state, length, extents, subnets = row
        amounts = []
        if family == ANY_FAMILY:
            if state != _COOLING:
                amounts = [("subnets", sign * int(subnets))]
        elif State(state) in _HELD and pool in pools:
            of = pools[pool]
            amounts = _of_extents(family, length, of.unit_v6, of.exposure, sign * int(extents))
        for used in by_project.get(row[0], ()):
            if _within(used.quota, row):
                used.add(amounts)


def _count_records(by_project: dict[int, list[Used]], name: str, rows: QuerySet[Any], path: str = "") -> None:
    """Count records for the quotas that count them, by what places they are in."""
    for *places, n in (
        rows.values_list(*(f"{path}{place}" for place in _PLACES)).annotate(n=Count("pk")).order_by()
    ):
        for used in by_project.get(places[0], ()):
            if _within(used.quota, places):
                used.add([(name, n)])


def _of_extents(family: int, length: int, unit: int, exposure: str, count: int) -> list[tuple[str, int]]:
    """What extents of one length come to."""
    found = []
    if family == 4:
        found.append(("v4_addresses", count << (32 - length)))
    else:
        found.append(("v6_units", count << max(0, unit - length)))
    if length == BITS[family] and exposure == "public":
        found.append(("public_addresses", count))
    return found


def check_quota(quota: Quota, now: datetime) -> None:
    """A limit at least, of one place at most, and none below what is held."""
    places = [name for name in ("realm", "region", "pool") if getattr(quota, f"{name}_id") is not None]
    if len(places) > 1:
        raise Invalid(
            f"a quota counts in one {places[0]} or one {places[1]}, not both: add another for the other",
            field=places[1],
            suggestions=[f"leave out {places[1]}"],
        )
    limited = [name for name in LIMITS if getattr(quota, name) is not None]
    if not limited:
        raise Invalid("a quota without any limit limits nothing", field="subnets", suggestions=["subnets: 20"])
    same = Quota.objects.filter(scope=scope_of(quota)).exclude(pk=quota.pk).first()
    if same:
        raise NameTaken(
            f"project {quota.project.name} has a quota{quota.place_text or ' everywhere'} already: edit that",
            field="project",
            received=quota.project.name,
            conflicts=[{"range": same.label_text, "kind": "quota", "id": same.pk}],
            suggestions=[f"edit quota {same.pk}"],
        )
    used = used_of(quota, now, limited).amounts
    for name in limited:
        if getattr(quota, name) < used[name]:
            raise Invalid(
                f"project {quota.project.name} holds {used[name]:,} {LIMITS[name]}{quota.place_text}: a quota of "
                f"{getattr(quota, name):,} is below that",
                field=name,
                received=getattr(quota, name),
                rule="a quota is not below what is held",
                suggestions=[used[name]],
            )


def nearly_used(quota: Quota) -> list[str]:
    """A limit of which nothing is left says so."""
    full = [row for row in used_of(quota, SystemClock().now()).told() if not row["left"]]
    return [
        f"{row['limit']:,} {LIMITS[row['what']]} are all in use: whatever is asked for now is beyond it"
        for row in full
    ]


def scope_of(quota: Quota) -> str:
    """What there is one quota of: a project and a place."""
    return " ".join([str(quota.project_id), *(f"{name} {number}" for name, number in _scope(quota).items())])
