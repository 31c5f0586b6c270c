"""A load in a process of its own: `python -m bench.load ADDRESS WHAT CLIENTS SECONDS` prints answers a second."""

from __future__ import annotations

import http.client
import json
import os
import sys
import threading
import time
import uuid
from urllib.parse import urlparse


def main() -> None:
    """Clients with one connection each ask as fast as they are answered."""
    address, what, clients, seconds = sys.argv[1], sys.argv[2], int(sys.argv[3]), float(sys.argv[4])
    counts = [0] * clients
    faults: list[str] = []
    end = time.monotonic() + seconds
    host = urlparse(address).netloc
    headers = {"Authorization": f"Bearer {os.environ['BENCH_TOKEN']}", "Content-Type": "application/json"}

    def ask(n: int) -> None:
        try:
            ask_on(n)
        except Exception as failure:
            faults.append(repr(failure))

    def ask_on(n: int) -> None:
        connection = http.client.HTTPConnection(host, timeout=30)
        turn = n
        while time.monotonic() < end:
            turn += clients
            if what == "plain":
                path, body, more = "/plain", {"name": f"row {turn}"}, {}
            else:
                # Each of the fifty pools is for a zone and tier of its own, as pools are.
                k = turn % 50
                pool, place = ("http-one", turn) if what == "one" else (f"http-{k}", k)
                zone, tier = f"z-{place % 10}", f"t-{place // 10 % 10}"
                path = "/api/v1/subnets"
                body = {"pool": pool, "project": "ticketing", "tier": tier, "zone": zone, "length": 30}
                more = {"Idempotency-Key": uuid.uuid4().hex}
            connection.request("POST", path, json.dumps(body), {**headers, **more})
            answer = connection.getresponse()
            told = answer.read()
            if answer.status != 201:
                faults.append(f"{answer.status}: {told[:300]!r}")
                return
            counts[n] += 1

    threads = [threading.Thread(target=ask, args=(n,)) for n in range(clients)]
    start = time.monotonic()
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    if faults:  # a service that fails is not merely slower
        raise SystemExit(faults[0])
    print(sum(counts) / (time.monotonic() - start))


if __name__ == "__main__":
    main()
