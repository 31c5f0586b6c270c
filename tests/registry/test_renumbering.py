"""Renumbering: both sides live, every offset is kept, nothing is lost, and what is turned back is as it was."""

from __future__ import annotations

import contextlib
import re
from datetime import date

import pytest

from lentra.addressing.prefix import parse_address, parse_range
from lentra.addressing.refusal import Exhausted
from lentra.registry.errors import InUse, Invalid, NotAllowed, StillAttached, WrongState
from tests.registry.test_findings import reality  # noqa: F401


def start(world, name="east-quay", *, preview=False, waves="at-once", by=None, actor=None, **wanted):
    from lentra.registry.operations.renumbering.laying import Wanted
    from lentra.registry.operations.renumbering.renumber import start_renumbering

    for which in ("from_ranges", "to_ranges"):
        if which in wanted:
            wanted[which] = [parse_range(text) for text in wanted[which]]
    for which in ("from_pool", "to_pool"):
        if isinstance(wanted.get(which), str):
            wanted[which] = f"{world.realm_name}:{wanted[which]}"
    if "from_subnets" in wanted:
        wanted["from_subnets"] = [by_name(world, text).pk for text in wanted["from_subnets"]]
    wanted["realm"] = world.realm_name
    return run(
        world, lambda change: start_renumbering(change, name, Wanted(**wanted), waves=waves, by=by), preview, actor
    )


def run(world, work, preview=False, actor=None):
    """Do it; returns what it came to, and its notes."""
    from lentra.registry.transactions.run import run_transaction

    box = []
    outcome = run_transaction(
        work, actor=actor, clock=world.clock, preview=preview, render=lambda result, change: box.append(result)
    )
    return box[-1], outcome.notes


def wave(world, how, name="east-quay", actor=None, **part):
    from lentra.registry.operations.renumbering import waves

    more = {what: part.pop(what) for what in ("despite_use",) if what in part}
    realm = f"{world.realm_name}:{name}"
    return run(world, lambda change: getattr(waves, how)(change, realm, waves.Part(**part), **more), actor=actor)


def moved(world, subnets=(), hosts=(), on=True, name="east-quay", actor=None):
    from lentra.registry.operations.renumbering.waves import set_moved

    realm = f"{world.realm_name}:{name}"
    return run(world, lambda change: set_moved(change, realm, subnets, hosts, on), actor=actor)


def record(world, subnet, *names, **values):
    from lentra.registry.operations.subnets.record_addresses import AddressRequest, record_addresses

    world.do(record_addresses, subnet.pk, [AddressRequest(name=name, **values) for name in names])


def subnets(world):
    """Every subnet as far as it is the same before and after something that was turned back."""
    from lentra.registry.models import Subnet

    rows = Subnet.objects.filter(realm=world.realm).order_by("pk").prefetch_related("extents", "addresses")
    columns = (
        "name",
        "name_stem",
        "name_number",
        "state",
        "place",
        "tag",
        "gateway",
        "dhcp",
        "counted",
        "replaces_id",
    )
    return [
        (
            *(getattr(subnet, column) for column in columns),
            tuple(str(block) for block in [*subnet.blocks(), *subnet.room()]),
            tuple((r.text, r.name, r.mac, r.moved_at) for r in subnet.addresses.order_by("family", "address")),
        )
        for subnet in rows
    ]


def by_name(world, name):
    from lentra.registry.models import Subnet

    return Subnet.objects.prefetch_related("extents").get(realm=world.realm, name=name)


@pytest.fixture
def quay(world):
    """A pool with subnets of one range, and another range to go to."""
    pool = world.pool("10.40.0.0/20", "fd00:40::/48", name="old-quay")
    world.pool("10.60.0.0/20", "fd00:60::/48", name="new-quay")
    (world.desk,) = world.ask(pool, prefix="10.40.4.0/24", name="desk", families=[4, 6], room=1, gateway="last")
    (world.cams,) = world.ask(pool, prefix="10.40.9.64/26", name="cams", labels={"berth": "7"}, tag=120)
    return world


