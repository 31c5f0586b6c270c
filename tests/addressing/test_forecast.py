"""Forecasts on made-up series with a known answer, and how long lengths last."""

import random

import pytest
from hypothesis import given
from hypothesis import strategies as st

from lentra.addressing.extents import MemoryExtents, State, carve
from lentra.addressing.forecast import (
    Forecast,
    NoForecast,
    Sample,
    Step,
    coverage,
    crossing,
    faster,
    forecast,
    lasting,
    steady,
    trend_per_day,
)
from lentra.addressing.placement import place
from lentra.addressing.prefix import parse_prefix
from lentra.addressing.refusal import Exhausted

DAYS = range(738_000, 738_000 + 730)


def series(shape, days=DAYS):
    return [Sample(day, round(shape(day - DAYS[0]))) for day in days]


def test_a_straight_line_is_carried_on_without_spread():
    found = forecast(series(lambda d: 1000 + 4 * d))
    assert isinstance(found, Forecast)
    assert found.per_day == pytest.approx(4)
    assert found.at(100)[1] == pytest.approx(1000 + 4 * 829)
    assert found.width(56) == pytest.approx(0)
    assert crossing(found, 1000 + 4 * 829).likely == 100


def test_time_to_full_as_in_the_worked_example():
    found = forecast(series(lambda d: 96 * d / 30.4375))
    left = 1664
    when = crossing(found, round(found.level) + left)
    assert when.likely / 30.4375 == pytest.approx(17.3, abs=0.1)
    assert when.early <= when.likely <= when.late


@pytest.mark.parametrize(
    ("shape", "reason"), [(lambda d: 5000, "no growth"), (lambda d: 5000 - 2 * d, "use is shrinking")]
)
def test_without_growth_there_is_no_forecast(shape, reason):
    assert forecast(series(shape)) == NoForecast(reason)


def test_too_few_readings_say_so():
    assert forecast([]) == NoForecast("too few readings: 0 days, 6 weeks are needed")
    assert "20 days" in forecast(series(lambda d: d, DAYS[:21])).reason


def test_missing_days_and_single_odd_ones_do_not_bend_it():
    whole = series(lambda d: 1000 + 4 * d)
    holes = [s for n, s in enumerate(whole) if n % 5 and not 500 < n < 560]
    odd = [Sample(s.day, s.used * 3 if n in (400, 600, 650) else s.used) for n, s in enumerate(whole)]
    for samples in (holes, odd):
        assert forecast(samples).per_day == pytest.approx(4, rel=0.02)


def test_a_step_long_ago_does_not_bend_the_trend_of_the_window():
    found = forecast(series(lambda d: 1000 + 4 * d + (50_000 if d > 300 else 0)))
    assert found.per_day == pytest.approx(4, rel=0.02)
    assert found.level == pytest.approx(1000 + 4 * 729 + 50_000, rel=0.001)


def test_steps_to_come_bring_the_days_nearer():
    found = forecast(series(lambda d: 1000 + 4 * d))
    amount = round(found.level) + 400
    assert crossing(found, amount).likely == 100
    assert crossing(found, amount, [Step(found.day, 200)]).likely == 50
    assert crossing(found, amount, [Step(found.day, 500)]).likely == 0
    assert crossing(found, amount, [Step(found.day + 70, 200)]).likely == 70
    assert crossing(found, amount, [Step(found.day + 70, -200)]).likely == 150
    assert crossing(found, amount, [Step(found.day + 5000, 10**6)]).likely == 100
    # Without growth the steps alone fill a pool, on their days.
    flat = steady(600.0, found.day)
    assert crossing(flat, 1000).likely is None
    when = crossing(flat, 1000, [Step(found.day + 30, 250), Step(found.day + 60, 250)])
    assert (when.early, when.likely, when.late) == (60, 60, 60)


def test_a_faster_pace_is_nearer_and_no_surer():
    found = forecast(series(lambda n: 1000 + 4 * n + (n * 37) % 11))
    assert isinstance(found, Forecast)
    twice = faster(found, 2)
    amount = round(found.level) + 400
    assert crossing(twice, amount).likely < crossing(found, amount).likely
    assert twice.width(56) >= found.width(56)


@pytest.mark.parametrize("seed", range(6))
def test_the_spread_holds_its_share_of_later_readings(seed):
    rng = random.Random(seed)
    walk, noisy = 0.0, []
    for day in DAYS:
        walk += rng.gauss(0, 3)
        noisy.append(Sample(day, round(10_000 + 5 * (day - DAYS[0]) + walk + rng.gauss(0, 40))))
    inside, counted = coverage(noisy, horizon_weeks=4)
    assert counted > 60
    assert 0.6 <= inside / counted <= 1


def test_many_noisy_series_together_hold_the_nominal_share():
    inside = counted = 0
    for seed in range(20):
        rng = random.Random(seed)
        noisy = [Sample(day, round(9000 + 6 * (day - DAYS[0]) + rng.gauss(0, 60))) for day in DAYS]
        a, b = coverage(noisy)
        inside, counted = inside + a, counted + b
    assert inside / counted == pytest.approx(0.8, abs=0.08)


@given(st.lists(st.integers(0, 10_000), min_size=60, max_size=120))
def test_early_never_comes_after_likely_nor_likely_after_late(used):
    samples = [Sample(DAYS[0] + 3 * n, value) for n, value in enumerate(used)]
    found = forecast(samples)
    pace = trend_per_day(samples)
    if isinstance(found, NoForecast):
        assert pace is not None
        assert pace <= 0
        return
    when = crossing(found, 50_000)
    known = [day for day in (when.early, when.likely, when.late) if day is not None]
    assert known == sorted(known)
    assert not (when.late is not None and when.likely is None)


def test_the_last_large_block_goes_before_the_space_does():
    store = MemoryExtents(4, [parse_prefix("10.40.64.0/21")])
    rows = lasting(store.free_counts(), {24: 1.0, 22: 0.1})
    by_length = {row.length: row for row in rows}
    assert (by_length[22].fits, by_length[24].fits) == (2, 8)
    assert by_length[22].days < 20
    assert by_length[24].days == pytest.approx(8, abs=5)


@given(st.dictionaries(st.integers(22, 28), st.floats(0.05, 2), min_size=1, max_size=3))
def test_how_long_lengths_last_is_what_placing_them_comes_to(paces):
    """The counts alone give the same days as placing real blocks in real space at that pace."""
    store = MemoryExtents(4, [parse_prefix("10.40.64.0/20")])
    expected, taken = {}, dict.fromkeys(paces, 0)
    while len(expected) < len(paces):
        length = min((n for n in paces if n not in expected), key=lambda n: ((taken[n] + 1) / paces[n], n))
        day = (taken[length] + 1) / paces[length]
        try:
            found = place(store, length, "snug")
        except Exhausted:
            expected[length] = round(day) if day <= 3650 else None
            continue
        carve(store, found.block, State.HANDED_OUT, 1, found.within)
        taken[length] += 1
    rows = lasting({20: 1}, paces)
    assert {row.length: row.days for row in rows} == expected
