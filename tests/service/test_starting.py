"""Starting and stopping: the demo as a person starts it, and what goes wrong in one clear line."""

import json
import os
import signal
import socket
import subprocess
import sys
import time

import pytest
import requests

from lentra.service import database as own_database
from lentra.service.database import CannotStart, OwnDatabase
from tests.conftest import ROOT, SECRET, any_free_port


class Demo:
    """`script/demo`'s second half, with a folder and ports of its own."""

    def __init__(self, folder):
        self.folder = folder
        self.port, self.db_port = any_free_port(), any_free_port()
        self.process = None

    def start(self, *extra, wait=True, given=None):
        environment = {
            **os.environ,
            "LENTRA_STATE_DIR": str(self.folder),
            "LENTRA_PORT": str(self.port),
            "LENTRA_DB_PORT": str(self.db_port),
        }
        environment.pop("LENTRA_DATABASE_URL", None)
        command = [
            sys.executable,
            "-m",
            "lentra.service.launcher",
            "demo",
            "--scenario",
            str(ROOT / "demo"),
            *extra,
        ]
        self.process = subprocess.Popen(
            command,
            env=environment,
            stdin=subprocess.PIPE,
            stdout=subprocess.PIPE,
            stderr=subprocess.STDOUT,
            text=True,
        )
        if given is not None:
            self.process.stdin.write(given)
            self.process.stdin.close()
            self.process.stdin = None
        if wait:
            self._until_up()

    def _until_up(self):
        end = time.monotonic() + 400
        while time.monotonic() < end:
            assert self.process.poll() is None, self.process.stdout.read()
            try:
                if requests.get(f"http://127.0.0.1:{self.port}/readyz", timeout=1).ok:
                    time.sleep(2)  # the launcher looks too, and then says where it is
                    return
            except requests.RequestException:
                time.sleep(0.2)
        raise AssertionError("not up in time")

    def stop(self, how=signal.SIGTERM):
        self.process.send_signal(how)
        output, _ = self.process.communicate(timeout=60)
        return output

    def people(self):
        return json.loads((self.folder / "demo-sign-ins.json").read_text())


@pytest.fixture
def demo(tmp_path):
    running = Demo(tmp_path / "state")
    yield running
    if running.process and running.process.poll() is None:
        running.stop()


def listens(port):
    with socket.socket() as probe:
        return probe.connect_ex(("127.0.0.1", port)) == 0


def test_the_demo_starts_stops_keeps_its_data_and_starts_over(demo):
    demo.start()
    sign_ins = demo.folder / "demo-sign-ins.json"
    assert sign_ins.stat().st_mode & 0o777 == 0o600
    people = demo.people()
    assert [p["role"] for p in people] == ["viewer", "requester", "planner", "admin"]
    headers = {"Authorization": f"Bearer {people[2]['token']}"}
    made = requests.post(
        f"http://127.0.0.1:{demo.port}/api/v1/regions", json={"name": "kept"}, headers=headers, timeout=10
    )
    assert made.status_code == 201
    output = demo.stop()
    assert f"http://127.0.0.1:{demo.port}" in output
    assert all(person["password"] in output for person in people)
    assert not listens(demo.port)
    assert not listens(demo.db_port)

    demo.start()
    assert demo.people() == people
    kept = requests.get(f"http://127.0.0.1:{demo.port}/api/v1/regions/kept", headers=headers, timeout=10)
    assert kept.status_code == 200
    taken = Demo(demo.folder.parent / "other")
    taken.port = demo.port
    taken.start(wait=False)
    said, _ = taken.process.communicate(timeout=60)
    assert taken.process.returncode == 1
    assert f"port {demo.port} is in use: stop what listens there, or set LENTRA_PORT to a free one" in said
    assert "Traceback" not in said
    demo.stop(signal.SIGINT)

    demo.start("--reset", wait=False, given="n\n")
    said, _ = demo.process.communicate(timeout=60)
    assert "Nothing was changed." in said
    assert demo.people() == people
    demo.start("--reset", given="y\n")
    assert demo.people() != people
    gone = requests.get(
        f"http://127.0.0.1:{demo.port}/api/v1/regions/kept",
        headers={"Authorization": f"Bearer {demo.people()[2]['token']}"},
        timeout=10,
    )
    assert gone.status_code == 404


