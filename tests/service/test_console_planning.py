"""A planner's day in the console: work out, plan, hold, commit, reserve, grow, record addresses."""

import re

from tests.conftest import ROOT
from tests.service.test_console import choose, open_as  # noqa: F401


def test_a_plan_is_made_in_the_grid_held_committed_and_given_back(open_as, planner, live):  # noqa: F811
    page = open_as("planner")
    page.get_by_role("link", name="Plans").click()
    page.get_by_role("link", name="Make a plan").click()
    page.get_by_label("Name", exact=False).first.fill("speaker-rows")
    choose(page, "Project", "ticketing")
    choose(page, "Realm", "fleet")
    choose(page, "IPv4 pool", "ticket-hall")
    choose(page, "Under one prefix", "each zone")
    for zone in ("ml-1", "ml-2"):
        choose(page, "Add a zone", zone)
    for tier in ("app", "ops"):
        choose(page, "Add a tier", tier)
    page.get_by_label("Hosts of app").fill("27")
    page.get_by_label("or length of ops").fill("28")
    page.get_by_role("checkbox", name="Tier ops in ml-2").click()
    grid = page.get_by_role("region", name="Zones and tiers")
    grid.get_by_text("new · 27 usable").first.wait_for()
    grid.get_by_text("missing here").wait_for()
    page.get_by_text("tier ops is missing in ml-2").wait_for()
    blocks = re.findall(r"10\.42\.\d+\.\d+/\d+", page.get_by_role("table", name="Blocks of the plan").inner_text())
    assert len(blocks) == 3
    page.get_by_role("button", name="Hold it").click()
    page.get_by_text("Held until").wait_for()
    held = list(planner.subnets.list(plan="speaker-rows"))
    assert sorted(b["prefix"] for s in held for b in s["blocks"]) == sorted(blocks)
    assert {s["state"] for s in held} == {"held"}
    page.get_by_role("button", name="Commit what is held").click()
    page.get_by_role("dialog").get_by_role("button", name="Commit what is held").click()
    page.get_by_text("Held until").wait_for(state="detached")
    now = list(planner.subnets.list(plan="speaker-rows"))
    assert sorted(b["prefix"] for s in now for b in s["blocks"]) == sorted(blocks)
    assert {s["state"] for s in now} == {"active"}
    page.get_by_text("The registry is as the plan says.").wait_for()
    page.get_by_role("button", name="Give all of it back").click()
    page.get_by_role("dialog").get_by_role("button", name="Give all of it back").click()
    page.get_by_role("heading", name="Plans").wait_for()
    assert "speaker-rows" not in {plan["name"] for plan in planner.plans.list()}
    assert planner.verify()["clean"]


def test_a_plan_written_as_text_tells_line_and_path_of_what_is_wrong(open_as, live):  # noqa: F811
    page = open_as("planner")
    page.goto(live.url + "/plans/new")
    page.get_by_role("button", name="Text").click()
    text = (ROOT / "demo/plans/gate-readers.yaml").read_text()
    page.get_by_label("The plan, as YAML or JSON").fill(text.replace("hosts: 59", "hosts: many"))
    page.get_by_text("line 9, tiers[0].hosts: 'many' is not a whole number").wait_for()
    page.get_by_label("The plan, as YAML or JSON").fill(text.replace("zones: [ml-1, ml-2]", "zones: [ml-1, moon]"))
    page.get_by_text("there is no zone 'moon'").first.wait_for()
    assert page.get_by_role("button", name="Commit the plan").is_disabled()
    page.get_by_label("The plan, as YAML or JSON").fill(text)
    page.get_by_text("tier ops is missing in ml-2").wait_for()
    page.get_by_role("button", name="Grid").click()
    assert page.get_by_label("Hosts of app").input_value() == "59"


def test_a_range_is_reserved_from_the_pool_page_and_given_back(open_as, planner, live):  # noqa: F811
    page = open_as("planner")
    pool = planner.pools.get("north-spare")
    page.goto(live.url + f"/pools/{pool['id']}")
    page.get_by_role("button", name="Reserve").click()
    dialog = page.get_by_role("dialog")
    dialog.get_by_label("Or find one of length").fill("26")
    dialog.get_by_label("Reason", exact=False).first.fill("gangway sensors to come")
    dialog.get_by_role("button", name="Look at it first").click()
    dialog.get_by_text("Will add reservation").wait_for()
    dialog.get_by_role("button", name="Confirm").click()
    dialog.wait_for(state="detached")
    page.get_by_role("table", name="IPv4 by state").get_by_text("reserved").wait_for()
    page.goto(live.url + "/set-up/reservations?text=gangway")
    page.get_by_role("button", name=re.compile("Give back other-")).click()
    page.get_by_role("dialog").get_by_role("button", name="Give back the reservation").click()
    page.get_by_text("No reservations found.").wait_for()


def test_a_subnet_grows_in_place_and_says_what_is_in_the_way(open_as, planner, live, fresh_pool):  # noqa: F811
    pool = fresh_pool("10.40.64.0/24")
    common = {"pool": pool, "project": "ticketing", "tier": "app", "zone": "ml-1", "length": 27}
    one = planner.request(**common, room=1).result["subnets"][0]
    page = open_as("planner")
    page.goto(live.url + f"/subnets/{one['id']}")
    page.get_by_text("10.40.64.32/27").first.wait_for()  # its room
    for expected in ("10.40.64.0/26", "10.40.64.0/25"):
        page.get_by_role("button", name="More").click()
        page.get_by_role("menuitem", name="Grow").click()
        dialog = page.get_by_role("dialog")
        dialog.get_by_role("button", name="Look at it first").click()
        dialog.get_by_text("Will grow subnet").wait_for()
        dialog.get_by_role("button", name="Confirm").click()
        dialog.wait_for(state="detached")
        page.get_by_role("table", name="Blocks").get_by_text(expected).wait_for()
    planner.request(**common)
    page.get_by_role("button", name="More").click()
    page.get_by_role("menuitem", name="Grow").click()
    page.get_by_role("dialog").get_by_role("button", name="Look at it first").click()
    alert = page.get_by_role("dialog").get_by_role("alert")
    alert.get_by_text("is in the way").wait_for()
    assert "10.40.64.128/27" in alert.inner_text()


