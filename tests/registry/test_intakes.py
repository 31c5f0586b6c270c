"""Tables that are brought in: faults at their rows, all or nothing or the good rows, twice, in any order, taken back."""

from __future__ import annotations

import random
import threading
from datetime import UTC, datetime

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from lentra.addressing.refusal import Refusal

free_octets = iter(range(60, 250))


class Intakes:
    """Brings tables into a world: each step is done at once."""

    def __init__(self, world) -> None:
        self.world = world

    def look(self, lines, table="subnets", **options):
        """Upload a table and have it looked at; its work."""
        from lentra.registry.intakes.asking import upload_intake
        from lentra.registry.models import Intake

        given = {"realm": self.world.realm_name, **options} if table == "subnets" else options
        text = "\n".join(lines) if isinstance(lines, list) else lines
        self.world.do(upload_intake, "old.csv", table, text.encode(), given, 1 << 20)
        return self.work(Intake.objects.latest("pk").pk)

    def work(self, number):
        """Do what an intake waits for."""
        from lentra.registry.intakes.work import do_work
        from lentra.registry.models import IntakeWork

        for _ in range(3):
            work = IntakeWork.objects.get(pk=number)
            if not work.stage:
                break
            do_work(work, self.world.clock)
        return IntakeWork.objects.select_related("intake").get(pk=number)

    def commit(self, work, good_rows=False):
        from lentra.registry.intakes.asking import ask_to_commit

        self.world.do(ask_to_commit, work.pk, work.proposal, good_rows)
        return self.work(work.pk)

    def take_back(self, work):
        from lentra.registry.intakes.asking import ask_to_take_back

        self.world.do(ask_to_take_back, work.pk)
        return self.work(work.pk)

    def told(self, work):
        """What is told of each row: number -> outcome, message."""
        return {
            row.number: (row.outcome, row.told.get("message", "")) for row in work.intake.rows.order_by("number")
        }


@pytest.fixture
def intakes(world):
    return Intakes(world)


@pytest.fixture
def head(world):
    """The first line of a table, and what each row of this world says besides."""
    return (
        "Network,Name,Owner,Site,Role,VLAN,Description",
        f"{world.project.name},{world.zone.name},{world.tier.name}",
    )


def subnets(pool):
    from lentra.registry.models import Subnet

    return {
        (" ".join(map(str, subnet.blocks())), subnet.name, subnet.tag, subnet.purpose)
        for subnet in Subnet.objects.filter(pool=pool).prefetch_related("extents")
    }


