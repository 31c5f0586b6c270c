"""When space runs out: a robust trend of readings with its spread, and the days on which thresholds are reached.

The slope is the median of the slopes between all pairs of weekly readings in the window (Theil 1950, Sen 1968), so single
odd readings and missing weeks do not bend it. The spread is not assumed but measured: the same forecast is made from
every earlier week, and the half-width at a horizon is what that share of the past errors stayed within.
"""

from __future__ import annotations

from bisect import bisect_left, bisect_right, insort
from collections import deque
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from itertools import pairwise
from statistics import median

WINDOW_DAYS = 182
CONFIDENCE = 0.8
LEAST_WEEKS = 6
FARTHEST_DAYS = 3650
_HORIZONS = (1, 2, 4, 8, 13, 26)  # weeks
_LEAST_ORIGINS = 8


@dataclass(frozen=True, slots=True)
class Sample:
    """How many addresses were in use on a day (a proleptic ordinal)."""

    day: int
    used: int


@dataclass(frozen=True, slots=True)
class NoForecast:
    """There is no forecast, and why."""

    reason: str


@dataclass(frozen=True, slots=True)
class Forecast:
    """A trend: `level` in use on `day`, `per_day` more each day, and half-widths of the spread by horizon in days."""

    day: int
    level: float
    per_day: float
    weeks: int
    widths: tuple[tuple[int, float], ...]

    def at(self, days: float) -> tuple[float, float, float]:
        """Low, likely and high use so many days ahead."""
        likely = self.level + self.per_day * days
        width = self.width(days)
        return likely - width, likely, likely + width

    def width(self, days: float) -> float:
        """Half-width of the spread at a horizon: between measured ones in proportion, beyond the last growing on."""
        known = [(0, 0.0), *self.widths]
        at = bisect_right([horizon for horizon, _ in known], days)
        if at >= len(known):
            horizon, width = known[-1]
            return width * days / horizon if horizon else 0.0
        (low, low_width), (high, high_width) = known[at - 1], known[at]
        return low_width + (high_width - low_width) * (days - low) / (high - low)


@dataclass(frozen=True, slots=True)
class Crossing:
    """Days from now until an amount is in use; None where that is beyond ten years. 0: it is already."""

    early: int | None
    likely: int | None
    late: int | None


def forecast(
    samples: Sequence[Sample], *, window_days: int = WINDOW_DAYS, confidence: float = CONFIDENCE
) -> Forecast | NoForecast:
    """The trend of readings, or why there is none.

    Args:
        samples: readings in any order; days may be missing.
        window_days: how far back the trend looks.
        confidence: share of later readings that the spread is to hold.
    """
    weeks = _weekly(samples)
    if len(weeks) < LEAST_WEEKS:
        days = max((s.day for s in samples), default=0) - min((s.day for s in samples), default=0)
        return NoForecast(f"too few readings: {days} days, {LEAST_WEEKS} weeks are needed")
    slope, level = _trend(weeks, len(weeks) - 1, window_days)
    if slope <= 0:
        return NoForecast("use is shrinking" if slope < 0 else "no growth")
    return Forecast(weeks[-1].day, level, slope, len(weeks), _widths(weeks, window_days, confidence))


def trend_per_day(samples: Sequence[Sample], window_days: int = WINDOW_DAYS) -> float | None:
    """Growth a day, which may be nil or negative; None with too few readings."""
    weeks = _weekly(samples)
    return _trend(weeks, len(weeks) - 1, window_days)[0] if len(weeks) >= LEAST_WEEKS else None


@dataclass(frozen=True, slots=True)
class Step:
    """Addresses that come at once on a day: a planned need, a plan; negative where space falls back."""

    day: int
    amount: int


def steady(level: float, day: int) -> Forecast:
    """What is in use stays as it is: for pools without growth, where only steps change anything."""
    return Forecast(day, level, 0.0, 0, ())


def faster(found: Forecast, factor: float) -> Forecast:
    """The same forecast with growth, and its spread, at another pace."""
    widths = tuple((days, width * max(factor, 1.0)) for days, width in found.widths)
    return Forecast(found.day, found.level, found.per_day * factor, found.weeks, widths)


def stepped(found: Forecast, steps: Sequence[Step], days: float) -> tuple[float, float, float]:
    """Low, likely and high use so many days ahead, with the steps that have come by then."""
    come = sum(step.amount for step in steps if step.day - found.day <= days)
    low, likely, high = found.at(days)
    return low + come, likely + come, high + come


