"""(b), (d), (e): hand-outs and lists as the number of subnets grows, and statements per hand-out."""

from __future__ import annotations

import os
import statistics
import time
from collections.abc import Callable
from typing import Any

from bench import ground, looking

SIZES = (1_000, 100_000, 1_000_000)
PLACEMENTS = ("snug", "low", "roomy", "beside", "exact")
_TIMES = 80


def measure() -> list[tuple[str, str, str]]:
    """Rows of (what, measured, aim): hand-outs and lists, then what people look at."""
    from lentra.registry.models import Person
    from lentra.registry.requests.request import SubnetRequest

    times: dict[tuple[str, int], float] = {}
    lists: dict[int, float] = {}
    pools = {}
    for n, size in enumerate(SIZES):
        # Each in a /9 of its own; a quarter of it or less is used, gaps all over the used part.
        prefix = f"10.{128 * (n % 2)}.0.0/9" if n < 2 else "51.0.0.0/9"
        pools[size] = ground.add_pool(f"p-{size}", prefix)
        ground.fill(pools[size], prefix, size)
        if n == 0:
            few = looking.before_filling()
    lists = {size: _listing(pools[size]) for size in SIZES}
    person = Person.objects.get(name="petra")
    for placement in PLACEMENTS:
        rounds: dict[int, list[float]] = {size: [] for size in SIZES}
        for turn in range(_TIMES):
            for size in SIZES:  # taken in turns, so that a noisy moment hits all of them
                wanted = SubnetRequest(pools[size].pk, "ticketing", "t-1", "z-1", length=30)
                if placement in ("snug", "low", "roomy"):
                    wanted.placement = placement
                elif placement == "beside":
                    wanted.beside = str(_first_block(pools[size]))
                else:
                    wanted.prefix = str(_far_block(pools[size], turn))
                rounds[size].append(_seconds(lambda w=wanted: _ask(w, person)))  # type: ignore[misc]
        for size, taken in rounds.items():
            times[placement, size] = statistics.median(taken)
    rows = []
    for placement in PLACEMENTS:
        base = times[placement, SIZES[0]]
        shown = ", ".join(f"{times[placement, size] / base:.2f}× at {size:,}" for size in SIZES[1:])
        rows.append((f"hand-out by *{placement}*, beside a pool of 1,000 subnets", shown, "1.3×"))
    shown = f"{lists[SIZES[-1]] / lists[SIZES[0]]:.2f}×"
    rows.append(("100 subnets by pool and zone out of 1,000,000, beside 1,000", shown, "1.5×"))
    statements, trips = _statements()
    shown = f"{statements} in {trips} round trips"
    rows.append(
        ("statements per hand-out through HTTP, sign-in, key, BEGIN and COMMIT included", shown, "5 round trips")
    )
    return rows + looking.measure(few)


def _ask(wanted: Any, person: Any) -> None:
    from lentra.registry.operations.subnets.hand_out import hand_out
    from lentra.registry.transactions.run import run_transaction

    run_transaction(lambda change: hand_out(change, wanted), actor=person)


def _first_block(pool: Any) -> Any:
    from lentra.registry.models import Subnet

    return Subnet.objects.filter(pool=pool).order_by("place")[0].blocks()[0]


def _far_block(pool: Any, turn: int) -> Any:
    """A free block at the far end of the pool's range."""
    from lentra.addressing.prefix import Prefix

    whole = pool.ranges.first().prefix
    return Prefix(4, whole.last + 1 - 4 * (turn + 1), 30)


def _listing(pool: Any) -> float:
    """The time for one page of 100 subnets with two filters, as the API reads it."""
    from lentra.registry.models import Zone
    from lentra.registry.reports.listing import subnets_matching

    zone = Zone.objects.get(name="z-1")

    def read() -> None:
        rows = subnets_matching({"pool": [pool], "zone": [zone]}).order_by("place")[:100]
        assert len([subnet.blocks() for subnet in rows]) == 100

    return min(_seconds(read) for _ in range(12))


def _statements() -> tuple[int, int]:
    """Statements of one hand-out as the service does it, and in how many round trips the driver sends them, BEGIN, SET and
    COMMIT included."""
    from django.conf import settings
    from django.db import connection
    from rest_framework.test import APIClient

    client = APIClient(headers={"Authorization": f"Bearer {os.environ['BENCH_TOKEN']}"})
    body = {"pool": f"p-{SIZES[0]}", "project": "ticketing", "tier": "t-1", "zone": "z-1", "length": 30}
    settings.ALLOWED_HOSTS = ["testserver"]
    sent: list[str] = []

    def ask(key: str) -> None:
        answer = client.post("/api/v1/subnets", body, format="json", headers={"Idempotency-Key": key})
        assert answer.status_code == 201, answer.content

    ask("bench-1")  # the set-up is known after that
    driver = connection.connection
    own = {call: getattr(driver, call) for call in ("query", "commit", "rollback", "autocommit")}
    for call, send in own.items():
        setattr(driver, call, lambda *of, send=send: (sent.append(of[0].decode() if of else ""), send(*of))[1])
    ask("bench-2")
    for call, send in own.items():
        setattr(driver, call, send)
    return sum(sql.rstrip("; END").count(";") + 1 for sql in sent), len(sent)


def _seconds(work: Callable[[], None]) -> float:
    start = time.perf_counter()
    work()
    return time.perf_counter() - start
