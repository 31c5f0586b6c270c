"""A connection goes to the first node that is ready; one that is lost goes to the next. A transaction costs few round trips.

Django turns autocommit off before a transaction and on after it, each a round trip of its own. Here it stays on, and a
transaction begins with BEGIN, which waits for the first statement: `registry.transactions.sql` sends both together, and
COMMIT with the last ones.

A connection that the server has closed meanwhile is given up before a request begins, so that nobody meets it.

With one host it is otherwise Django's own backend. With several, each new connection asks whether its node belongs to the
cluster's primary component, and reads wait until what was committed elsewhere has arrived (``wsrep_sync_wait``).
"""

from __future__ import annotations

import logging
import select
from typing import Any

from django.db.backends.mysql import base
from MySQLdb import OperationalError

from lentra.service.mysql.patient import PatientConnection

logger = logging.getLogger(__name__)
_NOT_READY = 1047  # the server's own number for a node that is outside the primary component
_first = 0  # of the nodes: the one that answered last, so that not every connection tries a dead one first


class DatabaseWrapper(base.DatabaseWrapper):
    """Django's, with several hosts in the option ``nodes``, and transactions that begin and end with their statements."""

    begins = False  # a transaction has been asked for, and nothing was sent since
    committed = False  # COMMIT has gone with the last statements
    _on = False  # autocommit, as the server has it

    def take_begin(self) -> bool:
        """True if BEGIN is to be sent now, before whatever else is: then it counts as sent."""
        begins, self.begins = self.begins, False
        return begins

    def create_cursor(self, name: str | None = None) -> Any:
        """A cursor; what it sends is in the transaction that was asked for."""
        if self.take_begin():
            self.connection.query("BEGIN")
        return super().create_cursor(name)

    def connect(self) -> None:
        """Connect anew."""
        self.begins = self.committed = self._on = False
        super().connect()

    def close_if_unusable_or_obsolete(self) -> None:
        """As Django's, before each request; a connection that the server has closed is seen without asking it."""
        if self.connection is not None and _is_closed(self.connection):
            self.close()
        super().close_if_unusable_or_obsolete()

    def _set_autocommit(self, autocommit: bool) -> None:
        if not autocommit and self._on:
            self.begins = True
        elif not (autocommit and self._on):
            super()._set_autocommit(autocommit)
            self._on = autocommit

    def _commit(self) -> None:
        done, self.committed = self.committed, False
        if not self.take_begin() and not done:
            super()._commit()

    def _rollback(self) -> None:
        if not self.take_begin():
            super()._rollback()

    def get_new_connection(self, conn_params: dict[str, Any]) -> Any:
        """A connection to a node that is ready."""
        global _first
        given = dict(conn_params)
        nodes = given.pop("nodes", None)
        if not nodes:
            return PatientConnection(**given)
        failure: OperationalError | None = None
        for step in range(len(nodes)):
            n = (_first + step) % len(nodes)
            try:
                connection = PatientConnection(**given | {"host": nodes[n][0], "port": nodes[n][1]})
                _require_ready(connection, nodes[n])
            except OperationalError as why:
                failure = why
                continue
            if n != _first:
                logger.warning("database node %s:%d is not ready: going on with %s:%d", *nodes[_first], *nodes[n])
                _first = n
            return connection
        assert failure
        raise failure


def _is_closed(connection: Any) -> bool:
    """Whether there is something to read although nothing was asked: a server says no more than that it goes."""
    looking = select.poll()
    looking.register(connection.fileno(), select.POLLIN)
    return bool(looking.poll(0))


def _require_ready(connection: Any, node: tuple[str, int]) -> None:
    cursor = connection.cursor()
    cursor.execute("SHOW STATUS LIKE 'wsrep_ready'")
    row = cursor.fetchone()
    if row and row[1] != "ON":
        connection.close()
        raise OperationalError(_NOT_READY, f"node {node[0]}:{node[1]} is outside the cluster's primary component")
    cursor.execute("SET SESSION wsrep_sync_wait = 1")
    cursor.close()
