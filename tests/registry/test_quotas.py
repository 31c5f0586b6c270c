"""Quotas: how much a project may have, whatever way it takes it, and however many take at once."""

from __future__ import annotations

import pytest

from lentra.addressing.refusal import Refusal
from lentra.registry.errors import Invalid, NameTaken, QuotaReached
from tests.registry.test_space_stays_right import at_once


def give(world, operation, *values, **named):
    import importlib

    module = importlib.import_module(f"lentra.registry.operations.subnets.{operation}")
    name = {"grow": "grow_subnet", "give_back": "give_back_subnet"}.get(operation, operation)
    return world.do(getattr(module, name), *values, **named)


def used(world, quota):
    from lentra.registry.models import Quota
    from lentra.registry.rules.quotas import used_of

    return {row["what"]: row["used"] for row in used_of(Quota.objects.get(pk=quota.pk), world.clock.now()).told()}


def test_each_way_to_take_something_counts_and_whatever_is_given_back_does_not(world, holds):
    from lentra.registry.operations.subnets.edit_subnet import edit_subnet
    from lentra.registry.operations.subnets.record_addresses import AddressRequest, record_addresses

    pool = world.pool("10.40.64.0/20", "fd40::/56")
    quota = world.limit(subnets=3, v4_addresses=768, v6_units=1, tags=1, records=2)
    (first,) = world.ask(pool, length=24)
    (second,) = world.ask(pool, length=24, families=[4, 6], tag="next")
    assert used(world, quota) == {"subnets": 2, "v4_addresses": 512, "v6_units": 1, "tags": 1, "records": 0}
    with pytest.raises(QuotaReached, match="holds 1 IPv6 units, its quota is 1, and 1 more are asked for"):
        world.ask(pool, length=26, families=[4, 6])
    with pytest.raises(QuotaReached, match="segment tags"):
        world.do(edit_subnet, first.pk, {"tag": 77})
    world.do(record_addresses, first.pk, AddressRequest(name="gate", count=2))
    with pytest.raises(QuotaReached, match="holds 2 address records, its quota is 2, and 1 more"):
        world.do(record_addresses, second.pk, AddressRequest(name="door"))
    with pytest.raises(QuotaReached) as refused:
        world.ask(pool, length=23)
    assert "holds 512 IPv4 addresses, its quota is 768, and 512 more are asked for; idle: 10.40.65.0/24" in str(
        refused.value
    )
    assert refused.value.conflicts == [{"range": "10.40.65.0/24", "owner": second.name, "state": "idle"}]
    (third,) = world.ask(pool, length=25)
    with pytest.raises(QuotaReached, match="IPv4 addresses"):
        give(world, "grow", third.pk, length=23)
    give(world, "grow", third.pk, length=24)
    with pytest.raises(QuotaReached, match="holds 3 subnets"):
        world.ask(pool, length=30)
    give(world, "give_back", third.pk)
    assert used(world, quota)["v4_addresses"] == 512
    world.ask(pool, length=24)
    with pytest.raises(QuotaReached):
        give(world, "bring_back", third.pk)
    holds()


def test_a_quota_counts_where_it_says(world, holds):
    here, there = world.pool("10.40.64.0/22", name="here"), world.pool("10.41.64.0/22", name="there")
    world.limit(pool=here, subnets=1)
    world.limit(subnets=3)
    world.ask(here, length=26)
    world.ask(there, length=26)
    with pytest.raises(QuotaReached, match="subnets in pool here, its quota is 1"):
        world.ask(here, length=26)
    world.ask(there, length=26)
    with pytest.raises(QuotaReached, match="holds 3 subnets, its quota is 3"):
        world.ask(there, length=26)
    holds()


def test_what_makes_no_quota(world):
    pool = world.pool("10.40.64.0/22")
    world.ask(pool, length=26)
    for values, message in (
        ({}, "without any limit"),
        ({"subnets": 0}, "a quota of 0 is below that"),
        ({"subnets": 4, "realm": world.realm, "pool": pool}, "not both"),
    ):
        with pytest.raises(Invalid, match=message):
            world.limit(**values)
    world.limit(subnets=4)
    from lentra.registry.operations.setup.limit_project import add_quota

    with pytest.raises(NameTaken, match="has a quota everywhere already"):
        world.do(add_quota, {"project": world.project, "subnets": 5})


