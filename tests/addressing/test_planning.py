"""Clusters, splits, packing, layouts, growth, address maps: worked examples and properties."""

import doctest
from itertools import pairwise

import pytest
from hypothesis import given
from hypothesis import strategies as st

from lentra.addressing import clusters, growth, headroom, layout, packing, sizing
from lentra.addressing.address_map import Inside, gateway_address, next_free, refuse_address, stretches
from lentra.addressing.clusters import ClusterNeed, nodes_carried, service_range, size_cluster
from lentra.addressing.dhcp import dhcp_ranges
from lentra.addressing.extents import Extent, MemoryExtents, State, carve
from lentra.addressing.growth import farthest, grow, grown_prefix, in_the_way, keep_room, shrink
from lentra.addressing.layout import Need, lay_out
from lentra.addressing.packing import pack, smallest_holding, split_into, split_to_length
from lentra.addressing.prefix import Prefix, aggregate, parse_address, parse_prefix
from lentra.addressing.refusal import Refusal
from lentra.addressing.rules import SHIPPED, FamilyRules, RuleSheet
from lentra.addressing.sizing import size_by_hosts, size_by_subnets, spread_over_zones

W2, W5 = SHIPPED[0], SHIPPED[1]
WIDE = RuleSheet("wide", FamilyRules(4, 1, 8, 32, 8, 28), None)
P = parse_prefix


@pytest.mark.parametrize("module", [sizing, clusters, packing, layout, growth, headroom])
def test_examples_in_the_docstrings_are_true(module):
    assert doctest.testmod(module).failed == 0


@pytest.mark.parametrize(("hosts", "zones", "each"), [(180, 3, 90), (181, 3, 91), (40, 2, 40)])
def test_hosts_are_spread_so_that_one_zone_may_fail(hosts, zones, each):
    assert spread_over_zones(hosts, zones) == each
    assert each * (zones - 1) >= hosts


def test_one_zone_cannot_be_lost():
    with pytest.raises(Refusal, match="nothing would survive"):
        spread_over_zones(180, 1)


def test_fixed_addresses_do_not_grow_with_the_hosts():
    assert size_by_hosts(100, W2, growth=20).needed == 120
    assert size_by_hosts(100, W2, growth=20, fixed=7).needed == 127
    assert size_by_hosts(100, W2, growth=20, fixed=7).length == 24


@pytest.mark.parametrize(
    ("subnets", "growth", "length", "spare"),
    [(256, 0, 56, 0), (257, 0, 55, 255), (300, 50, 55, 62), (1, 0, 56, 255)],
)
def test_ipv6_is_sized_in_subnets(subnets, growth, length, spare):
    size = size_by_subnets(subnets, W2, growth=growth)
    assert (size.length, size.spare, size.unit) == (length, spare, 64)


def test_more_subnets_than_any_range_holds_are_refused_with_the_most():
    with pytest.raises(Refusal) as refused:
        size_by_subnets(1 << 25, W2)
    assert refused.value.suggestions == [str(1 << 24)]


# --- clusters ---


def test_a_cluster_whose_workloads_draw_from_the_subnet():
    need = ClusterNeed(nodes=12, surge=1, workloads=40, balancers=3)
    size = size_cluster(need, W5)
    assert need.addresses() + W5.family(4).withheld == 541
    assert (size.subnet.length, size.most_nodes, size.workload_length) == (22, 23, None)
    assert nodes_carried(need, W5, 24) == 5


@given(st.integers(1, 400), st.integers(0, 5), st.integers(8, 110), st.integers(0, 20), st.booleans())
def test_a_cluster_fits_its_ranges_and_one_node_more_than_they_carry_does_not(
    nodes, surge, workloads, balancers, own
):
    need = ClusterNeed(nodes, surge, workloads, balancers, own)
    size = size_cluster(need, WIDE)
    usable = (1 << (32 - size.subnet.length)) - 5
    assert need.addresses() <= usable
    assert size.most_nodes >= nodes
    assert need.addresses(size.most_nodes) <= usable
    if own:
        slices = 1 << (size.slice_length - size.workload_length)
        assert slices >= nodes + surge
        assert 1 << (32 - size.slice_length) >= workloads
        assert size.most_nodes + surge <= slices or need.addresses(size.most_nodes + 1) > usable
    else:
        assert need.addresses(size.most_nodes + 1) > usable


