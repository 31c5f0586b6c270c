"""Moving to other addresses: from a look to the last host, by command line and console, as it was shown, and back again."""

from __future__ import annotations

import json
import uuid

import pytest
import requests

from lentra.client import Problem
from tests.service.test_command_line import lentra  # noqa: F401
from tests.service.test_console import choose, open_as  # noqa: F401

WHO = {"project": "crew-roster", "tier": "app", "zone": "ml-1"}


class Quay:
    """A realm with an old pool, in which something lives, and a new one."""

    def __init__(self, live):
        self.planner, mark = live.client("planner"), uuid.uuid4().hex[:8]
        self.realm = self.planner.realms.add(name=f"quay-{mark}", name_template=f"quay-{mark}-{{nn}}").result[
            "name"
        ]
        self.name = f"move-{mark}"
        for name, prefix in (("old", "10.91.0.0/20"), ("new", "10.93.0.0/20")):
            self.planner.pools.add(
                name=name, realm=self.realm, sheet="ends-withheld", ranges=[prefix], cooling_days=5
            )
        self.desk = self.ask("desk", "10.91.2.0/24")
        self.cams = self.ask("cams", "10.91.9.64/26", zone="ml-2", tier="data")
        for name, address in (("till-1", "10.91.2.37"), ("till-2", "10.91.2.38")):
            self.planner.subnets.record(self.desk, name=name, address=address)

    def ask(self, name, prefix, **who):
        made = self.planner.request(pool=f"{self.realm}:old", **{**WHO, **who}, prefix=prefix, name=name)
        return made.result["subnets"][0]["id"]

    def subnets(self):
        rows = self.planner.subnets.list(realm=self.realm)
        return sorted((s["name"], s["state"], [b["prefix"] for b in s["blocks"]]) for s in rows)


@pytest.fixture
def quay(live):
    return Quay(live)


def test_subnets_move_wave_by_wave_from_a_look_to_the_last_host(live, quay, lentra):  # noqa: F811
    before = quay.subnets()
    words = ("--from", f"{quay.realm}:old", "--to", f"{quay.realm}:new", "--name", quay.name, "--waves", "zone")
    seen = lentra("renumber", "preview", *words, role="planner")
    assert seen.returncode == 0, seen.stderr
    assert "10.91.2.37" in seen.stdout
    assert "10.93.2.37" in seen.stdout
    assert "2 from pool old to pool new: 2 at the same offset" in seen.stdout
    assert quay.subnets() == before
    rows = lentra("renumber", "preview", *words, "-o", "csv", role="planner").stdout.splitlines()
    assert len(rows) == 1 + 2 + 2
    done = lentra("renumber", "start", *words, "--yes", role="planner")
    assert done.returncode == 0, done.stderr
    ref = f"{quay.realm}:{quay.name}"
    assert ("desk-new", "held", ["10.93.2.0/24"]) in quay.subnets()
    assert lentra("renumber", "begin", ref, "--wave", "ml-1", "--yes", role="planner").returncode == 0
    refused = lentra("renumber", "finish", ref, "--wave", "ml-1", "--yes", role="planner")
    assert refused.returncode == 1
    assert "2 hosts have not moved (till-1, 10.91.2.37)" in refused.stderr
    for side, count in (("desk", 1), ("desk-new", 1), ("nothing-like-it", 0)):
        listed = lentra("renumber", "list", "--subnet", f"{quay.realm}:{side}", "-q", role="viewer").stdout.split()
        assert listed == [quay.name] * count
    shown = lentra("renumber", "show", ref, role="viewer").stdout
    assert "held up desk: 2 hosts have not moved: till-1, till-2" in shown
    told = {
        what: lentra("renumber", what, ref, "-o", "json", role="viewer").stdout
        for what in ("rules", "dns", "routes")
    }
    assert {"wave": "ml-1", "when": "now", "action": "add", "range": "10.93.2.0/24"} in json.loads(told["rules"])
    names = {(row["action"], row["type"], row["name"], row["data"]) for row in json.loads(told["dns"])}
    assert ("delete", "PTR", "37.2.91.10.in-addr.arpa", "till-1") in names
    assert ("add", "A", "till-1", "10.93.2.37") in names
    assert {row["phase"] for row in json.loads(told["routes"])} == {"before", "during", "after"}
    lentra("renumber", "moved", ref, "--hosts", "till-1,10.91.2.38", "--yes", role="planner")
    lentra("renumber", "check", ref, "rules changed", "--subnets", "desk", "--yes", role="planner")
    ticked = lentra("renumber", "moves", ref, "--wave", "ml-1", role="viewer").stdout
    assert "rules changed (petra" in ticked
    assert lentra("renumber", "finish", ref, "--wave", "ml-1", "--yes", role="planner").returncode == 0
    assert ("desk", "active", ["10.93.2.0/24"]) in quay.subnets()
    assert ("desk-old", "cooling", ["10.91.2.0/24"]) in quay.subnets()
    found = lentra("find", quay.name, role="viewer").stdout
    assert "renumbering" in found
    back = lentra("renumber", "turn-back", ref, "--yes", role="planner")
    assert back.returncode == 0, back.stderr
    assert ("cams", "active", ["10.91.9.64/26"]) in quay.subnets()
    assert quay.planner.renumberings.get(ref)["state"] == "finished"
    assert quay.planner.verify()["clean"]


