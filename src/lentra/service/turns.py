"""Whose turn a regular work is: one process at a time has it, by a lease."""

from __future__ import annotations

import logging
import os
import time
import uuid
from collections.abc import Callable
from datetime import timedelta

from django.db import OperationalError, connection

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


def work_in_turns(
    turn: Turn,
    begin: Callable[[], None],
    end: Callable[[], None],
    logger: logging.Logger,
    every: float,
    once: bool,
) -> None:
    """Begin what there is to do whenever it is this process's turn, again and again, whatever fails.

    Args:
        begin: begins what there is, and does not wait for it; `end` waits for what is under way.
        every: seconds between two looks.
        once: what there is now, then stop.
    """
    while True:
        try:
            if turn.is_ours():
                begin()
        except Exception as failure:  # whatever it is: it is done again
            logger.warning("put off: %s", failure, exc_info=not isinstance(failure, OperationalError))
            connection.close()
            turn.lose()
            time.sleep(1)
        if once:
            end()
            return
        time.sleep(every)
