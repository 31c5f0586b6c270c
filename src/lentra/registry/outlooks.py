"""Outlooks: the forecast of every pool, worked out anew from its last readings, some pools at a time."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date
from typing import Any

from django.db.models import F, OuterRef, Subquery

from lentra.registry.clock import Clock
from lentra.registry.models import Outlook, Reading, Space
from lentra.registry.queries.headroom import Ahead, asked_lengths, history_of
from lentra.registry.queries.steps import steps_of
from lentra.registry.statements import insert

AT_ONCE = 100
_COLUMNS = ("day", "used", "warning_on", "critical_on", "full_on", "asked", "facts")


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
        ahead = Ahead(space.family, space.usage(), readings, steps.get(key, []), clock.now())
        rows.append(_outlook(space, ahead))
    insert(rows, update=_COLUMNS)
    return len(rows)


def forget_outlooks(pools: Sequence[int]) -> None:
    """The outlooks of pools are to be worked out anew: their steps or thresholds have changed."""
    Outlook.objects.filter(space__pool__in=pools).delete()


def _due(day: date) -> Any:
    """Spaces without an outlook as of today's reading."""
    reading = Reading.objects.filter(kind="pool", subject=OuterRef("pool_id"), family=OuterRef("family"), day=day)
    rows = Space.objects.select_related("pool").annotate(read=Subquery(reading.values("used")[:1]))
    return rows.filter(read__isnull=False).exclude(outlook__day=day, outlook__used=F("read")).order_by("pk")


def _outlook(space: Space, ahead: Ahead) -> Outlook:
    pool = space.pool
    facts = ahead.brief(pool.warning_percent, pool.critical_percent)
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
    )
