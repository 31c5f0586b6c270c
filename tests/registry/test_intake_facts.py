"""What rows say besides their range: both families, room, reservations, DHCP, tags, quotas, limits; and what comes of it."""

from __future__ import annotations

import pytest

from lentra.addressing.refusal import Refusal
from tests.registry.test_intakes import Intakes


@pytest.fixture
def intakes(world):
    return Intakes(world)


@pytest.fixture
def who(world):
    """What each row says of whose and where it is."""
    return {"set": {"project": world.project.name, "zone": world.zone.name, "tier": world.tier.name}}


def made(world, name):
    from lentra.registry.models import Subnet

    return Subnet.objects.prefetch_related("extents").get(realm=world.realm, name=name)


def committed(intakes, lines, **options):
    done = intakes.commit(intakes.look(lines, **options))
    assert done.intake.state == "committed", (done.fault, intakes.told(done))
    return done


def test_a_row_may_have_both_families_out_of_two_pools_and_room_behind_it(world, intakes, who, holds):
    world.pool("10.52.0.0/20", name="v4")
    world.pool("fd52::/48", name="v6")
    world.keep_out("10.52.15.0/24")
    lines = ["Prefix,Name,Room", "10.52.1.0/26,wide,2", "10.52.2.0/27 fd52:0:0:7::/64,two,", "10.52.15.0/26,kept,"]
    work = intakes.look(lines, **who)
    assert {n: outcome for n, (outcome, _) in intakes.told(work).items()} == {2: "new", 3: "new", 4: "refused"}
    done = intakes.commit(work, good_rows=True)
    assert done.intake.made == {"new": 2}
    wide, two = made(world, "wide"), made(world, "two")
    assert [str(piece) for piece in wide.room()] == ["10.52.1.64/26", "10.52.1.128/25"]
    assert [str(block) for block in two.blocks()] == ["10.52.2.0/27", "fd52:0:0:7::/64"]
    assert intakes.look(lines[:3], **who).counts == {"same": 2}
    narrower = intakes.look(["Prefix,Name,Room", "10.52.1.0/26,wide,2", "10.52.2.32/27,mid,1"], **who)
    assert "cannot keep 1 doublings behind it" in intakes.told(narrower)[3][1]
    assert intakes.told(narrower)[2][0] == "same"
    holds()


def test_what_is_drawn_from_a_reservation_makes_it_smaller_until_it_is_used_up(world, intakes, who, holds):
    from lentra.registry.models import Reservation
    from lentra.registry.operations.reservations.reserve import ReservationRequest, reserve

    pool = world.pool("10.52.0.0/20")
    wanted = ReservationRequest(
        pool=pool.pk, name="gates", range=(4, 0x0A340400, 0x0A34047F), reason="gates", projects=[world.project]
    )
    world.do(reserve, wanted)
    lines = ["Prefix,Name,Reservation", "10.52.4.0/26,g-a,gates", "10.52.4.64/27,g-b,", "10.52.5.0/26,g-c,gates"]
    told = intakes.told(intakes.look(lines, **who))
    assert told[2][0] == "new"
    assert "10.52.4.0/25 is reserved" in told[3][1]
    assert told[4][0] == "new"  # free anyway
    committed(intakes, lines[:2], **who)
    assert made(world, "g-a").drawn_from.name == "gates"
    assert [str(prefix) for prefix in Reservation.objects.get(realm=world.realm).left()] == ["10.52.4.64/26"]
    holds()
    committed(intakes, [lines[0], "10.52.4.64/26,g-d,gates"], **who)
    assert not Reservation.objects.filter(realm=world.realm).exists()
    holds()
    nowhere = intakes.told(intakes.look([lines[0], "10.52.6.0/26,g-e,lost"], **who))
    assert f"no reservation '{world.realm_name}:lost'" in nowhere[2][1]


def test_dhcp_hosts_and_name_servers_are_checked_as_in_an_edit(world, intakes, who, holds):
    world.pool("10.52.0.0/20")
    head = "Prefix,Name,Hosts,Growth,Gateway,DHCP range,DHCP exclusions,DNS servers,Domain"
    lines = [
        head,
        "10.52.1.0/24,good,60,50,first,10.52.1.32-10.52.1.95,10.52.1.40-10.52.1.43,"
        '"192.0.2.1, 192.0.2.2",roster.ferry.example',
        "10.52.2.0/24,outside,,,,10.52.9.1-10.52.9.4,,,",
        "10.52.3.0/26,many,90,,,,,,",
        "10.52.4.0/24,gate,,,10.52.5.1,,,,",
        "10.52.5.0/24,domain,,,,,,,-no-domain-",
        "10.52.6.0/24,server,,,,,,nobody,",
        "10.52.7.0/24,number,sixty,,,,,,",
    ]
    work = intakes.look(lines, **who)
    told = intakes.told(work)
    for number, words in {
        3: "outside 10.52.2.0/24",
        4: "has 62 usable ones",
        5: "10.52.5.1",
        6: "is not a valid domain name",
        7: "nobody",
        8: "'sixty' is not a whole number",
    }.items():
        assert told[number][0] == "refused", (number, told)
        assert words in told[number][1], (number, told[number])
    intakes.commit(work, good_rows=True)
    good = made(world, "good")
    assert (good.dhcp, good.dhcp_excluded) == ("10.52.1.32-10.52.1.95", "10.52.1.40-10.52.1.43")
    assert (good.gateway, good.growth, good.name_servers) == ("first", 50, ["192.0.2.1", "192.0.2.2"])
    assert intakes.look(lines[:2], **who).counts == {"same": 1}
    differs = intakes.look([head, "10.52.1.0/24,good,70,50,last,,,,"], **who)
    assert differs.intake.rows.get().told["differs"] == {"hosts": ["60", "70"], "gateway": ["first", "last"]}
    holds()


