"""`lentra-service events`: puts what is committed in order, and sends it to whoever has asked to be told."""

from __future__ import annotations

import logging
import time
from argparse import ArgumentParser
from concurrent.futures import Future, ThreadPoolExecutor
from typing import Any

from django.core.management.base import BaseCommand
from django.db import OperationalError, connection
from django.db.models import Q

from lentra.publishing.delivering import deliver
from lentra.publishing.mailing import is_on, send_letters, write_letters
from lentra.registry.models import Progress
from lentra.registry.transactions.clock import Clock, SystemClock
from lentra.registry.transactions.ordering import newest_placed, order_committed
from lentra.service.turns import Turn, holder, work_in_turns

_MAILED_EVERY = 1.0  # seconds
_AT_ONCE = 16  # subscriptions that are sent to
_LEASE = "events"
logger = logging.getLogger("lentra.events")


class Sending:
    """Each subscription in a thread of its own while there is something for it, so that a slow one is in no other's way."""

    def __init__(self, clock: Clock, turn: Turn) -> None:
        self._clock, self._turn = clock, turn
        self._pool = ThreadPoolExecutor(_AT_ONCE, thread_name_prefix="sending")
        self._under_way: dict[int, Future[None]] = {}
        self._come_to: dict[
            int, tuple[int, int]
        ] = {}  # the newest number, and what was sent, when nothing was left

    def begin(self) -> None:
        """Begin with those for which there may be something."""
        newest, now = newest_placed(), self._clock.now()
        due = Q(due_at=None) | Q(due_at__lte=now)
        for number, sent in Progress.objects.filter(due, subscription__paused="").values_list("pk", "sent"):
            running = self._under_way.get(number)
            if (running and not running.done()) or self._come_to.get(number) == (newest, sent):
                continue
            self._under_way[number] = self._pool.submit(self._send, number, newest)

    def end(self) -> None:
        """Wait for those under way."""
        self._pool.shutdown(wait=True)

    def _send(self, number: int, newest: int) -> None:
        try:
            deliver(number, self._clock, self._turn.lasts)
            left = Progress.objects.filter(pk=number).values_list("sent", "tries").first()
            if left and not left[1]:
                self._come_to[number] = newest, left[0]
        except Exception as failure:  # whatever it is: it is done again
            logger.warning(
                "subscription %d put off: %s", number, failure, exc_info=not isinstance(failure, OperationalError)
            )
        finally:
            connection.close()


class Mailing:
    """Mail, in a thread of its own: written as the feed goes on, sent as it is due."""

    def __init__(self, clock: Clock, turn: Turn) -> None:
        self._clock, self._turn = clock, turn
        self._pool = ThreadPoolExecutor(1, thread_name_prefix="mailing")
        self._under_way: Future[None] | None = None
        self._looked_at = float("-inf")

    def begin(self) -> None:
        """Look whether there is something, now and then."""
        busy = self._under_way and not self._under_way.done()
        if not is_on() or busy or time.monotonic() - self._looked_at < _MAILED_EVERY:
            return
        self._looked_at = time.monotonic()
        self._under_way = self._pool.submit(self._mail)

    def end(self) -> None:
        """Wait for what is under way."""
        self._pool.shutdown(wait=True)

    def _mail(self) -> None:
        try:
            write_letters(self._clock)
            send_letters(self._clock, self._turn.lasts)
        except Exception as failure:  # whatever it is: it is done again
            logger.warning("mail put off: %s", failure, exc_info=not isinstance(failure, OperationalError))
        finally:
            connection.close()


class Command(BaseCommand):
    help = "Give each change its place in the order of commits, and send it to subscriptions."

    def add_arguments(self, parser: ArgumentParser) -> None:
        parser.add_argument("--every", type=float, default=0.2, help="seconds between two looks")
        parser.add_argument("--once", action="store_true", help="what there is now, then stop")

    def handle(self, *args: Any, **options: Any) -> None:
        who, clock = holder(), SystemClock()
        turn = Turn(_LEASE, who, clock)
        sending, mailing = Sending(clock, turn), Mailing(clock, turn)

        def begin() -> None:
            order_committed(_LEASE, who)
            sending.begin()
            mailing.begin()

        def end() -> None:
            sending.end()
            mailing.end()

        work_in_turns(turn, begin, end, logger, options["every"], options["once"])
