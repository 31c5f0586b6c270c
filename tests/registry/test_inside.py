"""Inside a subnet: address records, gateway, DHCP, segment tags, exclusive subnets; public addresses; clusters."""

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from lentra.addressing.clusters import ClusterNeed
from lentra.addressing.prefix import parse_prefix as P
from lentra.addressing.refusal import Refusal


@pytest.fixture
def record(world):
    def make(subnet, name="rota", **what):
        from lentra.registry.operations.subnets.record_addresses import AddressRequest, record_addresses
        from lentra.registry.transactions.run import run_transaction

        box = []
        run_transaction(
            lambda change: record_addresses(change, subnet.pk, AddressRequest(name=name, **what)),
            clock=world.clock,
            render=lambda result, change: box.append(result),
        )
        return [r.text for r in box[-1]]

    return make


@pytest.fixture
def edit(world):
    def make(subnet, **values):
        from lentra.registry.operations.subnets.edit_subnet import edit_subnet

        world.do(edit_subnet, subnet.pk, values)

    return make


def test_addresses_given_next_free_and_in_a_batch(world, record, edit):
    from lentra.registry.models import Subnet
    from lentra.registry.reports.address_map import address_map

    pool = world.pool("10.40.64.0/24", "fd46:40::/48", sheet="four-and-one")
    (one,) = world.ask(pool, length=28, families=[4, 6])
    edit(one, gateway="first", dhcp="10.40.64.8-10.40.64.11")
    assert record(one, address="10.40.64.12", mac="02-00-5E-10-00-01") == ["10.40.64.12"]
    assert record(one, count=3) == ["10.40.64.5", "10.40.64.6", "10.40.64.7"]
    assert record(one, family=6) == ["fd46:40::2"]  # the gateway is the first
    for what, words in (
        ({"name": "far", "address": "10.40.65.1"}, "is outside subnet"),
        ({"address": "10.40.64.2"}, "is withheld"),
        ({"address": "10.40.64.9"}, "inside the DHCP range"),
        ({"address": "10.40.64.5"}, r"taken by rota-01 \(host\)"),
        ({"address": "10.40.64.4"}, "taken by the gateway"),
        ({}, "rota is the name of 10.40.64.12"),
        ({"name": "other", "mac": "0200.5e10.0001"}, r"taken in .* by rota \(10\.40\.64\.12\)"),
        ({"name": "other", "mac": "02:00"}, "12 hexadecimal digits"),
        ({"name": "more", "count": 3}, "has 2 free static addresses, 3 are wanted"),
    ):
        with pytest.raises(Refusal, match=words):
            record(one, **what)
    blocks = address_map(Subnet.objects.get(pk=one.pk))["blocks"]
    assert all(sum(int(n) for n in block["totals"].values()) == int(block["total"]) for block in blocks)
    assert blocks[0]["totals"] == {
        "network": "1",
        "withheld": "3",
        "gateway": "1",
        "host": "4",
        "dhcp": "4",
        "static": "2",
        "broadcast": "1",
    }


def test_a_dhcp_range_over_a_record_names_it_and_some_sheets_know_none(world, record, edit):
    pool = world.pool("10.40.64.0/24")
    (one,) = world.ask(pool, length=28)
    record(one, address="10.40.64.5")
    with pytest.raises(Refusal, match=r"10\.40\.64\.5 \(rota\)"):
        edit(one, dhcp="10.40.64.4-10.40.64.8")
    with pytest.raises(Refusal, match="taken by rota"):
        edit(one, gateway="10.40.64.5")
    links = world.pool("10.41.0.0/24", name="links", sheet="point-to-point")
    (link,) = world.ask(links, length=31)
    with pytest.raises(Refusal, match="does not allow DHCP") as refused:
        edit(link, dhcp="10.41.0.0-10.41.0.1")
    assert refused.value.code == "no-dhcp"
    assert record(link) == ["10.41.0.0"]  # static records still work


