"""The console on every page: find anything, go on after a session has ended, a narrow screen, commands that parse."""

import re
import shlex

import pytest
import requests

from lentra.cli.main import build_parser
from lentra.client.errors import BY_CODE
from tests.service.test_console import choose, open_as  # noqa: F401


def find(page, text):
    page.keyboard.press("/")
    page.keyboard.type(text)
    page.keyboard.press("Enter")
    page.get_by_role("heading", name=f"Find {text}").wait_for()


def test_an_address_is_found_from_any_page_with_who_has_it_and_what_is_around(open_as, live):  # noqa: F811
    page = open_as("viewer")
    page.goto(live.url + "/ledger")
    page.get_by_role("heading", level=1).wait_for()
    find(page, "10.40.64.200")
    place = page.get_by_role("table", name="What is there in fleet")
    place.get_by_role("link", name="ticketing-nc-1-app-01").wait_for()
    page.get_by_text(re.compile("^(before|after): ")).first.wait_for()
    find(page, "10.40.96.0/19")
    page.get_by_role("heading", name="10.40.96.0/19, by the numbers").wait_for()
    find(page, "198.51.100.77")
    page.get_by_text("198.51.100.77 is in no pool").or_(page.get_by_text("is kept out")).first.wait_for()


def test_a_record_is_found_by_whatever_one_has_of_it(open_as, planner, live):  # noqa: F811
    subnet = planner.subnets.get("fleet:ticketing-nc-1-app-01")
    planner.subnets.record(subnet["id"], "turnstile", mac="02:42:ac:11:00:07")
    page = open_as("planner")
    found = page.get_by_role("table", name="Records")
    for text, name in (
        ("02-42-AC-11-00-07", "turnstile"),
        ("turnst", "turnstile"),
        ("ticket-h", "ticket-hall"),
        (str(subnet["id"]), "ticketing-nc-1-app-01"),
    ):
        find(page, text)
        found.get_by_role("link", name=name, exact=True).first.wait_for()
    found.get_by_role("link", name="ticketing-nc-1-app-01").click()
    page.get_by_role("heading", name="ticketing-nc-1-app-01").wait_for()
    find(page, "zzz-nothing")
    page.get_by_text("Nothing is known by that.").wait_for()


def test_answers_come_while_one_types(open_as, live):  # noqa: F811
    page = open_as("viewer")
    page.keyboard.press("/")
    page.keyboard.type("ticketing-nc-1-a")
    answers = page.get_by_role("listbox", name="Answers")
    answers.get_by_role("option", name="ticketing-nc-1-app-01").wait_for()
    page.keyboard.press("ArrowDown")
    page.keyboard.press("ArrowUp")
    page.keyboard.press("ArrowDown")
    answers.get_by_role("option", name="ticketing-nc-1-app-01", selected=True).wait_for()
    page.keyboard.press("Enter")
    page.get_by_role("heading", name="ticketing-nc-1-app-01").wait_for()
    page.keyboard.press("/")
    page.keyboard.type("10.40.64.200")
    answers.get_by_role("option", name="10.40.64.200/32 in fleet").wait_for()
    page.keyboard.press("Escape")
    answers.wait_for(state="detached")
    page.keyboard.press("Enter")
    page.get_by_role("heading", name="Find 10.40.64.200").wait_for()


def test_a_zone_has_a_page_with_what_it_holds_how_it_grows_and_its_past(open_as, live):  # noqa: F811
    page = open_as("viewer")
    page.goto(live.url + "/set-up/zones")
    page.get_by_role("table", name="Zones").get_by_role("link", name="nc-1").click()
    page.get_by_role("heading", name="nc-1", exact=True).wait_for()
    page.get_by_role("table", name="Subnets").get_by_role("link", name="ticketing-nc-1-app-01").wait_for()
    page.get_by_role("heading", name="How zone nc-1 grows").wait_for()
    page.get_by_role("table", name="Ledger entries").get_by_role("cell", name="add").wait_for()
    page.get_by_role("link", name="All of them").click()
    page.wait_for_url("**/subnets?zone=nc-1")


@pytest.mark.parametrize(("role", "sees"), [("viewer", False), ("admin", True)])
def test_a_search_shows_no_entry_that_the_ledger_would_not(live, role, sees):
    token = live.client("planner").tokens.add(name="for-a-search").result
    found = live.client(role).search(str(token["id"]))["records"]
    assert (token["id"] in {record["id"] for record in found}) == sees


