"""What was seen against what is recorded: the sweep says what comparing each with each says, in whatever order."""

from itertools import pairwise

from hypothesis import given
from hypothesis import strategies as st

from lentra.addressing.matching import matches, merged, unseen, within

ADDRESSES = st.integers(0, 60)
RANGES = st.lists(st.tuples(ADDRESSES, ADDRESSES).map(lambda pair: (min(pair), max(pair))), max_size=25)


@st.composite
def blocks(draw):
    """Blocks in order, none overlapping another; some touch."""
    made, at = [], 0
    for gap, size in draw(st.lists(st.tuples(st.integers(0, 4), st.integers(1, 6)), max_size=12)):
        made.append((at + gap, at + gap + size - 1))
        at += gap + size
    return made


def plainly(seen, recorded):
    first, last = seen
    touched = [n for n, (a, b) in enumerate(recorded) if a <= last and b >= first]
    if not touched:
        return "free", []
    if len(touched) == 1 and recorded[touched[0]] == seen:
        return "equal", touched
    if len(touched) == 1 and recorded[touched[0]][0] <= first and last <= recorded[touched[0]][1]:
        return "inside", touched
    whole = all(first <= recorded[n][0] and recorded[n][1] <= last for n in touched)
    return "holds" if whole else "across", touched


@given(RANGES, blocks(), st.randoms())
def test_the_sweep_says_what_comparing_each_with_each_says(seen, recorded, chance):
    chance.shuffle(seen)
    found = list(matches(seen, recorded))
    assert sorted(match.seen for match in found) == list(range(len(seen)))
    assert [seen[match.seen] for match in found] == sorted(seen)
    for match in found:
        assert (match.how, list(match.blocks)) == plainly(seen[match.seen], recorded)
    touched = {n for match in found for n in match.blocks}
    assert list(unseen([match.blocks for match in found], len(recorded))) == [
        n for n in range(len(recorded)) if n not in touched
    ]


@given(RANGES, ADDRESSES, ADDRESSES)
def test_ranges_put_together_have_the_same_addresses(ranges, one, other):
    joined = merged(ranges)
    have = {address for first, last in ranges for address in range(first, last + 1)}
    assert {address for first, last in joined for address in range(first, last + 1)} == have
    assert all(a[1] + 1 < b[0] for a, b in pairwise(joined))
    first, last = min(one, other), max(one, other)
    asked = set(range(first, last + 1))
    assert within(joined, first, last) == (asked <= have)


def test_a_wide_range_costs_no_more_for_all_that_lies_in_it():
    recorded = [(n * 4, n * 4 + 1) for n in range(50_000)]
    seen = [(0, 200_000)] * 2_000
    found = list(matches(seen, recorded))
    assert {(match.how, len(match.blocks)) for match in found} == {("holds", 50_000)}