def test_records_go_with_their_subnet_and_the_ledger_keeps_them(world, record, holds):
    from lentra.registry.errors import InUse
    from lentra.registry.models import Address, LedgerEntry
    from lentra.registry.operations.subnets.give_back import give_back_subnet
    from lentra.registry.operations.subnets.record_addresses import release_address

    pool = world.pool("10.40.64.0/24")
    (one,) = world.ask(pool, length=28)
    record(one, count=2)
    first, second = Address.objects.filter(subnet=one).order_by("address")
    world.do(release_address, first.pk)
    assert record(one) == [first.text]
    with pytest.raises(InUse, match="in use by .* 10.40.64") as refused:
        world.do(give_back_subnet, one.pk, at_once=True)
    assert refused.value.suggestions == ["despite_use: true"]
    assert len(refused.value.conflicts) == 2
    world.do(give_back_subnet, one.pk, at_once=True, despite_use=True)
    assert not Address.objects.filter(subnet=one.pk).exists()
    assert LedgerEntry.objects.get(subject=second.pk).verb == "give back"
    holds()


def test_an_exclusive_subnet_takes_records_of_its_service_alone(world, record):
    pool = world.pool("10.40.64.0/24")
    (one,) = world.ask(pool, length=28, service="booking")
    with pytest.raises(Refusal, match="kept for booking alone"):
        record(one)
    assert record(one, service="booking")


# --- segment tags ---


def test_segment_tags_are_unique_in_a_zone(world, edit):
    from lentra.registry.models import Zone
    from lentra.registry.operations.setup.add_record import add_record

    pool = world.pool("10.40.64.0/24")
    world.do(add_record, "zone", {"name": world.zone.name + "-b", "region": world.region})
    other = Zone.objects.get(name=world.zone.name + "-b")
    (one,) = world.ask(pool, length=28, tag=120)
    with pytest.raises(Refusal) as refused:
        world.ask(pool, length=28, tag=120)
    assert refused.value.code == "tag-taken"
    assert refused.value.conflicts[0]["owner"] == one.name
    assert refused.value.suggestions == ["121"]
    assert world.ask(pool, length=28, tag=120, zone=other.name)[0].tag == 120
    with pytest.raises(Refusal, match="segment tag 120 is taken"):  # it reaches the zones of its region
        world.ask(pool, length=28, tag=120, zone=None, region=world.region.name)
    assert [s.tag for s in world.ask(pool, length=28, tag="next", count=2)] == [121, 122]
    assert world.ask(pool, length=28, tag=120, outer_tag=7)[0].tag == 120  # a pair of its own
    for bad in (0, 4095, "many"):
        with pytest.raises(Refusal, match="is not a segment tag"):
            world.ask(pool, length=28, tag=bad)
    edit(one, tag=123)
    one.refresh_from_db()
    assert one.tag == 123


def test_a_sheet_that_needs_tags_gives_the_next_free_one(world, edit):
    pool = world.pool("172.24.0.0/24", sheet="two-and-two")
    first, second = world.ask(pool, length=28, count=2)
    assert (first.tag, second.tag) == (1, 2)
    with pytest.raises(Refusal, match="wants a segment tag on every subnet"):
        world.ask(pool, length=28, tag="none")
    with pytest.raises(Refusal, match="wants a segment tag on every subnet"):
        edit(first, tag="none")


# --- public addresses ---


def test_public_addresses_within_a_quota_attached_moved_and_detached(world, holds):
    from lentra.registry.operations.subnets.attach_address import attach_address, detach_address
    from lentra.registry.operations.subnets.give_back import give_back_subnet

    world.limit(public_addresses=2)
    pool = world.pool("10.40.64.0/24", sheet="single-address", exposure="public")
    one, two = world.ask(pool, length=32, count=2)
    world.do(attach_address, one.pk, "balancer-1")
    with pytest.raises(Refusal) as refused:
        world.ask(pool, length=32)
    assert refused.value.code == "quota-reached"
    idle = f"idle: {two.blocks()[0]} ({two.name})"
    assert f"holds 2 public addresses, its quota is 2, and 1 more are asked for; {idle}" in str(refused.value)
    with pytest.raises(Refusal, match="is attached to balancer-1"):
        world.do(attach_address, one.pk, "balancer-2")
    world.do(attach_address, one.pk, "balancer-2", move=True)
    with pytest.raises(Refusal, match="is attached to balancer-2: detach it first") as refused:
        world.do(give_back_subnet, one.pk)
    assert refused.value.code == "still-attached"
    world.do(detach_address, one.pk)
    world.do(give_back_subnet, one.pk)
    assert len(world.ask(pool, length=32)) == 1
    with pytest.raises(Refusal, match="attached to nothing"):
        world.do(detach_address, two.pk)
    holds()


# --- clusters ---


