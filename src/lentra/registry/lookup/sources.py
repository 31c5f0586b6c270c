"""How a source stands: whether it is being asked, fails, and whether what it saw is believed."""

from __future__ import annotations

from datetime import datetime

from lentra.registry.models import ASKED_KINDS, Look, Source

STANDINGS = ("never", "fresh", "stale", "asking", "failing")


def look_of(source: Source) -> Look | None:
    """How it goes with asking a source; nothing for one that is not asked."""
    if source.kind not in ASKED_KINDS:
        return None
    try:
        return source.look
    except Look.DoesNotExist:
        return None


def standing(source: Source, look: Look | None, now: datetime) -> str:
    """One of `STANDINGS`."""
    if look and (look.begun_at or look.failing_since):
        return "asking" if look.begun_at else "failing"
    if source.seen_at is None:
        return "never"
    return "fresh" if source.is_believed(now) else "stale"
