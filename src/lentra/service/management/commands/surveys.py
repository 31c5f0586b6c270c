"""`lentra-service surveys`: asks the sources that are due, and follows the feeds of those that have one."""

from __future__ import annotations

import logging
import time
from argparse import ArgumentParser
from collections.abc import Callable
from concurrent.futures import Future, ThreadPoolExecutor
from typing import Any

from django.core.management.base import BaseCommand
from django.db import OperationalError, connection

from lentra.registry.transactions.clock import Clock, SystemClock
from lentra.service.turns import Turn, holder, work_in_turns
from lentra.sources.judging import Judging
from lentra.sources.running import due_sources, follow, followed_sources, survey

_AT_ONCE = 8  # sources that are asked
_FOLLOWED_EVERY, _JUDGED_EVERY = 1.5, 2.0  # seconds
_JUDGING = 0  # no source's number
logger = logging.getLogger("lentra.surveys")


class Asking:
    """Each source in a thread of its own while it is asked, one thing at a time of each."""

    def __init__(self, clock: Clock) -> None:
        self._clock = clock
        self._asking = ThreadPoolExecutor(_AT_ONCE, thread_name_prefix="asking")
        self._following = ThreadPoolExecutor(_AT_ONCE, thread_name_prefix="following")  # what is soon done
        self._under_way: dict[int, Future[None]] = {}
        self._followed_at = self._judged_at = float("-inf")
        self._judging = Judging(clock)

    def begin(self) -> None:
        """Begin with those that are due; look into the feeds now and then, and judge where something has moved."""
        for number in due_sources(self._clock.now()):
            self._start(self._asking, survey, number)
        if time.monotonic() - self._followed_at >= _FOLLOWED_EVERY:
            self._followed_at = time.monotonic()
            for number in followed_sources():
                self._start(self._following, follow, number)
        if time.monotonic() - self._judged_at >= _JUDGED_EVERY:
            self._judged_at = time.monotonic()
            self._start(self._following, lambda number, clock: self._judging.judge_moved(), _JUDGING)

    def end(self) -> None:
        """Wait for those under way."""
        self._asking.shutdown(wait=True)
        self._following.shutdown(wait=True)

    def _start(self, pool: ThreadPoolExecutor, work: Callable[[int, Clock], Any], number: int) -> None:
        running = self._under_way.get(number)
        if running is None or running.done():
            self._under_way[number] = pool.submit(self._do, work, number)

    def _do(self, work: Callable[[int, Clock], Any], number: int) -> None:
        try:
            work(number, self._clock)
        except Exception as failure:  # whatever it is: it is done again
            logger.warning(
                "source %d put off: %s", number, failure, exc_info=not isinstance(failure, OperationalError)
            )
            time.sleep(1)
        finally:
            connection.close()


class Command(BaseCommand):
    help = "Ask the sources that are due for what they see, and follow the feeds of those that have one."

    def add_arguments(self, parser: ArgumentParser) -> None:
        parser.add_argument("--every", type=float, default=0.5, help="seconds between two looks")
        parser.add_argument("--once", action="store_true", help="what is due now, then stop")

    def handle(self, *args: Any, **options: Any) -> None:
        clock = SystemClock()
        turn, asking = Turn("surveys", holder(), clock), Asking(clock)
        work_in_turns(turn, asking.begin, asking.end, logger, options["every"], options["once"])