def test_every_fault_is_told_at_its_row_and_the_good_ones_come_in(world, intakes, head, holds):
    pool = world.pool("10.52.0.0/20", longest_v4=28)
    world.ask(pool, length=26, prefix="10.52.0.0/26", name="taken-name", tag=7)
    world.keep_out("10.52.15.0/24")
    world.pool("10.80.0.0/15", name="yard")
    first, who = head
    yard = [f"10.{80 + (n >> 12)}.{n >> 4 & 255}.{(n & 15) << 4}/28,,{who},," for n in range(5_000)]
    work = intakes.look(
        [
            first,
            f"10.52.0.32/28,,{who},,",
            f"10.52.1.0/24,,{who},,",
            f"10.52.1.128/25,good,{who},9,Camera store",
            f"10.52.2.1/24,,{who},,",
            f"10.52.3.0/30,,{who},,",
            f"10.52.15.0/26,,{who},,",
            f"10.60.0.0/24,,{who},,",
            f"10.52.4.0/24,taken-name,{who},,",
            f"10.52.5.0/24,good,{who},,",
            f"10.52.6.0/24,Not A Name,{who},,",
            f"10.52.7.0/24,,{who},7,",
            f"10.52.8.0/24,,{who},9,",
            f"10.52.9.0/24,,{who},5000,",
            f"10.52.10.0/24,,nobody,{world.zone.name},{world.tier.name},,",
            f"10.52.11.0/24,,,{world.zone.name},{world.tier.name},,",
            f"10.52.5.0/24,,{who},,",
            f",,{who},,",
            f"10.52.12.0-10.52.12.47,range,{who},next,Weighbridge",
            *yard[:4_000],
            f"10.80.0.16/28,,{who},,",
            *yard[4_000:],
        ],
    )
    told = intakes.told(work)
    expected = {
        2: "is not free: 10.52.0.0/26 is handed out, taken-name",
        4: None,
        5: "10.52.2",
        6: "/30",
        7: "kept out",
        8: "lies in no pool",
        9: "the name 'taken-name' is taken",
        10: "stands in row 4 already",
        11: "not a valid name",
        12: "segment tag 7 is taken",
        13: "segment tag 9 is taken",
        14: "5000 is not a segment tag",
        15: "there is no project 'nobody'",
        16: "does not say its project",
        17: "stands in row 10 already",
        18: "says no range",
        4_020: "stands in row 21 already",
    }
    for number, words in expected.items():
        if words:
            assert told[number][0] == "refused", (number, told[number])
            assert words in told[number][1], (number, told[number])
    assert told[3] == ("refused", told[3][1])
    assert "contains the range of row 4" in told[3][1]
    assert {number for number in told if told[number][0] != "new"} == {*range(2, 19), 4_020} - {4}
    assert subnets(pool) == {("10.52.0.0/26", "taken-name", 7, "")}
    with pytest.raises(Refusal, match="rows are refused") as refused:
        intakes.commit(work)
    assert refused.value.suggestions == ["good_rows: true"]
    done = intakes.commit(work, good_rows=True)
    assert (done.intake.state, done.intake.made) == ("committed", {"new": 5_002})
    assert ("10.52.12.0/27 10.52.12.32/28", "range", 8, "Weighbridge") in subnets(pool)
    holds()


def test_the_same_table_again_changes_nothing_and_other_facts_are_taken_over_when_asked(
    world, intakes, head, holds
):
    from lentra.registry.models import LedgerEntry

    pool = world.pool("10.52.0.0/20")
    first, who = head
    lines = [first, f"10.52.1.0/24,quay,{who},9,Camera store", f"10.52.2.0/24,,{who},,Rota"]
    intakes.commit(intakes.look(lines))
    before = subnets(pool)
    again = intakes.look(lines)
    assert again.counts == {"same": 2}
    entries = LedgerEntry.objects.filter(kind="subnet").count()
    assert intakes.commit(again).intake.made == {}
    assert LedgerEntry.objects.filter(kind="subnet").count() == entries
    lines[1] = f"10.52.1.0/24,quay,{who},10,Camera stores"
    differs = intakes.look(lines)
    assert differs.counts == {"differs": 1, "same": 1}
    told = differs.intake.rows.get(outcome="differs").told
    assert told["differs"] == {"tag": ["9", "10"], "purpose": ["Camera store", "Camera stores"]}
    intakes.commit(differs)
    assert subnets(pool) == before
    assert intakes.commit(intakes.look(lines, update=True)).intake.made == {"updated": 1}
    assert ("10.52.1.0/24", "quay", 10, "Camera stores") in subnets(pool)
    holds()


