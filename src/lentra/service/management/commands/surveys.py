"""`lentra-service surveys`: asks the sources that are due, and follows the feeds of those that have one."""

from __future__ import annotations

import logging
import time
from argparse import ArgumentParser
from typing import Any

from django.core.management.base import BaseCommand

from lentra.registry.transactions.clock import Clock, SystemClock
from lentra.service.turns import Turn, UnderWay, holder, work_in_turns
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
        self.works = UnderWay("source", clock, logger)
        self._asking = self.works.threads("asking", _AT_ONCE)
        self._following = self.works.threads("following", _AT_ONCE)  # what is soon done
        self._followed_at = self._judged_at = float("-inf")
        self._judging = Judging(clock)

    def begin(self) -> None:
        """Begin with those that are due; look into the feeds now and then, and judge where something has moved."""
        for number in due_sources(self._clock.now()):
            self.works.start(self._asking, survey, number)
        if time.monotonic() - self._followed_at >= _FOLLOWED_EVERY:
            self._followed_at = time.monotonic()
            for number in followed_sources():
                self.works.start(self._following, follow, number)
        if time.monotonic() - self._judged_at >= _JUDGED_EVERY:
            self._judged_at = time.monotonic()
            self.works.start(self._following, lambda number, clock: self._judging.judge_moved(), _JUDGING)


class Command(BaseCommand):
    help = "Ask the sources that are due for what they see, and follow the feeds of those that have one."

    def add_arguments(self, parser: ArgumentParser) -> None:
        parser.add_argument("--every", type=float, default=0.5, help="seconds between two looks")
        parser.add_argument("--once", action="store_true", help="what is due now, then stop")

    def handle(self, *args: Any, **options: Any) -> None:
        clock = SystemClock()
        turn, asking = Turn("surveys", holder(), clock), Asking(clock)
        work_in_turns(turn, asking.begin, asking.works.end, logger, options["every"], options["once"])
