"""A change is taken back by its ledger number: then all is as it was, unless somebody has built on it."""

from __future__ import annotations

import random
from datetime import timedelta

import pytest

from lentra.addressing.prefix import parse_prefix as P
from lentra.registry.errors import BuiltOn, CannotUndo, NotAllowed, UnknownName
from tests.registry.test_plans import plan  # noqa: F401

APART = {"id", "last_entry", "revision", "created_at", "changed_at"}


def picture(world):
    """All that stands in the world's realm, but for numbers and moments."""
    from lentra.registry.models import Address, KeepOut, Plan, Pool, Reservation, Space, Subnet, Zone

    told = {}
    for model in (Pool, Subnet, Address, Reservation, KeepOut, Plan):
        rows = model.objects.filter(realm=world.realm)
        told[model.KIND] = sorted(str({k: v for k, v in row.facts().items() if k not in APART}) for row in rows)
    told["zone"] = list(Zone.objects.filter(region=world.region).order_by("name").values_list("name", "about"))
    told["space"] = [world.space(pool) for pool in Pool.objects.filter(realm=world.realm).order_by("name")]
    spaces = Space.objects.filter(pool__in=Pool.objects.filter(realm=world.realm)).order_by("pool", "family")
    told["counts"] = [(space.pool_id, space.family, space.by_state(), space.free_counts) for space in spaces]
    return told


def newest():
    from lentra.registry.models import LedgerEntry

    return LedgerEntry.objects.latest("number").number


def undo(world, number=None, **how):
    from lentra.registry.operations.ledger.undo import undo as take_back

    return world.do(take_back, number or newest(), **how)


@pytest.fixture
def acts(world):
    """What may be done in the world, by name."""
    from lentra.registry.models import Zone
    from lentra.registry.operations.pools.add_keep_out import remove_keep_out
    from lentra.registry.operations.reservations.reserve import ReservationRequest, reserve
    from lentra.registry.operations.setup.add_record import add_record
    from lentra.registry.operations.setup.edit_record import edit_record
    from lentra.registry.operations.setup.remove_record import remove_record
    from lentra.registry.operations.subnets import attach_address, edit_subnet, give_back, grow, record_addresses

    world.clock.moment -= timedelta(hours=1)
    pool = world.pool("10.40.0.0/18", cooling_days=7)
    public = world.pool("10.43.0.0/24", name="quay", sheet="single-address")
    one, other, third = (world.ask(pool, length=26, room=1)[0] for _ in range(3))
    (address,) = world.ask(public, length=32)
    world.do(attach_address.attach_address, address.pk, "balancer-1")
    world.do(record_addresses.record_addresses, other.pk, record_addresses.AddressRequest("gull", "10.40.0.140"))
    record = other.addresses.get()
    keep_out = world.keep_out("10.40.48.0/22")
    world.do(add_record, "zone", {"name": f"{world.zone.name}-b", "region": world.region, "about": "spare"})
    zone = Zone.objects.get(name=f"{world.zone.name}-b")
    request = ReservationRequest(pool.pk, "links", length=24, projects=[world.project], tiers=[world.tier])

    return {
        "hand out": lambda: world.ask(pool, length=27, count=3, room=1, tag="next"),
        "give back": lambda: world.do(give_back.give_back_subnet, one.pk),
        "edit": lambda: world.do(
            edit_subnet.edit_subnet, one.pk, {"name": "wharf", "notes": "new", "labels": {"a": "b"}}
        ),
        "grow": lambda: world.do(grow.grow_subnet, one.pk, length=25, hosts=80),
        "shrink": lambda: world.do(grow.shrink_subnet, third.pk, length=27),
        "keep room": lambda: world.do(grow.set_room, third.pk, 0),
        "record": lambda: world.do(
            record_addresses.record_addresses, one.pk, record_addresses.AddressRequest("tern", count=4)
        ),
        "edit address": lambda: world.do(
            record_addresses.edit_address, record.pk, {"name": "skua", "mac": "02:00:5e:10:00:00"}
        ),
        "release address": lambda: world.do(record_addresses.release_address, record.pk),
        "move": lambda: world.do(attach_address.attach_address, address.pk, "balancer-2", move=True),
        "detach": lambda: world.do(attach_address.detach_address, address.pk),
        "reserve": lambda: world.do(reserve, request),
        "keep out": lambda: world.keep_out("10.40.56.0/23"),
        "lift": lambda: world.do(remove_keep_out, keep_out, why="wrong"),
        "add pool": lambda: world.pool("10.41.0.0/20", name="further"),
        "carve": lambda: world.carve(pool, lengths=[(4, 22)]),
        "edit pool": lambda: world.do(edit_record, "pool", pool.pk, {"cooling_days": 3, "about": "busy"}),
        "edit zone": lambda: world.do(edit_record, "zone", zone.pk, {"about": "east"}),
        "remove zone": lambda: world.do(remove_record, "zone", zone.pk),
    }


