"""(i) Every question that people ask, in a registry of 1,000, 100,000 and 1,000,000 blocks: its cost, and how that grows.

Costs are processor time, of Python and of the database, since the clock of a shared machine tells little. A question is
asked of the whole registry, or of its largest pool.
"""

from __future__ import annotations

import multiprocessing
import resource
import statistics
import time
from collections.abc import Callable, Iterator
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any

from bench import ground

SIZES = (1_000, 100_000, 1_000_000)
QUICK = (1_000, 10_000, 100_000)
_TIMES = 5
_MARKED = 20  # subnets with labels, notes, tags and records among the others, as many at each size

# What is asked, as a call of the API, or as a path; {pool}, {low}, {middle} and {high} are of the largest pool.
QUESTIONS = {
    "what is at an address, low in the pool": "whereabouts?realm=bench&range={low}",
    "what is at an address, in the middle": "whereabouts?realm=bench&range={middle}",
    "what is at an address, at the top": "whereabouts?realm=bench&range={high}",
    "subnets covering an address, without a realm": "subnets?covering={middle}",
    "subnets inside a prefix, without a realm": "subnets?inside={inside}&limit=50",
    "subnets by label": "subnets?label=rota=night&limit=50",
    "subnets by text (words of notes)": "subnets?text=lighthouse&limit=50",
    "subnets by text (part of a name)": "subnets?text=marked&limit=50",
    "subnets by segment tag": "subnets?tag=77&limit=50",
    "subnets by state": "subnets?state=cooling&limit=50",
    "subnets by pool and zone": "subnets?pool={pool}&zone=z-1&limit=50",
    "subnets in order of name": "subnets?order=name&limit=50",
    "public addresses that are idle": "subnets?public=idle&limit=50",
    "search: the beginning of a name": "search?text=q-{size}-1",
    "search: a hardware address": "search?text=02:00:00:00:00:07",
    "breakdown by project": "usage/breakdown?by=project&realm=bench",
    "breakdown by zone and tier": "usage/breakdown?by=zone,tier",
    "a project over zones and tiers": "projects/ticketing/grid",
    "what a project holds": "projects/ticketing/totals",
    "idle things": "idle?limit=50",
    "blocks without use": "idle?kind=block without use&limit=50",
    "blocks far too wide": "idle?kind=block far too wide&limit=50",
    "alerts": "alerts?limit=50",
    "ledger by text": "ledger?text=marked&limit=50",
    "ledger by verb": "ledger?verb=carve&limit=50",
    "ledger of a day long ago": "ledger?until=2020-01-01&limit=50",
    "first page of the ranges of a pool": "ranges?pool={pool}&limit=100",
    "changes of a day without any": "usage/changes?since=2020-01-01&until=2020-01-02",
    "who had an address": "history?range={middle}",
    "who had an address on a day": "history?range={middle}&on={day}",
    "the past of a prefix": "history?range={inside}&limit=50",
    "what is at an address, by RDAP": "/rdap/bench/ip/{middle}",
    "usage": "usage?limit=100",
    "headroom": "headroom?limit=100",
    "the map of a pool": "map?pool={pool}",
}


def measure(sizes: tuple[int, ...] = SIZES) -> list[tuple[str, str, str]]:
    """Rows of (what, measured, aim)."""
    costs: dict[str, list[tuple[float, float]]] = {}
    filled = 0
    for size in sizes:
        pool = _grow(size, size - filled, first=not filled)
        filled = size
        for what, cost in _asked(pool, size):
            costs.setdefault(what, []).append(cost)
    rows = [_row(what, taken, sizes) for what, taken in costs.items()]
    return [*rows, *_long_lists(pool, sizes[-1])]


def _row(what: str, costs: list[tuple[float, float]], sizes: tuple[int, ...]) -> tuple[str, str, str]:
    whole = [sum(cost) for cost in costs]
    shown = " / ".join(f"{1000 * cost:.0f}" for cost in whole)
    database = " / ".join(f"{1000 * cost[1]:.1f}" for cost in costs)
    return what, f"{whole[-1] / whole[0]:.2f}× ({shown} ms, of which database {database})", "1.5×"


def _grow(size: int, more: int, first: bool) -> Any:
    """Another pool with so many blocks; the first time round also what is looked for among them."""
    if first:
        _marked()
    prefix = f"{50 + len(str(size))}.0.0.0/9"
    pool = ground.add_pool(f"q-{size}", prefix)
    ground.fill(pool, prefix, more, days=60)
    return pool


