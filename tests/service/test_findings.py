"""A working day with findings: told by the command line, through HTTP, and closed in the console by keys."""

from __future__ import annotations

import json
import shutil
import subprocess
import uuid

import pytest
import requests

from lentra.client import Problem
from tests.conftest import ROOT
from tests.service.test_command_line import lentra  # noqa: F401
from tests.service.test_console import choose, open_as  # noqa: F401
from tests.service.test_console_whole import confirm

FORMAT = "lentra-sightings-1"


@pytest.fixture
def walk(live):
    """A realm of its own with a pool, and a source that walks in it."""
    planner, mark = live.client("planner"), uuid.uuid4().hex[:8]
    realm = planner.realms.add(name=f"walk-{mark}").result["name"]
    planner.pools.add(name="yard", realm=realm, sheet="ends-withheld", ranges=["10.90.0.0/16"])
    planner.sources.add(name=f"walk-{mark}", realm=realm, covers=["10.90.0.0/16"])
    return f"walk-{mark}", realm


def test_a_day_from_what_was_seen_to_nothing_that_differs(live, walk, lentra, tmp_path):  # noqa: F811
    source, realm = walk
    planner = live.client("planner")
    wanted = {"pool": f"{realm}:yard", "project": "crew-roster", "tier": "app", "zone": "ml-1", "name": realm}
    subnet = planner.request(**wanted, prefix="10.90.1.0/26").result["subnets"][0]
    planner.subnets.record(subnet["id"], "cam-1")
    file = tmp_path / "seen.json"
    seen = [
        {"range": "10.90.7.0/24"},
        {"range": "10.90.1.0/26", "tag": 12},
        {"address": "10.90.1.9", "name": "cam-2"},
    ]
    file.write_text(json.dumps({"format": FORMAT, "sightings": seen}))
    shown = lentra("survey", "send", source, str(file), "--preview", role="planner")
    assert shown.returncode == 0
    assert "3 findings opened" in shown.stdout
    assert not list(planner.findings.list(realm=realm))
    done = lentra("survey", "send", source, str(file), "--yes", role="planner")
    assert done.returncode == 0, done.stderr
    told = {f["range"]: f for f in planner.findings.list(realm=realm, state="open")}
    assert {(f["kind"], f["fact"]) for f in told.values()} == {("stray", ""), ("differs", "tag")}
    listed = lentra("findings", "--realm", realm, "-o", "json", role="viewer")
    assert len(json.loads(listed.stdout)) == 3

    stray, inside, tag = (told[where] for where in ("10.90.7.0/24", "10.90.1.9", "10.90.1.0/26"))
    refused = lentra("finding", "take-over", str(tag["id"]), "--becomes", "keep-out", "--yes", role="planner")
    assert refused.returncode == 1
    assert "correct what is recorded" in refused.stderr
    for number, becomes in ((stray["id"], "keep-out"), (inside["id"], "address-record")):
        taken = lentra(
            "finding", "take-over", str(number), "--becomes", becomes, "--name", "cam-2", "--yes", role="planner"
        )
        assert taken.returncode == 0, taken.stderr
    kept_out = lentra("request", "--pool", f"{realm}:yard", "--project", "crew-roster", "--tier", "app", "--zone", "ml-1",
                      "--prefix", "10.90.7.0/26", "--yes", role="planner")  # fmt: skip
    assert kept_out.returncode == 1
    planner.subnets.edit(subnet["id"], tag=12)
    lentra("survey", "send", source, str(file), "--yes", role="planner")
    assert not list(planner.findings.list(realm=realm, state="open"))
    assert {f["id"] for f in planner.findings.list(realm=realm, state="closed")} == {
        f["id"] for f in told.values()
    }
    assert planner.verify()["clean"]


def test_a_document_that_is_none_is_told_where_it_is_wrong(live, walk):
    planner, (source, _) = live.client("planner"), walk
    wrong = [
        ({}, "document.format"),
        ({"format": FORMAT, "sightings": []}, "document.sightings"),
        ({"format": FORMAT, "sightings": [{"range": "10.90.1.0/24", "address": "10.90.1.1"}]}, "document.sightings.0"),
        ({"format": FORMAT, "sightings": [{"range": "10.90.1.0/33"}]}, "document.sightings.0.range"),
        ({"format": FORMAT, "sightings": [{"address": "10.90.1.1", "mac": "no"}]}, "document.sightings.0.mac"),
        ({"format": FORMAT, "at": "yesterday", "sightings": [{"address": "10.90.1.1"}]}, "document.at"),
        ({"format": FORMAT, "sightings": [{"address": "10.90.1.1", "colour": "red"}]}, "document.sightings.0"),
        ({"format": "lentra-host-1", "addr": {"x": 1}}, "document.addr"),
        ({"format": "lentra-host-1", "addr": [{"addr_info": [{"family": "inet", "scope": "global", "local": "x"}]}]},
         "document.addr.0.addr_info"),
    ]  # fmt: skip
    for document, field in wrong:
        with pytest.raises(Problem) as refused:
            planner.sources.survey(source, document)
        assert refused.value.field == field, document
    assert planner.sources.get(source)["seen_at"] is None


