"""A working week of three people: asked, waited for, changed, granted; by HTTP, the command line and the console."""

from __future__ import annotations

import uuid

import pytest
import requests

from lentra.client import Client
from lentra.client.errors import NotAllowed, WrongState
from tests.service.test_command_line import lentra  # noqa: F401
from tests.service.test_console import open_as  # noqa: F401


@pytest.fixture
def week(live):
    """A realm of its own with a pool, a rule for it, and a project of a requester's."""
    admin, mark = live.client("admin"), uuid.uuid4().hex[:8]
    project, realm = f"quay-{mark}", f"week-{mark}"
    admin.projects.add(name=project)
    admin.realms.add(name=realm)
    admin.pools.add(name="halls", realm=realm, ranges=["10.40.0.0/20"], sheet="ends-withheld")
    admin.approval_rules.add(name=f"wide-{mark}", when="wider-than", limit=26, realm=realm, place=1)
    requester = live.people["requester"]["name"]
    had = [one["name"] for one in admin.people.get(requester)["projects"]]
    admin.people.edit(requester, projects=[*had, project])
    yield {"project": project, "pool": f"{realm}:halls", "tier": "app", "zone": "ml-1", "realm": realm}
    admin.people.edit(requester, projects=had)


def wanted(week, **values):
    return {name: week[name] for name in ("project", "pool", "tier", "zone")} | values


def test_a_week_by_http(live, week):
    asker, planner, viewer = live.client("requester"), live.client("planner"), live.client("viewer")
    assert asker.request(**wanted(week, length=27)).waits is None
    seen = asker.request(**wanted(week, length=24), preview=True)
    assert (seen.waits["holds"], seen.waits["request"]) == (True, None)
    assert seen.result["subnets"][0]["blocks"][0]["prefix"] == "10.40.1.0/24"
    with asker.telling(
        needed_by="2031-02-01", link=["https://wiki.ferry.example/quay", "https://wiki.ferry.example/plan"]
    ):
        asked = asker.request(**wanted(week, length=24), proposal=seen.proposal, why="gates")
    number = asked.waits["request"]
    assert asked.result is None
    shown = viewer.waiting.get(number)
    assert (shown["state"], shown["blocks"], shown["held"]) == ("waiting", ["10.40.1.0/24"], True)
    assert (shown["needed_by"], len(shown["links"]), shown["reason"]) == ("2031-02-01", 2, "gates")
    with pytest.raises(NotAllowed):
        asker.waiting.grant(number)
    with pytest.raises(NotAllowed):
        viewer.waiting.withdraw(number)
    planner.waiting.say(number, "which quay?")
    asker.waiting.edit(number, reason="gates of the northern quay")
    look = planner.waiting.grant(number, preview=True)
    assert [change["verb"] for change in look.changes] == ["hand out", "grant"]
    with planner.following(look.proposal):
        granted = planner.waiting.grant(number)
    assert granted.result["state"] == "granted"
    (subnet,) = granted.result["made"]
    assert planner.subnets.get(subnet)["blocks"][0]["prefix"] == "10.40.1.0/24"
    with pytest.raises(WrongState, match="was granted by"):
        planner.waiting.refuse(number, "too late")
    assert [one["what"] for one in planner.waiting.conversation(number)] == ["say", "edit", "grant"]
    assert planner.verify()["clean"]


def test_asked_twice_with_one_key_waits_once_and_two_askings_wait_apart(live, week):
    headers = {"Authorization": "Bearer " + live.token("requester"), "Idempotency-Key": uuid.uuid4().hex}
    answers = [
        requests.post(f"{live.url}/api/v1/subnets", json=wanted(week, length=24), headers=headers, timeout=30)
        for _ in range(2)
    ]
    assert [answer.status_code for answer in answers] == [202, 202]
    assert answers[0].json() == answers[1].json()
    assert answers[1].headers["Idempotent-Replay"] == "true"
    waiting = list(live.client("planner").waiting.list(project=week["project"], state="waiting"))
    assert len(waiting) == 1
    told = requests.post(
        f"{live.url}/api/v1/subnets?needed_by=soon",
        json=wanted(week),
        headers=headers | {"Idempotency-Key": "k"},
        timeout=30,
    )
    assert (told.status_code, told.json()["field"]) == (400, "needed_by")


