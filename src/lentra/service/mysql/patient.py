"""A connection that waits where the driver refuses.

The driver takes a lock for each call of a connection, and refuses a call that finds it taken. Threads here share no
connections; but when a thread clears away what is reachable no more, it may free a result that another thread's
connection once gave, and takes that connection's lock for it. It is let go in a moment, so the call is made again.
"""

from __future__ import annotations

import time
from collections.abc import Callable
from typing import Any

from MySQLdb import ProgrammingError
from MySQLdb.connections import Connection

_TAKEN = "already in use from another thread"
_LONGEST = 2.0  # seconds that a call waits
_CALLS = (
    *("affected_rows", "autocommit", "close", "commit", "discard_result", "field_count", "insert_id"),
    *("next_result", "ping", "query", "rollback", "store_result", "use_result", "warning_count"),
)


class PatientConnection(Connection):
    """The driver's, but a call that finds it taken waits for it."""


def _patient(name: str) -> Callable[..., Any]:
    given = getattr(Connection, name)

    def call(self: PatientConnection, *values: Any) -> Any:
        try:
            return given(self, *values)
        except ProgrammingError as refusal:
            if _TAKEN not in str(refusal):
                raise
        until = time.monotonic() + _LONGEST
        while True:
            time.sleep(0.0005)  # whoever has it goes on
            try:
                return given(self, *values)
            except ProgrammingError as refusal:
                if _TAKEN not in str(refusal) or time.monotonic() > until:
                    raise

    call.__name__ = name
    return call


for _name in _CALLS:
    setattr(PatientConnection, _name, _patient(_name))