@pytest.fixture
def cluster(world):
    def make(pool, **values):
        from lentra.registry.operations.subnets.set_up_cluster import ClusterRequest, set_up_cluster
        from lentra.registry.transactions.run import run_transaction

        fields = {
            "name": "berth",
            "pool": pool.pk,
            "project": world.project.name,
            "tier": world.tier.name,
            "zone": world.zone.name,
            "need": ClusterNeed(6, 1, 30),
            **values,
        }
        box = []
        run_transaction(
            lambda change: set_up_cluster(change, ClusterRequest(**fields)),
            clock=world.clock,
            render=lambda result, change: box.append(result),
        )
        return box[-1]

    return make


def test_a_cluster_is_set_up_in_one_go(world, cluster, holds):
    pool = world.pool("10.40.0.0/16")
    made = cluster(
        pool,
        need=ClusterNeed(6, 1, 30, own_range=True),
        service_range=P("10.47.240.0/22"),
        bridge_range=P("10.40.3.0/24"),
    )
    assert made.services.name_service == "10.47.240.10"
    assert [k.range_text for k in made.keep_outs] == ["10.47.240.0/22", "10.40.3.0/24"]
    (workloads,) = made.reservations
    assert (workloads.service, workloads.left()[0].length) == ("berth", 24)
    assert made.subnet.labels == {"cluster": "berth"}
    holds()


@pytest.mark.parametrize(
    ("ranges", "words"),
    [
        ({"service_range": P("10.44.8.0/22")}, "keep-out: used elsewhere"),
        ({"service_range": P("10.40.0.0/22")}, "ferry"),
        ({"service_range": P("10.41.0.0/22"), "bridge_range": P("10.41.2.0/24")}, "services of the same cluster"),
        ({"service_range": P("10.41.0.0/22"), "name_service": "10.41.0.0"}, "first address of the service range"),
    ],
)
def test_a_cluster_range_that_overlaps_anything_is_refused_and_nothing_is_made(world, cluster, ranges, words):
    from lentra.registry.models import KeepOut, Reservation, Subnet

    pool = world.pool("10.40.0.0/16")
    world.keep_out("10.44.0.0/16")
    world.ask(pool, length=24)
    before = [m.objects.filter(realm=world.realm).count() for m in (Subnet, Reservation, KeepOut)]
    with pytest.raises(Refusal, match=words):
        cluster(pool, **ranges)
    assert [m.objects.filter(realm=world.realm).count() for m in (Subnet, Reservation, KeepOut)] == before


def test_a_list_of_ranges_is_checked_against_all_that_is_known(world):
    from lentra.registry.reports.clash_check import check_ranges

    pool = world.pool("10.40.64.0/22")
    (one,) = world.ask(pool, length=24)
    world.keep_out("10.44.0.0/16")
    texts = [
        "10.40.64.0/24",
        "10.40.64.0/25",
        "10.40.64.0/22",
        "10.40.64.128-10.40.65.10",
        "10.40.66.0/24",
        "192.0.2.0/33",
    ]
    rows = check_ranges([world.realm], [*texts, "10.44.1.1", "10.99.0.0/24", ""])
    assert [row["how"] for row in rows] == [
        *("equal", "inside", "contains", "overlaps", "ours, free", "unreadable", "inside", "unknown"),
    ]
    assert rows[0]["with"][0]["owner"] == one.name
    assert rows[4]["pool"]["name"] == pool.name
    assert rows[6]["with"][0]["owner"] == "keep-out: used elsewhere"
    assert rows[7]["pool"] is None


def test_our_own_free_space_is_not_told_as_free_of_us(world):
    from lentra.registry.reports.clash_check import check_ranges

    pool = world.pool("10.40.64.0/22")
    rows = check_ranges(
        [world.realm], ["10.40.0.0/16", "10.40.64.0/22", "10.40.64.0/23", "10.40.67.0-10.40.68.255"]
    )
    assert [row["how"] for row in rows] == ["contains", "ours, free", "ours, free", "overlaps"]
    assert all(row["with"][0]["owner"] == f"pool {pool.name}" for row in rows if row["with"])
    assert rows[0]["why"].startswith("contains 10.40.64.0/22: pool")