def crossing(found: Forecast, amount: int, steps: Sequence[Step] = ()) -> Crossing:
    """When an amount will be in use, steps taken in.

    Args:
        steps: in any order; those of past days count from today on.
    """
    if stepped(found, steps, 0)[1] >= amount:
        return Crossing(0, 0, 0)
    days = {max(step.day - found.day, 0) for step in steps}
    bounds = sorted({day for day in days if day <= FARTHEST_DAYS} | {0, FARTHEST_DAYS + 1})

    def first_day(of: int) -> int | None:
        return _first_day(lambda day: stepped(found, steps, day)[of] >= amount, bounds)

    return Crossing(first_day(2), first_day(1), first_day(0))


def coverage(
    samples: Sequence[Sample],
    *,
    window_days: int = WINDOW_DAYS,
    confidence: float = CONFIDENCE,
    horizon_weeks: int = 8,
) -> tuple[int, int]:
    """How often a later reading lay inside the spread that was stated before it: (inside, all), over all weeks."""
    weeks = _weekly(samples)
    inside = counted = 0
    for origin in range(LEAST_WEEKS + _LEAST_ORIGINS, len(weeks) - horizon_weeks):
        past = weeks[: origin + 1]
        slope, level = _trend(past, origin, window_days)
        made = Forecast(past[-1].day, level, slope, len(past), _widths(past, window_days, confidence))
        later = weeks[origin + horizon_weeks]
        low, _, high = made.at(later.day - made.day)
        inside += low <= later.used <= high
        counted += 1
    return inside, counted


@dataclass(frozen=True, slots=True)
class Lasting:
    """How long blocks of a length last: how many fit now, asked for a day, and days until one is refused (or None)."""

    length: int
    fits: int
    per_day: float
    days: int | None


def lasting(free_counts: Mapping[int, int], per_day: Mapping[int, float]) -> list[Lasting]:
    """Days until each length that is asked for can no longer be given, all of them asked for at their pace.

    Each is placed snugly in the free extents per length, as a pool does: small blocks eat up what large ones need.

    Args:
        free_counts: free extents per length.
        per_day: blocks a day that are asked for, per length.
    """
    counts = {length: count for length, count in free_counts.items() if count}
    paces = {length: pace for length, pace in per_day.items() if pace > 0}
    fits = {length: sum(c << (length - n) for n, c in counts.items() if n <= length) for length in paces}
    ends: dict[int, int] = {}
    taken = dict.fromkeys(paces, 0)
    while len(ends) < len(paces):
        length = min((n for n in paces if n not in ends), key=lambda n: ((taken[n] + 1) / paces[n], n))
        day = (taken[length] + 1) / paces[length]
        if day > FARTHEST_DAYS or sum(taken.values()) > 50_000:
            break
        if take(counts, length):
            taken[length] += 1
        else:
            ends[length] = round(day)
    return [Lasting(length, fits[length], paces[length], ends.get(length)) for length in sorted(paces)]


def take(counts: dict[int, int], length: int) -> bool:
    """Take a block out of the smallest free extent that fits; False if none does."""
    fitting = [n for n, count in counts.items() if count and n <= length]
    if not fitting:
        return False
    within = max(fitting)
    counts[within] -= 1
    for n in range(within + 1, length + 1):
        counts[n] = counts.get(n, 0) + 1
    return True


