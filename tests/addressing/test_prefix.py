"""Prefixes: reading, refusing, explaining."""

import ipaddress

import pytest
from hypothesis import given
from hypothesis import strategies as st

from lentra.addressing.prefix import (
    Prefix,
    aggregate,
    aggregate_in_order,
    containing,
    nearest_inside,
    parse_prefix,
    parse_range,
    prefixes_of_range,
    without,
)
from lentra.addressing.refusal import BadPrefix, OffBoundary, WrongFamily
from lentra.addressing.rules import SHIPPED
from lentra.addressing.sizing import explain

SHEETS = {sheet.name: sheet for sheet in SHIPPED}


def P(text: str) -> Prefix:
    return parse_prefix(text)


@st.composite
def prefixes(draw, family=None, shortest=0):
    family = family or draw(st.sampled_from([4, 6]))
    bits = 32 if family == 4 else 128
    length = draw(st.integers(shortest, bits))
    return containing(family, draw(st.integers(0, 2**bits - 1)), length)


@pytest.mark.parametrize(
    ("text", "refusal", "says", "would_work"),
    [
        (
            "10.40.70.0/21",
            OffBoundary,
            "widest prefix that starts at 10.40.70.0 is /23",
            ["10.40.64.0/21", "10.40.72.0/21", "10.40.70.0/23"],
        ),
        (
            "2001:db8::1/64",
            OffBoundary,
            "contains it is 2001:db8::/64",
            ["2001:db8::/64", "2001:db8:0:1::/64", "2001:db8::1/128"],
        ),
        ("10.40.64.0", BadPrefix, "no prefix length", ["10.40.64.0/32", "10.40.64.0/24"]),
        ("10.40.64.0/33", BadPrefix, "from 0 to 32", ["10.40.64.0/24", "10.40.64.0/32"]),
        ("10.40.64.0/224", BadPrefix, "from 0 to 32", ["10.40.64.0/24", "10.40.64.0/22"]),
        ("10.40.64.0/255.0.255.0", BadPrefix, "neither a network mask", ["10.40.64.0/18"]),
        ("10.40.64.0/x", BadPrefix, "no IPv4 prefix length", ["10.40.64.0/24", "10.40.64.0/32"]),
        ("10.40.64.0/08", BadPrefix, "leading zero", ["10.40.64.0/8"]),
        ("10.040.64.0/20", BadPrefix, "octal", ["10.40.64.0/20"]),
        ("10.400.64.0/20", BadPrefix, "'400'", []),
        ("10.40.64/20", BadPrefix, "4 numbers", []),
        ("fe80::1%eth0/64", BadPrefix, "zone id", ["fe80::/64"]),
        ("::ffff:10.0.0.999/128", BadPrefix, "no IPv6 prefix", []),
        ("2001:db8::/129", BadPrefix, "from 0 to 128", ["2001:db8::/29", "2001:db8::/64"]),
        ("", BadPrefix, "missing", []),
        ("１０.0.0.0/8", BadPrefix, "characters", []),
        ("10.0.0.0/8\x00", BadPrefix, "characters", []),
        ("9" * 5000, BadPrefix, "too long", []),
    ],
)
def test_bad_text_is_refused_with_what_would_be_right(text, refusal, says, would_work):
    with pytest.raises(refusal) as caught:
        parse_prefix(text)
    assert says in caught.value.message
    assert caught.value.suggestions == would_work


def test_the_wrong_family_is_refused():
    with pytest.raises(WrongFamily, match="IPv6 is needed"):
        parse_prefix("10.0.0.0/8", family=6)
    with pytest.raises(BadPrefix, match="mixes"):
        parse_range("10.0.0.0-::1")
    with pytest.raises(BadPrefix, match="reversed"):
        parse_range("10.0.0.9-10.0.0.1")


@given(prefixes())
def test_text_goes_both_ways_and_agrees_with_the_standard_library(prefix):
    network = ipaddress.ip_network(str(prefix))
    assert parse_prefix(str(prefix)) == prefix
    assert (int(network.network_address), int(network.broadcast_address)) == (prefix.first, prefix.last)
    assert network.num_addresses == prefix.size


@given(prefixes(), prefixes())
def test_containing_and_overlapping_agree_with_the_standard_library(a, b):
    if a.family == b.family:
        left, right = ipaddress.ip_network(str(a)), ipaddress.ip_network(str(b))
        assert a.contains(b) == right.subnet_of(left)
        assert a.overlaps(b) == left.overlaps(right)


@given(st.integers(0, 2**32 - 1), st.integers(0, 2**20))
def test_a_range_becomes_the_fewest_prefixes(first, extra):
    last = min(first + extra, 2**32 - 1)
    expected = ipaddress.summarize_address_range(ipaddress.IPv4Address(first), ipaddress.IPv4Address(last))
    assert [str(p) for p in prefixes_of_range(4, first, last)] == [str(n) for n in expected]


@given(st.lists(prefixes(family=4, shortest=20), max_size=30))
def test_aggregation_covers_the_same_with_the_fewest(given_prefixes):
    expected = ipaddress.collapse_addresses(ipaddress.ip_network(str(p)) for p in given_prefixes)
    assert [str(p) for p in aggregate(given_prefixes)] == [str(n) for n in expected]


