"""What dies comes back, what hangs harms nobody else, and whoever looks is told how things stand."""

from __future__ import annotations

import os
import signal
import stat
import subprocess
import sys
import threading
import time
from concurrent.futures import ThreadPoolExecutor

import pytest
import requests

from lentra.client import Client
from lentra.service.database import OwnDatabase
from lentra.service.launcher import Service
from tests.conftest import SECRET, any_free_port
from tests.service.test_many_at_once import own_live  # noqa: F401
from tests.service.test_starting import Demo


def until(condition, seconds=30):
    end = time.monotonic() + seconds
    while not condition():
        assert time.monotonic() < end, "not in time"
        time.sleep(0.2)


def look_at(url):
    return requests.get(url + "/readyz").json()["look_at"]


def test_upkeep_that_dies_is_started_again_and_its_last_round_is_told(live):
    until(lambda: "nobody" not in (seen := " ".join(look_at(live.url))) and "upkeep" not in seen, 180)
    told = requests.get(live.url + "/readyz").json()
    assert told["status"] == "ready"
    assert abs(told["clock_ahead_seconds"]) < 5
    upkeep = next(helper for helper in live.service.helpers if helper.name == "upkeep")
    killed = upkeep.process.pid
    upkeep.process.kill()

    def back():
        live.service.look_after()
        return upkeep.process.poll() is None and upkeep.process.pid != killed

    until(back, 90)
    until(lambda: requests.get(live.url + "/readyz").json()["upkeep_at"] > told["upkeep_at"], 180)


def test_what_is_not_ready_says_why(tmp_path):
    database = OwnDatabase(tmp_path, any_free_port(), lasting=False)
    database.start()
    service = Service(tmp_path, database.url, any_free_port(), SECRET, workers=1)
    try:
        # Two at the same moment on an empty database: one makes the tables, the other waits for it.
        with ThreadPoolExecutor(2) as threads:
            list(threads.map(service.manage, ["prepare", "prepare"]))
        service.start(upkeep=False)
        upkeep, events = look_at(service.address)
        assert "upkeep has not done a whole round" in upkeep
        assert "nobody puts changes in order" in events
        root = database.root_connection()
        root.cursor().execute("DELETE FROM lentra.django_migrations WHERE app = 'registry'")
        root.commit()
        missing = requests.get(service.address + "/readyz")
        assert (missing.status_code, missing.json()["status"]) == (503, "not migrated")
        database.stop()
        away = requests.get(service.address + "/readyz")
        assert (away.status_code, away.json()["status"]) == (503, "database away")
        assert "(" not in away.json()["reason"][:1]
    finally:
        service.stop()
        database.stop()


def test_a_database_that_hangs_does_not_make_the_service_hang(own_live):  # noqa: F811
    planner = own_live.client("planner")
    planner.me()
    own_live.service.stop()
    own_live.service.environment["LENTRA_DATABASE_SECONDS"] = "3"
    own_live.service.start()
    headers = {"Authorization": f"Bearer {own_live.token('planner')}"}

    def ask(n):
        start = time.monotonic()
        status = requests.get(own_live.url + "/api/v1/realms", headers=headers, timeout=60).status_code
        return status, time.monotonic() - start

    pid = own_live.database.process.pid
    with ThreadPoolExecutor(50) as threads:
        os.kill(pid, signal.SIGSTOP)
        try:
            asked = [threads.submit(ask, n) for n in range(40)]
            time.sleep(1)
            alive = []
            for _ in range(5):
                start = time.monotonic()
                assert requests.get(own_live.url + "/healthz", timeout=10).status_code == 200
                alive.append(time.monotonic() - start)
            answers = [one.result() for one in asked]
        finally:
            os.kill(pid, signal.SIGCONT)
    assert max(alive) < 2
    assert {status for status, _ in answers} == {503}
    assert max(seconds for _, seconds in answers) < 25
    until(lambda: ask(0)[0] == 200)


def test_a_database_that_is_back_is_asked_anew_and_nobody_meets_a_connection_that_is_gone(own_live):  # noqa: F811
    headers = {"Authorization": f"Bearer {own_live.token('planner')}"}

    def many_at_once():
        with ThreadPoolExecutor(16) as threads:
            asked = [
                threads.submit(requests.get, own_live.url + "/api/v1/zones", headers=headers) for _ in range(200)
            ]
        return {answer.result().status_code for answer in asked}

    assert many_at_once() == {200}
    own_live.database.kill()
    own_live.database.start()
    assert many_at_once() == {200}


def test_a_connection_that_another_thread_has_for_a_moment_is_waited_for(registry_database):
    from django.db import connection

    with connection.cursor() as cursor:
        cursor.execute("SELECT 1")
        driver = connection.connection
    other = threading.Thread(target=lambda: driver.query("SELECT SLEEP(0.3)"))
    other.start()
    time.sleep(0.1)  # it has the connection now
    began = time.monotonic()
    result = driver.store_result()
    assert time.monotonic() - began > 0.1
    assert len(result.fetch_row(maxrows=0)) == 1
    other.join()


def test_nobody_is_cut_off_when_the_service_stops(live, tmp_path):
    service = Service(tmp_path, live.database.url, any_free_port(), SECRET, workers=2)
    service.start(upkeep=False)
    headers = {"Authorization": f"Bearer {live.token('viewer')}"}
    closed, cut, stopped = [], [], threading.Event()

    def use(n):
        session = requests.Session()
        while not stopped.is_set():
            try:
                answer = session.get(service.address + "/api/v1/realms", headers=headers, timeout=30)
            except requests.ConnectionError as failure:
                refused = "refused" in str(failure)
                (closed if refused and stopping.is_set() else cut).append(str(failure))
                return
            assert answer.status_code == 200
            if answer.headers.get("Connection") == "close":
                closed.append("told")
                return

    stopping = threading.Event()
    threads = [threading.Thread(target=use, args=(n,)) for n in range(6)]
    [thread.start() for thread in threads]
    time.sleep(1.5)
    stopping.set()
    service.stop()
    stopped.set()
    [thread.join() for thread in threads]
    assert not cut
    assert closed.count("told") == 6