def test_a_subnet_too_small_for_a_cluster_says_needed_available_and_the_most_nodes():
    with pytest.raises(Refusal) as refused:
        size_cluster(ClusterNeed(12, 1, 40, 3), W5, length=24)
    assert refused.value.code == "cluster-does-not-fit"
    assert "a /24 has 251 usable addresses, the cluster needs 536: 5 nodes fit at most" in str(refused.value)
    assert refused.value.suggestions == ["/22", "5 nodes"]


@pytest.mark.parametrize("workloads", [7, 111])
def test_workloads_out_of_bounds_name_the_sheet(workloads):
    with pytest.raises(Refusal, match="four-and-one allows 8 to 110") as refused:
        size_cluster(ClusterNeed(3, 1, workloads), W5)
    assert refused.value.code == "workloads-out-of-bounds"


def test_a_service_range_has_its_well_known_addresses():
    services = service_range(P("10.47.240.0/22"))
    assert (services.default_service, services.name_service) == ("10.47.240.1", "10.47.240.10")


@pytest.mark.parametrize(
    ("address", "words"),
    [("10.47.240.0", "first address"), ("10.47.240.1", "default service"), ("10.47.244.0", "is outside")],
)
def test_a_name_service_that_cannot_be_is_refused(address, words):
    with pytest.raises(Refusal, match=words) as refused:
        service_range(P("10.47.240.0/22"), parse_address(address)[1])
    assert refused.value.code == "bad-name-service"
    assert refused.value.suggestions == ["10.47.240.10"]


# --- splits and packing ---


def test_equal_splits():
    split = split_into(P("10.40.64.0/20"), 6)
    assert (split.length, split.count, split.spare) == (23, 8, 2)
    assert str(split.parts()[5]) == "10.40.74.0/23"
    assert split_to_length(P("10.40.64.0/20"), 23).parts() == split.parts()
    for bad in (lambda: split_into(P("10.40.64.0/30"), 5), lambda: split_to_length(P("10.40.64.0/20"), 19)):
        with pytest.raises(Refusal):
            bad()


def test_mixed_packing_largest_first():
    hosts = {"data": 700, "app": 250, "edge": 110, "ops": 20, "link": 3}
    needs = [(name, size_by_hosts(count, WIDE).length) for name, count in hosts.items()]
    packing_found = pack(P("10.40.128.0/21"), needs)
    assert [str(p.block) for p in packing_found.placed] == [
        *("10.40.128.0/22", "10.40.132.0/24", "10.40.133.0/25", "10.40.133.128/27", "10.40.133.160/29"),
    ]
    left = ["10.40.133.168/29", "10.40.133.176/28", "10.40.133.192/26", "10.40.134.0/23"]
    assert [str(p) for p in packing_found.left] == left
    assert packing_found.left_over == 600


@given(st.lists(st.integers(20, 32), min_size=1, max_size=40), st.randoms(use_true_random=False))
def test_packing_covers_the_block_once_and_keeps_the_order_of_equal_ones(lengths, shuffler):
    needs = [(f"n{i:02d}", length) for i, length in enumerate(lengths)]
    shuffled = list(needs)
    shuffler.shuffle(shuffled)
    least = smallest_holding(4, lengths)
    block = Prefix(4, parse_address("10.40.0.0")[1] >> (32 - least) << (32 - least), least)
    one, other = pack(block, needs), pack(block, shuffled)
    assert {p.block for p in one.placed} == {p.block for p in other.placed}
    assert one.left == other.left
    for length in set(lengths):
        keys = [key for key, wanted in shuffled if wanted == length]
        assert [p.key for p in other.placed if p.block.length == length] == keys
    pieces = sorted([p.block for p in one.placed] + one.left)
    assert sum(piece.size for piece in pieces) == block.size
    assert aggregate(pieces) == [block]
    assert sum(1 << (32 - n) for n in lengths) > block.size // 2  # one length longer would not do


def test_what_does_not_fit_says_how_much_is_missing():
    with pytest.raises(Refusal, match="1,024 are missing, and a /21 is the smallest"):
        pack(P("10.40.0.0/22"), [("a", 22), ("b", 22)])


# --- layouts ---


def test_zones_and_tiers_aligned():
    needs = [Need("app", 23), Need("data", 23), Need("ops", 23)]
    found = lay_out(4, {"one": needs, "two": needs, "three": needs})
    assert (found.length, found.zone_length, found.spare_zones) == (19, 21, 1)
    zones, spare = found.at(P("10.40.160.0/19"))
    assert [str(zone.prefix) for zone in zones] == ["10.40.160.0/21", "10.40.168.0/21", "10.40.176.0/21"]
    assert [str(prefix) for prefix in spare] == ["10.40.184.0/21"]
    assert [str(laid.block) for laid in zones[1].blocks] == ["10.40.168.0/23", "10.40.170.0/23", "10.40.172.0/23"]
    assert [str(prefix) for prefix in zones[1].left] == ["10.40.174.0/23"]


