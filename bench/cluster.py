"""(g) One node and one service beside three nodes and three services, under the same load of hand-outs and looks."""

from __future__ import annotations

import json
import re
import shutil
import tempfile
import threading
import time
import urllib.request
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field
from pathlib import Path

from bench import ground
from lentra.client import Client, Problem
from lentra.service.cluster import Cluster, demo_data
from lentra.service.database import OwnDatabase
from lentra.service.launcher import Service

CLIENTS = 9
POOLS = 12
_SECONDS = 30
_ROOT = Path(__file__).parent.parent
_SECRET = "the same for all services of this measuring"
_OPEN = {"LENTRA_METRICS_OPEN": "1"}
_ASK = {"project": "ticketing", "tier": "app", "zone": "ml-1", "length": 28}


@dataclass
class _Told:
    """What a load was answered."""

    changes: int = 0
    refused: int = 0
    seconds: list[float] = field(default_factory=list)
    tried_again: float = 0

    @property
    def rate(self) -> float:
        """Answers a second."""
        return len(self.seconds) / _SECONDS

    @property
    def slow(self) -> float:
        """Seconds within which 99 of 100 answers came."""
        return sorted(self.seconds)[int(len(self.seconds) * 0.99)]


def measure() -> list[tuple[str, str, str]]:
    """Rows of (what, measured, aim)."""
    with tempfile.TemporaryDirectory(prefix="lentra-bench-") as made:
        folder = Path(made)
        with demo_data(folder, _ROOT / "demo") as data:
            people = json.loads((data / "demo-sign-ins.json").read_text())
            token = next(person["token"] for person in people if person["role"] == "planner")
            with _one(folder / "one", data) as addresses:
                one = _load(addresses, token)
            with _three(folder / "three", data) as addresses:
                three = _load(addresses, token)
    return [
        ("answers a second: three nodes, three services, beside one", f"{three.rate / one.rate:.2f}", ""),
        ("99 of 100 answers come within: three beside one", f"{three.slow / one.slow:.1f}×", ""),
        ("changes tried again by the service, of 100: one; three", _of_100("tried_again", one, three), ""),
        ("answers to come again later (503), of 100 changes: one; three", _of_100("refused", one, three), "0; 0"),
        (
            f"({CLIENTS} clients: answers a second, 99 of 100 within; one; three)",
            f"{one.rate:.0f}, {one.slow:.2f} s; {three.rate:.0f}, {three.slow:.2f} s",
            "",
        ),
    ]


def _of_100(name: str, *told: _Told) -> str:
    return "; ".join(f"{100 * getattr(each, name) / each.changes:.1f}" for each in told)


@contextmanager
def _one(folder: Path, data: Path) -> Iterator[list[str]]:
    shutil.copytree(data, folder)
    database = OwnDatabase(folder, ground.free_port())
    database.start()
    service = Service(folder, database.url, ground.free_port(), _SECRET)
    service.environment |= _OPEN
    try:
        service.start()
        yield [service.address]
    finally:
        service.stop()
        database.stop()


@contextmanager
def _three(folder: Path, data: Path) -> Iterator[list[str]]:
    cluster = Cluster(folder, data, _ROOT / ".transfers", _SECRET)
    for service in cluster.services:
        service.environment |= _OPEN
    try:
        cluster.start()
        yield [service.address for service in cluster.services]
    finally:
        cluster.stop()


def _load(addresses: list[str], token: str) -> _Told:
    """Hand out, read at another service, list, give back, for a while."""
    planner = Client(addresses[0], token)
    planner.realms.add(name="load")
    for n in range(POOLS):
        values = {"name": f"load-{n}", "realm": "load", "sheet": "ends-withheld", "cooling_days": 0}
        planner.pools.add(**values, ranges=[f"10.{n}.0.0/16"])
    told, guard = _Told(), threading.Lock()
    before = sum(map(_tried_again, addresses))
    end = time.monotonic() + _SECONDS

    def work(n: int) -> None:
        here, there = (Client(addresses[(n + k) % len(addresses)], token, retries=0) for k in (0, 1))

        def ask(call, *values, **named):  # type: ignore[no-untyped-def]
            start = time.perf_counter()
            answer = None
            try:
                answer = call(*values, **named)
            except Problem as problem:
                if problem.status != 503:
                    raise
            with guard:
                told.seconds.append(time.perf_counter() - start)
                told.refused += answer is None
            return answer

        turn = n
        while time.monotonic() < end:
            turn += 1
            told.changes += 2
            handed = ask(here.request, pool=f"load:load-{turn % POOLS}", **_ASK)
            if handed is None:
                continue
            (subnet,) = handed.result["subnets"]
            ask(there.subnets.get, subnet["id"])
            ask(there.pools.get, f"load:load-{turn % POOLS}")
            ask(there.release, subnet["id"])

    threads = [threading.Thread(target=work, args=(n,)) for n in range(CLIENTS)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    told.tried_again = sum(map(_tried_again, addresses)) - before
    return told


def _tried_again(address: str) -> float:
    with urllib.request.urlopen(f"{address}/metrics", timeout=60) as answer:
        found = re.search(r"^lentra_retries_total (\S+)", answer.read().decode(), re.MULTILINE)
    return float(found[1]) if found else 0.0
