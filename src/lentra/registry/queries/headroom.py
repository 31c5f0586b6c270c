"""Headroom: how much more fits, and how long until a threshold and until full; as of today or of an earlier day."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
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
    crossing,
    forecast,
    lasting,
    trend_per_day,
)
from lentra.addressing.headroom import Usage
from lentra.registry.errors import Invalid
from lentra.registry.models import ExtentRow, LedgerEntry, Pool, Project, Reading, Space, Zone

_FAN_WEEKS = 26


def history_of(
    kind: str, subjects: Sequence[int], family: int | None = None
) -> dict[tuple[int, int], list[Reading]]:
    """Readings of records of a kind: (number, family) -> readings in order of day. One statement."""
    rows = Reading.objects.filter(kind=kind, subject__in=subjects).order_by("day")
    if family:
        rows = rows.filter(family=family)
    found: dict[tuple[int, int], list[Reading]] = {}
    for reading in rows:
        found.setdefault((reading.subject, reading.family), []).append(reading)
    return found


def pool_headroom(pool: Pool, now: datetime, window_days: int = WINDOW_DAYS) -> list[dict[str, Any]]:
    """Headroom of a pool per family: usage, trend, when each threshold is reached, and how long lengths last.

    Reservations that others may draw from are free of cost already: they count as used.
    """
    found = []
    history = history_of("pool", [pool.pk])
    spaces = {space.family: space for space in Space.objects.filter(pool=pool)}
    for family, space in sorted(spaces.items()):
        usage = space.usage()
        readings = history.get((pool.pk, family), [])
        samples = [Sample(r.day.toordinal(), r.used) for r in readings]
        made = forecast(samples, window_days=window_days)
        found.append(
            {
                "family": family,
                "total": str(usage.total),
                "used": str(usage.total - usage.free),
                "used_percent": round(usage.used_percent, 2),
                "warning_percent": pool.warning_percent,
                "critical_percent": pool.critical_percent,
                **_forecast_facts(made, samples, now, window_days),
                "thresholds": _thresholds(made, usage, pool, now),
                "lengths": _lengths(pool, family, usage, now, window_days),
                "readings": [_told(r) for r in readings],
                "fan": _fan(made, now),
            }
        )
    return found


def owner_headroom(record: Project | Zone, now: datetime, window_days: int = WINDOW_DAYS) -> list[dict[str, Any]]:
    """How a project or zone grows, per family: it has no end of its own, so there are no thresholds."""
    kind = "project" if isinstance(record, Project) else "zone"
    found = []
    for (_, family), readings in sorted(history_of(kind, [record.pk]).items()):
        samples = [Sample(r.day.toordinal(), r.used) for r in readings]
        made = forecast(samples, window_days=window_days)
        found.append(
            {
                "family": family,
                "used": str(readings[-1].used),
                **_forecast_facts(made, samples, now, window_days),
                "readings": [_told(r) for r in readings],
                "fan": _fan(made, now),
            }
        )
    return found


def overview(pools: Sequence[Pool], now: datetime, window_days: int = WINDOW_DAYS) -> list[dict[str, Any]]:
    """Of each pool and family: in use, growth, and when it is full. A bounded number of statements."""
    history = history_of("pool", [pool.pk for pool in pools])
    spaces: dict[int, list[Space]] = {}
    for space in Space.objects.filter(pool__in=[pool.pk for pool in pools]).order_by("family"):
        spaces.setdefault(space.pool_id, []).append(space)
    rows = []
    for pool in pools:
        for space in spaces.get(pool.pk, []):
            usage = space.usage()
            readings = history.get((pool.pk, space.family), [])
            samples = [Sample(r.day.toordinal(), r.used) for r in readings]
            made = forecast(samples, window_days=window_days)
            rows.append(
                {
                    "pool": {"id": pool.pk, "name": pool.name},
                    "realm": {"id": pool.realm_id, "name": pool.realm.name},
                    "family": space.family,
                    "used_percent": round(usage.used_percent, 2),
                    "largest_free": None if usage.largest_free is None else f"/{usage.largest_free}",
                    **_forecast_facts(made, samples, now, window_days),
                    "thresholds": _thresholds(made, usage, pool, now),
                }
            )
    return rows


def usage_on(pool_ids: Sequence[int], day: date) -> list[Reading]:
    """The pools' last readings on or before a day."""
    rows = Reading.objects.filter(kind="pool", subject__in=pool_ids, day__lte=day).order_by("day")
    last: dict[tuple[int, int], Reading] = {}
    for reading in rows.filter(day__gt=day - timedelta(days=31)):
        last[reading.subject, reading.family] = reading
    return [last[key] for key in sorted(last)]


