"""What a planner does all day: names, places, keep-outs, tags, public addresses, second family, alerts, departures."""

import uuid
from datetime import timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st

from lentra.addressing.prefix import parse_prefix as P
from lentra.addressing.refusal import Refusal
from lentra.registry.errors import Invalid, NotAllowed


def notes(world, operation, *values, **named):
    """What a preview notes."""
    return " | ".join(world.do(operation, *values, preview=True, **named).notes)


def add(world, kind, /, **values):
    from lentra.registry.operations.setup.add_record import add_record
    from lentra.registry.rules.kinds import KINDS

    world.do(add_record, kind, values)
    return KINDS[kind].model.objects.latest("pk")


def edit(world, kind, record, /, **values):
    from lentra.registry.operations.setup.edit_record import edit_record

    world.do(edit_record, kind, record.pk, values)
    record.refresh_from_db()


# --- names ---


def test_templates_name_pools_reservations_and_records_and_a_pattern_holds_given_names(world, holds):
    from lentra.registry.models import Address, Pool, Reservation
    from lentra.registry.operations.pools.carve_pool import carve_pool
    from lentra.registry.operations.reservations.reserve import ReservationRequest, reserve
    from lentra.registry.operations.subnets.edit_subnet import edit_subnet
    from lentra.registry.operations.subnets.record_addresses import AddressRequest, record_addresses

    outer = world.pool("10.40.0.0/16")
    with pytest.raises(Refusal, match="has no template of pools' names"):
        world.do(carve_pool, outer.pk, {}, [P("10.40.64.0/20")])
    edit(
        world,
        "realm",
        world.realm,
        pool_template="{parent}-{zone}-{nn}",
        reservation_template="{pool}-{kind}-{nn:3}",
        address_template="{subnet}-{nn}",
        name_pattern="{project}-*-{nn}",
    )
    for _ in range(2):
        world.do(carve_pool, outer.pk, {"zone": world.zone}, [], [(4, 20)])
    names = [pool.name for pool in Pool.objects.filter(parent=outer).order_by("pk")]
    assert names == [f"pool-{world.zone.name}-01", f"pool-{world.zone.name}-02"]
    world.do(reserve, ReservationRequest(pool=outer.pk, length=24, reason="pumps", kind="future zone"))
    assert Reservation.objects.get(realm=world.realm).name == "pool-future-zone-001"
    project = world.project.name
    with pytest.raises(Refusal, match=f"'gates' is not of the pattern {project}-\\*-{{nn}}") as refused:
        world.ask(outer, length=28, name="gates")
    (one,) = world.ask(outer, length=28, name=refused.value.suggestions[0])
    with pytest.raises(Refusal, match="is not of the pattern"):
        world.do(edit_subnet, one.pk, {"name": "gates"})
    world.do(edit_subnet, one.pk, {"name": f"{project}-quay-7"})
    world.do(record_addresses, one.pk, AddressRequest(count=2))
    assert [r.name for r in Address.objects.filter(subnet=one)] == [f"{project}-quay-7-01", f"{project}-quay-7-02"]


@pytest.mark.parametrize(
    ("field", "text", "words"),
    [
        ("pool_template", "{parent}", "needs {nn} once"),
        ("pool_template", "{tier}-{nn}", "no field {tier}; fields are {parent}, {region}"),
        ("plan_template", "{project}-{nn}", "the same plan has the same name each time"),
        ("address_template", "", "needs {nn} once"),
        ("name_pattern", "{pool}*{x}", "has no field {x}"),
        ("name_pattern", "*****", "5 stars, 4 at most"),
        ("name_pattern", "Quay-*", "letters that no name has"),
    ],
)
def test_a_template_that_makes_no_names_is_refused_when_it_is_set(world, field, text, words):
    with pytest.raises(Invalid, match=words) as refused:
        edit(world, "realm", world.realm, **{field: text})
    assert refused.value.field == field


