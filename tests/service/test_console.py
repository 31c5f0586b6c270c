"""The console in Chromium: the request flow end to end, set-up, and axe on every page."""

import re

import pytest

from tests.conftest import ROOT

AXE = (ROOT / "console/node_modules/axe-core/axe.min.js").read_text()


SESSIONS = {}  # by service and role


@pytest.fixture
def open_as(live, browser):
    """A signed-in page of the console; fails on any error in the browser."""
    contexts, errors = [], []

    def sign_in(role, scheme="light"):
        known = SESSIONS.get((live.url, role))  # a password is looked at for a second or more
        context = browser.new_context(
            viewport={"width": 1280, "height": 800}, color_scheme=scheme, storage_state=known
        )
        contexts.append(context)
        page = context.new_page()
        page.set_default_timeout(30_000)
        page.on(
            "console", lambda told: "Security Policy" in told.text and errors.append(f"{page.url}: {told.text}")
        )
        page.on("pageerror", lambda error: errors.append(f"{page.url}: {error} {error.stack}"))
        page.goto(live.url + "/sign-in")
        page.get_by_role("heading", level=1).wait_for()
        if page.get_by_role("heading", name="Lentra").count():
            page.get_by_label("Name").fill(live.people[role]["name"])
            page.get_by_label("Password").fill(live.people[role]["password"])
            page.get_by_role("button", name="Sign in").click()
        page.get_by_role("heading", name="Today").wait_for()
        SESSIONS[live.url, role] = {"cookies": context.cookies(), "origins": []}
        return page

    yield sign_in
    for context in contexts:
        context.close()
    assert not errors


def choose(page, label, value):
    page.get_by_role("combobox", name=label).click()
    page.get_by_role("option", name=value, exact=True).click()


def test_from_sign_in_to_the_new_block_on_the_pool_page(open_as, planner):
    page = open_as("requester")
    page.get_by_role("link", name="Ask for a subnet").click()
    choose(page, "Project", "ticketing")
    choose(page, "Tier", "app")
    choose(page, "Zone", "nc-2")
    page.get_by_label("Hosts").fill("180")
    page.get_by_label("Growth in percent").fill("40")
    page.get_by_text("/24 has 251 usable, 252 are needed").wait_for()
    assert page.get_by_role("radio", checked=True).count() == 0  # nothing is chosen in advance
    page.get_by_role("radio", name="Pool nc-2-general").click()
    page.get_by_role("button", name="Look at the proposal").click()
    proposal = page.get_by_role("table", name="Proposal")
    shown = proposal.inner_text()
    block = re.search(r"10\.40\.\d+\.0/23", shown)[0]
    assert "fleet › nc-2-general" in shown
    assert "507" in shown
    name = re.search(r"ticketing-nc-2-app-\d+", shown)[0]
    page.get_by_role("button", name="Hand it out").click()
    page.wait_for_url(re.compile(r"/pools/\d+"))
    row = page.get_by_role("row", name=re.compile(name))
    row.wait_for()
    assert block in row.inner_text()
    (made,) = planner.subnets.list(text=name, realm="fleet")
    assert made["blocks"][0]["prefix"] == block

    row.get_by_role("link", name=name).click()
    page.get_by_role("button", name="Give back").click()
    page.get_by_text("will cool until").wait_for()
    page.get_by_role("dialog").get_by_role("button", name="Give back").click()
    page.get_by_text("Given back. Its range and name cool until").wait_for()
    assert planner.subnets.get(made["id"])["state"] == "cooling"


def test_a_refusal_is_shown_with_its_evidence(open_as):
    page = open_as("planner")
    page.goto(page.url.rstrip("/") + "/set-up/regions")
    page.get_by_role("button", name="Remove inner-isles").click()
    alert = page.get_by_role("alert")
    alert.get_by_text("is used by zone ii-1").wait_for()
    assert "Rule: what is in use stays" in alert.inner_text()
    assert page.get_by_role("dialog").get_by_role("button", name="Remove the region").is_disabled()


def test_a_zone_is_added_edited_and_removed(open_as, planner):
    page = open_as("planner")
    page.goto(page.url.rstrip("/") + "/set-up/zones")
    page.get_by_role("button", name="Add a zone").click()
    page.get_by_label("Name").fill("nc-9")
    choose(page, "Region", "north-coast")
    page.get_by_role("button", name="Look at it first").click()
    page.get_by_text("Will add zone").wait_for()
    page.get_by_role("button", name="Confirm").click()
    page.get_by_role("button", name="Edit nc-9").click()
    page.get_by_label("Physical identifier").fill("net-loft")
    page.get_by_role("button", name="Look at it first").click()
    page.get_by_role("button", name="Confirm").click()
    page.get_by_role("cell", name="net-loft").wait_for()
    page.get_by_role("button", name="Remove nc-9").click()
    page.get_by_role("dialog").get_by_role("button", name="Remove the zone").click()
    page.get_by_role("dialog").wait_for(state="detached")
    page.get_by_role("button", name="Edit nc-3").wait_for()
    assert page.get_by_role("button", name="Edit nc-9").count() == 0
    assert "nc-9" not in {zone["name"] for zone in planner.zones.list()}


