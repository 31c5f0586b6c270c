"""How far a network can be reached: as asking each address for its longest route says, in whatever order they are told."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from lentra.addressing.exposure import REACHES, VIAS, Route, openness, reach_of, told_apart
from lentra.addressing.prefix import Prefix, parse_prefix

BITS = 4  # that routes differ in: 16 stretches of the whole space
WORD = {"outside": "outside", "translated": "outward", "inside": "inside", "nowhere": "isolated"}


@st.composite
def routes(draw):
    made = []
    for length, at, via in draw(
        st.lists(st.tuples(st.integers(0, BITS), st.integers(0, 15), st.sampled_from(VIAS)), max_size=8)
    ):
        first = (at >> (BITS - length)) << (32 - length)
        made.append(Route(Prefix(4, first, length), via, f"gate-{len(made)}"))
    return made


@given(routes(), st.randoms())
def test_a_route_counts_where_it_is_the_longest(made, chance):
    reached = "isolated"
    for at in range(1 << BITS):
        here = Prefix(4, at << (32 - BITS), BITS)
        there = [route for route in made if route.to.contains(here)]
        longest = [route for route in there if route.to.length == max(r.to.length for r in there)]
        for route in longest:
            reached = max(reached, WORD[route.via], key=REACHES.index)
    chance.shuffle(made)
    word, proof = reach_of(made)
    assert word == reached
    assert (proof is None) == (word == "isolated")
    assert proof is None or (proof in made and WORD[proof.via] == word)


@pytest.mark.parametrize(
    ("declared", "told"),
    [
        ("public", ["cut-off", "cut-off", "cut-off", ""]),
        ("private", ["cut-off", "", "", "exposed"]),
        ("isolated", ["", "exposed", "exposed", "exposed"]),
    ],
)
def test_what_is_declared_is_held_against_what_is_there(declared, told):
    assert [told_apart(declared, reach) for reach in REACHES] == told
    assert [openness(reach) for reach in REACHES] == [0, 1, 2, 3]


def test_halves_of_everything_are_everything():
    halves = [Route(parse_prefix(text), "inside", "hub") for text in ("::/1", "8000::/1")]
    assert reach_of([Route(parse_prefix("::/0"), "outside", "gate"), *halves])[0] == "inside"
    word, proof = reach_of([Route(parse_prefix("::/0"), "outside", "gate"), halves[0]])
    assert (word, str(proof)) == ("outside", "::/0 to the outside by gate")
