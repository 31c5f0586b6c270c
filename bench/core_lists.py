"""(c) What the core does with many ranges, beside the plain way with the standard library, and beside netaddr."""

from __future__ import annotations

import ipaddress
import random
import statistics
import time
from bisect import bisect_left, insort
from collections.abc import Callable
from itertools import combinations, islice
from typing import Any

from netaddr import IPNetwork, IPSet, cidr_merge

from lentra.addressing.extents import Extent, MemoryExtents, State, give_back
from lentra.addressing.forecast import Sample, forecast
from lentra.addressing.layout import Need, lay_out
from lentra.addressing.matching import matches
from lentra.addressing.overlap import Range, clashes
from lentra.addressing.packing import pack
from lentra.addressing.prefix import Prefix, aggregate, parse_prefix, prefixes_of_range

MANY = 300_000
NEEDS = 10_000
EXTENTS = SIGHTINGS = 1_000_000
_CHANCE = random.Random(46)


def measure(scale: int = 1) -> list[tuple[str, str, str]]:
    """Rows of (what, measured, aim); everything a tenth as large, and so on, by `scale`."""
    many, extents = MANY // scale, EXTENTS // scale
    return [
        _told(f"overlap of two lists of {many:,} ranges", *_overlap(many)),
        _told(f"aggregation of {many:,} prefixes", *_aggregation(many)),
        _told(f"packing {NEEDS // scale:,} needs into one block", *_packing(NEEDS // scale)),
        _told("a layout of 200 zones × 50 tiers", *_layout(200, 50)),
        _told("forecasts of 1,000 pools (two years, weekly)", *_forecasts(1000 // scale)),
        _told(f"giving back at random among {extents:,} extents", *_give_backs(extents)),
        _matching(SIGHTINGS // scale, many),
    ]


def _told(what: str, ours: float, standard: float, netaddr: float | None) -> tuple[str, str, str]:
    beside = f", netaddr {netaddr / ours:,.1f}×" if netaddr is not None else ""
    return (
        f"{what}, beside",
        f"the standard library {standard / ours:,.1f}×{beside} ({1000 * ours:,.1f} ms)",
        "10×" + (", netaddr 1×" if netaddr is not None else ""),
    )


def _prefixes(count: int) -> list[Prefix]:
    found = [Prefix(4, (10 << 24) + 256 * n, _CHANCE.choice((24, 25, 26))) for n in range(count)]
    _CHANCE.shuffle(found)
    return found


def _overlap(count: int) -> tuple[float, float, float]:
    left, right = _prefixes(count), [Prefix(4, p.first + 128, 27) for p in _prefixes(count)]
    pair = [[Range(4, p.first, p.last, n) for n, p in enumerate(side)] for side in (left, right)]
    networks = [[ipaddress.ip_network(str(p)) for p in side] for side in (left, right)]
    sets = [IPSet([str(p) for p in side]) for side in (left[: count // 10], right[: count // 10])]

    def plain() -> int:
        first, second = sorted(networks[0]), sorted(networks[1])
        found = n = 0
        for network in first:
            while n < len(second) and second[n].broadcast_address < network.network_address:
                n += 1
            found += n < len(second) and network.overlaps(second[n])
        return found

    assert sum(1 for _ in clashes(*pair)) == plain()
    ours, standard = _seconds(lambda: sum(1 for _ in clashes(*pair))), _seconds(plain, 1)
    return ours, standard, 10 * _seconds(lambda: sets[0] & sets[1], 1)  # of a tenth, and growing at least as much


def _aggregation(count: int) -> tuple[float, float, float]:
    given = _prefixes(count)
    networks = [ipaddress.ip_network(str(p)) for p in given]
    cidrs = [IPNetwork(str(p)) for p in given]
    assert len(aggregate(given)) == len(list(ipaddress.collapse_addresses(networks))) == len(cidr_merge(cidrs))
    return (
        _seconds(lambda: aggregate(given)),
        _seconds(lambda: list(ipaddress.collapse_addresses(networks)), 1),
        _seconds(lambda: cidr_merge(cidrs), 1),
    )


def _packing(count: int) -> tuple[float, float, float]:
    block = parse_prefix("10.0.0.0/8")
    needs = [(str(n), _CHANCE.randint(22, 28)) for n in range(count)]

    def plain(network: Any, parts: Callable[[Any, int], list[Any]], length_of: Callable[[Any], int]) -> list[Any]:
        free, placed = [network], []
        for _, length in sorted(needs, key=lambda need: need[1]):
            at = next(n for n, one in enumerate(free) if length_of(one) <= length)
            taken, *rest = parts(free.pop(at), length)
            placed.append(taken)
            free[at:at] = rest
        return placed

    def halves(one: Any, length: int) -> list[Any]:
        taken = next(one.subnets(new_prefix=length)) if one.prefixlen < length else one
        return [taken, *sorted(one.address_exclude(taken))] if one != taken else [one]

    def halves_netaddr(one: Any, length: int) -> list[Any]:
        taken = next(one.subnet(length))
        return [taken, *sorted((IPSet([one]) - IPSet([taken])).iter_cidrs())]

    assert len(pack(block, needs).placed) == count
    standard = ipaddress.ip_network(str(block))
    return (
        _seconds(lambda: pack(block, needs)),
        _seconds(lambda: plain(standard, halves, lambda one: one.prefixlen), 1),
        _seconds(lambda: plain(IPNetwork(str(block)), halves_netaddr, lambda one: one.prefixlen), 1),
    )


def _layout(zones: int, tiers: int) -> tuple[float, float, float]:
    needs = {f"z-{n}": [Need(f"t-{k}", 26) for k in range(tiers)] for n in range(zones)}
    whole = parse_prefix("10.0.0.0/8")

    def ours() -> int:
        laid, _ = lay_out(4, needs).at(whole)
        return sum(len(zone.blocks) for zone in laid)

    def plain() -> int:
        slots = islice(ipaddress.ip_network("10.0.0.0/8").subnets(new_prefix=20), zones)
        found = 0
        for slot in slots:
            blocks = list(islice(slot.subnets(new_prefix=26), tiers))
            left = ipaddress.summarize_address_range(blocks[-1].broadcast_address + 1, slot.broadcast_address)
            found += len(blocks) if list(left) else 0
        return found

    def with_netaddr() -> int:
        slots = IPNetwork("10.0.0.0/8").subnet(20, count=zones)
        return sum(len(list(slot.subnet(26, count=tiers))) for slot in slots)

    assert ours() == plain() == with_netaddr() == zones * tiers
    return _seconds(ours, 5), _seconds(plain, 5), _seconds(with_netaddr, 2)


def _forecasts(pools: int) -> tuple[float, float, None]:
    """Beside the same slopes by the library's median, and their errors over one week alone."""
    days = range(0, 728, 7)
    series = [[Sample(day, 1000 + n + 3 * day + _CHANCE.randint(-40, 40)) for day in days] for n in range(pools)]

    def line(known: list[Sample]) -> float:
        """The middle one of the slopes between any two readings of the last half year."""
        return statistics.median((b.used - a.used) / (b.day - a.day) for a, b in combinations(known[-26:], 2))

    def plain() -> int:
        for samples in series:
            errors = []
            for end in range(12, len(samples)):  # how far such a line was off before: what a spread is made of
                slope = line(samples[:end])
                errors.append(abs(samples[end - 1].used + 7 * slope - samples[end].used))
            statistics.quantiles(errors, n=10)
        return len(series)

    return _seconds(lambda: [forecast(samples) for samples in series]), _seconds(plain, 1), None


def _give_backs(count: int) -> tuple[float, float, float]:
    """A thousand of them, among as many /30 that are all taken."""
    whole = parse_prefix("10.0.0.0/9")
    taken = [Extent(Prefix(4, whole.first + 4 * n, 30), State.HANDED_OUT, n + 1) for n in range(count)]
    store = MemoryExtents(4, [whole])
    rest = prefixes_of_range(4, whole.first + 4 * count, whole.last)
    store.replace([Extent(whole)], [*taken, *(Extent(prefix) for prefix in rest)])
    back = [taken[n] for n in _CHANCE.sample(range(count), 3000)]
    turns = iter(back)

    def ours() -> None:
        for _ in range(1000):
            give_back(store, [next(turns)])

    networks = sorted(ipaddress.ip_network(str(e.prefix)) for e in taken[::2])

    def plain() -> None:
        for extent in back[:200]:
            network = ipaddress.ip_network(str(extent.prefix))
            n = bisect_left(networks, network)
            if n < len(networks) and networks[n] == network:
                continue
            insort(networks, network)
            networks[max(0, n - 1) : n + 2] = ipaddress.collapse_addresses(networks[max(0, n - 1) : n + 2])

    free = IPSet([str(e.prefix) for e in taken[: count // 50 : 2]])

    def with_netaddr() -> None:
        for extent in back[:5]:
            free.add(str(extent.prefix))

    return _seconds(ours, 3), 5 * _seconds(plain, 1), 200 * _seconds(with_netaddr, 1)


def _matching(sightings: int, blocks: int) -> tuple[str, str, str]:
    """What was seen against what is recorded, beside merely sorting what was seen."""
    recorded = [(n * 512, n * 512 + _CHANCE.choice((127, 255))) for n in range(blocks)]
    seen = [(at, at) for at in (_CHANCE.randrange(blocks * 512) for _ in range(sightings))]
    plain = _seconds(lambda: sorted(seen))
    ours = _seconds(lambda: sum(1 for _ in matches(seen, recorded)))
    return (
        f"{sightings:,} sightings against {blocks:,} blocks, beside sorting them",
        f"{ours / plain:,.1f}× ({ours:,.1f} s)",
        "5×",
    )


def _seconds(work: Callable[[], object], times: int = 3) -> float:
    best = float("inf")
    for _ in range(times):
        start = time.thread_time()
        work()
        best = min(best, time.thread_time() - start)
    return best