def test_a_name_that_ends_in_its_length_is_not_taken_for_a_number(world):
    pool = world.pool("10.133.160.0/24")
    world.ask(pool, prefix="10.133.160.32/29", name="g133-160-29")
    with pytest.raises(Refusal, match="free is 'g133-160-29-02'"):
        world.ask(pool, length=29, name="g133-160-29")
    world.ask(pool, length=29, name="quay-07")
    with pytest.raises(Refusal, match="free is 'quay-08'"):
        world.ask(pool, length=29, name="quay-07")


def test_a_plan_without_a_name_has_that_of_its_realm(world):
    from lentra.registry.models import Plan
    from lentra.registry.operations.plans.commit_plan import commit_plan
    from lentra.registry.plans.reading import read_plan

    world.pool("10.40.0.0/20")
    text = (
        f"format: lentra-plan-1\nproject: {world.project.name}\nrealm: {world.realm.name}\npools: {{ipv4: pool}}\n"
        f"zones: [{world.zone.name}]\ntiers: [{{tier: {world.tier.name}, length: 26}}]\n"
    )
    with pytest.raises(Refusal, match="the plan has no name"):
        world.do(commit_plan, read_plan(text), text)
    edit(world, "realm", world.realm, plan_template="{project}-of-{realm}")
    for _ in range(2):
        world.do(commit_plan, read_plan(text), text)
    assert [plan.name for plan in Plan.objects.filter(realm=world.realm)] == [
        f"{world.project.name}-of-{world.realm.name}"
    ]


# --- places and projects ---


def test_a_project_uses_so_many_zones_of_a_region_and_one_place_twice_is_told(world, holds):
    from lentra.registry.operations.setup.add_record import add_record
    from lentra.registry.operations.subnets.bring_back import bring_back
    from lentra.registry.operations.subnets.give_back import give_back_subnet
    from lentra.registry.operations.subnets.hand_over import hand_over

    pool = world.pool("10.40.0.0/20", cooling_days=5)
    mark = uuid.uuid4().hex[:6]
    edit(world, "zone", world.zone, physical="skarvik-hall-c", site="hall")
    second = {"name": f"second-{mark}", "region": world.region, "physical": "Skarvik-Hall-C"}
    assert "may stand in one place" in notes(world, add_record, "zone", second)
    second = add(world, "zone", **second)
    third = add(world, "zone", name=f"third-{mark}", region=world.region)
    home, _ = (world.ask(pool, length=28, zone=zone.name)[0] for zone in (world.zone, second))
    with pytest.raises(Refusal, match="a limit of 1 is below that"):
        edit(world, "region", world.region, zones_per_project=1)
    edit(world, "region", world.region, zones_per_project=2)
    world.ask(pool, length=28, zone=second.name)
    with pytest.raises(Refusal, match=f"may use 2: third-{mark} is beyond that") as refused:
        world.ask(pool, length=28, zone=third.name)
    assert refused.value.code == "quota-reached"
    assert refused.value.suggestions == sorted([world.zone.name, second.name])
    other = add(world, "project", name=f"other-{mark}")
    for zone in (third, second):
        world.ask(pool, length=28, zone=zone.name, project=other.name)
    (there,) = world.ask(pool, length=28, zone=second.name)
    edit(world, "region", world.region, zones_per_project=2)
    world.do(hand_over, there.pk, other.name)
    there.refresh_from_db()
    assert there.project_id == other.pk
    world.do(give_back_subnet, home.pk)
    world.ask(pool, length=28, zone=third.name)
    with pytest.raises(Refusal, match=f"may use 2: {world.zone.name} is beyond that"):
        world.do(bring_back, home.pk)  # its place was taken by another zone meanwhile


def test_a_project_tells_all_that_it_holds(world):
    from lentra.registry.operations.reservations.reserve import ReservationRequest, reserve
    from lentra.registry.reports.holdings import Holdings, totals

    pool = world.pool("10.40.0.0/20", project=world.project)
    world.do(reserve, ReservationRequest(pool=pool.pk, length=24, reason="pumps", projects=[world.project]))
    for length in (26, 26, 27):
        world.ask(pool, length=length)
    rows = Holdings(world.project)
    assert [row["kind"] for row in rows[:]] == ["pool", "reservation", "subnet", "subnet", "subnet"]
    assert rows[1:3] == rows[:][1:3]
    assert rows[4] == rows[:][4]
    told = totals(world.project, world.clock.now())
    assert told["subnets"] == {"active": 3}
    assert [(b["length"], b["count"], b["addresses"]) for b in told["blocks"]] == [(26, 2, "128"), (27, 1, "32")]
    assert told["public"]["held"] == 0


