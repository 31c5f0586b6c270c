"""Joining two networks: looked at by command line and console, committed by what was shown, and never twice the same."""

from __future__ import annotations

import json
import uuid
from concurrent.futures import ThreadPoolExecutor

import pytest

from lentra.client import Problem
from tests.conftest import ROOT
from tests.service.test_command_line import lentra  # noqa: F401
from tests.service.test_console import choose, open_as  # noqa: F401

WHO = {"project": "crew-roster", "tier": "app", "zone": "ml-1"}


@pytest.fixture
def joining(live):
    """Two realms over the same range, each with a pool: what both use, and what neither does."""
    planner, mark = live.client("planner"), uuid.uuid4().hex[:8]
    realms = []
    for side, prefix in (("quay", "10.91.0.0/24"), ("yard", "10.91.0.128/25")):
        realm = planner.realms.add(name=f"{side}-{mark}", name_template=f"{side}-{mark}-{{nn}}").result["name"]
        planner.pools.add(name="pool", realm=realm, sheet="ends-withheld", ranges=["10.91.0.0/20"], cooling_days=0)
        planner.request(pool=f"{realm}:pool", **WHO, prefix=prefix)
        realms.append(realm)
    return realms


def ask(planner, realm, prefix):
    return planner.request(pool=f"{realm}:pool", **WHO, prefix=prefix)


def test_two_networks_are_joined_from_a_look_to_the_last_clash(live, joining, lentra):  # noqa: F811
    planner, (quay, yard) = live.client("planner"), joining
    seen = lentra("link", "preview", quay, yard, role="viewer")
    assert seen.returncode == 0
    assert "1 living" in seen.stdout
    assert "cheapest: give back the subnet of" in seen.stdout
    assert not list(planner.links.list(realm=quay))
    name = f"{quay}-tunnel"
    words = ("link", "add", name, "--one", quay, "--other", yard, "--other-gives", "10.91.8.0/21")
    refused = lentra(*words, "--yes", role="planner")
    assert refused.returncode == 1
    assert "are both in use: a link over that needs a reason" in refused.stderr
    assert "would work: --reason" in refused.stderr
    shown = lentra(*words, "--reason", "one yard from spring on", "--preview", role="planner")
    assert "open finding clash 10.91.0.0/24 link" in shown.stdout
    assert not list(planner.links.list(realm=quay))
    done = lentra(*words, "--reason", "one yard from spring on", "--yes", role="planner")
    assert done.returncode == 0, done.stderr
    for realm, taken, refused_there in (
        (quay, "10.91.1.0/24", "10.91.8.0/24"),
        (yard, "10.91.9.0/24", "10.91.2.0/24"),
    ):
        ask(planner, realm, taken)
        with pytest.raises(Problem, match="hands it out"):
            ask(planner, realm, refused_there)
    (clash,) = planner.findings.list(realm=yard, state="open")
    assert (clash["kind"], clash["fact"], clash["range"]) == ("clash", "link", "10.91.0.128/25")
    told = json.loads(lentra("link", "clashes", name, "-o", "json", role="viewer").stdout)["meetings"]
    assert told[0]["clashes"]["living"] == 1
    assert name in lentra("link", "graph", role="viewer").stdout
    planner.pools.add(name="more", realm=yard, sheet="ends-withheld", ranges=["10.92.0.0/20"])
    with pytest.raises(Problem, match="both would hand it out"):
        planner.pools.add(name="more", realm=quay, sheet="ends-withheld", ranges=["10.92.0.0/16"])
    kept = next(planner.keep_outs.list(realm=quay, kind="linked"))
    assert kept["in_favour_of"] == yard
    with pytest.raises(Problem, match="hands it out"):
        planner.keep_outs.remove(kept["id"], why="not needed")
    moved = lentra("link", "edit", name, "--one-gives", "10.91.12.0/22", "--yes", role="planner")
    assert moved.returncode == 0, moved.stderr
    ask(planner, quay, "10.91.12.0/24")
    unhad = lentra("link", "edit", name, "--one-gives", "10.99.0.0/24", "--yes", role="planner")
    assert unhad.returncode == 1
    assert "both have in pools where they meet" in unhad.stderr
    removed = lentra("link", "remove", name, "--yes", role="planner")
    assert removed.returncode == 0, removed.stderr
    ask(planner, yard, "10.91.2.0/24")
    assert not list(planner.findings.list(realm=yard, state="open"))
    assert planner.verify()["clean"]


