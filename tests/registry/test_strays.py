"""What is seen in free space is not handed out; strays become what they are to be, one by one, together, by rules."""

from __future__ import annotations

from datetime import timedelta

import pytest

from lentra.addressing.prefix import parse_address
from lentra.addressing.refusal import Exhausted, KeptOut, Refusal
from lentra.registry.errors import Invalid, WrongState
from tests.registry.test_findings import reality  # noqa: F401


def test_what_was_seen_in_free_space_is_kept_out_until_it_is_settled(world, reality, holds):  # noqa: F811
    from lentra.registry.models import KeepOut
    from lentra.registry.operations.findings.settle_finding import dismiss_findings, reopen_findings
    from lentra.registry.operations.pools.add_keep_out import remove_keep_out

    pool = world.pool("10.40.64.0/24")
    source = reality.source()
    reality.survey(source, "10.40.64.0/25", "10.40.64.130", "192.168.7.0/24")

    def kept():
        return [
            k.range_text
            for k in KeepOut.objects.filter(realm=world.realm).exclude(finding_id=None).order_by("first")
        ]

    assert kept() == ["10.40.64.0/25", "10.40.64.130/32"]  # what is in no pool is nobody's to hand out
    with pytest.raises(Exhausted):
        world.ask(pool, length=25)
    with pytest.raises(KeptOut, match="likely to be used elsewhere"):
        world.ask(pool, prefix="10.40.64.64/27")
    holds()
    made = KeepOut.objects.exclude(finding_id=None).filter(realm=world.realm).first()
    with pytest.raises(WrongState, match="dismiss finding"):
        world.do(remove_keep_out, made, why="a mistake")
    stray = reality.one(first=parse_address("10.40.64.0")[1])
    world.do(dismiss_findings, [stray.pk], "a laboratory's")
    assert kept() == ["10.40.64.130/32"]
    world.do(reopen_findings, [stray.pk])
    assert kept() == ["10.40.64.0/25", "10.40.64.130/32"]
    world.later(hours=1)
    reality.survey(source, "10.40.64.130")
    assert kept() == ["10.40.64.130/32"]  # gone, and so is what it kept out
    assert world.ask(pool, length=25)[0].blocks()[0].first == stray.first
    holds()


def test_a_pool_hands_out_what_was_seen_where_that_is_wanted(world, reality, holds):  # noqa: F811
    from lentra.registry.models import KeepOut

    outer = world.pool("10.40.64.0/20")
    world.carve(outer, "10.40.64.0/24", name="free-for-all", keeps_out_seen=False)
    source = reality.source()
    reality.survey(source, "10.40.64.0/26", "10.40.65.0/26")
    kept = KeepOut.objects.filter(realm=world.realm).exclude(finding_id=None)
    assert [k.range_text for k in kept] == ["10.40.65.0/26"]
    holds()


def test_a_stray_becomes_a_subnet_or_a_reservation_as_it_was_seen(world, reality, holds):  # noqa: F811
    from lentra.registry.models import KeepOut, Reservation, Subnet
    from lentra.registry.operations.findings.become import TakeOver
    from lentra.registry.operations.findings.settle_finding import take_over

    world.pool("10.40.64.0/20")
    source = reality.source()
    reality.survey(
        source,
        reality.seen("10.40.64.0/26", name="Quay-Hall", zone=world.zone.name, project=world.project.name),
        "10.40.65.0-10.40.65.95",
        "10.40.66.0/27",
    )
    hall, odd, kept = (reality.one(first=parse_address(f"10.40.{n}.0")[1]) for n in (64, 65, 66))
    with pytest.raises(Invalid, match="has a tier"):
        world.do(take_over, [hall.pk], TakeOver("subnet"))
    with pytest.raises(Invalid, match="is no prefix"):
        world.do(take_over, [odd.pk], TakeOver("subnet", project=world.project.name, tier=world.tier.name))
    world.do(take_over, [hall.pk], TakeOver("subnet", tier=world.tier.name))
    assert "10.40.64.0/26" not in [told[1] for told in reality.told()]
    assert not KeepOut.objects.filter(realm=world.realm, finding_id=hall.pk).exists()
    made = Subnet.objects.get(realm=world.realm, name="quay-hall")
    assert (str(made.blocks()[0]), made.zone, made.project) == ("10.40.64.0/26", world.zone, world.project)
    world.do(take_over, [odd.pk], TakeOver("reservation", name="odd-one"))
    assert Reservation.objects.get(realm=world.realm, name="odd-one").range_text == "10.40.65.0-10.40.65.95"
    assert reality.told() == [("stray", "10.40.66.0/27", "")]
    elsewhere = world.do(take_over, [kept.pk], TakeOver("reservation", reason="builders"))
    assert elsewhere is None or reality.told() == []
    holds()


