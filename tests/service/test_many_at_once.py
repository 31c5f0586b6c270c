"""Many at once, and crashes in the middle: none lost, none doubled, none overlapping."""

from __future__ import annotations

import os
import signal
import threading
import time
import uuid
from collections import Counter
from pathlib import Path

import pytest

from lentra.client import LentraError, Problem
from lentra.client.errors import BY_CODE
from lentra.service.launcher import Service
from tests.conftest import SECRET, any_free_port, start_live

STEPS = int(os.environ.get("LENTRA_STORM_STEPS", "400"))  # script/test --long takes more
KILLS = int(os.environ.get("LENTRA_STORM_KILLS", "2"))
ASK = {"project": "ticketing", "tier": "app", "zone": "ml-1"}


def in_threads(count, work):
    threads = [threading.Thread(target=work, args=(n,)) for n in range(count)]
    [thread.start() for thread in threads]
    [thread.join() for thread in threads]


@pytest.fixture(scope="module")
def second_service(live, tmp_path_factory):
    """A second service process group on the same database."""
    folder = tmp_path_factory.mktemp("second")
    service = Service(folder, live.database.url, any_free_port(), SECRET, workers=1)
    service.start(upkeep=False)
    yield service
    service.stop()


@pytest.mark.parametrize("services", [1, 2])
def test_forty_requests_for_thirty_two_places(live, second_service, fresh_pool, services):
    pool = fresh_pool("10.40.64.0/21")
    urls = [live.url, second_service.address][:services]
    granted, refused = [], []

    def ask(n):
        client = live.client("planner", urls[n % len(urls)])
        try:
            granted.append(client.request(pool=pool, **ASK, length=26).result["subnets"][0])
        except BY_CODE["exhausted"] as refusal:
            refused.append(refusal)

    in_threads(40, ask)
    blocks = [subnet["blocks"][0]["prefix"] for subnet in granted]
    assert (len(granted), len(refused)) == (32, 8)
    assert len(set(blocks)) == 32
    assert len({subnet["name"] for subnet in granted}) == 32
    assert live.client("planner").verify()["clean"]


def test_pools_keep_outs_and_requests_at_once_keep_everything_true(live, fresh_pool):
    pool = fresh_pool("10.40.0.0/18", cooling_days=0)
    realm = pool.partition(":")[0]
    failures = []

    def mix(n):
        client = live.client("planner")
        for step in range(5):
            try:
                if n % 4 == 0:
                    client.pools.add(name=f"part-{n}-{step}", parent=pool, lengths=[{"family": 4, "length": 23}])
                elif n % 4 == 1:
                    at = f"10.40.{4 * n + step}.{16 * step}-10.40.{4 * n + step}.{16 * step + 9}"
                    client.keep_outs.add(realm=realm, range=at, reason="old switches", despite_use=True)
                else:
                    made = client.request(pool=pool, **ASK, length=26, count=2).result["subnets"]
                    if step % 2:
                        client.release(made[0]["id"])
            except LentraError as error:
                failures.append(error)

    in_threads(8, mix)
    assert not failures
    assert live.client("planner").verify()["clean"]


@pytest.fixture
def own_live(tmp_path, demo_data):
    running = start_live(tmp_path, demo_data, lasting=True)
    yield running
    running.service.stop()
    running.database.stop()


def workers_of(service: Service) -> list[int]:
    master = service.web.pid
    return [int(pid) for pid in Path(f"/proc/{master}/task/{master}/children").read_text().split()]