def test_nothing_of_a_pasted_line_is_dropped(world):
    from lentra.registry.reports.clash_check import check_ranges

    pool = world.pool("10.40.64.0/22")
    world.ask(pool, length=24)
    lines = [
        "network, owner",
        " - 10.40.66.0/24, old lab",
        "# nothing here",
        "10.40.64.128 – 10.40.65.10  # both",
        "10.40.64.0 255.255.255.0",
        "host 10.40.64.7;",
        "10.40.65.0 / 24",
        "10.40.64.0 0.0.3.255 acl-quay",
    ]
    rows = check_ranges([world.realm], lines)
    assert [(row["line"], row["how"]) for row in rows] == [
        *((2, "ours, free"), (4, "overlaps"), (5, "equal"), (6, "inside"), (7, "ours, free"), (8, "contains")),
    ]
    assert [row["name"] for row in rows] == ["old lab", "", "", "host", "", "acl-quay"]
    assert rows[0]["clashes_with"] == [8]
    assert rows[3]["clashes_with"] == [5, 8]


def test_a_long_list_takes_few_statements(world):
    from django import conf
    from django.db import connection, reset_queries

    from lentra.registry.reports.clash_check import check_ranges

    world.ask(world.pool("10.40.0.0/16"), length=28, count=60)
    lines = [f"10.{n >> 8 & 255}.{n & 255}.0/24 line {n}" for n in range(20_000)]
    conf.settings.DEBUG = True
    reset_queries()
    rows = check_ranges([world.realm], lines)
    conf.settings.DEBUG = False
    assert len(connection.queries) <= 10
    assert len(rows) == 20_000
    assert {row["how"] for row in rows[40 * 256 : 40 * 256 + 3]} == {"contains"}
    with pytest.raises(Refusal, match="20,000 at most"):
        check_ranges([world.realm], [*lines, "10.0.0.0/8"])


@given(
    st.lists(st.tuples(st.integers(0, 63), st.integers(0, 12)), min_size=1, max_size=25),
    st.lists(st.tuples(st.integers(0, 63), st.integers(0, 12)), min_size=1, max_size=25),
)
@settings(max_examples=60, deadline=None)
def test_the_sweep_finds_what_comparing_each_with_each_finds(registry_database, known, asked):
    from lentra.registry.reports.clash_check import _Known, _Shelf

    shelf = _Shelf(_Known(first, first + more, "", n) for n, (first, more) in enumerate(known))
    spans = [(first, first + more) for first, more in asked]
    over = shelf.first_over(spans)
    for first, last in spans:
        there = [k for k in shelf.ranges if k.first <= last and first <= k.last]
        assert shelf.count(first, last) == len(there)
        found = over[first, last]
        assert len(found) == min(len(there), 20)
        assert set(found) <= set(there)


@pytest.fixture
def both(world):
    pool = world.pool("10.40.64.0/24", "fd46:40::/48")
    (subnet,) = world.ask(pool, length=27, families=[4, 6], gateway="first")
    return subnet


def test_a_host_gets_a_pair_of_both_families_with_the_same_offset_where_it_is_free(both, record):
    assert record(both, "mast", pair=True) == ["10.40.64.2", "fd46:40::2"]
    assert record(both, "buoy", address="10.40.64.20", pair=True) == ["10.40.64.20", "fd46:40::14"]
    assert record(both, "pump", address="fd46:40::3", pair=True) == ["10.40.64.3", "fd46:40::3"]
    assert record(both, "lamp", address="fd46:40::4") == ["fd46:40::4"]
    assert record(both, "rota", pair=True, count=2) == ["10.40.64.4", "fd46:40::5", "10.40.64.5", "fd46:40::6"]
    with pytest.raises(Refusal, match="a pair has both families"):
        record(both, "bell", pair=True, family=4)


def test_a_name_is_taken_once_but_for_secondary_addresses(world, both, record):
    from lentra.registry.models import Address
    from lentra.registry.operations.subnets.record_addresses import edit_address, release_address

    record(both, "mast")
    with pytest.raises(Refusal, match="say so if this is a further address") as refused:
        record(both, "mast")
    assert refused.value.suggestions == ["mast-2", "secondary: true"]
    assert record(both, "mast", secondary=True) == ["10.40.64.3"]
    with pytest.raises(Refusal, match="no host of .* is called pump") as refused:
        record(both, "pump", secondary=True)
    assert refused.value.suggestions == ["mast"]
    first = Address.objects.get(subnet=both, name="mast", secondary=False)
    with pytest.raises(Refusal, match="which has 10.40.64.3 besides: release that first"):
        world.do(release_address, first.pk)
    further = Address.objects.get(subnet=both, name="mast", secondary=True)
    with pytest.raises(Refusal, match="is the name of 10.40.64.2"):
        world.do(edit_address, further.pk, {"secondary": False})
    world.do(release_address, further.pk)
    world.do(release_address, first.pk)