@pytest.mark.skipif(not shutil.which("ip"), reason="iproute2 is missing")
def test_a_linux_host_tells_what_it_has(live, walk, lentra):  # noqa: F811
    source, realm = walk
    name = f"lt{uuid.uuid4().hex[:6]}"
    run = ["ip", "netns", "exec", name]
    made = subprocess.run(["ip", "netns", "add", name], capture_output=True, text=True, check=False)
    if made.returncode:
        pytest.skip(f"no network namespace can be made here: {made.stderr.strip()}")
    try:
        for command in (
            ["link", "add", "quay", "type", "veth", "peer", "name", "hull"],
            ["addr", "add", "10.90.3.5/24", "dev", "quay"],
            ["link", "set", "hull", "up"],
            ["link", "set", "quay", "up"],
            ["neigh", "add", "10.90.3.9", "lladdr", "02:00:00:00:00:09", "dev", "quay", "nud", "permanent"],
        ):
            subprocess.run([*run, "ip", *command], check=True)
        saved = {part: subprocess.run([*run, "ip", "-j", *more], check=True, capture_output=True, text=True).stdout
                 for part, more in (("addr", ["-d", "addr"]), ("neigh", ["neigh"]))}  # fmt: skip
    finally:
        subprocess.run(["ip", "netns", "del", name], check=True)
    document = {
        "format": "lentra-host-1",
        "host": "quay-1",
        **{part: json.loads(text) for part, text in saved.items()},
    }
    live.client("planner").sources.survey(source, document)
    seen = {s["range"]: s["facts"] for s in live.client("viewer").sightings(realm=realm)}
    assert set(seen) == {"10.90.3.0/24", "10.90.3.5", "10.90.3.9"}
    assert seen["10.90.3.5"]["name"] == "quay-1"
    assert seen["10.90.3.9"]["mac"] == "02:00:00:00:00:09"


def test_this_host_and_saved_output_are_sent_by_the_command_line(live, walk, lentra, tmp_path):  # noqa: F811
    source, _ = walk
    sent = lentra("survey", "host", source, "--saved", str(ROOT / "demo" / "quay-router"), "--yes", role="planner")
    assert sent.returncode == 0, sent.stderr
    assert live.client("viewer").sources.get(source)["seen_at"]
    broken = lentra("survey", "host", source, "--saved", str(tmp_path), "--yes", role="planner")
    assert broken.returncode == 2
    assert "tells nothing that can be read" in broken.stderr


def test_findings_are_settled_in_the_console_by_keys(live, walk, open_as):  # noqa: F811
    source, realm = walk
    planner = live.client("planner")
    seen = {"format": FORMAT, "sightings": [{"range": "10.90.8.0/24"}, {"range": "10.90.9.0/24"}]}
    planner.sources.survey(source, seen)
    page = open_as("planner")
    page.goto(f"{live.url}/findings?realm={realm}")
    page.get_by_role("button", name="Dismiss: stray 10.90.8.0/24").focus()
    page.keyboard.press("Enter")
    page.get_by_label("Reason", exact=False).first.fill("the builders are there until spring")
    confirm(page)
    page.get_by_role("button", name="Dismiss: stray 10.90.8.0/24").wait_for(state="detached")
    (dismissed,) = planner.findings.list(realm=realm, state="dismissed")
    assert dismissed["reason"] == "the builders are there until spring"
    page.get_by_role("button", name="Take over: stray 10.90.9.0/24").focus()
    page.keyboard.press("Enter")
    choose(page, "It becomes", "keep-out")
    confirm(page)
    page.get_by_text("Nothing differs, as far as anything was seen.").wait_for()
    assert [k["range"] for k in planner.keep_outs.list(realm=realm, source=source)] == ["10.90.9.0/24"]


