"""Alerts: a threshold of a pool is reached, or will be within so many days; or the daily verification has found something.

One for each pool and family, at its highest stage, told once per crossing; one for each realm in which something does not
hold, and for each kind of grave findings in it; one for each source that cannot be asked.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Any

from django.db.models import Count, ExpressionWrapper, F, Q
from django.db.models.functions import Least

from lentra.addressing.headroom import THRESHOLDS
from lentra.registry.models import Alert, Finding, KeepOut, Look, Outlook, Space, Verified
from lentra.registry.models.fields import CountField
from lentra.registry.transactions.change import Change
from lentra.registry.transactions.clock import Clock
from lentra.registry.transactions.run import run_transaction

WITHIN_DAYS = 30
_TOLD_BY_ALERT = ("exposed", "cut-off", "clash", "stray")  # findings that do not wait for somebody to look
_PATIENCE = timedelta(hours=1)  # with a source that cannot be asked


@dataclass(frozen=True)
class _Broken:
    verified: Verified

    @property
    def key(self) -> str:
        return f"verification:{self.verified.realm_id}"

    def alert(self) -> Alert:
        found = self.verified
        text = f"{found.realm.name}: {found.offences} things that must hold do not; {found.text}"[:300]
        return Alert(kind="verification", realm_id=found.realm_id, text=text)


@dataclass(frozen=True)
class _Due:
    """A keep-out that is to be looked at again."""

    keep_out: KeepOut

    @property
    def key(self) -> str:
        return f"review:{self.keep_out.pk}"

    def alert(self) -> Alert:
        due = self.keep_out
        text = (
            f"{due.range_text} ({due.reason}) was to be looked at again on {due.review_on}: does it still hold?"[
                :300
            ]
        )
        return Alert(kind="review", realm_id=due.realm_id, text=text)


@dataclass(frozen=True)
class _Differs:
    """Open findings of one kind in a realm."""

    realm: int
    kind: str
    count: int

    @property
    def key(self) -> str:
        return f"findings:{self.realm}:{self.kind}"

    def alert(self) -> Alert:
        first = Finding.objects.filter(realm=self.realm, state="open", kind=self.kind).order_by("pk")[0]
        more = f", and {self.count - 1:,} more" if self.count > 1 else ""
        return Alert(kind="findings", realm_id=self.realm, text=f"{self.kind}: {first.text}{more}"[:300])


@dataclass(frozen=True)
class _Failing:
    """A source that cannot be asked."""

    look: Look

    @property
    def key(self) -> str:
        return f"source:{self.look.pk}"

    def alert(self) -> Alert:
        source, since = self.look.source, self.look.failing_since
        text = f"source {source.name} cannot be asked since {since:%Y-%m-%d %H:%M} UTC: {self.look.outcome}"
        return Alert(kind="source", realm_id=source.realm_id, text=text[:300])


@dataclass(frozen=True)
class _Crossed:
    space: Space
    threshold: str
    stage: str
    text: str

    @property
    def key(self) -> str:
        return f"{self.space.pk}:{self.threshold}:{self.stage}"

    @property
    def rank(self) -> tuple[int, bool]:
        """The higher threshold first, then what is reached before what is near."""
        return THRESHOLDS.index(self.threshold), self.stage == "reached"

    def alert(self) -> Alert:
        space = self.space
        more = {"family": space.family, "threshold": self.threshold, "stage": self.stage, "text": self.text}
        return Alert(kind="threshold", realm_id=space.realm_id, pool_id=space.pool_id, **more)


_One = _Crossed | _Broken | _Due | _Differs | _Failing


def check_alerts(clock: Clock, within_days: int = WITHIN_DAYS) -> dict[str, int]:
    """Open an alert for every new crossing, and resolve those that are over; each is entered in the ledger, unless muted.

    Args:
        within_days: a threshold that is likely reached in so many days is told beforehand.

    Returns:
        how many were ``opened`` and ``resolved``.
    """
    now = clock.now()
    highest: dict[int, _Crossed] = {}  # one a space, at its highest stage
    for crossed in (*_reached(), *_near(clock, within_days)):
        known = highest.get(crossed.space.pk)
        if known is None or crossed.rank > known.rank:
            highest[crossed.space.pk] = crossed
    broken = [_Broken(row) for row in Verified.objects.filter(offences__gt=0).select_related("realm")]
    reviews = [_Due(row) for row in KeepOut.objects.filter(review_on__lte=now.date())]
    found: list[_One] = [*highest.values(), *broken, *reviews, *_differing(), *_failing(now)]
    there = {one.key: one for one in found}
    if not there and not Alert.objects.exclude(living=None).exists():
        return {"opened": 0, "resolved": 0}
    outcome = run_transaction(
        lambda change: _compared(change, there), clock=clock, render=lambda counts, change: counts
    )
    counts: dict[str, int] = outcome.answer
    return counts


def _compared(change: Change, there: Mapping[str, _One]) -> dict[str, int]:
    """Open what is there and was not, resolve what was and is there no more, tell again what was muted for a time."""
    now = change.now
    open_now = {alert.living: alert for alert in Alert.objects.select_for_update().exclude(living=None)}
    opened = []
    for key, one in there.items():
        if key not in open_now:
            alert = one.alert()
            alert.opened_at, alert.living = now, key
            alert.save()
            opened.append(alert)
    heard = [alert for alert in open_now.values() if alert.muted_until is not None and alert.muted_until <= now]
    for alert in heard:
        alert.muted_until = None
    Alert.objects.bulk_update(heard, ["muted_until"])
    muted = {alert.pk for alert in open_now.values() if alert.is_muted(now)}
    over = [alert for key, alert in open_now.items() if key not in there]
    for alert in over:
        alert.living, alert.resolved_at = None, now
    Alert.objects.bulk_update(over, ["living", "resolved_at"])
    again = [alert for alert in heard if alert.living is not None]  # was muted, and is still open
    _tell(change, "open", [*opened, *again])
    _tell(change, "resolve", [alert for alert in over if alert.pk not in muted])
    return {"opened": len(opened), "resolved": len(over)}


def _tell(change: Change, verb: str, alerts: Sequence[Alert]) -> None:
    """Enter alerts in the ledger: whoever has asked to be told of them is sent that."""
    known = Alert.objects.select_related("realm", "pool").in_bulk([alert.pk for alert in alerts])
    for alert in alerts:
        facts = alert_facts(known[alert.pk])
        change.told(verb, "alert", alert.text[:200], facts, realm=alert.realm_id)


def alert_facts(alert: Alert) -> dict[str, Any]:
    """An alert as it is told and sent."""
    return {
        "id": alert.pk,
        "kind": alert.kind,
        "realm": alert.realm.name,
        "pool": {"id": alert.pool_id, "name": alert.pool.name} if alert.pool else None,
        "family": alert.family,
        "threshold": alert.threshold,
        "stage": alert.stage,
        "opened_at": alert.opened_at,
        "resolved_at": alert.resolved_at,
        "text": alert.text,
        "acknowledged_by": alert.acknowledged_by or None,
        "acknowledged_at": alert.acknowledged_at,
        "acknowledged_why": alert.acknowledged_why,
        "muted_until": alert.muted_until,
    }


def _reached() -> Iterator[_Crossed]:
    """Spaces that are as full as a threshold of their pool: found by the database, from the counters."""
    least = Least(F("pool__warning_percent"), F("pool__critical_percent"))
    may_be_free = ExpressionWrapper(F("total") * (100 - least) / 100, output_field=CountField())
    hot = Space.objects.select_related("pool").filter(total__gt=0, free__lte=may_be_free)
    for space in hot:
        usage, pool = space.usage(), space.pool
        for threshold, percent in pool.thresholds().items():
            if usage.reaches(percent):
                text = f"{pool.name}, IPv{space.family}: {usage.used_percent:.1f} % in use, {threshold} is {percent} %"
                yield _Crossed(space, threshold, "reached", text)


def _differing() -> Iterator[_Differs]:
    rows = Finding.objects.filter(state="open", kind__in=_TOLD_BY_ALERT).values("realm", "kind")
    for row in rows.annotate(count=Count("pk")).order_by():
        yield _Differs(row["realm"], row["kind"], row["count"])


def _failing(now: datetime) -> Iterator[_Failing]:
    rows = Look.objects.filter(failing_since__lte=now - _PATIENCE).select_related("source")
    yield from (_Failing(look) for look in rows)


def _near(clock: Clock, within_days: int) -> Iterator[_Crossed]:
    """Spaces whose outlook has a threshold within so many days."""
    today = clock.now().date()
    last = today + timedelta(days=within_days)
    soon = Q(warning_on__lte=last) | Q(critical_on__lte=last) | Q(full_on__lte=last)
    for outlook in Outlook.objects.standing().filter(soon).select_related("space__pool"):
        space = outlook.space
        usage, pool = space.usage(), space.pool
        for threshold, percent in pool.thresholds().items():
            day = outlook.day_of(threshold)
            if day and day <= last and not usage.reaches(percent):
                text = f"{pool.name}, IPv{space.family}: {threshold} ({percent} %) is likely on {day:%Y-%m-%d}"
                yield _Crossed(space, threshold, "near", text)
