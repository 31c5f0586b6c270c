"""Idle and odd things, each with its age and a proposed step: kind by kind, a page at a time, the worst of each first."""

from __future__ import annotations

import heapq
from collections.abc import Callable, Collection, Iterable, Iterator, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from itertools import islice
from typing import Any

from django.db.models import QuerySet

from lentra.addressing.extents import State
from lentra.addressing.prefix import BITS
from lentra.addressing.refusal import Refusal
from lentra.addressing.sizing import hosts_with_growth, size_by_hosts
from lentra.registry.lookup.in_order import rows_after
from lentra.registry.models import (
    Finding,
    PlannedNeed,
    Pool,
    Project,
    Reading,
    Realm,
    Reservation,
    Space,
    Subnet,
    SubnetSum,
    Tier,
    Zone,
)
from lentra.registry.models.subnets import ANY_FAMILY, SUBNET_STATES
from lentra.registry.reports.seen import seen_subnets
from lentra.registry.space.keeping import FAR_BELOW

SOON = timedelta(days=14)
GRACE = timedelta(days=30)  # what is younger is not idle: its addresses may yet come
_EACH = 200
_MOST_SPARE = (1 << 62) - 1
_KEY_BITS = 160  # of a row's place within its kind
_HALF = 64
_EPOCH = datetime(1970, 1, 1, tzinfo=UTC)


@dataclass(frozen=True)
class Scope:
    """Where and when to look."""

    now: datetime
    realm: Realm | None = None
    project: Project | None = None

    def of(self, rows: QuerySet[Any]) -> QuerySet[Any]:
        """Rows of the realm and project."""
        rows = rows.filter(realm=self.realm) if self.realm else rows
        return rows.filter(project=self.project) if self.project else rows


Row = dict[str, Any]
Keyed = tuple[int, Row]  # the place of a row within its kind, and the row
Lister = Callable[[Scope, int], Iterator[Keyed]]  # the rows of a kind from a place onward


def idle_things(
    scope: Scope, start: int = 0, count: int = 100, kinds: Sequence[str] = ()
) -> list[tuple[int, Row]]:
    """Idle or odd things from a place onward, as many as are asked for.

    Args:
        start: the place of the first; that of each row is told with it.
        kinds: words of `KINDS`; all of them if none is named.

    Returns:
        places and rows: ``kind``, ``what`` (name), ``id``, ``where``, ``since``, ``days`` of age, ``why`` and ``step``.
    """
    found: list[tuple[int, Row]] = []
    at_kind, at = start >> _KEY_BITS, start & ((1 << _KEY_BITS) - 1)
    for n, (words, lister) in enumerate(_LISTERS):
        if n < at_kind or (kinds and not set(words) & set(kinds)):
            continue
        for key, row in lister(scope, at if n == at_kind else 0):
            if kinds and row["kind"] not in kinds:
                continue
            row["days"] = abs((scope.now - row["since"]).days) if row["since"] else None
            found.append((n << _KEY_BITS | key, row))
            if len(found) == count:
                return found
    return found


def idle_subnets(pool: Pool, now: datetime) -> list[Subnet]:
    """The subnets of a pool that nothing has used for a while, the oldest first: no address recorded, or a public one
    attached to nothing."""
    rows = Subnet.objects.filter(pool=pool, unused=True, created_at__lte=now - GRACE)
    found = list(_of_kind(rows, pool.exposure == "public").order_by("created_at")[:_EACH])
    quiet = _quiet([subnet.pk for subnet in found], now)
    return [subnet for subnet in found if subnet.pk in quiet]


def _of_kind(rows: QuerySet[Subnet], public: bool) -> QuerySet[Subnet]:
    """Of unused subnets, single addresses (which are attached), or blocks for hosts."""
    if public:
        return rows.filter(extents__state=State.HANDED_OUT, extents__length__in=BITS.values()).distinct()
    return rows.filter(extents__state=State.HANDED_OUT, extents__length__lt=31, extents__family=4).distinct()


def _row(kind: str, record: Any, since: Any, why: str, step: str) -> Row:
    pool = getattr(record, "pool", None)
    return {
        "kind": kind,
        "what": record.name,
        "id": record.pk,
        "where": pool.name if pool else "",
        "since": since,
        "why": why,
        "step": step,
    }


