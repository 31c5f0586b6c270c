"""DNS zones: what stands in them follows from the registry, whatever is changed; names belong to one host."""

from __future__ import annotations

import contextlib
import random
import threading
import uuid

import pytest
from django.db import connection
from hypothesis import given, settings
from hypothesis import strategies as st

from lentra.addressing.prefix import address_text, parse_range
from lentra.addressing.refusal import Refusal
from lentra.registry.errors import Frozen, InUse, Invalid, NameTaken, WrongState
from tests.registry.conftest import World


def add_zone(world, name, **values):
    from lentra.registry.operations.dns.keep_dns_zone import add_dns_zone

    fields = {"servers": ["ns1.ferry.example"], **values}
    if not values.get("delegated"):
        fields = {"primary": "ns1.ferry.example", "contact": "names@ferry.example", **fields}
    world.do(add_dns_zone, {"realm": world.realm, "name": name, **fields})


def zone_of(world, name):
    from lentra.registry.models import DnsZone

    return DnsZone.objects.get(realm=world.realm, name=name)


def by_hand(world, zone, owner, kind, data, **values):
    from lentra.registry.operations.dns.keep_dns_zone import add_dns_record

    world.do(add_dns_record, {"dns_zone": zone, "owner": owner, "type": kind, "data": data, **values})


def record(world, subnet, name, **values):
    from lentra.registry.operations.subnets.record_addresses import AddressRequest, record_addresses

    world.do(record_addresses, subnet.pk, AddressRequest(name=name, **values))
    return list(subnet.addresses.filter(name=name).order_by("family", "address"))


def keep():
    """All that was committed, in its order, and what follows from it."""
    from datetime import timedelta

    from lentra.registry.models import DnsKept, LedgerEntry
    from lentra.registry.naming.keeping import keep_names
    from lentra.registry.transactions.clock import SystemClock
    from lentra.registry.transactions.ordering import newest_placed, order_committed
    from lentra.registry.upkeep import take_lease

    holder = uuid.uuid4()
    assert take_lease(holder, SystemClock(), timedelta(seconds=1), f"names-{holder}")
    while order_committed(f"names-{holder}", holder):
        pass
    while keep_names() or DnsKept.objects.get(pk=1).number != newest_placed():
        pass
    assert LedgerEntry.objects.exists()


@pytest.fixture
def names(world):
    """A realm with its forward and reverse DNS zones, from before anything else is done."""
    keep()
    add_zone(world, "ferry.example")
    add_zone(world, "30.10.in-addr.arpa")
    keep()
    return world


def stands(world, *, name=None, everything=False):
    """What stands in the DNS zones of the realm: zone, owner, type, data."""
    from lentra.registry.models import DnsEntry, DnsZone

    zones = dict(DnsZone.objects.filter(realm=world.realm).values_list("pk", "name"))
    rows = DnsEntry.objects.filter(realm=world.realm.pk)
    rows = rows if everything else rows.filter(wins=True)
    return {
        (zones.get(row.dns_zone, "gone"), row.owner, row.type, row.data)
        for row in rows
        if row.type != "NS" and name in (None, row.owner)
    }


def pair(zone, owner, address, back="30.10.in-addr.arpa"):
    """The two records of an IPv4 host."""
    reverse = ".".join(reversed(address.split("."))) + ".in-addr.arpa"
    return {(zone, owner, "A", address), (back, reverse, "PTR", f"{owner}.")}