def test_a_session_that_has_ended_asks_in_place_and_goes_on(open_as, live):  # noqa: F811
    page = open_as("viewer")
    page.goto(live.url + "/subnets?zone=nc-1")
    page.get_by_role("link", name="ticketing-nc-1-app-01").wait_for()
    page.context.clear_cookies()
    page.get_by_role("link", name="Ledger").click()
    dialog = page.get_by_role("dialog", name="Your session has ended")
    dialog.get_by_label("Password").fill("not this one")
    dialog.get_by_role("button", name="Sign in again").click()
    dialog.get_by_role("alert").wait_for()
    dialog.get_by_label("Password").fill(live.people["viewer"]["password"])
    dialog.get_by_role("button", name="Sign in again").click()
    dialog.wait_for(state="detached")
    page.get_by_role("main").get_by_role("row").nth(3).wait_for()


def test_an_answer_that_is_none_leaves_the_rest_of_the_page(open_as, live):  # noqa: F811
    page = open_as("viewer")
    page.route("**/api/v1/alerts*", lambda route: route.fulfill(json={}))
    page.route("**/api/v1/ledger*", lambda route: route.fulfill(status=502, body="<html>Bad gateway</html>"))
    page.goto(live.url + "/ledger")
    page.get_by_text("The service answered 502 without saying why.").wait_for()
    page.get_by_role("link", name="Subnets").click()
    page.get_by_role("row").nth(1).wait_for()
    page.route("**/api/v1/subnets?*", lambda route: route.fulfill(json={"results": [{}]}))
    page.reload()
    page.get_by_text("This part of the console has failed").wait_for()
    page.get_by_role("link", name="Plans").click()
    page.get_by_role("heading", name="Plans").wait_for()


def test_a_narrow_screen_has_a_menu_and_does_not_scroll_sideways(open_as, live):  # noqa: F811
    page = open_as("viewer")
    page.set_viewport_size({"width": 390, "height": 800})
    for path in ("/", "/pools", "/subnets", "/find?text=ticket-hall", "/request"):
        page.goto(live.url + path)
        page.get_by_role("heading", level=1).wait_for()
        assert page.evaluate("document.documentElement.scrollWidth") <= 390, path
    page.get_by_role("button", name="Pages").click()
    page.get_by_role("menuitem", name="Plans").click()
    page.get_by_role("heading", name="Plans").wait_for()


def parsed(page, *, within="dialog"):
    """The command that is shown, as the command line reads it."""
    shown = page.get_by_role(within).locator("code").last.inner_text()
    words = shlex.split(shown.partition(" | ")[0])
    assert words[0] == "lentra"
    return vars(build_parser().parse_args(words[1:]))


def test_the_commands_that_forms_show_are_commands(open_as, planner, live):  # noqa: F811
    page = open_as("planner")
    pool = planner.pools.get("ml-1-general")["id"]
    page.goto(f"{live.url}/pools/{pool}")
    page.get_by_role("button", name="More").click()
    page.get_by_role("menuitem", name="Add a range").click()
    page.get_by_label("Or find one of length").fill("24")
    assert parsed(page)["length"] == {"family": 4, "length": 24}
    page.get_by_role("button", name="Leave it").click()
    page.get_by_role("button", name="More").click()
    page.get_by_role("menuitem", name="Change a range").click()
    page.get_by_label("To", exact=False).last.fill("10.44.0.0/19")
    choose(page, "Move all that lives in it along", "yes")
    assert parsed(page)["rebase"] is True
    page.get_by_role("button", name="Leave it").click()
    page.get_by_role("button", name="More").click()
    page.get_by_role("menuitem", name="Add IPv6 to its subnets").click()
    page.get_by_label("Number in").fill("fd00::/48")
    assert parsed(page)["within"] == "fd00::/48"
    page.get_by_role("button", name="Leave it").click()
    page.get_by_role("button", name="Reserve", exact=True).click()
    page.get_by_label("Tiers").fill("app, data")
    page.get_by_label("Reason", exact=False).first.fill("links to come")
    page.get_by_label("Name").fill("links")
    assert parsed(page)["tiers"] == ["app", "data"]
    page.goto(f"{live.url}/subnets/{planner.subnets.get('fleet:ticketing-ml-1-app-01')['id']}")
    page.get_by_role("button", name="Edit", exact=True).click()
    page.get_by_label("Purpose").fill("gate readers")
    assert parsed(page)["purpose"] == "gate readers"


