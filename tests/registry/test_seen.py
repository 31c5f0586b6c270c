"""Exposure as it is seen, address records that nobody sees, changes of a feed, and when something was seen last."""

from __future__ import annotations

from datetime import timedelta

import pytest

from tests.registry.test_findings import reality  # noqa: F401

OUT, IN = {"reach": "outside", "route": "::/0 to the outside by gate"}, {"reach": "inside", "route": "hub"}


def declared(world, subnet, exposure):
    from lentra.registry.operations.subnets.edit_subnet import edit_subnet

    world.do(edit_subnet, subnet.pk, {"exposure": exposure})


def test_what_is_open_although_it_is_private_is_told_first(world, reality):  # noqa: F811
    pool = world.pool("10.40.64.0/20", "fd00:40::/48")
    (subnet,) = world.ask(pool, length=26, families=[4, 6])
    v4, v6 = (str(block) for block in subnet.blocks())
    source = reality.source()
    declared(world, subnet, "private")
    reality.survey(source, reality.seen(v6, **OUT), reality.seen(v4, **IN, tag="12"))
    assert reality.told() == [("differs", v4, "tag"), ("exposed", v6, "reach")]  # the newest is listed first
    assert "although its IPv4 is reachable from inside alone" in reality.one(kind="exposed").text
    declared(world, subnet, "public")
    world.later(hours=1)
    reality.survey(source, reality.seen(v6, **OUT), reality.seen(v4, **IN))
    assert reality.told() == [("cut-off", v4, "reach")]
    declared(world, subnet, "isolated")
    reality.survey(source, reality.seen(v6, reach="isolated"), reality.seen(v4, **OUT))
    assert reality.told() == [("exposed", v4, "reach")]
    declared(world, subnet, "")
    reality.survey(source, reality.seen(v6), reality.seen(v4))
    assert reality.told() == []  # nobody tells its routes


def test_a_public_address_that_leads_in_counts(world, reality):  # noqa: F811
    from lentra.registry.operations.subnets.attach_address import attach_address
    from lentra.registry.operations.subnets.record_addresses import AddressRequest, record_addresses
    from lentra.registry.reports.seen import seen_subnets

    (subnet,) = world.ask(world.pool("10.40.64.0/20"), length=26)
    world.do(record_addresses, subnet.pk, AddressRequest("web-1"))
    host = subnet.addresses.get()
    public = world.pool("198.51.99.0/28", name="public", exposure="public", sheet="single-address")
    (address,) = world.ask(public, length=32)
    source, block = reality.source(), str(subnet.blocks()[0])
    declared(world, subnet, "private")
    reality.survey(source, reality.seen(block, **IN))
    assert reality.told() == []
    world.do(attach_address, address.pk, record=host.pk)
    reality.survey(source, reality.seen(block, **IN))
    assert reality.told() == [("exposed", block, "reach")]
    assert f"{address.name} leads to it" in reality.one(kind="exposed").text
    (told,) = seen_subnets([type(subnet).objects.get(pk=subnet.pk)])[subnet.pk].facts(subnet)["effective"]
    assert (told["reach"], told["differs"]) == ("outside", "exposed")


def test_address_records_that_nobody_sees_are_silent_where_every_address_is_told(world, reality):  # noqa: F811
    from lentra.registry.operations.subnets.record_addresses import AddressRequest, record_addresses

    pool = world.pool("10.40.64.0/20")
    (loud,), (quiet,) = world.ask(pool, length=26), world.ask(pool, length=26)
    for subnet, name in ((loud, "cam-1"), (loud, "cam-2"), (quiet, "cam-3")):
        world.do(record_addresses, subnet.pk, AddressRequest(name))
    first, second = sorted(a.text for a in loud.addresses.all())
    world.later(hours=1)
    source = reality.source(covers=["10.40.64.0/24"], every_address=True)
    reality.survey(source, first)
    assert reality.told() == [
        ("silent", str(quiet.blocks()[0]), ""),
        ("silent", second, ""),
    ] or reality.told() == [
        ("silent", second, ""),
        ("silent", str(quiet.blocks()[0]), ""),
    ]  # not the record in a block that is silent as a whole
    reality.survey(source, reality.seen(first, name="cam-1.harbour.example"), second, str(quiet.blocks()[0]))
    assert [told for told in reality.told() if told[0] != "silent"] == []  # a name with its domain is the name


def test_a_feed_tells_what_has_changed_and_the_rest_stays(world, reality):  # noqa: F811
    from lentra.registry.models import Sighting, Survey
    from lentra.registry.operations.findings.take_survey import take_changes

    world.pool("10.40.64.0/20")
    source = reality.source()
    reality.survey(source, "10.40.64.0/26", "10.40.65.7", "10.40.65.8")
    world.later(minutes=1)

    def changes(seen, gone):
        world.do(
            take_changes,
            source.pk,
            [reality.seen(t) for t in seen],
            [reality.seen(t).key for t in gone],
            world.clock.now(),
        )

    changes(["10.40.65.9"], ["10.40.65.7", "10.40.65.200"])
    assert sorted(told[1] for told in reality.told()) == ["10.40.64.0/26", "10.40.65.8", "10.40.65.9"]
    survey = Survey.objects.filter(source=source).latest("pk")
    assert (survey.whole, survey.counts["new"], survey.counts["gone"]) == (False, 1, 1)
    before = Survey.objects.filter(source=source).count()
    changes(["10.40.65.9"], ["10.40.65.7"])  # told twice: nothing is new
    assert Survey.objects.filter(source=source).count() == before
    lost = Sighting.objects.get(source=source, lost_at__isnull=False)
    assert (lost.range_text, lost.lost_at) == ("10.40.65.7", world.clock.now())
    world.later(minutes=1)
    reality.survey(source, "10.40.65.7")
    assert Sighting.objects.get(pk=lost.pk).first_seen_at == world.clock.now()  # again, with a break
    assert Sighting.objects.filter(source=source, lost_at=None).count() == 1


