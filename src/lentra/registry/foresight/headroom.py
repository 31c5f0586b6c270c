"""Headroom: how much more fits, and how long until a threshold and until full."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import date, datetime, timedelta
from typing import Any

from django.db.models import Count

from lentra.addressing.extents import State
from lentra.addressing.forecast import (
    CONFIDENCE,
    WINDOW_DAYS,
    Forecast,
    NoForecast,
    Sample,
    Step,
    crossing,
    faster,
    forecast,
    lasting,
    steady,
    stepped,
    trend_per_day,
)
from lentra.addressing.headroom import THRESHOLDS, Usage
from lentra.registry.foresight.steps import KnownStep, steps_of
from lentra.registry.models import ExtentRow, Outlook, Pool, Project, Reading, Realm, Region, Space, Zone
from lentra.registry.reports.usage import sum_of

_FAN_WEEKS = 26
REALM_THRESHOLDS = dict(zip(THRESHOLDS, (75, 90, 100), strict=True))  # a realm has none of its own


@dataclass(frozen=True)
class SpaceForecast:
    """What is known of the use of one space to come: its readings, the trend of them, and the steps.

    Args:
        usage: the counters as they are now (or as they would be), in addresses.
        asked: blocks handed out in the window, per length; `consumed` counts the room behind them too.
        pace: multiplier of the current growth; 1.0 leaves it as it is.
        shift: addresses in use beyond (or below) what the readings tell.
    """

    family: int
    usage: Usage
    readings: Sequence[Reading]
    steps: Sequence[KnownStep]
    now: datetime
    window_days: int = WINDOW_DAYS
    asked: Mapping[int, int] | None = None
    consumed: Mapping[int, int] | None = None
    pace: float = 1.0
    shift: int = 0

    @property
    def samples(self) -> list[Sample]:
        """The readings as the core counts them."""
        return [Sample(r.day.toordinal(), r.used) for r in self.readings]

    @property
    def made(self) -> Forecast | NoForecast:
        """The trend, at its pace and from what is used now; or why there is none."""
        found = forecast(self.samples, window_days=self.window_days)
        if isinstance(found, NoForecast):
            return found
        return replace(faster(found, self.pace), level=found.level + self.shift)

    def facts(self, thresholds: Mapping[str, int]) -> dict[str, Any]:
        """All that is told of it: trend, thresholds, lengths, fan, steps."""
        made = self.made
        base = self._base(made)
        used = self.usage.used
        return {
            "family": self.family,
            "total": str(self.usage.total),
            "used": str(used),
            "used_percent": round(self.usage.used_percent, 2),
            "warning_percent": thresholds["warning"],
            "critical_percent": thresholds["critical"],
            **trend_facts(made, self.samples, self.window_days, self.pace),
            "thresholds": (crossed := self._thresholds(base, thresholds)),
            "lengths": self._lengths(base, crossed[-1]["likely"]),
            "steps": [step.to_dict() for step in self.steps],
            "readings": [_reading_row(r) for r in self.readings],
            "fan": fan_of(base, self._core_steps()),
        }

    def brief(self, thresholds: Mapping[str, int]) -> dict[str, Any]:
        """What an overview tells of it, beside its usage."""
        made = self.made
        return {
            **trend_facts(made, self.samples, self.window_days, self.pace),
            "thresholds": self._thresholds(self._base(made), thresholds),
        }

    def _core_steps(self) -> list[Step]:
        return [step.step() for step in self.steps]

    def _base(self, made: Forecast | NoForecast) -> Forecast | None:
        """What the steps come on top of: the trend, or what is used now where steps are all there is."""
        if isinstance(made, Forecast):
            return made
        return steady(self.usage.used, self.now.date().toordinal()) if self.steps else None

    def _thresholds(self, base: Forecast | None, thresholds: Mapping[str, int]) -> list[dict[str, Any]]:
        found = []
        for name, percent in thresholds.items():
            row: dict[str, Any] = {"name": name, "percent": percent, "reached": self.usage.reaches(percent)}
            days: Sequence[int | None] = (None, None, None)
            if base and not row["reached"]:
                when = crossing(base, self.usage.amount_at(percent), self._core_steps())
                days = (when.early, when.likely, when.late)
            for word, ahead in zip(("early", "likely", "late"), days, strict=True):
                row[word] = None
                if base and ahead is not None:
                    row[word] = max(date.fromordinal(base.day + ahead), self.now.date()).isoformat()
            found.append(row)
        return found

    def _lengths(self, base: Forecast | None, full: str | None) -> list[dict[str, Any]]:
        """How many blocks of each length that was asked for in the window still fit, and until when.

        Without a forecast there is no pace, so no day. No length lasts beyond the day on which nothing is left.
        """
        asked = self.asked or {}
        last = date.fromisoformat(full) if full else None
        # Of a pool that is younger than the window, the days there are.
        first = self.readings[0].day if self.readings else self.now.date()
        days = max(1, min(self.window_days, (self.now.date() - first).days))
        paces = {n: count * self.pace / days for n, count in (self.consumed or {}).items()}
        return [
            {
                "length": row.length,
                "fits": str(row.fits),
                "asked": asked[row.length],
                "until": None if day is None else day.isoformat(),
                "days": None if day is None else (day - self.now.date()).days,
            }
            for row in lasting(self.usage.free_counts, paces)
            if row.length in asked
            for day in (self._last_day(row.days, base, last),)
        ]

    def _last_day(self, days: int | None, base: Forecast | None, full: date | None) -> date | None:
        """The day on which the last block of a length goes; not after the pool is full."""
        if days is None or base is None:
            return None
        day = self.now.date() + timedelta(days=days)
        return min(day, full) if full else day


def history_of(kind: str, subjects: Sequence[int]) -> dict[tuple[int, int], list[Reading]]:
    """Readings of records of a kind: (number, family) -> readings in order of day. One statement."""
    found: dict[tuple[int, int], list[Reading]] = {}
    for reading in Reading.objects.filter(kind=kind, subject__in=subjects).order_by("day"):
        found.setdefault((reading.subject, reading.family), []).append(reading)
    return found


def ahead_of(pool: Pool, now: datetime, window_days: int = WINDOW_DAYS) -> dict[int, SpaceForecast]:
    """What is to come of each family of a pool."""
    history = history_of("pool", [pool.pk])
    steps = steps_of([pool.pk], now)
    found = {}
    known = {}
    if window_days == WINDOW_DAYS:
        known = {
            outlook.space_id: outlook.asked for outlook in Outlook.objects.standing().filter(space__pool=pool)
        }
    for space in Space.objects.filter(pool=pool).order_by("family"):
        counted = known.get(space.pk) or asked_lengths(pool.pk, space.family, now, window_days)
        asked, consumed = ({int(n): count for n, count in counts.items()} for counts in counted)
        key = (pool.pk, space.family)
        found[space.family] = SpaceForecast(
            space.family,
            space.usage(),
            history.get(key, []),
            steps.get(key, []),
            now,
            window_days,
            asked,
            consumed,
        )
    return found


def pool_headroom(pool: Pool, now: datetime, window_days: int = WINDOW_DAYS) -> list[dict[str, Any]]:
    """Headroom of a pool per family: usage, trend, steps, when each threshold is reached, how long lengths last.

    What is held or reserved counts as used already; a reservation with an end is a step down on that day.
    """
    return [ahead.facts(pool.thresholds()) for ahead in ahead_of(pool, now, window_days).values()]


def realm_headroom(realm: Realm, now: datetime, window_days: int = WINDOW_DAYS) -> list[dict[str, Any]]:
    """Headroom of all pools of a realm together, per family, nothing counted twice; without lengths."""
    pools = list(Pool.objects.filter(realm=realm).values_list("pk", flat=True))
    usages = sum_of(Space.objects.filter(pool__realm=realm))
    steps: dict[int, list[KnownStep]] = {}
    for (_, family), known in steps_of(pools, now).items():
        steps.setdefault(family, []).extend(known)
    history = history_of("realm", [realm.pk])
    found = []
    for family, usage in sorted(usages.items()):
        own = sorted(steps.get(family, []), key=lambda step: (step.day, step.name))
        ahead = SpaceForecast(family, usage, history.get((realm.pk, family), []), own, now, window_days)
        found.append(ahead.facts(REALM_THRESHOLDS))
    return found


def owner_headroom(
    record: Project | Zone | Region, now: datetime, window_days: int = WINDOW_DAYS
) -> list[dict[str, Any]]:
    """How a project, zone or region grows, per family: it has no end of its own, so there are no thresholds."""
    found = []
    for (_, family), readings in sorted(history_of(record.KIND, [record.pk]).items()):
        samples = [Sample(r.day.toordinal(), r.used) for r in readings]
        made = forecast(samples, window_days=window_days)
        found.append(
            {
                "family": family,
                "used": str(readings[-1].used),
                **trend_facts(made, samples, window_days),
                "readings": [_reading_row(r) for r in readings],
                "fan": fan_of(made if isinstance(made, Forecast) else None, []),
            }
        )
    return found


def overview(pools: Sequence[Pool], now: datetime, window_days: int = WINDOW_DAYS) -> list[dict[str, Any]]:
    """Of each pool and family: in use, growth, and when it is full. A bounded number of statements.

    Over the usual window it is what upkeep has worked out from the last readings, where it has.
    """
    numbers = [pool.pk for pool in pools]
    spaces: dict[int, list[Space]] = {}
    for space in Space.objects.filter(pool__in=numbers).order_by("family"):
        spaces.setdefault(space.pool_id, []).append(space)
    known: dict[int, Outlook] = {}
    if window_days == WINDOW_DAYS:
        known = {
            outlook.space_id: outlook for outlook in Outlook.objects.standing().filter(space__pool__in=numbers)
        }
    rest = [pk for pk, own in spaces.items() if any(space.pk not in known for space in own)]
    history = history_of("pool", rest) if rest else {}
    steps = steps_of(rest, now) if rest else {}
    rows = []
    for pool in pools:
        for space in spaces.get(pool.pk, []):
            key, usage = (pool.pk, space.family), space.usage()
            if space.pk in known:
                facts = known[space.pk].facts
            else:
                ahead = SpaceForecast(
                    space.family, usage, history.get(key, []), steps.get(key, []), now, window_days
                )
                facts = ahead.brief(pool.thresholds())
            rows.append(
                {
                    "pool": {"id": pool.pk, "name": pool.name},
                    "realm": {"id": pool.realm_id, "name": pool.realm.name},
                    "family": space.family,
                    **facts,
                    "used_percent": round(usage.used_percent, 2),
                    "largest_free": None if usage.largest_free is None else f"/{usage.largest_free}",
                    # The forecast is of the last reading; what is reached, is reached now.
                    "thresholds": [t | {"reached": usage.reaches(t["percent"])} for t in facts["thresholds"]],
                }
            )
    return rows


def asked_lengths(
    pool: int, family: int, now: datetime, window_days: int = WINDOW_DAYS
) -> tuple[dict[int, int], dict[int, int]]:
    """Blocks handed out in the window, per length; and those with the room behind them."""
    since = now - timedelta(days=window_days)
    taken = ExtentRow.objects.filter(pool=pool, family=family, subnet__created_at__gte=since)
    asked: dict[int, int] = {}
    consumed: dict[int, int] = {}
    for state, length, n in taken.values_list("state", "length").annotate(n=Count("*")).order_by():
        if state == State.HANDED_OUT:
            asked[length] = asked.get(length, 0) + n
        if state in (State.HANDED_OUT, State.ROOM):  # the room behind a block is taken with it
            consumed[length] = consumed.get(length, 0) + n
    return asked, consumed


def trend_facts(
    made: Forecast | NoForecast, samples: Sequence[Sample], window_days: int, pace: float = 1.0
) -> dict[str, Any]:
    """Growth a month, or why there is no forecast."""
    per_day = trend_per_day(samples, window_days)
    return {
        "per_month": None if per_day is None else str(round(per_day * pace * 30.4375)),
        "no_forecast": made.reason if isinstance(made, NoForecast) else None,
        "window_days": window_days,
        "confidence_percent": round(CONFIDENCE * 100),
    }


def fan_of(made: Forecast | None, steps: Sequence[Step]) -> list[dict[str, Any]]:
    """Low, likely and high use for the coming weeks."""
    if made is None:
        return []
    rows = []
    for week in range(_FAN_WEEKS + 1):
        low, likely, high = stepped(made, steps, 7 * week)
        day = date.fromordinal(made.day) + timedelta(weeks=week)
        rows.append(
            {
                "day": day.isoformat(),
                "low": str(round(low)),
                "likely": str(round(likely)),
                "high": str(round(high)),
            }
        )
    return rows


def _reading_row(reading: Reading) -> dict[str, Any]:
    return {"day": reading.day.isoformat(), "used": str(reading.used)}