def test_several_findings_are_settled_together_or_not_at_all(world, reality):  # noqa: F811
    from lentra.registry.models import Finding, KeepOut
    from lentra.registry.operations.findings.become import TakeOver
    from lentra.registry.operations.findings.settle_finding import assign_findings, take_over

    (subnet,) = world.ask(world.pool("10.40.64.0/20"), length=26, tag=12)
    source = reality.source()
    block = str(subnet.blocks()[0])
    reality.survey(source, reality.seen(block, tag="13"), "10.40.66.0/26", "10.40.67.0/26")
    differs, *strays = Finding.objects.filter(realm=world.realm, state="open").order_by("pk")

    def together(change, findings):
        return take_over(change, findings, TakeOver("keep-out"))

    with pytest.raises(Refusal, match=f"finding {differs.pk}: .*correct what is recorded") as refused:
        world.do(together, [strays[0].pk, differs.pk])
    assert refused.value.field == "findings.1"
    assert KeepOut.objects.filter(realm=world.realm, finding_id=None).exclude(kind="special").count() == 0
    with pytest.raises(Invalid, match="each once"):
        world.do(together, [strays[0].pk, strays[0].pk])
    world.do(together, [stray.pk for stray in strays])
    assert reality.told() == [("differs", block, "tag")]

    person, day = world.person("requester"), world.clock.now().date() + timedelta(days=3)
    with pytest.raises(Invalid, match="has passed"):
        world.do(assign_findings, [differs.pk], person, day - timedelta(days=9))
    world.do(assign_findings, [differs.pk], person, day)
    reality.survey(source, reality.seen(block, tag="14"))
    finding = reality.one(pk=differs.pk)
    assert (finding.assignee_name, finding.due, finding.state) == (person.name, day, "open")
    world.do(assign_findings, [differs.pk], None)
    assert reality.one(pk=differs.pk).assignee is None


def test_a_rule_takes_over_what_it_speaks_of_and_nothing_else(world, reality, holds):  # noqa: F811
    from lentra.registry.models import Address
    from lentra.registry.operations.setup.add_record import add_record
    from lentra.registry.operations.setup.remove_record import remove_record
    from lentra.registry.operations.subnets.record_addresses import AddressRequest, record_addresses

    (subnet,) = world.ask(world.pool("10.40.64.0/20"), length=26)
    world.do(record_addresses, subnet.pk, AddressRequest("cam-1", "10.40.64.10"))
    trusted, other = reality.source("trusted"), reality.source("other")
    with pytest.raises(Invalid, match="say whose"):
        world.do(add_record, "taking rule", {"name": f"all-{world.realm_name}", "realm": world.realm})
    rule = {"name": f"crew-{world.realm_name}", "realm": world.realm, "source": trusted, "project": subnet.project}
    world.do(add_record, "taking rule", rule)
    with pytest.raises(Refusal, match="taking rule|uses it|in use"):
        world.do(remove_record, "source", trusted.pk)
    reality.survey(other, "10.40.64.20")
    assert reality.told() == [("stray", "10.40.64.20", "")]
    reality.survey(trusted, reality.seen("10.40.64.21", name="cam-2", mac="02:00:00:00:00:02"), "10.40.66.0/26",
                   "10.40.64.10", "10.40.64.63")  # fmt: skip
    there = {a.text: (a.name, a.mac) for a in Address.objects.filter(subnet=subnet)}
    assert there["10.40.64.21"] == ("cam-2", "02:00:00:00:00:02")
    assert sorted(told[1] for told in reality.told()) == [
        "10.40.64.20",
        "10.40.64.63",
        "10.40.66.0/26",
    ]  # .63 is withheld
    holds()


def test_what_is_recorded_is_corrected_to_what_was_seen(world, reality):  # noqa: F811
    from lentra.registry.models import Address, Subnet
    from lentra.registry.operations.findings.correct_finding import correct_findings
    from lentra.registry.operations.subnets.record_addresses import AddressRequest, record_addresses

    pool = world.pool("10.40.64.0/20")
    (subnet,) = world.ask(pool, length=26, tag=12, gateway="first")
    world.do(record_addresses, subnet.pk, AddressRequest("cam-1", "10.40.64.20", mac="02:00:00:00:00:01"))
    one, two, block = reality.source("one"), reality.source("two"), str(subnet.blocks()[0])
    wrong = {
        "tag": "13",
        "gateway": "10.40.64.62",
        "dhcp": "10.40.64.32-10.40.64.47",
        "zone": "elsewhere",
        "reach": "outside",
    }
    address = reality.seen("10.40.64.20", name="cam-7", mac="02:00:00:00:00:07")
    reality.survey(one, reality.seen(block, **wrong), address, "10.40.66.0/26")
    reality.survey(two, reality.seen(block, tag="14"))
    facts = {
        f: reality.one(fact=f, state="open").pk for f in ("tag", "gateway", "dhcp", "zone", "reach", "name", "mac")
    }
    with pytest.raises(Invalid, match="contradict each other: 13, 14"):
        world.do(correct_findings, [facts["tag"]])
    world.do(correct_findings, [facts["tag"]], two.name)
    assert "tag" in {told[2] for told in reality.told()}  # the other one still says otherwise
    reality.survey(one, reality.seen(block, **wrong | {"tag": "14"}), address)
    with pytest.raises(WrongState, match="replace the subnet by one in that zone"):
        world.do(correct_findings, [facts["zone"]])
    for fact in ("gateway", "dhcp", "reach", "name", "mac"):
        world.do(correct_findings, [facts[fact]])
    made, record = Subnet.objects.get(pk=subnet.pk), Address.objects.get(subnet=subnet)
    assert (made.tag, made.gateway, made.dhcp, made.exposure) == (14, "10.40.64.62", wrong["dhcp"], "public")
    assert (record.name, record.mac) == ("cam-7", "02:00:00:00:00:07")
    assert [told[2] for told in reality.told()] == ["zone"]
    world.later(hours=1)
    reality.survey(one, "10.40.66.0/26")
    with pytest.raises(WrongState, match="nothing to set"):
        world.do(correct_findings, [reality.one(kind="stray", state="open").pk])