# --- keep-outs ---


def test_a_keep_out_tells_what_it_lies_over_and_what_it_takes_from_which_pool(world, holds):
    from lentra.registry.operations.pools.add_keep_out import add_keep_out, add_keep_outs

    world.pool("10.40.0.0/20")
    world.keep_out("10.40.0.0/24")
    values = {"realm": world.realm, "family": 4, "reason": "yard"}

    def told(text):
        prefix = P(text)
        return notes(world, add_keep_out, values | {"first": prefix.first, "last": prefix.last})

    assert "10.40.0.0/24 is kept out already" in told("10.40.0.0/24")
    assert "10.40.0.0/25 lies in 10.40.0.0/24" in told("10.40.0.0/25")
    words = told("10.40.0.0/22")
    assert "10.40.0.0/22 contains 10.40.0.0/24" in words
    assert "10.40.0.0/22 takes 768 free addresses of pool pool" in words
    rows = [values | {"first": P(text).first, "last": P(text).last} for text in ("10.40.4.0/24", "10.40.5.0/24")]
    world.do(add_keep_outs, rows)
    with pytest.raises(Refusal, match="row 2: a keep-out needs a reason") as refused:
        world.do(add_keep_outs, [rows[0], rows[1] | {"reason": " "}])
    assert refused.value.field == "rows.1.reason"


def test_an_uncertain_keep_out_asks_before_it_refuses(world, holds):
    from lentra.registry.operations.subnets.give_back import give_back_subnet

    pool = world.pool("10.40.64.0/22", cooling_days=0)
    world.keep_out("10.40.64.0/24", certainty="likely", reason="an old yard")
    world.keep_out("10.40.66.0/24", reason="the partner")
    with pytest.raises(Refusal, match="is likely to be used elsewhere: 10.40.64.0/24, an old yard") as refused:
        world.ask(pool, prefix="10.40.64.32/27")
    assert "despite_unsure: true" in refused.value.suggestions
    with pytest.raises(Refusal, match="10.40.66.0/27 is not free"):
        world.ask(pool, prefix="10.40.66.0/27", despite_unsure=True)
    with pytest.raises(Refusal, match="gives way to an exact prefix alone"):
        world.ask(pool, length=27, despite_unsure=True)
    shown = world.ask(pool, preview=True, prefix="10.40.64.32/27", despite_unsure=True)
    (one,) = world.ask(pool, prefix="10.40.64.32/27", despite_unsure=True, proposal=shown.token)
    assert ("10.40.64.0/27", "kept out") in world.space(pool)
    (other,) = world.ask(pool, length=25)
    assert str(other.blocks()[0]) == "10.40.65.0/25"
    world.do(give_back_subnet, one.pk)
    assert ("10.40.64.32/27", "free") not in world.space(pool)  # it is kept out again