def test_a_host_has_a_name_as_long_as_it_has_its_address(names):
    from lentra.registry.operations.subnets.give_back import give_back_subnet
    from lentra.registry.operations.subnets.record_addresses import edit_address, release_address

    world = names
    world.pool("10.30.0.0/20", cooling_days=2)
    subnet = world.ask(world.pool("10.30.16.0/20", name="two"), hosts=50)[0]
    (web,) = record(world, subnet, "web_1", address="10.30.16.5", aliases=["www", "shop"])
    keep()
    told = pair("ferry.example", "web-1.ferry.example", "10.30.16.5")
    other = {("ferry.example", f"{a}.ferry.example", "CNAME", "web-1.ferry.example.") for a in ("www", "shop")}
    assert stands(world) == told | other
    world.do(edit_address, web.pk, {"name": "web-9", "aliases": ["shop"]})
    keep()
    told = pair("ferry.example", "web-9.ferry.example", "10.30.16.5")
    other = {("ferry.example", "shop.ferry.example", "CNAME", "web-9.ferry.example.")}
    assert stands(world) == told | other
    world.do(release_address, web.pk)
    keep()
    assert stands(world, everything=True) == set()
    record(world, subnet, "cam", address="10.30.16.7")
    keep()
    assert stands(world) == pair("ferry.example", "cam.ferry.example", "10.30.16.7")
    world.do(give_back_subnet, subnet.pk, despite_use=True)
    keep()
    assert stands(world, everything=True) == set()


def test_the_other_names_of_a_host_stay_while_it_moves(names):
    from lentra.registry.operations.subnets.record_addresses import edit_address
    from tests.registry.test_renumbering import moved, start

    world = names
    old = world.ask(world.pool("10.30.0.0/24", name="old"), length=27)[0]
    world.pool("10.30.8.0/24", name="new")
    record(world, old, "web", address="10.30.0.5", aliases=["www"])
    told = {("ferry.example", "www.ferry.example", "CNAME", "web.ferry.example.")}
    start(world, from_pool="old", to_pool="new")
    world.do(edit_address, old.addresses.get().pk, {"aliases": ["www"]})  # the entries have not followed yet
    world.do(edit_address, old.addresses.get().pk, {"aliases": ["www", "quay"]})
    keep()
    assert stands(world, name="www.ferry.example") == told
    web = old.addresses.get()
    for aliases in (["www", "shop"], ["shop"]):  # the old side alone is derived anew, after the new one
        world.do(edit_address, web.pk, {"aliases": aliases})
        keep()
        assert stands(world, name="www.ferry.example") == told
    moved(world, hosts=["10.30.0.5"])
    keep()
    assert stands(world, name="www.ferry.example") == told
    assert pair("ferry.example", "web.ferry.example", "10.30.8.5") <= stands(world)


def test_verify_holds_the_names_against_the_registry(names):
    from lentra.registry.mending import mend_registry
    from lentra.registry.models import DnsEntry, DnsKept
    from lentra.registry.reports.verify import verify

    world = names
    subnet = world.ask(world.pool("10.30.0.0/20"), hosts=50)[0]
    for name in ("cam", "lamp"):
        record(world, subnet, name)
    assert verify(world.realm)["checked"]["name_entries"] == 2  # the NS records: what hosts have is not kept yet
    keep()
    assert verify(world.realm)["checked"]["name_entries"] == 6
    of_cam = DnsEntry.objects.filter(realm=world.realm.pk, name="cam.ferry.example", type="A")
    spoilt = [
        ({"ttl": 5}, "is kept as"),
        ({"claimed": False, "wins": False}, "follows from the registry and is not kept"),
        ({"wins": False}, "another comes first"),
        ({"there": False}, "not in the state on its server"),
        ({"subnet": None}, "does not follow"),
    ]
    for values, words in spoilt:
        of_cam.update(**values)
        told = verify(world.realm)["offences"]
        assert [words in one["what"] for one in told if one["rule"] == 12].count(True) == 1, told
        assert "cam.ferry.example A" in told[0]["what"]
        assert mend_registry(None, preview=True)[-1] == mend_registry(None)[-1]
        assert not DnsKept.objects.exists()
        keep()
        assert verify(world.realm)["clean"]
    assert mend_registry(None) == []


def test_names_in_what_cools_stay_where_that_is_said(names):
    from lentra.registry.operations.dns.keep_dns_zone import edit_dns_zone
    from lentra.registry.operations.subnets.give_back import give_back_subnet

    world = names
    world.do(edit_dns_zone, zone_of(world, "ferry.example").pk, {"names_end": "cooled"})
    subnet = world.ask(world.pool("10.30.0.0/20", cooling_days=2), hosts=50)[0]
    record(world, subnet, "cam", address="10.30.0.7")
    world.do(give_back_subnet, subnet.pk, despite_use=True)
    keep()
    assert stands(world) == pair("ferry.example", "cam.ferry.example", "10.30.0.7")
    world.later(days=3)
    from lentra.registry.upkeep import expire_all_due

    expire_all_due(world.clock)
    keep()
    assert stands(world, everything=True) == set()


