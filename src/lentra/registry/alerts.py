"""Alerts: a threshold of a pool is reached, or will be within so many days. Told once per crossing."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from datetime import timedelta
from functools import reduce
from operator import add
from typing import Any

from django.db import transaction
from django.db.models import ExpressionWrapper, F, Q
from django.db.models.functions import Least

from lentra.registry.clock import Clock
from lentra.registry.models import THRESHOLDS, Alert, Delivery, Outlook, Pool, Space
from lentra.registry.models.fields import CountField

WITHIN_DAYS = 30
_STATES = ("held", "handed_out", "room", "reserved", "cooling", "kept_out", "carved")
_USED = ExpressionWrapper(reduce(add, (F(state) for state in _STATES)), output_field=CountField())
_WHOLE = ExpressionWrapper(reduce(add, (F(state) for state in ("free", *_STATES))), output_field=CountField())


@dataclass(frozen=True)
class _Crossed:
    space: Space
    threshold: str
    stage: str
    text: str

    @property
    def key(self) -> str:
        return f"{self.space.pk}:{self.threshold}:{self.stage}"


def check_alerts(clock: Clock, within_days: int = WITHIN_DAYS, deliver: bool = False) -> dict[str, int]:
    """Open an alert for every new crossing, and resolve those that are over.

    Args:
        within_days: a threshold that is likely reached in so many days is told beforehand.
        deliver: also note each event for sending.

    Returns:
        how many were ``opened`` and ``resolved``.
    """
    now = clock.now()
    there = {crossed.key: crossed for crossed in (*_reached(), *_near(clock, within_days))}
    with transaction.atomic():
        open_now = {alert.living: alert for alert in Alert.objects.select_for_update().exclude(living=None)}
        opened = [
            Alert(
                pool_id=crossed.space.pool_id,
                family=crossed.space.family,
                threshold=crossed.threshold,
                stage=crossed.stage,
                opened_at=now,
                living=key,
                text=crossed.text,
            )
            for key, crossed in there.items()
            if key not in open_now
        ]
        for alert in opened:
            alert.save()
        over = [alert for key, alert in open_now.items() if key not in there]
        for alert in over:
            alert.living, alert.resolved_at = None, now
        Alert.objects.bulk_update(over, ["living", "resolved_at"])
        if deliver:
            events = [*((alert, "opened") for alert in opened), *((alert, "resolved") for alert in over)]
            _note_deliveries(events, clock)
    return {"opened": len(opened), "resolved": len(over)}


def alert_facts(alert: Alert) -> dict[str, Any]:
    """An alert as it is told and sent."""
    return {
        "id": alert.pk,
        "realm": alert.pool.realm.name,
        "pool": {"id": alert.pool_id, "name": alert.pool.name},
        "family": alert.family,
        "threshold": alert.threshold,
        "stage": alert.stage,
        "opened_at": alert.opened_at.isoformat().replace("+00:00", "Z"),
        "resolved_at": alert.resolved_at.isoformat().replace("+00:00", "Z") if alert.resolved_at else None,
        "text": alert.text,
    }


def _reached() -> Iterator[_Crossed]:
    """Spaces that are as full as a threshold of their pool: found by the database, from the counters."""
    threshold = Least(F("pool__warning_percent"), F("pool__critical_percent"))
    spaces = Space.objects.select_related("pool").annotate(in_use=_USED, whole=_WHOLE).filter(whole__gt=0)
    hot = spaces.filter(in_use__gte=ExpressionWrapper(F("whole") * threshold / 100, output_field=CountField()))
    for space in hot:
        usage = space.usage()
        used = usage.total - usage.free
        pool = space.pool
        percents = (pool.warning_percent, pool.critical_percent, 100)
        for threshold, percent in zip(THRESHOLDS, percents, strict=True):
            if used * 100 >= usage.total * percent:
                text = f"{pool.name}, IPv{space.family}: {usage.used_percent:.1f} % in use, {threshold} is {percent} %"
                yield _Crossed(space, threshold, "reached", text)


def _near(clock: Clock, within_days: int) -> Iterator[_Crossed]:
    """Spaces whose outlook has a threshold within so many days."""
    today = clock.now().date()
    last = today + timedelta(days=within_days)
    soon = Q(warning_on__lte=last) | Q(critical_on__lte=last) | Q(full_on__lte=last)
    for outlook in Outlook.objects.filter(soon).select_related("space__pool"):
        space = outlook.space
        usage = space.usage()
        pool = space.pool
        percents = (pool.warning_percent, pool.critical_percent, 100)
        for threshold, percent in zip(THRESHOLDS, percents, strict=True):
            day = getattr(outlook, f"{threshold}_on")
            reached = (usage.total - usage.free) * 100 >= usage.total * percent
            if day and day <= last and not reached:
                text = f"{pool.name}, IPv{space.family}: {threshold} ({percent} %) is likely on {day:%Y-%m-%d}"
                yield _Crossed(space, threshold, "near", text)


def _note_deliveries(events: Sequence[tuple[Alert, str]], clock: Clock) -> None:
    """Put events down for sending, in the transaction that they happen in."""
    numbers = [alert.pool_id for alert, _ in events]
    pools = Pool.objects.select_related("realm").in_bulk(numbers)
    rows = []
    for alert, event in events:
        alert.pool = pools[alert.pool_id]
        rows.append(
            Delivery(
                alert=alert, event=event, body={"event": event, "alert": alert_facts(alert)}, due_at=clock.now()
            )
        )
    Delivery.objects.bulk_create(rows)
