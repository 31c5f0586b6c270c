"""Prepared statements and batches say what the ORM says."""

import uuid
from datetime import UTC, datetime

import pytest
from django.db import connection

from lentra.addressing.prefix import BITS, Prefix, ending_before, starts_around
from lentra.addressing.prefix import parse_prefix as P


def test_a_prepared_query_finds_what_the_orm_finds(world):
    from lentra.registry.models import KeepOut
    from lentra.registry.transactions.sql import Prepared, Slot, read_together

    prepared = Prepared(
        lambda: (
            KeepOut.objects.filter(realm=Slot("realm"), family=Slot("family"))
            .order_by("first")
            .values_list("first", "last", "kind", "since")
        )
    )
    for family in (4, 6):  # the same text with other values
        rows = KeepOut.objects.filter(realm=world.realm, family=family).order_by("first")
        expected = list(rows.values_list("first", "last", "kind", "since"))
        assert len(expected) > 10
        assert prepared(realm=world.realm.pk, family=family) == expected
    together = read_together(
        (prepared, {"realm": world.realm.pk, "family": 4}), (prepared, {"realm": 0, "family": 6})
    )
    assert [len(rows) for rows in together] == [
        KeepOut.objects.filter(realm=world.realm, family=4).count(),
        0,
    ]


def test_rows_are_inserted_updated_and_told_as_they_are(world):
    from lentra.registry.models import ExtentRow, LedgerEntry, Space
    from lentra.registry.transactions.sql import insert, update

    moment = datetime(2026, 3, 1, 8, tzinfo=UTC)
    entries = [
        LedgerEntry(
            number=10**15 + n,
            at=moment,
            operation=uuid.uuid4(),
            actor_name="Åsta 'O\\;--",
            verb="try",
            kind="test",
            name=f"%s {n}; DROP TABLE x",
            after={"count": 2**127 + n},
        )
        for n in range(3)
    ]
    numbers = insert(entries, returning="number")
    kept = LedgerEntry.objects.in_bulk(numbers)
    for number, entry in zip(numbers, entries, strict=True):
        row = kept[number]
        assert (row.at, row.operation, row.actor_name, row.name) == (
            moment,
            entry.operation,
            entry.actor_name,
            entry.name,
        )
        assert row.after == entry.after
        assert row.before is None
    assert insert([]) == []

    pool = world.pool("10.40.64.0/20")
    row = ExtentRow.objects.get(pool=pool)
    row.length, row.state = 21, 6
    insert([row], update=("length", "state"))
    kept_row = ExtentRow.objects.get(pool=pool)
    assert (kept_row.pk, kept_row.length, kept_row.state) == (row.pk, 21, 6)
    space = Space.objects.get(pool=pool)
    space.free, space.kept_out, space.free_counts, space.largest_free = 0, 2**128, {"20": 1}, None
    space.total = 2**128
    update(space)
    again = Space.objects.get(pool=pool)
    assert (again.free, again.kept_out, again.free_counts, again.largest_free) == (0, 2**128, {"20": 1}, None)
    ExtentRow.objects.filter(pool=pool).delete()
    Space.objects.filter(pool=pool).delete()
    pool.ranges.all().delete()
    pool.delete()
    LedgerEntry.objects.filter(number__in=numbers)._raw_delete("default")


def test_a_batch_goes_in_order_and_stops_at_what_fails(world):
    from django.db import IntegrityError, transaction

    from lentra.registry.models import Lease
    from lentra.registry.transactions.sql import Batch

    moment, names = datetime(2026, 3, 1, tzinfo=UTC), [uuid.uuid4().hex for _ in range(3)]

    def lease(name):
        return Lease(name=name, holder=uuid.uuid4(), until=moment)

    batch = Batch()
    batch.insert([lease(names[0])])
    batch.insert([lease(names[1])])
    batch.send()
    batch.send()  # nothing is sent twice
    assert Lease.objects.filter(name__in=names).count() == 2
    batch.insert([lease(names[2])])
    batch.insert([lease(names[0])])
    with pytest.raises(IntegrityError), transaction.atomic():
        batch.send()
    assert Lease.objects.filter(name__in=names).count() == 2


def test_more_than_the_database_takes_in_one_packet_goes_in_several(world):
    from lentra.registry.transactions.sql import Text, read_together

    long = [Text("SELECT %s", [letter * 3_000_000]) for letter in "abcdefgh"]
    assert [rows[0][0][0] for rows in read_together(then=long)] == list("abcdefgh")


@pytest.mark.parametrize("family", [4, 6])
def test_blocks_around_and_before_an_address(family):
    for address in (1, 6, 0x0A2840C0, (1 << BITS[family]) - 1):
        starts = starts_around(family, address)
        assert starts == {
            Prefix(family, address, BITS[family]).enclosing(n).first for n in range(BITS[family] + 1)
        }
        before = ending_before(family, address)
        assert all(block.last + 1 == address for block in before)
        assert address % (2 * before[-1].size)  # a wider one would not be aligned
    assert ending_before(family, 0) == []


def rows_read(question):
    """How many rows the database reads for a question, along indexes and one by one."""

    def read():
        with connection.cursor() as cursor:
            cursor.execute("SHOW SESSION STATUS LIKE 'Handler_read%'")
            return sum(int(count) for _, count in cursor.fetchall())

    before = read()
    question()
    return read() - before