def test_outer_rows_become_pools_and_what_is_missing_is_made_and_all_goes_again(world, intakes, head, holds):
    from lentra.registry.models import Pool, Project, Zone

    pool = world.pool("10.52.0.0/16")
    first, who = head
    lines = [
        first,
        "10.52.16.0/20,old-halls,,,,,",
        "10.52.16.0/22,old-hall-a,,,,,",
        f"10.52.16.0/24,,{who},,",
        f"10.52.20.0/24,,new-project,new-pier-{world.realm_name},{world.tier.name},,",
    ]
    assert intakes.told(intakes.look(lines))[2][0] == "refused"
    work = intakes.look(lines, outer="pools", make_missing=True, set={"region": world.region.name})
    assert work.counts == {"pool": 2, "new": 2}
    assert work.missing == {"zone": [f"new-pier-{world.realm_name}"], "project": ["new-project"]}
    assert not Pool.objects.filter(realm=world.realm, name="old-halls").exists()
    done = intakes.commit(work)
    assert done.intake.state == "committed", done.fault
    inner = Pool.objects.get(realm=world.realm, name="old-hall-a")
    assert inner.parent.name == "old-halls"
    assert inner.parent.parent == pool
    assert len(subnets(inner)) == 1
    assert intakes.look(lines, outer="pools", make_missing=True, set={"region": world.region.name}).counts == {
        "same": 4
    }
    holds()
    back = intakes.take_back(done)
    assert back.intake.state == "taken back", back.fault
    assert not Pool.objects.filter(realm=world.realm).exclude(pk=pool.pk).exists()
    assert not Project.objects.filter(name="new-project").exists()
    assert not Zone.objects.filter(name=f"new-pier-{world.realm_name}").exists()
    assert world.space(pool) == [("10.52.0.0/16", "free")]
    holds()


def test_an_intake_that_others_have_built_on_is_not_taken_back_and_says_by_what(world, intakes, head, holds):
    from lentra.registry.models import Subnet
    from lentra.registry.operations.subnets.edit_subnet import edit_subnet

    pool = world.pool("10.52.0.0/20")
    first, who = head
    done = intakes.commit(intakes.look([first, f"10.52.1.0/24,quay,{who},,", f"10.52.2.0/24,berth,{who},,"]))
    world.do(edit_subnet, Subnet.objects.get(realm=world.realm, name="quay").pk, {"purpose": "lamps"})
    refused = intakes.take_back(done)
    assert (refused.intake.state, refused.fault["code"]) == ("committed", "built-on")
    assert refused.fault["conflicts"][0]["range"] == "quay"
    assert len(subnets(pool)) == 2
    holds()


def test_what_was_shown_and_is_another_thing_by_now_is_looked_at_again(world, intakes, head, holds):
    pool = world.pool("10.52.0.0/20")
    first, who = head
    work = intakes.look([first, f"10.52.1.0/24,quay,{who},,", f"10.52.2.0/24,berth,{who},,"])
    world.ask(pool, length=25, prefix="10.52.2.0/25")
    late = intakes.commit(work)
    assert late.intake.state == "open"
    assert late.fault["code"] == "stale-proposal"
    assert late.counts == {"new": 1, "refused": 1}
    assert len(subnets(pool)) == 1
    done = intakes.commit(late, good_rows=True)
    assert done.intake.state == "committed"
    assert len(subnets(pool)) == 2
    holds()


def test_space_that_is_taken_between_the_look_and_the_lock_is_looked_at_again(
    world, intakes, head, holds, monkeypatch
):
    from lentra.registry.intakes.asking import ask_to_commit
    from lentra.registry.intakes.subnets import SubnetTable
    from lentra.registry.intakes.work import do_work
    from lentra.registry.models import IntakeWork

    pool = world.pool("10.52.0.0/20")
    first, who = head
    work = intakes.look([first, f"10.52.1.0/24,quay,{who},,", f"10.52.2.0/24,berth,{who},,"])
    world.do(ask_to_commit, work.pk, work.proposal, False)
    looked = SubnetTable.look

    def overtaken(table, rows):
        found = looked(table, rows)
        if not subnets(pool):
            apart(lambda: world.ask(pool, length=25, prefix="10.52.2.0/25"))
        return found

    with monkeypatch.context() as way:
        way.setattr(SubnetTable, "look", overtaken)
        do_work(IntakeWork.objects.get(pk=work.pk), world.clock)
    late = intakes.work(work.pk)
    assert (late.intake.state, late.fault["code"]) == ("open", "stale-proposal")
    assert late.counts == {"new": 1, "refused": 1}
    assert len(subnets(pool)) == 1
    holds()


