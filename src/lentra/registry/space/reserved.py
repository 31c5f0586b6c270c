"""What is left of a reservation, seen as a space to place blocks in: its extents count as free, all others do not."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping, Sequence

from lentra.addressing.extents import Extent, State
from lentra.addressing.prefix import Prefix
from lentra.addressing.refusal import Exhausted
from lentra.registry.errors import Invalid
from lentra.registry.models import Reservation
from lentra.registry.space.store import DatabaseExtents


class ReservedSpace:
    """A view of a pool's store (an `ExtentStore` itself): what is free in it is reserved in the pool.

    Whatever is taken out of it is taken out of the pool's reserved space, and what is given back to it is reserved again.
    """

    def __init__(self, store: DatabaseExtents, reservation: Reservation) -> None:
        self.store = store
        self.reservation = reservation
        self.family = store.family

    @property
    def left(self) -> list[Prefix]:
        """What is still reserved, in order."""
        return [extent.prefix for extent in self.store.reserved_by(self.reservation.pk)]

    def free_counts(self) -> Mapping[int, int]:
        return Counter(prefix.length for prefix in self.left)

    def lowest_free(self, lengths: Sequence[int], start: int = 0) -> list[Prefix]:
        left = [prefix for prefix in self.left if prefix.first >= start]
        found = (next((p for p in left if p.length == length), None) for length in lengths)
        return [prefix for prefix in found if prefix]

    def highest_free(self, lengths: Sequence[int], end: int) -> list[Prefix]:
        left = [prefix for prefix in reversed(self.left) if prefix.first < end]
        found = (next((p for p in left if p.length == length), None) for length in lengths)
        return [prefix for prefix in found if prefix]

    def at(self, address: int) -> Extent | None:
        extent = self.store.at(address)
        return self._seen(extent) if extent else None

    def overlapping(self, first: int, last: int) -> list[Extent]:
        return [self._seen(extent) for extent in self.store.overlapping(first, last)]

    def free_starting_at(self, firsts: Sequence[int]) -> dict[int, Prefix]:
        wanted = set(firsts)
        return {prefix.first: prefix for prefix in self.left if prefix.first in wanted}

    def range_of(self, prefix: Prefix) -> Prefix | None:
        """The pool's range, for a prefix that lies inside what was reserved."""
        inside = self.reservation.first <= prefix.first and prefix.last <= self.reservation.last
        return self.store.range_of(prefix) if inside else None

    def replace(self, old: Sequence[Extent], new: Sequence[Extent]) -> None:
        self.store.replace([self._kept(extent) for extent in old], [self._kept(extent) for extent in new])

    def nothing_left(self, length: int) -> Exhausted:
        """The refusal where the reservation has no room for a length."""
        left = ", ".join(str(prefix) for prefix in self.left[:4]) or "nothing"
        return Exhausted(
            f"reservation {self.reservation.name} has no /{length} left: {left} is left of {self.reservation.range_text}",
            field="reservation",
            received=f"/{length}",
            suggestions=["leave out the reservation"],
        )

    def _seen(self, extent: Extent) -> Extent:
        """An extent of the pool as it looks from inside the reservation."""
        if extent.state is State.RESERVED and extent.owner == self.reservation.pk:
            return Extent(extent.prefix)
        return Extent(extent.prefix, State.KEPT_OUT) if extent.state is State.FREE else extent

    def _kept(self, extent: Extent) -> Extent:
        """An extent as it is kept in the pool."""
        return Extent(extent.prefix, State.RESERVED, self.reservation.pk) if extent.state is State.FREE else extent


def whole_of(reservation: Reservation) -> Prefix:
    """All that is left of a reservation, as one prefix.

    Raises:
        Invalid: it is none, so a length or a prefix must be given.
    """
    wholes = reservation.left()
    if len(wholes) != 1:
        raise Invalid(
            f"what is left of reservation {reservation.name} is no single prefix: say which part",
            field="prefix",
            suggestions=[str(prefix) for prefix in wholes[:5]],
        )
    return wholes[0]
