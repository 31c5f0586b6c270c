"""Usage, changes, idle things, ranges and addresses in the console: what is shown is what the API says."""

from __future__ import annotations

import re
from datetime import date, timedelta

import pytest

from tests.service.test_console import choose, open_as  # noqa: F401


def numbers(text: str) -> list[int]:
    """The whole numbers of a table's text."""
    return [int(found.replace(",", "")) for found in re.findall(r"\b\d[\d,]*\b", text)]


def wait_for_rows(page, label: str, count: int) -> None:
    """Until a table has so many rows: while a list is read anew, the old one stays."""
    page.wait_for_function(
        "([label, count]) => document.querySelectorAll(`table[aria-label='${label}'] tbody tr`).length === count",
        arg=[label, count],
    )


def test_usage_in_parts_and_together(open_as, planner, live):  # noqa: F811
    page = open_as("viewer")
    page.goto(live.url + "/headroom/usage")
    choose(page, "By", "zone and tier")
    choose(page, "Project", "crew-roster")
    page.wait_for_url(re.compile("by=zone.*project=crew-roster"))
    rows = planner.breakdown("zone,tier", project="crew-roster")
    table = page.get_by_role("table", name="Usage", exact=True)
    wait_for_rows(page, "Usage", len(rows))
    shown = table.inner_text()
    for row in rows:
        assert int(row["used"]) in numbers(shown)
    assert page.get_by_text("lentra breakdown zone,tier --project crew-roster").is_visible()
    drawing = page.get_by_role("img", name="Usage by zone and tier, IPv4; the same as a table below")
    assert f"{rows[0]['zone']['name']}, {rows[0]['tier']['name']}" in drawing.text_content()

    page.goto(live.url + "/headroom/usage?region=north-coast")
    together = page.get_by_role("table", name="All pools by state")
    together.wait_for()
    usage = planner.usage_together(region="north-coast")[0]
    shown = numbers(together.inner_text())
    for state, amount in usage["addresses"].items():
        if amount != "0":
            assert int(amount) in shown, state
    assert sum(usage["percent"].values()) == pytest.approx(100, abs=0.001)


def test_ipv6_is_told_in_units(open_as, live, planner):  # noqa: F811
    page = open_as("viewer")
    page.goto(live.url + "/headroom/usage?by=project")
    choose(page, "Family", "IPv6")
    table = page.get_by_role("table", name="Usage", exact=True)
    table.get_by_role("columnheader", name="In /64").wait_for()
    (own,) = [row for row in planner.breakdown("project", family=6) if row["project"]["name"] == "ticketing"]
    units = f"{own['subnets']} {int(own['used']) >> 64}"
    table.get_by_role("row", name=re.compile(f"ticketing .* {units}")).wait_for()


def test_what_changed_between_two_days(open_as, planner, live):  # noqa: F811
    page = open_as("viewer")
    since = (date.today() - timedelta(days=120)).isoformat()
    page.goto(live.url + f"/headroom/changes?since={since}&realm=fleet")
    table = page.get_by_role("table", name="Changes")
    table.wait_for()
    rows = planner.changes(since, realm="fleet")
    assert table.get_by_role("row").count() == 1 + len(rows)
    for row in rows:
        assert int(row["subnets"]) in numbers(table.inner_text())
    page.get_by_label("Until").fill("2020-01-01")
    page.get_by_role("alert").get_by_text("comes after 2020-01-01").wait_for()


def test_an_idle_block_leads_to_its_subnet(open_as, planner, live):  # noqa: F811
    page = open_as("viewer")
    page.goto(live.url + "/headroom/idle?realm=fleet")
    table = page.get_by_role("table", name="Idle and odd things")
    table.wait_for()
    found = list(planner.idle(realm="fleet"))
    assert table.get_by_role("row").count() == 1 + min(len(found), 100)
    name = next(row["what"] for row in found if row["kind"] == "public address idle")
    table.get_by_role("link", name=name).click()
    page.get_by_role("heading", name=name).wait_for()


def test_ranges_for_access_rules_are_joined_and_marked(open_as, planner, live):  # noqa: F811
    page = open_as("viewer")
    page.goto(live.url + "/headroom/ranges?project=harbour-cameras")
    table = page.get_by_role("table", name="Ranges")
    table.wait_for()
    every = list(planner.ranges(project="harbour-cameras"))
    assert table.get_by_role("row").count() == 1 + len(every)
    choose(page, "As", "fewest prefixes")
    fewest = list(planner.ranges(project="harbour-cameras", aggregated="true"))
    assert len(fewest) < len(every)
    wait_for_rows(page, "Ranges", len(fewest))
    assert table.get_by_text(fewest[-1]["prefix"], exact=True).is_visible()
    assert page.get_by_text("lentra ranges --project harbour-cameras --aggregated").is_visible()


