"""The clock that every change is given, so that time can be set in tests and in the demo's history.

The moment comes from the database: a host whose own clock is wrong harms nobody. Each new connection asks once what time it
is; from then on this process's monotonic clock counts, which nobody sets.
"""

from __future__ import annotations

import time
from datetime import UTC, date, datetime, timedelta
from datetime import time as time_of_day
from typing import Any, Protocol

from django.db import connection
from django.db.backends.signals import connection_created

_asked: tuple[datetime, float] | None = None  # what the database said, and this process's monotonic time then


class Clock(Protocol):
    """Tells the time."""

    def now(self) -> datetime:
        """The present moment, in UTC."""


class SystemClock:
    """The clock of the database that this process last connected to."""

    def now(self) -> datetime:
        if _asked is None:
            connection.ensure_connection()
        return database_time().replace(microsecond=0)


class SetClock:
    """A clock that stands at a moment until it is moved."""

    def __init__(self, moment: datetime) -> None:
        self.moment = moment

    def now(self) -> datetime:
        return self.moment


def start_of(day: date) -> datetime:
    """The first moment of a day, in UTC."""
    return datetime.combine(day, time_of_day.min, UTC)


def database_time() -> datetime:
    """The database's time as this process counts on from when it last asked; the host's if it never has."""
    if _asked is None:
        return datetime.now(UTC)
    said, then = _asked
    return said + timedelta(seconds=time.monotonic() - then)


def host_is_ahead() -> float:
    """Seconds by which this host's clock is ahead of the database's; below zero if it is behind."""
    return (datetime.now(UTC) - database_time()).total_seconds()


def _ask(connection: Any, **_: Any) -> None:
    global _asked
    with connection.cursor() as cursor:
        cursor.execute("SELECT UTC_TIMESTAMP(6)")
        _asked = cursor.fetchone()[0].replace(tzinfo=UTC), time.monotonic()


connection_created.connect(_ask, dispatch_uid="lentra.clock")