def test_a_form_commits_what_it_has_shown(open_as, planner, live, fresh_pool):  # noqa: F811
    pool = fresh_pool("10.40.64.0/24")
    page = open_as("planner")
    page.goto(f"{live.url}/pools/{planner.pools.get(pool)['id']}")
    page.get_by_role("button", name="Reserve", exact=True).click()
    page.get_by_label("Name").fill("links")
    page.get_by_label("length", exact=False).last.fill("27")
    page.get_by_label("Reason", exact=True).or_(page.get_by_label("Reason *", exact=True)).first.fill(
        "links to come"
    )
    page.get_by_role("button", name="Look at it first").click()
    page.get_by_text("10.40.64.0/27").wait_for()
    planner.request(pool=pool, project="ticketing", tier="app", zone="ml-1", length=27, name="quicker")
    page.get_by_role("button", name="Confirm").click()
    page.get_by_text("what was shown is no longer possible").wait_for()
    assert not list(planner.reservations.list(pool=pool))
    page.get_by_role("button", name="Look at it first").click()  # again, and now it is another range
    page.get_by_text("10.40.64.32/27", exact=True).wait_for()
    page.get_by_role("button", name="Confirm").click()
    page.get_by_role("dialog").wait_for(state="detached")
    assert [row["range"] for row in planner.reservations.list(pool=pool)] == ["10.40.64.32/27"]


def test_an_address_record_is_edited_where_it_is_shown(open_as, planner, live, fresh_pool):  # noqa: F811
    pool = fresh_pool("10.40.64.0/24")
    (subnet,) = planner.request(pool=pool, project="ticketing", tier="app", zone="ml-1", length=28).result[
        "subnets"
    ]
    record = planner.subnets.record(subnet["id"], "gate-1").result["addresses"][0]
    page = open_as("planner")
    page.goto(f"{live.url}/subnets/{subnet['id']}")
    page.get_by_role("button", name=f"Edit {record['address']}").click()
    dialog = page.get_by_role("dialog")
    dialog.get_by_label("For what").fill("north gate")
    dialog.get_by_label("MAC").fill("02:42:ac:11:00:0a")
    dialog.get_by_role("button", name="Look at it first").click()
    dialog.get_by_text("Will edit address record").wait_for()
    dialog.get_by_role("button", name="Confirm").click()
    dialog.wait_for(state="detached")
    edited = planner.addresses.get(record["id"])
    assert (edited["purpose"], edited["mac"]) == ("north gate", "02:42:ac:11:00:0a")


def test_the_registry_is_verified_and_a_past_day_is_looked_at(open_as, planner, live):  # noqa: F811
    page = open_as("planner")
    page.goto(live.url + "/headroom/verification")
    page.get_by_role("button", name="Verify the registry").click()
    page.get_by_text("All that must hold, holds.").wait_for(timeout=60_000)
    day = planner.pools.headroom("quay-cameras")[0]["readings"][-1]["day"]
    page.goto(f"{live.url}/headroom/changes?on={day}")
    page.get_by_role("table", name=f"Usage on {day}").get_by_role("cell", name="quay-cameras").first.wait_for()


def test_the_document_is_json_and_other_bodies_are_refused_by_a_known_code(live):
    document = requests.get(f"{live.url}/api/v1/openapi.json", headers={"Accept": "*/*"}, timeout=30)
    assert document.json()["openapi"].startswith("3.1")
    headers = {"Authorization": "Bearer " + live.token("viewer"), "Content-Type": "text/plain"}
    told = requests.post(f"{live.url}/api/v1/size/cluster", data="nodes", headers=headers, timeout=30).json()
    codes = document.json()["components"]["schemas"]["Problem"]["properties"]["code"]["enum"]
    assert told["code"] == "unsupported-media-type"
    assert set(codes) - set(BY_CODE) == set()


def test_the_first_page_is_light_and_kept_by_the_browser(live):
    page = requests.get(live.url + "/", timeout=30).text
    scripts = re.findall(r'(?:src|href)="(/assets/[^"]+\.js)"', page)
    answers = [
        requests.get(live.url + path, headers={"Accept-Encoding": "gzip"}, stream=True, timeout=30)
        for path in scripts
    ]
    assert sum(len(answer.raw.read(decode_content=False)) for answer in answers) < 250 * 1024
    assert all("immutable" in answer.headers["Cache-Control"] for answer in answers)