@pytest.mark.parametrize(
    ("path", "label", "back"),
    [("idle", "Idle and odd things", "First page"), ("ranges", "Ranges", "Previous page")],
)
def test_long_lists_are_turned_by_page_and_back_to_the_first(open_as, planner, live, path, label, back):  # noqa: F811
    page = open_as("planner")
    page.goto(live.url + f"/headroom/{path}?limit=3")
    wait_for_rows(page, label, 3)
    first = page.get_by_role("table", name=label).inner_text()
    told = "document.querySelector(`table[aria-label='${label}']`)?.innerText"
    page.get_by_role("button", name="Next page").press("Enter")
    page.wait_for_function(f"([label, text]) => {told} !== text", arg=[label, first])
    page.get_by_role("button", name=back).press("Enter")
    page.wait_for_function(f"([label, text]) => {told} === text", arg=[label, first])


def test_pools_that_fill_up_are_found_by_region(open_as, planner, live):  # noqa: F811
    page = open_as("viewer")
    page.goto(live.url + "/headroom")
    choose(page, "Region", "mainland")
    table = page.get_by_role("table", name="Headroom of pools")
    rows = list(planner.headroom(region="mainland"))
    wait_for_rows(page, "Headroom of pools", len(rows))
    line = table.get_by_role("row", name=re.compile("dispatch-desks")).inner_text()
    assert "use is shrinking" in line


def test_a_realm_a_project_and_a_zone_tell_how_they_grow(open_as, planner, live):  # noqa: F811
    page = open_as("viewer")
    page.goto(live.url + "/headroom/pools?realm=fleet")
    page.get_by_role("heading", name="All pools of fleet together").wait_for()
    full = planner.growth("realm", "fleet")[0]["thresholds"][2]["likely"]
    assert full in page.get_by_role("table", name="Thresholds, IPv4").inner_text()
    steps = page.get_by_role("table", name="Steps to come, IPv4").inner_text()
    assert "planned need: vetle-quays" in steps
    page.goto(live.url + "/headroom/pools?project=ticketing&zone=ml-1")
    page.get_by_role("heading", name="How project ticketing grows").wait_for()
    page.get_by_role("heading", name="How zone ml-1 grows").wait_for()
    pace = int(planner.growth("project", "ticketing")[0]["per_month"])
    page.get_by_text(f"{pace:,} addresses more a month").wait_for()
    page.get_by_text("lentra headroom --grows zone --zone ml-1").wait_for()


def test_addresses_are_found_by_name_and_lead_to_their_subnet(open_as, live):  # noqa: F811
    page = open_as("viewer")
    page.goto(live.url + "/addresses?text=roster-db")
    row = page.get_by_role("row", name=re.compile("roster-db"))
    row.wait_for()
    assert "02:00:5e:10:00:21" in row.inner_text()
    row.get_by_role("link").first.click()
    page.get_by_role("heading", name="crew-roster-ml-1-app-01").wait_for()


def test_a_subnet_is_replaced_and_the_old_one_retires(open_as, planner, live, fresh_pool):  # noqa: F811
    pool = fresh_pool("10.40.0.0/24")
    (old,) = planner.request(pool=pool, project="ticketing", tier="app", zone="ml-1", length=28).result["subnets"]
    page = open_as("planner")
    page.goto(live.url + f"/subnets/{old['id']}")
    page.get_by_role("button", name="More").click()
    page.get_by_role("menuitem", name="Replace").click()
    dialog = page.get_by_role("dialog")
    dialog.get_by_label("Length").fill("27")
    dialog.get_by_role("button", name="Look at it first").click()
    dialog.get_by_role("button", name="Confirm").click()
    dialog.wait_for(state="detached")
    page.wait_for_url(re.compile(rf"/subnets/(?!{old['id']}$)\d+$"))
    assert planner.subnets.get(old["id"])["state"] == "retiring"
    made = next(s for s in planner.subnets.list(pool=pool) if s["id"] != old["id"])
    assert made["blocks"][0]["prefix"].endswith("/27")
