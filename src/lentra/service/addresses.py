"""Reading the database's address, which may name several nodes of a cluster."""

from __future__ import annotations

import re

_HOSTS = re.compile(r"(?P<before>[a-z]+://(?:[^@/]*@)?)(?P<hosts>[^/?]*)(?P<after>.*)")
_PORT = 3306


def nodes_of(url: str) -> tuple[str, list[tuple[str, int]]]:
    """An address with the first node alone, and all nodes: ``mysql://u@a:3306,b:3307/lentra`` has two."""
    found = _HOSTS.fullmatch(url)
    if not found or "," not in found["hosts"]:
        return url, []
    nodes = []
    for text in found["hosts"].split(","):
        host, _, port = (
            text.strip().rpartition(":") if re.search(r":[0-9]+$", text.strip()) else (text.strip(), "", "")
        )
        nodes.append((host, int(port or _PORT)))
    host, port_number = nodes[0]
    return f"{found['before']}{host}:{port_number}{found['after']}", nodes
