"""What ends, and what is to come: reservations, holds, planned needs, renumberings, and when pools are likely full."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from datetime import date, datetime
from typing import Any

from lentra.registry.models import Outlook, PlannedNeed, Realm, Renumbering, Reservation, Subnet

MOST = 5000  # of each kind, the soonest


@dataclass(frozen=True)
class Ending:
    """Something that happens at a moment, or on a day. `key` is always the same for the same thing."""

    key: str
    when: date | datetime
    title: str
    about: str
    changed_at: datetime | None = None


def endings(realms: Sequence[Realm], now: datetime) -> list[Ending]:
    """All of it in some realms from now on, the soonest first."""
    found = [*_reservations(realms, now), *_holds(realms, now), *_needs(realms, now)]
    found += [*_renumberings(realms, now), *_full(realms, now)]
    return sorted(found, key=lambda one: (_day(one.when), one.key))


def _day(when: date | datetime) -> date:
    return when.date() if isinstance(when, datetime) else when


def _reservations(realms: Sequence[Realm], now: datetime) -> Iterator[Ending]:
    rows = Reservation.objects.filter(realm__in=realms, ends_at__gt=now).select_related("pool", "realm")
    for row in rows.order_by("ends_at")[:MOST]:
        where = f"{row.range_text} of pool {row.pool.name} in {row.realm.name}"
        yield Ending(
            f"reservation-{row.pk}", row.ends_at, f"Reservation {row.name} ends", f"{where}: {row.reason}"
        )


def _holds(realms: Sequence[Realm], now: datetime) -> Iterator[Ending]:
    rows = Subnet.objects.filter(realm__in=realms, state="held", ends_at__gt=now)
    rows = rows.select_related("pool", "project", "realm").prefetch_related("extents")
    for row in rows.order_by("ends_at")[:MOST]:
        blocks = ", ".join(str(block) for block in row.blocks())
        about = f"{blocks} for {row.project.name}, of pool {row.pool.name} in {row.realm.name}: confirm it, or it is free"
        yield Ending(f"hold-{row.pk}", row.ends_at, f"Hold of {row.name} ends", about)


def _needs(realms: Sequence[Realm], now: datetime) -> Iterator[Ending]:
    rows = PlannedNeed.objects.filter(pool__realm__in=realms, day__gte=now.date()).select_related(
        "pool", "project"
    )
    for row in rows.order_by("day")[:MOST]:
        whose = f" for {row.project.name}" if row.project else ""
        about = f"{row.count:,} × /{row.length} out of pool {row.pool.name}{whose}"
        yield Ending(f"need-{row.pk}", row.day, f"Planned need {row.name}", about)


def _renumberings(realms: Sequence[Realm], now: datetime) -> Iterator[Ending]:
    rows: Any = Renumbering.objects.filter(realm__in=realms, state="moving", by__gte=now.date())
    for row in rows.order_by("by")[:MOST]:
        yield Ending(
            f"renumbering-{row.pk}",
            row.by,
            f"Renumbering {row.name} is to be done",
            f"from {row.source} to {row.target}",
        )


def _full(realms: Sequence[Realm], now: datetime) -> Iterator[Ending]:
    rows = Outlook.objects.filter(space__realm__in=realms, full_on__gte=now.date()).select_related(
        "space__pool__realm"
    )
    for row in rows.order_by("full_on")[:MOST]:
        pool, family = row.space.pool, row.space.family
        about = f"By its use so far and what is planned; pool {pool.name} in {pool.realm.name}"
        yield Ending(f"full-{pool.pk}-{family}", row.full_on, f"{pool.name} is likely full (IPv{family})", about)
