"""A space in which some ranges do not count as free: for placing away from them."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping, Sequence

from lentra.addressing.extents import Extent, ExtentStore, State
from lentra.addressing.prefix import Prefix, prefixes_of_range, without

MOST_AVOIDED = 16


class Avoiding:
    """A view of a store (an `ExtentStore` itself) in which free space inside some prefixes counts as kept out.

    What is placed in it is taken from the store. The prefixes may reach beyond the store's ranges.
    """

    def __init__(self, store: ExtentStore, avoided: Sequence[Prefix]) -> None:
        self.store = store
        self.family = store.family
        self._avoided = [prefix for prefix in avoided if prefix.family == store.family]
        self._cut: dict[
            Prefix, list[Prefix]
        ] = {}  # free extents that are avoided in part, with what is left of each
        for prefix in self._avoided:
            for extent in store.overlapping(prefix.first, prefix.last):
                if extent.state is State.FREE and extent.prefix not in self._cut:
                    self._cut[extent.prefix] = self._rest(extent.prefix)
        self._pieces = sorted(piece for pieces in self._cut.values() for piece in pieces)

    def _rest(self, free: Prefix) -> list[Prefix]:
        """What is left of a free extent: the fewest prefixes outside all that is avoided."""
        left = [free]
        for prefix in self._avoided:
            left = [
                rest
                for piece in left
                for rest in (
                    [] if prefix.contains(piece) else without(piece, prefix) if piece.contains(prefix) else [piece]
                )
            ]
        return left

    def free_counts(self) -> Mapping[int, int]:
        counts = Counter(self.store.free_counts())
        counts.subtract(prefix.length for prefix in self._cut)
        counts.update(piece.length for piece in self._pieces)
        return {length: count for length, count in counts.items() if count > 0}

    def lowest_free(self, lengths: Sequence[int], start: int = 0) -> list[Prefix]:
        found = []
        for length in lengths:
            options = [piece for piece in self._pieces if piece.length == length and piece.first >= start][:1]
            at = start
            while whole := self.store.lowest_free([length], at):
                if whole[0] not in self._cut:
                    options.append(whole[0])
                    break
                at = whole[0].last + 1
            if options:
                found.append(min(options, key=lambda prefix: prefix.first))
        return found

    def highest_free(self, lengths: Sequence[int], end: int) -> list[Prefix]:
        found = []
        for length in lengths:
            options = [piece for piece in self._pieces if piece.length == length and piece.first < end][-1:]
            at = end
            while whole := self.store.highest_free([length], at):
                if whole[0] not in self._cut:
                    options.append(whole[0])
                    break
                at = whole[0].first
            if options:
                found.append(max(options, key=lambda prefix: prefix.first))
        return found

    def at(self, address: int) -> Extent | None:
        extent = self.store.at(address)
        return (
            next((e for e in self._seen(extent) if e.prefix.first <= address <= e.prefix.last), None)
            if extent
            else None
        )

    def overlapping(self, first: int, last: int) -> list[Extent]:
        seen = [one for extent in self.store.overlapping(first, last) for one in self._seen(extent)]
        return [extent for extent in seen if extent.prefix.first <= last and extent.prefix.last >= first]

    def free_starting_at(self, firsts: Sequence[int]) -> dict[int, Prefix]:
        found = {
            first: prefix
            for first, prefix in self.store.free_starting_at(firsts).items()
            if prefix not in self._cut
        }
        return found | {piece.first: piece for piece in self._pieces if piece.first in set(firsts)}

    def range_of(self, prefix: Prefix) -> Prefix | None:
        return self.store.range_of(prefix)

    def replace(self, old: Sequence[Extent], new: Sequence[Extent]) -> None:
        """As for a store; where a piece is taken, the free extent that it is of is put back around it."""
        kept, whole = list(new), []
        for extent in old:
            home = next((free for free, pieces in self._cut.items() if extent.prefix in pieces), None)
            if home is None:
                whole.append(extent)
                continue
            whole.append(Extent(home))
            kept += [Extent(rest) for rest in without(home, extent.prefix)]
        self.store.replace(whole, sorted(kept))
        for extent in whole:
            pieces = self._cut.pop(extent.prefix, [])
            self._pieces = [piece for piece in self._pieces if piece not in pieces]
            for free in [
                one.prefix for one in kept if one.state is State.FREE and extent.prefix.contains(one.prefix)
            ]:
                if any(prefix.overlaps(free) for prefix in self._avoided):
                    self._cut[free] = self._rest(free)
                    self._pieces += self._cut[free]
        self._pieces.sort()

    def _seen(self, extent: Extent) -> list[Extent]:
        """An extent as it looks from here: in pieces, where it is free and avoided in part."""
        pieces = self._cut.get(extent.prefix) if extent.state is State.FREE else None
        if pieces is None:
            return [extent]
        seen = [Extent(piece) for piece in pieces]
        at = extent.prefix.first
        for piece in [*pieces, None]:
            end = piece.first - 1 if piece else extent.prefix.last
            if end >= at:
                seen += [Extent(part, State.KEPT_OUT) for part in prefixes_of_range(self.family, at, end)]
            at = piece.last + 1 if piece else at
        return sorted(seen)