def test_a_list_is_recorded_whole_or_not_at_all_and_says_which_line_is_at_fault(world, both):
    from lentra.registry.models import Address
    from lentra.registry.operations.subnets.record_addresses import AddressRequest, record_addresses

    rows = [
        AddressRequest("mast", kind="router", mac="02:00:5e:10:00:01"),
        AddressRequest(kind="jump-host"),
        AddressRequest(kind="jump-host"),
        AddressRequest("quay-lb", "10.40.64.30", kind="balancer", pair=True),
        AddressRequest("late", "10.40.64.3"),
    ]
    with pytest.raises(Refusal, match="record 5 \\(late\\): 10.40.64.3 is taken by jump-host-01") as refused:
        world.do(record_addresses, both.pk, rows)
    assert refused.value.field == "records.4.address"
    assert not Address.objects.filter(subnet=both).exists()
    world.do(record_addresses, both.pk, rows[:-1])
    told = {(r.name, r.kind, r.text) for r in Address.objects.filter(subnet=both, family=4)}
    assert told == {
        ("mast", "router", "10.40.64.2"),
        ("jump-host-01", "jump-host", "10.40.64.3"),
        ("jump-host-02", "jump-host", "10.40.64.4"),
        ("quay-lb", "balancer", "10.40.64.30"),
    }


def test_dhcp_has_several_ranges_exclusions_a_service_and_ipv6_its_own_way(world, both, record, edit):
    from lentra.registry.models import Subnet
    from lentra.registry.operations.subnets.replace_subnet import replace_subnet
    from lentra.registry.reports.address_map import address_map

    record(both, "pump", address="10.40.64.12")
    edit(
        both,
        dhcp=["10.40.64.8-10.40.64.15", "10.40.64.20-10.40.64.23", "fd46:40::100-fd46:40::1ff"],
        dhcp_excluded=["10.40.64.12"],
        dhcp_service="10.40.64.2",
        ipv6_hosts="both",
    )
    both.refresh_from_db()
    four, six = address_map(both)["blocks"]
    assert four["dhcp"] == ["10.40.64.8-10.40.64.11", "10.40.64.13-10.40.64.15", "10.40.64.20-10.40.64.23"]
    assert (four["dhcp_service"], four["totals"]["dhcp"], four["totals"]["dhcp-service"]) == (
        "10.40.64.2",
        "11",
        "1",
    )
    assert six["dhcp"] == ["fd46:40::100-fd46:40::1ff"]
    assert six["totals"]["anycast"] == "1"  # RFC 4291, section 2.6.1
    assert record(both, "mast", count=2) == ["10.40.64.3", "10.40.64.4"]
    for values, words in (
        ({"dhcp_service": "10.40.64.0"}, "is the network address"),
        ({"dhcp_service": "10.40.64.9"}, "covers the address of the DHCP service"),
        ({"dhcp_service": "10.40.64.12"}, "is taken by pump"),
        ({"dhcp": ["10.40.65.1-10.40.65.9"]}, "is outside"),
        ({"dhcp_excluded": ["10.40.64.18"]}, "is excluded from no DHCP range"),
        ({"ipv6_hosts": "magic"}, "is not a way for hosts"),
    ):
        with pytest.raises(Refusal, match=words):
            edit(both, **values)
    for field in ("dhcp", "dhcp_excluded"):
        with pytest.raises(Refusal) as refused:
            edit(both, **{field: ["10.40.64.9-10.40.64.3"]})
        assert refused.value.field == field
    world.do(replace_subnet, both.pk, {"prefix": "10.40.64.64/27"})
    new = Subnet.objects.get(replaces=both.pk)
    assert (new.dhcp_service, new.dhcp_excluded, new.ipv6_hosts) == ("10.40.64.66", "10.40.64.76", "both")
    edit(both, dhcp=[])
    both.refresh_from_db()
    assert (both.dhcp, both.dhcp_excluded, both.dhcp_service) == ("", "", "")


def test_hosts_number_themselves_in_a_64_alone(world, edit):
    pool = world.pool("fd46:40::/56", sheet="point-to-point")
    (link,) = world.ask(pool, length=127, families=[6])
    with pytest.raises(Refusal, match="is no /64") as refused:
        edit(link, ipv6_hosts="slaac")
    assert "RFC 4862" in refused.value.rule
