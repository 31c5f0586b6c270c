"""Steps to come in the use of pools: planned needs, and reservations that fall back."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, datetime
from typing import Any

from django.db.models import Count

from lentra.addressing.forecast import Step
from lentra.addressing.prefix import BITS
from lentra.registry.models import ExtentRow, PlannedNeed, Reservation


@dataclass(frozen=True)
class KnownStep:
    """A step and where it comes from; negative where space becomes free."""

    day: date
    amount: int
    what: str
    name: str
    why: str

    def step(self) -> Step:
        """As the core counts it."""
        return Step(self.day.toordinal(), self.amount)

    def to_dict(self) -> dict[str, Any]:
        """As it is told."""
        return {
            "day": self.day.isoformat(),
            "amount": str(self.amount),
            "what": self.what,
            "name": self.name,
            "why": self.why,
        }


def steps_of(pools: Sequence[int], now: datetime) -> dict[tuple[int, int], list[KnownStep]]:
    """The steps of pools from today on: (pool number, family) -> steps in order of day. Three statements."""
    found: dict[tuple[int, int], list[KnownStep]] = {}
    for need in PlannedNeed.objects.filter(pool__in=pools, day__gte=now.date()):
        found.setdefault((need.pool_id, need.family), []).append(
            KnownStep(need.day, need.addresses, "planned need", need.name, need.reason)
        )
    ending = {r.pk: r for r in Reservation.objects.filter(pool__in=pools, ends_at__gt=now)}
    rows = ExtentRow.objects.filter(reservation__in=ending).values_list("reservation", "family", "length")
    left: dict[tuple[int, int], int] = {}
    for pk, family, length, n in rows.annotate(n=Count("*")).order_by():
        left[pk, family] = left.get((pk, family), 0) + (n << (BITS[family] - length))
    for (pk, family), amount in left.items():
        reservation = ending[pk]
        assert reservation.ends_at
        found.setdefault((reservation.pool_id, family), []).append(
            KnownStep(
                reservation.ends_at.date(),
                -amount,
                "reservation falls back",
                reservation.name,
                reservation.reason,
            )
        )
    return {key: sorted(steps, key=lambda step: (step.day, step.name)) for key, steps in found.items()}