def apart(work):
    """Do something in a thread of its own, with a connection of its own."""
    from django.db import connection

    def done():
        work()
        connection.close()

    thread = threading.Thread(target=done)
    thread.start()
    thread.join()


def test_two_intakes_of_one_table_bring_it_in_once(world, intakes, head, holds):
    from lentra.registry.intakes.asking import ask_to_commit

    pool = world.pool("10.52.0.0/20")
    first, who = head
    lines = [first, f"10.52.1.0/24,quay,{who},,", f"10.52.2.0/24,,{who},,"]
    works = [intakes.look(lines), intakes.look(lines)]
    for work in works:
        world.do(ask_to_commit, work.pk, work.proposal, False)
    done = [intakes.work(work.pk) for work in works]
    assert [work.intake.state for work in done] == ["committed", "open"]
    assert done[1].counts == {"same": 2}
    assert len(subnets(pool)) == 2
    holds()


def test_cells_are_put_right_columns_mean_something_else_and_values_are_translated(world, intakes, holds):
    from lentra.registry.intakes.asking import edit_intake

    pool = world.pool("10.52.0.0/20")
    work = intakes.look(
        ["Range,Hall,Rack,Hosts", "10.52.1.0/33,Skarvik hall A,r1,6", "10.52.2.0/24,Skarvik hall A,,7"],
        set={"project": world.project.name, "tier": world.tier.name},
        values={"zone": {"Skarvik hall A": world.zone.name}},
        labels=["Rack"],
    )
    assert work.counts == {"refused": 1, "new": 1}
    assert {c["heading"]: c["field"] for c in work.columns} == {
        "Range": "prefix",
        "Hall": "zone",
        "Rack": "labels",
        "Hosts": "hosts",
    }
    world.do(edit_intake, work.pk, None, {2: {"Range": "10.52.1.0/24"}})
    again = intakes.work(work.pk)
    assert again.counts == {"new": 2}
    done = intakes.commit(again)
    assert done.intake.state == "committed"
    found = {s.hosts: s.labels for s in pool.subnets.all()}
    assert found == {6: {"rack": "r1"}, 7: {}}
    with pytest.raises(Refusal, match="it cannot be changed any more"):
        world.do(edit_intake, work.pk, None, {2: {"Range": "10.52.9.0/24"}})
    holds()


def test_a_work_that_was_killed_in_the_middle_is_done_again_from_its_beginning(
    world, intakes, head, holds, monkeypatch
):
    from lentra.registry.intakes import subnets as room
    from lentra.registry.intakes.asking import ask_to_commit, ask_to_stop
    from lentra.registry.intakes.work import do_work, next_work
    from lentra.registry.models import IntakeWork

    pool = world.pool("10.52.0.0/20")
    first, who = head
    work = intakes.look([first, *(f"10.52.{n}.0/24,,{who},," for n in range(8))])
    monkeypatch.setattr(room, "AT_ONCE", 3)
    world.do(ask_to_commit, work.pk, work.proposal, False)
    written = []

    def killed(change):
        written.append(1)
        if len(written) == 2:
            raise KeyboardInterrupt

    with monkeypatch.context() as way:
        way.setattr(room, "settle_until_now", killed)
        with pytest.raises(KeyboardInterrupt):
            do_work(IntakeWork.objects.get(pk=work.pk), world.clock)
    assert subnets(pool) == set()
    assert next_work().pk == work.pk
    assert intakes.work(work.pk).intake.state == "committed"
    assert len(subnets(pool)) == 8
    holds()
    with pytest.raises(Refusal, match="nothing is being done"):
        world.do(ask_to_stop, work.pk)


