"""`lentra-service upkeep`: the regular work, as a process of its own."""

from __future__ import annotations

import logging
import time
import uuid
from argparse import ArgumentParser
from typing import Any

from django.core.management.base import BaseCommand
from django.db import DatabaseError, InterfaceError, connection

from lentra.addressing.refusal import Refusal
from lentra.registry.clock import SystemClock
from lentra.registry.upkeep import run_upkeep, take_lease
from lentra.service.metrics import count_upkeep

logger = logging.getLogger("lentra.upkeep")


class Command(BaseCommand):
    help = "End what is due, take readings and forget old keys, every few seconds."

    def add_arguments(self, parser: ArgumentParser) -> None:
        parser.add_argument("--every", type=float, default=10, help="seconds between two rounds")
        parser.add_argument("--once", action="store_true", help="one round, then stop")

    def handle(self, *args: Any, **options: Any) -> None:
        holder = uuid.uuid4()
        while True:
            try:
                if take_lease(holder, SystemClock()):
                    done = run_upkeep()
                    count_upkeep(done)
                    if any(done.values()):
                        logger.info("upkeep %s", done)
            except (DatabaseError, InterfaceError, Refusal) as failure:
                logger.warning("upkeep put off: %s", failure)
                connection.close()
            if options["once"]:
                return
            time.sleep(options["every"])
