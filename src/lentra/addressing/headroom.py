"""Usage of space by state, and what still fits. Counts are whole numbers of addresses."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from decimal import Decimal, localcontext
from fractions import Fraction
from math import log

from lentra.addressing.extents import Extent, State
from lentra.addressing.prefix import BITS

THRESHOLDS = ("warning", "critical", "full")


@dataclass(frozen=True, slots=True)
class Usage:
    """Addresses of one family by state, and the number of free extents per length."""

    family: int
    addresses: Mapping[State, int]
    free_counts: Mapping[int, int]

    def plus(self, other: Usage) -> Usage:
        """The usage of both together; they share no address."""
        states = {state: self.addresses.get(state, 0) + other.addresses.get(state, 0) for state in State}
        lengths = {*self.free_counts, *other.free_counts}
        counts = {n: self.free_counts.get(n, 0) + other.free_counts.get(n, 0) for n in lengths}
        return Usage(self.family, states, counts)

    def less_carved(self, amount: int) -> Usage:
        """The same without so many carved addresses: they are told by the pools carved there."""
        carved = self.addresses.get(State.CARVED, 0) - amount
        return Usage(self.family, {**self.addresses, State.CARVED: carved}, self.free_counts)

    @property
    def total(self) -> int:
        """All addresses of the pool."""
        return sum(self.addresses.values())

    @property
    def free(self) -> int:
        """Free addresses."""
        return self.addresses.get(State.FREE, 0)

    @property
    def used(self) -> int:
        """Addresses in use: all that are not free."""
        return self.total - self.free

    @property
    def used_percent(self) -> float:
        """Share that is not free, in percent."""
        return float(Fraction(100 * self.used, self.total)) if self.total else 0.0

    def amount_at(self, percent: int) -> int:
        """The fewest addresses in use that are so large a share of all."""
        return -(-self.total * percent // 100)

    def reaches(self, percent: int) -> bool:
        """True if so large a share, or more, is not free."""
        return self.total > 0 and self.used >= self.amount_at(percent)

    def share(self, state: State) -> Fraction:
        """Share of a state, 0 to 1, exact: the shares of all states add up to 1."""
        return Fraction(self.addresses.get(state, 0), self.total) if self.total else Fraction(0)

    @property
    def largest_free(self) -> int | None:
        """Length of the widest free extent; None with nothing free."""
        return min((n for n, count in self.free_counts.items() if count), default=None)

    @property
    def fragmentation(self) -> float:
        """1 - largest free / total free; 0 with nothing free."""
        if not self.free or self.largest_free is None:
            return 0.0
        return float(1 - Fraction(1 << (BITS[self.family] - self.largest_free), self.free))

    def hd_ratio(self, unit: int) -> float:
        """Host-density ratio (RFC 3194) in units of a length: log(used) / log(all)."""
        shift = BITS[self.family] - unit
        return hd_ratio(self.used >> shift, self.total >> shift)

    def still_fits(self, length: int) -> int:
        """How many blocks of `length` could be handed out, from the counts alone."""
        return sum(count << (length - n) for n, count in self.free_counts.items() if n <= length)


def hd_ratio(used: int, units: int) -> float:
    """log(used units) / log(all units) (RFC 3194): 0 with nothing used, 1 where the whole is one unit and used.

    >>> round(hd_ratio(20_000, 65_536), 4)
    0.893
    """
    if used <= 0:
        return 0.0
    return log(used) / log(units) if units > 1 else 1.0


def units_at(threshold: float, units: int) -> int:
    """How many of so many units are used when the HD ratio reaches a threshold, rounded down (RFC 4692).

    >>> units_at(0.94, 65_536)
    33689
    """
    with localcontext(prec=60):  # a float is off by thousands of units at 2**64
        return int(Decimal(units) ** Decimal(str(threshold)))


def usage_of(family: int, extents: Iterable[Extent]) -> Usage:
    """Usage counted from the extents themselves."""
    addresses = dict.fromkeys(State, 0)
    free_counts: dict[int, int] = {}
    for extent in extents:
        addresses[extent.state] += extent.prefix.size
        if extent.state is State.FREE:
            free_counts[extent.prefix.length] = free_counts.get(extent.prefix.length, 0) + 1
    return Usage(family, addresses, free_counts)