def test_a_database_that_cannot_start_says_what_to_do(tmp_path, monkeypatch):
    busy = socket.create_server(("127.0.0.1", 0))
    with pytest.raises(CannotStart, match="set LENTRA_DB_PORT to a free one"):
        OwnDatabase(tmp_path / "a", busy.getsockname()[1]).start()
    busy.close()
    monkeypatch.setattr(own_database, "_LEAST_FREE_BYTES", 1 << 62)
    with pytest.raises(CannotStart, match="is full: .* set LENTRA_STATE_DIR to another disk"):
        OwnDatabase(tmp_path / "b", any_free_port()).start()
    monkeypatch.undo()
    monkeypatch.setattr(own_database, "_tool", lambda name: None)
    with pytest.raises(CannotStart, match="apt-get install mariadb-server-core"):
        OwnDatabase(tmp_path / "c", any_free_port()).start()
    monkeypatch.undo()
    broken = OwnDatabase(tmp_path / "d", any_free_port())
    (broken.data / "mysql").mkdir(parents=True)
    with pytest.raises(CannotStart, match=r"see .*mariadb\.log"):
        broken.start()


def test_serving_without_settings_says_which_are_missing(tmp_path):
    command = [sys.executable, "-m", "lentra.service.launcher", "serve"]
    for given, said in (
        (
            {"LENTRA_DATABASE_URL": "mysql://lentra@127.0.0.1/lentra"},
            "LENTRA_SECRET_KEY is not set: see docs/operations.md",
        ),
        ({"LENTRA_WORKERS": "many"}, "LENTRA_WORKERS is 'many': a whole number from 1 to 64"),
    ):
        environment = {**os.environ, "LENTRA_SECRET_KEY": "", "LENTRA_PORT": str(any_free_port()), **given}
        done = subprocess.run(
            command, env=environment, capture_output=True, text=True, cwd=tmp_path, check=False, timeout=60
        )
        assert done.returncode == 1
        assert said in done.stderr


def test_a_second_database_leaves_the_temporary_tables_of_the_first_alone(tmp_path):
    import MySQLdb

    first, second = (OwnDatabase(tmp_path / name, any_free_port(), lasting=False) for name in ("first", "second"))
    first.start()
    try:
        kept = json.loads(first.secrets.read_text())
        connection = MySQLdb.connect(user="root", passwd=kept["root_password"], unix_socket=str(first.socket))
        cursor = connection.cursor()
        cursor.execute("CREATE TEMPORARY TABLE lentra.berths (n INT) ENGINE=Aria")
        second.start()
        cursor.execute("INSERT INTO lentra.berths VALUES (1)")
        cursor.execute("ALTER TABLE lentra.berths ADD COLUMN m INT")
        cursor.execute("SELECT COUNT(*) FROM lentra.berths")
        assert cursor.fetchall() == ((1,),)
        connection.close()
    finally:
        first.stop()
        second.stop()


def test_a_backup_is_taken_online_proven_and_restored(live, tmp_path):
    planner = live.client("planner")
    planner.regions.add(name="kept-in-backup")
    file = tmp_path / "lentra.sql.gz"
    environment = {**os.environ, "LENTRA_DATABASE_URL": live.database.url, "LENTRA_SECRET_KEY": SECRET}

    def run(*arguments, **given):
        command = [sys.executable, "-m", "lentra.service.backup", *arguments]
        return subprocess.run(command, env=environment | given, capture_output=True, text=True, check=False)

    done = run("write", str(file))
    assert done.returncode == 0, done.stderr
    assert "restored and verified: " in done.stdout
    assert file.stat().st_mode & 0o777 == 0o600
    assert "is there already" in run("write", str(file)).stderr
    other = OwnDatabase(tmp_path / "other", any_free_port(), lasting=False)
    other.start()
    try:
        torn = tmp_path / "torn.sql.gz"
        torn.write_bytes(file.read_bytes()[:-5000])
        assert "is no whole backup" in run("restore", str(torn), LENTRA_DATABASE_URL=other.url).stderr
        restored = run("restore", str(file), LENTRA_DATABASE_URL=other.url)
        assert "Restored and verified: " in restored.stdout, restored.stderr
        again = run("restore", str(file), LENTRA_DATABASE_URL=other.url)
        assert (again.returncode, "add --replace" in again.stderr) == (1, True)
        # What is wrong in the database itself is told, and no file is left that looks like a proven backup.
        cursor = other.root_connection().cursor()
        cursor.execute("UPDATE lentra.registry_space SET largest_free = 29 LIMIT 3")
        cursor.execute("COMMIT")
        broken = run("write", str(tmp_path / "broken.sql.gz"), LENTRA_DATABASE_URL=other.url)
        assert "things that must hold do not" in broken.stderr
        assert not list(tmp_path.glob("broken*"))
        assert (
            "Restored and verified: "
            in run("restore", "--replace", str(file), LENTRA_DATABASE_URL=other.url).stdout
        )
        cursor.execute("SELECT COUNT(*) FROM lentra.registry_region WHERE name = 'kept-in-backup'")
        assert cursor.fetchall() == ((1,),)
    finally:
        other.stop()