def test_a_keep_out_reminds_on_its_day_and_an_alert_is_acknowledged_muted_and_told_again(world):
    from lentra.registry.foresight.alerts import check_alerts
    from lentra.registry.models import Alert, LedgerEntry
    from lentra.registry.operations.foresight.acknowledge_alert import acknowledge_alert, reopen_alert

    keep_out = world.keep_out("10.40.64.0/24", review_on=world.clock.now().date() + timedelta(days=2))
    check_alerts(world.clock)
    mine = Alert.objects.filter(realm=world.realm, kind="review")
    assert not mine.exists()
    world.later(days=3)
    check_alerts(world.clock)
    alert = mine.get()
    assert "does it still hold?" in alert.text
    planner = world.person("planner")
    until = world.clock.now() + timedelta(days=5)
    for reason, end, words in (("", None, "say why"), ("x", world.clock.now(), "has passed")):
        with pytest.raises(Refusal, match=words):
            world.do(acknowledge_alert, alert.pk, reason, end, actor=planner)
    world.do(acknowledge_alert, alert.pk, "petra asks the yard", until, actor=planner)
    alert.refresh_from_db()
    assert (alert.acknowledged_by, alert.is_muted(world.clock.now())) == (planner.name, True)
    assert (
        LedgerEntry.objects.filter(verb="acknowledge", actor=planner.pk).get().after["reason"]
        == "petra asks the yard"
    )
    told = LedgerEntry.objects.filter(kind="alert", realm=world.realm.pk, verb__in=("open", "resolve"))
    count = told.count()
    check_alerts(world.clock)
    assert told.count() == count
    world.later(days=6)
    check_alerts(world.clock)
    assert (told.count(), told.latest("pk").verb) == (count + 1, "open")
    world.do(reopen_alert, alert.pk, actor=planner)
    with pytest.raises(Refusal, match="has not been acknowledged"):
        world.do(reopen_alert, alert.pk, actor=planner)
    edit(world, "keep-out", keep_out, review_on=None)
    check_alerts(world.clock)
    with pytest.raises(Refusal, match="is over since"):
        world.do(acknowledge_alert, alert.pk, "late", None, actor=planner)


# --- segment tags ---


def test_tags_come_from_ranges_and_never_from_forbidden_ones(world, holds):
    from lentra.registry.operations.setup.add_record import add_record
    from lentra.registry.reports.tags import tags_of

    pool = world.pool("10.40.0.0/20")

    def ask(**wanted):
        return world.ask(pool, length=28, **wanted)[0].tag

    for tag in (210, 211, 213):
        ask(tag=tag)
    assert ask(tag="next") == 212
    assert ask(tag="next") == 214
    other = add(world, "tier", name=f"edge-{uuid.uuid4().hex[:6]}")
    add(world, "tag range", zone=world.zone, first=300, last=301, tier=other, purpose="edges")
    add(world, "tag range", region=world.region, first=215, last=216, forbidden=True, purpose="the yard's")
    assert [ask(tag="next", tier=other.name) for _ in range(2)] == [300, 301]
    assert ask(tag="next") == 217
    with pytest.raises(Refusal, match="no segment tag is free in .* for tier"):
        ask(tag="next", tier=other.name)
    with pytest.raises(Refusal, match="segment tag 215 is forbidden in .*, the yard's"):
        ask(tag=215)
    told = tags_of(world.zone)
    assert (told["next"], told["after_last"]) == (218, 302)
    assert told["free"][0] == "1-209"
    assert [(r["first"], r["used"], r["free"]) for r in told["ranges"]] == [(300, 2, 0), (215, 0, 0)]
    words = notes(
        world, add_record, "tag range", {"zone": world.zone, "first": 100, "last": 212, "forbidden": True}
    )
    assert "in use already: 210 (" in words
    for values, fault in (
        ({"first": 9, "last": 3}, "the lower comes first"),
        ({"first": 301, "last": 310}, "overlaps 300-301"),
        ({"first": 0, "last": 3}, "is not a segment tag"),
    ):
        with pytest.raises(Refusal, match=fault):
            add(world, "tag range", zone=world.zone, **values)


