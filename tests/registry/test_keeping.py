"""What follows from subnets and is kept with each change: sums, what is unused, what is far too wide; commits that stop."""

from __future__ import annotations

import uuid
from datetime import timedelta

import pytest


@pytest.fixture
def at_pier(world):
    """A pool, and a subnet in it for thirty hosts."""
    pool = world.pool("10.40.64.0/20", cooling_days=5)
    (subnet,) = world.ask(pool, length=26, hosts=30)
    return pool, subnet


def sums(world, **of):
    """Blocks, subnets and hosts by project, as the breakdown tells them."""
    from lentra.registry.reports.breakdown import breakdown

    rows = breakdown(["project"], realm=world.realm, **of)
    return {row["project"]["name"]: (row["used"], row["subnets"], row["hosts"]) for row in rows}


def idle(world, kind, **scope):
    from lentra.registry.reports.idle import Scope, idle_things

    found = idle_things(Scope(world.clock.now(), world.realm, **scope), count=500, kinds=[kind])
    return [row["what"] for _, row in found]


def test_sums_follow_a_subnet_through_its_life(world, holds, at_pier):
    from lentra.registry.models import Project
    from lentra.registry.operations.setup.add_record import add_record
    from lentra.registry.operations.subnets.bring_back import bring_back
    from lentra.registry.operations.subnets.edit_subnet import edit_subnet
    from lentra.registry.operations.subnets.give_back import give_back_subnet
    from lentra.registry.operations.subnets.grow import grow_subnet, set_room, shrink_subnet
    from lentra.registry.operations.subnets.hand_over import hand_over
    from lentra.registry.operations.subnets.record_addresses import AddressRequest, record_addresses

    _, subnet = at_pier
    own, other = world.project.name, f"deck-{uuid.uuid4().hex[:6]}"
    world.do(add_record, "project", {"name": other})
    told = []

    def after(operation, *values, **named):
        world.do(operation, subnet.pk, *values, **named)
        holds()
        told.append(sums(world))

    after(edit_subnet, {"hosts": 40})
    after(grow_subnet, length=25)
    after(set_room, 1)
    after(shrink_subnet, length=26)
    after(record_addresses, AddressRequest(name="mast"))
    after(hand_over, other)
    after(give_back_subnet, despite_use=True)
    after(bring_back)
    after(give_back_subnet, at_once=True, despite_use=True)
    assert told == [
        {own: ("64", 1, "40")},
        {own: ("128", 1, "40")},
        {own: ("256", 1, "40")},
        {own: ("64", 1, "40")},
        {own: ("64", 1, "1")},
        {other: ("64", 1, "1")},
        {other: ("64", 1, "0")},
        {other: ("64", 1, "1")},
        {},
    ]
    assert Project.objects.filter(name=other).exists()


def test_a_subnet_of_both_families_counts_once_in_each_and_once_in_all(world, holds):
    from lentra.registry.reports.holdings import totals
    from lentra.registry.reports.project_grid import project_grid

    pool = world.pool("10.40.64.0/20", "fd46:40::/48")
    world.ask(pool, length=26, families=[4, 6], count=3)
    world.ask(pool, length=27, hold_minutes=30)
    assert sums(world)[world.project.name] == ("224", 4, "0")
    assert sums(world, family=6)[world.project.name][1] == 3
    assert totals(world.project, world.clock.now())["subnets"] == {"held": 1, "active": 3}
    (cell,) = project_grid(world.project)["cells"]
    assert (cell["count"], cell["usable"], len(cell["subnets"])) == (4, str(3 * 62 + 30), 4)
    world.later(hours=1)
    world.ask(pool, length=27)  # what was held has ended
    assert totals(world.project, world.clock.now())["subnets"] == {"active": 4}
    holds()


def test_what_is_unused_is_so_until_something_is_recorded_or_attached(world, holds, at_pier):
    from lentra.registry.models import Address
    from lentra.registry.operations.subnets.attach_address import attach_address, detach_address
    from lentra.registry.operations.subnets.edit_subnet import edit_subnet
    from lentra.registry.operations.subnets.record_addresses import (
        AddressRequest,
        record_addresses,
        release_address,
    )

    _, subnet = at_pier
    public = world.pool("62.1.0.0/24", name="public", sheet="single-address", exposure="public")
    (single,) = world.ask(public, length=32)
    world.later(days=29)
    assert idle(world, "block without use") == idle(world, "public address idle") == []
    world.later(days=2)
    assert idle(world, "block without use") == [subnet.name]
    assert idle(world, "public address idle", project=world.project) == [single.name]
    world.do(record_addresses, subnet.pk, AddressRequest(name="mast"))
    world.do(attach_address, single.pk, "balancer-1")
    assert idle(world, "block without use") == idle(world, "public address idle") == []
    world.do(release_address, Address.objects.get(subnet=subnet).pk)
    world.do(detach_address, single.pk)
    assert idle(world, "block without use") == [subnet.name]
    assert idle(world, "public address idle") == [single.name]
    world.do(edit_subnet, subnet.pk, {"dhcp": ["10.40.64.10-10.40.64.20"]})
    assert idle(world, "block without use") == []
    holds()


