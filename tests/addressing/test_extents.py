"""Extents in memory, and placement, against the contract and worked examples."""

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from lentra.addressing.extents import (
    Extent,
    MemoryExtents,
    State,
    carve,
    carve_over_kept_out,
    carve_range,
    carve_several,
    give_back,
    require_free,
)
from lentra.addressing.placement import neighbours_in_words, place, place_beside, place_exact
from lentra.addressing.prefix import Prefix
from lentra.addressing.prefix import parse_prefix as P
from lentra.addressing.refusal import Exhausted, OutsideParent, Overlaps, Refusal
from tests.extents_contract import ExtentsMachine


class InMemory(ExtentsMachine):
    make_store = staticmethod(MemoryExtents)
    read_all = staticmethod(list)


TestInMemory = InMemory.TestCase
TestInMemory.settings = settings(max_examples=60, stateful_step_count=40, deadline=None)


def pool_with(*taken: str, ranges: str = "10.40.64.0/20") -> MemoryExtents:
    store = MemoryExtents(P(ranges).family, [P(ranges)])
    for text in taken:
        carve(store, P(text), State.HANDED_OUT, 1, require_free(store, P(text)))
    return store


@given(st.lists(st.tuples(st.integers(0, 255), st.integers(24, 32)), max_size=20), st.booleans())
def test_several_are_carved_at_once_as_one_after_the_other(wanted, reserved):
    store, other = (MemoryExtents(4, [P("10.40.64.0/24")]) for _ in range(2))
    state, owner = (State.RESERVED, 7) if reserved else (State.FREE, None)
    taken = []
    for at, length in wanted:
        size = 1 << (32 - length)
        block = Prefix(4, P("10.40.64.0/24").first + at // size * size, length)
        if not any(block.overlaps(one.prefix) for one in taken):
            taken.append(Extent(block, State.HANDED_OUT, len(taken) + 1))
    for one in taken:
        carve(other, one.prefix, one.state, one.owner, require_free(other, one.prefix))
    whole = Extent(P("10.40.64.0/24"), state, owner)
    store.replace([Extent(whole.prefix)], [whole])
    carve_several(store, whole, sorted(taken))
    as_carved = [Extent(e.prefix, state, owner) if e.state is State.FREE else e for e in other]
    assert list(store) == as_carved


def test_snug_says_between_which_blocks_the_gap_lies():
    store = pool_with("10.40.64.0/22", "10.40.68.0/24", "10.40.72.0/22")
    found = place(store, 24)
    assert str(found.block) == "10.40.69.0/24"
    words = f"{found.why}, {neighbours_in_words(store, found.within)}"
    assert words == "smallest gap that fits, between 10.40.68.0/24 and 10.40.72.0/22"


def test_roomy_lands_in_the_middle_of_the_widest_gap():
    store = MemoryExtents(4, [P("10.40.0.0/16")])
    thirds = []
    for _ in range(8):
        found = place(store, 24, "roomy")
        carve(store, found.block, State.HANDED_OUT, 1, found.within)
        thirds.append(found.block.first >> 8 & 255)
    assert thirds == [0, 128, 64, 192, 32, 96, 160, 224]


def test_beside_prefers_directly_after_then_before():
    store = pool_with("10.40.68.0/24")
    assert place_beside(store, 24, P("10.40.68.0/24")).block == P("10.40.69.0/24")
    store = pool_with("10.40.68.0/24", "10.40.69.0/24")
    found = place_beside(store, 24, P("10.40.68.0/24"))
    assert (found.block, found.why) == (P("10.40.67.0/24"), "directly before 10.40.68.0/24")


def test_exact_names_what_is_in_the_way():
    store = pool_with("10.40.68.0/24")
    with pytest.raises(Overlaps) as caught:
        place_exact(store, P("10.40.68.0/23"))
    assert caught.value.conflicts == [{"range": "10.40.68.0/24", "state": "handed out", "addresses": 256}]
    with pytest.raises(OutsideParent):
        place_exact(store, P("10.40.80.0/24"))


def test_exhausted_says_the_largest_and_the_total_free():
    store = pool_with("10.40.64.0/21", "10.40.72.0/22", "10.40.76.0/23")
    with pytest.raises(Exhausted, match="largest free is a /23, and 512 addresses") as caught:
        place(store, 22)
    assert caught.value.suggestions == ["/23"]
    with pytest.raises(Refusal, match="not a placement"):
        place(store, 24, "anywhere")


def test_a_range_that_is_no_prefix_is_carved_as_its_fewest():
    store = MemoryExtents(4, [P("10.40.3.0/24")])
    pieces = carve_range(store, P("10.40.3.10/32").first, P("10.40.3.40/32").first, State.RESERVED, 7)
    assert len(pieces) == 5
    give_back(store, [Extent(piece, State.RESERVED, 7) for piece in pieces])
    assert list(store) == [Extent(P("10.40.3.0/24"))]


def test_a_pool_may_be_carved_over_what_is_kept_out_but_not_over_what_is_used():
    store = pool_with("10.40.64.0/24")
    carve(store, P("10.40.72.0/24"), State.KEPT_OUT, None, require_free(store, P("10.40.72.0/24")))
    carve_over_kept_out(store, P("10.40.72.0/21"), State.CARVED, 9)
    assert store.at(P("10.40.72.0/32").first) == Extent(P("10.40.72.0/21"), State.CARVED, 9)
    with pytest.raises(Overlaps):
        carve_over_kept_out(store, P("10.40.64.0/21"), State.CARVED, 9)
