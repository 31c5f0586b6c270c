"""Steps to come in the use of pools: planned needs, reservations that fall back, and what renumberings leave."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from datetime import date, datetime, timedelta
from typing import Any

from django.db.models import Count

from lentra.addressing.forecast import Step
from lentra.addressing.prefix import BITS
from lentra.registry.models import LIVING_MOVES, ExtentRow, Move, PlannedNeed, Pool, Renumbering, Reservation
from lentra.registry.reports.renumbering import progress


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
    """The steps of pools from today on: (pool number, family) -> steps in order of day. Four statements, one more for each
    renumbering that is under way without a day by which it is to be done."""
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
    for key, step in _left_behind(pools, now):
        found.setdefault(key, []).append(step)
    return {key: sorted(steps, key=lambda step: (step.day, step.name)) for key, steps in found.items()}


def _left_behind(pools: Sequence[int], now: datetime) -> Iterator[tuple[tuple[int, int], KnownStep]]:
    """What comes free once renumberings are done and the old side has cooled; nothing of what is kept out then."""
    moving = {made.pk: made for made in Renumbering.objects.filter(state="moving") if not made.vacated}
    if not moving:
        return
    living = Move.objects.filter(renumbering__in=moving, state__in=LIVING_MOVES, of="subnet")
    of = dict(living.values_list("old_id", "renumbering"))
    rows = ExtentRow.objects.filter(pool__in=pools, subnet__in=of).values_list(
        "pool", "subnet", "family", "length"
    )
    left: dict[tuple[int, int, int], int] = {}
    for pool, subnet, family, length in rows:
        key = (pool, family, of[subnet])
        left[key] = left.get(key, 0) + (1 << (BITS[family] - length))
    cooling = dict(Pool.objects.filter(pk__in={pool for pool, _, _ in left}).values_list("pk", "cooling_days"))
    for (pool, family, number), amount in left.items():
        made = moving[number]
        if (end := made.by or progress(made, now)["likely"]) is None:
            continue
        day = max(end, now.date()) + timedelta(days=cooling[pool])
        what = made.reason or f"{made.source} moves to {made.target}"
        yield (pool, family), KnownStep(day, -amount, "renumbering leaves it", made.name, what)
