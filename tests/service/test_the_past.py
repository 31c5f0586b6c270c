"""Who had it then: by HTTP, client, command line and console, page by page, and what is wrong with the question."""

import json
import re
import time
from datetime import UTC, datetime

import pytest
import requests

from tests.service.test_command_line import lentra  # noqa: F401
from tests.service.test_console import open_as  # noqa: F401


@pytest.fixture
def quay(fresh_pool, planner):
    """A range that two subnets had, one after the other: realm, and when the first was given back."""
    pool = fresh_pool("10.70.0.0/24", cooling_days=0)
    realm = pool.partition(":")[0]
    place = {"pool": pool, "project": "ticketing", "zone": "nc-1", "tier": "app"}
    first = planner.request(**place, prefix="10.70.0.0/26", name="old-hall").result["subnets"][0]
    planner.subnets.record(first["id"], "turnstile", address="10.70.0.9")
    planner.subnets.grow(first["id"], length=25)
    time.sleep(1)  # the registry tells moments by the second
    turn = datetime.now(UTC).replace(microsecond=0)
    time.sleep(1)
    planner.release(first["id"], despite_use=True, why="the hall has closed")
    planner.request(**place, prefix="10.70.0.0/26", name="new-hall")
    return realm, turn


def test_who_had_it_is_told_page_by_page_and_of_a_moment(planner, live, quay):
    realm, turn = quay
    told = list(planner.history("10.70.0.9", realm=realm, kind="subnet"))
    assert [(row["name"], row["prefix"], row["going_on"]) for row in told] == [
        ("old-hall", "10.70.0.0/25", False),
        ("old-hall", "10.70.0.0/26", False),
        ("new-hall", "10.70.0.0/26", True),
    ]
    assert told[0]["began"]["verb"] == "grow"
    assert told[0]["ended"]["why"] == "the hall has closed"
    then = list(planner.history("10.70.0.0/24", realm=realm, on=turn.isoformat()))
    assert [(row["kind"], row["name"]) for row in then] == [
        ("subnet", "old-hall"),
        ("address record", "turnstile"),
    ]
    assert then[1]["subnet"]["name"] == "old-hall"
    whole = list(planner.history("10.70.0.0/24", realm=realm))
    assert list(planner.pages("history", {"range": "10.70.0.0/24", "realm": realm, "limit": 1})) == whole
    taken = b"".join(planner.take_out("history", "csv", range="10.70.0.0/24", realm=realm)).decode()
    assert len(taken.splitlines()) == len(whole) + 1


@pytest.mark.parametrize(
    ("query", "words"),
    [
        ({}, "say which address or range"),
        ({"range": "10.70.0.300"}, "10.70.0.300"),
        ({"range": "10.70.0.1", "on": "yesterday"}, "neither a day nor a moment"),
        (
            {"range": "10.70.0.1", "kind": "block"},
            "'block' is none of subnet, address record, reservation, keep-out",
        ),
        ({"range": "10.70.0.1", "cursor": "else"}, "begin without it"),
    ],
)
def test_what_is_wrong_with_the_question_is_said(live, query, words):
    answer = requests.get(
        live.url + "/api/v1/history",
        query,
        headers={"Authorization": f"Bearer {live.token('viewer')}"},
        timeout=30,
    )
    assert answer.status_code == 400
    assert words in answer.json()["detail"]


def test_the_command_line_shows_who_had_it(lentra, quay):  # noqa: F811
    realm, turn = quay
    shown = lentra("history", "10.70.0.9", "--realm", realm, "--kind", "subnet").stdout.splitlines()
    assert [re.split(r"  +", line)[4] for line in shown[1:]] == ["old-hall", "old-hall", "new-hall"]
    assert "give back" in shown[1]
    then = json.loads(lentra("show", "10.70.0.9", "--realm", realm, "--on", turn.isoformat(), "-o", "json").stdout)
    assert [row["name"] for row in then] == ["old-hall", "turnstile"]
    wrong = lentra("show", "ticketing-nc-1-app-01", "--on", "2026-03-01")
    assert (wrong.returncode, "is for an address or a range" in wrong.stderr) == (2, True)
    assert lentra("history", "some-hall", "--on", "2026-03-01").returncode == 2


def test_the_console_draws_the_past_from_the_search_on(open_as, live, quay):  # noqa: F811
    realm, _ = quay
    page = open_as("viewer")
    page.keyboard.press("/")
    page.keyboard.type("10.70.0.0/25")
    page.keyboard.press("Enter")
    link = page.get_by_role("link", name="History: who had it, from when to when")
    link.wait_for()
    link.focus()
    page.keyboard.press("Enter")
    page.get_by_role("heading", name="The past of 10.70.0.0/25").wait_for()
    page.get_by_label("Realm").fill(realm)
    page.keyboard.press("Enter")
    table = page.get_by_role("table", name="Who had it")
    table.get_by_role("row", name=re.compile("old-hall.*the hall has closed")).first.wait_for()
    table.get_by_role("link", name="new-hall").first.wait_for()
    drawing = page.get_by_role("img", name="The past of 10.70.0.0/25 as bars over time")
    assert drawing.locator("rect").count() > 3
    page.get_by_text(f"lentra history 10.70.0.0/25 --realm {realm}").wait_for()
