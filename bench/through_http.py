"""(a) Hand-outs per second through HTTP with 16 clients, beside a bare endpoint with the same prepared sign-in."""

from __future__ import annotations

import os
import statistics
import subprocess
import sys
import time
from pathlib import Path

from bench import ground
from bench.spent import load_share
from lentra.service.launcher import Service

CLIENTS = 16
POOLS = 50
_SECONDS = 5
_ROUNDS = 5


def measure(url: str) -> list[tuple[str, str, str]]:
    """Rows of (what, measured, aim)."""
    from django.db import connection

    with connection.cursor() as cursor:
        cursor.execute("CREATE TABLE bench_plain (id BIGINT AUTO_INCREMENT PRIMARY KEY, name VARCHAR(100))")
    for n in range(POOLS):
        ground.add_pool(f"http-{n}", f"172.{n}.0.0/16")
    ground.add_pool("http-one", "50.0.0.0/10")
    folder = Path(os.environ.get("TMPDIR", "/tmp"))
    service = Service(folder, url, ground.free_port(), os.environ["LENTRA_SECRET_KEY"])
    service.environment["DJANGO_SETTINGS_MODULE"] = "bench.plain_settings"
    service.environment["PYTHONPATH"] = str(Path(__file__).parent.parent)
    service.start(upkeep=False)
    rates: dict[str, list[float]] = {"plain": [], "many": [], "one": []}
    try:
        for _ in range(_ROUNDS):
            for what, taken in rates.items():
                taken.append(_rate(service.address, what))
        share = load_share(service.address)
    finally:
        service.stop()
    middle = {what: statistics.median(taken) for what, taken in rates.items()}

    def beside(what: str) -> str:
        pairs = zip(rates[what], rates["plain"], strict=True)
        return f"{statistics.median(ours / plain for ours, plain in pairs):.2f}"

    return [
        (f"hand-outs over {POOLS} pools, beside a bare insert (five pairs)", beside("many"), "0.65"),
        ("hand-outs over one pool, beside a bare insert (five pairs)", beside("one"), "0.5"),
        (
            "(hand-outs a second over 50 pools, over one; bare inserts a second)",
            f"{middle['many']:.0f}, {middle['one']:.0f}; {middle['plain']:.0f}",
            "",
        ),
        share,
    ]


def _rate(address: str, what: str) -> float:
    """Answers a second, from a load of its own process."""
    command = [sys.executable, "-m", "bench.load", address, what, str(CLIENTS), str(_SECONDS)]
    done = subprocess.run(command, capture_output=True, text=True, check=True)
    time.sleep(0.5)
    return float(done.stdout)
