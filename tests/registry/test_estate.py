"""The estate file: written in a stable order, committed whole or not at all, again without a change, renamed, taken away."""

from __future__ import annotations

import json

import pytest
from jsonschema import Draft202012Validator

from lentra.addressing.refusal import Refusal


@pytest.fixture
def estate(world):
    """Writes and commits estate files of the world's own realm."""

    class Estates:
        def write(self, *also, project=None):
            from lentra.registry.estate.estate import write_estate

            return write_estate(None if project else world.realm, project, also)

        def commit(self, document, take_away=False, preview=False, actor=None, files=None):
            from lentra.registry.estate.estate import commit_estate, read_estate
            from lentra.registry.transactions.run import run_transaction

            text = document if isinstance(document, str) else json.dumps(document)
            box = []
            run_transaction(
                lambda change: commit_estate(change, *read_estate(text), take_away, files),
                actor=actor,
                clock=world.clock,
                preview=preview,
                render=lambda result, change: box.append(result),
            )
            return box[-1]

    return Estates()


def outcomes(proposed):
    return {
        (entry.section, entry.key.partition(":")[2] or entry.key): entry.what
        for entry in proposed.entries
        if entry.what != "same"
    }


def test_what_is_written_changes_nothing_and_is_of_the_published_schema(world, estate, holds):
    from lentra.registry.estate.estate import schema, text_of_estate
    from lentra.registry.operations.subnets.record_addresses import AddressRequest, record_addresses

    outer = world.pool("10.52.0.0/16", name="outer", about="All of it", longest_v4=28)
    inner = world.carve(outer, "10.52.16.0/20", cooling_days=3)
    world.keep_out("10.52.255.0-10.52.255.99", reason="partner")
    (subnet,) = world.ask(inner, length=26, room=2, tag="7", labels={"rota": "night"}, purpose="gates")
    world.do(record_addresses, subnet.pk, [AddressRequest(name="gate-1", mac="02:00:5e:00:00:01")])
    document = estate.write("subnets", "address records")
    assert list(document)[:3] == ["format", "realm", "realms"]
    assert document["pools"][f"{world.realm_name}:outer"]["longest_v4"] == 28
    assert "sheet" not in document["pools"][f"{world.realm_name}:inner"]  # it is inherited
    assert document["subnets"][f"{world.realm_name}:{subnet.name}"]["room"] == 2
    assert document["keep-outs"] == {
        f"{world.realm_name}:10.52.255.0-10.52.255.99": {
            "kind": "other",
            "reason": "partner",
            "certainty": "certain",
        }
    }
    Draft202012Validator(schema()).validate(document)
    same = estate.commit(text_of_estate(document))
    assert outcomes(same) == {}
    assert not same.changes
    assert estate.write("subnets", "address records") == document
    assert list(estate.write("subnets", project=world.project)) == ["format", "project", "projects", "subnets"]
    holds()


def test_an_estate_is_built_from_nothing_and_again_renamed_and_taken_away(world, estate, holds):
    from lentra.registry.models import Pool

    realm, who = (
        world.realm_name,
        {"project": world.project.name, "zone": world.zone.name, "tier": world.tier.name},
    )
    document = {
        "format": "lentra-estate-1",
        "realm": realm,
        "zones": {
            f"hall-{realm}": {"region": f"coast-{realm}", "site": "hall"}
        },  # before its region: order is no matter
        "regions": {f"coast-{realm}": {"about": "Where the halls are"}},
        "pools": {
            f"{realm}:inner": {"ranges": ["10.52.16.0/20"], "parent": f"{realm}:outer"},
            f"{realm}:outer": {"ranges": ["10.52.0.0/16"], "sheet": "ends-withheld", "warning_percent": 60},
        },
        "keep-outs": {f"{realm}:10.52.255.0/24": {"reason": "partner", "kind": "partner"}},
        "reservations": {
            f"{realm}:links": {"range": "10.52.32.0/24", "pool": f"{realm}:outer", "reason": "links"}
        },
        "subnets": {f"{realm}:gates": {"range": "10.52.16.0/26", "hosts": 40, **who}},
        "address records": {f"{realm}:10.52.16.9": {"name": "gate-1"}},
    }
    seen = estate.commit(document, preview=True)
    assert set(outcomes(seen).values()) == {"added"}
    assert not Pool.objects.filter(realm=world.realm).exists()
    done = estate.commit(document)
    assert done.counts["pools"] == {"added": 2}
    assert Pool.objects.get(realm=world.realm, name="inner").parent.name == "outer"
    assert estate.commit(document).changes is False
    document["pools"][f"{realm}:core"] = {"was": "outer", "warning_percent": 65}
    del document["pools"][f"{realm}:outer"]
    document["pools"][f"{realm}:inner"]["parent"] = f"{realm}:core"
    document["reservations"][f"{realm}:links"]["pool"] = f"{realm}:core"
    document["subnets"][f"{realm}:gates"]["hosts"] = 30
    edited = estate.commit(document)
    assert outcomes(edited) == {("pools", "core"): "edited", ("subnets", "gates"): "edited"}
    assert Pool.objects.get(realm=world.realm, name="core").warning_percent == 65
    document["address records"], document["subnets"] = {}, {}
    document["pools"][f"{realm}:core"] = {}
    assert outcomes(estate.commit(document)) == {
        ("address records", "10.52.16.9"): "not in the file",
        ("subnets", "gates"): "not in the file",
    }
    gone = estate.commit({**document, "reservations": {}}, take_away=True)
    assert outcomes(gone) == {
        ("address records", "10.52.16.9"): "taken away",
        ("subnets", "gates"): "taken away",
        ("reservations", "links"): "taken away",
    }
    holds()


