"""Realms that meet: as asking for each address by itself says; and a division that gives each address to one side."""

from itertools import combinations, pairwise

from hypothesis import given
from hypothesis import strategies as st

from lentra.addressing.matching import merged
from lentra.addressing.meeting import ALL, NEITHER, ONE, OTHER, Joint, apart, common, divide, meetings

TOP = 16
REALMS = (1, 2, 3, 4)
spans = st.lists(st.tuples(st.integers(0, TOP - 1), st.integers(1, 6)), max_size=4).map(
    lambda pairs: merged([(first, min(first + size, TOP) - 1) for first, size in pairs])
)
shown = st.one_of(st.just(ALL), spans.map(lambda found: {4: found}))
joints = st.lists(
    st.builds(
        lambda ends, one, other, passes: Joint(*ends, one, other, passes),
        st.sampled_from(list(combinations(REALMS, 2))),
        shown,
        shown,
        st.booleans(),
    ),
    max_size=5,
)


def holds(found, address):
    return any(first <= address <= last for first, last in found)


def reached(made, start, address):
    """Where an address of a realm can be seen: by single links, and by any number of those that pass on."""
    steps = [
        (of, at, joint.passes_on)
        for joint in made
        for of, at, sees in joint.ways()
        if holds(sees.get(4, []), address)
    ]
    passed = {start}
    while more := {at for of, at, passes in steps if passes and of in passed} - passed:
        passed |= more
    return passed | {at for of, at, _ in steps if of == start}


@given(joints)
def test_realms_meet_where_one_of_them_or_a_third_can_reach_both(made):
    found = meetings(made)
    for one, other in combinations(REALMS, 2):
        for address in range(TOP):
            together = reached(made, one, address) & reached(made, other, address)
            linked = {realm for joint in made for realm in (joint.one, joint.other)}
            assert holds(found.get((one, other), {}).get(4, []), address) == bool(together & linked)


@given(spans, spans, spans, spans, spans)
def test_each_address_that_both_have_is_of_one_side(where, one, other, chosen, never):
    shares = divide(where, one, other, {OTHER: chosen}, {OTHER: never})
    assert merged([(share.first, share.last) for share in shares]) == where
    assert all(a.last < b.first for a, b in pairwise(shares))
    for share in shares:
        for address in range(share.first, share.last + 1):
            mine, theirs = holds(one, address), holds(other, address)
            assert (share.to == NEITHER) == (mine and theirs)
            if mine and theirs:
                continue
            if mine or theirs:
                assert share.to == (ONE if mine else OTHER)
            elif holds(chosen, address):
                assert share.to == OTHER
            elif holds(never, address):
                assert share.to == ONE


@given(spans, spans)
def test_spans_are_cut_as_sets_are(one, other):
    def told(found):
        return {address for first, last in found for address in range(first, last + 1)}

    assert told(common(one, other)) == told(one) & told(other)
    assert told(apart(one, other)) == told(one) - told(other)


def test_free_space_goes_to_whoever_uses_what_lies_beside_it():
    shares = divide([(0, 255)], [(0, 15)], [(128, 143)])
    assert [(s.first, s.last, s.to) for s in shares] == [
        (0, 15, ONE),
        (16, 63, ONE),
        (64, 127, OTHER),
        (128, 143, OTHER),
        (144, 255, OTHER),
    ]
    assert [(s.first, s.last, s.to) for s in divide([(0, 255)], [], [])] == [(0, 255, ONE)]
    apart_from_it = divide([(0, 63), (256, 511)], [], [(300, 319)])
    assert next((s.first, s.to, s.why) for s in apart_from_it) == (0, OTHER, "more is in use there")


def test_a_hub_that_passes_nothing_on_still_sees_both_of_its_neighbours():
    made = [Joint(1, 2, ALL, {}), Joint(2, 3, {}, ALL)]
    assert set(meetings(made)) == {(1, 2), (1, 3), (2, 3)}
    assert set(meetings([Joint(1, 2, {}, {}), Joint(2, 3, {4: [(0, 7)]}, {})])) == {(2, 3)}
