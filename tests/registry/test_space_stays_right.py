"""What once corrupted the registry, or let an expired thing stand in the way, does so no more."""

from __future__ import annotations

import threading
from datetime import timedelta

import pytest

from lentra.addressing.prefix import parse_prefix as P
from lentra.addressing.refusal import KeptOut, Overlaps, Refusal
from lentra.registry.errors import Invalid


def reserve(world, pool, range_text, **values):
    from lentra.addressing.prefix import parse_range
    from lentra.registry.models import Reservation
    from lentra.registry.operations.reservations.reserve import ReservationRequest
    from lentra.registry.operations.reservations.reserve import reserve as keep

    values = {"projects": [world.project], **values}
    world.do(keep, ReservationRequest(pool.pk, "kept", range=parse_range(range_text), **values))
    return Reservation.objects.filter(pool=pool).latest("pk")


def at_once(*works):
    """Run works in threads that begin together; what each raised or returned."""
    from django.db import connection

    ready, told = threading.Barrier(len(works)), [None] * len(works)

    def run(n, work):
        ready.wait()
        try:
            told[n] = work()
        except Exception as failure:
            told[n] = failure
        finally:
            connection.close()

    threads = [threading.Thread(target=run, args=(n, work)) for n, work in enumerate(works)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    return told


@pytest.mark.parametrize("count", [1, 3])
def test_several_blocks_drawn_at_once_count_once(world, holds, count):
    from lentra.registry.operations.subnets.give_back import give_back_subnet

    pool = world.pool("10.40.64.0/20", cooling_days=0)
    kept = reserve(world, pool, "10.40.68.0/22")
    drawn = world.ask(pool, length=26, count=count, reservation=kept.pk)
    assert all(P("10.40.68.0/22").contains(s.blocks()[0]) for s in drawn)
    holds()
    for subnet in drawn:
        world.do(give_back_subnet, subnet.pk)
    assert ("10.40.68.0/22", "reserved") in world.space(pool)  # all of it went back, and is one again
    holds()


def test_what_has_grown_out_of_its_reservation_is_divided_when_it_goes(world, holds):
    from lentra.registry.operations.subnets.give_back import give_back_subnet
    from lentra.registry.operations.subnets.grow import grow_subnet, shrink_subnet

    pool = world.pool("10.40.64.0/20", cooling_days=0)
    kept = reserve(world, pool, "10.40.68.0/25")
    (subnet, _) = world.ask(pool, length=26, count=2, reservation=kept.pk)
    other = reserve(world, pool, "10.40.70.0/26", name="other")
    (drawn,) = world.ask(pool, length=27, reservation=other.pk)
    world.do(grow_subnet, drawn.pk, length=25, second=True)
    world.do(shrink_subnet, drawn.pk, length=28)
    holds()
    for number in (subnet.pk, drawn.pk):
        world.do(give_back_subnet, number)
    assert ("10.40.70.0/26", "reserved") in world.space(pool)
    holds()


def test_a_second_owner_is_refused_by_the_database(world, holds):
    from django.db import transaction

    from lentra.addressing.extents import State, carve
    from lentra.registry.models import Space
    from lentra.registry.space.store import DatabaseExtents
    from lentra.registry.transactions.failures import Clash
    from lentra.registry.transactions.sql import Batch

    pool = world.pool("10.40.64.0/24")
    (one,) = world.ask(pool, length=26)
    believed = [DatabaseExtents(Space.objects.get(pool=pool)) for _ in range(2)]

    def take(store):
        carve(store, P("10.40.64.128/26"), State.HANDED_OUT, one.pk, within=P("10.40.64.128/25"))
        batch = Batch()
        store.save(batch)
        batch.send()

    with transaction.atomic():
        take(believed[0])
        with pytest.raises(Clash):  # it believes that the same space is free
            take(believed[1])
        transaction.set_rollback(True)
    holds()


def test_the_database_refuses_counters_that_cannot_be(world):
    from django.db import IntegrityError, transaction
    from django.db.models import F

    from lentra.registry.models import Space

    pool = world.pool("10.40.64.0/24")
    for values in ({"free": -1, "handed_out": 257}, {"free": 255}, {"free": F("free") + 1}):
        with pytest.raises(IntegrityError, match="CONSTRAINT"), transaction.atomic():
            Space.objects.filter(pool=pool).update(**values)


def test_an_expired_hold_is_in_nobodys_way(world, holds):
    from lentra.registry.errors import InUse
    from lentra.registry.operations.pools.carve_pool import give_back_pool

    tagged, other = world.pool("10.40.64.0/24"), world.pool("10.41.64.0/24", name="other")
    world.ask(tagged, length=26, tag=7, name="quay-one", hold_minutes=5)
    with pytest.raises(Refusal, match="segment tag 7 is taken"):
        world.ask(other, length=26, tag=7)
    with pytest.raises(Overlaps):
        world.keep_out("10.40.64.0/26")
    with pytest.raises(InUse):
        world.do(give_back_pool, tagged.pk)
    world.later(minutes=6)
    (free,) = world.ask(other, length=26, tag=7, name="quay-one")  # tag and name, although in another pool
    assert (free.tag, free.name) == (7, "quay-one")
    world.carve(tagged, "10.40.64.0/25")
    world.keep_out("10.40.64.128/26")
    holds()
    public = world.pool("10.42.64.0/24", name="public", sheet="single-address", exposure="public")
    world.limit(public_addresses=1)
    world.ask(public, length=32, hold_minutes=5)
    world.later(minutes=6)
    assert world.ask(public, length=32)


def test_looking_sees_what_is_due_as_ended_and_changes_nothing(world):
    from lentra.registry.models import LedgerEntry, Space, Subnet
    from lentra.registry.space.looking import nothing_is_due, seen_as_ended

    pool = world.pool("10.40.64.0/24")
    (held,) = world.ask(pool, length=26, hold_minutes=5)
    world.later(minutes=6)
    before = world.space(pool), LedgerEntry.objects.latest("number").number
    assert not nothing_is_due(world.clock)
    with seen_as_ended(world.clock):
        assert world.space(pool) == [("10.40.64.0/24", "free")]
        assert Space.objects.get(pool=pool).free == 256
        assert not Subnet.objects.filter(pk=held.pk).exists()
    assert (world.space(pool), LedgerEntry.objects.latest("number").number) == before


def test_a_plan_obeys_the_quota_of_public_addresses(world, holds):
    from lentra.registry.operations.plans.commit_plan import commit_plan
    from lentra.registry.plans.reading import read_document

    pool = world.pool("10.42.64.0/24", sheet="single-address", exposure="public")
    world.limit(public_addresses=3)
    document = {
        "format": "lentra-plan-1",
        "name": "quays",
        "project": world.project.name,
        "pools": {"ipv4": f"{world.realm_name}:{pool.name}"},
        "zones": [world.zone.name],
        "tiers": [{"tier": world.tier.name, "length": 32, "count": 4}],
    }
    with pytest.raises(Refusal, match="its quota is 3, and 4 more are asked for"):
        world.do(commit_plan, read_document(document))
    document["tiers"][0]["count"] = 3
    world.do(commit_plan, read_document(document))
    with pytest.raises(Invalid, match="a quota of 2 is below that"):
        world.limit(public_addresses=2)
    holds()


def test_two_admins_cannot_make_each_other_none(world):
    from lentra.registry.models import Person
    from lentra.registry.operations.people.manage_people import edit_person

    Person.objects.filter(role="admin").update(active=False)
    one, two = world.person("admin"), world.person("admin")
    told = at_once(*(lambda p=p: world.do(edit_person, p.pk, {"role": "planner"}, None, None) for p in (one, two)))
    assert sum(isinstance(t, Invalid) for t in told) == 1, told
    assert Person.objects.filter(role="admin", active=True).count() == 1


def test_needs_of_a_plan_are_those_of_its_realm(world):
    from lentra.registry.models import PlannedNeed
    from lentra.registry.operations.plans.expect_plan import expect_plan
    from lentra.registry.plans.reading import read_document
    from tests.registry.conftest import World

    worlds = world, World()
    for one in worlds:
        pool = one.pool("10.40.64.0/20")
        document = {
            "format": "lentra-plan-1",
            "name": f"same-{world.realm_name}",
            "project": one.project.name,
            "pools": {"ipv4": f"{one.realm_name}:{pool.name}"},
            "zones": [one.zone.name],
            "tiers": [{"tier": one.tier.name, "length": 26}],
        }
        one.do(expect_plan, read_document(document), one.clock.now().date() + timedelta(days=9))
    assert [PlannedNeed.objects.filter(pool__realm=one.realm).count() for one in worlds] == [1, 1]


def test_an_access_list_tells_all_that_went_with_a_grown_block(world):
    from lentra.registry.operations.subnets.give_back import give_back_subnet
    from lentra.registry.operations.subnets.grow import grow_subnet
    from lentra.registry.reports.ranges import ranges_of

    pool = world.pool("10.40.64.0/22")
    (subnet,) = world.ask(pool, length=24)
    world.do(grow_subnet, subnet.pk, length=23)
    world.later(days=3)
    world.do(give_back_subnet, subnet.pk)
    rows = ranges_of(4, since=world.clock.now().date(), realm=world.realm)
    assert [(row["prefix"], row["mark"]) for row in rows] == [("10.40.64.0/23", "gone")]


def test_growing_by_a_second_block_counts_usable_addresses(world, holds):
    from lentra.registry.errors import InUse
    from lentra.registry.operations.subnets.grow import grow_subnet, shrink_subnet

    pool = world.pool("10.40.64.0/20")
    first, _ = world.ask(pool, length=24, count=2)
    grown = world.do(grow_subnet, first.pk, hosts=509, second=True)
    first.refresh_from_db()
    rules = first.pool.sheet.rules().family(4)
    assert sum(rules.usable(block) for block in type(first).objects.get(pk=first.pk).blocks()) >= 509
    assert grown is not None
    (pair,) = world.ask(pool, prefix="10.40.72.8/29")
    world.do(grow_subnet, pair.pk, second=True)  # downwards the first address would change
    with pytest.raises(Refusal):
        world.do(grow_subnet, pair.pk)  # its own second block is in the way, and that is told
    (last,) = world.ask(pool, length=27, gateway="last")
    with pytest.raises(InUse, match="gateway"):
        world.do(shrink_subnet, last.pk, length=28)
    holds()


def test_a_replacement_is_what_the_old_one_was(world, holds):
    from lentra.registry.models import Subnet
    from lentra.registry.operations.subnets.edit_subnet import edit_subnet
    from lentra.registry.operations.subnets.replace_subnet import replace_subnet

    pool = world.pool("10.40.64.0/20")
    (old,) = world.ask(pool, length=26, room=1, notes="by the mole", labels={"quay": "7"}, tag=12)
    values = {
        "gateway": "10.40.64.5",
        "dhcp": "10.40.64.16-10.40.64.31",
        "name_servers": ["10.40.0.53"],
        "dns_suffix": "quay.example",
    }
    world.do(edit_subnet, old.pk, values)
    world.do(replace_subnet, old.pk, {})
    new = Subnet.objects.get(replaces=old.pk)
    base = new.blocks()[0].first - P("10.40.64.0/26").first
    assert new.gateway == _moved("10.40.64.5", base)
    assert new.dhcp == f"{_moved('10.40.64.16', base)}-{_moved('10.40.64.31', base)}"
    assert (new.name_servers, new.dns_suffix) == (["10.40.0.53"], "quay.example")
    assert (new.notes, new.labels) == ("by the mole", {"quay": "7"})
    assert [piece.length for piece in new.room()] == [26]
    assert new.tag not in (None, 12)
    holds()


def _moved(text, distance):
    from lentra.addressing.prefix import address_text, parse_address

    family, address = parse_address(text)
    return address_text(family, address + distance)


@pytest.mark.parametrize("gateway", ["10.40.64.0", "10.40.64.63", "10.40.65.1"])
def test_network_and_broadcast_are_no_gateways(world, gateway):
    from lentra.addressing.refusal import BadAddress
    from lentra.registry.operations.subnets.edit_subnet import edit_subnet

    (subnet,) = world.ask(world.pool("10.40.64.0/24"), length=26)
    with pytest.raises(BadAddress) as refused:
        world.do(edit_subnet, subnet.pk, {"gateway": gateway})
    world.do(edit_subnet, subnet.pk, {"gateway": refused.value.suggestions[0]})


@pytest.mark.parametrize(
    ("values", "says"),
    [
        ({"hosts": 500}, "need 500 addresses"),
        ({"dns_suffix": "bad suffix"}, "not a valid domain name"),
    ],
)
def test_what_cannot_be_is_not_recorded_of_a_subnet(world, values, says):
    from lentra.registry.operations.subnets.edit_subnet import edit_subnet

    (subnet,) = world.ask(world.pool("10.40.64.0/24"), length=26)
    with pytest.raises(Refusal, match=says):
        world.do(edit_subnet, subnet.pk, values)


def test_a_service_subnet_is_opened_by_planners_alone(world):
    from lentra.registry.errors import NotAllowed
    from lentra.registry.operations.subnets.edit_subnet import edit_subnet

    member = world.person("requester", [world.project])
    (subnet,) = world.ask(world.pool("10.40.64.0/24"), length=26, service="booking")
    with pytest.raises(NotAllowed):
        world.do(edit_subnet, subnet.pk, {"service": ""}, actor=member)
    world.do(edit_subnet, subnet.pk, {"service": ""}, actor=world.person("planner"))


def test_a_pool_serves_the_region_of_its_zone_and_keeps_its_zone_while_it_holds_subnets(world):
    from lentra.registry.errors import InUse
    from lentra.registry.models import Pool, Zone
    from lentra.registry.operations.setup.add_record import add_record
    from lentra.registry.operations.setup.edit_record import edit_record

    pool = world.pool("10.40.64.0/24", zone=world.zone)
    assert pool.region == world.region
    world.do(add_record, "zone", {"name": f"{world.zone.name}-b", "region": world.region})
    other = Zone.objects.get(name=f"{world.zone.name}-b")
    world.ask(pool, length=26)
    with pytest.raises(InUse, match="cannot serve"):
        world.do(edit_record, "pool", pool.pk, {"zone": other})
    assert Pool.objects.get(pk=pool.pk).zone == world.zone


def test_a_pool_that_is_kept_out_whole_and_a_hold_of_no_time_are_refused(world):
    from lentra.registry.operations.setup.add_record import add_record

    with pytest.raises(KeptOut):
        world.pool("127.0.0.0/16")
    pool = world.pool("10.40.64.0/24")
    with pytest.raises(Invalid, match="minutes to be held"):
        world.ask(pool, length=26, hold_minutes=0)
    need = {"name": "long-gone", "pool": pool, "length": 26, "reason": "late"}
    with pytest.raises(Invalid, match="has passed"):
        world.do(add_record, "planned need", {**need, "day": world.clock.now().date() - timedelta(days=1)})
    with pytest.raises(Refusal, match="4 × /26 fit, 9 are asked for"):
        world.ask(pool, length=26, count=9)


def test_beside_a_free_neighbour_is_directly_beside_it(world):
    pool = world.pool("10.56.0.0/16")
    (subnet,) = world.ask(pool, length=24, beside="10.56.128.0/24")
    assert str(subnet.blocks()[0]) in ("10.56.129.0/24", "10.56.127.0/24")


def test_families_in_any_order_with_an_exact_prefix(world, holds):
    pool = world.pool("10.40.64.0/20", "fd46:40::/48")
    (subnet,) = world.ask(pool, families=[6, 4], prefix="10.40.65.0/24")
    assert str(subnet.blocks()[0]) == "10.40.65.0/24"
    holds()


def test_verify_finds_what_it_was_blind_to_and_mends_what_is_derived(world, holds):
    from lentra.registry.models import Address, KeepOut, Space, Subnet, SubnetSum, Tile
    from lentra.registry.operations.pools.mend_space import mend_space
    from lentra.registry.operations.subnets.record_addresses import AddressRequest, record_addresses
    from lentra.registry.reports.verify import verify

    pool = world.pool("10.40.64.0/20")
    (subnet,) = world.ask(pool, length=26, hold_minutes=60)
    (busy,) = world.ask(pool, length=26)
    world.do(record_addresses, busy.pk, AddressRequest(name="mast"))
    keep_out = world.keep_out("10.40.72.0/24")
    record = Address.objects.get(subnet=busy)
    busy.refresh_from_db()
    put_back = busy.save
    breaks = [
        (1, lambda: Address.objects.filter(pk=record.pk).update(address=P("10.40.79.1/32").first), record.save),
        (2, lambda: KeepOut.objects.filter(pk=keep_out.pk).update(last=keep_out.first + 9), keep_out.save),
        (2, lambda: KeepOut.objects.filter(pk=keep_out.pk).update(last=keep_out.last + 999), keep_out.save),
        (6, lambda: Subnet.objects.filter(pk=busy.pk).update(purpose="nobody said so"), put_back),
        (7, lambda: Subnet.objects.filter(pk=busy.pk).update(unused=True), put_back),
    ]
    for rule, harm, mend in breaks:
        harm()
        assert rule in {o["rule"] for o in verify(world.realm)["offences"]}
        mend()
    holds()
    # What is derived can be counted anew.
    Space.objects.filter(pool=pool).update(next_due=None, largest_free=32, free_counts={"32": 1})
    Tile.objects.filter(pool=pool).update(free=0)
    SubnetSum.objects.filter(pool=pool.pk, family=4).update(extents=7)
    Subnet.objects.filter(pk=busy.pk).update(counted="")
    assert {o["rule"] for o in verify(world.realm)["offences"]} == {7, 8}
    world.do(mend_space, pool.pk, preview=True)
    assert not verify(world.realm)["clean"]
    world.do(mend_space, pool.pk)
    holds()
    world.later(hours=2)
    world.ask(pool, length=26)
    assert not Subnet.objects.filter(pk=subnet.pk).exists()


def test_what_has_ended_between_preview_and_commit_is_no_part_of_either(world, holds):
    from lentra.registry.operations.reservations.reserve import ReservationRequest
    from lentra.registry.operations.reservations.reserve import reserve as keep
    from lentra.registry.transactions.proposals import seal_change
    from lentra.registry.transactions.run import run_transaction

    pool = world.pool("10.40.64.0/24")
    world.ask(pool, length=26, hold_minutes=5)
    wanted = ReservationRequest(pool.pk, "links", length=27, name="links")

    def run(**how):
        return run_transaction(lambda change: keep(change, wanted), clock=world.clock, digest="d", **how).answer

    shown = run(preview=True, render=lambda made, change: (made.range_text, seal_change("d", change.own_entries)))
    world.later(minutes=6)  # the hold ends, and lower space is free than when it was shown
    done = run(proposal=shown[1], render=lambda made, change: made.range_text)
    assert done == shown[0] == "10.40.64.64/27"
    holds()


def _beaten_to(world, entries):
    """A change that finds, try by try, that somebody else was first with these entries of a key; how often it ran."""
    from django.db import IntegrityError

    left, ran = list(entries), []

    def work(change):
        ran.append(change.attempt)
        if left:
            raise IntegrityError(
                1062, f"Duplicate entry '{world.realm.pk}-{left.pop(0)}' for key 'subnet_name_in_realm'"
            )

    world.do(work)
    return len(ran)


def test_a_number_that_others_take_again_and_again_is_looked_for_further(world):
    from lentra.registry.errors import NameTaken

    assert _beaten_to(world, [f"mooring-{n}" for n in range(7)]) == 8
    with pytest.raises(NameTaken) as stays:
        _beaten_to(world, ["mooring-1"] * 7)
    assert stays.value.received == "mooring-1"