def test_a_regions_tag_is_held_against_its_zones_and_two_ends_that_differ_are_told(world, holds):
    from lentra.registry.models import TagMember
    from lentra.registry.operations.setup.add_record import add_record
    from lentra.registry.operations.subnets.edit_subnet import edit_subnet
    from lentra.registry.operations.subnets.give_back import give_back_subnet
    from lentra.registry.reports.tags import tags_of

    pool = world.pool("10.40.0.0/20", cooling_days=0)
    world.ask(pool, length=28, zone=None, region=world.region.name, tag=40)
    with pytest.raises(Refusal, match="segment tag 40 is taken"):
        world.ask(pool, length=28, tag=40)
    (narrow,) = world.ask(pool, length=28, tag=41)
    with pytest.raises(Refusal, match="segment tag 41 is taken"):
        world.ask(pool, length=28, zone=None, region=world.region.name, tag=41)
    member = {"subnet": narrow, "name": "pier-switch", "kind": "end", "tag": 44}
    assert "the two do not hear one another" in notes(world, add_record, "tag member", member)
    add(world, "tag member", **member)
    add(world, "tag member", subnet=narrow, name="quay-switch", kind="end")
    (differing,) = tags_of(world.zone)["differing"]
    assert (differing["name"], differing["tag"], differing["subnet_tag"]) == ("pier-switch", 44, 41)
    assert "its tag differs at pier-switch" in notes(world, edit_subnet, narrow.pk, {"tag": 45})
    world.do(edit_subnet, narrow.pk, {"tag": 44})
    assert tags_of(world.zone)["differing"] == []
    world.do(give_back_subnet, narrow.pk)
    assert not TagMember.objects.filter(name="pier-switch").exists()


# --- public addresses ---


def test_a_public_address_leads_to_a_record_and_back(world, holds):
    from lentra.registry.models import Address
    from lentra.registry.operations.subnets.attach_address import attach_address, detach_address
    from lentra.registry.operations.subnets.give_back import give_back_subnet
    from lentra.registry.operations.subnets.record_addresses import (
        AddressRequest,
        record_addresses,
        release_address,
    )
    from lentra.registry.space.evidence import whereabouts

    public = world.pool("10.42.64.0/28", name="public", sheet="single-address", exposure="public")
    private = world.pool("10.40.64.0/24", name="inside")
    one, two = (world.ask(public, length=32)[0] for _ in range(2))
    (home,) = world.ask(private, length=28)
    world.do(record_addresses, home.pk, AddressRequest(name="mast", address="10.40.64.5"))
    mast = Address.objects.get(subnet=home)
    world.do(attach_address, one.pk, record="10.40.64.5")
    one.refresh_from_db()
    assert (one.attached_to, one.attached_record_id, one.attached_how) == (
        "mast 10.40.64.5",
        mast.pk,
        "one-to-one",
    )
    (record,) = whereabouts(world.realm, 4, mast.address, mast.address)["records"]
    assert [held["name"] for held in record["public"]] == [one.name]
    with pytest.raises(Refusal, match="stands for mast 10.40.64.5 one-to-one already"):
        world.do(attach_address, two.pk, record=mast.pk)
    with pytest.raises(Refusal, match="many-to-one translation needs a purpose"):
        world.do(attach_address, two.pk, record=mast.pk, how="many-to-one")
    world.do(attach_address, two.pk, record=mast.pk, how="many-to-one", purpose="all of the pier goes out by it")
    for stop in (
        lambda: world.do(release_address, mast.pk),
        lambda: world.do(give_back_subnet, home.pk, despite_use=True),
    ):
        with pytest.raises(Refusal, match="is attached to mast 10.40.64.5: detach it first"):
            stop()
    with pytest.raises(Refusal, match="is recorded in no subnet"):
        world.do(attach_address, two.pk, record="10.40.71.206", move=True)
    for held in (one, two):
        world.do(detach_address, held.pk)
    world.do(release_address, mast.pk)


# --- second family ---


@pytest.mark.parametrize("numbering", ["number", "tag"])
def test_one_subnet_then_the_rest_get_ipv6_and_later_requests_are_numbered_alike(world, holds, numbering):
    from lentra.registry.models import Subnet
    from lentra.registry.operations.subnets.add_family import add_second_family

    pool = world.pool("10.40.0.0/20", "fd46:40::/48")
    first, second = (world.ask(pool, length=28, tag=tag)[0] for tag in (20, 30))

    def six(subnet):
        return str(next(b for b in Subnet.objects.get(pk=subnet.pk).blocks() if b.family == 6))

    world.do(add_second_family, pool.pk, None, numbering, subnets=[second.name])
    assert [len(Subnet.objects.get(pk=s.pk).blocks()) for s in (first, second)] == [1, 2]
    world.do(add_second_family, pool.pk)
    pool.refresh_from_db()
    (third,) = world.ask(pool, length=28, families=[4, 6], tag=40)
    expected = {"number": [1, 0, 2], "tag": [20, 30, 40]}[numbering]
    assert [six(s) for s in (first, second, third)] == [
        f"fd46:40:0:{n:x}::/64" if n else "fd46:40::/64" for n in expected
    ]
    stranger = world.pool("10.41.0.0/20", name="strange")
    (elsewhere,) = world.ask(stranger, length=28)
    with pytest.raises(Refusal, match="is not in use in pool pool"):
        world.do(add_second_family, pool.pk, subnets=[elsewhere.pk])