def test_gateways_edges_public_addresses_and_tiers_are_called_as_the_templates_say(names):
    from lentra.registry.operations.dns.keep_dns_zone import edit_dns_zone
    from lentra.registry.operations.setup.edit_record import edit_record
    from lentra.registry.operations.subnets.attach_address import attach_address, detach_address

    world = names
    zone = zone_of(world, "ferry.example")
    templates = {
        "gateway_names": "gw-{subnet}",
        "edge_names": "{subnet}-{edge}",
        "public_names": "{name}-outside",
    }
    world.do(edit_dns_zone, zone.pk, templates)
    (subnet,) = world.ask(world.pool("10.30.0.0/20"), length=28, name="quay", gateway="first")
    (web,) = record(world, subnet, "web", address="10.30.0.5")
    lift(world, "192.0.2.0/24")
    public = {"name": "public", "sheet": "single-address", "exposure": "public", "origin": "provider"}
    (single,) = world.ask(world.pool("192.0.2.0/28", **public), length=32)
    world.do(attach_address, single.pk, record=web.pk)
    keep()
    inside = {
        *pair("ferry.example", "gw-quay.ferry.example", "10.30.0.1"),
        *pair("ferry.example", "quay-network.ferry.example", "10.30.0.0"),
        *pair("ferry.example", "quay-broadcast.ferry.example", "10.30.0.15"),
        *pair("ferry.example", "web.ferry.example", "10.30.0.5"),
    }
    outside = {("ferry.example", "web-outside.ferry.example", "A", address_text(4, single.blocks()[0].first))}
    assert stands(world) == inside | outside
    world.do(edit_record, "tier", world.tier.pk, {"host_names": "{name}.{tier}"})
    world.do(detach_address, single.pk)
    keep()
    host = f"web.{world.tier.name}.ferry.example"
    assert stands(world) == (inside - pair("ferry.example", "web.ferry.example", "10.30.0.5")) | pair(
        "ferry.example", host, "10.30.0.5"
    )


def lift(world, text):
    """Lift a documentation prefix that stands in for public space."""
    from lentra.registry.models import KeepOut
    from lentra.registry.operations.pools.add_keep_out import remove_keep_out

    family, first, last = parse_range(text)
    found = KeepOut.objects.get(realm=world.realm, family=family, first=first, last=last)
    world.do(remove_keep_out, found, why="stands in for public space")


