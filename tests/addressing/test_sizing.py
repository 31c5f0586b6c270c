"""Sizing, usage, overlap and the special ranges, against worked examples and plain models."""

from fractions import Fraction

import pytest
from hypothesis import given
from hypothesis import strategies as st

from lentra.addressing.extents import Extent, MemoryExtents, State, carve, require_free
from lentra.addressing.headroom import usage_of
from lentra.addressing.overlap import Range, clashes, relation
from lentra.addressing.prefix import parse_prefix as P
from lentra.addressing.refusal import HostsDoNotFit, LengthOutOfBounds, Refusal
from lentra.addressing.rules import SHIPPED, FamilyRules, RuleSheet
from lentra.addressing.sizing import hosts_with_growth, size_by_hosts
from lentra.addressing.special import SPECIAL, is_private, prefilled_notes

SHEETS = {sheet.name: sheet for sheet in SHIPPED}
W2, W4, W5 = SHEETS["ends-withheld"], SHEETS["two-and-two"], SHEETS["four-and-one"]


@pytest.mark.parametrize(
    ("hosts", "growth", "sheet", "length", "spare"),
    [
        (180, 40, W5, 23, 255),
        (110, 10, W5, 25, 2),
        (59, 0, W5, 26, 0),
        (60, 0, W5, 25, 63),
        (62, 0, W2, 26, 0),
        (63, 0, W2, 25, 63),
        (507, 0, W5, 23, 0),
        (508, 0, W5, 22, 511),
        (12, 25, W4, 27, 13),
    ],
)
def test_hosts_and_growth_give_the_worked_lengths(hosts, growth, sheet, length, spare):
    size = size_by_hosts(hosts, sheet, growth=growth)
    assert (size.length, size.spare) == (length, spare)


def test_the_reason_against_one_smaller_is_told():
    assert size_by_hosts(180, W5, growth=40).why_not_smaller == "/24 has 251 usable, 252 are needed"


def test_growth_is_whole_number_arithmetic():
    assert hosts_with_growth(110, 10) == 121


@pytest.mark.parametrize(
    ("block", "sheet", "usable"),
    [
        ("10.0.0.0/26", "ends-withheld", 62),
        ("10.0.0.0/26", "four-and-one", 59),
        ("10.0.0.0/29", "four-and-one", 3),
        ("10.0.0.0/31", "point-to-point", 2),
        ("2001:db8::/127", "point-to-point", 2),
        ("10.0.0.0/32", "single-address", 1),
        ("10.0.0.0/31", "four-and-one", 0),
    ],
)
def test_usable_addresses(block, sheet, usable):
    prefix = P(block)
    assert SHEETS[sheet].family(prefix.family).usable(prefix) == usable


def test_a_length_may_be_wider_than_needed_but_never_too_small():
    assert size_by_hosts(180, W5, length=24).usable == 251
    with pytest.raises(HostsDoNotFit) as caught:
        size_by_hosts(252, W5, length=24)
    assert caught.value.suggestions == ["/23"]


def test_more_hosts_than_the_sheet_allows_are_refused_with_the_most_it_takes():
    with pytest.raises(LengthOutOfBounds) as caught:
        size_by_hosts(20_000, W5)
    assert caught.value.suggestions == ["16379", "2 × /18, each for 10,000 hosts"]
    for hosts, growth in ((0, 0), (10**12, 0), (5, -1), (5, 1001)):
        with pytest.raises(Refusal, match="1 to|0 to 1000"):
            size_by_hosts(hosts, W5, growth=growth)


@given(st.integers(1, 100_000), st.integers(0, 300), st.integers(0, 6), st.integers(0, 6))
def test_the_size_is_the_smallest_that_does(hosts, growth, head, tail):
    sheet = RuleSheet("any", FamilyRules(head, tail, 0, 32, 0, 32), None)
    size = size_by_hosts(hosts, sheet, growth=growth)
    assert size.usable >= size.needed >= hosts * (100 + growth) / 100
    if size.length < 32:
        assert (size.total // 2) - head - tail < size.needed


def worked_pool() -> MemoryExtents:
    store = MemoryExtents(4, [P("10.40.64.0/20")])
    for text in ("10.40.64.0/22", "10.40.68.0/24", "10.40.72.0/22"):
        carve(store, P(text), State.HANDED_OUT, 1, require_free(store, P(text)))
    reserved = P("10.40.69.128/25")
    carve(store, reserved, State.RESERVED, 2, require_free(store, reserved))
    return store


def test_usage_of_the_worked_pool():
    usage = usage_of(4, worked_pool())
    free = [str(e.prefix) for e in worked_pool() if e.state is State.FREE]
    assert free == ["10.40.69.0/25", "10.40.70.0/23", "10.40.76.0/22"]
    assert [usage.still_fits(n) for n in (21, 22, 23, 24, 25, 26)] == [0, 1, 3, 6, 13, 26]
    assert usage.share(State.HANDED_OUT) == Fraction(5625, 10000)
    assert usage.share(State.RESERVED) == Fraction(3125, 100000)
    assert sum(usage.share(state) for state in State) == 1
    assert round(usage.fragmentation * 100, 1) == 38.5
    assert usage.largest_free == 22


def test_usage_of_nothing():
    usage = usage_of(4, [Extent(P("10.0.0.0/24"), State.HANDED_OUT, 1)])
    assert (usage.largest_free, usage.fragmentation, usage.used_percent) == (None, 0.0, 100.0)


def test_worked_overlaps():
    def span(text):
        prefix = P(text)
        return Range(4, prefix.first, prefix.last, text)

    (clash,) = clashes([span("10.40.80.0/20")], [span("10.40.88.0/22"), span("10.40.96.0/20")])
    assert (clash.shared, clash.how) == (1024, "contains")


@given(
    st.lists(st.tuples(st.integers(0, 60), st.integers(0, 9)), max_size=12),
    st.lists(st.tuples(st.integers(0, 60), st.integers(0, 9)), max_size=12),
)
def test_the_sweep_finds_what_comparing_all_pairs_finds(left, right):
    a = [Range(4, first, first + extra, n) for n, (first, extra) in enumerate(left)]
    b = [Range(4, first, first + extra, n) for n, (first, extra) in enumerate(right)]
    found = sorted((c.left.owner, c.right.owner, c.shared) for c in clashes(a, b))
    expected = sorted(
        (x.owner, y.owner, min(x.last, y.last) - max(x.first, y.first) + 1)
        for x in a
        for y in b
        if relation(x.first, x.last, y.first, y.last) != "free"
    )
    assert found == expected


def test_special_ranges_are_those_of_the_standards():
    by_range = {str(row.prefix): row.source for row in SPECIAL}
    assert by_range["127.0.0.0/8"].startswith("RFC 1122")
    assert by_range["2001:db8::/32"] == "RFC 3849"
    assert not any(
        row.prefix.overlaps(P(p)) for row in SPECIAL for p in ("10.0.0.0/8", "fc00::/7", "172.16.0.0/12")
    )
    assert is_private(P("172.16.0.0/12"))
    assert not is_private(P("172.0.0.0/8"))
    (note,) = prefilled_notes(P("192.168.1.0/24"))
    assert note == (
        "192.168.1.0/24 is prefilled by many home and office routers: it may clash once networks are joined"
    )
    assert "lies in 10.0.0.0/16, which is prefilled" in prefilled_notes(P("10.0.9.0/24"))[0]
    assert prefilled_notes(P("10.40.0.0/16")) == []