def test_tags_names_and_places_follow_the_rules_in_force(world, intakes, who, holds):
    world.pool("10.52.0.0/20", name="tagged", sheet="two-and-two")
    lines = ["Prefix,Name,Tag", "10.52.1.0/25,,100", "10.52.2.0/25,,next", "10.52.3.0/25,,", "10.52.4.0/25,,none"]
    told = intakes.told(intakes.look(lines, **who))
    assert "wants a segment tag" in told[5][1]
    committed(intakes, lines[:4], **who)
    from lentra.registry.models import Subnet

    found = {
        str(s.blocks()[0]): s.tag for s in Subnet.objects.filter(realm=world.realm).prefetch_related("extents")
    }
    assert found == {"10.52.1.0/25": 100, "10.52.2.0/25": 101, "10.52.3.0/25": 102}
    names = sorted(Subnet.objects.filter(realm=world.realm).values_list("name", flat=True))
    assert [name[-2:] for name in names] == ["01", "02", "03"]
    far = intakes.look(["Prefix,Tag,Region", "10.52.5.0/25,200,elsewhere"], **who)
    assert "there is no region 'elsewhere'" in intakes.told(far)[2][1]
    cold = intakes.look(["Prefix,Tag,Status", "10.52.6.0/25,200,cooling"], **who)
    assert "only what is in use is brought in" in intakes.told(cold)[2][1]
    odd = intakes.look(["Prefix,Tag,Labels", "10.52.7.0/25,200,no label"], **who)
    assert "is not a label" in intakes.told(odd)[2][1]
    holds()


def test_quotas_and_limits_of_zones_hold_for_all_rows_together(world, intakes, who, holds):
    from lentra.registry.operations.setup.edit_record import edit_record

    world.pool("10.52.0.0/20")
    world.do(edit_record, "region", world.region.pk, {"zones_per_project": 1})
    lines = ["Prefix,Name,Site", f"10.52.1.0/24,a,{world.zone.name}", "10.52.2.0/24,b,pier-two"]
    fixed = {"project": world.project.name, "tier": world.tier.name, "region": world.region.name}
    over = intakes.look(lines, set=fixed, make_missing=True)
    told = intakes.told(over)
    assert told[2][0] == told[3][0] == "refused"
    assert "may use 1" in told[3][1]
    without = intakes.look(lines, set={"project": world.project.name, "tier": world.tier.name}, make_missing=True)
    assert "does not say its region" in intakes.told(without)[3][1]
    world.do(edit_record, "region", world.region.pk, {"zones_per_project": 2})
    committed(intakes, lines, set=fixed, make_missing=True)
    holds()


def test_update_takes_facts_over_for_every_kind_and_never_a_range(world, intakes, who, holds):
    from lentra.registry.models import Address, Reservation

    world.pool("10.52.0.0/20")
    realm = world.realm_name
    committed(intakes, ["Prefix,Name", "10.52.1.0/24,quay"], **who)
    tables = {
        "keep-outs": (
            "Range,Realm,Reason",
            f"10.52.9.0/24,{realm},partner",
            f"10.52.9.0/24,{realm},partner harbour",
        ),
        "reservations": (
            "Range,Name,Pool,Reason",
            f"10.52.8.0/24,links,{realm}:pool,old",
            f"10.52.8.0/24,links,{realm}:pool,new",
        ),
        "address records": ("Address,Name,Purpose", "10.52.1.9,lamp,old", "10.52.1.9,lamp,new"),
        "projects": ("Name,Title", f"p-{realm},Old", f"p-{realm},New"),
    }
    for table, (head, first, second) in tables.items():
        options = {"set": {"realm": realm}} if table == "address records" else {}
        assert intakes.commit(intakes.look([head, first], table, **options)).intake.made == {"new": 1}
        assert intakes.look([head, second], table, **options).counts == {"differs": 1}
        updated = intakes.commit(intakes.look([head, second], table, update=True, **options))
        assert updated.intake.made == {"updated": 1}, updated.fault
        assert intakes.look([head, second], table, **options).counts == {"same": 1}
        back = intakes.take_back(updated)
        assert back.intake.state == "taken back", back.fault
        assert intakes.look([head, first], table, **options).counts == {"same": 1}
    assert Reservation.objects.get(realm=world.realm).reason == "old"
    assert Address.objects.get(realm=world.realm).purpose == "old"
    moved = intakes.look(
        ["Range,Name,Pool,Reason", f"10.52.7.0/24,links,{realm}:pool,old"], "reservations", update=True
    )
    assert "keeps 10.52.8.0/24 back" in intakes.told(moved)[2][1]
    holds()


@pytest.mark.parametrize(
    ("options", "words"),
    [
        ({"columns": {"colour": "Colour"}}, "there is no field 'colour'"),
        ({"labels": "Rack"}, "a list of headings"),
        ({"realm": "nowhere"}, "there is no realm 'nowhere'"),
        ({"values": ["zone"]}, "is a mapping of fields"),
    ],
)
def test_options_that_make_no_sense_are_refused_when_they_are_given(world, intakes, options, words):
    with pytest.raises(Refusal, match=words):
        intakes.look(["Prefix", "10.52.1.0/24"], **options)
    with pytest.raises(Refusal, match="no kind of table 'boats'"):
        intakes.look(["Prefix"], "boats")
