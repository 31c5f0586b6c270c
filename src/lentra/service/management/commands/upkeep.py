"""`lentra-service upkeep`: the regular work, as a process of its own."""

from __future__ import annotations

import logging
import time
import uuid
from argparse import ArgumentParser
from typing import Any

from django.conf import settings
from django.core.management.base import BaseCommand
from django.db import OperationalError, connection

from lentra.registry.transactions.clock import SystemClock
from lentra.registry.upkeep import round_done, run_upkeep, take_lease
from lentra.service.metrics import count_upkeep
from lentra.service.turns import holder

logger = logging.getLogger("lentra.upkeep")


class Command(BaseCommand):
    help = "End what is due, take readings, look ahead, tell alerts and forget old keys, every few seconds."

    def add_arguments(self, parser: ArgumentParser) -> None:
        parser.add_argument("--every", type=float, default=10, help="seconds between two rounds")
        parser.add_argument("--once", action="store_true", help="one round, then stop")

    def handle(self, *args: Any, **options: Any) -> None:
        who, clock = holder(), SystemClock()
        while True:
            try:
                if take_lease(who, clock):
                    done = _round(who)
                    round_done(who, clock)
                    count_upkeep(done)
                    if any(done.values()):
                        logger.info("upkeep %s", {what: count for what, count in done.items() if count})
            except Exception as failure:  # whatever it is: the next round is tried
                logger.warning("upkeep put off: %s", failure, exc_info=not isinstance(failure, OperationalError))
                connection.close()
            if options["once"]:
                return
            time.sleep(options["every"])


def _round(who: uuid.UUID) -> dict[str, int]:
    """One round of what is due in the registry."""
    return run_upkeep(
        alert_within_days=settings.ALERT_DAYS,
        still_ours=lambda lasts: take_lease(who, SystemClock(), lasts),
    )
