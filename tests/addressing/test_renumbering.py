"""Renumbering: blocks and addresses keep their offsets where they can, and none is lost or placed twice."""

from __future__ import annotations

from datetime import date
from itertools import combinations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from lentra.addressing.address_map import Inside
from lentra.addressing.dns import reverse_name
from lentra.addressing.extents import Extent, State
from lentra.addressing.prefix import Prefix, parse_address, parse_prefix
from lentra.addressing.renumbering import (
    Old,
    likely_end,
    move_addresses,
    move_blocks,
    moved_text,
    routes_of,
    taken_out,
)
from lentra.addressing.rules import FamilyRules

HOME, TARGET = parse_prefix("10.40.0.0/20"), parse_prefix("10.60.0.0/20")


def olds(*texts, home=HOME, length=None, room=0):
    blocks = [parse_prefix(text) for text in texts]
    return [Old(str(block), block, home, length or block.length, room) for block in blocks]


def places(moves):
    return {one.old.key: str(one.laid.block) for one in moves.moved}


def test_offsets_are_kept_where_the_target_has_the_place_free():
    taken = [parse_prefix("10.60.0.0/21"), parse_prefix("10.60.12.0/22")]  # free: all but 10.60.8.0/22
    moves = move_blocks(olds("10.40.2.0/24", "10.40.9.0/24", "10.40.13.128/25"), [TARGET], taken)
    assert places(moves) == {
        "10.40.2.0/24": "10.60.2.0/24",
        "10.40.9.0/24": "10.60.3.0/24",
        "10.40.13.128/25": "10.60.13.128/25",
    }
    assert [one.kept for one in moves.moved] == [True, False, True]


def test_what_is_packed_ends_as_it_did_where_there_is_such_a_place():
    free = [parse_prefix(text) for text in ("10.60.8.0/26", "10.60.9.0/24")]
    moves = move_blocks(olds("10.40.0.64/26", "10.40.1.128/26", "10.40.2.64/26", "10.40.3.0/24"), [TARGET], free)
    assert places(moves) == {"10.40.3.0/24": "10.60.9.0/24", "10.40.0.64/26": "10.60.8.0/26"}
    moves = move_blocks(olds("10.40.0.64/26", "10.40.1.128/26", "10.40.2.64/26"), [TARGET], free)
    assert places(moves) == {
        "10.40.0.64/26": "10.60.9.64/26",
        "10.40.1.128/26": "10.60.9.128/26",
        "10.40.2.64/26": "10.60.8.0/26",
    }


def test_what_does_not_fit_is_told_with_what_would_take_it():
    moves = move_blocks(
        olds("10.40.0.0/22", "10.40.8.0/24", "10.40.9.0/24"),
        [parse_prefix("10.60.0.0/23")],
        [parse_prefix("10.60.0.0/23")],
    )
    assert sorted(places(moves).values()) == ["10.60.0.0/24", "10.60.1.0/24"]
    assert [str(old.block) for old in moves.left] == ["10.40.0.0/22"]
    assert (moves.missing, moves.wanted(4)) == (1024, 21)


def test_other_lengths_and_room_go_along():
    (one,) = move_blocks(olds("10.40.4.0/24", length=25, room=2), [TARGET], [TARGET]).moved
    assert str(one.laid.block) == "10.60.4.0/25"
    assert [str(piece) for piece in one.laid.room] == ["10.60.4.128/25", "10.60.5.0/24"]


blocks_in_home = st.lists(st.tuples(st.integers(21, 28), st.integers(0, 255)), min_size=1, max_size=12).map(
    lambda drawn: _apart([HOME.child(n, at % (1 << (n - 20))) for n, at in drawn])
)


def _apart(blocks):
    kept = []
    for block in blocks:
        if not any(block.overlaps(other) for other in kept):
            kept.append(block)
    return kept


@given(blocks_in_home, st.lists(st.tuples(st.integers(21, 26), st.integers(0, 63)), max_size=4), st.integers(0, 2))
def test_every_block_has_a_place_of_its_own_that_was_free_or_is_told(blocks, holes, room):
    free = [TARGET]
    for n, at in holes:
        hole = TARGET.child(n, at % (1 << (n - 20)))
        free = [rest for piece in free for rest in _without(piece, hole)]
    moves = move_blocks([Old(str(b), b, HOME, b.length, room) for b in blocks], [TARGET], free)
    news = [one.laid.block.enclosing(max(0, one.laid.block.length - room)) for one in moves.moved]
    assert not any(a.overlaps(b) for a, b in combinations(news, 2))
    assert all(any(piece.contains(new) for piece in free) for new in news)
    assert len(moves.moved) + len(moves.left) == len(blocks)
    for one in moves.moved:
        offset = one.old.block.first - HOME.first
        assert one.kept is False or one.laid.block.first - TARGET.first == offset
    if not holes and not room:  # a target that is all free and as large keeps every offset
        assert all(one.kept for one in moves.moved)
        assert not moves.left


