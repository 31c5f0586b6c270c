"""A connection that waits where the driver refuses.

The driver takes a lock for each call of a connection, or of a result that it gave, and refuses a call that finds it taken.
Threads here share no connections; but when a thread clears away what is reachable no more, it may free a result that another
thread's connection once gave, and takes that connection's lock for it. It is let go in a moment, so the call is made again.
"""

from __future__ import annotations

import time
from collections.abc import Callable
from types import MethodDescriptorType
from typing import Any

from MySQLdb import ProgrammingError, _mysql
from MySQLdb.connections import Connection

_TAKEN = "already in use from another thread"
_LONGEST = 2.0  # seconds that a call waits


class PatientResult:
    """A result of the driver's, but a call that finds its connection taken waits for it."""

    __slots__ = ("given",)

    def __init__(self, given: Any) -> None:
        self.given = given


class PatientConnection(Connection):
    """The driver's, but a call that finds it taken waits for it."""

    def store_result(self) -> PatientResult | None:
        """All of the next result."""
        return _patient_result(_store_result(self))

    def use_result(self) -> PatientResult | None:
        """The next result, row by row."""
        return _patient_result(_use_result(self))


def _patiently(call: Callable[..., Any], *values: Any, **named: Any) -> Any:
    try:
        return call(*values, **named)
    except ProgrammingError as refusal:
        if _TAKEN not in str(refusal):
            raise
    until = time.monotonic() + _LONGEST
    while True:
        time.sleep(0.0005)  # whoever has it goes on
        try:
            return call(*values, **named)
        except ProgrammingError as refusal:
            if _TAKEN not in str(refusal) or time.monotonic() > until:
                raise


def _patient(given: Callable[..., Any]) -> Callable[..., Any]:
    return lambda self, *values, **named: _patiently(given, self, *values, **named)


def _patient_of_result(name: str) -> Callable[..., Any]:
    return lambda self, *values, **named: _patiently(getattr(self.given, name), *values, **named)


def _patient_result(given: Any) -> PatientResult | None:
    return None if given is None else PatientResult(given)


def _calls(driver: type) -> list[str]:
    """What the driver's own part does: each of its calls takes the lock."""
    return [
        name for name, call in vars(driver).items() if isinstance(call, MethodDescriptorType) and name[0] != "_"
    ]


_store_result, _use_result = _patient(Connection.store_result), _patient(Connection.use_result)
for _name in _calls(_mysql.connection):
    if _name not in vars(PatientConnection):
        setattr(PatientConnection, _name, _patient(getattr(Connection, _name)))
for _name in _calls(_mysql.result):
    setattr(PatientResult, _name, _patient_of_result(_name))