def test_filters_live_in_the_address_and_viewers_cannot_change(open_as):
    page = open_as("viewer")
    page.get_by_role("link", name="Subnets").click()
    choose(page, "Zone", "ii-1")
    page.get_by_label("Inside prefix").fill("10.41.64.0/22")
    page.wait_for_url(re.compile("inside=10.41.64.0"))
    page.reload()
    page.get_by_role("link", name="ticketing-ii-1-app-01").wait_for()
    assert page.get_by_label("Inside prefix").input_value() == "10.41.64.0/22"
    page.get_by_role("link", name="ticketing-ii-1-app-01").click()
    page.get_by_role("heading", name="History").wait_for()
    assert page.get_by_role("button", name="Give back").count() == 0
    assert page.get_by_role("link", name="Request").count() == 0


PAGES = [
    "/",
    "/pools",
    "/begin",
    "/pools/{pool}",
    "/subnets",
    "/subnets/{subnet}",
    "/request",
    "/ledger",
    "/tokens",
]
PAGES += [f"/set-up/{kind}" for kind in ("pools", "rule-sheets", "keep-outs", "reservations", "people")]
PAGES += [f"/size/{way}" for way in ("hosts", "several", "cluster", "divide", "check")]
PAGES += [f"/headroom/{view}" for view in ("pools", "alerts", "usage", "changes", "idle", "ranges", "report")]
PAGES += ["/find?text=10.40.64.200", "/find?text=ticket", "/headroom/verification", "/set-up/zones/{zone}"]
PAGES += ["/headroom/grid?project=ticketing", "/headroom/what-if?pool=quay-cameras", "/set-up/planned-needs"]
PAGES += ["/map?pool=fleet-private", "/map?realm=fleet&range=10.42.0.0/18&by=project"]
PAGES += ["/addresses", "/plans", "/plans/{plan}", "/plans/new?from={plan}", "/public", "/subnets/{mapped}"]

PAGES += ["/history?range=10.41.192.0/22", "/intakes", "/set-up/subscriptions", "/set-up/subscriptions/{board}"]
PAGES += ["/findings", "/set-up/sources", "/set-up/sources/{source}", "/set-up/taking-rules"]
PAGES += ["/links?one=fleet&other=shipyard", "/set-up/links", "/set-up/links/{link}"]
PAGES += ["/renumberings?from_pool=ticket-hall&to_pool=mainland", "/renumberings/{moving}"]
PAGES += ["/names", "/names/{names}", "/set-up/dns-zones", "/set-up/dns-zones/{names}", "/set-up/dns-records"]
PAGES += ["/set-up/group-mappings", "/sign-in/terminal?name=cli-quay&challenge=x"]
PAGES += ["/waiting", "/waiting/{asked}", "/set-up/quotas", "/set-up/approval-rules", "/set-up/projects/{project}"]


def test_axe_finds_nothing_on_any_page(open_as, live, planner):
    page = open_as("admin")
    numbers = {
        "pool": planner.pools.get("ml-1-general")["id"],
        "plan": planner.plans.get("tide-halls")["id"],
        "mapped": planner.subnets.get("crew-roster-ml-1-app-01")["id"],
        "subnet": planner.subnets.get("fleet:ticketing-ml-1-app-01")["id"],
        "zone": planner.zones.get("nc-1")["id"],
        "asked": next(planner.waiting.list(state="waiting"))["id"],
        "project": planner.projects.get("ticketing")["id"],
        "board": planner.subscriptions.get("harbour-board")["id"],
        "source": planner.sources.get("harbour-walk")["id"],
        "moving": planner.renumberings.get("quay-west")["id"],
        "link": planner.links.get("pilot-tunnel")["id"],
        "names": planner.dns_zones.get("fleet:ferry.example")["id"],
    }

    def check(where, dark=True):
        page.wait_for_load_state("networkidle")
        page.evaluate(AXE)
        schemes = {"light": "", "dark": ", runOnly: ['color-contrast']"}  # colours alone differ
        for scheme, rules in list(schemes.items())[: 1 + dark]:
            page.emulate_media(color_scheme=scheme)
            page.wait_for_function(f"() => getComputedStyle(document.documentElement).colorScheme == '{scheme}'")
            page.wait_for_timeout(300 if scheme == "dark" else 0)  # colours fade
            found = page.evaluate(f"axe.run({{resultTypes: ['violations']{rules}}})")["violations"]
            told = [(v["id"], v["help"], [n["html"][:160] for n in v["nodes"][:3]]) for v in found]
            assert not told, (where, scheme, told)
        page.emulate_media(color_scheme="light")

    for n, path in enumerate(PAGES):
        page.goto(live.url + path.format(**numbers))
        page.get_by_role("heading", level=1).wait_for()
        page.wait_for_function("() => !document.querySelector('[role=status]')")
        check(path, dark=n % 3 == 0)
    page.goto(live.url + "/set-up/zones")
    page.get_by_role("button", name="Edit nc-1").click()
    page.get_by_role("dialog").get_by_text("cannot change any more").wait_for()
    page.wait_for_timeout(400)  # the dialog fades in
    check("dialog")
    page.goto(live.url + "/request")
    choose(page, "Project", "ticketing")
    choose(page, "Tier", "app")
    choose(page, "Zone", "ml-1")
    page.get_by_label("Hosts").fill("50")
    page.get_by_role("radio", name="Pool ticket-hall").click()
    page.get_by_role("button", name="Look at the proposal").click()
    page.get_by_role("button", name="Hand it out").wait_for()
    page.wait_for_timeout(400)
    check("request")
    page.context.clear_cookies()
    page.goto(live.url + "/sign-in")
    page.get_by_role("button", name="Sign in").wait_for()
    check("/sign-in")
