"""Usage: shares add up, thresholds are met by the share itself and not by rounding, parts together are the whole."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from lentra.addressing.extents import State
from lentra.addressing.headroom import THRESHOLDS, Usage

usages = st.builds(
    lambda amounts, counts: Usage(4, dict(zip(State, amounts, strict=True)), counts),
    st.lists(st.integers(0, 1 << 24), min_size=len(State), max_size=len(State)),
    st.dictionaries(st.integers(8, 32), st.integers(0, 50), max_size=6),
)


@given(usages)
def test_shares_add_up_to_one_and_each_is_its_part(usage):
    if usage.total:
        assert sum(usage.share(state) for state in State) == 1
    assert all(0 <= usage.share(state) <= 1 for state in State)


@given(usages, usages)
def test_two_together_are_the_sum_of_both_whichever_comes_first(one, other):
    both = one.plus(other)
    assert both == other.plus(one)
    assert both.total == one.total + other.total
    for length in range(8, 33):
        assert both.still_fits(length) == one.still_fits(length) + other.still_fits(length)


@given(usages, st.integers(1, 100))
def test_a_threshold_is_reached_by_the_share_itself(usage, percent):
    used = usage.total - usage.free
    assert usage.reaches(percent) == (usage.total > 0 and used * 100 >= usage.total * percent)
    amount = usage.amount_at(percent)
    assert amount * 100 >= usage.total * percent
    assert amount == 0 or (amount - 1) * 100 < usage.total * percent


@pytest.mark.parametrize(("used", "reached"), [(7, False), (8, True)])
def test_seventy_percent_is_no_seventy_five(used, reached):
    usage = Usage(4, {State.HANDED_OUT: used, State.FREE: 10 - used}, {32: 10 - used})
    assert usage.reaches(75) is reached
    assert THRESHOLDS == ("warning", "critical", "full")


@given(usages)
def test_what_is_carved_is_told_by_the_pools_carved_there(usage):
    carved = usage.addresses[State.CARVED]
    inner = Usage(4, {State.HANDED_OUT: carved // 3, State.FREE: carved - carved // 3}, {})
    whole = usage.less_carved(carved).plus(inner)
    assert whole.total == usage.total
    assert whole.addresses[State.CARVED] == 0
