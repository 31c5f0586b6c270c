"""Idle and odd things, each with its age and a proposed step."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import UTC, datetime, timedelta
from typing import Any

from django.db.models import Count, F, Q, QuerySet

from lentra.addressing.extents import State
from lentra.addressing.refusal import Refusal
from lentra.addressing.sizing import hosts_with_growth, size_by_hosts
from lentra.registry.models import (
    ExtentRow,
    PlannedNeed,
    Pool,
    Project,
    Reading,
    Realm,
    Reservation,
    Space,
    Subnet,
    Tier,
    Zone,
)

SOON = timedelta(days=14)
GRACE = timedelta(days=30)  # what is younger is not idle: its addresses may yet come
_FAR_BELOW = 4  # a block so many times as wide as it need be
_EACH = 200


def idle_things(now: datetime, realm: Realm | None = None, project: Project | None = None) -> list[dict[str, Any]]:
    """Everything idle or odd, the oldest of each kind first.

    Returns:
        rows with ``kind``, ``what`` (name), ``id``, ``where``, ``since``, ``days`` of age, ``why`` and ``step``.
    """
    found = [
        *_without_hosts(now, realm, project),
        *_far_too_wide(realm, project),
        *_ending_soon(now, realm, project),
        *_idle_public(now, realm, project),
        *_cooling(realm, project),
    ]
    if project is None:
        found += [*_unused_pools(realm), *_missing_tiers(realm), *_overdue_needs(now, realm)]
    found += _one_zone_only(realm, project)
    for row in found:
        since = row.get("since")
        row["days"] = abs((now - since).days) if since else None
        row["since"] = since
    return found


def idle_subnets(pool: Pool, now: datetime) -> list[Subnet]:
    """The subnets of a pool that nothing has used for a while: no address recorded, or a public one attached to nothing."""
    rows = Subnet.objects.filter(state="active", pool=pool, created_at__lte=now - GRACE)
    return [*_hostless(rows).order_by("created_at")[:_EACH], *_unattached(rows).order_by("created_at")[:_EACH]]


def _hostless(rows: QuerySet[Subnet]) -> QuerySet[Subnet]:
    rows = rows.filter(addresses=None, dhcp="").exclude(pool__exposure="public")
    return rows.filter(extents__state=State.HANDED_OUT, extents__length__lt=31, extents__family=4).distinct()


def _unattached(rows: QuerySet[Subnet]) -> QuerySet[Subnet]:
    single = ExtentRow.objects.filter(length__in=(32, 128), pool__exposure="public").values("subnet")
    return rows.filter(pool__exposure="public", attached_to="", pk__in=single)


def _subnets(realm: Realm | None, project: Project | None) -> QuerySet[Subnet]:
    rows = Subnet.objects.filter(state="active").select_related("pool__sheet", "zone", "region", "project")
    if realm:
        rows = rows.filter(realm=realm)
    return rows.filter(project=project) if project else rows


def _row(kind: str, record: Any, since: Any, why: str, step: str) -> dict[str, Any]:
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


def _without_hosts(now: datetime, realm: Realm | None, project: Project | None) -> Iterator[dict[str, Any]]:
    rows = _hostless(_subnets(realm, project).filter(created_at__lte=now - GRACE))
    for subnet in rows.order_by("created_at")[:_EACH]:
        expected = f"although {subnet.hosts:,} hosts are expected" if subnet.hosts else "and no hosts expected"
        step = f"ask {subnet.project.name}, then record its addresses or give it back"
        yield _row("block without use", subnet, subnet.created_at, f"no address recorded, {expected}", step)


def _far_too_wide(realm: Realm | None, project: Project | None) -> Iterator[dict[str, Any]]:
    """Blocks several times as wide as their expected hosts need."""
    rows = _subnets(realm, project).filter(hosts__isnull=False, extents__state=State.HANDED_OUT, extents__family=4)
    shown = 0
    for subnet in rows.annotate(length=F("extents__length")).order_by("extents__length", "created_at")[
        : 20 * _EACH
    ]:
        sheet = subnet.pool.sheet.rules()
        try:
            size = size_by_hosts(subnet.hosts or 1, sheet, growth=subnet.growth)
        except Refusal:
            continue
        if size.length > subnet.length and 1 << (size.length - subnet.length) >= _FAR_BELOW:
            usable = sheet.family(4).usable_of(1 << (32 - subnet.length))
            needed = hosts_with_growth(subnet.hosts or 1, subnet.growth)
            yield _row(
                "block far too wide",
                subnet,
                subnet.created_at,
                f"/{subnet.length} has {usable:,} usable addresses, {needed:,} are expected",
                f"shrink it to /{size.length}",
            )
            shown += 1
            if shown == _EACH:
                return


def _ending_soon(now: datetime, realm: Realm | None, project: Project | None) -> Iterator[dict[str, Any]]:
    kept = Reservation.objects.filter(ends_at__lte=now + SOON).select_related("pool")
    held = Subnet.objects.filter(state="held").select_related("pool")
    if realm:
        kept, held = kept.filter(realm=realm), held.filter(realm=realm)
    if project:
        kept, held = kept.filter(projects=project), held.filter(project=project)
    for reservation in kept.order_by("ends_at")[:_EACH]:
        why = f"falls back on {reservation.ends_at:%Y-%m-%d %H:%M} UTC: {reservation.reason}"
        yield _row(
            "reservation about to end",
            reservation,
            reservation.created_at,
            why,
            "move its end, or let it fall back",
        )
    for subnet in held.order_by("ends_at")[:_EACH]:
        why = f"held until {subnet.ends_at:%Y-%m-%d %H:%M} UTC"
        yield _row("hold about to end", subnet, subnet.created_at, why, "confirm it, or let it fall back")


def _idle_public(now: datetime, realm: Realm | None, project: Project | None) -> Iterator[dict[str, Any]]:
    rows = _subnets(realm, project).filter(created_at__lte=now - GRACE)
    for subnet in _unattached(rows).order_by("created_at")[:_EACH]:
        yield _row(
            "public address idle", subnet, subnet.created_at, "attached to nothing", "attach it, or give it back"
        )


def _cooling(realm: Realm | None, project: Project | None) -> Iterator[dict[str, Any]]:
    rows = Subnet.objects.filter(state="cooling").select_related("pool")
    rows = rows.filter(realm=realm) if realm else rows
    rows = rows.filter(project=project) if project else rows
    for subnet in rows.order_by("ends_at")[:_EACH]:
        why = f"cools until {subnet.ends_at:%Y-%m-%d %H:%M} UTC"
        yield _row("cooling", subnet, None, why, "nothing, or free it at once")


def _unused_pools(realm: Realm | None) -> Iterator[dict[str, Any]]:
    used = Space.objects.exclude(handed_out=0, held=0, room=0, reserved=0, cooling=0, carved=0).values("pool")
    rows = Pool.objects.exclude(pk__in=used)
    for pool in (rows.filter(realm=realm) if realm else rows).order_by("pk")[:_EACH]:
        readings = Reading.objects.filter(kind="pool", subject=pool.pk, states__has_key=State.HANDED_OUT.word)
        if last := readings.order_by("-day").first():
            since = datetime.combine(last.day, datetime.min.time(), UTC)
            step = "keep it if its time comes again, else give it back"
            yield _row("pool empty now", pool, since, f"it was last used on {last.day}", step)
        else:
            yield _row("pool never used", pool, None, "nothing was handed out of it", "use it, or give it back")


def _overdue_needs(now: datetime, realm: Realm | None) -> Iterator[dict[str, Any]]:
    rows = PlannedNeed.objects.filter(day__lt=now.date()).select_related("pool")
    for need in (rows.filter(pool__realm=realm) if realm else rows).order_by("day")[:_EACH]:
        why = f"its day, {need.day}, has passed: forecasts count it no more"
        since = datetime.combine(need.day, datetime.min.time(), now.tzinfo)
        yield _row("planned need overdue", need, since, why, "move its day, or remove it")


def _one_zone_only(realm: Realm | None, project: Project | None) -> Iterator[dict[str, Any]]:
    scope = {"subnets__realm": realm} if realm else {}
    rows = Project.objects.filter(subnets__state="active", **scope)
    if project:
        rows = rows.filter(pk=project.pk)
    counted = rows.annotate(
        zones=Count("subnets__zone", distinct=True),
        many=Count("subnets"),
        elsewhere=Count("subnets", filter=Q(subnets__zone=None)),  # in a region, without a zone
    )
    for one in counted.filter(zones=1, many__gt=1, elsewhere=0).order_by("name")[:_EACH]:
        zone = Zone.objects.filter(subnets__project=one, subnets__state="active", **scope).first()
        where = zone.name if zone else "one zone"
        yield _row(
            "project in one zone", one, None, f"all its subnets are in {where}", "lay it out over a second zone"
        )


def _missing_tiers(realm: Realm | None) -> Iterator[dict[str, Any]]:
    """Projects that have a tier in most of their zones, but not in all."""
    rows = Subnet.objects.filter(Q(state="active") | Q(state="retiring"), zone__isnull=False)
    rows = rows.filter(realm=realm) if realm else rows
    there: dict[int, dict[int, set[int]]] = {}
    for project, tier, zone in rows.values_list("project", "tier", "zone").distinct().order_by():
        there.setdefault(project, {}).setdefault(tier, set()).add(zone)
    names = {model: dict(model._default_manager.values_list("pk", "name")) for model in (Project, Tier, Zone)}
    shown = 0
    for project, tiers in sorted(there.items()):
        zones = set().union(*tiers.values())
        for tier, has in sorted(tiers.items()):
            missing = zones - has
            if missing and len(has) >= 2 and len(missing) <= len(has) and shown < _EACH:
                shown += 1
                where = ", ".join(sorted(names[Zone][zone] for zone in missing))
                yield {
                    "kind": "tier missing in a zone",
                    "what": f"{names[Project][project]}: {names[Tier][tier]}",
                    "id": project,
                    "where": where,
                    "since": None,
                    "why": f"it is in {len(has)} of {len(zones)} zones",
                    "step": f"hand one out in {where}, if it is meant to be there",
                }