def test_numbering_goes_along_with_its_range_and_ends_with_it(world, holds):
    from lentra.registry.models import LedgerEntry, Subnet
    from lentra.registry.operations.ledger.undo import undo
    from lentra.registry.operations.pools.add_pool import add_range
    from lentra.registry.operations.pools.change_range import change_range
    from lentra.registry.operations.pools.remove_range import remove_range
    from lentra.registry.operations.subnets.add_family import add_second_family
    from lentra.registry.operations.subnets.give_back import give_back_subnet

    def numbering():
        pool.refresh_from_db()
        return pool.numbering_v6, pool.numbering_within

    def six(**wanted):
        (subnet,) = world.ask(pool, length=28, families=[4, 6], **wanted)
        return str(subnet.blocks()[1])

    pool = world.pool("10.40.0.0/20", "fd46:40::/48", "fd46:50::/48")
    world.ask(pool, length=28, tag=7)
    world.do(add_second_family, pool.pk, P("fd46:50:0:10::/60"), "tag")
    assert six(tag=9) == "fd46:50:0:19::/64"
    assert six(tag=16) != "fd46:50:0:20::/64"  # a /60 has 16 numbers: it is placed as usual
    world.do(change_range, pool.pk, P("fd46:50::/48"), P("fd46:60::/48"), rebase=True)
    assert numbering() == ("tag", "fd46:60:0:10::/60")
    assert six(tag=3) == "fd46:60:0:13::/64"
    for subnet in Subnet.objects.filter(pool=pool):
        world.do(give_back_subnet, subnet.pk, at_once=True)
    world.do(remove_range, pool.pk, P("fd46:60::/48"))
    assert numbering() == ("", "")
    assert six(tag=3).startswith("fd46:40:")
    entry = LedgerEntry.objects.filter(subject=pool.pk, verb="remove range").latest("number")
    world.do(undo, entry.number)
    assert numbering() == ("tag", "fd46:60:0:10::/60")
    assert six(tag=4) == "fd46:60:0:14::/64"
    world.do(add_range, pool.pk, P("fd46:70::/48"))


def test_the_range_that_is_suggested_can_be_had(world):
    from lentra.registry.operations.pools.add_pool import add_range
    from lentra.registry.operations.subnets.add_family import add_second_family

    outer = world.pool("10.40.0.0/16", "fd46:40::/44", name="outer")
    inner = world.carve(outer, "10.40.64.0/24")
    alone = world.pool("10.41.0.0/24", name="alone")
    for pool in (inner, alone):
        with pytest.raises(Refusal) as refused:
            world.do(add_second_family, pool.pk)
        proposed = next(text for text in refused.value.suggestions if text.startswith("add to pool"))
        world.do(add_range, pool.pk, P(proposed.rpartition(": ")[2]))
        world.ask(pool, length=64, families=[6])


# --- coming back, departures ---


def test_who_gave_a_subnet_back_brings_it_back_and_nobody_else_but_planners(world):
    from lentra.registry.operations.subnets.bring_back import bring_back
    from lentra.registry.operations.subnets.give_back import give_back_subnet

    giver, other = (world.person("requester", [world.project]) for _ in range(2))
    pool = world.pool("10.40.0.0/20", cooling_days=5)
    (subnet,) = world.ask(pool, length=28)
    world.do(give_back_subnet, subnet.pk, actor=giver)
    with pytest.raises(NotAllowed, match=f"was given back by {giver.name}"):
        world.do(bring_back, subnet.pk, actor=other)
    world.do(bring_back, subnet.pk, actor=giver)
    subnet.refresh_from_db()
    assert subnet.state == "active"


