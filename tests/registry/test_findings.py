"""Surveys and findings: what differs, in a sentence; opened and closed by itself; dismissed, taken over."""

from __future__ import annotations

from datetime import timedelta

import pytest

from lentra.addressing.prefix import parse_address, parse_range
from lentra.addressing.refusal import Refusal
from lentra.registry.errors import Invalid, NotAllowed, WrongState


@pytest.fixture
def reality(world):
    """A source of the world's realm: takes surveys, and tells the findings."""
    from lentra.registry.models import Finding, Source
    from lentra.registry.operations.findings.take_survey import Seen, take_survey
    from lentra.registry.operations.setup.add_record import add_record

    class Reality:
        def source(self, name="walk", **values):
            values = {"name": f"{name}-{world.realm_name}", "realm": world.realm, **values}
            world.do(add_record, "source", values)
            return Source.objects.get(name=values["name"])

        def seen(self, text, **facts):
            if "/" in text or "-" in text:
                return Seen(*parse_range(text), False, facts)
            family, address = parse_address(text)
            return Seen(family, address, address, True, facts)

        def survey(self, source, *seen, at=None):
            sightings = [one if isinstance(one, Seen) else self.seen(one) for one in seen]
            world.do(take_survey, source.pk, sightings, at or world.clock.now())

        def told(self, **of):
            rows = Finding.objects.filter(realm=world.realm, **({"state": "open"} | of)).order_by("pk")
            return [(one.kind, one.range_text, one.fact) for one in rows]

        def one(self, **of):
            return Finding.objects.get(realm=world.realm, **of)

    return Reality()


def test_what_is_in_use_and_not_recorded_is_a_stray_until_it_is(world, reality, holds):
    from lentra.registry.operations.subnets.give_back import give_back_subnet

    pool = world.pool("10.40.64.0/20")
    source = reality.source()
    reality.survey(source, "10.40.64.0/26", "10.40.65.7", "192.0.2.9")
    assert reality.told() == [
        ("stray", "10.40.64.0/26", ""),
        ("stray", "10.40.65.7", ""),
    ]  # 192.0.2.0/24 is kept out
    (subnet,) = world.ask(pool, prefix="10.40.64.0/26", despite_unsure=True)
    world.later(days=1)
    reality.survey(source, "10.40.64.0/26", "10.40.65.7")
    assert reality.told() == [("stray", "10.40.65.7", "")]
    assert reality.one(kind="stray", state="closed").closed_at == world.clock.now()
    world.later(days=1)
    reality.survey(source, "10.40.64.0/26")
    assert reality.told() == []
    world.later(days=1)
    reality.survey(source, "10.40.64.0/26", "10.40.65.7")
    assert len(reality.told(state="closed")) == 2  # what comes again is opened anew, and its history stays
    assert reality.told() == [("stray", "10.40.65.7", "")]
    world.do(give_back_subnet, subnet.pk)
    reality.survey(source, "10.40.64.0/26")
    assert "was given back" in reality.one(state="open").text
    holds()


def test_a_subnet_that_is_another_where_it_was_seen_differs_fact_by_fact(world, reality):
    pool = world.pool("10.40.64.0/20")
    (subnet,) = world.ask(pool, length=26, gateway="first")
    (other,) = world.ask(pool, length=26)
    block = str(subnet.blocks()[0])
    one, two = reality.source("one"), reality.source("two")
    reality.survey(one, reality.seen(block, tag="77", zone="elsewhere", gateway="10.40.64.1"))
    assert reality.told() == [("differs", block, "zone"), ("differs", block, "tag")]
    reality.survey(two, reality.seen(block, tag="78"))
    tag = reality.one(fact="tag", state="open")
    assert sorted((seen["source"], seen["value"]) for seen in tag.seen) == [(one.name, "77"), (two.name, "78")]
    assert "tag of" in tag.text
    assert (tag.subnet, tag.project_name) == (subnet.pk, subnet.project.name)
    reality.survey(one, "10.40.64.0/25")
    reality.survey(two, "10.40.64.64/27")
    told = reality.told()
    assert told == [("differs", "10.40.64.0/25", "prefix"), ("differs", "10.40.64.64/27", "prefix")]
    assert (
        f"has {subnet.name}, {other.name}" in reality.one(state="open", last=parse_range("10.40.64.0/25")[2]).text
    )
    reality.survey(one, "10.40.64.32-10.40.64.80")
    assert "goes across the bounds of" in reality.one(state="open", first=parse_address("10.40.64.32")[1]).text


