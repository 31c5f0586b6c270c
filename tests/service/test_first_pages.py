"""First pages: what each comes for; and from nothing to a first layout."""

from __future__ import annotations

import json
import subprocess
import sys
import uuid

import pytest

from lentra.client.errors import Problem
from lentra.service.database import OwnDatabase
from lentra.service.launcher import Service
from tests.conftest import SECRET, any_free_port
from tests.service.test_command_line import lentra  # noqa: F401
from tests.service.test_console import open_as  # noqa: F401


def lists(live, role):
    told = live.client(role).today()
    assert told["role"] == role
    return {section["name"]: section for section in told["sections"]}


def test_each_sees_what_it_comes_for(live):
    own, planned, seen, kept = (lists(live, role) for role in ("requester", "planner", "viewer", "admin"))
    assert list(own) == ["projects", "requests", "ends", "cools", "again"]
    assert (
        "16 of 18 public addresses"
        in next(line for line in own["projects"]["lines"] if line["text"] == "ticketing")["note"]
    )
    assert all(line["kind"] == "request" for line in own["requests"]["lines"])
    assert list(planned) == ["waits", "alerts", "fills", "findings", "ends", "unusual", "changes"]
    assert planned["fills"]["lines"][0]["text"] == "quay-cameras"
    assert "needed by" in planned["waits"]["lines"][0]["note"]
    assert {"service", "tokens", "subscriptions", "people"} <= set(kept)
    assert list(seen) == ["realms", "fills", "alerts", "changes"]
    for section in (*own.values(), *planned.values(), *kept.values()):
        assert len(section["lines"]) <= 6 or section["name"] == "changes"
        assert section["total"] >= len(section["lines"])


def test_a_token_that_reaches_less_far_sees_less(live):
    planner = live.client("planner")
    text = planner.tokens.add(name=f"t-{uuid.uuid4().hex[:8]}", role="viewer").result["text"]
    assert type(planner)(live.url, text).today()["role"] == "viewer"


def test_today_in_the_console_leads_on(live, open_as):  # noqa: F811
    page = open_as("planner")
    page.goto(live.url + "/")
    page.get_by_role("region", name="Fills first").get_by_role("link", name="quay-cameras").click()
    page.get_by_role("heading", name="quay-cameras").wait_for()
    page.get_by_role("link", name="Today").click()
    page.get_by_role("link", name="All of Waits for a decision").click()
    page.get_by_role("heading", name="Waiting").wait_for()


def test_what_the_beginning_asks_and_what_is_no_answer(live):
    client = live.client("planner")
    steps = client.begin_steps()
    assert [step["name"] for step in steps] == ["realm", "sheet", "places", "tiers", "project", "pool", "plan"]
    assert all(step["words"].count(".") >= 1 and step["questions"] for step in steps)
    for answers, field in (
        ({"realm": "My Realm"}, "realm"),
        ({"zones": ""}, "zones"),
        ({"range": "10.0.0.0/99"}, "range"),
        ({"range": "fd00::/48"}, "range"),
        ({"hosts": "many"}, "hosts"),
        ({"colour": "red"}, "colour"),
    ):
        with pytest.raises(Problem) as refused:
            client.beginning(**answers)
        assert refused.value.field == field
        assert refused.value.suggestions or field == "realm"


@pytest.fixture
def empty(tmp_path):
    """A service with nothing in it but an admin."""
    database = OwnDatabase(tmp_path / "data", any_free_port(), lasting=False)
    database.start()
    service = Service(tmp_path, database.url, any_free_port(), SECRET, workers=1)
    service.manage("prepare")
    command = [sys.executable, "-m", "lentra.service.manage", "add_admin", "asta"]
    subprocess.run(command, env=service.environment, input="a long word for a pier\n", text=True, check=True)
    service.start(upkeep=False)
    yield service
    service.stop()
    database.stop()


def test_from_nothing_to_three_zones_and_three_tiers(empty, browser, lentra):  # noqa: F811
    page = browser.new_context(viewport={"width": 1280, "height": 800}).new_page()
    page.set_default_timeout(30_000)
    page.goto(empty.address + "/sign-in")
    page.get_by_label("Name").fill("asta")
    page.get_by_label("Password").fill("a long word for a pier")
    page.keyboard.press("Enter")
    page.get_by_text("The registry is empty").wait_for()
    page.get_by_role("link", name="Begin").click()
    for _ in range(6):
        page.get_by_role("button", name="Next").focus()
        page.keyboard.press("Enter")
    page.get_by_label("Hosts in each subnet").fill("40")
    page.keyboard.press("Enter")
    page.get_by_text("first-plan.yaml").first.wait_for()
    page.get_by_role("button", name="Make it").click()
    page.get_by_role("dialog").get_by_role("button", name="Make it").click()
    page.get_by_role("heading", name="Plans").wait_for()
    page.get_by_role("link", name="first-first").wait_for()
    from lentra.client import sign_in

    token, _ = sign_in(empty.address, "asta", "a long word for a pier", "test")
    made = lentra("list", "-o", "json", LENTRA_URL=empty.address, LENTRA_TOKEN=token)
    assert len(json.loads(made.stdout)) == 9
    again = lentra("begin", "--set", "hosts=40", "--yes", LENTRA_URL=empty.address, LENTRA_TOKEN=token)
    assert "as it was" in again.stdout
    page.context.close()


def test_all_about_a_project_and_a_person_is_on_one_page(live, open_as):  # noqa: F811
    planner = live.client("planner")
    page = open_as("planner")
    page.goto(f"{live.url}/set-up/projects/{planner.projects.get('ticketing')['id']}")
    page.get_by_role("region", name="Requests that waited").get_by_role("row").nth(1).wait_for()
    page.get_by_role("region", name="People").get_by_text("gate-rollout").wait_for()
    page.get_by_role("link", name="Its grid over zones and tiers").click()
    page.get_by_role("heading", name="Headroom").wait_for()
    page.go_back()
    page.get_by_role("region", name="People").get_by_role("link", name="rune").click()
    page.get_by_role("region", name="Changes").get_by_role("row").nth(1).wait_for()
    page.get_by_role("link", name="All of Requests that waited").click()
    page.get_by_role("heading", name="Waiting").wait_for()
    assert page.url.endswith("asker=rune")
    page.goto(f"{live.url}/set-up/zones/{planner.zones.get('ml-1')['id']}")
    page.get_by_role("region", name="Pools").get_by_role("link", name="ml-1-general").click()
    page.get_by_role("heading", name="ml-1-general").wait_for()
