"""Take a survey: what a source sees now takes the place of what it saw before, and its realm is judged anew."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from datetime import datetime, timedelta

from lentra.registry.errors import Invalid
from lentra.registry.lookup.locked import find_locked
from lentra.registry.models import Sighting, Source, Survey
from lentra.registry.operations.findings.judge import judge, lock_sources
from lentra.registry.rules.permissions import require
from lentra.registry.transactions.change import Change
from lentra.registry.transactions.sql import insert

MOST_AT_ONCE = 100_000
_CLOCKS_MAY_DIFFER = timedelta(minutes=5)


@dataclass(frozen=True)
class Seen:
    """One range or address that was seen, and what is told of it."""

    family: int
    first: int
    last: int
    single: bool
    facts: dict[str, str] = field(default_factory=dict)

    @property
    def key(self) -> tuple[int, int, int, bool]:
        """What makes it one sighting of its source."""
        return self.family, self.first, self.last, self.single


def take_survey(
    change: Change, source_id: int, seen: Sequence[Seen], at: datetime, version: int | None = None
) -> Survey:
    """Keep what a source has seen, and judge its realm.

    Args:
        seen: all that it sees; what it saw before and is not among it, it sees no more.
        at: when it looked.

    Raises:
        Invalid: too much at once, nothing at all, the same thing twice, or a moment to come or before the last survey.
        NotAllowed, StaleEdit.
    """
    require(change.actor, "planner", "take a survey")
    lock_sources(realm__sources=source_id)
    source = find_locked(Source, source_id, version=version, related=("realm",))
    if not 1 <= len(seen) <= MOST_AT_ONCE:
        raise Invalid(
            f"{len(seen):,} sightings: a survey has 1 to {MOST_AT_ONCE:,}; one that has seen nothing has failed",
            field="sightings",
            received=len(seen),
        )
    last = source.seen_at
    if at > change.now + _CLOCKS_MAY_DIFFER or (last and at < last):
        beyond = "lies ahead" if at > change.now else f"is before the last one, of {last:%Y-%m-%d %H:%M} UTC"
        raise Invalid(f"this survey {beyond}", field="at", received=at, suggestions=[change.now])
    fresh = {one.key: one for one in seen}
    if len(fresh) < len(seen):
        raise Invalid("the same range comes twice: tell all of it at once", field="sightings")
    known = {(row.family, row.first, row.last, row.single): row for row in Sighting.objects.filter(source=source)}
    gone = [row.pk for key, row in known.items() if key not in fresh]
    if gone:
        Sighting.objects.filter(pk__in=gone).delete()
    rows = [
        Sighting(
            source=source,
            realm_id=source.realm_id,
            family=one.family,
            first=one.first,
            last=one.last,
            single=one.single,
            facts=one.facts,
            first_seen_at=at,
        )
        for key, one in fresh.items()
        if key not in known or known[key].facts != one.facts
    ]
    insert(rows, update=("facts",))
    survey = Survey(source=source, at=at, taken_at=change.now)
    counts = {"seen": len(fresh), "new": len(fresh.keys() - known.keys()), "gone": len(gone)}
    change.edited(source, "survey", seen_at=at)
    survey.counts = {**counts, **judge(change, source.realm)}
    change.added([survey], verb="take")
    for words, count in survey.counts.items():
        if words in ("opened", "closed") and count:
            change.note(f"{count:,} finding{'s' if count > 1 else ''} {words}")
    return survey