def test_a_preview_and_a_plan_and_a_hand_over_are_refused_as_well(world, holds):
    from lentra.registry.models import Project
    from lentra.registry.operations.setup.add_record import add_record
    from lentra.registry.operations.subnets.hand_over import hand_over

    pool = world.pool("10.40.64.0/22")
    world.limit(subnets=1)
    (own,) = world.ask(pool, length=28)
    with pytest.raises(QuotaReached):
        world.ask(pool, length=28, preview=True)
    other = world.do(add_record, "project", {"name": f"o-{world.realm_name}"}) and Project.objects.latest("id")
    (theirs,) = world.ask(pool, length=28, project=other.name)
    with pytest.raises(QuotaReached):
        world.do(hand_over, theirs.pk, world.project.name)
    world.do(hand_over, own.pk, other.name)
    world.do(hand_over, theirs.pk, world.project.name)
    holds()


def test_forty_at_once_get_no_more_than_the_quota(world, holds):
    """Requests out of several pools, growth and records of one project, all at the same moment."""
    pools = [world.pool(f"10.{40 + n}.64.0/22", name=f"p{n}") for n in range(4)]
    (grower,) = world.ask(pools[0], length=28)
    quota = world.limit(subnets=12, v4_addresses=11 * 16 + 64)

    def ask(n):
        if n % 10 == 0:
            return give(world, "grow", grower.pk, length=26)
        return world.ask(pools[n % 4], length=28)

    told = at_once(*(lambda n=n: ask(n) for n in range(40)))
    assert all(isinstance(one, Refusal) for one in told if isinstance(one, Exception)), told
    assert used(world, quota)["subnets"] == 12 or used(world, quota)["v4_addresses"] > 11 * 16 + 48
    assert used(world, quota)["v4_addresses"] <= 11 * 16 + 64
    holds()


@pytest.fixture
def meanwhile(monkeypatch):
    """Has something done by another thread at a moment of a change: when it calls a function of a module."""
    import importlib
    import threading

    from django.db import connection

    told = []

    def arrange(module, name, work):
        where = importlib.import_module(f"lentra.registry.{module}")
        given, threads = getattr(where, name), []

        def run():
            try:
                told.append(work())
            except Exception as failure:
                told.append(failure)
            finally:
                connection.close()

        def called(*values, **named):
            if not threads:
                threads.append(threading.Thread(target=run))
                threads[0].start()
                threads[0].join(1)  # done, or it waits for a lock that this change has
            return given(*values, **named)

        monkeypatch.setattr(where, name, called)
        return lambda: threads[0].join()

    arrange.told = told
    return arrange


def test_a_quota_that_is_lowered_meanwhile_counts(world, meanwhile, holds):
    pool = world.pool("10.40.64.0/22")
    (subnet,) = world.ask(pool, length=27)
    world.limit(v4_addresses=64)
    done = meanwhile("rules.quotas", "lock", lambda: world.limit(v4_addresses=32))
    try:
        give(world, "grow", subnet.pk, length=26)
    except QuotaReached as refused:
        assert "its quota is 32" in str(refused)
    done()
    holds()


@pytest.mark.parametrize("limits", [{"subnets": 1}, {"v4_addresses": 32}])
def test_a_first_quota_is_set_while_something_is_taken(world, meanwhile, holds, limits):
    """Either the quota counts what was being taken, or that is refused by it."""
    pool = world.pool("10.40.64.0/22")
    world.ask(pool, length=27)
    done = meanwhile("operations.subnets.hand_out", "_record", lambda: world.limit(**limits))
    world.ask(pool, length=27)
    done()
    assert isinstance(meanwhile.told[0], Invalid), meanwhile.told
    assert "is below that" in str(meanwhile.told[0])
    holds()


def test_a_first_quota_of_records_is_set_while_one_is_recorded(world, meanwhile, holds):
    from lentra.registry.models import Address
    from lentra.registry.operations.subnets.record_addresses import AddressRequest, record_addresses

    pool = world.pool("10.40.64.0/22")
    (subnet,) = world.ask(pool, length=27)
    done = meanwhile("operations.subnets.record_addresses", "Recorded", lambda: world.limit(records=0))
    try:
        world.do(record_addresses, subnet.pk, AddressRequest(name="gate"))
    except QuotaReached:
        assert not Address.objects.filter(subnet=subnet).exists()
    done()
    holds()


