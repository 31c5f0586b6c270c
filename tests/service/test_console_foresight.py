"""Looking ahead in the console: alerts, what if, what to move, zones and tiers, bars, the report, planned needs."""

from __future__ import annotations

import re
import uuid
from datetime import date, timedelta

import pytest

from tests.service.test_console import choose, open_as  # noqa: F401


def test_open_alerts_are_counted_in_the_frame_and_listed(open_as, planner, live):  # noqa: F811
    page = open_as("viewer")
    count = len(list(planner.alerts()))
    page.get_by_title(f"{count} open alerts").wait_for()
    page.goto(live.url + "/headroom/alerts?pool=quay-cameras")
    rows = page.get_by_role("table", name="Alerts").get_by_role("row")
    page.get_by_text("full near").wait_for()
    assert rows.count() == 1 + len(list(planner.alerts(pool="quay-cameras")))
    page.get_by_role("link", name="quay-cameras").first.click()
    page.get_by_role("heading", name="quay-cameras").wait_for()


def test_what_if_is_seen_beside_today(open_as, planner, live):  # noqa: F811
    page = open_as("planner")
    page.goto(live.url + "/headroom/what-if")
    page.get_by_text("Choose a pool. Nothing is changed").wait_for()
    assert page.get_by_role("button", name="Look ahead").is_disabled()
    choose(page, "Pool", "quay-cameras")
    page.get_by_label("Add ranges").fill("10.40.164.0/22")
    page.get_by_label("Needs to come").fill("two /25")
    page.get_by_text("two: write 6x/24@2027-03-01").wait_for()
    day = (date.today() + timedelta(days=40)).isoformat()
    page.get_by_label("Needs to come").fill(f"2x/25@{day}")
    page.get_by_text(f"lentra what-if quay-cameras --range 10.40.164.0/22 --need '2x/25@{day}'").wait_for()
    before = next(planner.ledger(limit=1))["number"]
    page.get_by_role("button", name="Look ahead").click()
    page.get_by_role("heading", name="quay-cameras: today and then").wait_for()
    table = page.get_by_role("table", name="Today and then, IPv4").inner_text()
    assert re.search(r"In all\s+1,024\s+2,048", table)
    assert re.search(r"/22 still fit\s+0\s+1", table)
    told = planner.pools.what_if(
        "quay-cameras", ranges=["10.40.164.0/22"], needs=[{"length": 25, "count": 2, "day": day}]
    )
    assert told["families"][0]["then"]["thresholds"][2]["likely"] in table
    assert next(planner.ledger(limit=1))["number"] == before
    page.get_by_label("Add ranges").fill("10.41.64.0/22")
    page.get_by_role("button", name="Look ahead").click()
    page.get_by_role("alert").get_by_text("10.41.64.0/22").first.wait_for()


def test_what_to_move_for_a_length(open_as, planner, live):  # noqa: F811
    page = open_as("viewer")
    page.goto(live.url + "/headroom/what-if?pool=trial-stands")
    page.get_by_label("Wanted length").fill("24")
    cheapest = planner.pools.compaction("trial-stands", 24)["options"][0]
    table = page.get_by_role("table", name=f"To move for {cheapest['prefix']}")
    table.wait_for()
    assert cheapest["blocks"][0]["prefix"] in table.inner_text()
    page.get_by_label("Wanted length").fill("28")
    page.get_by_text("A /28 fits already: nothing need be moved.").wait_for()


def test_a_project_over_zones_and_tiers_is_drawn_and_told(open_as, live, planner, fresh_pool):  # noqa: F811
    project, pool = f"moorings-{uuid.uuid4().hex[:8]}", fresh_pool("10.40.64.0/22")
    planner.projects.add(name=project)
    at = {zone: {"pool": pool, "project": project, "zone": zone} for zone in ("nc-1", "nc-2", "ml-1", "ml-2")}
    for zone, ask in at.items():
        planner.request(**ask, tier="app", length=25, name=f"{project}-{zone}")
    planner.request(**at["ml-2"], tier="ops", length=28, name=f"{project}-ops")
    page = open_as("viewer")
    # Narrower than all zones: a block is told whole all the same.
    page.set_viewport_size({"width": 700, "height": 800})
    page.goto(f"{live.url}/headroom/grid?project={project}")
    table = page.get_by_role("table", name=f"{project} over zones and tiers")
    row = table.get_by_role("row", name=re.compile("ops nc-1"))
    row.wait_for()
    assert "missing" in row.inner_text()
    drawing = page.get_by_role("img", name=f"{project}: zones and tiers; the same as a table below")
    drawing.get_by_text("10.40.64.128/25", exact=True).click()
    page.get_by_role("heading", name=f"{project}-nc-2").wait_for()
    growth = page.get_by_role("table", name="Growth in place")
    growth.wait_for()
    assert "10.40.64.0/24" in growth.inner_text()


@pytest.mark.parametrize(
    ("path", "name"),
    [
        ("/headroom/usage?by=zone,tier", "Usage-by-zone-and-tier-IPv4.svg"),
        ("/headroom/grid?project=ticketing", "ticketing-zones-tiers.svg"),
    ],
)
def test_every_picture_can_be_saved(open_as, live, path, name):  # noqa: F811
    page = open_as("viewer")
    page.goto(live.url + path)
    with page.expect_download() as saving:
        page.get_by_role("button", name="Save as SVG").first.click()
    assert saving.value.suggested_filename == name


def test_the_report_opens_as_a_page_to_print(open_as, live):  # noqa: F811
    page = open_as("viewer")
    page.goto(live.url + "/headroom/report")
    assert page.get_by_role("link", name="Open the report").get_attribute("aria-disabled") == "true"
    choose(page, "Realm", "fleet")
    with page.context.expect_page() as opening:
        page.get_by_role("link", name="Open the report").click()
    report = opening.value
    report.get_by_role("heading", name="Realm fleet").wait_for()
    report.get_by_role("heading", name="Map of space").wait_for()
    report.emulate_media(media="print")
    assert not report.get_by_role("button", name="Print, or save as PDF").is_visible()


def test_a_planned_need_is_added_and_shows_in_the_forecast(open_as, planner, live):  # noqa: F811
    page = open_as("planner")
    page.goto(live.url + "/set-up/planned-needs")
    page.get_by_role("button", name="Add a planned need").click()
    dialog = page.get_by_role("dialog")
    dialog.get_by_label("Name").fill("pier-lights")
    choose(page, "Pool", "ticket-hall")
    dialog.get_by_label("Length of each block").fill("26")
    day = (date.today() + timedelta(days=30)).isoformat()
    dialog.get_by_label("Day").fill(day)
    dialog.get_by_role("textbox", name="Reason", exact=True).fill("lights on every pier")
    dialog.get_by_role("button", name="Look at it first").click()
    dialog.get_by_text("Will add planned need").wait_for()
    dialog.get_by_role("button", name="Confirm").click()
    dialog.wait_for(state="detached")
    page.goto(live.url + f"/pools/{planner.pools.get('ticket-hall')['id']}")
    steps = page.get_by_role("table", name="Steps to come, IPv4")
    steps.wait_for()
    assert "planned need: pier-lights" in steps.inner_text()
    planner.planned_needs.remove("pier-lights")
