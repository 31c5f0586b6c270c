"""Acknowledge an alert with a reason, mute it until a day, and take both back."""

from __future__ import annotations

from datetime import datetime, timedelta

from lentra.registry.errors import Invalid, UnknownName, WrongState
from lentra.registry.models import Alert
from lentra.registry.rules.permissions import require
from lentra.registry.transactions.change import Change

LONGEST_MUTE = timedelta(days=366)


def acknowledge_alert(change: Change, number: int, reason: str, until: datetime | None = None) -> Alert:
    """Say that somebody looks after an alert. Until a moment nobody is told of it; if it is open then, it is told again.

    Raises:
        UnknownName: there is no such alert.
        WrongState: it is over.
        Invalid: no reason is given, or the end has passed or is more than a year away.
        NotAllowed: the actor is no planner.
    """
    alert = _open(change, number, "acknowledge an alert")
    if not reason.strip():
        raise Invalid("say why it is acknowledged: who looks after it, and how", field="reason")
    if until is not None and not change.now < until <= change.now + LONGEST_MUTE:
        raise Invalid(
            f"{until:%Y-%m-%d %H:%M} UTC has passed, or is more than a year away: an alert is muted for a year at most",
            field="until",
            received=until.isoformat(),
            suggestions=[(change.now + timedelta(days=7)).isoformat()],
        )
    alert.acknowledged_by = change.actor.name if change.actor else "lentra"
    alert.acknowledged_at, alert.acknowledged_why, alert.muted_until = change.now, reason.strip()[:300], until
    alert.save()
    told = {"alert": alert.pk, "reason": alert.acknowledged_why, "until": until.isoformat() if until else None}
    change.told("acknowledge", "alert", alert.text[:200], told)
    return alert


def reopen_alert(change: Change, number: int) -> Alert:
    """Take the acknowledgement of an alert back, and tell of it again.

    Raises:
        UnknownName, WrongState, NotAllowed: as for acknowledging; WrongState also where nobody has acknowledged it.
    """
    alert = _open(change, number, "take an alert up again")
    if not alert.acknowledged_by:
        raise WrongState(f"alert {alert.pk} has not been acknowledged", rule="acknowledged")
    alert.acknowledged_by, alert.acknowledged_at, alert.acknowledged_why, alert.muted_until = "", None, "", None
    alert.save()
    change.told("reopen", "alert", alert.text[:200], {"alert": alert.pk})
    return alert


def _open(change: Change, number: int, to: str) -> Alert:
    require(change.actor, "planner", to)
    alert = Alert.objects.select_for_update().filter(pk=number).first()
    if alert is None:
        raise UnknownName(f"there is no alert {number}", field="number", received=number)
    if alert.living is None:
        raise WrongState(
            f"alert {number} is over since {alert.resolved_at:%Y-%m-%d %H:%M} UTC", rule="an open alert"
        )
    return alert
