"""Whose turn a regular work is: one process at a time has it, by a lease. And what it does meanwhile, in threads."""

from __future__ import annotations

import logging
import os
import time
import uuid
from collections.abc import Callable
from concurrent.futures import Future, ThreadPoolExecutor
from datetime import timedelta
from threading import Lock
from typing import Any

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


class UnderWay:
    """What is done in threads, whatever fails: one thing at a time for each number, so that a slow one is in no other's way.

    Args:
        what: a number stands for, as the log calls it.
    """

    def __init__(self, what: str, clock: Clock, logger: logging.Logger) -> None:
        self._what, self._clock, self._logger = what, clock, logger
        self._pools: list[ThreadPoolExecutor] = []
        self._works: dict[int, Future[None]] = {}
        self._starting = Lock()  # what is under way may begin with something too

    def threads(self, name: str, count: int) -> ThreadPoolExecutor:
        """Threads in which something is done."""
        self._pools.append(ThreadPoolExecutor(count, thread_name_prefix=name))
        return self._pools[-1]

    def start(self, threads: ThreadPoolExecutor, work: Callable[[int, Clock], Any], number: int) -> None:
        """Begin with something for a number, unless something is under way for it."""
        with self._starting:
            running = self._works.get(number)
            if running is None or running.done():
                self._works[number] = threads.submit(self._do, work, number)

    def end(self) -> None:
        """Wait for all of it."""
        for threads in self._pools:
            threads.shutdown(wait=True)

    def _do(self, work: Callable[[int, Clock], Any], number: int) -> None:
        try:
            work(number, self._clock)
        except Exception as failure:  # whatever it is: it is done again
            expected = isinstance(failure, OperationalError)
            self._logger.warning("%s %d put off: %s", self._what, number, failure, exc_info=not expected)
            time.sleep(1)
        finally:
            connection.close()


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
