"""A MariaDB, a live service and a browser for the tests that need them; everything on loopback."""

from __future__ import annotations

import json
import os
import socket
import uuid
from pathlib import Path

import pytest

from lentra.client import Client
from lentra.service.database import OwnDatabase
from lentra.service.launcher import Service

ROOT = Path(__file__).parent.parent
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


def free_port() -> int:
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return probe.getsockname()[1]


@pytest.fixture(scope="session")
def registry_database(tmp_path_factory):
    """A database for tests that call operations directly, with Django set up on it."""
    database = OwnDatabase(tmp_path_factory.mktemp("registry"), free_port(), lasting=False)
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


def start_live(folder: Path, lasting: bool = False) -> Live:
    database = OwnDatabase(folder, free_port(), lasting=lasting)
    database.start()
    service = Service(folder, database.url, free_port(), "a secret for tests only")
    service.manage("migrate", "--no-input")
    service.manage("ship_sheets")
    service.manage("load_demo", str(ROOT / "demo"), str(folder / "sign-ins.json"))
    service.start()
    return Live(service, database, json.loads((folder / "sign-ins.json").read_text()))


@pytest.fixture(scope="session")
def live(tmp_path_factory):
    running = start_live(tmp_path_factory.mktemp("live"))
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