def test_all_that_stands_against_it_is_told_and_nothing_is_done(world, estate, holds):
    from lentra.registry.models import Pool, Region

    realm = world.realm_name
    document = {
        "format": "lentra-estate-1",
        "regions": {f"coast-{realm}": {}, "Not a name": {}},
        "zones": {f"hall-{realm}": {"region": "nowhere"}},
        "pools": {
            f"{realm}:good": {"ranges": ["10.52.0.0/16"], "sheet": "ends-withheld"},
            f"{realm}:over": {"ranges": ["10.52.16.0/20"], "sheet": "ends-withheld"},
            f"{realm}:hen": {"ranges": ["10.60.0.0/20"], "parent": f"{realm}:egg"},
            f"{realm}:egg": {"ranges": ["10.60.0.0/21"], "parent": f"{realm}:hen"},
        },
    }
    seen = estate.commit(document, preview=True)
    assert {key for (_, key), what in outcomes(seen).items() if what == "refused"} == {
        *("Not a name", f"hall-{realm}", "over", "hen", "egg")
    }
    with pytest.raises(Refusal, match=r"regions.Not a name: .*\(and 4 more\)") as refused:
        estate.commit(document)
    assert {"invalid-value", "unknown-name", "overlaps"} <= {one["code"] for one in refused.value.conflicts}
    assert not Pool.objects.filter(realm=world.realm).exists()
    assert not Region.objects.filter(name=f"coast-{realm}").exists()
    with pytest.raises(Refusal, match="the role planner is needed"):
        estate.commit(document, actor=world.person("requester"))
    holds()


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("", "the estate is empty"),
        ("[1]", "a mapping of sections"),
        ("zones: {}", "None is not the format"),
        ("format: lentra-estate-1\nquays: {}", "line 2, quays: there is no such section"),
        (
            "format: lentra-estate-1\nzones:\n  nc-1:\n    colour: red",
            "line 4, zones.nc-1.colour: there is no such fact",
        ),
        ("format: lentra-estate-1\nzones: [nc-1]", "a mapping of keys"),
        ("format: lentra-estate-1\nzones: {nc-1: &a {}}", "anchors and aliases"),
        ("format: lentra-estate-1\nzones:\n\t- x", "line 3"),
    ],
)
def test_a_text_that_is_none_is_told_with_its_line(estate, text, words):
    with pytest.raises(Refusal, match=words) as refused:
        estate.commit(text)
    assert refused.value.code == "bad-estate"


