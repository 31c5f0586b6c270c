"""Rule sheets as they ship, and the bounds that they set."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from lentra.addressing.prefix import Prefix, parse_prefix
from lentra.addressing.refusal import LengthOutOfBounds, WrongFamily
from lentra.addressing.rules import SHIPPED, RuleSheet
from lentra.addressing.sizing import explain, size_of_length

SHEETS = {sheet.name: sheet for sheet in SHIPPED}


@pytest.mark.parametrize(
    ("name", "head", "tail", "shortest", "longest", "v6"),
    [
        ("ends-withheld", 1, 1, 12, 30, (64, 64)),
        ("four-and-one", 4, 1, 18, 28, (64, 64)),
        ("two-and-two", 2, 2, 20, 29, (64, 64)),
        ("point-to-point", 0, 0, 31, 31, (127, 127)),
        ("single-address", 0, 0, 32, 32, (128, 128)),
    ],
)
def test_the_sheets_that_ship(name, head, tail, shortest, longest, v6):
    sheet = SHEETS[name]
    rules = sheet.family(4)
    assert (rules.head, rules.tail, rules.shortest, rules.longest) == (head, tail, shortest, longest)
    assert (sheet.family(6).shortest, sheet.family(6).longest) == v6


def test_what_else_the_sheets_say():
    assert SHEETS["four-and-one"].ipv6_needs_ipv4
    assert SHEETS["four-and-one"].family(4).max_ranges == SHEETS["four-and-one"].family(6).max_ranges == 4
    assert [name for name, sheet in SHEETS.items() if sheet.tag_needed] == ["two-and-two"]
    for name in ("ends-withheld", "four-and-one", "two-and-two"):
        rules = SHEETS[name].family(6)
        assert (rules.range_shortest, rules.range_longest) == (40, 56)


@given(st.sampled_from(SHIPPED), st.sampled_from([4, 6]), st.integers(0, 128))
def test_a_length_is_taken_or_refused_with_one_that_is_taken(sheet, family, length):
    rules = sheet.family(family)
    for check, low, high in (
        (sheet.check_subnet_length, rules.shortest, rules.longest),
        (sheet.check_range_length, rules.range_shortest, rules.range_longest),
    ):
        if low <= length <= high:
            check(family, length)
        else:
            with pytest.raises(LengthOutOfBounds) as caught:
                check(family, length)
            (better,) = caught.value.suggestions
            check(family, int(better[1:]))
            assert sheet.name in caught.value.message


def test_a_family_that_a_sheet_does_not_serve_is_refused():
    only_v4 = RuleSheet("old-platform", SHEETS["ends-withheld"].v4, None)
    with pytest.raises(WrongFamily, match="old-platform has no IPv6"):
        only_v4.check_subnet_length(6, 64)


@given(st.integers(18, 28))
def test_size_and_explanation_agree(length):
    sheet = SHEETS["four-and-one"]
    size = size_of_length(length, sheet)
    facts = explain(Prefix(4, parse_prefix("10.64.0.0/10").first, length), sheet)
    assert (size.total, size.withheld, size.usable) == (facts.total, facts.withheld, facts.usable)
    assert size.why_not_smaller == "the length was given"
