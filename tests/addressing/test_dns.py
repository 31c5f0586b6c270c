"""DNS in the core: reverse names, which DNS zone is around a name, what stands in each, and serials."""

from __future__ import annotations

import dns.name
import dns.reversename
from hypothesis import given
from hypothesis import strategies as st

from lentra.addressing.dns import (
    ALIAS,
    HOST,
    OF_SUBNET,
    Claim,
    Domain,
    Domains,
    Entry,
    is_host_name,
    is_newer,
    next_serial,
    range_of,
    reverse_name,
    usable_label,
    winners,
)
from lentra.addressing.prefix import Prefix, parse_address, parse_prefix

BLOCKS = st.one_of(
    st.builds(
        lambda a, n: Prefix(4, a >> (32 - n) << (32 - n), n), st.integers(0, (1 << 32) - 1), st.integers(8, 32)
    ),
    st.builds(
        lambda a, n: Prefix(6, a >> (128 - n) << (128 - n), n), st.integers(0, (1 << 128) - 1), st.integers(8, 128)
    ),
)


@given(BLOCKS)
def test_reverse_zones_make_up_exactly_their_block_and_tell_it_again(block):
    names = block.reverse_names(1 << 9)
    spans = [range_of(name) for name in names]
    assert sum(span.size for span in spans) == block.size
    assert spans[0].first == block.first
    assert spans[-1].last == block.last
    domains = Domains(Domain(n, name, span) for n, (name, span) in enumerate(zip(names, spans, strict=True)))
    for address in {block.first, block.last}:
        domain, owner = domains.of_address(block.family, address)
        assert owner == domain.name or owner.endswith(f".{domain.name}")
        mapped = block.family == 6 and address >> 32 == 0xFFFF  # which the library takes for IPv4
        if not mapped and (block.family == 6 or block.length <= 24 or block.length == 32):
            assert dns.reversename.from_address(_text(block.family, address)).to_text(True) == owner


def _text(family, address):
    from lentra.addressing.prefix import address_text

    return address_text(family, address)


def test_worked_by_hand():
    """RFC 2317, section 4; RFC 3596, section 2.5."""
    assert str(range_of("0/25.2.0.192.in-addr.arpa")) == "192.0.2.0/25"
    assert str(range_of("128-191.2.0.192.in-addr.arpa")) == "192.0.2.128/26"
    assert str(range_of("8.b.d.0.1.0.0.2.ip6.arpa")) == "2001:db8::/32"
    for none in (
        *("in-addr.arpa", "256.10.in-addr.arpa", "010.10.in-addr.arpa", "65/26.2.0.192.in-addr.arpa"),
        *(
            "0/24.2.0.192.in-addr.arpa",
            "0-64.2.0.192.in-addr.arpa",
            "g.ip6.arpa",
            "ferry.example",
            "1.2.3.4.5.in-addr.arpa",
        ),
    ):
        assert range_of(none) is None, none
    assert reverse_name(6, parse_address("4321:0:1:2:3:4:567:89ab")[1]) == (
        "b.a.9.8.7.6.5.0.4.0.0.0.3.0.0.0.2.0.0.0.1.0.0.0.0.0.0.0.1.2.3.4.ip6.arpa"
    )


def test_a_part_of_a_24_is_delegated_by_another_name_for_each_of_its_addresses():
    whole = Domain(1, "2.0.192.in-addr.arpa", parse_prefix("192.0.2.0/24"), servers=("ns1.ferry.example",))
    part = Domain(
        2,
        "64/30.2.0.192.in-addr.arpa",
        parse_prefix("192.0.2.64/30"),
        servers=("ns.docks.example",),
        ds=("1 8 2 AB",),
        delegated=True,
    )
    domains = Domains([whole, part])
    assert set(domains.structure()) == {
        Entry(1, whole.name, "NS", "ns1.ferry.example."),
        Entry(1, part.name, "NS", "ns.docks.example."),
        Entry(1, part.name, "DS", "1 8 2 AB"),
        *(
            Entry(1, f"{n}.2.0.192.in-addr.arpa", "CNAME", f"{n}.64/30.2.0.192.in-addr.arpa.")
            for n in range(64, 68)
        ),
    }
    named = [Claim("cam.ferry.example", HOST, 7, ((4, parse_address(f"192.0.2.{n}")[1]),)) for n in (63, 64)]
    assert [list(domains.entries(claim)) for claim in named] == [
        [Entry(1, "63.2.0.192.in-addr.arpa", "PTR", "cam.ferry.example.")],
        [],  # others keep it
    ]


def test_a_name_lies_in_the_innermost_zone_and_servers_inside_have_glue():
    outer = Domain(1, "ferry.example", servers=("ns1.ferry.example 192.0.2.53",))
    inner = Domain(2, "docks.ferry.example", servers=("ns.docks.ferry.example 2001:db8::53", "ns1.ferry.example"))
    domains = Domains([outer, inner])
    assert domains.around("crane.docks.ferry.example") is inner
    assert domains.around("docks.ferry.example") is inner
    assert domains.around("mydocks.ferry.example") is outer
    assert domains.around("example") is None
    assert domains.parent(inner) is outer
    told = set(domains.structure())
    assert Entry(1, "ns.docks.ferry.example", "AAAA", "2001:db8::53") in told
    assert Entry(2, "docks.ferry.example", "NS", "ns1.ferry.example.") in told
    assert not any(e.owner == "ns1.ferry.example" and e.domain == 2 for e in told)
    both = Claim("crane.docks.ferry.example", HOST, 5, ((4, 1), (6, 1)))
    assert [(e.domain, e.type) for e in domains.entries(both)] == [(2, "A"), (2, "AAAA")]
    other = Claim("hoist.ferry.example", ALIAS, 5, alias_of="crane.docks.ferry.example")
    assert list(domains.entries(other)) == [Entry(1, "hoist.ferry.example", "CNAME", "crane.docks.ferry.example.")]


def test_a_name_belongs_to_the_host_that_had_it_first():
    claims = [
        Claim("a.x", HOST, 9),
        Claim("a.x", HOST, 4),
        Claim("a.x", OF_SUBNET, 1),
        Claim("a.x", ALIAS, 2, alias_of="b.x"),
        Claim("hand.x", HOST, 3),
        Claim("text.x", ALIAS, 3, alias_of="b.x"),
        Claim("both.x", HOST, 3),
    ]
    assert winners(claims, {"hand.x": True, "text.x": False, "both.x": False}) == {"a.x": (1, 4), "both.x": (1, 3)}


@given(st.lists(st.integers(1, (1 << 32) - 1), min_size=1, max_size=1), st.integers(0, 400))
def test_serials_only_grow_in_a_circle(seen, count):
    serial = seen[0]
    for _ in range(count):
        after = next_serial(serial)
        assert is_newer(after, serial)
        assert not is_newer(serial, after)
        assert after
        serial = after
    assert is_newer(next_serial(serial, seen[0]), seen[0])


@given(st.text(alphabet="abcXYZ09-_. é", min_size=1, max_size=30))
def test_a_usable_label_is_a_host_name_or_tells_that_it_is_none(text):
    label = usable_label(text)
    assert label == usable_label(label)
    if is_host_name(label):
        assert len(dns.name.from_text(label).labels) == label.count(".") + 2
