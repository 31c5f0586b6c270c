"""The gaps of a pool: runs of free space, with what lies on both sides of each."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from lentra.addressing.extents import State
from lentra.addressing.prefix import BITS, Prefix, address_text, ending_before, range_text
from lentra.registry.models import ExtentRow, Pool
from lentra.registry.space.evidence import describe, owners_read

_AT_ONCE = 500


def gaps(pool: Pool, family: int, start: int, count: int, length: int | None = None) -> list[dict[str, Any]]:
    """Gaps of a pool from an address upwards, in order of address, up to `count` of them.

    Args:
        length: those alone in which a block of that length fits.

    Returns:
        ``range``, ``first``, ``last``, ``addresses``, ``largest`` (the widest block that fits) and what lies ``before`` and
        ``after``; None at the edge of the pool's range.
    """
    ranges = [row.prefix for row in pool.ranges.all() if row.family == family]
    found: list[dict[str, Any]] = []
    for first, last, widest in _runs(pool, family, start, ranges):
        if length is not None and widest > length:
            continue
        found.append(
            {
                "range": range_text(family, first, last),
                "first": address_text(family, first),
                "last": address_text(family, last),
                "start": first,
                "addresses": str(last - first + 1),
                "largest": f"/{widest}",
            }
        )
        if len(found) == count:
            break
    sides = _sides(pool, family, found, ranges)
    return [{**gap, "before": None, "after": None, **sides[gap["start"]]} for gap in found]


def _runs(pool: Pool, family: int, start: int, ranges: list[Prefix]) -> Iterator[tuple[int, int, int]]:
    """First, last, and the length of the widest free block of each run; a run ends where a range of the pool does."""
    edges = {prefix.first for prefix in ranges}
    rows = ExtentRow.objects.filter(pool=pool, family=family, state=State.FREE, first__gte=start).order_by("first")
    run: tuple[int, int, int] | None = None
    for row in rows.values_list("first", "length").iterator(chunk_size=_AT_ONCE):
        first, length = int(row[0]), row[1]
        last = first + (1 << (BITS[family] - length)) - 1
        if run and first == run[1] + 1 and first not in edges:
            run = (run[0], last, min(run[2], length))
            continue
        if run:
            yield run
        run = (first, last, length)
    if run:
        yield run


def _sides(
    pool: Pool, family: int, found: list[dict[str, Any]], ranges: list[Prefix]
) -> dict[int, dict[str, Any]]:
    """What lies directly before and after each gap, read together."""
    edges = {prefix.first for prefix in ranges} | {prefix.last + 1 for prefix in ranges}
    after = {gap["start"] + int(gap["addresses"]): gap["start"] for gap in found}
    before = {block: gap["start"] for gap in found for block in ending_before(family, gap["start"])}
    starts = {*after, *(block.first for block in before)}
    rows = ExtentRow.objects.filter(pool=pool, family=family, first__in=starts).exclude(state=State.FREE)
    sides: dict[int, dict[str, Any]] = {gap["start"]: {} for gap in found}
    for row in owners_read(rows.values_list("pool_id", "family", "first")):
        told = describe(row, row.first, row.prefix.last)
        if row.first in after and row.first not in edges:
            sides[after[row.first]]["after"] = told
        if row.prefix in before and before[row.prefix] not in edges:
            sides[before[row.prefix]]["before"] = told
    return sides