def test_both_sides_live_until_the_old_one_is_finished(quay, holds):
    from lentra.registry.models import Move, Subnet
    from lentra.registry.operations.subnets.edit_subnet import edit_subnet
    from lentra.registry.upkeep import expire_all_due

    quay.do(edit_subnet, quay.desk.pk, {"dhcp": ["10.40.4.100-10.40.4.150"], "dns_suffix": "desk.ferries.example"})
    record(quay, quay.desk, "till", address="10.40.4.37", mac="02:00:5e:10:00:01")
    record(quay, quay.desk, "till-v6", address=str(by_name(quay, "desk").blocks()[1]).replace("::/64", "::37"))
    started, notes = start(quay, from_pool="old-quay", to_pool="new-quay")
    assert [move.kept for move in started.moves] == [True, True]
    assert any("segment tags stay" in note for note in notes)
    holds()
    new = by_name(quay, "desk-new")
    assert str(new.blocks()[0]) == "10.60.4.0/24"
    assert [str(piece) for piece in new.room()] == ["10.60.5.0/24"]
    assert (new.state, new.gateway, new.dhcp) == ("active", "last", "10.60.4.100-10.60.4.150")
    assert new.dns_suffix == "desk.ferries.example"
    assert {r.text.rpartition(".")[2] if r.family == 4 else r.text[-2:] for r in new.addresses.all()} == {"37"}
    assert by_name(quay, "desk").state == "retiring"
    assert by_name(quay, "cams-new").labels == {"berth": "7"}
    with pytest.raises(InUse, match="2 hosts have not moved") as refused:
        wave(quay, "finish_wave")
    assert refused.value.conflicts[0]["why"] == "goes to 10.60.4.37"
    moved(quay, hosts=["10.40.4.37"])
    with pytest.raises(InUse, match="1 host has not moved"):
        wave(quay, "finish_wave")
    wave(quay, "finish_wave", subnets=["cams"])
    moved(quay)
    wave(quay, "finish_wave")
    holds()
    for name, tag in (("desk", None), ("cams", 120)):
        there = by_name(quay, name)
        assert (there.state, str(there.blocks()[0])[:6], there.tag) == ("active", "10.60.", tag)
        assert by_name(quay, f"{name}-old").state == "cooling"
    assert set(Move.objects.filter(realm=quay.realm).values_list("state", flat=True)) == {"finished"}
    quay.later(days=60)
    quay.ask(by_name(quay, "desk").pool, length=28)
    expire_all_due(quay.clock)
    assert not Subnet.objects.filter(realm=quay.realm, name="desk-old").exists()
    holds()


def test_what_is_turned_back_is_as_it_was(quay, holds):
    from lentra.registry.models import Renumbering
    from lentra.registry.operations.subnets.attach_address import attach_address

    record(quay, quay.desk, "till", address="10.40.4.37")
    pool = quay.pool("10.99.0.0/28", name="public", sheet="single-address")
    (public,) = quay.ask(pool, prefix="10.99.0.5/32", name="till-public")
    quay.do(attach_address, public.pk, record=quay.desk.addresses.get().pk)
    before = subnets(quay)
    start(quay, from_pool="old-quay", to_pool="new-quay", waves="tier")
    assert by_name(quay, "desk-new").state == "held"
    assert by_name(quay, "desk").state == "active"
    quay.later(days=90)  # what is held for a wave does not fall back
    wave(quay, "begin_wave", wave=quay.tier.name)
    moved(quay)
    public.refresh_from_db()
    assert public.attached_record.text == "10.60.4.37"
    wave(quay, "turn_back")
    holds()
    assert subnets(quay) == before
    public.refresh_from_db()
    assert public.attached_record.text == "10.40.4.37"
    assert Renumbering.objects.get(realm=quay.realm).state == "turned back"
    with pytest.raises(WrongState):
        wave(quay, "finish_wave")
    start(quay, name="once-more", from_pool="old-quay", to_pool="new-quay")
    holds()


def test_a_range_that_is_vacated_gives_nothing_any_more_and_the_rest_of_the_pool_takes_what_is_there(quay, holds):
    pool = quay.desk.pool
    quay.keep_out("10.40.0.0/23")
    before = subnets(quay)
    _, notes = start(quay, from_ranges=["10.40.4.0/22"], vacate=True, by=date(2027, 1, 1))
    assert any("nothing of 10.40.4.0/22 is handed out any more" in note for note in notes)
    new = by_name(quay, "desk-new")
    assert (
        parse_range("10.40.8.0/21")[1] <= new.blocks()[0].first
        or new.blocks()[0].last < parse_address("10.40.4.0")[1]
    )
    free = [text for text, state in quay.space(pool) if state == "free"]
    assert not any(text.startswith(("10.40.6.", "10.40.7.")) for text in free)
    holds()
    wave(quay, "turn_back")
    assert subnets(quay) == before
    start(quay, name="again", from_ranges=["10.40.4.0/22"], vacate=True)
    wave(quay, "finish_wave", name="again")
    quay.later(days=60)
    quay.ask(pool, length=28)
    assert "free" not in {state for text, state in quay.space(pool) if text.startswith(("10.40.4.", "10.40.5."))}
    holds()