def _marked() -> None:
    """Some subnets that can be told from others: labels, notes, tags, records, cooling, too wide; idle public addresses."""
    from lentra.registry.operations.pools.edit_pool import edit_pool
    from lentra.registry.operations.subnets.give_back import give_back_subnet
    from lentra.registry.operations.subnets.hand_out import hand_out
    from lentra.registry.operations.subnets.record_addresses import AddressRequest, record_addresses
    from lentra.registry.requests.request import SubnetRequest

    marked = ground.add_pool("marked", "192.168.0.0/16")
    ground.do(edit_pool, marked.pk, {"cooling_days": 7})
    public = ground.add_pool("public", "62.0.0.0/24", sheet="single-address", exposure="public")
    for n in range(_MARKED):
        place = ("ticketing", f"t-{n % 10}", f"z-{n % 10}")
        more = {"labels": {"rota": "night"}, "notes": f"the lighthouse of pier {n}", "name": f"marked-{n}-mast"}
        wanted = SubnetRequest(marked.pk, *place, length=26, hosts=3, tag=77 if n < 10 else 100 + n, **more)
        subnet = ground.do(hand_out, wanted).subnets[0]
        ground.do(record_addresses, subnet.pk, AddressRequest(name="mast", mac=f"02:00:00:00:00:{n:02x}"))
        given = ground.do(hand_out, SubnetRequest(marked.pk, *place, length=28)).subnets[0]
        ground.do(give_back_subnet, given.pk)
        ground.do(hand_out, SubnetRequest(public.pk, *place, length=32))


def _asked(pool: Any, size: int) -> Iterator[tuple[str, tuple[float, float]]]:
    from lentra.addressing.prefix import address_text

    whole = pool.ranges.first().prefix
    used = (size * 5) & ~3
    at = {
        "pool": pool.pk,
        "size": size,
        "low": address_text(4, whole.first + 1),
        "middle": address_text(4, whole.first + (used // 2 & ~3) + 1),
        "high": address_text(4, whole.last - 1),
        "day": str(datetime.now(UTC).date() - timedelta(days=1)),
        "inside": f"{address_text(4, whole.first + (used // 2 & ~1023))}/22",
    }
    ground.upkeep()
    client = ground.client()
    for what, call in QUESTIONS.items():
        yield what, cost_of(lambda call=call: ground.get(client, call.format(**at)))  # type: ignore[misc]


# --- cost ---


def cost_of(work: Callable[[], Any], times: int = _TIMES) -> tuple[float, float]:
    """Seconds of processor time of this thread and of the database, each the median of some."""
    work()
    own, database = [], []
    for _ in range(times):
        before = time.thread_time(), _database_time()
        work()
        after = time.thread_time(), _database_time()
        own.append(after[0] - before[0])
        database.append(after[1] - before[1])
    return statistics.median(own), statistics.median(database)


def _database_time() -> float:
    """Seconds of processor time that the database has had."""
    tasks = Path(f"/proc/{_database_process()}/task")
    return sum(int((task / "schedstat").read_text().split()[0]) for task in tasks.iterdir()) / 1e9


def _database_process() -> int:
    from django.db import connection

    if not _known:
        with connection.cursor() as cursor:
            cursor.execute("SELECT @@pid_file")
            _known.append(int(Path(cursor.fetchone()[0]).read_text()))
    return _known[0]


_known: list[int] = []


# --- long lists ---


def _long_lists(pool: Any, size: int) -> list[tuple[str, str, str]]:
    """Lists that are read whole: seconds, and memory beyond the start, each in a process of its own."""
    from django.db import connection

    connection.close()
    rows = []
    for what, aim, work in (
        (f"ranges of {size:,} subnets", "64 MiB", f"ranges/lines?pool={pool.pk}"),
        (f"the fewest prefixes of {size:,} subnets", "64 MiB", f"ranges/lines?pool={pool.pk}&aggregated=true"),
        (f"changes today, {size:,} of them", "64 MiB", "usage/changes?since=2020-01-01"),
        (f"verify of {size:,} blocks", "60 s, 64 MiB", "verify"),
    ):
        receive, send = multiprocessing.get_context("fork").Pipe(False)
        child = multiprocessing.get_context("fork").Process(target=_read_whole, args=(work, send))
        child.start()
        seconds, memory, length = receive.recv()
        child.join()
        if child.exitcode:
            raise SystemExit(f"{work} failed")
        rows.append((what, f"{seconds:.1f} s, {memory:.0f} MiB more; {length / 1e6:.1f} MB", aim))
    return rows


def _read_whole(call: str, send: Any) -> None:
    client = ground.client()
    ground.get(client, "session")
    before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    start = time.perf_counter()
    answer = ground.get(client, call)
    length = sum(len(part) for part in answer) if answer.streaming else len(answer.content)
    seconds = time.perf_counter() - start
    memory = (resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before) / 1024
    send.send((seconds, memory, length))
