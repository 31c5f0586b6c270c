"""What a planner finishes in the console: ranges, gaps, alerts, departures, tables of addresses, tags, plans of sizes."""

import re

from tests.service.test_console import choose, open_as  # noqa: F401

ASK = {"project": "ticketing", "tier": "app", "zone": "nc-1"}


def confirm(page):
    """Look at a change and confirm it."""
    dialog = page.get_by_role("dialog")
    dialog.get_by_role("button", name="Look at it first").click()
    dialog.get_by_role("button", name="Confirm").click()
    dialog.wait_for(state="detached")


def go_ahead(page, title):
    """Confirm a change that is shown already, with a key, once it is."""
    dialog = page.get_by_role("dialog")
    dialog.locator("button:not([disabled])").filter(has_text=title).wait_for()
    dialog.get_by_role("button", name=title).press("Enter")
    dialog.wait_for(state="detached")


def test_a_range_is_taken_out_and_gaps_are_seen(open_as, planner, live, fresh_pool):  # noqa: F811
    pool = fresh_pool("10.40.64.0/24", "10.40.65.0/24")
    (subnet,) = planner.request(pool=pool, prefix="10.40.65.16/28", **ASK).result["subnets"]
    page = open_as("planner")
    page.goto(f"{live.url}/pools/{planner.pools.get(pool)['id']}")
    page.get_by_text("every run of free space").click()
    gaps = page.get_by_role("table", name="Gaps")
    gaps.get_by_text("10.40.65.0/28").wait_for()
    assert subnet["name"] in gaps.inner_text()
    page.get_by_role("button", name="More").click()
    page.get_by_role("menuitem", name="Take a range out").click()
    dialog = page.get_by_role("dialog")
    dialog.get_by_label("Range to take out").fill("10.40.65.0/24")
    dialog.get_by_role("button", name="Look at it first").click()
    dialog.get_by_text(f"replace {subnet['name']} by a subnet from another range").first.wait_for()
    planner.release(subnet["id"], at_once=True)
    confirm(page)
    page.get_by_text("10.40.65.0/24").first.wait_for(state="detached")
    assert planner.pools.get(pool)["ranges"] == ["10.40.64.0/24"]


def test_a_request_chooses_among_places_of_a_pool(open_as, planner, live, fresh_pool):  # noqa: F811
    pool = fresh_pool("10.40.64.0/24")
    realm = pool.partition(":")[0]
    page = open_as("planner")
    page.goto(
        f"{live.url}/request?realm={realm}&project=ticketing&tier=app&zone=nc-1&by=length&length=28&places=3"
    )
    page.get_by_role("radio", name="Pool pool, 10.40.64.32/28").check()
    page.get_by_text("--prefix 10.40.64.32/28").wait_for()
    page.get_by_role("button", name="Look at the proposal").click()
    page.get_by_role("button", name="Hand it out").click()
    page.wait_for_url(re.compile(r"/pools/\d+"))
    (made,) = planner.subnets.list(realm=realm)
    assert made["blocks"][0]["prefix"] == "10.40.64.32/28"


def test_an_alert_is_looked_after(open_as, planner, live):  # noqa: F811
    page = open_as("planner")
    page.goto(f"{live.url}/headroom/alerts")
    page.get_by_role("button", name=re.compile("Acknowledge: mainland, IPv4")).click()
    page.get_by_label("Reason", exact=False).first.fill("the halls move out")
    page.get_by_label("Mute until").fill("2027-05-01")
    confirm(page)
    row = page.get_by_role("row", name=re.compile("petra: the halls move out, muted until"))
    row.get_by_role("button", name=re.compile("Take up again")).click()
    page.get_by_role("dialog").get_by_role("button", name="Take the alert up again").click()
    page.get_by_role("button", name=re.compile("Acknowledge: mainland, IPv4")).wait_for()
    assert all(not alert["acknowledged_by"] for alert in planner.alerts())


def test_departures_and_coming_back_are_one_step_each(open_as, planner, live, fresh_pool):  # noqa: F811
    pool = fresh_pool("10.40.64.0/22", cooling_days=5)
    realm = pool.partition(":")[0]
    text = (
        f"format: lentra-plan-1\nname: piers\nproject: ticketing\nrealm: {realm}\npools: {{ipv4: pool}}\n"
        "zones: [nc-1]\ntiers: [{tier: app, length: 27, count: 2}]\n"
    )
    seen = planner.plans.preview(text)
    planner.plans.commit(text, proposal=seen.proposal)
    plan = planner.plans.get(f"{realm}:piers")
    one, two = planner.subnets.list(plan=plan["id"])
    for subnet in (one, two):
        planner.release(subnet["id"])
    page = open_as("planner")
    page.goto(f"{live.url}/plans/{plan['id']}")
    page.get_by_role("button", name=f"Put right {one['plan_slot']}").click()
    page.get_by_role("dialog").get_by_role("button", name="Put the departure right").click()
    page.get_by_role("dialog").wait_for(state="detached")
    page.get_by_role("button", name=f"Put right {one['plan_slot']}").wait_for(state="detached")
    page.goto(f"{live.url}/subnets/{two['id']}")
    page.get_by_role("button", name="More").click()
    page.get_by_role("menuitem", name="Bring back").click()
    confirm(page)
    assert [planner.subnets.get(s["id"])["state"] for s in (one, two)] == ["active", "active"]


def test_addresses_come_from_a_list_and_a_project_tells_what_it_holds(open_as, planner, live, fresh_pool):  # noqa: F811
    pool = fresh_pool("10.40.64.0/24")
    (subnet,) = planner.request(pool=pool, length=27, **ASK).result["subnets"]
    page = open_as("planner")
    page.goto(f"{live.url}/subnets/{subnet['id']}")
    page.get_by_role("button", name="From a list").click()
    page.get_by_label("One a line").fill("mast, 10.40.64.9, router\nbuoy")
    confirm(page)
    page.get_by_role("cell", name="mast").first.wait_for()
    told = {(r["name"], r["kind"]) for r in planner.addresses.list(subnet=subnet["id"])}
    assert told == {("mast", "router"), ("buoy", "host")}
    page.goto(f"{live.url}/set-up/projects/{planner.projects.get('crew-roster')['id']}")
    held = page.get_by_role("table", name="What it holds")
    held.get_by_role("link", name="crew-roster-ml-1-app-01").wait_for()
    page.goto(f"{live.url}/set-up/zones/{planner.zones.get('ii-1')['id']}")
    page.get_by_text("grindoy-switch-2 has tag 3999").wait_for()
    page.goto(f"{live.url}/public")
    assert "18" in page.get_by_role("row", name=re.compile("^ticketing 16")).inner_text()


def test_sizes_become_a_plan(open_as, live):  # noqa: F811
    page = open_as("planner")
    page.goto(f"{live.url}/size/several")
    page.get_by_label("Subnets, one a line").fill("app 50\nrota 20")
    page.get_by_text("Make this a plan").click()
    for label, name in (("Project", "crew-roster"), ("Pool", "ml-1-general"), ("Tier of the others", "ops")):
        choose(page, label, name)
    page.get_by_label("Zones").fill("ml-1")
    page.get_by_role("button", name="Make a plan of it").click()
    page.get_by_role("heading", name="Make a plan").wait_for()
    page.get_by_text("as: rota").first.wait_for()
