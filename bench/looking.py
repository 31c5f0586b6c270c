"""(f) What people look at, at 1,000 blocks and at 1,000,000: overview, pool page, map; and with 10,000 pools."""

from __future__ import annotations

import statistics
import time
from typing import Any

from bench import ground

SMALL, LARGE = "p-1000", "p-1000000"
POOLS = 10_000
_TIMES = 9
_OVERVIEW = ("usage?limit=100", "headroom?limit=100")


def before_filling() -> dict[str, float]:
    """Times that are to be compared with those of a full registry."""
    ground.upkeep()
    return {call: _median(ground.client(), [call]) for call in _OVERVIEW}


def measure(empty: dict[str, float]) -> list[tuple[str, str, str]]:
    """Rows of (what, measured, aim). `empty`: the times of the overview with no more than 1,000 blocks."""
    ground.upkeep()
    client = ground.client()
    full = {call: _median(client, [call]) for call in _OVERVIEW}
    shown = ", ".join(
        f"{name} {full[call] / empty[call]:.2f}×"
        for call, name in zip(_OVERVIEW, ("usage", "headroom"), strict=True)
    )
    rows = [("overview (100 pools a page) of 1,000,000 blocks, beside 1,000", shown, "1.5×")]
    for what, calls in (("the calls of a pool page", _page), ("a tile of the map, a whole pool", _tile)):
        ratio = _beside(client, calls)
        rows.append((f"{what} at 1,000,000 blocks, beside 1,000", f"{ratio:.2f}×", "1.5×"))
    ratio = _beside(client, _deep_tile)
    rows.append(("a tile of the map eight bits down, the same", f"{ratio:.2f}×", "1.5×"))
    return rows + _many_pools(client, full)


def _many_pools(client: Any, few: dict[str, float]) -> list[tuple[str, str, str]]:
    """The overview once there are 10,000 pools: statements, and time beside a few."""
    from django.conf import settings
    from django.db import connection, reset_queries

    _add_pools(POOLS)
    ground.upkeep()
    statements = []
    for call in _OVERVIEW:
        settings.DEBUG = True
        reset_queries()
        assert client.get(f"/api/v1/{call}").status_code == 200
        statements.append(len(connection.queries))
        settings.DEBUG = False
    shown = ", ".join(
        f"{name} {_median(client, [call]) / few[call]:.2f}×"
        for call, name in zip(_OVERVIEW, ("usage", "headroom"), strict=True)
    )
    counts = f"usage {statements[0]}, headroom {statements[1]}"
    return [
        (f"a page of the overview of {POOLS:,} pools, beside some 60", shown, ""),
        ("statements of such a page, sign-in included", counts, "bounded"),
    ]


def _add_pools(count: int) -> None:
    """Pools as rows, each a /24 all free."""
    from lentra.addressing.extents import State
    from lentra.addressing.prefix import Prefix
    from lentra.registry.models import ExtentRow, LedgerEntry, Pool, PoolRange, Space
    from lentra.registry.transactions.sql import insert

    like = Pool.objects.get(name=SMALL)
    entry = LedgerEntry.objects.filter(kind="pool").first()
    numbers = ground.take_numbers(count)
    entries = [
        LedgerEntry(
            number=number,
            at=entry.at,
            operation=entry.operation,
            actor_name="lentra",
            verb="add",
            kind="pool",
            name=f"many-{n}",
            realm=like.realm_id,
        )
        for n, number in enumerate(numbers)
    ]
    insert(entries)
    fields = {f.attname: getattr(like, f.attname) for f in Pool._meta.concrete_fields}
    insert([Pool(**{**fields, "id": pk, "last_entry": pk, "name": f"many-{n}"}) for n, pk in enumerate(numbers)])
    places = [Prefix(4, (60 << 24) + (n << 8), 24) for n in range(count)]
    pairs = list(zip(numbers, places, strict=True))
    insert(
        [
            PoolRange(
                pool_id=pk, realm_id=like.realm_id, family=4, first=p.first, last=p.last, length=24, top=True
            )
            for pk, p in pairs
        ]
    )
    insert(
        [
            ExtentRow(pool_id=pk, realm_id=like.realm_id, family=4, first=p.first, length=24, state=State.FREE)
            for pk, p in pairs
        ]
    )
    common = {"realm_id": like.realm_id, "family": 4, "total": 256, "free": 256, "largest_free": 24}
    insert([Space(pool_id=pk, free_counts={"24": 1}, **common) for pk in numbers])


def _page(pool: str) -> list[str]:
    """What the console asks for on a pool's page."""
    return [
        f"pools/{pool}",
        f"pools/{pool}/usage",
        f"pools/{pool}/headroom",
        f"map?pool={pool}",
        f"subnets?pool={pool}&limit=50",
    ]


def _tile(pool: str) -> list[str]:
    return [f"map?pool={pool}"]


def _deep_tile(pool: str) -> list[str]:
    from lentra.registry.models import PoolRange

    first = PoolRange.objects.get(pool__name=pool).prefix
    return [f"map?realm=bench&range={first.child(first.length + 8, 0)}"]


def _beside(client: Any, calls: Any) -> float:
    """How much longer calls take for the large pool, taken in turns."""
    small, large = [], []
    for _ in range(_TIMES):
        small.append(_seconds(client, calls(SMALL)))
        large.append(_seconds(client, calls(LARGE)))
    return statistics.median(large) / statistics.median(small)


def _median(client: Any, calls: list[str]) -> float:
    return statistics.median(_seconds(client, calls) for _ in range(_TIMES))


def _seconds(client: Any, calls: list[str]) -> float:
    start = time.perf_counter()
    for call in calls:
        answer = client.get(f"/api/v1/{call}")
        assert answer.status_code == 200, answer.content
    return time.perf_counter() - start
