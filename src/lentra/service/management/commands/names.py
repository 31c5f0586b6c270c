"""`lentra-service names`: what stands in DNS zones follows what is committed, and is pushed to their servers."""

from __future__ import annotations

import logging
import time
from argparse import ArgumentParser
from typing import Any

from django.core.management.base import BaseCommand

from lentra.publishing.dns_zones import compare, push
from lentra.registry.naming.keeping import are_kept, keep_names
from lentra.registry.naming.serving import zones_to_compare, zones_to_push
from lentra.registry.transactions.clock import Clock, SystemClock
from lentra.service.turns import Turn, UnderWay, holder, work_in_turns

_AT_ONCE = 8  # servers that are spoken to
_KEEPING = 0  # no DNS zone's number
_LOOKED_EVERY = 0.8  # seconds: for what is asked, or due again; what follows from a change is begun with at once
logger = logging.getLogger("lentra.names")


class Naming:
    """The entries of all DNS zones in one thread, each server in one of its own, so that a slow one is in no other's way."""

    def __init__(self, clock: Clock) -> None:
        self._clock = clock
        self.works = UnderWay("DNS zone", clock, logger)
        self._keeping = self.works.threads("keeping", 1)
        self._looked_at = float("-inf")
        self._pushing = self.works.threads("pushing", _AT_ONCE)

    def begin(self) -> None:
        """Keep what has been committed since, and begin with the DNS zones that have something for their servers."""
        kept = are_kept()
        if not kept:
            self.works.start(self._keeping, lambda number, clock: self._keep(), _KEEPING)
        if time.monotonic() - self._looked_at < _LOOKED_EVERY:
            return
        self._looked_at = time.monotonic()
        for number in zones_to_push(self._clock.now()):
            self.works.start(self._pushing, push, number)
        for number in zones_to_compare(self._clock.now()) if kept else ():
            self.works.start(self._pushing, compare, number)

    def _keep(self) -> None:
        while keep_names():
            for number in zones_to_push(self._clock.now()):
                self.works.start(self._pushing, push, number)


class Command(BaseCommand):
    help = "Keep what stands in DNS zones by what is committed, and push it to their servers."

    def add_arguments(self, parser: ArgumentParser) -> None:
        parser.add_argument("--every", type=float, default=0.2, help="seconds between two looks")
        parser.add_argument("--once", action="store_true", help="what is due now, then stop")

    def handle(self, *args: Any, **options: Any) -> None:
        clock = SystemClock()
        turn, naming = Turn("names", holder(), clock), Naming(clock)
        work_in_turns(turn, naming.begin, naming.works.end, logger, options["every"], options["once"])
