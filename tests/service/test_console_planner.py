"""A planner's and an admin's work in the console."""

import re

import pytest
import requests

from tests.service.test_console import choose, open_as  # noqa: F401


def test_a_pool_is_carved_and_given_back(open_as, planner, live):  # noqa: F811
    page = open_as("planner")
    page.goto(live.url + f"/pools/{planner.pools.get('north-coast')['id']}")
    page.get_by_role("button", name="Carve a pool").click()
    dialog = page.get_by_role("dialog")
    dialog.get_by_label("Name").fill("nc-3-extra")
    dialog.get_by_label("Or find a range of length").fill("24")
    choose(page, "Zone", "nc-3")
    assert "lentra pool add nc-3-extra" in dialog.inner_text()
    assert "--length 4/24 --zone nc-3" in dialog.inner_text()
    dialog.get_by_role("button", name="Look at it first").click()
    dialog.get_by_text("Will add pool").wait_for()
    shown = re.search(r"10\.40\.\d+\.0/24", dialog.inner_text())[0]
    dialog.get_by_role("button", name="Confirm").click()
    dialog.wait_for(state="detached")
    made = planner.pools.get("nc-3-extra")
    assert made["ranges"] == [shown]
    page.goto(live.url + f"/pools/{made['id']}")
    page.get_by_role("button", name="More").click()
    page.get_by_role("menuitem", name="Give the pool back").click()
    page.get_by_role("dialog").get_by_role("button", name="Give the pool back").click()
    page.get_by_role("heading", name="Pools", exact=True).wait_for()
    assert "nc-3-extra" not in {pool["name"] for pool in planner.pools.list(limit=1000)}


def test_a_keep_out_over_space_in_use_needs_a_word_and_lifting_it_a_reason(open_as, planner, live):  # noqa: F811
    page = open_as("planner")
    page.goto(live.url + "/set-up/keep-outs")
    page.get_by_role("button", name="Add a keep-out").click()
    choose(page, "Realm", "fleet")
    page.get_by_label("Range").fill("10.41.64.0/26")
    page.get_by_label("Reason", exact=False).first.fill("old ramp controllers")
    page.get_by_role("button", name="Look at it first").click()
    page.get_by_role("alert").get_by_text("covers space in use").wait_for()
    choose(page, "Also over space in use", "yes")
    page.get_by_role("button", name="Look at it first").click()
    page.get_by_text("is a clash until given back").wait_for()
    page.get_by_role("button", name="Confirm").click()
    page.get_by_role("dialog").wait_for(state="detached")
    page.goto(live.url + "/set-up/keep-outs?text=ramp")
    page.get_by_role("button", name="Lift 10.41.64.0/26").click()
    lift = page.get_by_role("dialog").get_by_role("button", name="Lift the keep-out")
    page.get_by_role("dialog").get_by_label("Reason").wait_for()
    assert lift.is_disabled()
    page.get_by_role("dialog").get_by_label("Reason").fill("they were replaced")
    lift.click()
    page.get_by_text("No keep-outs found.").wait_for()
    entry = next(planner.ledger(kind="keep-out", verb="remove"))
    assert entry["why"] == "they were replaced"
    assert planner.verify()["clean"]


def test_a_token_is_shown_once_and_revoked(open_as, live):  # noqa: F811
    page = open_as("viewer")
    page.goto(live.url + "/tokens")
    page.get_by_label("Name of a new token").fill("night-job")
    page.get_by_role("button", name="Make it").click()
    page.get_by_text("Copy it now").wait_for()
    text = page.locator("code").inner_text()
    from lentra.client import Client

    assert Client(live.url, text).me()["name"] == "vera"
    page.get_by_role("button", name="Revoke night-job").click()
    page.get_by_role("dialog").get_by_role("button", name="Revoke the token").click()
    page.get_by_text(re.compile("revoked ")).first.wait_for()


def test_the_ledger_is_filtered_and_dark_stays_dark(open_as, live):  # noqa: F811
    page = open_as("admin")
    page.get_by_role("button", name="Use dark colours").click()
    page.get_by_role("link", name="Ledger").click()
    choose(page, "Kind", "pool")
    # Real keys, and a second filter before the first has landed: neither loses the other, nor a letter.
    page.get_by_label("Name contains").press_sequentially("quay-cam", delay=30)
    page.wait_for_url(re.compile("text=quay-cam"))
    assert "kind=pool" in page.url
    assert page.get_by_label("Name contains").input_value() == "quay-cam"
    page.wait_for_function("() => document.querySelectorAll('tbody tr').length == 1")
    names = page.get_by_role("row").all_inner_texts()[1:]
    assert len(names) == 1
    page.reload()
    page.get_by_role("button", name="Use light colours").wait_for()
    assert page.evaluate("document.documentElement.getAttribute('data-scheme')") == "dark"


@pytest.mark.parametrize(
    ("address", "label"),
    [("/set-up/pools", "Search"), ("/ledger", "Who"), ("/addresses", "Name or purpose"), ("/subnets", "Text")],
)
def test_what_is_typed_into_a_filter_stays(open_as, live, address, label):  # noqa: F811
    page = open_as("viewer")
    page.goto(live.url + address)
    field = page.get_by_label(label, exact=True)
    field.press_sequentially("mainland", delay=40)
    page.wait_for_url(re.compile("=mainland"))
    assert field.input_value() == "mainland"
    field.press("Home")
    field.press_sequentially("zz", delay=120)
    page.wait_for_url(re.compile("=zzmainland"))
    assert field.input_value() == "zzmainland"
    page.go_back()
    page.go_forward()


