"""Rule sheets that change under what is there, pools that move to another one, and what a sheet decides by itself."""

import threading
import uuid

import pytest
from django.db import connection

from lentra.addressing.clusters import ClusterNeed, nodes_carried
from lentra.addressing.prefix import parse_prefix as P
from lentra.addressing.refusal import Refusal
from lentra.addressing.rules import SHIPPED
from lentra.addressing.sizing import size_by_hosts

V4 = {
    "head": 1,
    "tail": 1,
    "shortest": 16,
    "longest": 29,
    "range_shortest": 8,
    "range_longest": 28,
    "max_ranges": 4,
}
V6 = {"head": 1, "tail": 0, "shortest": 64, "longest": 64, "range_shortest": 40, "range_longest": 56}


@pytest.fixture
def sheet(world):
    """A rule sheet of the test's own."""
    from lentra.registry.models import Sheet
    from lentra.registry.operations.setup.add_record import add_record

    name = f"yard-{uuid.uuid4().hex[:8]}"
    world.do(add_record, "rule sheet", {"name": name, "v4": V4, "v6": V6})
    world.sheets[name] = Sheet.objects.get(name=name)
    return world.sheets[name]


@pytest.fixture
def change(world, sheet):
    def make(**values):
        from lentra.registry.operations.setup.edit_sheet import edit_sheet

        world.do(edit_sheet, sheet.pk, values)
        sheet.refresh_from_db()

    return make


def test_a_sheet_in_use_allows_more_at_once_and_less_only_if_all_fits(world, sheet, change, holds):
    from lentra.registry.models import LedgerEntry
    from lentra.registry.operations.subnets.edit_subnet import edit_subnet
    from lentra.registry.operations.subnets.record_addresses import AddressRequest, record_addresses

    pool = world.pool("10.40.64.0/24", "10.40.65.0/24", sheet=sheet.name)
    (small,) = world.ask(pool, length=29)
    (full,) = world.ask(pool, hosts=30, length=27)
    world.do(
        record_addresses,
        full.pk,
        AddressRequest(name="mast", address=str(P("10.40.64.32/27")).replace("32/27", "33")),
    )
    world.do(edit_subnet, small.pk, {"dhcp": ["10.40.64.1-10.40.64.3"]})
    change(v4={"longest": 30, "max_ranges": 10})  # the others stay as they are
    assert (sheet.v4["longest"], sheet.v4["max_ranges"], sheet.v4["head"]) == (30, 10, 1)
    (tiny,) = world.ask(pool, length=30)
    for values, owners, mend in (
        ({"v4": {"longest": 28}}, {small.name, tiny.name}, f"grow {small.name} to /28, or replace it"),
        ({"v4": {"head": 2}}, {small.name, full.name}, "move mast to another address"),
        ({"v4": {"tail": 2}}, {full.name}, f"grow {full.name}"),
        ({"v4": {"max_ranges": 1}}, {"pool"}, "take 10.40.65.0/24 out of pool pool"),
        ({"v4": {"range_shortest": 25}}, {"pool"}, "take 10.40.64.0/24 out of pool pool, or change it"),
        (
            {"forbidden": ["10.40.65.128-10.40.66.255"]},
            {"pool"},
            "take 10.40.65.0/24 out of pool pool, or change it",
        ),
        ({"tag_needed": True}, {small.name, full.name, tiny.name}, f"give {small.name} a segment tag"),
        ({"dhcp": False}, {small.name}, f"take the DHCP range out of {small.name}"),
    ):
        with pytest.raises(Refusal) as refused:
            change(**values)
        assert refused.value.code == "breaks-rules", values
        assert {one["owner"] for one in refused.value.conflicts} == owners, values
        assert mend in {one["mend"] for one in refused.value.conflicts}, values
        assert all(one["why"] and one["range"] for one in refused.value.conflicts)
    change(v4={"shortest": 20}, workloads_max=60, zones=2)  # nothing is as wide
    edits = LedgerEntry.objects.filter(subject=sheet.pk, verb="edit")
    assert [entry.before["v4"]["longest"] for entry in edits.order_by("number")] == [29, 30]
    with pytest.raises(Refusal, match="longst unknown"):
        change(v4={"longst": 28})