def test_other_kinds_come_in_by_their_own_operations_and_are_told_as_they_are(world, intakes, holds):
    from lentra.registry.intakes.records import KINDS
    from lentra.registry.models import Address, KeepOut, Pool, Project, Region, Reservation

    mark = world.realm_name
    tables = {
        "regions": ["Name,Description", f"reg-{mark},Where it is", "Not a name,x"],
        "zones": [
            "Name,Region,Kind",
            f"zone-{mark},reg-{mark},hall",
            f"zone-2-{mark},nowhere,hall",
            f"zone-3-{mark},reg-{mark},attic",
        ],
        "projects": [
            "Name,Full name,Environment,Labels",
            f"proj-{mark},Quay lamps,test,rota=night; hall=A",
            f"proj-{mark},Twice,,",
            "p,x,quay,",
        ],
        "pools": [
            "Prefix,Name,Realm,Sheet,Parent,Warning",
            f"10.52.0.0/16,halls,{mark},ends-withheld,,70",
            f"10.52.16.0/20,inner,,,{mark}:halls,",
            f"10.52.16.0/24,over,,,{mark}:halls,",
        ],
        "keep-outs": [
            "Network,Realm,Why,Since",
            f"10.52.255.0-10.52.255.99,{mark},Partner at Vestnes,2025-11-02",
            f"10.52.300.0/24,{mark},x,",
        ],
        "reservations": [
            "Range,Pool,Reason,Type,Projects",
            f"10.52.32.0/24,{mark}:halls,links,transit,proj-{mark}",
            f"10.52.16.0/24,{mark}:halls,taken,transit,",
        ],
    }
    good = {"regions": 1, "zones": 1, "projects": 1, "pools": 2, "keep-outs": 1, "reservations": 1}
    for table, lines in tables.items():
        work = intakes.look(lines, table)
        told = intakes.told(work)
        assert sum(outcome in ("new", "pool") for outcome, _ in told.values()) == good[table], told
        assert sum(outcome == "refused" for outcome, _ in told.values()) == len(lines) - 1 - good[table], told
        done = intakes.commit(work, good_rows=True)
        assert done.intake.state == "committed", done.fault
        again = intakes.look(lines, table)
        assert again.counts.get("same", 0) == good[table], intakes.told(again)
    assert Region.objects.get(name=f"reg-{mark}").about == "Where it is"
    assert Project.objects.get(name=f"proj-{mark}").labels == {"rota": "night", "hall": "A"}
    halls = Pool.objects.get(realm=world.realm, name="halls")
    assert KINDS["pools"].told(halls)["prefix"] == "10.52.0.0/16"
    assert halls.warning_percent == 70
    kept = KeepOut.objects.get(realm=world.realm, reason="Partner at Vestnes")
    told = KINDS["keep-outs"].told(kept)
    assert (told["prefix"], told["since"]) == ("10.52.255.0-10.52.255.99", "2025-11-02")
    assert Reservation.objects.get(realm=world.realm, reason="links").projects.get().name == f"proj-{mark}"
    (subnet,) = world.ask(halls, length=24, prefix="10.52.40.0/24", zone=world.zone.name)
    work = intakes.look(
        ["IP,Hostname,MAC", "10.52.40.9,lamp-1,02-00-5e-20-00-01", "10.52.40.9,lamp-2,", "10.9.9.9,lamp-3,"],
        "address records",
        set={"realm": mark},
    )
    assert work.counts == {"new": 1, "refused": 2}
    intakes.commit(work, good_rows=True)
    record = Address.objects.get(subnet=subnet)
    assert (record.text, record.name, record.mac) == ("10.52.40.9", "lamp-1", "02:00:5e:20:00:01")
    holds()


