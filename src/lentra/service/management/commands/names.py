"""`lentra-service names`: what stands in DNS zones follows what is committed, and is pushed to their servers."""

from __future__ import annotations

import logging
import time
from argparse import ArgumentParser
from collections.abc import Callable
from concurrent.futures import Future, ThreadPoolExecutor
from typing import Any

from django.core.management.base import BaseCommand
from django.db import OperationalError, connection

from lentra.publishing.dns_zones import compare, push
from lentra.registry.naming.keeping import are_kept, keep_names
from lentra.registry.naming.serving import zones_to_compare, zones_to_push
from lentra.registry.transactions.clock import Clock, SystemClock
from lentra.service.turns import Turn, holder, work_in_turns

_AT_ONCE = 8  # servers that are spoken to
_KEEPING = 0  # no DNS zone's number
logger = logging.getLogger("lentra.names")


class Naming:
    """The entries of all DNS zones in one thread, each server in one of its own, so that a slow one is in no other's way."""

    def __init__(self, clock: Clock) -> None:
        self._clock = clock
        self._keeping = ThreadPoolExecutor(1, thread_name_prefix="keeping")
        self._pushing = ThreadPoolExecutor(_AT_ONCE, thread_name_prefix="pushing")
        self._under_way: dict[int, Future[None]] = {}

    def begin(self) -> None:
        """Keep what has been committed since, and begin with the DNS zones that have something for their servers."""
        self._start(self._keeping, lambda number, clock: self._keep(), _KEEPING)
        for number in zones_to_push(self._clock.now()):
            self._start(self._pushing, push, number)
        for number in zones_to_compare(self._clock.now()) if are_kept() else ():
            self._start(self._pushing, compare, number)

    def end(self) -> None:
        """Wait for what is under way."""
        self._keeping.shutdown(wait=True)
        self._pushing.shutdown(wait=True)

    def _keep(self) -> None:
        while keep_names():
            for number in zones_to_push(self._clock.now()):
                self._start(self._pushing, push, number)

    def _start(self, pool: ThreadPoolExecutor, work: Callable[[int, Clock], Any], number: int) -> None:
        running = self._under_way.get(number)
        if running is None or running.done():
            self._under_way[number] = pool.submit(self._do, work, number)

    def _do(self, work: Callable[[int, Clock], Any], number: int) -> None:
        try:
            work(number, self._clock)
        except Exception as failure:  # whatever it is: it is done again
            logger.warning("put off: %s", failure, exc_info=not isinstance(failure, OperationalError))
            time.sleep(1)
        finally:
            connection.close()


class Command(BaseCommand):
    help = "Keep what stands in DNS zones by what is committed, and push it to their servers."

    def add_arguments(self, parser: ArgumentParser) -> None:
        parser.add_argument("--every", type=float, default=0.2, help="seconds between two looks")
        parser.add_argument("--once", action="store_true", help="what is due now, then stop")

    def handle(self, *args: Any, **options: Any) -> None:
        clock = SystemClock()
        turn, naming = Turn("names", holder(), clock), Naming(clock)
        work_in_turns(turn, naming.begin, naming.end, logger, options["every"], options["once"])
