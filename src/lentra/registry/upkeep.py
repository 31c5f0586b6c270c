"""Upkeep: the service's own regular work. One process at a time does it, by a lease.

A round is made of steps. One that fails is logged and counted, and the others are done all the same.
"""

from __future__ import annotations

import logging
import uuid
from collections.abc import Callable
from datetime import timedelta
from typing import Any

from django.contrib.sessions.models import Session
from django.db import DatabaseError, IntegrityError, InterfaceError, OperationalError, connection, transaction
from django.db.models import F, QuerySet

from lentra.registry.foresight.alerts import WITHIN_DAYS, check_alerts
from lentra.registry.foresight.outlooks import refresh_outlooks
from lentra.registry.foresight.readings import readings_due, take_readings, thin_readings
from lentra.registry.intakes.asking import KEPT
from lentra.registry.models import (
    IntakePart,
    IntakeRow,
    Lease,
    Letter,
    OpenSession,
    Operation,
    Realm,
    Sighting,
    SignInCount,
    SpentCode,
    Verified,
)
from lentra.registry.operations.waiting.handle import look_after_waiting
from lentra.registry.reports.verify import verify
from lentra.registry.rules.sign_ins import CODES_KEPT, FORGOTTEN_AFTER
from lentra.registry.space.expiry import due_pools
from lentra.registry.space.locking import open_pools
from lentra.registry.transactions.change import Change
from lentra.registry.transactions.clock import Clock, SystemClock
from lentra.registry.transactions.run import KEY_LIFETIME, run_transaction

logger = logging.getLogger(__name__)
LATE_AFTER = timedelta(minutes=5)  # without a whole round
VERIFIED_EVERY = timedelta(days=1)
LETTERS_KEPT = timedelta(days=30)
SIGHTINGS_KEPT = timedelta(days=400)  # of what is seen no more
_LEASE = "upkeep"
_LEASE_LASTS = timedelta(seconds=60)
_LONG_STEP_LASTS = timedelta(minutes=5)
_AT_ONCE = 5000  # rows deleted in one statement


def take_lease(holder: uuid.UUID, clock: Clock, lasts: timedelta = _LEASE_LASTS, name: str = _LEASE) -> bool:
    """Take or renew a lease; False while another process has it."""
    now = clock.now()
    try:
        with transaction.atomic():
            lease = Lease.objects.select_for_update().filter(pk=name).first()
            if lease and lease.holder != holder and lease.until > now:
                return False
            Lease.objects.update_or_create(pk=name, defaults={"holder": holder, "until": now + lasts})
            return True
    except IntegrityError:
        return False


def round_done(holder: uuid.UUID, clock: Clock) -> None:
    """Note that a whole round is done."""
    Lease.objects.filter(pk=_LEASE, holder=holder).update(round_at=clock.now())


def run_upkeep(
    clock: Clock | None = None,
    *,
    alert_within_days: int = WITHIN_DAYS,
    still_ours: Callable[[timedelta], bool] = lambda lasts: True,
) -> dict[str, int]:
    """Do what is due; returns how much of each, and how many steps have ``failed``.

    Ended holds, cooling and reservations; requests that wait too long; readings taken and thinned; outlooks worked out
    anew; one realm verified, if one has not been for a day; alerts; what is old forgotten.

    Raises:
        OperationalError, InterfaceError: the database is away, or in the way: the round is put off.

    Args:
        still_ours: renews the lease for so long before each step; False if another process has taken it.
    """
    clock = clock or SystemClock()
    done: dict[str, int] = {"failed": 0}

    def step(name: str, work: Callable[[], int], lasts: timedelta = _LEASE_LASTS) -> None:
        try:
            if still_ours(lasts):
                done[name] = work()
        except (OperationalError, InterfaceError):
            raise  # the database is away: so it is for the next step
        except Exception as failure:
            logger.exception("upkeep: %s failed", name)
            done["failed"] += 1
            if isinstance(failure, DatabaseError):
                connection.close()

    step("ended", lambda: expire_all_due(clock))
    step("waiting", lambda: sum(look_after_waiting(clock).values()))
    step("readings", lambda: take_readings(clock) if readings_due(clock) else 0)
    step("thinned", lambda: thin_readings(clock) if done.get("readings") else 0)
    step("outlooks", lambda: refresh_outlooks(clock))
    step("verified", lambda: verify_next(clock), _LONG_STEP_LASTS)
    step("alerts", lambda: _alerts(clock, alert_within_days, done))
    for name, rows in _forgettable(clock).items():
        step(f"forgotten_{name}", lambda rows=rows: _forget(rows))  # type: ignore[misc]
    return done


def expire_all_due(clock: Clock) -> int:
    """End what is due in every pool, each in a change of its own; returns in how many. One statement if nothing is."""

    def open_only(change: Change, pool: int) -> None:
        with open_pools(change, [pool]):
            pass  # whoever opens a pool ends what is due in it

    pools = due_pools(clock.now())
    for pool in pools:
        run_transaction(lambda change, pool=pool: open_only(change, pool), clock=clock)  # type: ignore[misc]
    return len(pools)


def verify_next(clock: Clock) -> int:
    """Verify the realm that has waited longest, if that is a day: the work is spread over the rounds. Returns how many."""
    now = clock.now()
    rows = Realm.objects.exclude(verified__at__gt=now - VERIFIED_EVERY)
    realm = rows.order_by(F("verified__at").asc(nulls_first=True), "pk").first()
    if realm is None:
        return 0
    found = verify(realm)["offences"]
    if found:
        logger.error("verification of %s: %d offences, first %s", realm.name, len(found), found[0])
    text = f"{found[0]['where']}: {found[0]['what']}"[:300] if found else ""
    Verified.objects.update_or_create(realm=realm, defaults={"at": now, "offences": len(found), "text": text})
    return 1


def _alerts(clock: Clock, within_days: int, done: dict[str, int]) -> int:
    told = check_alerts(clock, within_days)
    done |= {f"alerts_{what}": count for what, count in told.items()}
    return sum(told.values())


def _forgettable(clock: Clock) -> dict[str, QuerySet[Any]]:
    """What is of no use any more."""
    now = clock.now()
    return {
        "keys": Operation.objects.filter(at__lt=now - 2 * KEY_LIFETIME),
        "sessions": Session.objects.filter(expire_date__lt=now),
        "session_notes": OpenSession.objects.exclude(key__in=Session.objects.values("session_key")),
        "sign_ins": SignInCount.objects.filter(last_at__lt=now - FORGOTTEN_AFTER),
        "spent_codes": SpentCode.objects.filter(at__lt=now - CODES_KEPT),
        "letters": Letter.objects.filter(made_at__lt=now - LETTERS_KEPT),
        "sightings": Sighting.objects.filter(lost_at__lt=now - SIGHTINGS_KEPT),
        "intake_files": IntakePart.objects.filter(intake__created_at__lt=now - KEPT),
        "intake_rows": IntakeRow.objects.filter(intake__created_at__lt=now - KEPT),
    }


def _forget(rows: QuerySet[Any]) -> int:
    forgotten = 0
    while batch := list(rows.values_list("pk", flat=True)[:_AT_ONCE]):
        forgotten += rows.model._default_manager.filter(pk__in=batch).delete()[0]
    return forgotten