def test_serve_alone_keeps_a_database_of_its_own_and_takes_its_first_admin(tmp_path):
    folder = tmp_path / "state"
    folder.mkdir(mode=0o755)
    (folder / "service.log").touch(mode=0o644)
    serving = Demo(folder)
    environment = {
        **{
            name: value
            for name, value in os.environ.items()
            if name not in ("LENTRA_DATABASE_URL", "LENTRA_SECRET_KEY")
        },
        "LENTRA_STATE_DIR": str(folder),
        "LENTRA_PORT": str(serving.port),
        "LENTRA_DB_PORT": str(serving.db_port),
        "LENTRA_ADMIN": "asta",
        "LENTRA_ADMIN_PASSWORD": "nine grey herons wait",
    }
    command = [sys.executable, "-m", "lentra.service.launcher", "serve"]
    url = f"http://127.0.0.1:{serving.port}"
    for attempt in ("first", "again"):
        serving.process = subprocess.Popen(
            command, env=environment, stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True
        )
        try:
            serving._until_up()
            body = {"name": "asta", "password": environment["LENTRA_ADMIN_PASSWORD"]}
            assert requests.post(f"{url}/api/v1/session", json=body).json()["role"] == "admin"
        finally:
            output = serving.stop()
        assert f"Lentra serves at {url}" in output, attempt
        environment["LENTRA_ADMIN_PASSWORD"] = "another one that is not taken"
        environment["LENTRA_ADMIN_PASSWORD"] = "nine grey herons wait"
    assert stat.S_IMODE(folder.stat().st_mode) == 0o700
    open_ones = [p for p in folder.rglob("*") if p.is_file() and stat.S_IMODE(p.stat().st_mode) & 0o077]
    assert [p for p in open_ones if "mariadb/" not in str(p)] == []


@pytest.fixture
def failing(monkeypatch):
    from lentra.registry import upkeep

    def fail(*_):
        raise ValueError("a fault in one step")

    monkeypatch.setattr(upkeep, "refresh_outlooks", fail)
    return upkeep


def test_a_fault_in_one_step_of_upkeep_stops_no_other(registry_database, failing):
    from django.contrib.sessions.models import Session

    from tests.registry.conftest import World

    world = World()
    pool = world.pool("10.40.0.0/24", warning_percent=50, critical_percent=75)
    world.ask(pool, length=26, hold_minutes=5)
    world.ask(pool, length=25)
    world.later(minutes=6)
    Session.objects.create(session_key="old", session_data="", expire_date=world.clock.now())
    world.later(minutes=1)
    done = failing.run_upkeep(world.clock)
    assert (done["failed"], done["ended"] > 0, done["forgotten_sessions"] > 0) == (1, True, True)
    assert done["alerts_opened"] > 0


def test_the_daily_verification_raises_an_alert_until_all_holds_again(registry_database):
    from lentra.registry.models import Alert, Realm, Space, Verified
    from lentra.registry.upkeep import run_upkeep
    from tests.registry.conftest import World

    world = World()
    pool = world.pool("10.40.0.0/24")

    def rounds():
        for other in Realm.objects.exclude(pk=world.realm.pk):  # verified just now, in their own time
            Verified.objects.update_or_create(realm=other, defaults={"at": world.clock.now()})
        while run_upkeep(world.clock)["verified"]:
            pass

    rounds()
    assert Verified.objects.get(realm=world.realm).offences == 0
    Space.objects.filter(pool=pool).update(largest_free=29)
    world.later(hours=23)
    rounds()
    assert not Alert.objects.filter(realm=world.realm, kind="verification").exists()
    world.later(hours=2)
    rounds()
    (alert,) = Alert.objects.filter(realm=world.realm, kind="verification")
    assert "things that must hold do not" in alert.text
    Space.objects.filter(pool=pool).update(largest_free=24)
    world.later(hours=25)
    rounds()
    alert.refresh_from_db()
    assert (alert.living, alert.resolved_at) == (None, world.clock.now())


def test_the_moment_is_the_databases_whatever_this_hosts_clock_says(registry_database, monkeypatch):
    from datetime import UTC, datetime, timedelta

    from django.db import connection

    from lentra.registry.transactions import clock

    class Wrong(datetime):
        @classmethod
        def now(cls, zone=None):
            return datetime.now(zone) + timedelta(hours=25)

    connection.close()
    monkeypatch.setattr(clock, "datetime", Wrong)
    told = clock.SystemClock().now()
    with connection.cursor() as cursor:
        cursor.execute("SELECT UTC_TIMESTAMP()")
        really = cursor.fetchone()[0].replace(tzinfo=UTC)
    assert abs((told - really).total_seconds()) <= 2
    assert clock.host_is_ahead() == pytest.approx(25 * 3600, abs=5)


def test_a_slow_bench_of_clients_is_told_to_come_back_and_not_left_to_wait(live):
    client = Client(live.url, live.token("planner"), retries=8)
    with ThreadPoolExecutor(80) as threads:
        found = list(threads.map(lambda n: client.pools.get("ticket-hall")["name"], range(160)))
    assert set(found) == {"ticket-hall"}
