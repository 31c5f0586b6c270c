"""The clock that every change is given, so that time can be set in tests and in the demo's history."""

from __future__ import annotations

from datetime import UTC, datetime
from typing import Protocol


class Clock(Protocol):
    """Tells the time."""

    def now(self) -> datetime:
        """The present moment, in UTC."""


class SystemClock:
    """The machine's clock."""

    def now(self) -> datetime:
        return datetime.now(UTC).replace(microsecond=0)


class SetClock:
    """A clock that stands at a moment until it is moved."""

    def __init__(self, moment: datetime) -> None:
        self.moment = moment

    def now(self) -> datetime:
        return self.moment