def test_departures_are_put_right_or_taken_over_by_one_step_each(world, holds):
    from lentra.registry.models import Plan
    from lentra.registry.operations.plans.commit_plan import commit_plan
    from lentra.registry.operations.plans.settle_departure import settle_departure
    from lentra.registry.operations.subnets.edit_subnet import edit_subnet
    from lentra.registry.operations.subnets.give_back import give_back_subnet
    from lentra.registry.operations.subnets.grow import shrink_subnet
    from lentra.registry.operations.subnets.replace_subnet import replace_subnet
    from lentra.registry.plans.comparing import departures
    from lentra.registry.plans.reading import read_plan

    world.pool("10.40.0.0/20", cooling_days=5)
    text = (
        f"format: lentra-plan-1\nname: halls\nproject: {world.project.name}\nrealm: {world.realm.name}\n"
        f"pools: {{ipv4: pool}}\nzones: [{world.zone.name}]\n"
        f"tiers: [{{tier: {world.tier.name}, length: 26, count: 6, tag: 100, gateway: first}}]\n"
    )
    world.do(commit_plan, read_plan(text), text)
    plan = Plan.objects.get(realm=world.realm)
    slots = {s.plan_slot.rpartition("/")[2]: s for s in plan.subnets.all()}
    world.do(replace_subnet, slots["5"].pk, {})
    world.do(give_back_subnet, slots["1"].pk, despite_use=True)
    world.do(edit_subnet, slots["2"].pk, {"tag": 900})
    world.do(edit_subnet, slots["3"].pk, {"gateway": "last"})
    world.do(shrink_subnet, slots["4"].pk, length=27)
    world.do(give_back_subnet, slots["6"].pk, despite_use=True, at_once=True)

    def left():
        return {one.slot.rpartition("/")[2]: one for one in departures(Plan.objects.get(pk=plan.pk))}

    found = left()
    assert {n: one.kind for n, one in found.items()} == {
        "1": "cooling",
        "2": "tag",
        "3": "gateway",
        "4": "length",
        "5": "retiring",
        "6": "gone",
    }
    assert found["2"].step == f"give {slots['2'].name} tag 101"
    with pytest.raises(Refusal, match="commit the plan again, or take the departure over"):
        world.do(settle_departure, plan.pk, found["6"].slot, "put right")
    world.do(settle_departure, plan.pk, found["6"].slot, "take over")
    for n in "12345":
        world.do(settle_departure, plan.pk, found[n].slot, "put right")
    rest = {n: (one.kind, one.accepted) for n, one in left().items()}
    assert rest == {"5": ("tag", False), "6": ("gone", True)}  # the old one has its tag until it is given back
    world.do(give_back_subnet, slots["5"].pk, despite_use=True, at_once=True)
    world.do(settle_departure, plan.pk, found["5"].slot, "put right")
    world.do(commit_plan, read_plan(text), text)
    assert list(left()) == ["6"]  # what was taken over is not handed out again
    with pytest.raises(Refusal, match="has not departed"):
        world.do(settle_departure, plan.pk, found["1"].slot, "put right")


# --- sizing against what is there ---


def test_a_cluster_tells_all_that_its_ranges_clash_with_at_once(world):
    from lentra.addressing.clusters import ClusterNeed
    from lentra.registry.operations.subnets.set_up_cluster import ClusterRequest, set_up_cluster

    pool = world.pool("10.40.0.0/16")
    world.ask(pool, prefix="10.40.8.0/24")
    world.keep_out("10.46.0.0/16", reason="the yard")
    wanted = {
        "name": "berth",
        "pool": pool.pk,
        "project": world.project.name,
        "tier": world.tier.name,
        "zone": world.zone.name,
    }
    need = ClusterNeed(3)
    ranges = {"service_range": P("10.40.8.0/22"), "bridge_range": P("10.46.4.0/24")}
    with pytest.raises(Refusal) as refused:
        world.do(set_up_cluster, ClusterRequest(**wanted, need=need, **ranges))
    assert {one["field"] for one in refused.value.conflicts} == {"service_range", "bridge_range"}
    words = notes(world, set_up_cluster, ClusterRequest(**wanted, need=need, service_range=P("10.40.12.0/22")))
    assert "lies in pool pool itself, from which the network takes its subnets" in words