def test_a_stale_proposal_tells_what_took_its_place(open_as, planner, live, fresh_pool):  # noqa: F811
    fresh_pool("10.40.64.0/24")
    page = open_as("planner")
    page.goto(live.url + "/request")
    choose(page, "Project", "pier-signage")
    choose(page, "Tier", "ops")
    choose(page, "Zone", "nc-3")
    page.get_by_label("Hosts").fill("11")
    page.get_by_role("radio", name="Pool nc-3-general").click()
    page.get_by_role("button", name="Look at the proposal").click()
    block = re.search(r"10\.40\.\d+\.\d+/28", page.get_by_role("table", name="Proposal").inner_text())[0]
    planner.request(
        pool="nc-3-general", project="ticketing", tier="app", zone="nc-3", prefix=block, name="quicker-one"
    )
    page.get_by_role("button", name="Hand it out").click()
    alert = page.get_by_role("region", name="Look, then confirm").get_by_role("alert")
    alert.get_by_text("took its place since the preview").wait_for()
    assert "quicker-one" in alert.inner_text()
    page.get_by_role("button", name="Look again").click()
    page.get_by_role("button", name="Look at the proposal").click()
    page.get_by_role("button", name="Hand it out").click()
    page.wait_for_url(re.compile(r"/pools/\d+\?new="))


def test_a_token_that_only_reads_is_made_and_a_password_needs_the_present_one(open_as, live):  # noqa: F811
    page = open_as("viewer")
    page.goto(live.url + "/tokens")
    page.get_by_label("Name of a new token").fill("watch-tower")
    choose(page, "Reaches as far as", "viewer: only reads")
    page.get_by_role("button", name="Make it").click()
    page.get_by_text("Copy it now").wait_for()
    page.get_by_role("row", name=re.compile("watch-tower .* viewer")).wait_for()
    page.get_by_label("Present password").fill("not this one")
    page.get_by_label(re.compile(r"^New password\s*\*$")).fill("seven tar barrels roll")
    page.get_by_label("New password again").fill("seven tar barrels rol")
    page.get_by_text("The two differ.").wait_for()
    page.get_by_label("New password again").fill("seven tar barrels roll")
    page.get_by_role("button", name="Change it").click()
    page.get_by_text("the present password is another one").wait_for()
    page.get_by_role("button", name="Revoke all my tokens").click()
    page.get_by_role("dialog").get_by_text("lentra person revoke-tokens vera").wait_for()


def test_a_person_changes_the_password_and_an_admin_unlocks_it_in_the_console(browser, live, open_as):  # noqa: F811
    name, old, new = "ingrid-quay", "nine grey herons wait", "seven tar barrels roll"
    live.client("admin").people.add(name=name, role="viewer", password=old)
    page = browser.new_context(viewport={"width": 1280, "height": 800}).new_page()
    page.set_default_timeout(30_000)
    page.goto(live.url + "/sign-in?next=/tokens")
    page.get_by_label("Name").fill(name)
    page.get_by_label("Password").fill(old)
    page.keyboard.press("Enter")
    page.get_by_label("Present password").fill(old)
    page.get_by_label(re.compile(r"^New password\s*\*$")).fill(new)
    page.get_by_label("New password again").fill(new)
    page.keyboard.press("Enter")
    page.get_by_text("Your password is changed").wait_for()
    page.reload()
    page.get_by_role("heading", name="Tokens and password").wait_for()  # this session goes on
    page.context.close()
    for _ in range(5):
        assert requests.post(f"{live.url}/api/v1/session", json={"name": name, "password": old}).status_code == 401
    admin = open_as("admin")
    admin.goto(live.url + "/set-up/people")
    admin.get_by_role("button", name=f"Unlock: {name}").click()
    admin.get_by_role("dialog").get_by_role("button", name="Forget the failed sign-ins").click()
    admin.get_by_role("dialog").wait_for(state="detached")
    assert requests.post(f"{live.url}/api/v1/session", json={"name": name, "password": new}).status_code == 200


def test_a_change_is_taken_back_from_the_ledger(open_as, live, planner, fresh_pool):  # noqa: F811
    wanted = {"project": "ticketing", "tier": "app", "zone": "ml-1", "length": 27}
    made = planner.request(pool=fresh_pool("10.40.64.0/20"), **wanted, count=2)
    name, entry = made.result["subnets"][1]["name"], made.changes[1]["entry"]
    page = open_as("planner")
    page.goto(live.url + f"/ledger?text={name}")
    page.get_by_role("button", name=f"Take back {entry}").focus()
    page.keyboard.press("Enter")
    dialog = page.get_by_role("dialog", name="Take the change back")
    dialog.get_by_text(f"hand out subnet {made.result['subnets'][0]['name']}").wait_for()
    assert dialog.get_by_text(f"lentra undo {entry}").count() == 1
    dialog.get_by_label("Reason").fill("the wrong hall")
    dialog.get_by_role("button", name="Take the change back").click()
    page.get_by_role("cell", name=f"undo of {entry}: the wrong hall").first.wait_for()
    assert not list(planner.subnets.list(text=name))
    page.get_by_role("button", name=f"Take back {entry}").click()
    page.get_by_text("others have built on it").wait_for()
