"""A connection goes to the first node that is ready; one that is lost goes to the next.

With one host it is Django's own backend. With several, each new connection asks whether its node belongs to the cluster's
primary component, and reads wait until what was committed elsewhere has arrived (``wsrep_sync_wait``).
"""

from __future__ import annotations

import logging
from typing import Any

from django.db.backends.mysql import base
from MySQLdb import OperationalError

logger = logging.getLogger(__name__)
_NOT_READY = 1047  # the server's own number for a node that is outside the primary component
_first = 0  # of the nodes: the one that answered last, so that not every connection tries a dead one first


class DatabaseWrapper(base.DatabaseWrapper):
    """Django's, with several hosts in the option ``nodes``."""

    def get_new_connection(self, conn_params: dict[str, Any]) -> Any:
        """A connection to a node that is ready."""
        global _first
        given = dict(conn_params)
        nodes = given.pop("nodes", None)
        if not nodes:
            return super().get_new_connection(given)
        failure: OperationalError | None = None
        for step in range(len(nodes)):
            n = (_first + step) % len(nodes)
            try:
                connection = super().get_new_connection(given | {"host": nodes[n][0], "port": nodes[n][1]})
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


def _require_ready(connection: Any, node: tuple[str, int]) -> None:
    cursor = connection.cursor()
    cursor.execute("SHOW STATUS LIKE 'wsrep_ready'")
    row = cursor.fetchone()
    if row and row[1] != "ON":
        connection.close()
        raise OperationalError(_NOT_READY, f"node {node[0]}:{node[1]} is outside the cluster's primary component")
    cursor.execute("SET SESSION wsrep_sync_wait = 1")
    cursor.close()
