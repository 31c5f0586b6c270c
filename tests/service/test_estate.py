"""The registry as a file, by the command line and in the console: by a preview's proposal, as people do it."""

import json
import uuid

import pytest
import yaml

from lentra.client.errors import BadEstate, EstateNotPossible, NotAllowed
from tests.service.test_command_line import lentra  # noqa: F401
from tests.service.test_console import open_as  # noqa: F401


@pytest.fixture
def lab(tmp_path):
    """An estate file of a realm of its own, and the realm's name."""
    realm = f"e-{uuid.uuid4().hex[:8]}"
    pools = {
        f"{realm}:lab": {"ranges": ["10.60.0.0/16"], "sheet": "ends-withheld"},
        f"{realm}:bench": {"ranges": ["10.60.16.0/20"], "parent": f"{realm}:lab", "about": "The bench"},
    }
    path = tmp_path / "lab.yaml"
    path.write_text(
        yaml.safe_dump({"format": "lentra-estate-1", "realms": {realm: {}}, "pools": pools}, sort_keys=False)
    )
    return path, realm


def test_an_estate_is_previewed_committed_compared_and_written_again(lentra, lab, planner):  # noqa: F811
    path, realm = lab
    seen = lentra("estate", "preview", str(path), "--fail-on-change")
    assert seen.returncode == 1
    assert f"pools.{realm}:bench" in seen.stdout
    assert lentra("estate", "preview", str(path)).returncode == 0
    assert realm not in {row["name"] for row in planner.realms.list()}
    asked = lentra("estate", "commit", str(path))
    assert asked.returncode == 2
    done = lentra("estate", "commit", str(path), "--yes", "--why", "the lab moves in")
    assert done.returncode == 0, done.stderr
    assert "3 added" in done.stdout
    again = lentra("estate", "preview", str(path), "--fail-on-change", "-o", "json")
    told = json.loads(again.stdout)
    assert (again.returncode, told["changes"]) == (0, False)
    written = path.with_name("written.yaml")
    assert lentra("estate", "write", "--realm", realm, "--to", str(written)).returncode == 0
    document = yaml.safe_load(written.read_text())
    assert list(document["pools"]) == [f"{realm}:bench", f"{realm}:lab"]
    assert lentra("estate", "departures", str(written), "--fail-on-change").returncode == 0
    planner.pools.edit(f"{realm}:bench", about="Somebody else wrote this")
    departs = lentra("estate", "departures", str(written), "--fail-on-change")
    assert departs.returncode == 1
    assert "about: Somebody else wrote this → The bench" in departs.stdout
    assert next(planner.ledger(kind="pool", verb="add", text="bench"))["why"] == "the lab moves in"


def test_what_is_wrong_is_told_by_line_and_changes_nothing(live, planner, lab):
    path, realm = lab
    text = path.read_text()
    with pytest.raises(BadEstate, match="there is no such fact") as refused:
        planner.commit_estate(text.replace("about:", "abuot:"))
    assert refused.value.suggestions[0] == "about"
    with pytest.raises(EstateNotPossible, match=r"line \d+, pools\..*:bench: ") as refused:
        planner.commit_estate(text.replace("10.60.16.0/20", "10.99.0.0/20"))
    assert refused.value.conflicts[0]["code"] == "outside-parent"
    assert not [row for row in planner.realms.list() if row["name"] == realm]
    for role in ("viewer", "requester"):
        with pytest.raises(NotAllowed):
            live.client(role).commit_estate(text)


def test_an_estate_file_is_committed_in_the_console(open_as, live, planner, lab):  # noqa: F811
    path, realm = lab
    page = open_as("planner")
    page.goto(live.url + "/intakes")
    page.get_by_label("Estate file").set_input_files(path)
    page.get_by_text("3 added").wait_for()
    page.get_by_role("table", name="Entries").get_by_text(f"pools.{realm}:lab").wait_for()
    page.get_by_role("button", name="Commit the file").press("Enter")
    dialog = page.get_by_role("dialog")
    dialog.get_by_text("3 added").wait_for()
    dialog.get_by_role("button", name="Commit the file").press("Enter")
    page.get_by_text("The registry is as the file says.").wait_for()
    assert {pool["name"] for pool in planner.pools.list(realm=realm)} == {"lab", "bench"}
    page.get_by_role("combobox", name="Of realm").fill(realm)
    page.get_by_role("option", name=realm).click()
    with page.expect_download() as taken:
        page.get_by_role("button", name="Write it").press("Enter")
    assert yaml.safe_load(taken.value.path().read_text())["realm"] == realm


def test_plans_that_an_estate_names_are_read_from_beside_it(lentra, lab, planner):  # noqa: F811
    path, realm = lab
    estate = path.with_name("whole.yaml")
    estate.write_text(path.read_text() + "plans: [plans/gates.yaml]\n")
    missing = lentra("estate", "preview", str(estate))
    assert missing.returncode == 2
    assert "gates.yaml cannot be read" in missing.stderr
    (path.parent / "plans").mkdir()
    (path.parent / "plans" / "gates.yaml").write_text(
        f"format: lentra-plan-1\nname: gates\nproject: ticketing\nrealm: {realm}\npools: {{ipv4: bench}}\n"
        f'zones: [ml-1]\ntiers: [{{tier: app, length: 26, count: 2}}]\nnames: "{realm}-{{nn}}"\n'
    )
    seen = lentra("estate", "preview", str(estate))
    assert "plans: 1 added" in seen.stdout
    done = lentra("estate", "commit", str(estate), "--yes")
    assert done.returncode == 0, done.stderr
    assert len(list(planner.subnets.list(realm=realm))) == 2
    assert lentra("estate", "preview", str(estate), "--fail-on-change").returncode == 0