def test_killed_workers_and_a_killed_database_lose_and_double_nothing(own_live):
    planner = own_live.client("planner")
    planner.pools.add(name="storm", realm="fleet", sheet="ends-withheld", ranges=["172.28.0.0/16"], cooling_days=0)
    answered: dict[str, list] = {}
    stop = threading.Event()

    def storm(n):
        client = own_live.client("planner")
        client.retries = 12
        for step in range(STEPS):
            if stop.is_set():
                return
            key = f"storm-{n}-{step}"
            answered[key] = client.request(pool="storm", **ASK, length=28, key=key).result["subnets"]

    def killer():
        time.sleep(1)
        for _ in range(KILLS):
            os.kill(workers_of(own_live.service)[0], signal.SIGKILL)
            time.sleep(1)
        for _ in range(KILLS):
            own_live.database.kill()
            time.sleep(0.5)
            own_live.database.start()
            time.sleep(1.5)
        while len(answered) < 60:  # on a slow machine, too, there is something to look at
            time.sleep(0.1)
        stop.set()

    threads = [threading.Thread(target=storm, args=(n,)) for n in range(6)]
    [thread.start() for thread in threads]
    killer()
    [thread.join() for thread in threads]

    there = {s["id"]: s for s in planner.subnets.list(pool="storm", limit=1000)}
    promised = {subnet["id"]: subnet for made in answered.values() for subnet in made}
    assert len(promised) > 50
    assert set(promised) == set(there)  # each key one block: nothing lost, nothing doubled
    assert Counter(len(made) for made in answered.values()) == {1: len(answered)}
    for number, subnet in promised.items():
        assert there[number]["blocks"] == subnet["blocks"]
    for key, made in list(answered.items())[:10]:
        again = planner.request(pool="storm", **ASK, length=28, key=key)
        assert again.replayed
        assert again.result["subnets"][0]["id"] == made[0]["id"]
    assert planner.verify()["clean"]


def test_planners_who_commit_overlapping_previews_at_once_one_wins_and_the_others_are_told(live, fresh_pool):
    pool = fresh_pool("10.40.64.0/22")
    clients = [live.client("planner") for _ in range(4)]
    plans = [
        {
            "format": "lentra-plan-1",
            "name": f"rows-{n}",
            "project": "ticketing",
            "pools": {"ipv4": pool},
            "zones": ["ml-1", "ml-2"],
            "tiers": [{"tier": "app", "length": 25}, {"tier": "data", "length": 26}],
            "summarise": "zone",
        }
        for n in range(4)
    ]
    seen = [client.plans.preview(plan) for client, plan in zip(clients, plans, strict=True)]
    shown = [[b for row in answer.result["blocks"] for b in row["blocks"]] for answer in seen]
    assert shown[0] == shown[1] == shown[2] == shown[3]

    def commit(n):
        try:
            return clients[n].plans.commit(plans[n], proposal=seen[n].proposal)
        except Problem as problem:
            return problem

    answers = [None] * 4

    def work(n):
        answers[n] = commit(n)

    in_threads(4, work)
    won = [a for a in answers if not isinstance(a, Problem)]
    lost = [a for a in answers if isinstance(a, Problem)]
    assert len(won) == 1
    assert [b for row in won[0].result["blocks"] for b in row["blocks"]] == shown[0]
    assert {problem.problem_code for problem in lost} == {"stale-proposal"}
    assert all(problem.conflicts[0]["owner"] for problem in lost)
    assert clients[0].verify()["clean"]


def test_a_large_plan_goes_through_the_service_whole(live, planner):
    """50 tiers in 10 zones, both families: one preview, one commit, one repeat."""
    mark = uuid.uuid4().hex[:6]
    planner.realms.add(name=f"big-{mark}")
    planner.pools.add(
        name="wide", realm=f"big-{mark}", sheet="ends-withheld", ranges=["10.64.0.0/14", "fd46:64::/44"]
    )
    planner.regions.add(name=f"delta-{mark}")
    for n in range(10):
        planner.zones.add(name=f"mole-{n}-{mark}", region=f"delta-{mark}")
    plan = {
        "format": "lentra-plan-1",
        "name": "everything",
        "project": "ticketing",
        "pools": {"ipv4": f"big-{mark}:wide", "ipv6": f"big-{mark}:wide"},
        "zones": [f"mole-{n}-{mark}" for n in range(10)],
        "tiers": [{"tier": "app", "as": f"app-{n}", "hosts": 20 + n} for n in range(50)],
        "summarise": "plan",
    }
    seen = planner.plans.preview(plan)
    assert seen.result["counts"]["added"] == 500
    done = planner.plans.commit(plan, proposal=seen.proposal)
    assert [row["blocks"] for row in done.result["blocks"]] == [row["blocks"] for row in seen.result["blocks"]]
    again = planner.plans.commit(plan)
    assert (again.result["counts"]["added"], again.result["counts"]["kept"]) == (0, 500)
    assert planner.plans.departures("everything") == []
    assert planner.verify()["clean"]