def changes_between(first: date, last: date, pools: Sequence[int] | None = None) -> list[dict[str, Any]]:
    """What changed from one day to another: by whom, what was done, how often, and over how many addresses.

    Raises:
        Invalid: the days are reversed.
    """
    if last < first:
        raise Invalid(f"{first} comes after {last}", field="until", received=last, suggestions=[first])
    verbs = ("hand out", "give back", "grow", "shrink", "end cooling", "end hold", "add family")
    rows = LedgerEntry.objects.filter(kind="subnet", verb__in=verbs, at__date__gte=first, at__date__lte=last)
    entries = list(rows.values_list("number", "subject", "actor_name", "verb", "before", "after"))
    # An entry that changed a state alone does not repeat the blocks: the one that made the record has them.
    made = LedgerEntry.objects.filter(pk__in={subject for _, subject, *_ in entries if subject})
    first_facts = dict(made.values_list("number", "after"))
    told: dict[tuple[str, str], dict[str, Any]] = {}
    for number, subject, actor, verb, before, after in entries:
        facts = {**(first_facts.get(subject or number) or {}), **(before or {}), **(after or {})}
        if pools is not None and facts.get("pool_id") not in pools:
            continue
        row = told.setdefault((verb, actor), {"what": verb, "by": actor, "subnets": 0, "ipv4": 0})
        row["subnets"] += 1
        row["ipv4"] += _ipv4(after) - _ipv4(before) if verb in ("grow", "shrink") else _ipv4(facts)
    return [row | {"ipv4": str(row["ipv4"])} for _, row in sorted(told.items())]


def _ipv4(facts: Mapping[str, Any] | None) -> int:
    blocks = (facts or {}).get("blocks") or []
    return sum(1 << (32 - int(b.partition("/")[2])) for b in blocks if ":" not in b)


def _forecast_facts(
    made: Forecast | NoForecast, samples: Sequence[Sample], now: datetime, window_days: int
) -> dict[str, Any]:
    pace = trend_per_day(samples, window_days)
    return {
        "per_month": None if pace is None else str(round(pace * 30.4375)),
        "no_forecast": made.reason if isinstance(made, NoForecast) else None,
        "window_days": window_days,
        "confidence_percent": round(CONFIDENCE * 100),
    }


def _thresholds(made: Forecast | NoForecast, usage: Usage, pool: Pool, now: datetime) -> list[dict[str, Any]]:
    found = []
    used = usage.total - usage.free
    for name, percent in (("warning", pool.warning_percent), ("critical", pool.critical_percent), ("full", 100)):
        amount = usage.total * percent // 100
        row: dict[str, Any] = {"name": name, "percent": percent, "reached": used >= amount}
        days: Any = (None, None, None)
        if used >= amount or isinstance(made, NoForecast):
            pass
        else:
            when = crossing(made, amount)
            days = (when.early, when.likely, when.late)
        for word, day in zip(("early", "likely", "late"), days, strict=True):
            row[word] = None if day is None else (now.date() + timedelta(days=day)).isoformat()
        found.append(row)
    return found


def _lengths(pool: Pool, family: int, usage: Usage, now: datetime, window_days: int) -> list[dict[str, Any]]:
    """How many blocks of each length that was asked for in the window still fit, and until when."""
    since = now - timedelta(days=window_days)
    taken = ExtentRow.objects.filter(pool=pool, family=family, subnet__created_at__gte=since)
    asked: dict[int, int] = {}
    consumed: dict[int, int] = {}
    for state, length, n in taken.values_list("state", "length").annotate(n=Count("id")).order_by():
        if state == State.HANDED_OUT:
            asked[length] = asked.get(length, 0) + n
        if state in (State.HANDED_OUT, State.ROOM):  # the room behind a block is taken with it
            consumed[length] = consumed.get(length, 0) + n
    rows = lasting(usage.free_counts, {length: n / window_days for length, n in consumed.items()})
    return [
        {
            "length": row.length,
            "fits": str(row.fits),
            "asked": asked[row.length],
            "until": None if row.days is None else (now.date() + timedelta(days=row.days)).isoformat(),
            "days": row.days,
        }
        for row in rows
        if row.length in asked
    ]


def _told(reading: Reading) -> dict[str, Any]:
    return {"day": reading.day.isoformat(), "used": str(reading.used)}


def _fan(made: Forecast | NoForecast, now: datetime) -> list[dict[str, Any]]:
    """Low, likely and high use for the coming weeks."""
    if isinstance(made, NoForecast):
        return []
    rows = []
    for week in range(_FAN_WEEKS + 1):
        low, likely, high = made.at(7 * week)
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
