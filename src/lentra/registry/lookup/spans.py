"""What is in use over many stretches of address space: one bounded reading, however many there are."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from itertools import pairwise

from django.db.models import Q

from lentra.addressing.extents import State
from lentra.addressing.matching import merged
from lentra.addressing.prefix import BITS
from lentra.registry.models import ExtentRow, Realm

_MOST_SPANS = 64  # stretches of address space that are read


def few_spans(spans: Sequence[tuple[int, int]]) -> list[tuple[int, int]]:
    """The union of spans, joined over the narrowest gaps until there are few."""
    joined = merged(spans)
    if len(joined) <= _MOST_SPANS:
        return joined
    gaps = sorted(range(1, len(joined)), key=lambda n: joined[n][0] - joined[n - 1][1])
    cuts = sorted(gaps[len(joined) - _MOST_SPANS :])
    edges = [0, *cuts, len(joined)]
    return [(joined[a][0], joined[b - 1][1]) for a, b in pairwise(edges)]


def in_use_over(realms: Sequence[Realm], family: int, spans: Sequence[tuple[int, int]]) -> Iterable[tuple]:
    """Innermost extents in use over a few spans, and perhaps some beside them: family, first, length, state, realm, pool,
    subnet, reservation. The one that holds a span's start begins at one of a few addresses.
    """
    if not spans:
        return []
    bits = BITS[family]
    starts = {first >> (bits - n) << (bits - n) for first, _ in spans for n in range(bits + 1)}
    over = Q(first__in=starts)
    for first, last in spans:
        over |= Q(first__gt=first, first__lte=last)
    rows = ExtentRow.objects.filter(over, realm__in=realms, family=family)
    rows = rows.exclude(state__in=(State.FREE, State.KEPT_OUT, State.CARVED))
    return rows.values_list(
        "family", "first", "length", "state", "realm_id", "pool_id", "subnet_id", "reservation_id"
    )