def _without(piece, hole):
    from lentra.addressing.prefix import without

    if not piece.overlaps(hole):
        return [piece]
    return [] if hole.contains(piece) else without(piece, hole)


RULES = FamilyRules(1, 1, 0, 32, 0, 32)


@given(st.sets(st.integers(1, 254), max_size=40), st.integers(24, 28))
def test_addresses_keep_their_offset_or_get_the_next_free_one_and_never_share(offsets, length):
    old, new = parse_prefix("10.40.4.0/24"), Prefix(4, TARGET.first, length)
    addresses = {old.first + n: False for n in offsets}
    found = move_addresses(old, Inside(new, RULES), addresses)
    assert found.keys() == addresses.keys()
    given_ = [address for address in found.values() if address is not None]
    assert len(given_) == len(set(given_)) == min(len(offsets), new.size - 2)
    for n in offsets:
        if n < new.size - 1:
            assert found[old.first + n] == new.first + n


def test_what_the_new_block_withholds_is_for_the_gateway_alone():
    old, inside = parse_prefix("10.40.4.0/26"), Inside(TARGET.child(26, 0), FamilyRules(4, 1, 0, 32, 0, 32))
    first = parse_address("10.40.4.1")[1]
    assert move_addresses(old, inside, {first: True}) == {first: TARGET.first + 1}
    assert move_addresses(old, inside, {first: False}) == {first: TARGET.first + 4}


@pytest.mark.parametrize(
    ("text", "moved"),
    [
        ("10.40.4.37", "10.60.0.37"),
        ("10.40.4.10-10.40.4.20", "10.60.0.10-10.60.0.20"),
        ("10.40.4.130", None),
        ("10.40.5.1", None),
    ],
)
def test_what_is_fixed_inside_moves_with_its_block(text, moved):
    assert moved_text(text, [parse_prefix("10.40.4.0/24")], [parse_prefix("10.60.0.0/25")]) == moved


def test_extents_are_taken_out_of_those_around_them():
    free = [Extent(parse_prefix("10.60.0.0/24")), Extent(parse_prefix("10.60.2.0/24"))]
    taken = [
        Extent(parse_prefix(text), State.HELD, 7) for text in ("10.60.2.0/25", "10.60.0.64/26", "10.60.0.0/26")
    ]
    found = taken_out(free, taken)
    assert [(str(around.prefix), len(inside)) for around, inside in found] == [
        ("10.60.0.0/24", 2),
        ("10.60.2.0/24", 1),
    ]
    with pytest.raises(ValueError, match="lies in none"):
        taken_out(free, [Extent(parse_prefix("10.60.1.0/25"))])


def test_the_end_is_foreseen_by_the_pace_until_now():
    begun, today = date(2026, 11, 1), date(2026, 11, 11)
    assert likely_end(begun, today, 0, 10) is None
    assert likely_end(begun, today, 10, 10) == today
    assert likely_end(begun, today, 20, 50) == date(2026, 11, 26)


def test_routes_are_the_fewest_prefixes_of_each_phase():
    found = routes_of([parse_prefix("10.40.0.0/24"), parse_prefix("10.40.1.0/24")], [parse_prefix("10.60.0.0/23")])
    assert [(route.phase, str(route.prefix)) for route in found] == [
        ("before", "10.40.0.0/23"),
        ("during", "10.40.0.0/23"),
        ("during", "10.60.0.0/23"),
        ("after", "10.60.0.0/23"),
    ]


def test_names_in_the_reverse_tree():
    assert reverse_name(*parse_address("192.0.2.5")) == "5.2.0.192.in-addr.arpa"
    assert reverse_name(*parse_address("2001:db8::1")).startswith("1.0.0.0.")
    assert reverse_name(*parse_address("2001:db8::1")).endswith("8.b.d.0.1.0.0.2.ip6.arpa")
