"""Taking readings, and keeping them compact: daily for two years, then weekly."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import date, timedelta

from django.db.models import Count

from lentra.addressing.extents import State
from lentra.addressing.prefix import BITS
from lentra.registry.clock import Clock
from lentra.registry.models import ExtentRow, Reading, Space
from lentra.registry.queries.headroom import whole_of
from lentra.registry.statements import insert

DAILY_FOR = timedelta(days=730)
_LARGE_CHANGE = 100  # one part in so many of a pool
_COLUMNS = ("used", "total", "states", "free_counts")


def take_readings(clock: Clock) -> int:
    """Take today's readings of all pools, projects and zones, anew if today has some; returns how many."""
    day = clock.now().date()
    readings = [*_of_pools(day), *_of_owners(day, "project"), *_of_owners(day, "zone"), *_of_realms(day)]
    insert(readings, update=_COLUMNS)
    return len(readings)


def readings_due(clock: Clock) -> bool:
    """True if today has no readings yet, or a pool has changed much since they were taken."""
    day = clock.now().date()
    taken = dict(Reading.objects.filter(day=day, kind="pool").values_list("subject", "used"))
    if not taken:
        return Space.objects.exists()
    used: dict[int, int] = {}
    totals: dict[int, int] = {}
    for space in Space.objects.filter(family=4):
        usage = space.usage()
        used[space.pool_id], totals[space.pool_id] = usage.total - usage.free, usage.total
    rows = Reading.objects.filter(day=day, kind="pool", family=4).values_list("subject", "used")
    then = dict(rows)
    return any(abs(used[pool] - then.get(pool, 0)) * _LARGE_CHANGE > totals[pool] for pool in used)


def thin_readings(clock: Clock) -> int:
    """Of each week that is older than two years, keep one day's readings; returns how many went."""
    before = clock.now().date() - DAILY_FOR
    days = list(Reading.objects.filter(day__lt=before).values_list("day", flat=True).distinct().order_by("day"))
    kept = {(day.isocalendar().year, day.isocalendar().week): day for day in days}
    extra = [day for day in days if kept[day.isocalendar().year, day.isocalendar().week] != day]
    return Reading.objects.filter(day__in=extra).delete()[0] if extra else 0


def _of_pools(day: date) -> Iterator[Reading]:
    for space in Space.objects.all():
        usage = space.usage()
        yield Reading(
            kind="pool",
            subject=space.pool_id,
            family=space.family,
            day=day,
            used=usage.total - usage.free,
            total=usage.total,
            states={state.word: str(amount) for state, amount in usage.addresses.items() if amount},
            free_counts=space.free_counts,
        )


def _of_realms(day: date) -> Iterator[Reading]:
    """All pools of each realm together, nothing counted twice."""
    spaces: dict[int, list[Space]] = {}
    for space in Space.objects.select_related("pool"):
        spaces.setdefault(space.pool.realm_id, []).append(space)
    for realm, own in spaces.items():
        for family, usage in whole_of(own).items():
            yield Reading(
                kind="realm",
                subject=realm,
                family=family,
                day=day,
                used=usage.total - usage.free,
                total=usage.total,
                states={state.word: str(amount) for state, amount in usage.addresses.items() if amount},
                free_counts={str(length): count for length, count in sorted(usage.free_counts.items())},
            )


def _of_owners(day: date, kind: str) -> Iterator[Reading]:
    """What the subnets of each project (or zone) own, by one grouped statement."""
    rows = ExtentRow.objects.filter(subnet__isnull=False, **{f"subnet__{kind}__isnull": False})
    grouped = rows.values(f"subnet__{kind}", "family", "length", "state").annotate(n=Count("id")).order_by()
    used: dict[tuple[int, int], dict[str, int]] = {}
    for row in grouped:
        states = used.setdefault((row[f"subnet__{kind}"], row["family"]), {})
        word = State(row["state"]).word
        states[word] = states.get(word, 0) + (row["n"] << (BITS[row["family"]] - row["length"]))
    for (subject, family), states in used.items():
        yield Reading(
            kind=kind,
            subject=subject,
            family=family,
            day=day,
            used=sum(states.values()),
            states={word: str(amount) for word, amount in states.items()},
        )