_NEEDS = st.lists(st.tuples(st.integers(22, 30), st.integers(0, 3)), min_size=1, max_size=6)


@given(
    st.dictionaries(st.text("abcdef", min_size=1, max_size=3), _NEEDS, min_size=1, max_size=7),
    st.integers(0, 3),
    st.integers(0, 2),
)
def test_a_layout_covers_its_prefix_once_and_keeps_room_behind_each_block(zones, spare_zones, spare_tiers):
    needs = {
        zone: [Need(f"{zone}{n}", length, room) for n, (length, room) in enumerate(own)]
        for zone, own in zones.items()
    }
    found = lay_out(4, needs, spare_zones=spare_zones, spare_tiers=spare_tiers)
    assert found.spare_zones >= spare_zones
    whole = Prefix(4, parse_address("10.0.0.0")[1] >> (32 - found.length) << (32 - found.length), found.length)
    laid, spare = found.at(whole)
    pieces = list(spare)
    for zone in laid:
        assert all(zone.prefix.contains(one.block) for one in zone.blocks)
        for one in zone.blocks:
            need = next(n for n in needs[zone.zone] if n.key == one.key)
            footprint = one.block.enclosing(one.block.length - need.room)
            assert footprint.first == one.block.first
            assert aggregate([one.block, *one.room]) == [footprint]
            pieces += [one.block, *one.room]
        pieces += zone.left
    assert sum(piece.size for piece in pieces) == whole.size
    assert aggregate(pieces) == [whole]


# --- growth ---


def store_with(*blocks):
    store = MemoryExtents(4, [P("10.40.128.0/21")])
    for n, text in enumerate(blocks, 1):
        block = P(text)
        holder = store.at(block.first)
        carve(store, block, State.HANDED_OUT, n, within=holder.prefix)
    return store


def test_grow_in_place_as_in_the_worked_examples():
    store = store_with("10.40.132.0/24", "10.40.133.0/25", "10.40.133.160/29")
    (blocking,) = in_the_way(store, P("10.40.132.0/24"), grown_prefix(P("10.40.132.0/24"), 23), 1)[:1]
    assert str(blocking.prefix) == "10.40.133.0/25"
    with pytest.raises(Refusal, match=r"first address would change to 10\.40\.132\.0"):
        grown_prefix(P("10.40.133.0/24"), 23)
    assert grown_prefix(P("10.40.133.0/24"), 23, downward=True) == P("10.40.132.0/23")
    assert in_the_way(store, P("10.40.133.160/29"), P("10.40.133.160/28"), 3) == []
    assert str(farthest(store, P("10.40.133.160/29"), 3)[0]) == "10.40.133.160/27"


@given(st.integers(22, 29), st.integers(1, 4), st.booleans())
def test_growing_into_room_and_shrinking_again_gives_back_exactly_what_was(length, steps, through_room):
    store = MemoryExtents(4, [P("10.40.128.0/20")])
    block = P("10.40.128.0/20").child(length, 0)
    carve(store, block, State.HANDED_OUT, 7, within=P("10.40.128.0/20"))
    before = list(store)
    target = block.enclosing(max(20, length - steps))
    if target == block:
        return
    if through_room:
        keep_room(store, block, target, 7)
    grow(store, block, target, 7)
    assert store.at(block.first) == Extent(target, State.HANDED_OUT, 7)
    given_up = shrink(store, target, block, 7)
    assert sum(piece.size for piece in given_up) == target.size - block.size
    assert list(store) == before


# --- inside a block ---

BLOCK = Inside(P("10.42.17.128/26"), W5.family(4))


def test_gateways_by_rule_and_given():
    rules = W5.family(4)
    block = P("10.42.17.128/26")
    assert gateway_address(block, rules, "none") is None
    assert gateway_address(block, rules, "first") == block.first + 4
    assert gateway_address(block, rules, "last") == block.last - 1
    assert gateway_address(block, rules, "10.42.17.129") == block.first + 1  # withheld for just that
    for bad in ("10.42.18.1", "somewhere"):
        with pytest.raises(Refusal, match=bad):
            gateway_address(block, rules, bad)


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("10.42.17.140-10.42.17.130", "reversed"),
        ("10.42.17.100-10.42.17.140", "is outside"),
        ("10.42.17.128-10.42.17.140", "withholds"),
        ("10.42.17.150-10.42.17.191", "withholds"),
        ("10.42.17.132-10.42.17.140", "covers the gateway"),
        ("10.42.17.133-10.42.17.140", "10.42.17.135 \\(rota\\)"),
    ],
)
def test_a_dhcp_range_that_cannot_be_says_why(text, words):
    inside = Inside(BLOCK.block, BLOCK.rules, gateway=BLOCK.block.first + 4)
    with pytest.raises(Refusal, match=words) as refused:
        dhcp_ranges(inside, [text], {BLOCK.block.first + 7: "rota"})
    if refused.value.code == "bad-address":
        assert refused.value.suggestions == ["10.42.17.136-10.42.17.190"]