def test_reservations_go_along_and_the_cheapest_stretch_is_cleared(world, holds):
    from lentra.registry.models import Reservation
    from tests.registry.test_space_stays_right import reserve

    pool = world.pool("10.40.0.0/22", name="old-quay")
    world.pool("10.60.0.0/22", name="new-quay")
    for text in ("10.40.0.0/25", "10.40.1.0/26", "10.40.3.0/28"):
        world.ask(pool, prefix=text)
    reserve(world, pool, "10.40.2.16-10.40.2.47", name="transit-ring", kind="transit")
    start(world, "north", from_pool="old-quay", to_pool="new-quay")
    wave(world, "finish_wave", name="north")
    kept = Reservation.objects.get(realm=world.realm)
    assert (kept.name, kept.kind, kept.range_text) == ("transit-ring", "transit", "10.60.2.16-10.60.2.47")
    holds()
    started, _ = start(world, "clear", from_pool="new-quay", clear=23)
    assert sorted(str(p) for p in started.renumbering.vacated) == ["10.60.0.0/23"] or started.moves
    holds()


@pytest.mark.parametrize(
    ("wanted", "fault"),
    [
        ({}, "say what is to move by one of these alone"),
        ({"from_pool": "old-quay", "from_plan": "x"}, "say what is to move by one of these alone"),
        ({"from_pool": "old-quay", "to_pool": "old-quay"}, "would move into itself"),
        ({"from_pool": "old-quay", "to_ranges": ["10.60.0.0/20"]}, "and there is no IPv6 range to move to"),
        ({"from_pool": "new-quay", "to_pool": "old-quay"}, "nothing in pool new-quay is to move"),
        (
            {"from_pool": "old-quay", "to_pool": "new-quay", "lengths": {4: 30}},
            "ends-withheld|would have no address",
        ),
        ({"from_subnets": ["cams"], "to_pool": "new-quay", "vacate": True}, "only ranges are vacated"),
        ({"from_pool": "old-quay", "clear": 24}, "nothing need move"),
    ],
)
def test_what_makes_no_sense_is_refused_with_the_reason(quay, wanted, fault):
    before = subnets(quay)
    if "lengths" in wanted:
        record(quay, quay.desk, *(f"till-{n}" for n in range(4)))
        before = subnets(quay)
    with pytest.raises((Invalid, Exhausted), match=fault):
        start(quay, **wanted)
    assert subnets(quay) == before


def test_a_target_that_is_too_small_is_told_by_how_much(quay):
    quay.pool("10.70.0.0/26", "fd00:70::/48", name="slip")
    with pytest.raises(
        Exhausted, match=r"desk \(/23\).*512 addresses are missing.*a /22 that is all free"
    ) as refused:
        start(quay, from_pool="old-quay", to_pool="slip")
    assert "to_ranges: a free /22" in refused.value.suggestions


def test_another_realm_is_refused_and_planners_alone_start(quay):
    from tests.registry.conftest import World

    other = World().pool("10.80.0.0/20", name="far")
    with pytest.raises(Invalid, match="a renumbering stays in its realm|hosts must reach both"):
        start(quay, from_pool="old-quay", to_pool=other.pk)
    with pytest.raises(NotAllowed):
        start(quay, from_pool="old-quay", to_pool="new-quay", actor=quay.person("requester", [quay.project]))


def test_what_moves_is_not_grown_given_back_or_handed_over_meanwhile(quay):
    from lentra.registry.operations.subnets.give_back import give_back_subnet
    from lentra.registry.operations.subnets.grow import grow_subnet
    from lentra.registry.operations.subnets.record_addresses import release_address
    from lentra.registry.operations.subnets.replace_subnet import confirm_held

    record(quay, quay.desk, "till", "scale")
    start(quay, from_pool="old-quay", to_pool="new-quay", waves="zone")
    for side in ("desk", "desk-new"):
        with pytest.raises(WrongState, match="is on its way from 10.40.4.0/24"):
            quay.do(give_back_subnet, by_name(quay, side).pk, despite_use=True)
    with pytest.raises(WrongState, match="is on its way"):
        quay.do(grow_subnet, quay.desk.pk, length=23)
    with pytest.raises(WrongState, match="is on its way"):
        quay.do(confirm_held, by_name(quay, "desk-new").pk)
    wave(quay, "begin_wave", wave=quay.zone.name)
    quay.do(release_address, quay.desk.addresses.get(name="till").pk)  # gone from the old side, so it has moved
    assert by_name(quay, "desk-new").addresses.get(name="till").moved_at is not None
    with pytest.raises(InUse, match="1 host has not moved"):
        wave(quay, "finish_wave")


