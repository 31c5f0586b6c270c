"""Take the pictures of the README from a running demo: `.venv/bin/python script/pictures.py [NAME...]`.

LENTRA_URL is where the demo is; LENTRA_STATE_DIR has its sign-ins.
"""

from __future__ import annotations

import html
import json
import os
import subprocess
import sys
from collections.abc import Callable
from pathlib import Path
from typing import Any

from playwright.sync_api import Browser, Locator, Page, sync_playwright

from lentra.client import Client

ROOT = Path(__file__).parent.parent
OUT = ROOT / "docs" / "screenshots"
ADDRESS = os.environ.get("LENTRA_URL", "http://127.0.0.1:8460")
STATE = Path(os.environ.get("LENTRA_STATE_DIR", ROOT / ".lentra"))
COMMANDS = (
    "headroom quay-cameras",
    "map crew-roster-ml-1-app-01",
    "plan preview demo/plans/gate-readers.yaml",
    "dns show fleet:ferry.example --type MX,CNAME",
    "explain 10.40.70.0/21",
)
_FLAGS = (
    *("--headless", "--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run", "--disable-sync"),
    *("--disable-background-networking", "--disable-component-update"),
)


def choose(page: Page, label: str, option: str) -> None:
    """Choose one of a list."""
    page.get_by_role("combobox", name=label, exact=True).first.fill(option)
    page.get_by_role("option", name=option, exact=True).first.click()


def show(there: Locator, above: int = 80) -> None:
    """Scroll until something stands so many pixels below the top."""
    there.first.wait_for()
    there.first.evaluate("(here, above) => window.scrollBy(0, here.getBoundingClientRect().top - above)", above)


def several_sizes(page: Page) -> None:
    page.get_by_label("Subnets, one a line").fill("data 700\napp 250\nedge 110\nops 20\nlink /29")
    page.get_by_label("Pack them into").fill("10.40.128.0/21")
    page.get_by_text("addresses in all").wait_for()


def request(page: Page) -> None:
    for label, option in (("Realm", "fleet"), ("Project", "ticketing"), ("Tier", "app"), ("Zone", "ml-1")):
        choose(page, label, option)
    page.get_by_label("Hosts").fill("110")
    page.get_by_text("Pools passed over").wait_for()
    show(page.get_by_role("heading", name="3. Out of which pool"), 170)


def plan(page: Page) -> None:
    page.get_by_role("button", name="Text").click()
    page.get_by_label("The plan, as YAML or JSON").fill((ROOT / "demo/plans/gate-readers.yaml").read_text())
    page.get_by_text("tier ops is missing in ml-2").wait_for()
    page.get_by_role("button", name="Grid").click()
    page.evaluate("window.scrollTo(0, 0)")


def table(page: Page) -> None:
    page.get_by_label("Table file").set_input_files(ROOT / "demo/tables/quays.csv")
    choose(page, "Realm", "fleet")
    page.get_by_role("button", name="Look at it").click()
    show(page.get_by_role("tab", name="Refused"), 480)


def terminal(browser: Browser, token: str) -> Page:
    """What some commands say, as a terminal shows it."""
    environment = {**os.environ, "LENTRA_URL": ADDRESS, "LENTRA_TOKEN": token, "COLUMNS": "150"}
    parts = []
    for command in COMMANDS:
        lentra = [str(Path(sys.executable).parent / "lentra"), *command.split()]
        done = subprocess.run(lentra, env=environment, cwd=ROOT, capture_output=True, text=True, check=False)
        lines = (done.stdout + done.stderr).rstrip().splitlines()
        parts.append(f"<b>$ lentra {html.escape(command)}</b>\n{html.escape(chr(10).join(lines[:10]))}\n")
    page = browser.new_page(viewport={"width": 1280, "height": 800})
    page.set_content(
        f"<pre style='font: 13px/1.25 DejaVu Sans Mono; margin: 8px; white-space: pre-wrap'>{chr(10).join(parts)}</pre>"
    )
    return page


def views(client: Client) -> dict[str, tuple[str, Callable[[Page], Any]]]:
    """Of each picture the page, and what is done on it first."""

    def number(collection: str, name: str) -> Any:
        return getattr(client, collection).get(name)["id"]

    def as_it_is(page: Page) -> None:
        pass

    inside = f"/subnets/{number('subnets', 'crew-roster-ml-1-app-01')}"
    return {
        "today-planner": ("/", as_it_is),
        "pools": ("/pools", as_it_is),
        "pool": (f"/pools/{number('pools', 'ml-1-general')}", as_it_is),
        "forecast": (
            f"/pools/{number('pools', 'quay-cameras')}",
            lambda page: show(page.get_by_role("heading", name="How long it lasts"), 300),
        ),
        "subnet": (f"/subnets/{number('subnets', 'ticketing-nc-1-app-01')}", as_it_is),
        "address-map": (inside, lambda page: show(page.get_by_role("heading", name="Address map"))),
        "map": ("/map?realm=fleet&pool=north-coast&by=project", as_it_is),
        "history": ("/history?range=10.41.192.0/22", as_it_is),
        "request": ("/request", request),
        "waiting": ("/waiting", as_it_is),
        "plan-grid": ("/plans/new", plan),
        "intake": ("/intakes", table),
        "size": ("/size/several", several_sizes),
        "findings": ("/findings", as_it_is),
        "links": ("/links?one=fleet&other=shipyard", as_it_is),
        "renumbering": (f"/renumberings/{next(iter(client.renumberings.list()))['id']}", as_it_is),
        "dns-zone": (f"/names/{number('dns_zones', 'fleet:ferry.example')}", as_it_is),
        "report": ("/api/v1/report?realm=fleet", as_it_is),
    }


def main() -> None:
    """Take the pictures that are named, or all of them."""
    people = json.loads((STATE / "demo-sign-ins.json").read_text())
    planner = next(person for person in people if person["role"] == "planner")
    asked = views(Client(ADDRESS, token=planner["token"]))
    names = sys.argv[1:] or [*asked, "terminal"]
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=list(_FLAGS))
        page = browser.new_page(viewport={"width": 1280, "height": 800})
        page.goto(ADDRESS)
        page.get_by_label("Name").fill(planner["name"])
        page.get_by_label("Password").fill(planner["password"])
        page.get_by_role("button", name="Sign in", exact=True).click()
        page.get_by_role("heading", name="Today").wait_for()
        for name in names:
            if name == "terminal":
                terminal(browser, planner["token"]).screenshot(path=OUT / "terminal.png")
                print(name)
                continue
            path, prepare = asked[name]
            page.goto(ADDRESS + path)
            page.wait_for_load_state("networkidle")
            prepare(page)
            page.mouse.move(1270, 790)
            page.wait_for_timeout(1000)
            page.screenshot(path=OUT / f"{name}.png")
            print(name)


if __name__ == "__main__":
    main()
