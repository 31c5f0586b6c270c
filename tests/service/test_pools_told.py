"""Pools as they are told: by what they are carved out of, by name, by what they give; in every interface."""

from __future__ import annotations

import json

import pytest

from lentra.client import Problem
from lentra.client.errors import WrongPool
from tests.service.test_command_line import lentra  # noqa: F401

ASK = {"project": "ticketing", "tier": "app", "zone": "ml-1", "length": 27}


@pytest.fixture
def family(fresh_pool, planner):
    """A pool with two carved out of it, one of which has one more below."""
    above = fresh_pool("10.40.0.0/16", cooling_days=0)
    realm = above.split(":")[0]
    for name, parent in (("east-pier", above), ("west-pier", above), ("west-shed", f"{realm}:west-pier")):
        planner.pools.add(
            name=name, parent=parent, lengths=[{"family": 4, "length": 20 if parent == above else 24}]
        )
    return above, realm


def told(rows):
    return {row["pool"]["name"]: (row["parent"] and row["parent"]["name"], row["carved"]) for row in rows}


def test_usage_tells_the_tree_and_can_be_asked_for_a_part_of_it(planner, family):
    above, realm = family
    name = above.split(":")[1]
    whole = told(planner.usage(realm=realm))
    assert whole == {
        name: (None, 2),
        "east-pier": (name, 0),
        "west-pier": (name, 1),
        "west-shed": ("west-pier", 0),
    }
    assert set(told(planner.usage(realm=realm, top="true"))) == {name}
    assert set(told(planner.usage(realm=realm, top="false"))) == set(whole) - {name}
    assert set(told(planner.usage(parent=above))) == {"east-pier", "west-pier"}
    assert set(told(planner.usage(parent=[f"{realm}:west-pier", above]))) == set(whole) - {name}
    assert set(told(planner.usage(realm=realm, text="Pier"))) == {"east-pier", "west-pier"}
    assert {pool["name"] for pool in planner.pools.list(realm=realm, top="true")} == {name}
    with pytest.raises(Problem, match="true or false"):
        list(planner.usage(top="perhaps"))


def test_the_terminal_tells_the_same(lentra, family):  # noqa: F811
    above, realm = family
    rows = json.loads(lentra("usage", "--parent", above, "-o", "json").stdout)
    assert sorted(row["pool"]["name"] for row in rows) == ["east-pier", "west-pier"]
    assert "west-shed" not in lentra("usage", "--realm", realm, "--top").stdout
    assert "west-shed" in lentra("usage", "--realm", realm, "--text", "shed").stdout


def test_what_a_pool_gives_is_said_once_and_holds_everywhere(planner, lentra, family):  # noqa: F811
    above, realm = family
    shown = lentra("pool", "edit", above, "--gives", "pools", "--preview")
    assert "gives" in shown.stdout
    assert planner.pools.get(above)["gives"] == "both"  # only looked at
    assert lentra("pool", "edit", above, "--gives", "pools", "--yes").returncode == 0
    with pytest.raises(WrongPool) as refused:
        planner.request(pool=above, **ASK)
    assert {"east-pier", "west-pier", "west-shed"} == set(refused.value.suggestions)
    found = planner.calls.candidates(project="ticketing", tier="app", zone="ml-1", length=27, realm=realm)
    assert {one["pool"]["name"] for one in found["candidates"]} == {"east-pier", "west-pier", "west-shed"}
    planner.pools.edit(f"{realm}:east-pier", gives="subnets")
    assert [pool["name"] for pool in planner.pools.list(realm=realm, gives="subnets")] == ["east-pier"]
    narrowed = lentra("pool", "list", "--realm", realm, "--gives", "subnets,both", "--top", "false", "-q")
    assert narrowed.stdout.split() == ["east-pier", "west-pier", "west-shed"]
    told_no = lentra("pool", "add", "too-deep", "--parent", f"{realm}:east-pier", "--length", "/24", "--yes")
    assert (told_no.returncode, "no pools are carved out of it" in told_no.stderr) == (1, True)
    planner.request(pool=f"{realm}:east-pier", **ASK)
    assert lentra("pool", "edit", above, "--gives", "ferries").returncode == 2  # checked before anything is sent