def _moment_key(moment: datetime, number: int) -> int:
    """The place of something by a moment, then by its number."""
    return (moment - _EPOCH) // timedelta(microseconds=1) << _HALF | number


def _in_order(rows: QuerySet[Any], column: str, start: int, chunk: int = 500) -> Iterator[tuple[int, Any]]:
    """Records in order of a moment, each with its place, read in parts from a place onward."""
    while True:
        moment, number = _EPOCH + timedelta(microseconds=start >> _HALF), start & ((1 << _HALF) - 1)
        part = rows_after(rows, column, moment, number - 1, chunk)
        for record in part:
            yield _moment_key(getattr(record, column), record.pk), record
        if len(part) < chunk:
            return
        start = _moment_key(getattr(part[-1], column), part[-1].pk) + 1


def _unused(scope: Scope, public: bool, start: int) -> Iterator[tuple[int, Subnet]]:
    """Unused subnets of private or public pools, the oldest first; realm by realm (or pool by pool), since an index has
    them in that order."""
    rows = Subnet.objects.filter(unused=True, created_at__lte=scope.now - GRACE)
    rows = rows.prefetch_related("pool", "project")  # not joined: a join would have them all sorted
    pools = Pool.objects.filter(exposure="public").values_list("pk", flat=True)
    if public:
        parts = [rows.filter(pool=pool) for pool in (pools.filter(realm=scope.realm) if scope.realm else pools)]
    elif scope.project:
        parts = [rows]
    else:
        realms = [scope.realm] if scope.realm else Realm.objects.all()
        parts = [rows.filter(realm=realm) for realm in realms]
    merged = heapq.merge(
        *(_in_order(scope.of(part), "created_at", start, 100) for part in parts), key=lambda row: row[0]
    )
    wanted = (row for row in merged if (row[1].pool.exposure == "public") is public)
    while batch := list(islice(wanted, 100)):
        there = _of_kind(Subnet.objects.filter(pk__in=[subnet.pk for _, subnet in batch]), public)
        kept = set(there.values_list("pk", flat=True))
        quiet = _quiet(kept, scope.now)
        for key, subnet in batch:
            if subnet.pk in quiet:
                subnet.seen = {"last": quiet[subnet.pk]}
                yield key, subnet


def _quiet(subnets: Collection[int], now: datetime) -> dict[int, datetime | None]:
    """Those of some subnets that were not seen of late, and when they were: what is seen is in use, as recorded or not."""
    known = Subnet.objects.filter(pk__in=subnets).select_related("tier").prefetch_related("extents")
    seen = {number: told.last_seen_at for number, told in seen_subnets(list(known)).items()}
    return {number: last for number, last in seen.items() if last is None or last <= now - GRACE}


def _without_hosts(scope: Scope, start: int) -> Iterator[Keyed]:
    for key, subnet in _unused(scope, False, start):
        expected = f"although {subnet.hosts:,} hosts are expected" if subnet.hosts else "and no hosts expected"
        step = f"ask {subnet.project.name}, then record its addresses or give it back"
        last = subnet.seen["last"] if subnet.seen else None
        silent = f"; seen last on {last:%Y-%m-%d}" if last else ""
        why = f"no address recorded, {expected}{silent}"
        yield key, _row("block without use", subnet, subnet.created_at, why, step)


def _silent(scope: Scope, start: int) -> Iterator[Keyed]:
    """What sources would see, and do not."""
    rows = Finding.objects.filter(kind="silent", state="open", subnet__isnull=False)
    rows = rows.filter(realm=scope.realm) if scope.realm else rows
    rows = rows.filter(project=scope.project.pk) if scope.project else rows
    while part := list(rows.filter(pk__gte=start).order_by("pk")[:100]):
        for finding in part:
            step = f"ask {finding.project_name}, then give it back, or dismiss finding {finding.pk}"
            told = {"kind": "silent", "what": finding.recorded, "id": finding.subnet, "where": finding.range_text}
            yield finding.pk, {**told, "since": finding.opened_at, "why": finding.text, "step": step}
        start = part[-1].pk + 1