def test_a_week_by_the_command_line(live, week, lentra):  # noqa: F811
    ask = ["request", "--project", week["project"], "--pool", week["pool"], "--tier", "app", "--zone", "ml-1"]
    seen = lentra(*ask, "--length", "23", "--preview", role="requester")
    assert "but first has to wait for a planner" in seen.stdout
    done = lentra(*ask, "--length", "23", "--yes", "--why", "gates", "--needed-by", "2031-02-01", role="requester")
    assert "Asked: it has to wait for a planner as request" in done.stdout
    (one,) = live.client("planner").waiting.list(project=week["project"], state="waiting")
    number = str(one["id"])
    assert "0.0 % in use without it, 12.5 % with it" in lentra("waiting", "show", number).stdout
    assert lentra("waiting", "grant", number, "--preview", role="requester").returncode == 3
    granted = lentra("waiting", "grant", number, "--set", "length=25", "--yes", "--why", "a /25 will do")
    assert "length: 25 in the place of 23" in granted.stdout
    shown = lentra("waiting", "show", number).stdout
    assert "granted by" in shown
    assert "a /25 will do" in shown
    tried = lentra("rules", "try", *ask[1:], "--length", "23")
    assert "waits for a planner by rule wide-" in tried.stdout
    assert "granted at once" in lentra("rules", "try", *ask[1:], "--length", "28").stdout


def test_a_week_in_the_console(live, week, open_as):  # noqa: F811
    page = open_as("requester")
    page.goto(
        f"{live.url}/request?project={week['project']}&tier=app&zone=ml-1&by=length&length=24&realm={week['realm']}"
    )
    page.get_by_role("radio", name="Pool halls").click()
    page.get_by_role("button", name="Look at the proposal").click()
    page.get_by_text("This waits for a planner").wait_for()
    page.get_by_label("Needed by").fill("2031-02-01")
    page.get_by_label("Reason").fill("gates of the northern quay")
    page.keyboard.press("Tab")
    page.keyboard.press("Enter")
    page.get_by_role("heading", name=f"/24 for {week['project']} out of halls").wait_for()
    page.get_by_label("Say something").fill("it is urgent")
    page.keyboard.press("Enter")
    page.get_by_text("it is urgent").wait_for()
    number = page.url.rpartition("/")[2]

    planner = open_as("planner")
    planner.goto(f"{live.url}/waiting?project={week['project']}")
    planner.get_by_text("6.25").wait_for()
    planner.get_by_role("link", name=f"/24 for {week['project']} out of halls").click()
    planner.get_by_text("it is urgent").wait_for()
    planner.get_by_label("Other length").fill("25")
    planner.get_by_role("button", name="Grant this instead").click()
    dialog = planner.get_by_role("dialog")
    dialog.get_by_text("length: 25 in the place of 24").wait_for()
    dialog.get_by_label("Reason").fill("half of it will do")
    planner.keyboard.press("Tab")
    for _ in range(6):
        if planner.evaluate("document.activeElement.textContent") == "Grant this instead":
            break
        planner.keyboard.press("Tab")
    planner.keyboard.press("Enter")
    planner.get_by_text("Granted otherwise than asked for").wait_for()
    page.reload()
    page.get_by_text("length 25 in the place of 24").wait_for()
    asker = Client(live.url, live.token("requester"))
    assert asker.waiting.get(int(number))["state"] == "granted"


