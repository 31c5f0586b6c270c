"""Whose turn a regular work is: one process at a time has it, by a lease."""

from __future__ import annotations

import os
import time
import uuid
from datetime import timedelta

from lentra.registry.transactions.clock import Clock
from lentra.registry.upkeep import take_lease

HOLDER = "LENTRA_UPKEEP_HOLDER"  # who holds the lease: the same again when this process is started again
_LASTS, _RENEWED_EVERY = timedelta(seconds=15), 5.0


def holder() -> uuid.UUID:
    """Who this process is to others."""
    return uuid.UUID(os.environ.get(HOLDER) or uuid.uuid4().hex)


class Turn:
    """Whether it is this process's turn: by a lease, which is renewed well before it ends."""

    def __init__(self, lease: str, who: uuid.UUID, clock: Clock) -> None:
        self._lease, self._holder, self._clock = lease, who, clock
        self._ours, self._asked_at = False, float("-inf")

    def is_ours(self) -> bool:
        """Ask again, if it is time to."""
        if time.monotonic() - self._asked_at > _RENEWED_EVERY:
            self._ours = take_lease(self._holder, self._clock, _LASTS, self._lease)
            self._asked_at = time.monotonic()
        return self._ours

    def lasts(self) -> bool:
        """Whether it still is, by what was answered last."""
        return self._ours and time.monotonic() - self._asked_at < _LASTS.total_seconds()

    def lose(self) -> None:
        """Ask again before anything else."""
        self._ours, self._asked_at = False, float("-inf")