def test_addresses_are_recorded_on_the_map(open_as, planner, live, fresh_pool):  # noqa: F811
    made = planner.request(
        pool=fresh_pool("10.40.64.0/24"), project="ticketing", tier="app", zone="ml-1", length=28
    )
    page = open_as("planner")
    page.goto(live.url + f"/subnets/{made.result['subnets'][0]['id']}")
    page.get_by_role("button", name="Record addresses").click()
    dialog = page.get_by_role("dialog")
    dialog.get_by_label("Name", exact=False).first.fill("gate")
    dialog.get_by_label("How many").fill("3")
    dialog.get_by_role("button", name="Look at it first").click()
    dialog.get_by_text("Will add address record").first.wait_for()
    dialog.get_by_role("button", name="Confirm").click()
    dialog.wait_for(state="detached")
    table = page.get_by_role("table", name="What the addresses of 10.40.64.0/28 are for")
    table.get_by_text("gate-03").wait_for()
    page.get_by_text("16 addresses: 1 network, 3 host, 11 static, 1 broadcast").wait_for()
    page.get_by_role("button", name="Release 10.40.64.2").click()
    page.get_by_role("dialog").get_by_role("button", name="Release the address").click()
    page.get_by_text("2 host").first.wait_for()


def test_working_out_says_why_while_one_types(open_as, live):  # noqa: F811
    page = open_as("viewer")
    page.goto(live.url + "/size/cluster")
    page.get_by_label("Nodes", exact=True).fill("12")
    page.get_by_label("Workloads a node").fill("40")
    page.get_by_label("Balancers").fill("3")
    choose(page, "Rule sheet", "four-and-one")
    page.get_by_text("These ranges carry 23 nodes.").wait_for()
    page.get_by_label("Name service").fill("10.47.240.0")
    page.get_by_label("Service range").fill("10.47.240.0/22")
    page.get_by_text("is the first address of the service range").wait_for()
    page.goto(live.url + "/size/divide")
    page.get_by_label("Block").fill("10.99.0.0/22")
    page.get_by_label("Into parts").fill("4")
    page.get_by_label("Names of the parts").fill("pier")
    page.get_by_label("Zones in turn").fill("nc-1, nc-2")
    parts = page.get_by_role("table", name="Parts")
    parts.get_by_text("nc-2").nth(1).wait_for()
    assert re.findall(r"(pier-\d+)\s+(nc-\d)", parts.inner_text()) == [
        (f"pier-0{n}", zone) for n, zone in enumerate(["nc-1", "nc-2"] * 2, 1)
    ]
    assert page.get_by_text("--name pier --zone nc-1,nc-2").is_visible()
    page.goto(live.url + "/size/check")
    choose(page, "Realm", "fleet")
    page.get_by_label("Ranges, one a line").fill("10.44.3.0/24\n10.99.0.0/24\n")
    page.get_by_text("Partner harbour at Vestnes uses it").wait_for()
    assert "unknown to us" in page.get_by_role("table", name="Checked ranges").inner_text()


def test_a_public_address_is_attached_and_detached(open_as, planner, live):  # noqa: F811
    page = open_as("requester")
    page.get_by_role("link", name="Public", exact=True).click()
    choose(page, "Which", "idle")
    page.wait_for_url(re.compile("public=idle"))
    name = next(planner.subnets.list(public="idle"))["name"]
    page.get_by_role("button", name=f"Attach {name}").click()
    dialog = page.get_by_role("dialog")
    dialog.get_by_label("To what", exact=False).fill("ramp-display")
    dialog.get_by_role("button", name="Look at it first").click()
    dialog.get_by_role("button", name="Confirm").click()
    dialog.wait_for(state="detached")
    assert planner.subnets.get(name)["attached_to"] == "ramp-display"
    page.goto(live.url + "/public?public=attached")
    page.get_by_role("button", name=f"Detach {name}").click()
    page.get_by_role("dialog").get_by_role("button", name="Look at it first").click()
    page.get_by_role("dialog").get_by_role("button", name="Confirm").click()
    page.get_by_role("dialog").wait_for(state="detached")
    assert planner.subnets.get(name)["attached_to"] == ""


def test_how_long_a_pool_lasts_is_drawn_and_told(open_as, planner, live):  # noqa: F811
    page = open_as("viewer")
    page.get_by_role("link", name="Headroom").click()
    page.get_by_role("table", name="Headroom of pools").get_by_text("quay-cameras").click()
    page.get_by_role("heading", name="How long it lasts").wait_for()
    page.get_by_role("img", name=re.compile("quay-cameras, IPv4: .* readings")).wait_for()
    told = planner.pools.headroom("quay-cameras")[0]
    table = page.get_by_role("table", name="Thresholds, IPv4")
    table.get_by_text(told["thresholds"][2]["likely"]).wait_for()
    assert table.get_by_text("reached").count() == 2
    page.goto(live.url + "/headroom/usage")
    choose(page, "By", "zone and tier")
    page.wait_for_url(re.compile("by=zone"))
    page.get_by_role("table", name="Usage").get_by_text("ml-1").first.wait_for()
    page.goto(live.url + "/headroom/idle")
    page.get_by_text("attach it, or give it back").first.wait_for()
