"""Inside a subnet: address records, gateway, DHCP, segment tags, exclusive subnets; public addresses; clusters."""

import pytest

from lentra.addressing.clusters import ClusterNeed
from lentra.addressing.prefix import parse_prefix as P
from lentra.addressing.refusal import Refusal


@pytest.fixture
def record(world):
    def make(subnet, name="rota", **what):
        from lentra.registry.envelope import perform
        from lentra.registry.operations.record_addresses import WantedAddresses, record_addresses

        box = []
        perform(
            lambda change: record_addresses(change, subnet.pk, WantedAddresses(name=name, **what)),
            clock=world.clock,
            render=lambda result, change: box.append(result),
        )
        return [r.text for r in box[-1]]

    return make


@pytest.fixture
def edit(world):
    def make(subnet, **values):
        from lentra.registry.operations.edit_subnet import edit_subnet

        world.do(edit_subnet, subnet.pk, values)

    return make


def test_addresses_given_next_free_and_in_a_batch(world, record, edit):
    from lentra.registry.models import Subnet
    from lentra.registry.queries.address_map import address_map

    pool = world.pool("10.40.64.0/24", "fd46:40::/48", sheet="four-and-one")
    (one,) = world.ask(pool, length=28, families=[4, 6])
    edit(one, gateway="first", dhcp="10.40.64.8-10.40.64.11")
    assert record(one, address="10.40.64.12", mac="02-00-5E-10-00-01") == ["10.40.64.12"]
    assert record(one, count=3) == ["10.40.64.5", "10.40.64.6", "10.40.64.7"]
    assert record(one, family=6) == ["fd46:40::2"]  # the gateway is the first
    for what, words in (
        ({"address": "10.40.65.1"}, "is outside subnet"),
        ({"address": "10.40.64.2"}, "is withheld"),
        ({"address": "10.40.64.9"}, "inside the DHCP range"),
        ({"address": "10.40.64.5"}, r"taken by rota-01 \(host\)"),
        ({"address": "10.40.64.4"}, "taken by the gateway"),
        ({"mac": "0200.5e10.0001"}, r"taken in .* by rota \(10\.40\.64\.12\)"),
        ({"mac": "02:00"}, "12 hexadecimal digits"),
        ({"count": 3}, "has 2 free static addresses, 3 are wanted"),
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
    with pytest.raises(Refusal, match="knows no DHCP") as refused:
        edit(link, dhcp="10.41.0.0-10.41.0.1")
    assert refused.value.code == "no-dhcp"
    assert record(link) == ["10.41.0.0"]  # static records still work


def test_records_go_with_their_subnet_and_the_ledger_keeps_them(world, record, holds):
    from lentra.registry.models import Address, LedgerEntry
    from lentra.registry.operations.give_back import give_back_subnet
    from lentra.registry.operations.record_addresses import release_address

    pool = world.pool("10.40.64.0/24")
    (one,) = world.ask(pool, length=28)
    record(one, count=2)
    first, second = Address.objects.filter(subnet=one).order_by("address")
    world.do(release_address, first.pk)
    assert record(one) == [first.text]
    world.do(give_back_subnet, one.pk, at_once=True)
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
    from lentra.registry.operations.add_set_up import add_set_up

    pool = world.pool("10.40.64.0/24")
    world.do(add_set_up, "zone", {"name": world.zone.name + "-b", "region": world.region})
    other = Zone.objects.get(name=world.zone.name + "-b")
    (one,) = world.ask(pool, length=28, tag=120)
    with pytest.raises(Refusal) as refused:
        world.ask(pool, length=28, tag=120)
    assert refused.value.code == "tag-taken"
    assert refused.value.conflicts[0]["owner"] == one.name
    assert refused.value.suggestions == ["1"]
    assert world.ask(pool, length=28, tag=120, zone=other.name)[0].tag == 120
    assert world.ask(pool, length=28, tag=120, zone=None, region=world.region.name)[0].tag == 120
    assert [s.tag for s in world.ask(pool, length=28, tag="next", count=2)] == [1, 2]
    assert world.ask(pool, length=28, tag=120, outer_tag=7)[0].tag == 120  # a pair of its own
    for bad in (0, 4095, "many"):
        with pytest.raises(Refusal, match="is no segment tag"):
            world.ask(pool, length=28, tag=bad)
    edit(one, tag=121)
    one.refresh_from_db()
    assert one.tag == 121


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
    from lentra.registry.models import Project
    from lentra.registry.operations.attach_address import attach_address, detach_address
    from lentra.registry.operations.edit_set_up import edit_set_up
    from lentra.registry.operations.give_back import give_back_subnet

    world.do(edit_set_up, "project", world.project.pk, {"public_quota": 2})
    pool = world.pool("10.40.64.0/24", sheet="single-address", exposure="public")
    one, two = world.ask(pool, length=32, count=2)
    world.do(attach_address, one.pk, "balancer-1")
    with pytest.raises(Refusal) as refused:
        world.ask(pool, length=32)
    assert refused.value.code == "quota-reached"
    assert f"holds 2 public addresses, and its quota is 2; idle: {two.blocks()[0]} ({two.name})" in str(
        refused.value
    )
    with pytest.raises(Refusal, match="is attached to balancer-1"):
        world.do(attach_address, one.pk, "balancer-2")
    world.do(attach_address, one.pk, "balancer-2", move=True)
    with pytest.raises(Refusal, match="is attached to balancer-2: detach it first") as refused:
        world.do(give_back_subnet, one.pk)
    assert refused.value.code == "still-attached"
    world.do(detach_address, one.pk)
    world.do(give_back_subnet, one.pk)
    assert Project.objects.get(pk=world.project.pk).public_quota == 2
    assert len(world.ask(pool, length=32)) == 1
    with pytest.raises(Refusal, match="attached to nothing"):
        world.do(detach_address, two.pk)
    holds()


# --- clusters ---


@pytest.fixture
def cluster(world):
    def make(pool, **values):
        from lentra.registry.envelope import perform
        from lentra.registry.operations.set_up_cluster import WantedCluster, set_up_cluster

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
        perform(
            lambda change: set_up_cluster(change, WantedCluster(**fields)),
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
    from lentra.registry.queries.taken import check_ranges

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
    rows = check_ranges(world.realm, [*texts, "10.44.1.1", "10.99.0.0/24", ""])
    assert [row["how"] for row in rows] == [
        *("equal", "inside", "contains", "overlaps", "free", "unreadable", "inside", "free"),
    ]
    assert rows[0]["with"][0]["owner"] == one.name
    assert rows[4]["pool"]["name"] == pool.name
    assert rows[6]["with"][0]["owner"] == "keep-out: used elsewhere"
    assert rows[7]["pool"] is None


def test_a_pasted_list_may_hold_marks_comments_and_spaced_ranges(world):
    from lentra.registry.queries.taken import check_ranges

    pool = world.pool("10.40.64.0/22")
    world.ask(pool, length=24)
    lines = [" - 10.40.66.0/24, old lab", "# nothing here", "10.40.64.128 - 10.40.65.10  # both", "10.40.64.0/24;"]
    rows = check_ranges(world.realm, lines)
    assert [row["how"] for row in rows] == ["free", "overlaps", "equal"]
