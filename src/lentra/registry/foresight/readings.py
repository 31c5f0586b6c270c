"""Taking readings, and keeping them compact: daily for two years, then weekly."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from datetime import date, datetime, timedelta

from django.db import transaction
from django.db.models import Max, QuerySet, Sum

from lentra.addressing.extents import State
from lentra.addressing.prefix import BITS
from lentra.registry.models import Quota, Reading, Space, SubnetSum
from lentra.registry.models.subnets import ANY_FAMILY
from lentra.registry.reports.usage import sum_of
from lentra.registry.rules.quotas import used_of_each
from lentra.registry.transactions.clock import Clock
from lentra.registry.transactions.sql import copy_rows, insert

DAILY_FOR = timedelta(days=730)
_LARGE_CHANGE = 100  # one part in so many of a pool
_NOT_BEFORE = timedelta(minutes=10)  # of the last ones, however much changes
_COLUMNS = ("taken_at", "revision", "used", "total", "states", "free_counts")


def take_readings(clock: Clock) -> int:
    """Take today's readings of all pools, projects, places, realms and quotas, anew if today has some; returns how many.

    Those of pools that have not changed since the last ones are copied, in one statement; where none has, all are.
    """
    now = clock.now()
    day = now.date()
    spaces = list(Space.objects.select_related("pool"))
    last = Reading.objects.filter(day__lte=day).aggregate(last=Max("day"))["last"]
    known = _revisions(last) if last else {}
    changed = [space for space in spaces if known.get((space.pool_id, space.family)) != space.revision]
    if not changed and len(known) == len(spaces):
        return _copy(Reading.objects.filter(day=last), now) if last < day else 0
    readings = [
        *_of_pools(changed),
        *_of_owners("project"),
        *_of_owners("zone"),
        *_of_owners("region"),
        *_of_realms(spaces),
        *_of_quotas(now),
    ]
    for reading in readings:
        reading.day, reading.taken_at = day, now
    with transaction.atomic():  # never half a day's
        if last and last < day:
            gone = {pool for pool, _ in known} - {space.pool_id for space in spaces}
            _copy(Reading.objects.filter(day=last, kind="pool").exclude(subject__in=gone), now)
        insert(readings, update=_COLUMNS)
    return len(readings)


def readings_due(clock: Clock) -> bool:
    """True if today has no readings yet, or a pool has changed much since they were taken some minutes ago."""
    now = clock.now()
    rows = Reading.objects.filter(day=now.date(), kind="pool")
    taken = {(row.subject, row.family): row for row in rows.only("subject", "family", "taken_at", "used")}
    spaces = list(Space.objects.all())
    if not taken:
        return bool(spaces)
    if now - max(row.taken_at for row in taken.values()) < _NOT_BEFORE:
        return False
    return any(_changed_much(space, taken.get((space.pool_id, space.family))) for space in spaces)


def _changed_much(space: Space, reading: Reading | None) -> bool:
    usage = space.usage()
    return reading is None or abs(usage.used - reading.used) * _LARGE_CHANGE > usage.total


def _revisions(day: date) -> dict[tuple[int, int], int]:
    """That of each pool's space in each family, as its readings of a day have it."""
    rows = Reading.objects.filter(day=day, kind="pool").values_list("subject", "family", "revision")
    return {(subject, family): revision for subject, family, revision in rows}


def _copy(rows: QuerySet[Reading], now: datetime) -> int:
    """Copy a day's readings to today."""
    return copy_rows(rows, {"day": now.date(), "taken_at": now}, update=_COLUMNS)


def thin_readings(clock: Clock) -> int:
    """Of each week that is older than two years, keep one day's readings; returns how many went."""
    before = clock.now().date() - DAILY_FOR
    days = list(Reading.objects.filter(day__lt=before).values_list("day", flat=True).distinct().order_by("day"))
    kept = {(day.isocalendar().year, day.isocalendar().week): day for day in days}
    extra = [day for day in days if kept[day.isocalendar().year, day.isocalendar().week] != day]
    return Reading.objects.filter(day__in=extra).delete()[0] if extra else 0


def _of_pools(spaces: Sequence[Space]) -> Iterator[Reading]:
    for space in spaces:
        usage = space.usage()
        yield Reading(
            kind="pool",
            subject=space.pool_id,
            family=space.family,
            revision=space.revision,
            used=usage.used,
            total=usage.total,
            states={state.word: str(amount) for state, amount in usage.addresses.items() if amount},
            free_counts=space.free_counts,
        )


def _of_realms(spaces: Sequence[Space]) -> Iterator[Reading]:
    """All pools of each realm together, nothing counted twice."""
    by_realm: dict[int, list[Space]] = {}
    for space in spaces:
        by_realm.setdefault(space.pool.realm_id, []).append(space)
    for realm, own in by_realm.items():
        for family, usage in sum_of(own).items():
            yield Reading(
                kind="realm",
                subject=realm,
                family=family,
                used=usage.used,
                total=usage.total,
                states={state.word: str(amount) for state, amount in usage.addresses.items() if amount},
                free_counts={str(length): count for length, count in sorted(usage.free_counts.items())},
            )


def _of_owners(kind: str) -> Iterator[Reading]:
    """What the subnets of each project, zone or region own, from the sums that are kept."""
    rows = SubnetSum.objects.filter(extents__gt=0).exclude(**{kind: 0})
    grouped = rows.values_list(kind, "family", "length", "state").annotate(n=Sum("extents")).order_by()
    used: dict[tuple[int, int], dict[str, int]] = {}
    for subject, family, length, state, n in grouped:
        states = used.setdefault((subject, family), {})
        word = State(state).word
        states[word] = states.get(word, 0) + (int(n) << (BITS[family] - length))
    for (subject, family), states in used.items():
        yield Reading(
            kind=kind,
            subject=subject,
            family=family,
            used=sum(states.values()),
            states={word: str(amount) for word, amount in states.items()},
        )


def _of_quotas(now: datetime) -> Iterator[Reading]:
    """What is used of each quota."""
    for used in used_of_each(list(Quota.objects.order_by("pk")), now):
        states = {row["what"]: str(row["used"]) for row in used.told()}
        yield Reading(kind="quota", subject=used.quota.pk, family=ANY_FAMILY, states=states)
