"""Realms that somebody may have meant who did not say which."""

from __future__ import annotations

from django.db.models import Count, Q

from lentra.registry.models import Realm


def likely_realms(most: int = 5) -> list[str]:
    """Names of realms to suggest where none was said: those that have ranges, the one with most first."""
    ranges = Count("poolrange", filter=Q(poolrange__top=True))
    with_ranges = Realm.objects.annotate(n=ranges).filter(n__gt=0).order_by("-n", "name")
    return list(with_ranges.values_list("name", flat=True)[:most])
