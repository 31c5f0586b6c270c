"""The map of space: its cells cover the view once, its sums are the counters, and it costs the same at any size."""

from __future__ import annotations

import pytest

from lentra.addressing.prefix import parse_prefix
from lentra.addressing.refusal import Refusal

P = parse_prefix


def states_of(shown: dict) -> dict[str, int]:
    """Addresses by state over all cells."""
    found: dict[str, int] = {}
    for cell in shown["cells"]:
        for state, n in (cell["sums"] or {cell["state"]: cell["addresses"]}).items():
            found[state] = found.get(state, 0) + int(n)
    return found


def map_of(world, text: str) -> dict:
    from lentra.registry.reports.space_map import space_map

    return space_map(world.realm, P(text))


@pytest.mark.parametrize("text", ["10.40.0.0/16", "fd46:40::/48"])
def test_the_map_adds_up_to_the_counters(world, holds, text):
    from lentra.registry.models import Space

    pool = world.pool("10.40.0.0/16", "fd46:40::/48")
    world.ask(pool, length=29, count=200, placement="roomy", families=[4, 6])
    shown = map_of(world, text)
    assert sum(cell["share"] for cell in shown["cells"]) == pytest.approx(1)
    space = Space.objects.get(pool=pool, family=P(text).family)
    found = states_of(shown)
    assert found["handed out"] == space.handed_out
    assert found["free"] == space.free
    assert {"mixed", "free"} <= {cell["state"] for cell in shown["cells"]}
    assert len(shown["cells"]) <= 512
    whole = next(branch for branch in shown["branches"] if branch["range"] == text)
    assert whole["used_percent"] == pytest.approx(space.usage().used_percent, abs=0.01)
    # One step in: single blocks, each with its owner.
    inner = map_of(world, shown["quarters"][0].replace("/18", "/25").replace("/50", "/59"))
    blocks = [cell for cell in inner["cells"] if cell["state"] == "handed out"]
    assert blocks
    assert all(cell["subnet"] and cell["project"] == world.project.name for cell in blocks)
    holds()


def test_carved_pools_are_entered_and_nothing_counts_twice(world):
    outer = world.pool("10.40.0.0/14")
    region = world.carve(outer, "10.40.0.0/16", name="coast")
    hall = world.carve(region, "10.40.64.0/18", name="hall")
    world.carve(region, "10.40.255.0/24", name="tiny")
    world.ask(hall, length=24, count=3)
    world.ask(region, length=26, count=5)
    shown = map_of(world, "10.40.0.0/14")
    assert sum(int(cell["addresses"]) for cell in shown["cells"]) == P("10.40.0.0/14").size
    assert [(p["name"], p["depth"]) for p in shown["pools"]] == [("pool", 0), ("coast", 1), ("hall", 2)]
    # A pool too narrow to enter is one cell that says how full it is.
    tiny = next(cell for cell in map_of(world, "10.40.192.0/18")["cells"] if cell["range"] == "10.40.255.0/24")
    assert tiny["state"] == "carved"
    assert tiny["child"]["name"] == "tiny"
    assert tiny["free"] == "256"
    assert states_of(shown)["handed out"] == 3 * 256 + 5 * 64
    inside = map_of(world, "10.40.64.0/22")
    assert [step["name"] for step in inside["chain"]] == ["pool", "coast", "hall"]
    assert (inside["wider"], inside["before"]) == ("10.40.64.0/20", "10.40.60.0/22")


def test_a_view_beyond_all_pools_shows_what_is_outside(world):
    world.pool("10.40.0.0/16")
    world.pool("10.48.0.0/24", name="second")
    shown = map_of(world, "10.0.0.0/8")
    assert shown["chain"] == []
    assert sum(cell["share"] for cell in shown["cells"]) == pytest.approx(1)
    assert {cell["state"] for cell in shown["cells"]} == {"outside", "carved", "mixed"}
    nearer = map_of(world, "10.40.0.0/13")
    assert {cell["state"] for cell in nearer["cells"]} == {"outside", "free"}
    nothing = map_of(world, "172.16.0.0/12")
    assert [cell["state"] for cell in nothing["cells"]] == ["outside"]


def test_a_view_inside_a_block_is_that_block(world):
    pool = world.pool("10.40.0.0/16")
    world.ask(pool, length=20, hosts=800)
    shown = map_of(world, "10.40.2.0/24")
    (cell,) = shown["cells"]
    assert cell["range"] == "10.40.2.0/24"
    assert cell["subnet"]
    assert cell["share"] == 1
    assert cell["hosts"] == "800"


def test_where_a_map_begins(world):
    from lentra.registry.reports.space_map import ranges_to_map, realm_of

    pool = world.pool("10.40.0.0/16", "10.44.0.0/16")
    world.carve(pool, "10.40.0.0/20", name="a", region=world.region)
    starts = [str(row.prefix) for row in ranges_to_map(world.realm, None, None)]
    assert starts == ["10.40.0.0/16", "10.44.0.0/16"]
    assert [str(r.prefix) for r in ranges_to_map(world.realm, None, world.region)] == ["10.40.0.0/20"]
    with pytest.raises(Refusal, match="say which realm"):
        realm_of(P("192.168.0.0/16"))


def test_a_map_takes_as_many_statements_for_many_blocks_as_for_few(world):
    from django.conf import settings
    from django.db import connection, reset_queries

    pool = world.pool("10.40.0.0/16")
    counts = []
    for times in (1, 8):
        for _ in range(times):
            world.ask(pool, length=29, count=250)
        settings.DEBUG = True
        reset_queries()
        shown = map_of(world, "10.40.0.0/16")
        counts.append(len(connection.queries))
        settings.DEBUG = False
        assert len(shown["cells"]) <= 512
    assert counts[1] <= counts[0] + 2
    assert max(counts) <= 14