def test_exclusions_let_a_range_go_around_what_others_have():
    base = BLOCK.block.first
    inside = Inside(BLOCK.block, BLOCK.rules, gateway=base + 4, dhcp_service=base + 6)
    text, taken = ["10.42.17.132-10.42.17.150", "10.42.17.160-10.42.17.169"], {base + 7: "rota"}
    left = dhcp_ranges(inside, text, taken, ["10.42.17.132-10.42.17.135", "10.42.17.140"])
    assert left == [(base + 8, base + 11), (base + 13, base + 22), (base + 32, base + 41)]
    for ranges, excluded, words in (
        (text, ["10.42.17.132", "10.42.17.134"], "10.42.17.135 \\(rota\\)"),
        (text, ["10.42.17.132", "10.42.17.135"], "the DHCP service, 10.42.17.134"),
        (text, ["10.42.17.155"], "is excluded from no DHCP range"),
        (["10.42.17.140-10.42.17.150", "10.42.17.145-10.42.17.149"], [], "overlap"),
    ):
        with pytest.raises(Refusal, match=words):
            dhcp_ranges(inside, ranges, taken, excluded)


def test_addresses_that_no_record_can_have():
    inside = Inside(BLOCK.block, BLOCK.rules, dhcp=((BLOCK.block.first + 20, BLOCK.block.first + 30),))
    for offset, words in (
        (-1, "is outside"),
        (2, "is withheld"),
        (63, "is withheld"),
        (25, "inside the DHCP range"),
    ):
        with pytest.raises(Refusal, match=words):
            refuse_address(inside, BLOCK.block.first + offset)
    refuse_address(inside, BLOCK.block.first + 2, gateway=True)
    refuse_address(inside, BLOCK.block.first + 31)


_RECORDS = st.dictionaries(st.integers(4, 62), st.sampled_from(["host", "service", "virtual"]), max_size=20)


@given(
    _RECORDS,
    st.sampled_from(["none", "first", "last"]),
    st.lists(st.tuples(st.integers(5, 61), st.integers(0, 10)), max_size=3),
    st.sampled_from([None, 3, 62]),
)
def test_an_address_map_covers_the_block_once_and_next_free_is_open(records, rule, dhcp, service):
    base = BLOCK.block.first
    gateway = gateway_address(BLOCK.block, BLOCK.rules, rule)
    taken = {base + a for a in records} | {gateway}
    spans: list[tuple[int, int]] = []
    for start, more in sorted(dhcp):
        first, last = base + start, min(base + start + more, base + 61)
        if not any(a in taken for a in range(first, last + 1)) and (not spans or first > spans[-1][1]):
            spans.append((first, last))
    inside = Inside(BLOCK.block, BLOCK.rules, gateway, tuple(spans), service and base + service)
    found = stretches(inside, {base + a: (kind, f"n{a}") for a, kind in records.items()})
    assert found[0].first == base
    assert found[-1].last == BLOCK.block.last
    assert all(left.last + 1 == right.first for left, right in pairwise(found))
    static = sum(s.addresses for s in found if s.purpose == "static")
    busy = [base + a for a in records]
    if static:
        free = next_free(inside, busy, static)
        purposes = {a: s.purpose for s in found for a in range(s.first, s.last + 1)}
        assert all(purposes[a] == "static" for a in free)
        assert len(set(free)) == static
    with pytest.raises(Refusal, match=f"has {static} free static addresses, {static + 1} are wanted"):
        next_free(inside, busy, static + 1)


def test_tiers_of_equal_size_lie_in_the_order_they_are_written():
    names = ["web", "app", "data"]
    layout = lay_out(4, {zone: [Need(n, 23) for n in names] for zone in ("nc-1", "nc-2")})
    zones, _ = layout.at(P("10.40.160.0/20"))
    assert [laid.key for laid in zones[1].blocks] == names
    assert str(zones[1].blocks[2].block) == "10.40.172.0/23"