def test_one_host_has_a_name_and_the_next_one_has_it_after(names):
    from lentra.registry.operations.subnets.record_addresses import (
        AddressRequest,
        record_addresses,
        release_address,
    )

    world = names
    pool = world.pool("10.30.0.0/20")
    first, second, third = (world.ask(pool, hosts=20)[0] for _ in range(3))
    (old,) = record(world, first, "web")
    with pytest.raises(NameTaken, match=r"web\.ferry\.example is the name of web \(10\.30\.0\.\d+"):
        record(world, second, "web")
    record(world, first, "web", secondary=True)  # the same host
    record(world, first, "web_1")
    for _ in range(2):
        for subnet in (first, second):
            with pytest.raises(NameTaken, match=r"web-1\.ferry\.example is the name of"):
                record(world, subnet, "web-1")
        keep()
    record(world, second, "cam", aliases=["boards"])
    with pytest.raises(NameTaken, match="boards"):
        record(world, third, "boards")  # the entries have not followed yet
    keep()
    with pytest.raises(NameTaken, match="boards"):
        record(world, third, "boards")
    with pytest.raises(NameTaken, match="web"):
        record(world, third, "lamp", aliases=["web"])
    with pytest.raises(NameTaken, match="boards"):
        record(world, first, "web", secondary=True, aliases=["boards"])
    together = [AddressRequest(name="lamp"), AddressRequest(name="post", aliases=["lamp"])]
    with pytest.raises(NameTaken, match=r"record 2 \(post\): .* which is recorded with it"):
        world.do(record_addresses, third.pk, together)
    together = [AddressRequest(name="lamp"), AddressRequest(name="pole"), AddressRequest(name="web")]
    with pytest.raises(NameTaken, match=r"record 3 \(web\): web\.ferry\.example is the name of web") as refused:
        world.do(record_addresses, third.pk, together)
    assert refused.value.field == "records.2.name"
    assert not third.addresses.exists()
    (gone,) = record(world, third, "gone")
    keep()
    world.do(release_address, gone.pk)
    record(world, second, "gone")  # though the entries have not followed yet
    with pytest.raises(Invalid, match="no name of a host"):
        record(world, third, "lamp", aliases=["a b"])
    # Names of the same kind that were there before the DNS zone: the older host has it, the other is told as hidden.
    from lentra.registry.operations.dns.keep_dns_zone import edit_dns_zone

    zone = zone_of(world, "ferry.example")
    world.do(edit_dns_zone, zone.pk, {"host_names": ""})
    (late,) = record(world, second, "web")
    world.do(edit_dns_zone, zone.pk, {"host_names": "{name}"})
    keep()
    told = {data for _, _, kind, data in stands(world, name="web.ferry.example") if kind == "A"}
    assert told == {record.text for record in first.addresses.filter(name="web")}
    hidden = stands(world, name="web.ferry.example", everything=True) - stands(world, name="web.ferry.example")
    assert {data for *_, data in hidden} == {late.text}
    for record_ in list(first.addresses.filter(name="web").order_by("-secondary")):
        world.do(release_address, record_.pk)
    keep()
    assert {data for *_, data in stands(world, name="web.ferry.example")} == {late.text}
    assert old.pk < late.pk


def test_statements_do_not_grow_with_the_names_that_are_recorded(names):
    from django.test.utils import CaptureQueriesContext

    from lentra.registry.operations.subnets.record_addresses import AddressRequest, record_addresses

    world, counts = names, []
    for n, many in enumerate((2, 60)):
        subnet = world.ask(world.pool(f"10.30.{n}.0/24", name=f"p{n}"), length=25)[0]
        wanted = [AddressRequest(name=f"h{n}-{m}", aliases=[f"w{n}-{m}"]) for m in range(many)]
        keep()
        with CaptureQueriesContext(connection) as told:
            world.do(record_addresses, subnet.pk, wanted)
        counts.append(len(told))
    assert counts[0] == counts[1] < 40