def _idle_public(scope: Scope, start: int) -> Iterator[Keyed]:
    for key, subnet in _unused(scope, True, start):
        yield (
            key,
            _row(
                "public address idle",
                subnet,
                subnet.created_at,
                "attached to nothing",
                "attach it, or give it back",
            ),
        )


def _far_too_wide(scope: Scope, start: int) -> Iterator[Keyed]:
    """Blocks several times as wide as their expected hosts need, those first that would give back most."""
    top = (1 << _HALF) - 1
    rows = scope.of(Subnet.objects.filter(spare__isnull=False)).prefetch_related("pool__sheet")
    while True:
        spare, number = min(_MOST_SPARE, top - (start >> _HALF)), min(_MOST_SPARE, top - (start & top))
        part = rows_after(rows, "spare", spare, number + 1, 100, falling=True)
        subnets = (
            Subnet.objects.filter(pk__in=[subnet.pk for subnet in part]).prefetch_related("extents").in_bulk()
        )
        for subnet in part:
            key = (top - subnet.spare) << _HALF | (top - subnet.pk)
            start = key + 1
            if told := _wide(subnet, subnets[subnet.pk].blocks()):
                yield key, told
        if len(part) < 100:
            return


def _wide(subnet: Subnet, blocks: list[Any]) -> Row | None:
    """A block that is far too wide by the rules in force, if it is."""
    sheet = subnet.pool.sheet.rules()
    block = next((block for block in blocks if block.family == 4), None)
    try:
        size = size_by_hosts(subnet.hosts or 1, sheet, growth=subnet.growth)
    except Refusal:
        return None
    if block is None or 1 << max(0, size.length - block.length) < FAR_BELOW:
        return None
    usable = sheet.family(4).usable(block)
    needed = hosts_with_growth(subnet.hosts or 1, subnet.growth)
    return _row(
        "block far too wide",
        subnet,
        subnet.created_at,
        f"/{block.length} has {usable:,} usable addresses, {needed:,} are expected",
        f"shrink it to /{size.length}",
    )


def _ending_reservations(scope: Scope, start: int) -> Iterator[Keyed]:
    kept = Reservation.objects.filter(ends_at__lte=scope.now + SOON).select_related("pool")
    kept = kept.filter(realm=scope.realm) if scope.realm else kept
    kept = kept.filter(projects=scope.project) if scope.project else kept
    for key, reservation in _in_order(kept, "ends_at", start):
        why = f"falls back on {reservation.ends_at:%Y-%m-%d %H:%M} UTC: {reservation.reason}"
        step = "move its end, or let it fall back"
        yield key, _row("reservation about to end", reservation, reservation.created_at, why, step)


def _ending_holds(scope: Scope, start: int) -> Iterator[Keyed]:
    held = scope.of(Subnet.objects.filter(state="held")).prefetch_related("pool")
    for key, subnet in _in_order(held, "ends_at", start):
        why = f"held until {subnet.ends_at:%Y-%m-%d %H:%M} UTC"
        yield key, _row("hold about to end", subnet, subnet.created_at, why, "confirm it, or let it fall back")


def _cooling(scope: Scope, start: int) -> Iterator[Keyed]:
    rows = scope.of(Subnet.objects.filter(state="cooling")).prefetch_related("pool")
    for key, subnet in _in_order(rows, "ends_at", start):
        why = f"cools until {subnet.ends_at:%Y-%m-%d %H:%M} UTC"
        yield key, _row("cooling", subnet, None, why, "nothing, or free it at once")


def _unused_pools(scope: Scope, start: int) -> Iterator[Keyed]:
    if scope.project:
        return
    used = Space.objects.exclude(handed_out=0, held=0, room=0, reserved=0, cooling=0, carved=0).values("pool")
    rows = Pool.objects.exclude(pk__in=used).filter(pk__gte=start)
    for pool in (rows.filter(realm=scope.realm) if scope.realm else rows).order_by("pk"):
        readings = Reading.objects.filter(kind="pool", subject=pool.pk, states__has_key=State.HANDED_OUT.word)
        if last := readings.order_by("-day").first():
            since = datetime.combine(last.day, datetime.min.time(), UTC)
            step = "keep it if its time comes again, else give it back"
            yield pool.pk, _row("pool empty now", pool, since, f"it was last used on {last.day}", step)
        else:
            told = _row("pool never used", pool, None, "nothing was handed out of it", "use it, or give it back")
            yield pool.pk, told


