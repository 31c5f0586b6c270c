"""(f) Memory of a worker of the web server after 2,000 and after 20,000 requests of all kinds."""

from __future__ import annotations

import contextlib
import os
import threading
from pathlib import Path

from bench import ground
from lentra.client import Client, Problem
from lentra.service.launcher import Service

FEW, MANY = 2_000, 20_000
_CLIENTS = 6
_ASK = {"project": "ticketing", "tier": "t-0", "zone": "z-0", "length": 30}


def measure(url: str) -> list[tuple[str, str, str]]:
    """Rows of (what, measured, aim)."""
    ground.add_pool("memory", "51.0.0.0/16")
    folder = Path(os.environ.get("TMPDIR", "/tmp"))
    service = Service(folder, url, ground.free_port(), os.environ["LENTRA_SECRET_KEY"], workers=1)
    service.start(upkeep=False)
    try:
        done = _send(service.address, FEW)
        few = _resident(service)
        _send(service.address, MANY - done)
        many = _resident(service)
    finally:
        service.stop()
    what = f"memory of a worker after {MANY:,} requests of all kinds, beside after {FEW:,}"
    return [(what, f"{many / few:.2f}× ({few:.0f} → {many:.0f} MiB)", "≤ 1.15×")]


def _send(address: str, count: int) -> int:
    """Send so many requests: looks, previews, refusals, hand-outs, and their return."""
    share = count // _CLIENTS

    def work(n: int) -> None:
        client = Client(address, os.environ["BENCH_TOKEN"], retries=8)
        asked = 0
        while asked < share:
            (subnet,) = client.request(pool="bench:memory", **_ASK).result["subnets"]
            client.request(pool="bench:memory", **{**_ASK, "length": 24, "count": 5}, preview=True)
            with contextlib.suppress(Problem):
                client.request(pool="bench:memory", **{**_ASK, "length": 8})
            client.subnets.get(subnet["id"])
            client.whereabouts(subnet["blocks"][0]["prefix"], realm="bench")
            client.map("51.0.0.0/16")
            list(client.usage(realm="bench"))
            next(client.ledger(limit=100))
            client.size(hosts=200)
            client.release(subnet["id"], at_once=True)
            asked += 10

    threads = [threading.Thread(target=work, args=(n,)) for n in range(_CLIENTS)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    return share * _CLIENTS


def _resident(service: Service) -> float:
    """MiB of the one worker."""
    assert service.web
    master = service.web.pid
    (worker,) = Path(f"/proc/{master}/task/{master}/children").read_text().split()
    (line,) = [
        text for text in Path(f"/proc/{worker}/status").read_text().splitlines() if text.startswith("VmRSS")
    ]
    return int(line.split()[1]) / 1024