def test_blocks_far_too_wide_come_by_what_they_would_give_back(world, holds):
    from lentra.registry.operations.subnets.edit_subnet import edit_subnet

    pool = world.pool("10.40.64.0/20")
    (wide,), (wider,), (fitting,) = (
        world.ask(pool, length=length, hosts=hosts) for length, hosts in ((25, 12), (24, 12), (25, 100))
    )
    assert idle(world, "block far too wide") == [wider.name, wide.name]
    world.do(edit_subnet, wider.pk, {"hosts": 200})
    world.do(edit_subnet, fitting.pk, {"hosts": 3})
    assert idle(world, "block far too wide") == [fitting.name, wide.name]
    holds()


def test_a_subnet_that_is_made_and_edited_in_one_change_is_found_by_its_words(world, holds):
    from lentra.registry.operations.subnets.edit_subnet import edit_subnet
    from lentra.registry.operations.subnets.replace_subnet import replace_subnet
    from lentra.registry.reports.listing import subnets_matching

    pool, mark = world.pool("10.40.64.0/20"), uuid.uuid4().hex[:8]
    (old,) = world.ask(pool, length=26, hosts=9, labels={"rota": mark}, notes=f"buoy {mark}")
    world.do(edit_subnet, old.pk, {"name_servers": ["10.40.0.53"], "dns_suffix": "pier.example"})
    world.do(replace_subnet, old.pk, {"length": 27}, None)
    found = [subnet.name for subnet in subnets_matching({"label": f"rota={mark}"}).order_by("pk")]
    assert found[0] == old.name
    assert len(found) == 2
    assert [subnet.name for subnet in subnets_matching({"text": f"buoy {mark}"}).order_by("pk")] == found
    holds()


def test_idle_things_of_one_moment_come_each_once_page_by_page(world):
    from lentra.registry.reports.idle import Scope, idle_things

    pool = world.pool("10.40.64.0/20")
    names = {subnet.name for subnet in world.ask(pool, length=28, count=230)}
    world.later(days=40)
    scope, start, seen = Scope(world.clock.now(), world.realm), 0, []
    while part := idle_things(scope, start, 51, ["block without use"]):
        seen += [row["what"] for _, row in part[:50]]
        if len(part) <= 50:
            break
        start = part[50][0]
    assert len(seen) == len(set(seen)) == 230
    assert set(seen) == names


@pytest.fixture(params=[1, 300, 4 << 20])
def packets(request, monkeypatch):
    """Packets of so many bytes: one for each statement, for a few of them, for all."""
    monkeypatch.setattr("lentra.registry.transactions.sql._PACKET_BYTES", request.param)


@pytest.mark.parametrize("looks", [False, True])
def test_a_commit_that_finds_other_rows_than_it_must_leaves_nothing(world, holds, at_pier, packets, looks):
    from lentra.registry.errors import Contradiction
    from lentra.registry.models import ExtentRow, Lease
    from lentra.registry.transactions.run import run_transaction
    from lentra.registry.transactions.sql import deletion

    pool, subnet = at_pier
    name, tries, first = uuid.uuid4().hex, [], subnet.blocks()[0].first.to_bytes(16, "big")

    def work(change):
        """Deletes an extent that is longer than it believes, between two rows that are right."""
        tries.append(change.attempt)
        if looks:  # then the transaction has begun before its writes are sent
            assert Lease.objects.filter(name=name).first() is None
        believed = deletion(
            ExtentRow, {"pool_id": pool.pk, "family": 4}, "first", ("first", "length"), [(first, 27)]
        )
        change.batch.insert([Lease(name=name, holder=uuid.uuid4(), until=change.now + timedelta(days=1))])
        change.batch.add(believed)
        change.batch.insert([Lease(name=f"{name}-2", holder=uuid.uuid4(), until=change.now)])

    with pytest.raises(Contradiction, match="registry_extent"):
        run_transaction(work, clock=world.clock)
    assert len(tries) > 1  # it has looked again
    assert not Lease.objects.filter(name__startswith=name).exists()


@pytest.mark.parametrize("looks", [False, True])
def test_a_commit_that_finds_its_rows_is_kept_whole(world, holds, at_pier, packets, looks):
    from lentra.registry.models import Lease, Subnet
    from lentra.registry.transactions.run import run_transaction

    (_, subnet), name = at_pier, uuid.uuid4().hex

    def work(change):
        """Finds two rows that it leaves as they are: found is found."""
        if looks:
            assert Lease.objects.filter(name=name).first() is None
        for record in (subnet, Subnet.objects.get(pk=subnet.pk) if looks else subnet):
            change.batch.update(record)
        change.batch.insert([Lease(name=name, holder=uuid.uuid4(), until=change.now)])

    run_transaction(work, clock=world.clock)
    assert Lease.objects.filter(name=name).delete()[0] == 1
    holds()