ACTS = [
    *(
        "hand out",
        "give back",
        "edit",
        "grow",
        "shrink",
        "keep room",
        "record",
        "edit address",
        "release address",
        "move",
    ),
    *("detach", "reserve", "keep out", "lift", "add pool", "carve", "edit pool", "edit zone", "remove zone"),
]


@pytest.mark.parametrize("name", ACTS)
def test_what_is_taken_back_leaves_all_as_it_was(world, acts, holds, name):
    assert set(ACTS) == set(acts)
    before = picture(world)
    acts[name]()
    assert picture(world) != before
    undo(world, preview=True)
    undo(world)
    after = picture(world)
    if name in ("give back", "grow", "shrink"):  # room is not kept again by itself
        after, before = (
            {k: v for k, v in told.items() if k not in ("space", "counts")} for told in (after, before)
        )
    assert after == before
    holds()


def test_several_changes_are_taken_back_in_turn_and_none_under_another(world, acts, holds):
    before, numbers = picture(world), []
    names = [
        name
        for name in ACTS
        if name not in ("give back", "grow", "shrink", "remove zone", "release address", "detach")
    ]
    random.Random(7).shuffle(names)
    for name in names:
        acts[name]()
        numbers.append(newest())
    for number in reversed(numbers):
        undo(world, number)
    assert picture(world) == before
    holds()


def test_what_others_have_built_on_stays_and_says_by_what(world, holds):
    from lentra.registry.operations.subnets.edit_subnet import edit_subnet
    from lentra.registry.operations.subnets.record_addresses import AddressRequest, record_addresses

    pool = world.pool("10.40.0.0/20")
    (subnet,) = world.ask(pool, length=26)
    world.do(record_addresses, subnet.pk, AddressRequest("camera"))
    recorded = newest()
    with pytest.raises(BuiltOn, match="10.40.0.1 is recorded for camera"):
        undo(world, subnet.pk)
    undo(world, recorded)
    world.do(edit_subnet, subnet.pk, {"notes": "in use"})
    edited = newest()
    with pytest.raises(BuiltOn) as refused:
        undo(world, subnet.pk)
    assert refused.value.suggestions == [f"undo {edited} first"]
    assert refused.value.conflicts[0]["entry"] == edited
    undo(world, edited)
    undo(world)  # what was taken back is done again, in the same way
    subnet.refresh_from_db()
    assert subnet.notes == "in use"
    with pytest.raises(BuiltOn):
        undo(world, edited)
    holds()


def test_a_pool_with_blocks_in_it_stays(world, holds):
    from lentra.registry.errors import InUse

    pool = world.pool("10.40.0.0/20")
    made = newest()
    world.ask(pool, length=26)
    with pytest.raises(InUse):
        undo(world, made)
    holds()


def test_what_has_no_opposite_says_what_to_do_instead(world, holds):
    from lentra.registry.operations.pools.change_range import change_range
    from lentra.registry.operations.subnets.give_back import give_back_subnet

    pool = world.pool("10.40.0.0/20", cooling_days=0)
    (subnet,) = world.ask(pool, length=26)
    world.do(give_back_subnet, subnet.pk)
    with pytest.raises(CannotUndo, match="ask for it again by its exact prefix"):
        undo(world)
    world.do(change_range, pool.pk, P("10.40.0.0/20"), P("10.40.0.0/19"))
    with pytest.raises(CannotUndo, match="change the range back"):
        undo(world)
    with pytest.raises(UnknownName, match="no entry 4000000000"):
        undo(world, 4_000_000_000)
    holds()


def test_a_requester_takes_back_its_own_and_lets_it_cool(world, holds):
    requester, stranger = world.person("requester", [world.project]), world.person("requester", [world.project])
    pool = world.pool("10.40.0.0/20", cooling_days=7)
    (subnet,) = world.ask(pool, length=26, actor=requester)
    with pytest.raises(NotAllowed, match="whoever made a change"):
        undo(world, subnet.pk, actor=stranger)
    undo(world, subnet.pk, actor=requester)
    subnet.refresh_from_db()
    assert subnet.state == "cooling"
    undo(world, newest(), actor=requester)  # and brings it back
    subnet.refresh_from_db()
    assert (subnet.state, subnet.ends_at) == ("active", None)
    holds()


@pytest.mark.parametrize("seed", range(3))
def test_whatever_is_done_and_taken_back_in_between_the_registry_holds(world, acts, holds, seed):
    dice = random.Random(seed)
    alone = (
        "give back",
        "grow",
        "shrink",
        "remove zone",
        "release address",
        "detach",
    )  # others need what these take away
    left, done = [name for name in ACTS if name not in alone], []
    dice.shuffle(left)
    while left or done:
        if left and (not done or dice.random() < 0.6):
            before = picture(world)
            acts[left.pop()]()
            done.append((newest(), before))
        else:
            number, before = done.pop()
            undo(world, number)
            assert picture(world) == before
    holds()