def test_a_range_is_vacated_by_a_day_and_the_forecast_knows_what_comes_free(live, quay, lentra):  # noqa: F811
    done = lentra(
        *("vacate", "10.91.2.0/23", "--realm", quay.realm, "--by", "2031-01-31", "--name", quay.name, "--yes"),
        role="planner",
    )
    assert done.returncode == 0, done.stderr
    shown = quay.planner.renumberings.get(f"{quay.realm}:{quay.name}")
    assert (shown["vacated"], shown["by"]) == (["10.91.2.0/23"], "2031-01-31")
    with pytest.raises(Problem, match="is not free"):
        quay.planner.request(pool=f"{quay.realm}:old", **WHO, prefix="10.91.3.0/24")
    assert lentra("vacate", role="planner").returncode == 2
    quay.planner.renumberings.turn_back(shown["id"])
    quay.planner.request(pool=f"{quay.realm}:old", **WHO, prefix="10.91.3.0/24")
    quay.planner.renumberings.add(
        name=f"{quay.name}-2", from_pool=f"{quay.realm}:old", to_pool=f"{quay.realm}:new", by="2031-03-01"
    )
    (family,) = quay.planner.pools.headroom(f"{quay.realm}:old")
    (step,) = family["steps"]
    assert (step["day"], step["amount"], step["what"]) == (
        "2031-03-06",
        str(-(256 + 256 + 64)),
        "renumbering leaves it",
    )