def test_a_side_that_is_gone_or_in_another_state_is_found(quay):
    from lentra.registry.models import Subnet
    from lentra.registry.reports.verify import verify

    start(quay, from_pool="old-quay", to_pool="new-quay")
    assert verify(quay.realm)["clean"]
    Subnet.objects.filter(realm=quay.realm, name="desk").update(state="active")
    told = [offence["what"] for offence in verify(quay.realm)["offences"]]
    assert "desk is moving, and its old side is active, not retiring" in told


def test_a_realm_goes_with_its_past_renumberings(world):
    from lentra.registry.models import Realm, Renumbering
    from lentra.registry.operations.pools.carve_pool import give_back_pool
    from lentra.registry.operations.setup.remove_realm import remove_realm
    from lentra.registry.operations.subnets.give_back import give_back_subnet
    from lentra.registry.reports.verify import verify

    pools = [
        world.pool("10.40.0.0/20", name="old-quay", cooling_days=0),
        world.pool("10.60.0.0/20", name="new-quay"),
    ]
    (desk,) = world.ask(pools[0], length=26, name="desk")
    start(world, from_pool="old-quay", to_pool="new-quay")
    wave(world, "finish_wave")
    world.do(give_back_subnet, by_name(world, "desk").pk, at_once=True)
    for pool in pools:
        world.do(give_back_pool, pool.pk)
    world.do(remove_realm, world.realm.pk)
    assert not Renumbering.objects.filter(realm=world.realm.pk).exists()
    assert not Realm.objects.filter(pk=world.realm.pk).exists()
    gone = [offence for offence in verify()["offences"] if str(desk.pk) in offence["where"]]
    assert gone == []


def test_a_public_address_that_is_attached_is_not_finished(world):
    from lentra.registry.operations.subnets.attach_address import attach_address

    pool = world.pool("10.99.0.0/28", name="public", sheet="single-address")
    world.pool("10.98.0.0/28", name="public-2", sheet="single-address")
    (one,) = world.ask(pool, prefix="10.99.0.5/32", name="front")
    world.do(attach_address, one.pk, target="balancer-1")
    _, notes = start(world, from_pool="public", to_pool="public-2")
    assert any("is a public address, attached to balancer-1" in note for note in notes)
    with pytest.raises(StillAttached):
        wave(world, "finish_wave")
    wave(world, "turn_back")
    assert by_name(world, "front").state == "active"


def test_a_thousand_subnets_keep_every_offset_also_killed_in_the_middle_and_are_turned_back(world, holds):
    from lentra.registry.models import Address, Renumbering, Subnet
    from lentra.registry.reports.verify import verify

    world.pool("10.40.0.0/14", name="old-quay")
    world.pool("10.60.0.0/14", name="new-quay")
    many_subnets(world, 1000, 20)
    before = subnets(world)
    for seconds in (0.4, 1.5, 3.0, 4.5):
        killed_after(world, seconds, lambda: start(world, from_pool="old-quay", to_pool="new-quay"))
        if Renumbering.objects.filter(realm=world.realm).exists():
            wave(world, "turn_back")
            Renumbering.objects.filter(realm=world.realm).update(name=f"try-{seconds}")
        assert subnets(world) == before
    start(world, from_pool="old-quay", to_pool="new-quay")
    news = Address.objects.filter(realm=world.realm, replaces__isnull=False).select_related("replaces")
    assert {(new.address - new.replaces.address, new.name == new.replaces.name) for new in news} == {
        (20 << 16, True)
    }
    assert news.count() == 20_000
    states = Subnet.objects.filter(realm=world.realm).values_list("state", flat=True)
    assert {state: list(states).count(state) for state in set(states)} == {"retiring": 1000, "active": 1000}
    found = verify(world.realm)
    assert found["clean"], found["offences"]
    for seconds in (0.3, 1.0, 2.0):
        killed_after(world, seconds, lambda: wave(world, "turn_back"))
        living = set(Renumbering.objects.filter(realm=world.realm, state="moving").values_list("name", flat=True))
        if not living:
            break
        assert news.count() == 20_000
    else:
        wave(world, "turn_back")
    assert subnets(world) == before
    holds()


