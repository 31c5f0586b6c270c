"""(c) The next free /24 among 10,000 blocks, beside two plain ways to find it."""

from __future__ import annotations

import ipaddress
import time
from collections.abc import Callable

from netaddr import IPNetwork, IPSet

from lentra.addressing.extents import MemoryExtents, State, carve
from lentra.addressing.placement import place
from lentra.addressing.prefix import Prefix, parse_prefix

BLOCKS = 10_000
WHOLE = "10.0.0.0/8"


def measure() -> list[tuple[str, str, str]]:
    """Rows of (what, measured, aim)."""
    whole = parse_prefix(WHOLE)
    taken = [Prefix(4, whole.first + 512 * n, 24) for n in range(BLOCKS)]  # every other /24: many gaps
    store = MemoryExtents(4, [whole])
    for block in taken:
        found = store.at(block.first)
        assert found
        carve(store, block, State.HANDED_OUT, 1, found.prefix)
    networks = [ipaddress.ip_network(str(block)) for block in taken]
    used = IPSet([str(block) for block in taken])

    def with_set() -> str:
        free = IPSet([WHOLE]) - used
        return str(next(net for net in free.iter_cidrs() if net.prefixlen <= 24).cidr)

    def with_sweep() -> str:
        at = int(ipaddress.ip_network(WHOLE).network_address)
        for network in sorted(networks):
            if int(network.network_address) - at >= 256:
                break
            at = int(network.broadcast_address) + 1
        return f"{ipaddress.ip_address(at)}/24"

    ours = str(place(store, 24, "low").block)
    assert ours == with_sweep() == str(IPNetwork(with_set()).cidr), "all three find the same block"
    base = _seconds(lambda: place(store, 24, "low"), 20_000)
    return [
        (
            "next free /24 among 10,000 blocks, beside a set of networks",
            f"{_seconds(with_set, 3) / base:,.0f}×",
            "100×",
        ),
        ("the same, beside a sorted sweep", f"{_seconds(with_sweep, 30) / base:,.0f}×", "10×"),
    ]


def _seconds(work: Callable[[], object], times: int) -> float:
    best = float("inf")
    for _ in range(3):
        start = time.perf_counter()
        for _ in range(times):
            work()
        best = min(best, (time.perf_counter() - start) / times)
    return best