def test_a_proposal_is_done_as_it_was_shown_or_refused_and_the_same_key_starts_it_once(live, quay):
    planner = quay.planner
    wanted = {"name": quay.name, "from_pool": f"{quay.realm}:old", "to_pool": f"{quay.realm}:new"}
    seen = planner.renumberings.add(**wanted, preview=True)
    planner.request(pool=f"{quay.realm}:new", **WHO, prefix="10.93.2.0/24")
    with planner.following(seen.proposal), pytest.raises(Problem) as refused:
        planner.renumberings.add(**wanted)
    assert refused.value.code == "stale-proposal"
    seen = planner.renumberings.add(**wanted, preview=True)
    with planner.following(seen.proposal):
        made = planner.renumberings.add(**wanted)
    strip = [(m["name"], m["new"]["ranges"], m["addresses"]) for m in seen.result["moves"]]
    assert strip == [(m["name"], m["new"]["ranges"], m["addresses"]) for m in made.result["moves"]]
    with pytest.raises(Problem, match="is taken by another renumbering"):
        planner.renumberings.add(name=quay.name, from_pool=f"{quay.realm}:new", to_pool=f"{quay.realm}:old")
    for wrong, says in (
        ({"from_pool": f"{quay.realm}:old", "from_subnets": ["desk"]}, "by one of these alone"),
        ({"from_pool": f"{quay.realm}:new", "to_ranges": ["10.99.0.0/24"]}, "lies in no pool"),
        ({"from_pool": f"{quay.realm}:new", "to_ranges": ["10.91.12.0/25"]}, "addresses are missing"),
        ({"from_pool": f"{quay.realm}:new", "to_pool": "mainland"}, "hosts must reach both"),
    ):
        with pytest.raises(Problem, match=says):
            planner.renumberings.add(name=f"{quay.name}-wrong", **wrong)
    number = made.result["id"]
    with pytest.raises(Problem, match="is on its way from"):
        planner.release(quay.desk)
    with pytest.raises(Problem, match="has no wave"):
        planner.renumberings.begin(number, wave="nc-9")
    answer = requests.get(
        f"{live.url}/api/v1/renumberings/{number}/map?as=csv",
        headers={"Authorization": "Bearer " + live.token("viewer")},
        timeout=30,
    )
    assert "till-1,10.91.2.37,10.93." in answer.text
    with pytest.raises(Problem, match="turn the renumbering back"):
        planner.undo(next(planner.ledger(kind="renumbering", text=quay.name))["number"])


def test_the_console_starts_a_renumbering_notes_hosts_and_finishes(open_as, live, quay):  # noqa: F811
    page = open_as("planner")
    page.goto(f"{live.url}/renumberings")
    page.get_by_text("Say what moves").wait_for()
    page.goto(f"{live.url}/renumberings?from_pool={quay.realm}:old&to_pool={quay.realm}:new")
    row = page.get_by_role("row").filter(has_text="10.91.2.0/24")
    row.get_by_text("10.93.2.0/24").wait_for()
    page.get_by_label("Name of the renumbering").fill(quay.name)
    page.get_by_role("button", name="Start it").click()
    page.get_by_role("dialog").get_by_role("button", name="Start the renumbering").click()
    page.get_by_role("heading", name=quay.name).wait_for()
    page.get_by_role("link", name="10.91.2.0/24").click()
    page.get_by_text("Being left: renumbering").wait_for()
    page.get_by_role("link", name=quay.name).click()
    page.get_by_role("img", name="ml-1, app: 0 of 2 hosts have moved, moving").wait_for()
    page.get_by_role("listitem").filter(has_text="2 hosts have not moved: till-1, till-2").wait_for()
    page.get_by_role("checkbox", name="Pick desk").check()
    choose_step(page, "names changed")
    page.get_by_role("button", name="Tick it off").click()
    page.get_by_role("dialog").get_by_text("0 of 2 hosts have moved").wait_for()
    page.get_by_role("dialog").get_by_role("button", name="Tick it off").press("Enter")
    page.get_by_role("cell", name="names changed: petra").wait_for()
    page.get_by_role("button", name="All hosts have moved").click()
    page.get_by_role("dialog").get_by_role("button", name="All hosts have moved").click()
    page.get_by_role("img", name="ml-1, app: 2 of 2 hosts have moved, moving").wait_for()
    page.get_by_role("button", name="Finish everything").click()
    dialog = page.get_by_role("dialog")
    dialog.get_by_text("0 moving, 2 finished").wait_for()
    dialog.get_by_role("button", name="Finish").click()
    page.get_by_role("dialog").wait_for(state="detached")
    page.get_by_text("2 of 2 hosts have moved; 0 planned, 0 moving, 2 finished").wait_for()
    assert ("desk", "active", ["10.93.2.0/24"]) in quay.subnets()


def choose_step(page, name):
    page.get_by_role("combobox", name="Step").press("Enter")
    page.get_by_role("option", name=name).click()