def test_a_proposal_that_others_have_overtaken_is_refused_and_says_what_changed(live, joining):
    planner, (quay, yard) = live.client("planner"), joining
    values = {"name": f"{quay}-peers", "one": quay, "other": yard, "kind": "peering", "reason": "from autumn on"}
    seen = planner.links.add(**values, preview=True)
    ask(planner, yard, "10.91.4.0/24")
    with planner.following(seen.proposal), pytest.raises(Problem, match="shown") as refused:
        planner.links.add(**values)
    assert refused.value.code == "stale-proposal"
    assert not list(planner.links.list(realm=quay))
    seen = planner.links.add(**values, preview=True)
    with planner.following(seen.proposal):
        made = planner.links.add(**values)
    assert [c["name"] for c in made.changes] == [c["name"] for c in seen.changes]
    for wrong, says in (({"other": quay}, "joins two realms"), ({"one_shows": ["10.91.0.300"]}, "octet")):
        with pytest.raises(Problem, match=says):
            planner.links.add(**{**values, "name": "wrong", **wrong})
    with pytest.raises(Problem):
        planner.links.edit(made.result["id"], other=quay)


def test_eight_planners_at_once_over_two_joined_realms_never_hand_out_the_same(live, joining):
    planner, (quay, yard) = live.client("planner"), joining
    planner.links.add(
        name=f"{quay}-eight", one=quay, other=yard, reason="eight of us", other_gives=["10.91.8.0/21"]
    )
    before = {realm: len(list(planner.subnets.list(realm=realm))) for realm in joining}

    def work(n):
        with live.client("planner") as client:
            for _ in range(6):
                try:
                    client.request(pool=f"{joining[n % 2]}:pool", **WHO, length=26)
                except Problem as full:
                    assert full.code in ("exhausted", "busy"), full

    with ThreadPoolExecutor(8) as threads:
        list(threads.map(work, range(8)))
    blocks = {
        realm: [b["prefix"] for s in planner.subnets.list(realm=realm) for b in s["blocks"]] for realm in joining
    }
    assert all(len(blocks[realm]) > before[realm] for realm in joining)
    told = planner.links.meetings(f"{quay}-eight")[0]
    assert told["clashes"] == {"living": 1, "planned": 0, "kept out": 0}  # the one that was there before
    assert planner.verify()["clean"]


def test_the_estate_file_tells_links_and_makes_them(live, joining, lentra, tmp_path):  # noqa: F811
    planner, (quay, yard) = live.client("planner"), joining
    file = tmp_path / "links.yaml"
    file.write_text(
        f"format: lentra-estate-1\nlinks:\n  {quay}-file: {{one: {quay}, other: {yard}, kind: exchange, "
        "one_shows: [10.91.0.0/22], reason: as the file says}\n"
    )
    done = lentra("estate", "commit", str(file), "--yes", role="planner")
    assert done.returncode == 0, done.stderr
    link = planner.links.get(f"{quay}-file")
    assert (link["kind"], link["one_shows"], link["other_shows"]) == ("exchange", ["10.91.0.0/22"], [])
    written = lentra("estate", "write", "--realm", quay, role="planner").stdout
    assert f"{quay}-file:" in written
    assert "linked" not in written  # what follows from links is not told apart from them
    assert ROOT.exists()


def test_the_console_shows_what_would_meet_divides_it_and_links(open_as, live, joining):  # noqa: F811
    planner, (quay, yard) = live.client("planner"), joining
    page = open_as("planner")
    page.goto(f"{live.url}/links")
    choose(page, "First realm", quay)
    choose(page, "Second realm", yard)
    page.get_by_text("Clashes: 1 living").wait_for()
    page.get_by_role("img", name=f"{quay} above").wait_for()
    give = page.get_by_role("button", name="Give it to").first
    given = give.get_attribute("aria-label").rpartition(" ")[2]
    give.focus()
    page.keyboard.press("Enter")
    page.get_by_role("button", name="Divide as proposed").wait_for()
    page.get_by_role("cell", name="chosen").first.wait_for()
    page.get_by_role("button", name="Link them").focus()
    page.keyboard.press("Enter")
    page.get_by_label("Name", exact=False).first.fill(f"{quay}-by-console")
    page.get_by_label("Reason for the link").fill("the piers are one now")
    page.keyboard.press("Enter")
    page.get_by_text("Will add link").wait_for()
    page.get_by_role("button", name="Confirm").focus()
    page.keyboard.press("Enter")
    page.get_by_role("dialog").wait_for(state="detached")
    page.get_by_text("Nothing would meet that does not meet already.").wait_for()
    link = planner.links.get(f"{quay}-by-console")
    shares = {share["range"]: share["realm"] for share in planner.links.meetings(link["id"])[0]["shares"]}
    kept = [k["range"] for realm in joining for k in planner.keep_outs.list(realm=realm, kind="linked")]
    assert shares
    assert any(given.split("/")[0].split("-")[0] in text for text in kept), (given, kept)
    page.goto(f"{live.url}/set-up/links/{link['id']}")
    page.get_by_role("region", name=f"Clashes of {quay} and {yard}").wait_for()
