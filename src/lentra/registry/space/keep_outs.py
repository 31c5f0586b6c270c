"""The union of a realm's keep-outs, as it bears on free space."""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Iterable

from lentra.addressing.extents import Extent, ExtentStore, State, carve, give_back
from lentra.addressing.meeting import apart, common
from lentra.addressing.prefix import Prefix, prefixes_of_range, without
from lentra.registry.models import KeepOut


def keep_outs_over(realm_id: int, family: int, first: int, last: int) -> list[KeepOut]:
    """The realm's keep-outs that share an address with first..last, in order."""
    rows = KeepOut.objects.filter(realm_id=realm_id, family=family, first__lte=last, last__gte=first)
    return list(rows.order_by("first", "-last"))


def spans_of(keep_outs: Iterable[KeepOut]) -> list[tuple[int, int]]:
    """The union of keep-outs of one family, as the fewest spans (first, last) in order."""
    spans: list[tuple[int, int]] = []
    for keep_out in sorted(keep_outs, key=lambda k: k.first):
        if spans and keep_out.first <= spans[-1][1] + 1:
            spans[-1] = spans[-1][0], max(spans[-1][1], keep_out.last)
        else:
            spans.append((keep_out.first, keep_out.last))
    return spans


def kept_parts(prefix: Prefix, keep_outs: Iterable[KeepOut]) -> list[Prefix]:
    """The parts of a prefix that keep-outs cover, as the fewest prefixes."""
    parts: list[Prefix] = []
    for first, last in spans_of(keep_outs):
        low, high = max(first, prefix.first), min(last, prefix.last)
        if low <= high:
            parts += prefixes_of_range(prefix.family, low, high)
    return parts


def keep_out_of(store: ExtentStore, free: Prefix, realm_id: int) -> None:
    """Withdraw from a free extent whatever the realm's keep-outs cover of it."""
    for part in kept_parts(free, keep_outs_over(realm_id, free.family, free.first, free.last)):
        withdraw(store, part)


def follow_keep_outs(store: ExtentStore, realm_id: int, first: int, last: int) -> None:
    """Bring free and kept-out space over first..last in line with the realm's keep-outs, however many have changed."""
    extents = [e for e in store.overlapping(first, last) if e.state in (State.FREE, State.KEPT_OUT)]
    if not extents:
        return
    family = extents[0].prefix.family
    spans = spans_of(keep_outs_over(realm_id, family, extents[0].prefix.first, extents[-1].prefix.last))
    firsts = [span[0] for span in spans]
    lifted: list[Extent] = []
    for extent in extents:
        prefix = extent.prefix
        here = spans[max(0, bisect_right(firsts, prefix.first) - 1) : bisect_right(firsts, prefix.last)]
        whole = [(prefix.first, prefix.last)]
        kept = [Extent(piece, State.KEPT_OUT) for piece in _pieces(family, common(whole, here))]
        free = _pieces(family, apart(whole, here))
        if extent.state is State.FREE and kept:
            store.replace([extent], sorted([*kept, *map(Extent, free)]))
        elif extent.state is State.KEPT_OUT and free:
            pieces = [Extent(piece, State.KEPT_OUT) for piece in free]
            store.replace([extent], sorted([*kept, *pieces]))
            lifted += pieces
    give_back(store, lifted)


def _pieces(family: int, spans: Iterable[tuple[int, int]]) -> list[Prefix]:
    return [prefix for first, last in spans for prefix in prefixes_of_range(family, first, last)]


def give_way(store: ExtentStore, block: Prefix) -> None:
    """Make the kept-out space inside a block free, for whoever takes it at once."""
    for extent in store.overlapping(block.first, block.last):
        if extent.state is not State.KEPT_OUT:
            continue
        inner = block if extent.prefix.contains(block) else extent.prefix
        rest = (
            [Extent(piece, State.KEPT_OUT) for piece in without(extent.prefix, inner)]
            if inner != extent.prefix
            else []
        )
        store.replace([extent], sorted([*rest, Extent(inner)]))
    free = store.overlapping(block.first, block.last)
    if len(free) > 1 and all(extent.state is State.FREE and block.contains(extent.prefix) for extent in free):
        store.replace(free, [Extent(block)])


def withdraw(store: ExtentStore, part: Prefix, state: State = State.KEPT_OUT, owner: int | None = None) -> None:
    """Turn the free space inside `part` into kept-out (or reserved) space; what is in use stays as it is."""
    for extent in store.overlapping(part.first, part.last):
        if extent.state is not State.FREE:
            continue
        inner = part if extent.prefix.contains(part) else extent.prefix
        if extent.prefix == inner:
            store.replace([extent], [Extent(inner, state, owner)])
        else:
            carve(store, inner, state, owner, within=extent.prefix)
