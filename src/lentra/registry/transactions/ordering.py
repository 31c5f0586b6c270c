"""The order of commits: what has been committed is given its place, once, whenever its number was taken.

Two changes may commit in another order than they took their numbers. So nobody goes by numbers alone: one process at a
time looks, several times a second, for numbers that have come to light since it last looked, and puts them behind all that
had been placed before; those of one look by number. So what commits later comes later, also where its number is lower, and
the entries of one record are always in their order, since their numbers are taken under its lock. A hand-out pays nothing
for it: its numbers are rows of the same transaction anyway.
"""

from __future__ import annotations

import uuid
from datetime import timedelta

from django.db import transaction
from django.db.models import F, Max

from lentra.registry.errors import Invalid
from lentra.registry.models import Lease, LedgerEntry, Number, Ordered

_AT_ONCE = 20_000
_SWEPT_AT_ONCE = 1000


def order_committed(lease: str, holder: uuid.UUID) -> int:
    """Place what has been committed since; returns how many numbers.

    Args:
        lease: the name of the lease that `holder` must have, lest two processes place the same twice.
    """
    if not Number.objects.filter(placed=False).exists():
        return 0
    with transaction.atomic():
        if not Lease.objects.select_for_update().filter(pk=lease, holder=holder).exists():
            return 0
        numbers = list(Number.objects.filter(placed=False).order_by("pk").values_list("pk", flat=True)[:_AT_ONCE])
        runs = runs_of(numbers)
        if not runs:
            return 0
        position = Ordered.objects.aggregate(last=Max("position"))["last"] or 0
        Ordered.objects.bulk_create(
            Ordered(position=position + n, first=first, last=last) for n, (first, last) in enumerate(runs, 1)
        )
        # By their numbers, each: whatever else reads along a range would wait for those who are under way.
        done = sorted([*Number.objects.filter(placed=True).values_list("pk", flat=True), *numbers])
        *swept, kept = done
        for at in range(0, len(swept), _SWEPT_AT_ONCE):
            Number.objects.filter(pk__in=swept[at : at + _SWEPT_AT_ONCE]).delete()
        Number.objects.filter(pk=kept).update(placed=True)
        # Written, and not only locked: on a cluster another process that does the same at this moment collides here.
        Lease.objects.filter(pk=lease, holder=holder).update(until=F("until") + timedelta(microseconds=1))
    return len(numbers)


def newest_placed() -> int:
    """The last number in the order of commits; 0 before there is any."""
    return Ordered.objects.order_by("-position").values_list("last", flat=True).first() or 0


def position_of(number: int) -> int | None:
    """Where a number stands in the order of commits, 0 being the beginning; None while it has no place yet.

    Raises:
        Invalid: there has never been such a number, so nobody knows what came after it.
    """
    if not number:
        return 0
    run = Ordered.objects.filter(first__lte=number).order_by("-first").first()
    if run is not None and number <= run.last:
        return run.position
    if LedgerEntry.objects.filter(number=number).exists() or Number.objects.filter(pk=number).exists():
        return None
    newest = newest_placed()
    raise Invalid(
        f"no change has the number {number}, so nobody knows what came after it; the newest is {newest}",
        field="after",
        received=number,
        rule="the number of a ledger entry, or 0 for the beginning",
        suggestions=[newest, 0],
    )


def runs_of(numbers: list[int]) -> list[tuple[int, int]]:
    """The fewest runs without a gap that make up ascending numbers: first and last of each."""
    runs: list[tuple[int, int]] = []
    for number in numbers:
        if runs and runs[-1][1] + 1 == number:
            runs[-1] = runs[-1][0], number
        else:
            runs.append((number, number))
    return runs