def test_what_is_at_an_address_is_found_without_a_walk(world):
    from lentra.registry.reports.gaps import gaps
    from lentra.registry.reports.listing import subnets_matching
    from lentra.registry.reports.space_map import space_map
    from lentra.registry.space.evidence import whereabouts

    pool = world.pool("10.48.0.0/16", name="wide-hall")
    for _ in range(8):
        world.ask(pool, length=29, count=250)
    at = P("10.48.0.16/29")
    asked = {
        "whereabouts": lambda: whereabouts(world.realm, 4, at.first, at.first),
        "covering": lambda: list(subnets_matching({"covering": at, "realm": [world.realm]})),
        "covering, in every realm": lambda: list(subnets_matching({"covering": P("10.48.0.17/32")})),
        "inside": lambda: list(subnets_matching({"inside": at})),
        "gaps": lambda: gaps(pool, 4, 0, 10),
        "map": lambda: space_map(world.realm, at),
    }
    read = {name: rows_read(question) for name, question in asked.items()}
    assert all(count < 200 for count in read.values()), read
    names = {name: [s.blocks()[0] for s in asked[name]()] for name in ("covering", "inside")}
    assert names == {"covering": [at], "inside": [at]}


def test_what_cools_in_a_full_pool_is_told_without_reading_the_rest(world):
    from lentra.registry.lookup.serving import exhausted_in
    from lentra.registry.models import Space
    from lentra.registry.operations.subnets.give_back import give_back_subnet

    pool = world.pool("10.49.0.0/21", name="full-hall", cooling_days=5)
    (first, *_), _ = (world.ask(pool, length=30, count=256) for _ in range(2))
    world.do(give_back_subnet, first.pk)
    told = []
    count = rows_read(lambda: told.append(exhausted_in(Space.objects.get(pool=pool), pool, 30, [])))
    assert [row["owner"] for row in told[0].conflicts] == [first.name]
    assert count < 60


def test_no_question_reads_more_for_blocks_that_it_does_not_tell_of(world):
    from lentra.registry.lookup.by_text import entries_named
    from lentra.registry.models import LedgerEntry, Subnet
    from lentra.registry.operations.subnets.edit_subnet import edit_subnet
    from lentra.registry.reports.breakdown import breakdown
    from lentra.registry.reports.holdings import totals
    from lentra.registry.reports.idle import Scope, idle_things
    from lentra.registry.reports.listing import subnets_matching
    from lentra.registry.reports.project_grid import project_grid
    from lentra.registry.reports.ranges import ranges_of

    pool, other = world.pool("10.50.0.0/22", name="quiet"), world.pool("10.51.0.0/18", name="busy")
    mark = uuid.uuid4().hex[:10]
    (known,) = world.ask(pool, length=26, labels={"rota": mark}, notes=f"lamp {mark}", name=f"lamp-{mark}-east")
    world.later(days=40)

    def listed(**values):
        return [s.name for s in subnets_matching(values).order_by("place")[:20]]

    asked = {
        "label": lambda: listed(label=f"rota={mark}"),
        "words": lambda: listed(text=f"lamp {mark}"),
        "part of a name": lambda: listed(text=f"{mark}-ea"),
        "beginning": lambda: listed(name=f"lamp-{mark}"),
        "pool and zone": lambda: listed(pool=[pool], zone=[world.zone]),
        "unused": lambda: [row["what"] for _, row in idle_things(Scope(world.clock.now(), world.realm), count=5)],
        "breakdown": lambda: breakdown(["project", "zone"], realm=world.realm),
        "totals": lambda: totals(world.project, world.clock.now()),
        "grid": lambda: project_grid(world.project),
        "ledger": lambda: list(LedgerEntry.objects.filter(entries_named(f"lamp-{mark}")).order_by("-number")[:9]),
        "ranges": lambda: list(ranges_of(4, most=20, pool=[pool])),
    }
    few = {name: rows_read(question) for name, question in asked.items()}
    for _ in range(6):
        world.ask(other, length=30, count=250)
    with connection.cursor() as cursor:
        cursor.execute("ANALYZE TABLE registry_subnet")  # as the database does by itself, in time
    many = {name: rows_read(question) for name, question in asked.items()}
    grown = {name: (few[name], many[name]) for name in asked if many[name] > 1.5 * few[name] + 130}
    assert not grown, grown
    for name in ("label", "words", "part of a name", "beginning", "pool and zone"):
        assert asked[name]() == [known.name], name
    cell = asked["grid"]()["cells"][0]
    assert (cell["count"], len(cell["subnets"])) == (1501, 8)
    assert asked["breakdown"]()[0]["subnets"] == asked["totals"]()["subnets"]["active"] == 1501
    # What it was found by, it is no longer found by.
    world.do(edit_subnet, known.pk, {"labels": {}, "notes": "", "name": f"buoy-{mark}"})
    assert [asked[name]() for name in ("label", "words", "beginning")] == [[], [], []]
    assert listed(text=f"y-{mark}") == [f"buoy-{mark}"]
    assert Subnet.objects.get(pk=known.pk).counted == known.counted


def test_what_another_thread_clears_away_is_in_nobodys_way(registry_database):
    import gc
    import sys
    import threading

    over = threading.Event()

    def clear_away():
        while not over.is_set():
            gc.collect(0)

    clearing = threading.Thread(target=clear_away)
    clearing.start()
    often = sys.getswitchinterval()
    gc.disable()
    sys.setswitchinterval(1e-6)
    try:
        connection.ensure_connection()
        driver = connection.connection
        for n in range(4000):
            driver.query(b"SELECT 1")
            ring = [driver.store_result()]
            ring.append(ring)  # nobody can reach it any more, and it is there until somebody clears it away
            del ring
            with connection.cursor() as cursor:
                cursor.execute("SELECT %s, %s", [n, "quay"])
                assert cursor.fetchall() == ((n, "quay"),)
    finally:
        over.set()
        clearing.join()
        sys.setswitchinterval(often)
        gc.enable()