def test_when_a_subnet_was_seen_last_is_told_and_warned_of(world, reality):  # noqa: F811
    from lentra.registry.models import Subnet
    from lentra.registry.operations.subnets.give_back import give_back_subnet
    from lentra.registry.reports.idle import Scope, idle_things
    from lentra.registry.reports.seen import seen_subnets
    from lentra.registry.transactions.run import run_transaction

    pool = world.pool("10.40.64.0/20")
    (seen,), (around,), (never,) = (world.ask(pool, length=26, hosts=None) for _ in range(3))
    world.later(days=40)
    source = reality.source()
    reality.survey(source, "10.40.64.9", "10.40.64.64/26")
    day = world.clock.now()
    subnets = list(Subnet.objects.filter(realm=world.realm).order_by("pk"))
    told = seen_subnets(subnets)
    assert [told[s.pk].last_seen_at for s in (seen, around, never)] == [day, day, None]
    world.later(days=2)
    reality.survey(source, "10.40.64.64/26")
    assert seen_subnets(subnets)[seen.pk].last_seen_at == day

    def idle():
        rows = idle_things(Scope(world.clock.now(), world.realm), kinds=["block without use"])
        return {row["what"]: row["why"] for _, row in rows}

    assert set(idle()) == {never.name}  # what was seen of late is in use, whatever is recorded
    outcome = run_transaction(
        lambda change: give_back_subnet(change, seen.pk),
        clock=world.clock,
        preview=True,
        render=lambda s, c: c.notes,
    )
    assert any("was seen lately: 10.40.64.9 by" in note for note in outcome.answer)
    world.later(days=40)
    assert f"seen last on {day:%Y-%m-%d}" in idle()[seen.name]


def test_the_map_tells_what_is_seen_and_what_is_not_recorded(world, reality):  # noqa: F811
    from lentra.addressing.prefix import parse_prefix
    from lentra.registry.reports.space_map import space_map

    pool = world.pool("10.40.64.0/24")
    view = parse_prefix("10.40.64.0/24")

    def told():
        return {cell["range"]: cell["seen"] for cell in space_map(world.realm, view)["cells"]}

    world.ask(pool, length=26)
    world.ask(pool, length=26)
    assert set(told().values()) == {None}  # nobody looks
    source = reality.source()
    reality.survey(source, "10.40.64.9", "10.40.64.200")
    cells = told()
    assert (cells["10.40.64.0/26"], cells["10.40.64.64/26"]) == ("seen", "never seen")
    assert "seen, not recorded" in cells.values()
    world.later(minutes=1)
    reality.survey(source, "10.40.64.200")
    assert told()["10.40.64.0/26"] == "seen no more"


@pytest.mark.parametrize("days", [0, 31])
def test_grave_findings_and_sources_that_fail_are_alerts(world, reality, days):  # noqa: F811
    from lentra.registry.foresight.alerts import check_alerts
    from lentra.registry.models import Alert, Look

    world.pool("10.40.64.0/20")
    source = reality.source(kind="name-server", address="ns.ferry.example", parts=["ferry.example"])
    Look.objects.create(
        source=source, failing_since=world.clock.now() - timedelta(hours=2), outcome="no answer in time"
    )
    reality.survey(source, "10.40.64.7")
    world.later(days=days)
    check_alerts(world.clock)
    mine = Alert.objects.filter(realm=world.realm).exclude(living=None)
    assert {(a.kind, a.text.partition(":")[0]) for a in mine} >= {("findings", "stray")}
    assert any(a.kind == "source" and "no answer in time" in a.text for a in mine)
    Look.objects.filter(source=source).update(failing_since=None)
    check_alerts(world.clock)
    assert not mine.filter(kind="source").exists()


def test_what_is_handed_out_is_counted_by_what_is_seen(world, reality):  # noqa: F811
    from lentra.registry.reports.seen import pool_seen

    pool = world.pool("10.40.64.0/20", "fd00:40::/48")
    world.ask(pool, length=26)
    world.ask(pool, length=25)
    inner = world.carve(pool, "10.40.72.0/24", name="inner")
    world.ask(inner, length=27)
    source = reality.source()
    reality.survey(source, "10.40.72.3", "10.40.79.0/24", "192.168.1.0/24")
    v4, v6 = pool_seen(pool)
    assert (v4["blocks"], v4["addresses"], v4["seen_blocks"], v4["seen"], v4["quiet"]) == (
        3,
        "224",
        1,
        "32",
        "192",
    )
    assert (v6["blocks"], v6["quiet"]) == (0, "0")
    assert [row["seen_blocks"] for row in pool_seen(inner)] == [1]


def test_what_is_seen_no_more_is_forgotten_in_the_end(world, reality):  # noqa: F811
    from lentra.registry.models import Sighting
    from lentra.registry.upkeep import SIGHTINGS_KEPT, run_upkeep

    source = reality.source()
    reality.survey(source, "10.40.64.7", "10.40.64.8")
    world.later(days=1)
    reality.survey(source, "10.40.64.8")
    there = Sighting.objects.filter(source=source)
    run_upkeep(world.clock)
    assert there.count() == 2
    world.later(days=SIGHTINGS_KEPT.days + 1)
    run_upkeep(world.clock)
    assert [row.range_text for row in there] == ["10.40.64.8"]