def test_addresses_are_held_against_their_records(world, reality):
    from lentra.registry.operations.subnets.record_addresses import AddressRequest, record_addresses

    (bare,) = world.ask(pool := world.pool("10.40.64.0/20"), length=26)
    (kept,) = world.ask(pool, length=26)
    world.do(record_addresses, kept.pk, AddressRequest("cam-1", "10.40.64.70", mac="02:00:00:00:00:01"))
    source, second = reality.source(), reality.source("second")
    reality.survey(
        source,
        "10.40.64.7",  # of a subnet that keeps no records: seen, and nothing is missing
        "10.40.64.71",
        reality.seen("10.40.64.70", name="cam-9", mac="02:00:00:00:00:01"),
    )
    assert reality.told() == [("differs", "10.40.64.70", "name"), ("stray", "10.40.64.71", "")]
    reality.survey(second, reality.seen("10.40.64.70", mac="02:00:00:00:00:02"))
    assert ("clash", "10.40.64.70", "mac") in reality.told()
    assert bare.pk not in {one.subnet for one in (reality.one(kind="clash"), reality.one(kind="stray"))}


def test_a_network_of_one_address_and_the_address_are_two_sightings(world, reality):
    from lentra.registry.operations.subnets.grow import set_room

    pool = world.pool("10.40.64.0/20")
    (subnet,) = world.ask(pool, prefix="10.40.64.0/27")
    world.do(set_room, subnet.pk, 1)
    source = reality.source()
    reality.survey(source, reality.seen("10.40.64.9", name="gate"), "10.40.64.9/32", "10.40.64.40")
    assert sorted(reality.told()) == [("differs", "10.40.64.9", "prefix"), ("stray", "10.40.64.40", "")]
    assert "the room that" in reality.one(kind="stray").text


def test_what_nobody_sees_is_silent_where_somebody_would(world, reality):
    from lentra.registry.models import LedgerEntry

    pool = world.pool("10.40.64.0/20")
    (quiet,) = world.ask(pool, length=26)
    (loud,) = world.ask(pool, length=26)
    blind = reality.source("blind")
    world.later(days=1)
    reality.survey(blind, "10.40.64.70")
    assert reality.told() == []
    source = reality.source(covers=["10.40.64.0/24"])
    reality.survey(source, "10.40.64.70")
    assert reality.told() == [("silent", str(quiet.blocks()[0]), "")]
    world.later(hours=5)
    (late,) = world.ask(pool, length=26)
    reality.survey(source, "10.40.64.70", "10.40.64.7", at=world.clock.now() - timedelta(hours=4))
    assert reality.told() == [], late.name  # it was handed out since the source looked
    entries = LedgerEntry.objects.filter(kind="finding").count()
    reality.survey(source, "10.40.64.70", "10.40.64.7")
    assert LedgerEntry.objects.filter(kind="finding").count() == entries  # nothing is new
    world.later(days=31)  # what was seen is no longer good
    reality.survey(blind, "10.40.64.129")
    assert reality.told() == []  # nobody tells any more, so nothing is silent
    reality.survey(source, "10.40.64.70")
    assert [told[1] for told in reality.told()] == [str(quiet.blocks()[0])], (loud.name, late.name)


def test_a_difference_that_stays_is_dismissed_until_a_day(world, reality):
    from lentra.registry.operations.findings.settle_finding import dismiss_findings, reopen_findings

    world.pool("10.40.64.0/20")
    source = reality.source()
    reality.survey(source, "10.40.64.7")
    finding = reality.one(state="open")
    with pytest.raises(Invalid, match="a reason is needed"):
        world.do(dismiss_findings, [finding.pk], " ")
    world.do(dismiss_findings, [finding.pk], "a trial", world.clock.now().date() + timedelta(days=2))
    reality.survey(source, "10.40.64.7")
    assert reality.told() == []
    world.later(days=3)
    reality.survey(source, "10.40.64.7")
    assert reality.told() == [("stray", "10.40.64.7", "")]
    world.do(dismiss_findings, [finding.pk], "a trial")
    world.do(reopen_findings, [finding.pk])
    world.later(days=1)
    reality.survey(source, "10.40.64.8")
    with pytest.raises(WrongState, match="its difference is gone"):
        world.do(dismiss_findings, [finding.pk], "late")


def test_a_stray_becomes_a_keep_out_or_an_address_record(world, reality, holds):
    from lentra.registry.models import Address, KeepOut
    from lentra.registry.operations.findings.become import TakeOver
    from lentra.registry.operations.findings.settle_finding import take_over
    from lentra.registry.operations.subnets.record_addresses import AddressRequest, record_addresses

    pool = world.pool("10.40.64.0/20")
    (subnet,) = world.ask(pool, length=26)
    world.do(record_addresses, subnet.pk, AddressRequest("cam-1"))
    source = reality.source()
    reality.survey(source, "10.40.66.0/24", "10.40.64.50")
    free, inside = (
        reality.one(first=parse_address("10.40.66.0")[1]),
        reality.one(first=parse_address("10.40.64.50")[1]),
    )
    with pytest.raises(Invalid, match="lies in a subnet"):
        world.do(take_over, [free.pk], TakeOver("address-record"))
    world.do(take_over, [free.pk], TakeOver("keep-out"))
    made = KeepOut.objects.get(realm=world.realm, first=free.first)
    assert (made.certainty, made.source) == ("likely", source.name)
    world.do(take_over, [inside.pk], TakeOver("address-record", "cam-2"))
    assert Address.objects.get(subnet=subnet, address=inside.first).name == "cam-2"
    assert reality.told() == []
    holds()


