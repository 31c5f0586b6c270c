"""`lentra-service intakes`: tables that are brought in, as a process of its own."""

from __future__ import annotations

import logging
import time
from argparse import ArgumentParser
from typing import Any

from django.core.management.base import BaseCommand
from django.db import OperationalError, connection

from lentra.registry.intakes.work import do_work, next_work
from lentra.registry.transactions.clock import SystemClock
from lentra.registry.upkeep import expire_all_due, take_lease
from lentra.service.turns import holder

_LEASE = "intakes"
logger = logging.getLogger("lentra.intakes")


class Command(BaseCommand):
    help = "Look at tables that were uploaded, commit them and take them back, one after the other."

    def add_arguments(self, parser: ArgumentParser) -> None:
        parser.add_argument("--every", type=float, default=0.3, help="seconds between two looks for work")
        parser.add_argument("--once", action="store_true", help="what waits now, then stop")

    def handle(self, *args: Any, **options: Any) -> None:
        who, clock = holder(), SystemClock()

        def ours() -> bool:
            return take_lease(who, clock, name=_LEASE)

        while True:
            work = None
            try:
                if (work := next_work()) and ours():
                    expire_all_due(clock)  # what has ended is in no row's way
                    logger.info("intake %d: %s", work.pk, work.stage)
                    do_work(work, clock, ours)
            except Exception as failure:  # whatever it is: it is done again
                logger.warning("intakes put off: %s", failure, exc_info=not isinstance(failure, OperationalError))
                connection.close()
                work = None
            if options["once"] and not work:
                return
            if not work:
                time.sleep(options["every"])