@settings(max_examples=12, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(st.lists(st.integers(22, 30), min_size=1, max_size=14), st.integers(0, 1 << 32))
def test_any_set_of_ranges_comes_in_the_same_whatever_its_order(world, intakes, head, holds, lengths, seed):
    chance = random.Random(seed)
    octet = next(free_octets)
    pool = world.pool(f"10.{octet}.0.0/16", name=f"any-{octet}")
    first, who = head
    rows, at = [], 0
    for n, length in enumerate(lengths):
        size = 1 << (32 - length)
        at = -(-at // size) * size
        rows.append(f"10.{octet}.{at >> 8}.{at & 255}/{length},any-{octet}-{n}x,{who},,")
        at += size * chance.choice((1, 2))
    shapes = []
    for _ in range(2):
        chance.shuffle(rows)
        done = intakes.commit(intakes.look([first, *rows]))
        assert done.intake.made == {"new": len(rows)}, done.fault
        shapes.append((world.space(pool), subnets(pool)))
        holds()
        assert intakes.take_back(done).intake.state == "taken back"
        assert world.space(pool) == [(f"10.{octet}.0.0/16", "free")]
        holds()
    assert shapes[0] == shapes[1]


def test_files_are_forgotten_after_a_while_and_the_intake_stays(world, intakes, head):
    from lentra.registry.intakes.asking import ask_to_commit
    from lentra.registry.models import IntakePart, IntakeRow
    from lentra.registry.upkeep import run_upkeep

    first, who = head
    world.pool("10.52.0.0/20")
    work = intakes.look([first, f"10.52.1.0/24,,{who},,"])
    world.clock.moment = max(world.clock.moment, datetime(2026, 3, 1, tzinfo=UTC))
    world.later(days=31)
    run_upkeep(world.clock)
    assert not IntakePart.objects.filter(intake=work.pk).exists()
    assert not IntakeRow.objects.filter(intake=work.pk).exists()
    with pytest.raises(Refusal, match="looked at again"):
        world.do(ask_to_commit, work.pk, "0" * 64, False)


def test_of_a_refused_row_nothing_stands_in_the_ledger_though_it_had_begun(world):
    from lentra.registry.intakes.found import Found, refused_alone
    from lentra.registry.models import LedgerEntry, Realm
    from lentra.registry.operations.setup.add_realm import add_realm

    rows = [Found(1, {}), Found(2, {}), Found(3, {})]
    names = [f"quay-{next(free_octets)}" for _ in rows]

    def change(change):
        for row, name in zip(rows, names, strict=True):
            with refused_alone(change, row):
                add_realm(change, {"name": name})
                if row.number == 2:
                    raise Refusal("the second quay is closed")

    world.do(change)
    assert [row.outcome == "refused" for row in rows] == [False, True, False]
    assert set(Realm.objects.filter(name__in=names).values_list("name", flat=True)) == {names[0], names[2]}
    assert set(LedgerEntry.objects.filter(name__in=names).values_list("name", flat=True)) == {names[0], names[2]}


def test_a_process_that_was_taken_over_from_leaves_the_rest_to_the_other(world, intakes, head, monkeypatch):
    import time

    from lentra.registry.intakes import work as room
    from lentra.registry.intakes.asking import COMMITTING, ask_to_commit
    from lentra.registry.intakes.subnets import SubnetTable
    from lentra.registry.models import IntakeWork

    first, who = head
    world.pool("10.52.0.0/20")
    work = intakes.look([first, f"10.52.1.0/24,quay,{who},,"])
    world.do(ask_to_commit, work.pk, work.proposal, False)
    asked, look = threading.Event(), SubnetTable.look

    def slowly(table, rows):
        assert asked.wait(20)
        time.sleep(0.1)
        return look(table, rows)

    with monkeypatch.context() as way:
        way.setattr(room, "_EVERY", 0.01)
        way.setattr(SubnetTable, "look", slowly)
        room.do_work(IntakeWork.objects.get(pk=work.pk), world.clock, lambda: bool(asked.set()))
    left = IntakeWork.objects.select_related("intake").get(pk=work.pk)
    assert (left.stage, left.fault, left.intake.state) == (COMMITTING, None, "open")
    assert intakes.work(work.pk).intake.state == "committed"
