"""Outlooks: the forecast of every pool, worked out anew from its last readings, some pools at a time."""

from __future__ import annotations

from datetime import date
from typing import Any

from django.db.models import F, OuterRef, Q, Subquery

from lentra.registry.foresight.headroom import SpaceForecast, asked_lengths, history_of
from lentra.registry.foresight.steps import steps_of
from lentra.registry.models import Outlook, Reading, Space
from lentra.registry.models.foresight import basis_of
from lentra.registry.transactions.clock import Clock
from lentra.registry.transactions.sql import insert

AT_ONCE = 100
_COLUMNS = (
    *("day", "used", "warning_on", "critical_on", "full_on", "asked", "facts"),
    *("pool_entry", "needs_entry", "needs_count"),
)


def refresh_outlooks(clock: Clock, most: int = AT_ONCE) -> int:
    """Work out the outlooks of up to so many spaces whose readings are newer than they are; returns how many."""
    due = list(_due(clock.now().date())[:most])
    if not due:
        return 0
    pools = [space.pool_id for space in due]
    history, steps = history_of("pool", pools), steps_of(pools, clock.now())
    rows = []
    today = clock.now().date()
    for space in due:
        key = (space.pool_id, space.family)
        # Readings of days to come (a clock was wrong once) would keep this space due for ever.
        readings = [reading for reading in history.get(key, []) if reading.day <= today]
        ahead = SpaceForecast(space.family, space.usage(), readings, steps.get(key, []), clock.now())
        rows.append(_outlook(space, ahead))
    insert(rows, update=_COLUMNS)
    return len(rows)


def _due(day: date) -> Any:
    """Spaces whose outlook is not as of today's reading, or stands on what has changed since."""
    reading = Reading.objects.filter(kind="pool", subject=OuterRef("pool_id"), family=OuterRef("family"), day=day)
    rows = Space.objects.select_related("pool").annotate(
        read=Subquery(reading.values("used")[:1]), **basis_of("pool")
    )
    known = Q(outlook__day=day, outlook__used=F("read"), outlook__pool_entry=F("now_pool"))
    known &= Q(outlook__needs_entry=F("now_needs"), outlook__needs_count=F("now_count"))
    return rows.filter(read__isnull=False).exclude(known).order_by("pk")


def _outlook(space: Space, ahead: SpaceForecast) -> Outlook:
    pool = space.pool
    facts = ahead.brief(pool.thresholds())
    likely = {
        row["name"]: date.fromisoformat(row["likely"]) if row["likely"] and not row["reached"] else None
        for row in facts["thresholds"]
    }
    return Outlook(
        space=space,
        day=ahead.readings[-1].day,
        used=ahead.readings[-1].used,
        warning_on=likely["warning"],
        critical_on=likely["critical"],
        full_on=likely["full"],
        asked=asked_lengths(pool.pk, space.family, ahead.now),
        facts=facts,
        pool_entry=space.now_pool,
        needs_entry=space.now_needs,
        needs_count=space.now_count,
    )
