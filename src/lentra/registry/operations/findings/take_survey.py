"""Take a survey: what a source sees now takes the place of what it saw before, and its realm is judged anew."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime, timedelta

from django.db.models import QuerySet

from lentra.registry.errors import Invalid
from lentra.registry.lookup.locked import find_locked
from lentra.registry.models import Sighting, Source, Survey
from lentra.registry.operations.findings.judge import lock_sources
from lentra.registry.operations.findings.taking import judge_and_take
from lentra.registry.rules.permissions import require
from lentra.registry.transactions.change import Change
from lentra.registry.transactions.sql import insert

MOST_AT_ONCE = 100_000
_AT_ONCE = 5000  # rows of one statement
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


Key = tuple[int, int, int, bool]


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
    source = _source(change, source_id, at, version)
    if not 1 <= len(seen) <= MOST_AT_ONCE:
        raise Invalid(
            f"{len(seen):,} sightings: a survey has 1 to {MOST_AT_ONCE:,}; one that has seen nothing has failed",
            field="sightings",
            received=len(seen),
        )
    fresh = _by_key(seen)
    known = _known(Sighting.objects.filter(source=source))
    gone = [row.pk for key, row in known.items() if key not in fresh and row.lost_at is None]
    return _kept(change, source, at, True, fresh, known, gone)


def take_changes(
    change: Change, source_id: int, seen: Sequence[Seen], gone: Collection[Key], at: datetime
) -> Survey | None:
    """Keep what has changed of what a source sees, and judge its realm; nothing is done where nothing has changed.

    Args:
        seen: what is new, or told otherwise.
        gone: what it sees no more.
        at: when it was told.

    Raises:
        Invalid, NotAllowed: as for a survey.
    """
    source = _source(change, source_id, at, None)
    fresh = _by_key(seen)
    places = {key[1] for key in (*fresh, *gone)}
    known = _known(Sighting.objects.filter(source=source, family__in=(4, 6), first__in=places))
    lost = [known[key].pk for key in gone if key in known and known[key].lost_at is None]
    if not lost and all(_same(known.get(key), one) for key, one in fresh.items()):
        return None
    return _kept(change, source, at, False, fresh, known, lost)


def _source(change: Change, source_id: int, at: datetime, version: int | None) -> Source:
    require(change.actor, "planner", "take a survey")
    lock_sources(realm__sources=source_id)
    source = find_locked(Source, source_id, version=version, related=("realm",))
    last = source.seen_at
    if at > change.now + _CLOCKS_MAY_DIFFER or (last and at < last):
        beyond = "lies ahead" if at > change.now else f"is before the last one, of {last:%Y-%m-%d %H:%M} UTC"
        raise Invalid(f"this survey {beyond}", field="at", received=at, suggestions=[change.now])
    return source


def _by_key(seen: Sequence[Seen]) -> dict[Key, Seen]:
    fresh = {one.key: one for one in seen}
    if len(fresh) < len(seen):
        raise Invalid("the same range comes twice: tell all of it at once", field="sightings")
    return fresh


def _known(rows: QuerySet[Sighting]) -> dict[Key, Sighting]:
    return {(row.family, row.first, row.last, row.single): row for row in rows}


def _same(row: Sighting | None, one: Seen) -> bool:
    return row is not None and row.lost_at is None and row.facts == one.facts


def _kept(
    change: Change,
    source: Source,
    at: datetime,
    whole: bool,
    fresh: Mapping[Key, Seen],
    known: Mapping[Key, Sighting],
    gone: Sequence[int],
) -> Survey:
    """Write what is another, and judge."""
    lost_at = source.seen_at if whole else at
    for n in range(0, len(gone), _AT_ONCE):
        Sighting.objects.filter(pk__in=gone[n : n + _AT_ONCE]).update(lost_at=lost_at)
    living = {key for key, row in known.items() if row.lost_at is None}
    rows = [
        Sighting(
            source=source,
            realm_id=source.realm_id,
            family=one.family,
            first=one.first,
            last=one.last,
            single=one.single,
            facts=one.facts,
            first_seen_at=known[key].first_seen_at if key in living else at,
        )
        for key, one in fresh.items()
        if not _same(known.get(key), one)
    ]
    insert(rows, update=("facts", "first_seen_at", "lost_at"))
    survey = Survey(source=source, at=at, taken_at=change.now, whole=whole)
    counts = {"seen": len(fresh), "new": len(fresh.keys() - living), "gone": len(gone)}
    change.edited(source, "survey", seen_at=at)
    survey.counts = {**counts, **judge_and_take(change, source.realm)}
    change.added([survey], verb="take")
    for words, count in survey.counts.items():
        if words in ("opened", "closed") and count:
            change.note(f"{count:,} finding{'s' if count > 1 else ''} {words}")
    return survey
