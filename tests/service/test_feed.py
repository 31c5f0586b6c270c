"""The feed as programs read it: by HTTP with waiting, by the client, by the command line that follows."""

import json
import os
import signal
import subprocess
import sys
import threading
import time

import pytest
import requests

from tests.service.test_console import open_as  # noqa: F401


@pytest.fixture
def ask(live):
    def get(**query):
        headers = {"Authorization": f"Bearer {live.token('viewer')}"}
        return requests.get(live.url + "/api/v1/ledger", query, headers=headers, timeout=60)

    return get


def after_of(answer):
    return int(answer.json()["next"].partition("after=")[2].partition("&")[0])


def test_a_call_waits_for_what_comes_and_is_answered_as_soon_as_it_does(ask, planner, fresh_pool):
    realm = fresh_pool("10.73.0.0/24").partition(":")[0]
    newest = ask(limit=1).json()["results"][0]["number"]
    while not (empty := ask(after=newest, wait=1, realm=realm)).ok or after_of(empty) < newest:
        time.sleep(0.2)
    assert empty.json()["results"] == []
    begun = time.monotonic()
    threading.Timer(1, lambda: planner.regions.add(name=f"coast-{realm}")).start()
    told = ask(after=after_of(empty), wait=25, kind="region")
    while not told.json()["results"]:  # something else came between
        told = ask(after=after_of(told), wait=25, kind="region")
    assert time.monotonic() - begun < 20
    (entry,) = told.json()["results"]
    assert (entry["kind"], entry["name"]) == ("region", f"coast-{realm}")
    assert after_of(told) == entry["number"]


def test_all_of_the_ledger_comes_in_pages_without_doubles(ask, planner):
    numbers, after = [], 0
    while part := (answer := ask(after=after, limit=400)).json()["results"]:
        numbers += [entry["number"] for entry in part]
        after = after_of(answer)
    assert len(numbers) == len(set(numbers)) > 800
    listed = [entry["number"] for entry in planner.pages("ledger", {"after": 0, "limit": 1000, "kind": "pool"})]
    assert listed == [number for number in numbers if number in set(listed)]


@pytest.mark.parametrize(
    ("query", "field", "words"),
    [
        ({"after": 10**15}, "after", "no change has the number"),
        ({"after": -1}, "after", "0 at least"),
        ({"wait": 5}, "wait", "only after a number"),
        ({"after": 0, "order": "oldest"}, "order", "in the order of commits"),
        ({"after": 0, "as": "csv"}, "as", "in the order of commits"),
        ({"after": 0, "wait": 31}, "wait", "30"),
    ],
)
def test_what_is_wrong_with_the_question_is_said(ask, query, field, words):
    answer = ask(**query)
    assert (answer.status_code, answer.json()["field"]) == (400, field)
    assert words in answer.json()["detail"]


def test_the_command_line_follows_what_comes(live, planner, fresh_pool, tmp_path):
    realm = fresh_pool("10.74.0.0/24").partition(":")[0]
    newest = next(planner.ledger(limit=1))["number"]
    settings = {
        **os.environ,
        "LENTRA_URL": live.url,
        "LENTRA_TOKEN": live.token("viewer"),
        "XDG_CONFIG_HOME": str(tmp_path),
    }
    command = [
        sys.executable,
        "-m",
        "lentra.cli.main",
        "ledger",
        "--follow",
        "--after",
        str(newest),
        "--realm",
        realm,
        "-o",
        "jsonl",
    ]
    process = subprocess.Popen(command, env=settings, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True)
    try:
        place = {"pool": f"{realm}:pool", "project": "ticketing", "zone": "nc-1", "tier": "app"}
        name = planner.request(**place, length=28).result["subnets"][0]["name"]
        entry = json.loads(process.stdout.readline())
        assert (entry["kind"], entry["verb"], entry["name"]) == ("subnet", "hand out", name)
    finally:
        process.send_signal(signal.SIGINT)
    assert process.wait(20) == 0


def test_the_client_goes_on_from_a_number(planner, fresh_pool):
    realm = fresh_pool("10.75.0.0/24").partition(":")[0]
    made = next(iter(planner.ledger(realm=realm, kind="realm")))["number"]
    comes = planner.follow(made, wait=5, realm=realm)
    assert next(comes)["kind"] in ("keep-out", "pool")
    assert next(entry for entry in comes if entry["kind"] == "pool")["name"] == "pool"


def test_the_console_shows_what_comes(open_as, live, planner, fresh_pool):  # noqa: F811
    realm = fresh_pool("10.82.0.0/24").partition(":")[0]
    page = open_as("viewer")
    page.goto(f"{live.url}/ledger?kind=region")
    page.get_by_role("table", name="Ledger entries").wait_for()
    page.get_by_label("Show what comes").focus()
    page.keyboard.press("Space")
    page.get_by_text("lentra ledger --kind region --follow").wait_for()
    planner.regions.add(name=f"isle-{realm}")
    page.get_by_role("table", name="Ledger entries").get_by_role("cell", name=f"isle-{realm}").wait_for()
