"""(j) A table of 300,000 subnets brought into one pool, beside a bare bulk insert of the same rows; hand-outs meanwhile."""

from __future__ import annotations

import random
import resource
import statistics
import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any

from bench import ground

ROWS, QUICK = 300_000, 30_000
_SIZES = ((25, 5), (26, 20), (27, 25), (28, 30), (29, 20))  # prefix length, and how many of a hundred
_COPIED = ("registry_subnet", "registry_extent", "registry_ledgerentry")
_HAND_OUTS = 60


def measure(rows: int = ROWS) -> list[tuple[str, str, str]]:
    """Rows of (what, measured, aim)."""
    from lentra.registry.intakes.work import do_work, next_work
    from lentra.registry.models import Intake, Subnet
    from lentra.registry.transactions.clock import SystemClock

    ground.add_pool("moving-in", "64.0.0.0/8")
    ground.add_pool("meanwhile", "50.0.0.0/12")
    client, clock = ground.client(), SystemClock()
    alone = _hand_outs(client)
    number = _upload(client, "\n".join(_table(rows)))
    with _memory() as grown:
        looked = _seconds(lambda: do_work(next_work(), clock))
        intake = client.get(f"/api/v1/intakes/{number}").json()
        assert intake["counts"] == {"new": rows}, (intake["counts"], intake["fault"])
        body = {"proposal": intake["proposal"]}
        answer = client.post(f"/api/v1/intakes/{number}/commit", body, format="json")
        assert answer.status_code == 200, answer.content
        meanwhile: list[float] = []
        ended = threading.Event()
        others = threading.Thread(target=_keep_handing_out, args=(ended, meanwhile))
        others.start()
        taken = _seconds(lambda: do_work(next_work(), clock))
        ended.set()
        others.join()
    assert Intake.objects.get(pk=number).state == "committed", client.get(f"/api/v1/intakes/{number}").json()[
        "fault"
    ]
    assert Subnet.objects.filter(pool__name="moving-in").count() == rows
    bare = _bare_insert()
    mib = f"{grown[0] >> 10:,} MiB"
    return [
        (f"{rows:,} subnets brought in, beside a bare bulk insert of the same rows", f"{bare / taken:.2f}", "0.3"),
        (
            "(a second: rows looked at, rows brought in, rows bare)",
            f"{rows / looked:,.0f}, {rows / taken:,.0f}, {rows / bare:,.0f}",
            "",
        ),
        ("memory of the process that brings them in, beyond its start", mib, "1 GiB"),
        (
            "a hand-out in another pool meanwhile, beside alone",
            f"{statistics.median(meanwhile) / alone:.2f}×",
            "2×",
        ),
    ]


def _table(rows: int) -> Iterator[str]:
    """The lines of a CSV file: blocks of usual sizes, one behind the other with gaps, in no order."""
    chance = random.Random(7)
    at, lines = 64 << 24, []
    lengths = chance.choices([n for n, _ in _SIZES], [share for _, share in _SIZES], k=rows)
    for n, length in enumerate(lengths):
        size = 1 << (32 - length)
        at = -(-at // size) * size
        text = ".".join(str(at >> shift & 255) for shift in (24, 16, 8, 0))
        lines.append(f"{text}/{length},moved-{n},ticketing,z-1,t-0,brought from the old hall,{n % 90}")
        at += size * chance.choice((1, 1, 1, 2))
    chance.shuffle(lines)
    yield "Network,Name,Owner,Site,Role,Description,Growth"
    yield from lines


def _upload(client: Any, text: str) -> int:
    from base64 import b64encode

    body = {
        "name": "old-halls.csv",
        "table": "subnets",
        "content": b64encode(text.encode()).decode(),
        "options": {"realm": "bench"},
    }
    answer = client.post("/api/v1/intakes", body, format="json")
    assert answer.status_code == 201, answer.content[:500]
    return int(answer.json()["result"]["id"])


def _hand_outs(client: Any) -> float:
    """Seconds of a hand-out in the other pool, the median of some."""
    return statistics.median(_hand_out(client) for _ in range(_HAND_OUTS))


def _hand_out(client: Any) -> float:
    body = {"pool": "meanwhile", "project": "ticketing", "zone": "z-1", "tier": "t-0", "length": 28}
    start = time.perf_counter()
    answer = client.post("/api/v1/subnets", body, format="json")
    assert answer.status_code == 201, answer.content
    return time.perf_counter() - start


def _keep_handing_out(ended: threading.Event, times: list[float]) -> None:
    """Hand-outs of a process of its own, as in a service; here its thread only waits for it."""
    import subprocess
    import sys

    running = subprocess.Popen(
        [sys.executable, "-m", "bench.intakes"], stdout=subprocess.PIPE, stdin=subprocess.PIPE, text=True
    )
    ended.wait()
    told, _ = running.communicate("stop\n")
    times += [float(line) for line in told.split()]


def _bare_insert() -> float:
    """Seconds that the same rows take by bulk insert into empty tables of the same kind, in one transaction."""
    from django.db import connection

    total = 0.0
    with connection.cursor() as cursor:
        for table in _COPIED:
            cursor.execute(f"CREATE TABLE bare_{table} LIKE {table}")
        for table in _COPIED:
            cursor.execute(f"SELECT * FROM {table}")
            rows = cursor.fetchall()
            places = ", ".join(["%s"] * len(rows[0]))
            start = time.perf_counter()
            cursor.execute("START TRANSACTION")
            for at in range(0, len(rows), 2000):
                part = rows[at : at + 2000]
                text = f"INSERT INTO bare_{table} VALUES " + ", ".join([f"({places})"] * len(part))
                cursor.execute(text, [value for row in part for value in row])
            cursor.execute("COMMIT")
            total += time.perf_counter() - start
    return total


def _seconds(work: Any) -> float:
    start = time.perf_counter()
    work()
    return time.perf_counter() - start


@contextmanager
def _memory() -> Iterator[list[int]]:
    """KiB by which this process grows at most meanwhile."""
    before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    grown = [0]
    yield grown
    grown[0] = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before


def main() -> None:
    """Hand out in the other pool until something comes in; tells the seconds of each."""
    import sys

    import django

    django.setup()
    client = ground.client()
    stopped = threading.Event()
    threading.Thread(target=lambda: (sys.stdin.readline(), stopped.set()), daemon=True).start()
    while not stopped.is_set():
        print(_hand_out(client))
        time.sleep(0.05)


if __name__ == "__main__":
    main()
