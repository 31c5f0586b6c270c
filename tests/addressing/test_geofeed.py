"""Where public ranges are, in the fewest prefixes; who may announce them, in the fewest authorisations."""

from __future__ import annotations

from hypothesis import given
from hypothesis import strategies as st

from lentra.addressing.geofeed import Authorisation, Location, fewest_authorised, fewest_located
from lentra.addressing.prefix import Prefix, parse_prefix

PLACES = [Location("NO"), Location("NO", "NO-46"), Location("SE", "SE-O", "Tofta")]
FIRST = parse_prefix("192.0.2.0/24").first
PREFIXES = st.builds(
    lambda length, n: Prefix(4, FIRST + (n % (1 << (length - 24)) << (32 - length)), length),
    st.integers(24, 32),
    st.integers(0, 255),
)


def place_of(address, located):
    """By the longest prefix that holds an address."""
    around = [(prefix.length, place) for prefix, place in located if prefix.first <= address <= prefix.last]
    return max(around, default=(0, None), key=lambda one: one[0])[1]


@given(st.dictionaries(PREFIXES, st.sampled_from(PLACES), max_size=25))
def test_every_address_is_where_it_was_and_no_prefix_is_one_too_many(located):
    fewest = fewest_located(located.items())
    assert len(fewest) <= len(located)
    for address in range(FIRST, FIRST + 256):
        assert place_of(address, fewest) == place_of(address, located.items())
    for n, (prefix, _) in enumerate(fewest):
        rest = fewest[:n] + fewest[n + 1 :]
        assert any(place_of(a, rest) != place_of(a, fewest) for a in range(prefix.first, prefix.last + 1))


@given(
    st.lists(
        st.builds(Authorisation, PREFIXES, st.integers(32, 32) | st.integers(24, 32), st.integers(64496, 64498))
    )
)
def test_the_same_may_be_announced_by_the_fewest_authorisations(wanted):
    wanted = [Authorisation(a.prefix, max(a.longest, a.prefix.length), a.origin) for a in wanted]
    fewest = fewest_authorised(wanted)
    assert set(fewest) <= set(wanted)

    def allowed(prefix, origin, by):
        return any(a.origin == origin and a.prefix.contains(prefix) and prefix.length <= a.longest for a in by)

    for one in wanted:
        for length in range(one.prefix.length, one.longest + 1):
            assert allowed(one.prefix.child(length, 0), one.origin, fewest)
    for n, one in enumerate(fewest):
        rest = fewest[:n] + fewest[n + 1 :]
        ends = [(length, n) for length in range(one.prefix.length, one.longest + 1) for n in (0, -1)]
        parts = [one.prefix.child(length, n % (1 << (length - one.prefix.length))) for length, n in ends]
        assert not all(allowed(part, one.origin, rest) for part in parts)