def _overdue_needs(scope: Scope, start: int) -> Iterator[Keyed]:
    if scope.project:
        return
    rows = PlannedNeed.objects.filter(day__lt=scope.now.date()).select_related("pool")
    for key, need in enumerate(
        (rows.filter(pool__realm=scope.realm) if scope.realm else rows).order_by("day", "pk")
    ):
        if key >= start:
            why = f"its day, {need.day}, has passed: forecasts count it no more"
            since = datetime.combine(need.day, datetime.min.time(), UTC)
            yield key, _row("planned need overdue", need, since, why, "move its day, or remove it")


def _places_of(scope: Scope, *states: str) -> dict[int, dict[int, dict[int, int]]]:
    """How many subnets there are, from the sums that are kept: project -> tier -> zone (0 for none) -> how many."""
    numbers = [SUBNET_STATES.index(state) for state in states]
    rows = SubnetSum.objects.filter(family=ANY_FAMILY, state__in=numbers, subnets__gt=0)
    rows = rows.filter(realm=scope.realm.pk) if scope.realm else rows
    rows = rows.filter(project=scope.project.pk) if scope.project else rows
    there: dict[int, dict[int, dict[int, int]]] = {}
    for project, tier, zone, subnets in rows.values_list("project", "tier", "zone", "subnets"):
        zones = there.setdefault(project, {}).setdefault(tier, {})
        zones[zone] = zones.get(zone, 0) + subnets
    return there


def _one_zone_only(scope: Scope, start: int) -> Iterator[Keyed]:
    names = dict(Zone.objects.values_list("pk", "name"))
    there = _places_of(scope, "active")
    projects = Project.objects.filter(pk__in=there).order_by("pk")
    for project in projects.filter(pk__gte=start):
        zones = {zone for own in there[project.pk].values() for zone in own}
        many = sum(count for own in there[project.pk].values() for count in own.values())
        if len(zones) == 1 and many > 1 and 0 not in zones:
            where = names[next(iter(zones))]
            why = f"all its subnets are in {where}"
            yield project.pk, _row("project in one zone", project, None, why, "lay it out over a second zone")


def _missing_tiers(scope: Scope, start: int) -> Iterator[Keyed]:
    """Projects that have a tier in most of their zones, but not in all."""
    if scope.project:
        return
    there = _places_of(scope, "active", "retiring")
    names = {model: dict(model._default_manager.values_list("pk", "name")) for model in (Project, Tier, Zone)}
    key = -1
    for project, tiers in sorted(there.items()):
        zones = set().union(*tiers.values()) - {0}
        for tier, own in sorted(tiers.items()):
            has = own.keys() - {0}
            missing = zones - has
            if not missing or len(has) < 2 or len(missing) > len(has):
                continue
            key += 1
            if key < start:
                continue
            where = ", ".join(sorted(names[Zone][zone] for zone in missing))
            yield (
                key,
                {
                    "kind": "tier missing in a zone",
                    "what": f"{names[Project][project]}: {names[Tier][tier]}",
                    "id": project,
                    "where": where,
                    "since": None,
                    "why": f"it is in {len(has)} of {len(zones)} zones",
                    "step": f"hand one out in {where}, if it is meant to be there",
                },
            )


# What is most worth doing comes first; what may be very many, and what needs nothing done, last.
_LISTERS: list[tuple[tuple[str, ...], Lister]] = [
    (("hold about to end",), _ending_holds),
    (("reservation about to end",), _ending_reservations),
    (("public address idle",), _idle_public),
    (("pool never used", "pool empty now"), _unused_pools),
    (("planned need overdue",), _overdue_needs),
    (("silent",), _silent),
    (("project in one zone",), _one_zone_only),
    (("tier missing in a zone",), _missing_tiers),
    (("block far too wide",), _far_too_wide),
    (("block without use",), _without_hosts),
    (("cooling",), _cooling),
]
KINDS = [word for words, _ in _LISTERS for word in words]


def first_idle(
    now: datetime, count: int, realm: Realm | None = None, project: Project | None = None
) -> Iterable[Row]:
    """The first idle things of a realm or project."""
    return [row for _, row in idle_things(Scope(now, realm, project), count=count)]