def counted_one_by_one(world, pools):
    """What a project has, counted from its subnets, each looked at."""
    from lentra.registry.models import Address, Subnet

    found = dict.fromkeys(("subnets", "v4_addresses", "v6_units", "tags", "records"), 0)
    own = Subnet.objects.filter(project=world.project, pool__in=pools).prefetch_related("extents")
    for subnet in own:
        found["records"] += Address.objects.filter(subnet=subnet).count()
        if subnet.state == "cooling" or (subnet.state == "held" and subnet.ends_at <= world.clock.now()):
            continue
        found["subnets"] += 1
        found["tags"] += subnet.tag is not None
        for block in subnet.blocks():
            found["v4_addresses"] += block.size if block.family == 4 else 0
            found["v6_units"] += 1 << max(0, 64 - block.length) if block.family == 6 else 0
    return found


@pytest.mark.parametrize("seed", range(4))
def test_what_is_used_is_what_is_there_whatever_has_happened(world, holds, seed):
    """A quota's own counting, from sums, beside counting one by one; nothing ever goes beyond it."""
    import random

    from lentra.registry.models import Subnet
    from lentra.registry.operations.subnets.edit_subnet import edit_subnet
    from lentra.registry.operations.subnets.record_addresses import AddressRequest, record_addresses
    from lentra.registry.operations.subnets.replace_subnet import confirm_held

    chance = random.Random(seed)
    here, there = world.pool("10.40.64.0/22", "fd40::/56", name="here"), world.pool("10.41.64.0/22", name="there")
    everywhere = world.limit(subnets=6, v4_addresses=700, v6_units=3, tags=3, records=6)
    local = world.limit(pool=here, subnets=4, v4_addresses=400, v6_units=3, tags=3, records=6)

    def one(*states):
        found = list(Subnet.objects.filter(project=world.project, state__in=states or ("active",)).order_by("pk"))
        return chance.choice(found).pk if found else 0

    steps = {
        "take": lambda: world.ask(
            chance.choice((here, there)),
            length=chance.randint(26, 29),
            count=chance.randint(1, 2),
            tag=chance.choice((None, "next")),
        ),
        "both": lambda: world.ask(here, length=28, families=[4, 6]),
        "hold": lambda: world.ask(there, length=28, hold_minutes=chance.randint(1, 90)),
        "confirm": lambda: world.do(confirm_held, one("held")),
        "grow": lambda: give(world, "grow", one(), length=26),
        "back": lambda: give(world, "give_back", one("active", "held")),
        "again": lambda: give(world, "bring_back", one("cooling")),
        "tag": lambda: world.do(edit_subnet, one(), {"tag": chance.randint(2000, 3000)}),
        "record": lambda: world.do(record_addresses, one(), AddressRequest(name=f"n{chance.random()}"[2:12])),
        "later": lambda: world.later(minutes=chance.randint(1, 60 * 24)),
    }
    refused = 0
    for _ in range(45):
        try:
            steps[chance.choice(list(steps))]()
        except QuotaReached:
            refused += 1
        except Refusal:
            pass  # there was nothing to do it with
        assert used(world, everywhere) == counted_one_by_one(world, [here, there])
        assert used(world, local) == counted_one_by_one(world, [here])
    assert refused, "the quota was never reached"
    holds()


def test_what_is_used_of_many_quotas_is_counted_together(world):
    from django.db import connection
    from django.test.utils import CaptureQueriesContext

    from lentra.registry.models import Quota
    from lentra.registry.rules.quotas import used_of, used_of_each

    pool, other = world.pool("10.40.64.0/20"), world.pool("10.40.80.0/20", name="beside")
    everywhere = world.limit(subnets=9, v4_addresses=4096, tags=9)
    there = world.limit(pool=pool, v4_addresses=2048, records=5)
    world.ask(pool, length=24, tag="next")
    world.ask(other, length=25)
    quotas, now = list(Quota.objects.order_by("pk")), world.clock.now()
    with CaptureQueriesContext(connection) as asked:
        found = used_of_each(quotas, now)
    assert len(asked) <= 5
    assert [used.amounts for used in found] == [used_of(quota, now).amounts for quota in quotas]
    by_number = {used.quota.pk: used.amounts for used in found}
    assert by_number[everywhere.pk] == {"subnets": 2, "v4_addresses": 384, "tags": 1}
    assert by_number[there.pk] == {"v4_addresses": 256, "records": 0}
