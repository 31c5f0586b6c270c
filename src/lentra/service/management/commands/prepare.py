"""`lentra-service prepare`: the tables and rule sheets of this version, by one process at a time."""

from __future__ import annotations

import logging
import time
import uuid
from typing import Any

from django.conf import settings
from django.core.management import call_command
from django.core.management.base import BaseCommand, CommandError
from django.db import OperationalError, connection

logger = logging.getLogger("lentra.prepare")
_TABLE = "lentra_preparing"  # no table of a migration: it is there before the first one
_LASTS, _LONGEST_WAIT = 600, 900  # seconds


class Command(BaseCommand):
    help = "Bring the tables to this version and add the rule sheets that come with Lentra; waits where another does it."

    def handle(self, *args: Any, **options: Any) -> None:
        holder = uuid.uuid4().hex
        with connection.cursor() as cursor:
            cursor.execute(
                f"CREATE TABLE IF NOT EXISTS {_TABLE} "
                "(id INT PRIMARY KEY, holder CHAR(32) NOT NULL, until DATETIME NOT NULL)"
            )
            cursor.execute(f"INSERT IGNORE INTO {_TABLE} VALUES (1, '', '2000-01-01')")
        end = time.monotonic() + _LONGEST_WAIT
        while not _claimed(holder):
            if time.monotonic() > end:
                raise CommandError("another process prepares the tables and does not come to an end: see its log")
            time.sleep(1)
        try:
            call_command("migrate", interactive=False, verbosity=1)
            call_command("ship_sheets")
            if settings.ALERT_URL:
                about = "alerts, as LENTRA_ALERT_URL says"
                call_command("keep_subscription", "alerts", settings.ALERT_URL, kind=["alert"], about=about)
        finally:
            with connection.cursor() as cursor:
                cursor.execute(f"UPDATE {_TABLE} SET until = '2000-01-01' WHERE holder = %s", [holder])


def _claimed(holder: str) -> bool:
    """Take the one row; on a cluster two that take it at once collide, and one is told so."""
    try:
        with connection.cursor() as cursor:
            cursor.execute(
                f"UPDATE {_TABLE} SET holder = %s, until = UTC_TIMESTAMP() + INTERVAL {_LASTS} SECOND "
                "WHERE id = 1 AND until < UTC_TIMESTAMP()",
                [holder],
            )
            return bool(cursor.rowcount == 1)
    except OperationalError as failure:
        logger.info("another process was first: %s", failure.args)
        return False