def test_a_survey_and_a_dismissal_do_what_their_previews_have_shown(live, walk):
    source, realm = walk
    planner = live.client("planner")
    seen = {"format": FORMAT, "sightings": [{"range": "10.90.5.0/24"}]}
    for what, arguments in ((planner.sources.survey, (source, seen)), (planner.findings.dismiss, None)):
        if arguments is None:
            (finding,) = planner.findings.list(realm=realm)
            arguments = (finding["id"], "a trial")
        shown = what(*arguments, preview=True)
        with planner.following(shown.proposal):
            what(*arguments)
    assert [f["state"] for f in planner.findings.list(realm=realm)] == ["dismissed"]
    shown = planner.findings.reopen(finding["id"], preview=True)
    planner.findings.reopen(finding["id"])
    with planner.following(shown.proposal), pytest.raises(Problem, match="no longer"):
        planner.findings.reopen(finding["id"])


def test_what_was_seen_in_a_subnet_is_of_all_its_blocks(live, walk, lentra):  # noqa: F811
    source, realm = walk
    planner = live.client("planner")
    wanted = {
        "pool": f"{realm}:yard",
        "project": "tide-model",
        "tier": "app",
        "zone": "ml-1",
        "name": f"{realm}-two",
    }
    subnet = planner.request(**wanted, prefix="10.90.6.0/26").result["subnets"][0]
    seen = {"format": FORMAT, "sightings": [{"address": "10.90.6.9"}, {"address": "10.90.6.99"}]}
    planner.sources.survey(source, seen)
    assert [s["range"] for s in planner.sightings(subnet=subnet["id"])] == ["10.90.6.9"]
    assert "10.90.6.9 " in lentra("seen", "--subnet", str(subnet["id"]), role="viewer").stdout


def test_findings_come_as_a_file_as_well(live):
    headers = {"Authorization": f"Bearer {live.token('viewer')}"}
    answer = requests.get(f"{live.url}/api/v1/findings?as=csv", headers=headers, timeout=30)
    assert answer.ok
    assert "stray" in answer.text


def test_strays_become_what_previews_have_shown_one_and_several(live, walk):
    source, realm = walk
    planner = live.client("planner")
    rows = [{"range": f"10.90.{n}.0/24", "name": f"{realm}-{n}"} for n in (30, 31, 32, 33)]
    planner.sources.survey(source, {"format": FORMAT, "sightings": rows})
    hall, kept, *both = sorted(planner.findings.list(realm=realm), key=lambda f: f["range"])
    assert hall["can_become"] == ["keep-out", "subnet", "reservation"]
    assert not hall["can_correct"]
    place = {"project": "tide-model", "tier": "app", "zone": "ml-1"}
    for numbers, becomes, more in (
        (hall["id"], "subnet", place),
        (kept["id"], "reservation", {"reason": "the builders"}),
        ([one["id"] for one in both], "keep-out", {}),
    ):
        shown = planner.findings.take_over(numbers, becomes, preview=True, **more)
        assert len(list(planner.findings.list(realm=realm, state="open")))
        with planner.following(shown.proposal):
            planner.findings.take_over(numbers, becomes, **more)
    assert not list(planner.findings.list(realm=realm, state="open"))
    assert planner.subnets.get(f"{realm}:{realm}-30")["blocks"][0]["prefix"] == "10.90.30.0/24"
    assert [r["range"] for r in planner.reservations.list(realm=realm)] == ["10.90.31.0/24"]
    kept_out = {k["range"]: k["finding"] for k in planner.keep_outs.list(realm=realm, source=source)}
    assert kept_out == {"10.90.32.0/24": None, "10.90.33.0/24": None}
    assert planner.verify()["clean"]


def test_what_a_project_is_to_correct_is_listed_by_it(live, walk, lentra):  # noqa: F811
    source, realm = walk
    planner = live.client("planner")
    seen = {"format": FORMAT, "sightings": [{"range": "10.90.20.0/24"}, {"range": "10.90.21.0/24"}]}
    planner.sources.survey(source, seen)
    first = min(f["id"] for f in planner.findings.list(realm=realm, state="open"))
    done = lentra("finding", "assign", str(first), "--to-project", "tide-model", "--yes", role="planner")
    assert done.returncode == 0, done.stderr
    told = lentra("findings", "--realm", realm, "--assigned-project", "tide-model", "-o", "json", role="viewer")
    assert [row["id"] for row in json.loads(told.stdout)] == [first]
    assert not list(planner.findings.list(realm=realm, assigned_project="ticketing"))
