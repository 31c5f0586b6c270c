"""What of a prefix is really free in a realm: in no use, reserved for nobody, and under no keep-out."""

from __future__ import annotations

import heapq
from collections.abc import Iterable, Iterator
from operator import itemgetter

from lentra.addressing.extents import State
from lentra.addressing.prefix import BITS, Prefix, prefixes_of_range
from lentra.registry.models import ExtentRow, Realm
from lentra.registry.space.evidence import Key, describe, holding, owners_read
from lentra.registry.space.keep_outs import keep_outs_over

_AT_ONCE = 2000
_FREE = (State.FREE, State.KEPT_OUT, State.CARVED)  # keep-outs are read as they are, also where no pool is

Taker = Key | str  # the key of an extent, or a keep-out in words
Taken = tuple[int, int, Taker]  # first and last address, and what takes them


def free_in(realm: Realm, block: Prefix) -> list[Prefix]:
    """The parts of a block that nothing takes, as the fewest prefixes in order; also where no pool is."""
    return prefixes_between(block, taken_spans(realm, block))


def taken_spans(realm: Realm, block: Prefix) -> Iterator[Taken]:
    """All that takes some of a block, in order of where it begins there."""
    rows = ExtentRow.objects.filter(realm=realm, family=block.family).exclude(state__in=_FREE)
    holders = holding(rows, block.family, block.first)
    around = rows.filter(pool__in={pool for pool, _, _ in holders}, first__in={first for *_, first in holders})
    inside = rows.filter(first__gt=block.first, first__lte=block.last).order_by("first")
    kept_out = [
        (max(kept.first, block.first), min(kept.last, block.last), f"keep-out: {kept.reason}")
        for kept in keep_outs_over(realm.pk, block.family, block.first, block.last)
    ]
    extents = (
        (
            max(first, block.first),
            min(first + (1 << (BITS[block.family] - length)) - 1, block.last),
            (pool, block.family, first),
        )
        for read in (around, inside)
        for pool, first, length in read.values_list("pool_id", "first", "length").iterator(chunk_size=_AT_ONCE)
    )
    return heapq.merge(extents, sorted(kept_out), key=itemgetter(0))


def in_words(takers: Iterable[Taker]) -> dict[Taker, str]:
    """What takes space, by name."""
    given = set(takers)
    told: dict[Taker, str] = {taker: taker for taker in given if isinstance(taker, str)}
    for row in owners_read([taker for taker in given if not isinstance(taker, str)]):
        facts = describe(row, row.first, row.prefix.last)
        told[row.pk] = str(facts.get("owner") or facts["state"])
    return told


def prefixes_between(block: Prefix, taken: Iterable[Taken]) -> list[Prefix]:
    """What is left of a block beside spans in order, which may overlap."""
    left: list[Prefix] = []
    at = block.first
    for first, last, _ in taken:
        if first > at:
            left += prefixes_of_range(block.family, at, first - 1)
        at = max(at, last + 1)
    if at <= block.last:
        left += prefixes_of_range(block.family, at, block.last)
    return left