def test_an_estate_names_plans_and_commits_them_with_it_or_not_at_all(world, estate, holds):
    from lentra.registry.models import Plan, Pool, Subnet

    realm, halls = world.realm_name, f"halls-{world.realm_name}"
    document = {
        "format": "lentra-estate-1",
        "realm": realm,
        "pools": {f"{realm}:{halls}": {"ranges": ["10.53.0.0/20"], "sheet": "ends-withheld"}},
        "plans": ["plans/gates.yaml"],
    }
    plan = (
        f"format: lentra-plan-1\nname: gates\nproject: {world.project.name}\nrealm: {realm}\npools: {{ipv4: {halls}}}\n"
        f"zones: [{world.zone.name}]\ntiers: [{{tier: {world.tier.name}, length: 26, count: 2}}]\n"
    )
    without = estate.commit(document, preview=True)
    assert [entry.found.told["message"] for entry in without.refused] == [
        "the text of plans/gates.yaml does not come with the estate"
    ]
    seen = estate.commit(document, preview=True, files={"plans/gates.yaml": plan})
    assert outcomes(seen) == {("pools", halls): "added", ("plans", "plans/gates.yaml"): "added"}
    assert not Pool.objects.filter(name=halls).exists()
    wrong = plan.replace("length: 26", "length: 12")
    with pytest.raises(Refusal):
        estate.commit(document, files={"plans/gates.yaml": wrong})
    assert not Pool.objects.filter(name=halls).exists()
    estate.commit(document, files={"gates.yaml": plan})  # by its name alone, as a browser tells it
    assert Plan.objects.get(realm=world.realm).state == "committed"
    assert Subnet.objects.filter(realm=world.realm).count() == 2
    holds()
    assert not estate.commit(document, files={"plans/gates.yaml": plan}).changes
    more = estate.commit(document, files={"plans/gates.yaml": plan.replace("count: 2", "count: 3")})
    assert outcomes(more) == {("plans", "plans/gates.yaml"): "edited"}
    assert Subnet.objects.filter(realm=world.realm).count() == 3
    with pytest.raises(Refusal, match="a list of names"):
        estate.commit({"format": "lentra-estate-1", "plans": {"gates": {}}})


def test_dns_zones_and_records_by_hand_are_of_an_estate(world, estate, holds):
    from lentra.registry.models import DnsServing, DnsZone

    realm = world.realm_name
    zone = {
        "primary": "ns1.ferry.example",
        "contact": "names@ferry.example",
        "servers": ["NS1.Ferry.Example", "ns2.ferry.example"],
    }
    document = {
        "format": "lentra-estate-1",
        "realm": realm,
        "DNS zones": {
            f"{realm}:Fähre.example": {**zone, "ttl": 600, "edge_names": "{edge}.{subnet}"},
            f"{realm}:ferry.example": {
                **zone,
                "host_names": "{name}",
                "address": "ns1.ferry.example",
                "every": 30,
            },
            f"{realm}:docks.ferry.example": {
                "delegated": True,
                "servers": ["ns1.docks.ferry.example 10.52.0.5", "ns2.ferry.example"],
                "ds": ["31589 8 2 " + "cde0" * 16],
            },
            f"{realm}:52.10.in-addr.arpa": zone,
        },
        "DNS records": {
            f"{realm}:ferry.example @ MX 10 post": {"ttl": 60},
            f"{realm}:ferry.example @ MX 20 post.harbour.example.": {},
            f'{realm}:ferry.example @ TXT "v=spf1 a:post -all"': {"about": "who sends mail"},
        },
    }
    made = estate.commit(document)
    assert set(outcomes(made).values()) == {"added"}
    assert outcomes(estate.commit(document)) == {}  # the same, in whatever form it is written
    assert DnsServing.objects.filter(dns_zone__realm=world.realm).count() == 4
    told = estate.write()
    assert told["DNS zones"][f"{realm}:xn--fhre-loa.example"]["edge_names"] == "{edge}.{subnet}"
    assert "host_names" not in told["DNS zones"][f"{realm}:xn--fhre-loa.example"]
    assert told["DNS zones"][f"{realm}:docks.ferry.example"]["ds"] == ["31589 8 2 " + "cde0" * 16]
    assert f"{realm}:ferry.example @ MX 10 post.ferry.example." in told["DNS records"]
    assert outcomes(estate.commit(told)) == {}
    told["DNS zones"][f"{realm}:ferry.example"]["ttl"] = 900
    del told["DNS zones"][f"{realm}:docks.ferry.example"]
    told["DNS records"] = {f"{realm}:ferry.example @ MX 10 post": {"ttl": 90}}
    done = estate.commit(told, take_away=True)
    assert sorted(outcomes(done).values()) == ["edited", "edited", "taken away", "taken away", "taken away"]
    assert sorted(DnsZone.objects.filter(realm=world.realm).values_list("ttl", flat=True)) == [600, 900, 3600]
    for key, words in (
        (f"{realm}:ferry.example @ A 10.52.0.9", "no key of a DNS record"),
        (f"{realm}:ferry.exampel @ MX 10 post", "no DNS zone"),
        (f"{realm}:ferry.example @ MX post", "no data of a MX record"),
    ):
        with pytest.raises(Refusal, match=words):
            estate.commit({**told, "DNS records": {key: {}}})
    holds()
