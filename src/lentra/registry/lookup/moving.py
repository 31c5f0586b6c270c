"""What moves: the address records of both sides, and hosts that were seen at their new addresses."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from django.db.models import QuerySet

from lentra.registry.lookup.sightings import look_up_last_seen
from lentra.registry.models import Address, Move, Sighting


def records_by_subnet(subnets: Iterable[int]) -> dict[int, list[Address]]:
    """The address records of some subnets, each one's in order of address."""
    found: dict[int, list[Address]] = {}
    for record in Address.objects.filter(subnet__in=list(subnets)).order_by("family", "address"):
        found.setdefault(record.subnet_id, []).append(record)
    return found


def not_moved(news: Iterable[int]) -> QuerySet[Address]:
    """Address records of new sides whose hosts nobody has said to have moved, in order of address."""
    rows = Address.objects.filter(subnet__in=list(news), moved_at=None, replaces__isnull=False)
    return rows.order_by("family", "address")


def hosts_seen_moved(moves: Sequence[Move]) -> set[int]:
    """Records of the new side whose hosts a source has seen there, and no more at their old addresses since.

    Returns:
        numbers of records of the new side that nobody has marked.
    """
    realms = {move.realm_id for move in moves}
    if not Sighting.objects.filter(realm__in=realms).exists():
        return set()
    news = list(not_moved(move.new_id for move in moves).select_related("replaces"))
    olds = [record.replaces for record in news if record.replaces]
    look_up_last_seen([*news, *olds])
    found = set()
    for record in news:
        there, here = record.last_seen_at, record.replaces.last_seen_at if record.replaces else None
        if there and there >= record.created_at and (here is None or here < there):
            found.add(record.pk)
    return found


def only_on_old_side(olds: Iterable[int]) -> QuerySet[Address]:
    """Address records of old sides that nothing of the new ones replaces: they were made since."""
    rows = Address.objects.filter(subnet__in=list(olds), replaced_by=None)
    return rows.order_by("family", "address")
