"""A MariaDB, a live service and a browser for the tests that need them; everything on loopback."""

from __future__ import annotations

import fcntl
import json
import os
import shutil
import uuid
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import pytest
from hypothesis import HealthCheck, settings

from lentra.client import Client
from lentra.service.database import OwnDatabase, any_free_port
from lentra.service.launcher import Service

# A machine that others use as well is slow at times, which says nothing of the code.
settings.register_profile("shared machine", deadline=None, suppress_health_check=[HealthCheck.too_slow])
settings.load_profile("shared machine")

ROOT = Path(__file__).parent.parent
SECRET = "a secret for tests only, and long enough"
os.environ["DJANGO_ALLOW_ASYNC_UNSAFE"] = "true"  # a browser's event loop is in the same thread, and not ours
BROWSER_FLAGS = [
    "--headless",
    "--no-sandbox",
    "--disable-gpu",
    "--disable-quic",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
]


# Files that take longest come first, so that no process is left with one of them at the end.
LONGEST = (
    *(
        "test_starting",
        "test_cluster",
        "test_console",
        "test_keeps_running",
        "test_any_order",
        "test_every_command",
    ),
    *("test_console_planner", "test_console_lists", "test_console_finding", "test_many_at_once", "test_readings"),
)


def pytest_collection_modifyitems(items):
    ranks = {name: rank for rank, name in enumerate(LONGEST)}
    items.sort(key=lambda item: ranks.get(item.path.stem, len(ranks)))


def apart(work):
    """What a piece of work gives in a thread of its own, where no browser's event loop runs."""
    with ThreadPoolExecutor(1) as thread:
        return thread.submit(work).result()


@pytest.fixture(scope="session")
def registry_database(tmp_path_factory):
    """A database for tests that call operations directly, with Django set up on it."""
    database = OwnDatabase(tmp_path_factory.mktemp("registry"), any_free_port(), lasting=False)
    database.start()
    os.environ |= {"LENTRA_DATABASE_URL": database.url, "DJANGO_SETTINGS_MODULE": "lentra.service.settings"}
    import django
    from django.core.management import call_command

    django.setup()
    call_command("migrate", verbosity=0)
    call_command("ship_sheets")
    yield database
    from django.db import connection

    connection.close()
    database.stop()


class Live:
    """A running service with the demo's data, and its people."""

    def __init__(self, service: Service, database: OwnDatabase, people: list[dict[str, str]]) -> None:
        self.service = service
        self.database = database
        self.url = service.address
        self.people = {person["role"]: person for person in people}

    def client(self, role: str = "planner", url: str | None = None) -> Client:
        return Client(url or self.url, self.people[role]["token"])

    def token(self, role: str) -> str:
        return self.people[role]["token"]


def load_demo(folder: Path) -> None:
    """A database with the demo's data in it, stopped."""
    database = OwnDatabase(folder, any_free_port(), lasting=False)
    database.start()
    service = Service(folder, database.url, any_free_port(), SECRET)
    service.manage("prepare")
    service.run(str(ROOT / "demo" / "load.py"), str(ROOT / "demo"), str(folder / "sign-ins.json"))
    service.environment |= {"LENTRA_ALERT_URL": "https://board.ferry.example/", "LENTRA_ALERT_SECRET": "s" * 20}
    service.tell_receiver("harbour-board", "subnet", "as the demo has it; nobody is there")
    database.stop()


@pytest.fixture(scope="session")
def demo_data(tmp_path_factory) -> Path:
    """The demo's data, loaded once for all processes of the tests; to be copied."""
    base = tmp_path_factory.getbasetemp()
    shared = (base.parent if "PYTEST_XDIST_WORKER" in os.environ else base) / "demo-data"
    with open(f"{shared}.lock", "w") as turn:
        fcntl.flock(turn, fcntl.LOCK_EX)
        if not (shared / "loaded").exists():
            load_demo(shared)
            (shared / "loaded").touch()
    return shared


def start_live(folder: Path, demo_data: Path, lasting: bool = False) -> Live:
    shutil.copytree(demo_data, folder, dirs_exist_ok=True)
    database = OwnDatabase(folder, any_free_port(), lasting=lasting)
    database.start()
    service = Service(folder, database.url, any_free_port(), SECRET)
    service.environment["LENTRA_METRICS_OPEN"] = "1"
    service.environment |= dict.fromkeys(
        (f"LENTRA_{who}_HOSTS" for who in ("EVENT", "SOURCE", "NAME_SERVER")), "127.0.0.1"
    )
    service.start()
    return Live(service, database, json.loads((folder / "sign-ins.json").read_text()))


@pytest.fixture(scope="session")
def live(tmp_path_factory, demo_data):
    running = start_live(tmp_path_factory.mktemp("live"), demo_data)
    yield running
    running.service.stop()
    running.database.stop()


@pytest.fixture
def planner(live) -> Client:
    return live.client("planner")


@pytest.fixture
def fresh_pool(live):
    """Makes a pool in a realm of its own; returns its qualified name. Never in another test's way."""

    def make(*ranges: str, client: Client | None = None, **values) -> str:
        client = client or live.client("planner")
        realm = f"t-{uuid.uuid4().hex[:10]}"
        client.realms.add(name=realm, name_template=realm + "-{project}-{nn}")
        sheet = values.pop("sheet", "ends-withheld")
        client.pools.add(name="pool", realm=realm, ranges=list(ranges), sheet=sheet, **values)
        return f"{realm}:pool"

    return make


@pytest.fixture(scope="session")
def browser():
    from playwright.sync_api import sync_playwright

    with sync_playwright() as playwright:
        chromium = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=BROWSER_FLAGS)
        yield chromium
        chromium.close()