def test_surveys_of_one_realm_at_once_see_one_another(world, reality):
    from concurrent.futures import ThreadPoolExecutor

    from django.db import connection

    world.ask(world.pool("10.40.64.0/20"), length=26)
    sources = [reality.source(f"walk-{n}") for n in range(4)]

    def survey(n):
        try:
            reality.survey(sources[n], reality.seen("10.40.64.9", mac=f"02:00:00:00:00:0{n}"), "10.40.66.7")
        finally:
            connection.close()

    with ThreadPoolExecutor(4) as threads:
        list(threads.map(survey, range(4)))
    assert sorted(reality.told()) == [("clash", "10.40.64.9", "mac"), ("stray", "10.40.66.7", "")]
    assert {one["source"] for one in reality.one(kind="clash").seen} == {source.name for source in sources}
    assert len(reality.one(kind="stray").seen) == 4


def test_a_survey_that_cannot_be_right_changes_nothing(world, reality):
    from lentra.registry.operations.findings.take_survey import take_survey

    world.pool("10.40.64.0/20")
    source = reality.source()
    reality.survey(source, "10.40.64.7")
    for wrong, why in (((), "has seen nothing has failed"), (("10.40.64.8", "10.40.64.8"), "comes twice")):
        with pytest.raises(Invalid, match=why):
            reality.survey(source, *wrong)
    for at, why in ((timedelta(days=1), "lies ahead"), (timedelta(days=-1), "before the last one")):
        with pytest.raises(Invalid, match=why):
            reality.survey(source, "10.40.64.9", at=world.clock.now() + at)
    with pytest.raises(Refusal, match="is not a prefix"):
        reality.source("wrong", covers=["10.40.64"])
    viewer, wanted = world.person("viewer"), [reality.seen("10.40.64.9")]
    with pytest.raises(NotAllowed):
        world.do(take_survey, source.pk, wanted, world.clock.now(), actor=viewer)
    assert reality.told() == [("stray", "10.40.64.7", "")]


def test_findings_are_the_same_whatever_came_before_and_in_whatever_order(world, reality):
    """Judged step by step, with subnets that come and go, a realm has the findings of one that is judged at once."""
    import random

    from lentra.registry.models import Finding, Source
    from lentra.registry.operations.findings.judge import judge, lock_sources
    from lentra.registry.operations.subnets.give_back import give_back_subnet

    chance = random.Random(world.realm_name)
    pool = world.pool("10.40.64.0/24", "fd00:40::/48", cooling_days=0, keeps_out_seen=False)
    world.keep_out("10.40.64.224/27")
    sources = [reality.source(f"walk-{n}", covers=["10.40.64.0/25"][: n + 1]) for n in range(2)]
    places = [f"10.40.64.{16 * n}/28" for n in range(16)] + [f"10.40.64.{n}" for n in range(0, 256, 8)]
    places += ["10.40.64.0/26", "10.40.64.8-10.40.64.40", "fd00:40:1::/64", "fd00:40:2::7"]
    subnets: list = []
    for _ in range(12):
        world.later(hours=1)
        if subnets and chance.random() < 0.3:
            world.do(give_back_subnet, subnets.pop(chance.randrange(len(subnets))).pk)
        elif len(subnets) < 6:
            subnets += world.ask(pool, length=28)
        facts = {"tag": str(chance.randrange(1, 4)), "name": "quay"}
        seen = [reality.seen(text, **facts) for text in chance.sample(places, 12)]
        reality.survey(chance.choice(sources), *seen)

    def told():
        rows = Finding.objects.filter(realm=world.realm).exclude(living=None)
        return sorted((one.kind, one.range_text, one.fact, one.text, str(one.seen)) for one in rows)

    def anew(change):
        lock_sources(realm=world.realm)
        return judge(change, world.realm)

    world.do(anew)
    step_by_step = told()
    assert step_by_step
    assert Source.objects.filter(realm=world.realm).count() == 2
    Finding.objects.filter(realm=world.realm).delete()
    world.do(anew)
    assert told() == step_by_step
    world.do(anew)
    assert told() == step_by_step


def test_what_is_kept_out_or_reserved_is_expected_there_in_both_families(world, reality):
    from lentra.registry.operations.reservations.reserve import ReservationRequest, reserve

    pool = world.pool("10.40.64.0/24", "fd00:40::/48")
    world.keep_out("10.40.64.0/27")
    world.do(reserve, ReservationRequest(pool=pool.pk, length=27, reason="balancers", projects=[world.project]))
    source = reality.source()
    reality.survey(source, "10.40.64.0/28", "10.40.64.40", "10.40.64.100", "fd00:40::/64", "fd00:40::9")
    assert [told[1] for told in reality.told()] == ["10.40.64.100", "fd00:40::/64"]
    (subnet,) = world.ask(pool, length=64, families=[6])
    reality.survey(source, str(subnet.blocks()[0]), "10.40.64.16-10.40.64.40")
    assert reality.told() == []  # half kept out and half reserved
