"""The feed: everything that is committed, once, in the order of the commits, whatever numbers were taken when."""

from __future__ import annotations

import threading
import uuid
from datetime import timedelta
from itertools import pairwise

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from lentra.registry.errors import Invalid
from lentra.registry.transactions.clock import SystemClock


@pytest.fixture
def placed(world):
    """Places what has been committed, as the service does; returns how much."""
    from lentra.registry.transactions.ordering import order_committed
    from lentra.registry.upkeep import take_lease

    holder = uuid.uuid4()

    def place():
        assert take_lease(holder, SystemClock(), timedelta(minutes=5), "events")
        return order_committed("events", holder)

    place()
    yield place
    from lentra.registry.models import Lease

    Lease.objects.filter(pk="events").delete()


def read(after, count=1000, **of):
    from lentra.registry.models import LedgerEntry
    from lentra.registry.transactions.feed import read_feed

    return read_feed(LedgerEntry.objects.filter(**of), after, count)


@settings(suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(st.sets(st.integers(1, 60)))
def test_runs_are_the_fewest_and_make_up_the_numbers(registry_database, numbers):
    from lentra.registry.transactions.ordering import runs_of

    runs = runs_of(sorted(numbers))
    assert [n for first, last in runs for n in range(first, last + 1)] == sorted(numbers)
    assert all(after[0] > before[1] + 1 for before, after in pairwise(runs))


def test_a_change_that_commits_later_comes_later_though_its_number_is_lower(world, placed):
    from lentra.registry.transactions.ordering import newest_placed
    from lentra.registry.transactions.run import run_transaction

    start, slow_has_begun, may_go_on = newest_placed(), threading.Event(), threading.Event()

    def slow():
        from django.db import connection

        def work(change):
            change.told("tell", "test", "slow", {})
            change.batch.send()
            slow_has_begun.set()
            assert may_go_on.wait(20)

        run_transaction(work, clock=world.clock)
        connection.close()

    thread = threading.Thread(target=slow)
    thread.start()
    assert slow_has_begun.wait(20)
    world.do(lambda change: change.told("tell", "test", "quick", {}))
    assert placed() == 1
    first = read(start, kind="test")
    assert [entry.name for entry in first.entries] == ["quick"]
    may_go_on.set()
    thread.join()
    placed()
    then = read(first.after, kind="test")
    assert [entry.name for entry in then.entries] == ["slow"]
    assert then.entries[0].number < first.entries[0].number
    assert [entry.name for entry in read(start, kind="test").entries] == ["quick", "slow"]
    assert read(then.after).entries == []


def test_of_many_writers_every_entry_comes_once_and_each_records_in_their_order(world, placed):
    from lentra.registry.models import LedgerEntry
    from lentra.registry.operations.subnets.edit_subnet import edit_subnet
    from lentra.registry.transactions.ordering import newest_placed

    pool, start = world.pool("10.72.0.0/20"), newest_placed()
    subnets = world.ask(pool, length=28, count=4)
    ended = threading.Event()

    def write(which):
        from django.db import connection

        for n in range(12):
            world.do(edit_subnet, subnets[(which + n) % 4].pk, {"purpose": f"{which} {n}"})
        connection.close()

    threads = [threading.Thread(target=write, args=(n,)) for n in range(4)]
    for thread in threads:
        thread.start()
    seen, after = [], start
    while not ended.is_set():
        if not any(thread.is_alive() for thread in threads):
            ended.set()
        placed()
        while part := read(after, count=7).entries:
            seen += part
            after = part[-1].number
    numbers = [entry.number for entry in seen]
    assert len(numbers) == len(set(numbers))
    assert set(numbers) >= set(
        LedgerEntry.objects.filter(realm=world.realm.pk, kind="subnet", number__gt=start).values_list(
            "pk", flat=True
        )
    )
    for subnet in subnets:
        own = [entry.number for entry in seen if entry.record == subnet.pk]
        assert own == sorted(own)
        assert len(own) == 13
    again = [entry.number for entry in read(start).entries]
    assert again == numbers


def test_what_is_rolled_back_leaves_a_gap_that_nobody_waits_for(world, placed):
    from lentra.registry.transactions.ordering import newest_placed

    start = newest_placed()

    def fails(change):
        change.told("tell", "test", "never", {})
        change.batch.send()
        raise Invalid("no")

    with pytest.raises(Invalid):
        world.do(fails)
    world.do(lambda change: change.told("tell", "test", "always", {}))
    placed()
    assert [entry.name for entry in read(start, kind="test").entries] == ["always"]
    assert placed() == 0


def test_only_who_has_the_lease_places(world, placed):
    from lentra.registry.transactions.ordering import order_committed

    world.do(lambda change: change.told("tell", "test", "waits", {}))
    assert order_committed("events", uuid.uuid4()) == 0
    assert placed() >= 1


def test_a_number_that_never_was_is_refused_and_one_just_taken_is_waited_for(world, placed):
    with pytest.raises(Invalid) as refused:
        read(10**12)
    assert refused.value.suggestions
    outcome = world.do(lambda change: change.told("tell", "test", "fresh", {}))
    number = outcome.entries[0].number
    assert (read(number).entries, read(number).after) == ([], number)
    placed()
    assert read(number).entries == []
