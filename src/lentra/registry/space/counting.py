"""Counting what is there: a pool's extents in order, read in pages, and when something in it ends next."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from datetime import datetime

from django.db.models import Min

from lentra.registry.models import ExtentRow, Reservation, Space, Subnet
from lentra.registry.transactions.sql import Prepared, Slot

_PAGE = 10_000
_extents = Prepared(
    lambda: (
        ExtentRow.objects.filter(pool=Slot("pool"), family=Slot("family"), first__gt=Slot("after"))
        .order_by("first")
        .values_list("first", "length", "state")[:_PAGE]
    )
)


def extents_in_order(pool: int, family: int) -> Iterator[tuple[int, int, int]]:
    """The extents of a pool in order of address, read in pages: first address, length, state."""
    after = b""
    while True:
        page = _extents.raw(pool=pool, family=family, after=after)
        for first, length, state in page:
            yield int.from_bytes(first, "big"), length, state
        if len(page) < _PAGE:
            return
        after = page[-1][0]


def overlooked(pool: int, spaces: Sequence[Space]) -> tuple[datetime, datetime | None] | None:
    """When something in a pool ends and when the pool believes it does, if that is later or never; None if it knows.

    Args:
        spaces: the pool's; one that knows will do, since a pool is opened with all its families.
    """
    due, known = due_at(pool), min((space.next_due for space in spaces if space.next_due), default=None)
    return None if due is None or (known and known <= due) else (due, known)


def due_at(pool: int) -> datetime | None:
    """When something in a pool ends next, counted from what is there; None if nothing does."""
    subnets = Subnet.objects.filter(extents__pool=pool, ends_at__isnull=False).aggregate(at=Min("ends_at"))["at"]
    reservations = Reservation.objects.filter(pool=pool).aggregate(at=Min("ends_at"))["at"]
    return min((at for at in (subnets, reservations) if at), default=None)
