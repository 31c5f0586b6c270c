"""Tables of old space: headings, ranges however people write them, and how the ranges of rows lie to each other."""

from datetime import date

import pytest
from hypothesis import given
from hypothesis import strategies as st

from lentra.addressing.prefix import Prefix, prefixes_of_range
from lentra.addressing.refusal import Refusal
from lentra.addressing.tables import Column, Meaning, blocks_of, guess_columns, meaning_of, nesting, read_row

KNOWN = (
    Column("prefix", "", ("network", "range")),
    Column("zone", "", ("site", "location")),
    Column("tag", "", ("vlan", "vlan id")),
)


@pytest.mark.parametrize(
    ("said", "expected"),
    [
        ({"prefix": "10.40.64.0/23"}, "10.40.64.0/23"),
        ({"prefix": "10.40.64.0", "mask": "255.255.254.0"}, "10.40.64.0/23"),
        ({"address": "10.40.64.0", "mask": "/23"}, "10.40.64.0/23"),
        ({"address": "10.40.64.0/255.255.254.0"}, "10.40.64.0/23"),
        ({"prefix": "10.40.64.0 - 10.40.64.47"}, "10.40.64.0/27 10.40.64.32/28"),
        ({"prefix": "10.40.64.0–10.40.64.31"}, "10.40.64.0/27"),
        ({"first": "10.40.64.0", "last": "10.40.64.63"}, "10.40.64.0/26"),
        ({"prefix": "10.40.64.0/24, 2001:db8::/64"}, "10.40.64.0/24 2001:db8::/64"),
        ({"prefix": "203.0.113.9"}, "203.0.113.9/32"),
    ],
)
def test_a_range_is_read_however_it_is_written(said, expected):
    assert " ".join(str(block) for block in blocks_of(said)) == expected


@pytest.mark.parametrize(
    ("said", "field", "words"),
    [
        ({}, "prefix", "says no range"),
        ({"address": "10.40.64.0"}, "mask", "neither a mask nor a length"),
        ({"first": "10.40.64.0"}, "last", "is missing"),
        ({"prefix": "10.40.64.1/23"}, "prefix", "10.40.64"),
        ({"prefix": "quay"}, "prefix", "quay"),
        ({"first": "10.40.64.9", "last": "10.40.64.1"}, "first", "10.40.64"),
    ],
)
def test_what_is_no_range_is_told_with_its_field(said, field, words):
    with pytest.raises(Refusal, match=words) as refused:
        blocks_of(said)
    assert refused.value.field == field


def test_headings_are_known_by_name_first_and_each_once():
    headings = ["Site", "VLAN ID", "Location", "Range", "Prefix", "Remark"]
    assert guess_columns(headings, KNOWN) == {"prefix": "Prefix", "zone": "Site", "tag": "VLAN ID"}
    assert guess_columns(["vlanId"], KNOWN) == {"tag": "vlanId"}


def test_a_row_says_what_its_columns_mean_with_values_translated_and_fixed_ones_behind():
    meaning = meaning_of(
        {
            "columns": {"prefix": "Net", "zone": "Hall"},
            "set": {"zone": "nc-1", "tag": 7},
            "values": {"zone": {"A": "nc-2"}},
        },
        KNOWN,
    )
    assert read_row({"Net": "10.0.0.0/24", "Hall": "A"}, meaning) == {
        "prefix": "10.0.0.0/24",
        "zone": "nc-2",
        "tag": "7",
    }
    assert read_row({"Net": "10.0.0.0/24", "Hall": " "}, meaning)["zone"] == "nc-1"
    with pytest.raises(Refusal, match="there is no field 'hall'"):
        meaning_of({"columns": {"hall": "Hall"}}, KNOWN)


@pytest.mark.parametrize("cell", [10.4, date(2026, 1, 10)])
def test_what_a_spreadsheet_has_made_of_an_address_is_told(cell):
    with pytest.raises(Refusal, match="the spreadsheet has turned this cell into the") as refused:
        read_row({"Net": cell}, Meaning({"prefix": "Net"}))
    assert refused.value.field == "prefix"
    assert read_row({"Vlan": 410.0}, Meaning({"tag": "Vlan"})) == {"tag": "410"}


@st.composite
def _ranges(draw):
    """Ranges of some rows: blocks, and spans that are none."""
    rows = []
    for _ in range(draw(st.integers(1, 12))):
        if draw(st.booleans()):
            length = draw(st.integers(24, 30))
            size = 1 << (32 - length)
            rows.append([Prefix(4, (10 << 24) + draw(st.integers(0, 255 // size)) * size, length)])
        else:
            first = draw(st.integers(0, 250))
            rows.append(prefixes_of_range(4, (10 << 24) + first, (10 << 24) + first + draw(st.integers(0, 40))))
    return rows


@given(_ranges())
def test_how_ranges_lie_to_each_other_is_what_looking_at_every_pair_finds(rows):
    spans = [(blocks[0].first, blocks[-1].last) for blocks in rows]
    for n, (one, nest) in enumerate(zip(spans, nesting(rows), strict=True)):
        others = [other for m, other in enumerate(spans) if m != n]
        crosses = any((o[0] < one[0] <= o[1] < one[1]) or (one[0] < o[0] <= one[1] < o[1]) for o in others)
        contained = [o for o in others if o[0] <= one[0] and one[1] <= o[1] and o != one]
        contains = any(one[0] <= o[0] and o[1] <= one[1] and o != one for o in others)
        # The first of several that are the same stands for them.
        first_of_its_kind = spans.index(one) == n
        assert (nest.same is not None) == (not first_of_its_kind)
        if first_of_its_kind and not any(
            (o[0] < p[0] <= o[1] < p[1]) or (p[0] < o[0] <= p[1] < o[1]) for o in spans for p in spans
        ):
            assert nest.across is None
            assert bool(nest.holds) == contains
            if contained:
                narrowest = min(contained, key=lambda o: o[1] - o[0])
                assert nest.outer is not None
                assert spans[nest.outer] == narrowest
            else:
                assert nest.outer is None
        if nest.across is not None:
            assert crosses