@given(
    st.integers(0, 8),
    st.lists(st.tuples(st.integers(0, 255), st.integers(0, 255)).map(sorted), max_size=12),
    st.integers(1, 300),
)
def test_the_parts_that_spans_take_are_counted_and_told(bits, spans, most):
    from lentra.addressing.packing import split_to_length

    split = split_to_length(P("10.40.64.0/24"), 24 + bits)
    taken = [
        (split.block.first + first, split.block.first + last, n) for n, (first, last) in enumerate(sorted(spans))
    ]
    meeting = [
        [n for first, last, n in taken if first <= part.last and last >= part.first] for part in split.parts()
    ]
    count, takers = split.taken(iter(taken), most)
    assert count == sum(map(bool, meeting))
    assert takers == {n: meets[0] for n, meets in enumerate(meeting[:most]) if meets}


def test_what_is_free_among_very_many_blocks_is_all_that_is_free(world):
    from lentra.registry.reports.free_space import free_in, in_words, taken_spans

    pool = world.pool("10.40.64.0/18")
    subnets = [subnet for _ in range(5) for subnet in world.ask(pool, length=29, count=205)]
    block = P("10.40.64.0/18")
    taken = {subnet.blocks()[0]: subnet.name for subnet in subnets}
    assert sum(prefix.size for prefix in free_in(world.realm, block)) == block.size - len(taken) * 8
    spans = list(taken_spans(world.realm, block))
    words = in_words(taker for *_, taker in spans)
    assert [(first, words[taker]) for first, _, taker in spans] == [
        (prefix.first, name) for prefix, name in sorted(taken.items())
    ]
    inner = max(taken)
    ((first, last, taker),) = taken_spans(world.realm, inner.child(31, 1))  # inside a block, it is that one's
    assert (last - first, in_words([taker])[taker]) == (1, taken[inner])


def test_needs_are_packed_into_what_is_free_and_become_a_plan(world, holds):
    from lentra.addressing.packing import pack
    from lentra.registry.operations.plans.commit_plan import commit_plan
    from lentra.registry.plans.drafting import draft_plan
    from lentra.registry.plans.reading import read_plan
    from lentra.registry.reports.free_space import free_in

    pool = world.pool("10.40.64.0/24")
    world.ask(pool, prefix="10.40.64.64/26")
    world.keep_out("10.40.65.0/25")
    block = P("10.40.64.0/23")
    free = free_in(world.realm, block)
    assert [str(prefix) for prefix in free] == ["10.40.64.0/26", "10.40.64.128/25", "10.40.65.128/25"]
    needs = [{"name": world.tier.name, "length": 26}, {"name": "rota", "hosts": 20, "growth": 20}]
    packed = pack(block, [("app", 26), ("rota", 27), ("wide", 25)], free)
    assert {one.key: str(one.block) for one in packed.placed} == {
        "wide": "10.40.64.128/25",
        "app": "10.40.64.0/26",
        "rota": "10.40.65.128/27",
    }
    with pytest.raises(Refusal, match="no place is left for wide .*") as refused:
        pack(block, [("wide", 24), ("app", 26)], free)
    assert refused.value.conflicts[0]["range"] == "wide"
    with pytest.raises(Refusal, match="there is no tier 'rota'"):
        draft_plan(needs, world.project, pool, [world.zone])
    text = draft_plan(needs, world.project, pool, [world.zone], world.tier)
    world.do(commit_plan, read_plan(text), text)
    assert sorted(s.blocks()[0].length for s in world.project.subnets.all()) == [26, 26, 27]