def test_nothing_is_handed_out_by_rules_that_were_read_before_they_changed(world, sheet, change, monkeypatch):
    from lentra.registry.operations.subnets import hand_out as module

    pool = world.pool("10.40.64.0/24", sheet=sheet.name)
    read, asked = module.resolve_target, []

    def resolve(*values):
        target = read(*values)
        if not asked:  # somebody changes the sheet between the look at the pool and its lock
            asked.append(1)
            somebody = threading.Thread(
                target=lambda: (change(v4={"longest": 27, "range_longest": 27}), connection.close())
            )
            somebody.start()
            somebody.join()
        else:
            asked.append(2)
        return target

    monkeypatch.setattr(module, "resolve_target", resolve)
    with pytest.raises(Refusal, match="/27"):
        world.ask(pool, length=28)
    assert len(asked) == 2


def test_a_pool_moves_to_another_sheet_with_those_that_inherit_or_says_what_does_not_fit(world, sheet, holds):
    from lentra.registry.models import Pool
    from lentra.registry.operations.pools.edit_pool import edit_pool

    outer = world.pool("10.40.64.0/20")
    inner = world.carve(outer, "10.40.64.0/24")
    own = world.carve(outer, "10.40.65.0/24", name="own", sheet=world.sheets["two-and-two"])
    (link,) = world.ask(inner, length=30)
    with pytest.raises(Refusal, match=f"{link.name} would break under rule sheet {sheet.name}") as refused:
        world.do(edit_pool, outer.pk, {"sheet": sheet})
    assert refused.value.field == "sheet"
    world.ask(outer, length=28)
    from lentra.registry.operations.subnets.give_back import give_back_subnet

    world.do(give_back_subnet, link.pk, at_once=True)
    world.do(edit_pool, outer.pk, {"sheet": sheet})
    named = dict(Pool.objects.filter(realm=world.realm).values_list("name", "sheet__name"))
    assert named == {"pool": sheet.name, "inner": sheet.name, "own": "two-and-two"}
    assert own.sheet_inherited is False
    with pytest.raises(Refusal, match="/29"):
        world.ask(inner, length=30)


def test_what_a_sheet_says_decides_where_a_request_says_nothing(world, sheet, change):
    change(gateway="last", dhcp_service=True, workloads=50, forbidden=["10.47.0.0/16"])
    pool = world.pool("10.40.64.0/22", sheet=sheet.name)
    (one,) = world.ask(pool, hosts=125)
    (other,) = world.ask(pool, hosts=126, gateway="none")
    assert [(s.gateway, s.blocks()[0].length) for s in (one, other)] == [("last", 25), ("none", 24)]
    with pytest.raises(Refusal, match="shares addresses with 10.47.0.0/16") as refused:
        world.pool("10.47.8.0/24", name="other", sheet=sheet.name)
    assert refused.value.code == "forbidden-range"
    rules = sheet.rules()
    assert size_by_hosts(14, rules).length == 27  # one more for the DHCP service
    assert nodes_carried(ClusterNeed(1), rules, 24) == nodes_carried(ClusterNeed(1, workloads=50), rules, 24) == 3
    from lentra.registry.operations.subnets.edit_subnet import edit_subnet

    world.do(edit_subnet, one.pk, {"dhcp": ["10.40.64.1-10.40.64.9", "10.40.64.40-10.40.64.99"]})
    one.refresh_from_db()
    assert one.dhcp_service == "10.40.64.10"
    with pytest.raises(Refusal, match="leave no address of .* for the DHCP service"):
        world.do(edit_subnet, one.pk, {"dhcp": ["10.40.64.1-10.40.64.125"], "dhcp_service": ""})


@pytest.mark.parametrize(
    ("values", "words"),
    [
        ({"v4": {**V4, "range_longest": 30}}, "too small for any subnet"),
        ({"workloads": 5}, "5 workloads a node, where nothing is said"),
        ({"zones": 0}, "a plan spans 1 to 64 zones"),
        ({"forbidden": ["10.0.0.0/8", "10.9"]}, "10.9"),
        ({"dhcp": False, "dhcp_service": True}, "without DHCP has no DHCP service"),
        ({"v4": {**V4, "foo": 3}}, "foo unknown; it needs head, longest"),
    ],
)
def test_a_sheet_that_makes_no_sense_says_why(change, values, words):
    with pytest.raises(Refusal, match=words):
        change(**values)


def test_a_shipped_sheet_holds_what_it_says():
    for shipped in SHIPPED:
        for rules in (shipped.v4, shipped.v6):
            assert rules.range_longest <= rules.longest
        assert shipped.taken(4) == 0
        assert shipped.workloads_min <= shipped.workloads <= shipped.workloads_max