def many_subnets(world, count, hosts):
    """So many subnets of a pool, each with so many address records."""
    from lentra.registry.models import Address, Pool

    pool = Pool.objects.get(realm=world.realm, name="old-quay")
    made = []
    for _ in range(count // 100):
        made += world.ask(pool, length=24, count=100)

    def records(change):
        change.added(
            [
                Address(
                    realm=world.realm,
                    subnet=subnet,
                    family=4,
                    address=subnet.known_blocks[0].first + 10 * n + 7,
                    name=f"till-{n}",
                    created_at=change.now,
                )
                for subnet in made
                for n in range(1, hosts + 1)
            ]
        )

    world.do(records)


def killed_after(world, seconds, work):
    """Do something in a process of its own that is killed in the middle of it; then wait until nothing of it is locked."""
    import os
    import signal
    import time

    from django.db import OperationalError, connection, transaction

    from lentra.registry.models import Space

    connection.close()
    if (pid := os.fork()) == 0:
        try:
            work()
        finally:
            os._exit(0)
    time.sleep(seconds)
    os.kill(pid, signal.SIGKILL)
    os.waitpid(pid, 0)
    begun = time.monotonic()
    while time.monotonic() < begun + 300:  # what was killed is rolled back first
        try:
            with transaction.atomic():
                list(Space.objects.select_for_update(nowait=True).filter(realm=world.realm.pk).values_list("pk"))
            return
        except OperationalError as why:
            last = why
            connection.close()  # it may be of no use any more
            time.sleep(0.2)
            if time.monotonic() > begun + 40:
                end_transactions()
    raise AssertionError(f"what was killed still holds its locks: {last}")


def end_transactions():
    """End what the database goes on with: it does not notice within a statement that whoever asked is gone."""
    from django.db import OperationalError, connection

    with connection.cursor() as cursor:
        cursor.execute(
            "SELECT ID, COMMAND, TIME, STATE, INFO FROM information_schema.PROCESSLIST WHERE ID <> CONNECTION_ID()"
        )
        for number, *facts in cursor.fetchall():
            print("ended:", number, *facts)
            with contextlib.suppress(OperationalError):  # it has ended by itself
                cursor.execute(f"KILL {int(number)}")


def test_hosts_that_a_source_sees_at_their_new_addresses_have_moved(quay, reality):  # noqa: F811
    from lentra.registry.models import Renumbering
    from lentra.registry.reports.renumbering import progress

    record(quay, quay.desk, "till", address="10.40.4.37")
    record(quay, quay.desk, "scale", address="10.40.4.38")
    start(quay, from_pool="old-quay", to_pool="new-quay", by=date(2026, 3, 10))
    source = reality.source()
    quay.later(days=1)
    reality.survey(source, reality.seen("10.40.4.37"), reality.seen("10.60.4.38"))

    def told():
        return progress(Renumbering.objects.get(realm=quay.realm), quay.clock.now())

    assert told()["hosts"] == {"all": 2, "moved": 1, "seen": 1}
    (held,) = told()["held_up"]
    assert held["why"].startswith("1 host has not moved")
    assert held["why"].endswith("the old side is still seen")
    with pytest.raises(InUse, match="1 host has not moved .* and desk is still seen: 10.40.4.37 by"):
        wave(quay, "finish_wave")
    assert told()["likely"] == date(2026, 3, 5)
    quay.later(days=1)
    reality.survey(source, reality.seen("10.60.4.37"), reality.seen("10.60.4.38"))
    assert told()["hosts"] == {"all": 2, "moved": 2, "seen": 2}
    assert told()["held_up"] == []
    wave(quay, "finish_wave")
    assert told()["counts"]["finished"] == 2


def test_forecasts_count_what_comes_free_and_what_is_kept_out_does_not(quay):
    from lentra.registry.foresight.steps import steps_of
    from lentra.registry.models import Pool

    pool = Pool.objects.get(realm=quay.realm, name="old-quay")

    def steps():
        found = steps_of([pool.pk], quay.clock.now())
        return [(key[1], step.day, step.amount) for key, known in sorted(found.items()) for step in known]

    start(quay, from_pool="old-quay", to_pool="new-quay", by=date(2026, 4, 1))
    assert steps() == [(4, date(2026, 4, 8), -(512 + 64)), (6, date(2026, 4, 8), -(1 << 64))]
    quay.later(days=60)  # it is late, so not before today
    assert {day for _, day, _ in steps()} == {date(2026, 5, 7)}
    wave(quay, "turn_back")
    start(quay, name="emptied", from_pool="old-quay", to_pool="new-quay", vacate=True, by=date(2026, 8, 1))
    assert steps() == []


def test_tag_members_and_places_in_plans_go_over_and_ranges_stay_meanwhile(quay, holds):
    from lentra.addressing.prefix import parse_prefix
    from lentra.registry.models import TagMember
    from lentra.registry.operations.pools.change_range import change_range
    from lentra.registry.operations.setup.add_record import add_record

    quay.do(add_record, "tag member", {"subnet": quay.cams, "name": "quay-switch"})
    start(quay, from_pool="old-quay", to_pool="new-quay")
    old, new = parse_prefix("10.40.0.0/20"), parse_prefix("10.44.0.0/20")
    with pytest.raises(WrongState, match="change the range that it is in"):
        quay.do(change_range, quay.cams.pool_id, old, new, rebase=True)
    wave(quay, "finish_wave", subnets=["cams-new"])
    member = TagMember.objects.get(name="quay-switch", subnet__realm=quay.realm)
    assert (member.subnet.name, member.subnet.tag, str(member.subnet.blocks()[0])) == (
        "cams",
        120,
        "10.60.9.64/26",
    )
    holds()


def test_what_is_recorded_on_the_old_side_meanwhile_is_not_lost(quay):
    from lentra.registry.models import Renumbering
    from lentra.registry.reports.renumbering import progress

    start(quay, from_pool="old-quay", to_pool="new-quay")
    record(quay, quay.desk, "late-comer", address="10.40.4.77")
    (held,) = progress(Renumbering.objects.get(realm=quay.realm), quay.clock.now())["held_up"]
    assert held["why"] == "1 address record is on the old side alone"
    with pytest.raises(InUse, match=r"late-comer 10.40.4.77 was recorded in desk since, and has no new address"):
        wave(quay, "finish_wave")
    with pytest.raises(Invalid, match="no host of what is moving is called 'nobody'"):
        moved(quay, hosts=["nobody"])
    _, notes = wave(quay, "finish_wave", despite_use=True)
    assert any("late-comer 10.40.4.77" in note and "with it" in note for note in notes)


def test_new_blocks_hold_the_hosts_that_are_expected(world):
    from lentra.addressing.refusal import HostsDoNotFit

    pool = world.pool("10.40.0.0/20", name="old-quay")
    world.pool("10.60.0.0/20", name="new-quay")
    world.ask(pool, hosts=50, name="desk")
    with pytest.raises(HostsDoNotFit, match="50 hosts are expected there"):
        start(world, from_pool="old-quay", to_pool="new-quay", lengths={4: 27})
    started, _ = start(world, from_pool="old-quay", to_pool="new-quay", lengths={4: 25})
    assert started.moves[0].new_ranges == ["10.60.0.0/25"]


def test_waves_begin_by_tier_or_by_a_list_and_each_is_told_by_itself(world, holds):
    from lentra.registry.models import Tier
    from lentra.registry.operations.setup.add_record import add_record
    from lentra.registry.reports.renumbering import progress

    data = f"data-{world.realm_name}"
    world.do(add_record, "tier", {"name": data})
    pool = world.pool("10.40.0.0/20", name="old-quay")
    world.pool("10.60.0.0/20", name="new-quay")
    for n, tier in enumerate((world.tier.name, world.tier.name, data, data)):
        (subnet,) = world.ask(pool, length=26, tier=tier, name=f"desk-{n}")
        if n:
            record(world, subnet, *(f"till-{k}" for k in range(n)))
    started, _ = start(world, from_pool="old-quay", to_pool="new-quay", waves="tier")
    assert {move.wave for move in started.moves} == {world.tier.name, data}
    with pytest.raises(Invalid, match="has no wave 'night'") as refused:
        wave(world, "begin_wave", wave="night")
    assert set(refused.value.suggestions) == {world.tier.name, data}
    wave(world, "begin_wave", subnets=["desk-0", "desk-2"])
    with pytest.raises(WrongState, match="to begin, what is meant must be planned"):
        wave(world, "begin_wave", subnets=["desk-0", "desk-1"])
    wave(world, "begin_wave", wave=data)
    moved(world, subnets=["desk-3"], hosts=["till-0"])
    rows = progress(started.renumbering, world.clock.now())["rows"]
    told = {row["tier"]: [row[name] for name in ("moves", "planned", "moving", "hosts", "moved")] for row in rows}
    assert told == {world.tier.name: [2, 1, 1, 1, 0], data: [2, 0, 2, 5, 1]}
    moved(world, subnets=["desk-3"], hosts=["till-0"], on=False)
    assert progress(started.renumbering, world.clock.now())["hosts"]["moved"] == 0
    assert Tier.objects.filter(name=data).exists()
    holds()


def test_steps_are_ticked_off_by_whom_and_when_and_hosts_noted_by_their_project(quay):
    from lentra.registry.models import Move
    from lentra.registry.operations.renumbering.waves import set_check
    from lentra.registry.operations.setup.add_record import add_record

    record(quay, quay.desk, "till")
    start(quay, from_pool="old-quay", to_pool="new-quay")
    ref = f"{quay.realm_name}:east-quay"
    own = quay.person("requester", [quay.project])
    run(quay, lambda change: set_check(change, ref, ["desk"], "names changed"), actor=own)
    desk = Move.objects.get(realm=quay.realm, name="desk")
    assert desk.checks == {"names changed": {"by": own.name, "on": "2026-03-01"}}
    moved(quay, subnets=["desk"], actor=own)
    run(quay, lambda change: set_check(change, ref, [], "names changed", done=False))
    desk.refresh_from_db()
    assert desk.checks == {}
    with pytest.raises(Invalid, match="'tea' is no step of the list"):
        run(quay, lambda change: set_check(change, ref, [], "tea"))
    quay.do(add_record, "project", {"name": f"other-{quay.realm_name}"})
    stranger = quay.person("requester")
    for work in (lambda change: set_check(change, ref, ["desk"], "old silent"),):
        with pytest.raises(NotAllowed, match="does not belong to project"):
            run(quay, work, actor=stranger)
    with pytest.raises(NotAllowed):
        wave(quay, "finish_wave", actor=own)


def test_what_others_must_change_is_told_before_and_after_a_wave_has_begun(quay):
    from lentra.registry.operations.subnets.edit_subnet import edit_subnet
    from lentra.registry.reports.renumbering import dns_changes, map_of, routes, rules_of

    quay.do(edit_subnet, quay.desk.pk, {"dns_suffix": "quay.ferries.example"})
    record(quay, quay.desk, "till", address="10.40.4.37")
    started, _ = start(quay, from_pool="old-quay", to_pool="new-quay", waves="zone")
    before = [work(started.renumbering) for work in (map_of, rules_of, dns_changes, routes)]
    wave(quay, "begin_wave")
    after = [work(started.renumbering) for work in (map_of, rules_of, dns_changes, routes)]
    assert [[{**row, "state": ""} for row in rows] for rows in before] == [
        [{**row, "state": ""} for row in rows] for rows in after
    ]
    names = {(row["action"], row["type"], row["name"], row["data"]) for row in after[2]}
    assert names == {
        ("add", "A", "till.quay.ferries.example", "10.60.4.37"),
        ("add", "PTR", "37.4.60.10.in-addr.arpa", "till.quay.ferries.example"),
        ("delete", "A", "till.quay.ferries.example", "10.40.4.37"),
        ("delete", "PTR", "37.4.40.10.in-addr.arpa", "till.quay.ferries.example"),
    }
    assert {"phase": "after", "family": 4, "range": "10.60.9.64/26"} in after[3]
    assert [row["range"] for row in after[1] if row["action"] == "add"][:2] == ["10.60.4.0/24", "10.60.9.64/26"]


def test_names_that_are_long_or_taken_make_way(world):
    pool = world.pool("10.40.0.0/20", name="old-quay")
    world.pool("10.60.0.0/20", name="new-quay")
    long = "quay-" + "x" * 57
    for name in (long, "desk", "desk-new", "desk-old"):
        world.ask(pool, length=28, name=name)
    start(world, from_pool="old-quay", to_pool="new-quay")
    assert by_name(world, "desk-new-2").replaces.name == "desk"
    assert by_name(world, long[:59] + "-new").replaces.name == long
    wave(world, "finish_wave")
    assert str(by_name(world, "desk").blocks()[0]).startswith("10.60.")
    assert str(by_name(world, long).blocks()[0]).startswith("10.60.")
    assert by_name(world, "desk-old").state == "active"
    assert by_name(world, "desk-old-2").state == "cooling"


def test_two_start_at_the_same_moment_and_one_is_refused(quay, holds):
    from tests.registry.test_space_stays_right import at_once

    def work(name):
        return lambda: start(quay, name=name, from_pool="old-quay", to_pool="new-quay")

    outcomes = at_once(work("one"), work("other"))
    (refused,) = [outcome for outcome in outcomes if isinstance(outcome, Exception)]
    assert isinstance(refused, Invalid)
    assert re.search(r"desk .* is on its way by renumbering (one|other) and stays as it is", str(refused))
    holds()


def test_what_is_planned_to_move_is_not_moved_by_another_renumbering(quay, holds):
    start(quay, from_pool="old-quay", to_pool="new-quay", waves="zone")
    named = {"from_subnets": ["desk"]}
    for wanted in (
        named,
        {"from_subnets": ["desk-new"]},
        {"from_pool": "old-quay"},
        {"from_ranges": ["10.40.4.0/24"]},
    ):
        with pytest.raises((Invalid, WrongState), match="desk.* and stays as it is"):
            start(quay, "another", **wanted, to_pool="new-quay")
        holds()
    wave(quay, "turn_back")
    start(quay, "another", **named, to_pool="new-quay")
    holds()


def test_statements_do_not_grow_with_what_moves(world):
    from django.db import connection
    from django.test.utils import CaptureQueriesContext

    asked = {}
    for n, count in enumerate((5, 40)):
        old = world.pool(f"10.{40 + n}.0.0/16", name=f"old-{n}")
        world.pool(f"10.{60 + n}.0.0/16", name=f"new-{n}")
        for subnet in world.ask(old, length=26, count=count):
            record(world, subnet, "till", "scale")
        steps = {
            "start": lambda n=n: start(world, f"move-{n}", from_pool=f"old-{n}", to_pool=f"new-{n}"),
            "moved": lambda n=n: moved(world, name=f"move-{n}"),
            "finish": lambda n=n: wave(world, "finish_wave", f"move-{n}"),
        }
        for step, work in steps.items():
            with CaptureQueriesContext(connection) as queries:
                work()
            asked.setdefault(step, []).append(len(queries))
    for step, (few, many) in asked.items():
        assert many <= few + 6, (step, few, many)


def test_a_plan_moves_with_its_reservations_and_names_of_all_kinds_make_way(world, holds):
    from lentra.registry.models import Plan, Reservation, Subnet
    from lentra.registry.operations.plans.commit_plan import commit_plan
    from lentra.registry.plans.reading import read_document
    from tests.registry.test_space_stays_right import reserve

    pool = world.pool("10.40.0.0/20", name="old-quay")
    world.pool("10.60.0.0/20", name="new-quay")
    document = {
        "format": "lentra-plan-1",
        "name": "layout",
        "project": world.project.name,
        "pools": {"ipv4": f"{world.realm_name}:{pool.name}"},
        "zones": [world.zone.name],
        "tiers": [{"tier": world.tier.name, "length": 27, "count": 2}],
        "summarise": "zone",
        "room": {"tiers": 1},
    }
    world.do(commit_plan, read_document(document))
    plan = Plan.objects.get(realm=world.realm)
    kept = plan.reservations.get()
    for name in (f"{kept.name}-new", f"{kept.name}-new-2"):
        reserve(world, pool, f"10.40.{8 + len(name) % 5}.0/26", name=name)
    start(world, from_plan=f"{world.realm_name}:layout", to_pool="new-quay")
    assert Reservation.objects.filter(realm=world.realm, name=f"{kept.name}-new-3").exists()
    with pytest.raises(Invalid, match="nobody is not of renumbering"):
        wave(world, "finish_wave", subnets=["nobody"])
    wave(world, "finish_wave")
    assert plan.reservations.get().name == kept.name
    slots = Subnet.objects.filter(plan=plan).values_list("place", flat=True)
    assert {int(place[1:], 16) >> 24 for place in slots} == {10}
    assert all(str(s.blocks()[0]).startswith("10.60.") for s in Subnet.objects.filter(plan=plan))
    holds()