def _weekly(samples: Sequence[Sample]) -> list[Sample]:
    """The last reading of each week that has any; weeks end on the day of the newest reading."""
    if not samples:
        return []
    ordered = sorted(samples, key=lambda s: s.day)
    newest = ordered[-1].day
    weeks: dict[int, Sample] = {}
    for sample in ordered:
        weeks[(newest - sample.day) // 7] = sample
    return [weeks[week] for week in sorted(weeks, reverse=True)]


def _trend(weeks: Sequence[Sample], last: int, window_days: int) -> tuple[float, float]:
    """Slope a day and level on the last day, of the weeks up to `last` inside the window."""
    window = _Window(window_days)
    for week in weeks[: last + 1]:
        if weeks[last].day - week.day <= window_days:
            window.add(week)
    return window.trend()


class _Window:
    """The weeks of a window that moves on, and the slopes between any two of them (Theil 1950, Sen 1968), in order."""

    def __init__(self, days: int) -> None:
        self._days = days
        self._weeks: deque[Sample] = deque()
        self._slopes: list[float] = []

    def add(self, week: Sample) -> None:
        """The next week; those that are too old by then go."""
        while self._weeks and week.day - self._weeks[0].day > self._days:
            old = self._weeks.popleft()
            for later in self._weeks:
                if later.day > old.day:
                    del self._slopes[bisect_left(self._slopes, (later.used - old.used) / (later.day - old.day))]
        for before in self._weeks:
            if week.day > before.day:
                insort(self._slopes, (week.used - before.used) / (week.day - before.day))
        self._weeks.append(week)

    def trend(self) -> tuple[float, float]:
        """Slope a day, and level on the last day."""
        count, end = len(self._slopes), self._weeks[-1].day
        middle = self._slopes[(count - 1) // 2 : count // 2 + 1]
        slope = sum(middle) / len(middle) if middle else 0.0
        # The level is that of the last weeks, carried along the slope: an old step does not pull it down.
        recent = list(self._weeks)[-3:]
        return slope, median(week.used + slope * (end - week.day) for week in recent)


def _widths(weeks: Sequence[Sample], window_days: int, confidence: float) -> tuple[tuple[int, float], ...]:
    """Half-widths that held `confidence` of the errors of the same forecast made in every earlier week."""
    errors: dict[int, list[float]] = {horizon: [] for horizon in _HORIZONS}
    # Forecasts from a short past are worse than today's: they count only while there is no better measure.
    start = max(LEAST_WEEKS - 1, min(window_days // 14, len(weeks) // 3))
    window = _Window(window_days)
    for origin in range(len(weeks) - 1):
        window.add(weeks[origin])
        if origin < start:
            continue
        slope, level = window.trend()
        for horizon in _HORIZONS:
            if origin + horizon < len(weeks):
                later = weeks[origin + horizon]
                errors[horizon].append(later.used - level - slope * (later.day - weeks[origin].day))
    widths = [
        (7 * horizon, _share_of(errors[horizon], confidence, horizon))
        for horizon in _HORIZONS
        if len(errors[horizon]) >= min(_LEAST_ORIGINS, max(1, len(errors[_HORIZONS[0]])))
    ]
    return tuple(_growing(widths))


def _share_of(errors: Sequence[float], confidence: float, horizon: int) -> float:
    """What the amount of so large a share of errors stayed within.

    Of n independent errors, a new one stays within the k-th smallest with a share of k / (n + 1). Errors over several
    weeks that begin a week apart overlap, and say less than their number.
    """
    ordered = sorted(abs(error) for error in errors)
    share = min(1.0, confidence * (1 + 1 / _independent(errors, horizon)))
    rank = round(share * (len(ordered) + 1))
    return ordered[min(len(ordered), max(1, rank)) - 1]


def _independent(errors: Sequence[float], horizon: int) -> float:
    """How many independent errors say as much: n / (1 + 2 x the weighted autocorrelation up to the overlap).

    The weights fall evenly to nothing at `horizon`, where errors overlap no more (Bartlett 1946).
    """
    count = len(errors)
    mean = sum(errors) / count
    apart = [error - mean for error in errors]
    whole = sum(value * value for value in apart)
    if not whole:
        return float(count)
    shared = 0.0
    for lag in range(1, min(horizon, count - 1)):
        alike = sum(a * b for a, b in zip(apart, apart[lag:], strict=False)) / whole
        shared += max(0.0, alike) * (1 - lag / horizon)
    return max(1.0, count / (1 + 2 * shared))


def _growing(widths: Sequence[tuple[int, float]]) -> list[tuple[int, float]]:
    """Widths that never fall with the horizon: neighbours that would are averaged (pool adjacent violators)."""
    pools: list[tuple[float, list[int]]] = []
    for horizon, width in widths:
        pools.append((width, [horizon]))
        while len(pools) > 1 and pools[-2][0] > pools[-1][0]:
            (low, first), (high, second) = pools[-2], pools[-1]
            mean = (low * len(first) + high * len(second)) / (len(first) + len(second))
            pools[-2:] = [(mean, first + second)]
    return [(horizon, width) for width, horizons in pools for horizon in horizons]


def _first_day(reached: Callable[[int], bool], bounds: Sequence[int]) -> int | None:
    """The first whole day on which a condition is met.

    Args:
        reached: between two bounds it stays true once it is.
        bounds: the days on which a step comes, in order, between today and the end of sight.
    """
    for start, end in pairwise(bounds):
        low, high = start, end - 1
        if not reached(high):
            # What is uncertain spreads faster than it grows: it may have been met, but is not for good.
            continue
        while low < high:
            middle = (low + high) // 2
            if reached(middle):
                high = middle
            else:
                low = middle + 1
        return low
    return None