def test_a_plan_is_taken_back_with_all_that_it_made(world, plan, holds):  # noqa: F811
    pool = world.pool("10.40.0.0/18")
    before = picture(world)
    plan.run(plan.document(pool, zones=2, tiers=2))
    assert len(picture(world)["subnet"]) == 4
    undo(world)
    assert picture(world) == before
    plan.run(plan.document(pool, zones=2, tiers=1))
    committed = picture(world)
    plan.run(plan.document(pool, zones=3, tiers=1))  # more of the same plan
    undo(world)
    assert picture(world) == committed
    holds()


def test_what_has_cooled_down_does_not_come_back(world, holds):
    from lentra.registry.operations.subnets.give_back import give_back_subnet

    pool = world.pool("10.40.0.0/20", cooling_days=7)
    (subnet,) = world.ask(pool, length=26, name="old-hall")
    world.do(give_back_subnet, subnet.pk)
    given_back = newest()
    world.later(days=8)
    world.ask(pool, length=26, name="old-hall")  # name and range are free, and taken again
    with pytest.raises(BuiltOn, match="end cooling"):
        undo(world, given_back)
    holds()


def test_two_at_once_take_a_change_back_once(world, holds):
    from tests.registry.test_space_stays_right import at_once

    pool = world.pool("10.40.0.0/20", cooling_days=0)
    before = picture(world)
    world.ask(pool, length=26, count=3)
    number = newest()
    told = at_once(*[lambda: undo(world, number)] * 3)
    refused = [one for one in told if isinstance(one, Exception)]
    assert len(refused) == 2, told
    assert all(isinstance(one, BuiltOn | UnknownName) for one in refused), refused
    assert picture(world) == before
    holds()


def test_an_edit_and_its_undo_at_once_lose_nothing(world, holds):
    from lentra.registry.operations.subnets.edit_subnet import edit_subnet
    from tests.registry.test_space_stays_right import at_once

    (subnet,) = world.ask(world.pool("10.40.0.0/20"), length=26)
    world.do(edit_subnet, subnet.pk, {"notes": "first"})
    number = newest()
    told = at_once(lambda: undo(world, number), lambda: world.do(edit_subnet, subnet.pk, {"purpose": "gates"}))
    subnet.refresh_from_db()
    assert subnet.purpose == "gates"  # whichever came first
    assert (subnet.notes == "first") == isinstance(told[0], BuiltOn)
    holds()


def test_people_and_who_may_draw_are_as_they_were(world, holds):
    from lentra.registry.models import Reservation
    from lentra.registry.operations.people.manage_people import change_password, edit_person
    from lentra.registry.operations.reservations.reserve import ReservationRequest, edit_reservation, reserve

    world.person("admin")
    person = world.person("requester", [world.project])
    world.do(edit_person, person.pk, {"role": "viewer", "full_name": "Tove Quay"}, None, [])
    undo(world)
    person.refresh_from_db()
    assert (person.role, person.full_name) == ("requester", "")
    assert [project.name for project in person.projects.all()] == [world.project.name]
    world.do(change_password, "nine grey herons wait", actor=person)
    with pytest.raises(CannotUndo, match="set another password"):
        undo(world)
    pool = world.pool("10.40.0.0/20")
    world.do(reserve, ReservationRequest(pool.pk, "links", length=26, projects=[world.project]))
    kept = Reservation.objects.get(pool=pool)
    world.do(edit_reservation, kept.pk, {"reason": "links to come"}, [], [world.tier])
    undo(world)
    kept.refresh_from_db()
    assert kept.reason == "links"
    assert ([p.name for p in kept.projects.all()], kept.tiers.count()) == ([world.project.name], 0)
    holds()


def test_bringing_back_asks_for_the_quota_again_and_for_the_state_that_was(world, holds):
    from lentra.registry.errors import QuotaReached
    from lentra.registry.operations.subnets.give_back import give_back_subnet
    from lentra.registry.operations.subnets.replace_subnet import replace_subnet

    public = world.pool("10.43.0.0/24", sheet="single-address", exposure="public", cooling_days=7)
    world.limit(public_addresses=1)
    (first,) = world.ask(public, length=32)
    world.do(give_back_subnet, first.pk)
    given_back = newest()
    world.ask(public, length=32)  # the quota is used again
    with pytest.raises(QuotaReached):
        undo(world, given_back)
    (old,) = world.ask(world.pool("10.40.0.0/20", name="hall"), length=26)
    world.do(replace_subnet, old.pk, {"length": 25})
    world.do(give_back_subnet, old.pk)
    undo(world)
    old.refresh_from_db()
    assert old.state == "retiring"
    holds()