def test_of_two_who_record_a_name_at_the_same_moment_one_is_refused(names):
    from lentra.registry.operations.subnets.record_addresses import AddressRequest, record_addresses
    from tests.registry.test_renumbering import run

    world = names
    pool = world.pool("10.30.0.0/20")
    subnets = [world.ask(pool, hosts=20)[0] for _ in range(4)]
    together, told = threading.Barrier(len(subnets)), []

    def one(subnet, **wanted):
        def work(change):
            with contextlib.suppress(threading.BrokenBarrierError):
                together.wait(5)  # a change that is tried again does not wait
            record_addresses(change, subnet.pk, AddressRequest(**wanted))

        try:
            run(world, work)
            told.append("recorded")
        except NameTaken:
            told.append("refused")
        connection.close()

    wanted = [
        {"name": "web"},
        {"name": "web"},
        {"name": "cam", "aliases": ["web"]},
        {"name": "q", "aliases": ["web"]},
    ]
    threads = [threading.Thread(target=one, args=(subnets[n],), kwargs=wanted[n]) for n in range(4)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    keep()
    assert sorted(told) == ["recorded", "refused", "refused", "refused"]
    assert len({data for *_, data in stands(world, name="web.ferry.example", everything=True)}) == 1


def test_a_name_that_no_host_can_have_is_told_as_it_is_recorded(names):
    from lentra.registry.operations.dns.keep_dns_zone import edit_dns_zone
    from lentra.registry.operations.subnets.record_addresses import AddressRequest, record_addresses
    from tests.registry.test_renumbering import run

    world = names
    world.do(edit_dns_zone, zone_of(world, "ferry.example").pk, {"host_names": "{name}-{subnet}"})
    (subnet,) = world.ask(world.pool("10.30.0.0/20"), length=28, name="q" * 40)
    wanted = AddressRequest(name="w" * 40)
    _, notes = run(world, lambda change: record_addresses(change, subnet.pk, wanted))
    assert any("stands in no DNS zone" in note for note in notes)
    record(world, subnet, "cam", address="10.30.0.9")
    keep()
    assert {owner for _, owner, kind, _ in stands(world) if kind == "A"} == {f"cam-{'q' * 40}.ferry.example"}


def test_what_was_to_go_from_one_server_is_no_matter_to_the_next(names):
    """And what a server refuses waits only if nothing else is to be done with it meanwhile."""
    from lentra.registry.models import DnsEntry
    from lentra.registry.naming.serving import REFUSED, TO_REMOVE, next_batch, refused
    from lentra.registry.operations.dns.keep_dns_zone import edit_dns_zone
    from lentra.registry.operations.subnets.record_addresses import release_address

    world, zone = names, zone_of(names, "ferry.example")
    world.do(edit_dns_zone, zone.pk, {"address": "ns1.ferry.example"})
    subnet = world.ask(world.pool("10.30.0.0/20"), hosts=20)[0]
    cam, _ = (record(world, subnet, name)[0] for name in ("cam", "lamp"))
    keep()
    zone = zone_of(world, "ferry.example")
    batch = next_batch(zone)
    assert all(row.there for row in DnsEntry.objects.filter(pk__in=[row.pk for row in batch]))
    world.do(release_address, cam.pk)
    keep()
    refused(batch)
    states = dict(DnsEntry.objects.filter(dns_zone=zone.pk, type="A").values_list("owner", "pending"))
    assert states == {"cam.ferry.example": TO_REMOVE, "lamp.ferry.example": REFUSED}
    world.do(edit_dns_zone, zone.pk, {"address": "ns2.ferry.example"})
    left = DnsEntry.objects.filter(dns_zone=zone.pk, type="A")
    assert [(row.owner, row.there, row.pending) for row in left] == [("lamp.ferry.example", False, 1)]


def test_findings_of_a_dns_zone_end_with_it(names):
    from lentra.registry.models import Finding
    from lentra.registry.operations.dns.keep_dns_zone import remove_dns_zone
    from lentra.registry.operations.findings.judge_dns import Differs, judge_dns

    world, zone = names, zone_of(names, "30.10.in-addr.arpa")
    told = [Differs("5.0.30.10.in-addr.arpa", "PTR", ("cam.ferry.example.",), ()),
            Differs("cam.ferry.example", "A", ("10.30.0.5",), ("10.30.0.6",))]  # fmt: skip
    world.do(judge_dns, zone, told)
    assert set(Finding.objects.filter(dns_zone=zone.pk, state="open").values_list("fact", flat=True)) == {
        "PTR",
        "A",
    }
    world.do(judge_dns, zone, told[1:])
    (left,) = Finding.objects.filter(dns_zone=zone.pk, state="open")
    assert (left.range_text, left.text) == (
        "10.30.0.5",
        "cam.ferry.example has A 10.30.0.6 on its server, and 10.30.0.5 here",
    )
    world.do(remove_dns_zone, zone.pk)
    assert not Finding.objects.filter(dns_zone=zone.pk).exclude(state="closed").exists()


def test_records_by_hand_are_kept_apart_and_never_overwritten(names):
    from lentra.registry.operations.dns.keep_dns_zone import edit_dns_record, remove_dns_zone
    from lentra.registry.operations.setup.remove_record import remove_record

    world, zone = names, zone_of(names, "ferry.example")
    subnet = world.ask(world.pool("10.30.0.0/20"), hosts=20)[0]
    by_hand(world, zone, "@", "MX", "10 post")
    by_hand(world, zone, "bücher", "TXT", "x" * 300)
    by_hand(world, zone, "web", "TXT", "v=spf1 -all")
    by_hand(world, zone, "www", "CNAME", "web")
    keep()
    with pytest.raises(NameTaken, match="CNAME web"):
        record(world, subnet, "www")
    record(world, subnet, "web", address="10.30.0.5")
    record(world, subnet, "cam", address="10.30.0.6")
    keep()
    cam = pair("ferry.example", "cam.ferry.example", "10.30.0.6")
    there = (
        cam
        | pair("ferry.example", "web.ferry.example", "10.30.0.5")
        | {
            ("ferry.example", "ferry.example", "MX", "10 post.ferry.example."),
            ("ferry.example", "xn--bcher-kva.ferry.example", "TXT", f'"{"x" * 255}" "{"x" * 45}"'),
            ("ferry.example", "web.ferry.example", "TXT", '"v=spf1 -all"'),
            ("ferry.example", "www.ferry.example", "CNAME", "web.ferry.example."),
        }
    )
    assert stands(world) == there
    wrong = [
        (("web", "CNAME", "elsewhere.example."), NameTaken, "has a TXT record already"),
        (("www", "TXT", "beside"), NameTaken, "CNAME record already"),
        (("cam", "CNAME", "elsewhere.example."), NameTaken, "has A 10.30.0.6 by the registry"),
        (("@", "CNAME", "elsewhere.example."), NameTaken, "already|own records"),
        (("web", "TXT", "v=spf1 -all"), NameTaken, "already"),
        (("web", "SRV", "0 5 boards"), Invalid, "no data of a SRV record"),
        (("web.other.example.", "TXT", "x"), Invalid, "does not lie in"),
        (("a..b", "TXT", "x"), Invalid, "no name of DNS"),
        (("web", "A", "10.1.1.1"), Invalid, "not kept by hand"),
    ]
    for values, kind, words in wrong:
        with pytest.raises(kind, match=words):
            by_hand(world, zone, *values)
    assert stands(world) == there
    mail = zone.by_hand.get(type="MX")
    world.do(edit_dns_record, mail.pk, {"data": "20 post.ferry.example."})
    keep()
    assert ("ferry.example", "ferry.example", "MX", "20 post.ferry.example.") in stands(world)
    with pytest.raises(InUse):
        world.do(remove_dns_zone, zone.pk)
    for kept in list(zone.by_hand.all()):
        world.do(remove_record, "DNS record", kept.pk)
    world.do(remove_dns_zone, zone.pk)
    keep()
    assert stands(world, everything=True) == set()


def test_what_lies_in_a_narrower_zone_moves_there_and_is_not_ours_if_others_keep_it(names):
    from lentra.registry.operations.dns.keep_dns_zone import remove_dns_zone

    world = names
    subnet = world.ask(world.pool("10.30.0.0/24"), length=26)[0]
    record(world, subnet, "crane.docks", address="10.30.0.5")
    keep()
    assert stands(world) == pair("ferry.example", "crane.docks.ferry.example", "10.30.0.5")
    add_zone(world, "docks.ferry.example", servers=["ns.docks.ferry.example 10.30.0.53"], delegated=True)
    add_zone(world, "0/26.0.30.10.in-addr.arpa")
    keep()
    there = stands(world)
    assert (
        "0/26.0.30.10.in-addr.arpa",
        "5.0/26.0.30.10.in-addr.arpa",
        "PTR",
        "crane.docks.ferry.example.",
    ) in there
    assert ("30.10.in-addr.arpa", "5.0.30.10.in-addr.arpa", "CNAME", "5.0/26.0.30.10.in-addr.arpa.") in there
    assert ("ferry.example", "ns.docks.ferry.example", "A", "10.30.0.53") in there
    assert not [row for row in there if row[2] == "A" and row[1].startswith("crane")]
    assert len(there) == 64 + 2
    for name in ("docks.ferry.example", "0/26.0.30.10.in-addr.arpa"):
        world.do(remove_dns_zone, zone_of(world, name).pk)
    keep()
    assert stands(world, everything=True) == pair("ferry.example", "crane.docks.ferry.example", "10.30.0.5")


def test_reverse_zones_follow_from_the_pools_and_blocks_are_delegated(names):
    from lentra.registry.operations.dns.keep_dns_zone import add_reverse_zones

    world = names
    lift(world, "2001:db8::/32")
    world.pool("10.30.0.0/16", "10.44.0.0/15", "2001:db8:3000::/41", name="wide")
    like = zone_of(world, "30.10.in-addr.arpa")
    world.do(add_reverse_zones, world.realm, None, like, {})
    from lentra.registry.models import DnsZone

    made = set(DnsZone.objects.filter(realm=world.realm).exclude(family=None).values_list("name", flat=True))
    assert made == {
        *("30.10.in-addr.arpa", "44.10.in-addr.arpa", "45.10.in-addr.arpa"),
        *(f"{n:x}.0.3.8.b.d.0.1.0.0.2.ip6.arpa" for n in range(8)),
    }
    with pytest.raises(WrongState, match="already"):
        world.do(add_reverse_zones, world.realm, None, like, {})
    theirs = {
        "delegated": True,
        "servers": ["ns.crew.example"],
        "project": world.project,
        "ds": ["1 8 2 " + "AB" * 32],
    }
    world.do(add_reverse_zones, world.realm, [parse_range("10.30.7.64/26")], like, theirs)
    keep()
    assert {(o, t) for z, o, t, _ in stands(world) if "64/26" in o and z == "30.10.in-addr.arpa"} == {
        ("64/26.7.30.10.in-addr.arpa", "DS")
    }
    many = [parse_range(f"10.30.{n}.0/25") for n in range(200)] + [
        parse_range(f"10.30.{n}.128/25") for n in range(200)
    ]
    with pytest.raises(Invalid, match="400 DNS zones at once"):
        world.do(add_reverse_zones, world.realm, many, like, {})


WRONG_ZONES = [
    ({"name": "a..b"}, "name"),
    ({"name": "300.10.in-addr.arpa"}, "name"),
    ({"name": "31.10.in-addr.arpa", "host_names": "{name}"}, "host_names"),
    ({"name": "x.example", "servers": []}, "servers"),
    ({"name": "x.example", "servers": ["ns1.x.example 10.0.0.300"]}, "servers.0"),
    ({"name": "x.example", "servers": ["n" * 64 + ".example"]}, "servers.0"),
    ({"name": "x.example", "ds": ["12 nonsense"]}, "ds.0"),
    ({"name": "x.example", "contact": "nobody"}, "contact"),
    ({"name": "x.example", "primary": ""}, "primary"),
    ({"name": "x.example", "host_names": "{name}"}, "host_names"),  # the realm's names are taken
    ({"name": "x.example", "gateway_names": "{nobody}"}, "gateway_names"),
    ({"name": "x.example", "every": 5}, "address"),
    ({"name": "x.example", "address": "ns1.x.example:zero"}, "address"),
    ({"name": "x.example", "address": "ns1", "credential": "no-key"}, "credential"),
    ({"name": "x.example", "delegated": True, "contact": "a@b.example"}, "contact"),
    ({"name": "x.example", "ttl": 1 << 31}, "ttl"),
]


def test_what_a_dns_zone_cannot_be_is_refused_with_a_way_out(names):
    for values, field in WRONG_ZONES:
        with pytest.raises(Refusal) as refused:
            add_zone(names, **values)
        assert refused.value.field == field, values
    from lentra.registry.operations.dns.keep_dns_zone import ask_push, edit_dns_zone

    zone = zone_of(names, "ferry.example")
    with pytest.raises(Frozen):
        names.do(edit_dns_zone, zone.pk, {"name": "other.example"})
    with pytest.raises(WrongState, match="has no server"):
        names.do(ask_push, zone.pk)
    add_zone(names, "Fähre.Example.")
    assert zone_of(names, "xn--fhre-loa.example").range is None


@settings(max_examples=12)
@given(st.integers(0, 1 << 30))
def test_entries_equal_a_naive_derivation_after_any_changes(registry_database, seed):
    from lentra.registry.operations.dns.keep_dns_zone import remove_dns_zone
    from lentra.registry.operations.subnets.edit_subnet import edit_subnet
    from lentra.registry.operations.subnets.give_back import give_back_subnet
    from lentra.registry.operations.subnets.record_addresses import edit_address, release_address
    from lentra.registry.reports.verify import verify

    world, dice = World(), random.Random(seed)
    keep()
    add_zone(world, "ferry.example", gateway_names="gw.{subnet}")
    add_zone(world, "30.10.in-addr.arpa")
    pool = world.pool("10.30.0.0/20", cooling_days=dice.choice([0, 2]))
    from lentra.registry.models import Address, DnsZone, Subnet

    def subnets():
        return list(Subnet.objects.filter(realm=world.realm, state="active"))

    def some(rows):
        return dice.choice(rows) if rows else None

    def records():
        return list(Address.objects.filter(realm=world.realm, subnet__state="active"))

    def step():
        of, subnet, there = dice.randrange(9), some(subnets()), some(records())
        name = dice.choice(["a", "b", "c_1", "d.docks"])
        if of == 0 or subnet is None:
            world.ask(pool, length=28, gateway=dice.choice(["first", "none"]))
        elif of in (1, 2):
            record(world, subnet, name, aliases=dice.choice([[], ["x"], ["a"]]))
        elif of == 3 and there:
            world.do(edit_address, there.pk, dice.choice([{"name": name}, {"aliases": ["y"]}, {"aliases": []}]))
        elif of == 4 and there:
            world.do(release_address, there.pk)
        elif of == 5:
            world.do(give_back_subnet, subnet.pk, despite_use=True)
        elif of == 6:
            world.do(
                edit_subnet, subnet.pk, dice.choice([{"name": f"n{dice.randrange(99)}"}, {"gateway": "last"}])
            )
        elif of == 7:
            narrow = DnsZone.objects.filter(realm=world.realm, name="docks.ferry.example").first()
            if narrow:
                world.do(remove_dns_zone, narrow.pk)
            else:
                add_zone(world, "docks.ferry.example", delegated=dice.choice([True, False]))
        else:
            keep()

    for _ in range(25):
        with contextlib.suppress(Refusal):
            step()
        world.later(minutes=1)
    assert verify(world.realm)["clean"]  # also where something has not been kept yet
    keep()
    assert stands(world) == _naive(world)
    assert verify(world.realm)["clean"]


def _naive(world):
    """What is to stand there, worked out in the plainest way."""
    from lentra.registry.models import Address, DnsZone, Subnet

    zones = {zone.name: zone.delegated for zone in DnsZone.objects.filter(realm=world.realm)}

    def put(owner, kind, data):
        zone = max((z for z in zones if owner == z or owner.endswith(f".{z}")), key=len, default=None)
        return {(zone, owner, kind, data)} if zone and not zones[zone] else set()

    hosts = {}
    active = Subnet.objects.filter(realm=world.realm, state="active")
    for one in Address.objects.filter(subnet__in=active).order_by("pk"):
        hosts.setdefault((one.subnet_id, one.name), []).append(one)
    claims = {}  # name -> rank, host, what stands for it
    for of_host in hosts.values():
        whole = of_host[0].name.replace("_", "-") + ".ferry.example"
        for one in of_host:
            back = ".".join(reversed(one.text.split("."))) + ".in-addr.arpa"
            rows = put(whole, "A", one.text) | put(back, "PTR", f"{whole}.")
            claims.setdefault(whole, {}).setdefault((1, of_host[0].pk), set()).update(rows)
            for alias in one.aliases:
                other = f"{alias}.ferry.example"
                rows = put(other, "CNAME", f"{whole}.")
                claims.setdefault(other, {}).setdefault((3, of_host[0].pk), set()).update(rows)
    for subnet in active:
        block = subnet.blocks()[0]
        place = {"first": block.first + 1, "last": block.last - 1}.get(subnet.gateway)
        if place and not subnet.addresses.filter(address=place).exists():
            whole, text = f"gw.{subnet.name.replace('_', '-')}.ferry.example", address_text(4, place)
            back = ".".join(reversed(text.split("."))) + ".in-addr.arpa"
            claims[whole] = {(2, subnet.pk): put(whole, "A", text) | put(back, "PTR", f"{whole}.")}
    return {row for several in claims.values() for row in several[min(several)]}