def test_whatever_is_done_with_a_request_by_the_command_line(live, week, lentra):  # noqa: F811
    """Refused, passed on, talked about, edited, withdrawn: each by a preview first, which changes nothing."""
    asker, planner = live.client("requester"), live.client("planner")
    ask = [
        "request",
        *(f"--{name}={week[name]}" for name in ("project", "pool", "tier", "zone")),
        "--length",
        "24",
    ]

    def do(*words, role="planner"):
        seen = lentra("waiting", *words, "--preview", role=role)
        assert seen.returncode == 0, seen.stderr
        assert seen.stdout.startswith("Would ")
        done = lentra("waiting", *words, "--yes", role=role)
        assert "Done: " in done.stdout, done.stderr
        return done.stdout

    asked = lentra(
        *ask, "--needed-by", "2031-02-01", "--link", "https://wiki.ferry.example/q", "--yes", role="requester"
    )
    assert "wait for a planner as request" in asked.stdout
    number = str(next(asker.waiting.list(project=week["project"]))["id"])
    do("say", number, "which quay is it?")
    do("edit", number, "--reason", "the northern one", "--needed-by", "2031-03-01", role="requester")
    do("pass-on", number, "petra")
    assert asker.waiting.get(number)["assigned_to"]["name"] == "petra"
    do("pass-on", number, "any")
    shown = lentra("waiting", "show", number, role="requester").stdout
    for words in (
        "which quay is it?",
        "the northern one",
        "needed by: 2031-03-01",
        "see https://wiki.ferry.example/q",
    ):
        assert words in shown
    refused = lentra("waiting", "refuse", number, "--reason", "x", "--yes", role="requester")
    assert "the role planner is needed" in refused.stderr
    do("refuse", number, "--reason", "a /26 will do")
    assert "refused by" in lentra("waiting", "show", number).stdout
    lentra(*ask, "--yes", role="requester")
    second = str(next(asker.waiting.list(project=week["project"], state="waiting"))["id"])
    again = lentra(*ask[:-1], "25", "--instead-of", second, "--yes", role="requester")
    assert "wait for a planner" in again.stdout
    third = str(next(asker.waiting.list(project=week["project"], state="waiting"))["id"])
    assert asker.waiting.get(second)["state"] == "withdrawn"
    do("withdraw", third, role="requester")
    assert not list(planner.subnets.list(project=week["project"]))
    assert planner.verify()["clean"]
    gone = lentra("waiting", "withdraw", third, "--yes", role="requester")
    assert "was withdrawn" in gone.stderr
    assert "no number of a request" in lentra("waiting", "show", "newest").stderr


def test_rules_are_set_up_tried_and_removed_by_the_command_line(live, week, lentra):  # noqa: F811
    name = f"hours-{week['project']}"
    wrong = lentra("rules", "add", name, "--when", "outside-hours", "--hours", "always", "--yes")
    assert "mon-fri 08:00-17:00" in wrong.stderr
    added = lentra(
        *(
            "rules",
            "add",
            name,
            "--when",
            "more-at-once",
            "--limit",
            "2",
            "--project",
            week["project"],
            "--place",
            "0",
        ),
        "--yes",
    )
    assert "Done: " in added.stdout, added.stderr
    trying = [
        "rules",
        "try",
        *(f"--{one}={week[one]}" for one in ("project", "pool", "tier", "zone")),
        "--length",
        "28",
    ]
    assert f"waits for a planner by rule {name}" in lentra(*trying, "--count", "3", role="requester").stdout
    assert "granted at once: no rule" in lentra(*trying, role="requester").stdout
    assert "Done: " in lentra("rules", "edit", name, "--decision", "granted", "--yes").stdout
    assert f"granted at once by rule {name}" in lentra(*trying, "--count", "3", role="requester").stdout
    assert lentra("rules", "edit", name, "--limit", "0", "--yes", role="requester").returncode
    assert "Done: " in lentra("rules", "remove", name, "--yes").stdout
    assert name not in lentra("rules", "list").stdout
