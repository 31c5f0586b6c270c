"""The picture of a range of a pool: its pieces in order, each with its state, fit to be drawn."""

from __future__ import annotations

from typing import Any

from django.db.models import Count
from django.db.models.expressions import RawSQL

from lentra.addressing.extents import State
from lentra.addressing.prefix import Prefix
from lentra.registry.models import ExtentRow, Pool

_MOST_PIECES = 600  # more extents than this are shown as slots, each with its shares by state
_SLOT_BITS = 7


def picture(pool: Pool, shown: Prefix) -> dict[str, Any]:
    """The extents of a pool inside `shown`, or slots of them where there are too many to draw.

    Returns:
        ``range``, ``enclosing`` (wider prefixes within the pool's range, outermost first), ``bands``.
    """
    rows = ExtentRow.objects.filter(pool=pool, family=shown.family, first__gte=shown.first, first__lte=shown.last)
    parent = next((r.prefix for r in pool.ranges.all() if r.prefix.contains(shown)), shown)
    holder = (
        ExtentRow.objects.filter(pool=pool, family=shown.family, first__lte=shown.first)
        .order_by("-first")
        .select_related("subnet", "child")
        .first()
    )
    if holder and holder.first < shown.first and holder.prefix.contains(shown):
        bands = [_band(shown, shown, holder)]
    elif rows.count() <= _MOST_PIECES:
        bands = [_band(shown, row.prefix, row) for row in rows.order_by("first").select_related("subnet", "child")]
    else:
        bands = _slots(rows, shown)
    return {
        "range": str(shown),
        "enclosing": [str(shown.enclosing(n)) for n in range(parent.length, shown.length)],
        "bands": bands,
    }


def _band(shown: Prefix, part: Prefix, row: ExtentRow) -> dict[str, Any]:
    return {
        "range": str(part),
        "state": State(row.state).word,
        "start": (part.first - shown.first) / shown.size,
        "share": part.size / shown.size,
        "subnet": {"id": row.subnet.pk, "name": row.subnet.name} if row.subnet else None,
        "child": {"id": row.child.pk, "name": row.child.name} if row.child else None,
        "parts": None,
    }


def _slots(rows: Any, shown: Prefix) -> list[dict[str, Any]]:
    """Slots of equal size; extents wider than a slot stay pieces of their own."""
    length = min(shown.length + _SLOT_BITS, shown.bits)
    slot_size = 1 << (shown.bits - length)
    wide = rows.filter(length__lte=length).order_by("first").select_related("subnet", "child")
    bands = [_band(shown, row.prefix, row) for row in wide]
    # The slot of an address is its high bits: 32 of IPv4, the upper 64 of IPv6.
    if shown.family == 4:
        number, shift = "CONV(HEX(SUBSTRING(first, 13, 4)), 16, 10)", 32 - length
    else:
        number, shift = "CONV(HEX(SUBSTRING(first, 1, 8)), 16, 10)", max(0, 64 - length)
    slot = RawSQL(f"CAST({number} AS UNSIGNED) DIV %s", [1 << shift])
    counted = (
        rows.filter(length__gt=length)
        .annotate(slot=slot)
        .values("slot", "state", "length")
        .annotate(n=Count("id"))
    )
    slots: dict[int, dict[int, int]] = {}
    for row in counted:
        states = slots.setdefault(int(row["slot"]), {})
        size = row["n"] << (shown.bits - row["length"])
        states[row["state"]] = states.get(row["state"], 0) + size
    for number_of_slot, states in slots.items():
        first = int(number_of_slot) << shift << (0 if shown.family == 4 else 64)
        part = Prefix(shown.family, first, length)
        only = next(iter(states)) if len(states) == 1 else None
        bands.append(
            {
                "range": str(part),
                "state": State(only).word if only is not None else "mixed",
                "start": (first - shown.first) / shown.size,
                "share": slot_size / shown.size,
                "subnet": None,
                "child": None,
                "parts": {State(state).word: size / slot_size for state, size in sorted(states.items())},
            }
        )
    return sorted(bands, key=lambda band: band["start"])
