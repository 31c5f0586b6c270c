"""Subscriptions as people have them: by command line, client and console; nothing is lost when all that sends is killed."""

import json
import signal
import time
import uuid

import pytest

from lentra.client.errors import InvalidValue, NotAllowed
from tests.conftest import any_free_port, start_live
from tests.service.test_command_line import lentra  # noqa: F401
from tests.service.test_console import open_as  # noqa: F401
from tests.taking import Taker


@pytest.fixture
def taker():
    one = Taker()
    yield one
    one.stop()


def wait_until(what, seconds=30):
    end = time.monotonic() + seconds
    while not (found := what()):
        assert time.monotonic() < end, "it has not come to that"
        time.sleep(0.1)
    return found


def test_a_subscription_comes_goes_and_is_sent_to_again_by_the_command_line(lentra, planner, taker, fresh_pool):  # noqa: F811
    realm = fresh_pool("10.80.0.0/24").partition(":")[0]
    name = f"gate-{realm}"
    add = ("subscription", "add", name, "--endpoint", taker.url, "--kinds", "subnet", "--realms", realm)
    seen = lentra(*add, "--preview", "-o", "json", role="planner")
    assert json.loads(seen.stdout)["result"]["told_secret"] is None
    added = lentra(*add, "--yes", role="planner")
    assert "Its secret, which is not told again: " in added.stdout
    assert added.stdout.strip().rpartition(" ")[2] not in lentra("subscription", "show", name, "-o", "json").stdout
    place = {"pool": f"{realm}:pool", "project": "ticketing", "zone": "nc-1", "tier": "app"}
    first = planner.request(**place, length=28).result["subnets"][0]
    (event,) = wait_until(lambda: taker.taken)
    assert (event["type"], event["data"]["record"]) == ("lentra.subnet.hand-out", first["id"])
    assert lentra("subscription", "pause", name, "--reason", "the gate moves", "--yes").returncode == 0
    planner.request(**place, length=28)
    time.sleep(1)
    assert len(taker.taken) == 1
    shown = json.loads(lentra("subscription", "show", name, "-o", "json").stdout)
    assert (shown["paused"], shown["taken"]) == ("the gate moves", 1)
    assert lentra("subscription", "resume", name, "--yes").returncode == 0
    wait_until(lambda: len(taker.taken) == 2)
    again = lentra("subscription", "resume", name, "--after", "0", "--yes")
    assert again.returncode == 0, again.stderr
    wait_until(lambda: len(taker.taken) == 4)
    assert taker.tried[:2] == taker.tried[2:]
    assert lentra("subscription", "pause", name, "--yes").returncode == 0
    last = next(entry for entry in planner.ledger(kind="subscription", verb="pause") if entry["name"] == name)
    assert lentra("undo", str(last["number"]), "--yes").returncode == 0
    assert json.loads(lentra("subscription", "show", name, "-o", "json").stdout)["paused"] == ""
    assert lentra("subscription", "remove", name, "--yes").returncode == 0


def test_who_may_and_what_is_refused(live, planner, taker):
    with pytest.raises(NotAllowed):
        live.client("viewer").subscriptions.add(name="peep", endpoint=taker.url)
    with pytest.raises(InvalidValue) as refused:
        planner.subscriptions.add(name="clear", endpoint="http://board.ferry.example/")
    assert refused.value.field == "endpoint"
    assert refused.value.suggestions == ["https://board.ferry.example/"]
    with pytest.raises(InvalidValue):
        planner.subscriptions.add(name="people", endpoint=taker.url, kinds=["person"])


def test_nothing_is_lost_when_service_and_database_are_killed_and_the_receiver_is_away(tmp_path, demo_data):
    running = start_live(tmp_path / "killed", demo_data, lasting=True)
    port = any_free_port()
    try:
        planner = running.client("planner")
        endpoint = f"http://127.0.0.1:{port}/hook"
        planner.subscriptions.add(name="away", endpoint=endpoint, kinds=["subnet"], secret="s" * 20)
        place = {"pool": "ticket-hall", "project": "ticketing", "tier": "app", "zone": "ml-1", "length": 28}
        made = []

        def hand_out(count):
            for _ in range(count):
                subnet = planner.request(**place).result["subnets"][0]
                planner.subnets.edit(subnet["id"], purpose="a new quay")
                made.append(subnet["id"])

        hand_out(6)
        wait_until(lambda: planner.subscriptions.get("away")["failing_since"])
        helper = next(one for one in running.service.helpers if one.name == "events")
        helper.process.send_signal(signal.SIGKILL)
        helper.process.wait()
        hand_out(4)
        taker = Taker(port)
        running.database.kill()
        running.database.start()
        wait_until(lambda: running.service.look_after() or helper.process.poll() is None, 60)
        wait_until(lambda: len(taker.taken) > 3, 90)
        helper.process.send_signal(signal.SIGKILL)  # amid it: an event may come twice
        helper.process.wait()
        hand_out(2)

        def each(event_type):
            return {event["data"]["record"] for event in taker.taken if event["type"] == event_type}

        def all_there():
            running.service.look_after()
            return each("lentra.subnet.hand-out") >= set(made) and each("lentra.subnet.edit") >= set(made)

        wait_until(all_there, 120)
        for number in made:
            own = [event["type"] for event in taker.taken if event["data"]["record"] == number]
            assert list(dict.fromkeys(own)) == ["lentra.subnet.hand-out", "lentra.subnet.edit"]
        taker.stop()
        assert planner.verify()["clean"]
    finally:
        running.service.stop()
        running.database.stop()


def test_the_console_adds_a_subscription_and_says_what_stands_in_its_way(open_as, live, planner, taker):  # noqa: F811
    realm = f"t-{uuid.uuid4().hex[:10]}"
    planner.realms.add(name=realm, name_template=realm + "-{project}-{nn}")
    planner.pools.add(name="pool", realm=realm, ranges=["10.81.0.0/24"], sheet="ends-withheld")
    name = f"board-{realm}"
    page = open_as("planner")
    page.goto(live.url + "/set-up/subscriptions")
    page.get_by_role("button", name="Add a subscription").click()
    form = page.get_by_role("dialog")
    form.get_by_label("Name").fill(name)
    form.get_by_label("Endpoint").fill(taker.url)
    form.get_by_label("Kinds of records").fill("subnet")
    form.get_by_label("Realms").fill(realm)
    page.keyboard.press("Enter")
    form.get_by_role("button", name="Confirm").click()
    page.get_by_text("Copy its secret now").wait_for()
    taker.answers = [500] * 3
    place = {"pool": f"{realm}:pool", "project": "ticketing", "zone": "nc-1", "tier": "app"}
    planner.request(**place, length=28)
    wait_until(lambda: taker.tried)
    page.get_by_role("table", name="Subscriptions").get_by_role("link", name=name).click()
    page.get_by_text("answered 500").first.wait_for()
    page.get_by_role("button", name="Pause").click()
    page.get_by_role("dialog").get_by_role("button", name="Send nothing for now").click()
    page.get_by_text(f"Paused: by {live.people['planner']['name']}").wait_for()
    taker.answers.clear()
    page.get_by_role("button", name="Resume").click()
    page.get_by_role("dialog").get_by_role("button", name="Go on sending").click()
    wait_until(lambda: taker.taken)
    page.get_by_label("Entry number").fill("0")
    page.get_by_role("button", name="Send again what came after it").click()
    page.get_by_role("dialog").get_by_role("button", name="Send again").click()
    wait_until(lambda: len(taker.taken) == 2)
    planner.subscriptions.remove(name)
