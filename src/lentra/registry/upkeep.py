"""Upkeep: the service's own regular work. One process at a time does it, by a lease."""

from __future__ import annotations

import uuid
from datetime import timedelta

from django.db import IntegrityError, transaction

from lentra.registry.alerts import WITHIN_DAYS, check_alerts
from lentra.registry.clock import Clock, SystemClock
from lentra.registry.endings import settle_all_due
from lentra.registry.envelope import KEY_LIFETIME
from lentra.registry.models import Lease, Operation
from lentra.registry.outlooks import refresh_outlooks
from lentra.registry.readings import readings_due, take_readings, thin_readings

_LEASE = "upkeep"
_LEASE_LASTS = timedelta(seconds=60)


def take_lease(holder: uuid.UUID, clock: Clock) -> bool:
    """Take or renew the lease; False while another process has it."""
    now = clock.now()
    try:
        with transaction.atomic():
            lease = Lease.objects.select_for_update().filter(pk=_LEASE).first()
            if lease and lease.holder != holder and lease.until > now:
                return False
            Lease.objects.update_or_create(pk=_LEASE, defaults={"holder": holder, "until": now + _LEASE_LASTS})
            return True
    except IntegrityError:
        return False


def run_upkeep(
    clock: Clock | None = None, *, alert_within_days: int = WITHIN_DAYS, deliver_alerts: bool = False
) -> dict[str, int]:
    """Do what is due; returns how much of each.

    Ended holds, cooling and reservations; forgotten keys; readings taken and thinned; outlooks worked out anew; alerts.
    """
    clock = clock or SystemClock()
    done = {"ended": settle_all_due(clock), "forgotten_keys": _forget_keys(clock)}
    done["readings"] = take_readings(clock) if readings_due(clock) else 0
    done["thinned"] = thin_readings(clock) if done["readings"] else 0
    done["outlooks"] = refresh_outlooks(clock)
    alerts = check_alerts(clock, alert_within_days, deliver_alerts)
    return done | {f"alerts_{what}": count for what, count in alerts.items()}


def _forget_keys(clock: Clock) -> int:
    old = Operation.objects.filter(at__lt=clock.now() - 2 * KEY_LIFETIME)
    forgotten = 0
    while batch := list(old.values_list("pk", flat=True)[:5000]):
        forgotten += Operation.objects.filter(pk__in=batch).delete()[0]
    return forgotten