@given(st.lists(st.tuples(prefixes(shortest=20), st.sampled_from(["", "added"])), max_size=30))
def test_aggregation_one_after_the_other_keeps_the_marks_of_what_it_joins(marked):
    marked.sort()
    told = list(aggregate_in_order(iter(marked)))
    assert [whole for whole, _ in told] == aggregate([prefix for prefix, _ in marked])
    for whole, mark in told:
        assert mark == max(its for prefix, its in marked if whole.contains(prefix))


@given(prefixes(shortest=4).filter(lambda p: p.length < p.bits), st.data())
def test_cutting_out_leaves_exactly_the_rest(outer, data):
    length = data.draw(st.integers(outer.length, min(outer.bits, outer.length + 12)))
    inner = outer.child(length, data.draw(st.integers(0, 2 ** (length - outer.length) - 1)))
    rest = without(outer, inner)
    assert sum(p.size for p in rest) == outer.size - inner.size
    assert not any(p.overlaps(inner) for p in rest)


def test_worked_examples_of_prefixes():
    assert str(P("10.40.64.0/20").child(23, 5)) == "10.40.74.0/23"
    assert str(P("2001:db8:46aa:1100::/56").child(64, 17)) == "2001:db8:46aa:1111::/64"
    assert str(P("2001:db8:46aa:1100::/56").child(64, 255)) == "2001:db8:46aa:11ff::/64"
    family, first, last = parse_range("10.40.3.10-10.40.3.40")
    assert [str(p) for p in prefixes_of_range(family, first, last)] == [
        "10.40.3.10/31",
        "10.40.3.12/30",
        "10.40.3.16/28",
        "10.40.3.32/29",
        "10.40.3.40/32",
    ]
    four = [P(f"10.40.{n}.0/23") for n in (104, 106, 108, 110)]
    assert aggregate(four) == [P("10.40.104.0/21")]
    assert aggregate(four[1:3]) == four[1:3]
    assert nearest_inside(P("10.40.96.0/22"), [P("10.40.64.0/19")]) == P("10.40.92.0/22")


def test_explaining_a_prefix():
    facts = explain(P("10.40.64.0/20"), SHEETS["four-and-one"])
    assert (facts.total, facts.withheld, facts.usable) == (4096, 5, 4091)
    assert (facts.first_usable, facts.last_usable) == ("10.40.64.4", "10.40.79.254")
    assert facts.enclosing[0] == "10.40.64.0/19"
    assert facts.children[24] == 16
    assert explain(P("10.40.64.0/24"), SHEETS["ends-withheld"]).reverse_names == ["64.40.10.in-addr.arpa"]
    v6 = explain(P("2001:db8:46aa::/48"), SHEETS["ends-withheld"])
    assert v6.reverse_names == ["a.a.6.4.8.b.d.0.1.0.0.2.ip6.arpa"]
    assert v6.children[64] == 65536


@pytest.mark.parametrize(
    ("text", "means"),
    [
        ("10.40.64.0/255.255.240.0", "10.40.64.0/20"),
        ("10.40.64.0/0.0.15.255", "10.40.64.0/20"),
        ("10.40.64.0/255.255.255.255", "10.40.64.0/32"),
        ("0.0.0.0/0.0.0.0", "0.0.0.0/0"),
    ],
)
def test_masks_and_wildcards_stand_for_lengths(text, means):
    assert str(parse_prefix(text)) == means


@pytest.mark.parametrize("text", ["10.40.64.0-255", "10.40.64.0–10.40.64.255", "10.40.64.0 - 10.40.64.255"])
def test_any_dash_and_a_short_end_make_a_range(text):
    assert parse_range(text) == parse_range("10.40.64.0/24")


@pytest.mark.parametrize(
    ("text", "names"),
    [
        ("10.40.64.0/22", [f"{n}.40.10.in-addr.arpa" for n in (64, 65, 66, 67)]),
        ("10.40.64.128/25", ["128/25.64.40.10.in-addr.arpa"]),  # RFC 2317
        ("10.40.64.7/32", ["7.64.40.10.in-addr.arpa"]),
        ("10.40.0.0/14", [f"{n}.10.in-addr.arpa" for n in (40, 41, 42, 43)]),
        ("2001:db8::/31", ["8.b.d.0.1.0.0.2.ip6.arpa", "9.b.d.0.1.0.0.2.ip6.arpa"]),
    ],
)
def test_reverse_names_are_complete_for_any_length(text, names):
    assert parse_prefix(text).reverse_names() == names


def test_impossible_values_are_refused():
    for family, first, length in ((4, 1, 24), (4, 0, 33), (6, -1, 64), (4, 1 << 32, 32)):
        with pytest.raises(ValueError, match="no prefix"):
            Prefix(family, first, length)
    with pytest.raises(ValueError, match="does not lie inside"):
        without(parse_prefix("10.40.64.0/24"), parse_prefix("10.40.65.0/25"))
