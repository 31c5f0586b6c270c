"""Lists in the console: pools as a tree, columns, downloads, several subnets at once, steps that are taken, real keys."""

from __future__ import annotations

import csv
import re

import pytest

from lentra.client import Problem
from tests.service.test_console import choose, open_as  # noqa: F401

ASK = {"project": "ticketing", "tier": "app", "zone": "ml-1"}


def test_the_first_load_is_small(live, browser):
    page = browser.new_context().new_page()
    sizes = {}
    page.on(
        "response",
        lambda answer: (
            answer.url.endswith(".js") and sizes.update({answer.url: int(answer.headers["content-length"])})
        ),
    )
    page.goto(live.url + "/sign-in")
    page.get_by_label("Name").fill(live.people["viewer"]["name"])
    page.get_by_label("Password").fill(live.people["viewer"]["password"])
    sizes.clear()
    page.keyboard.press("Enter")
    page.get_by_role("heading", name="Today").wait_for()
    page.reload()
    page.get_by_role("heading", name="Fills first").wait_for()
    assert 50_000 < sum(sizes.values()) < 150 * 1024, sizes
    page.context.close()


def test_pools_are_a_tree_that_opens_by_keys(open_as, live):  # noqa: F811
    page = open_as("viewer")
    page.goto(live.url + "/pools")
    table = page.get_by_role("table", name="Pools")
    assert table.get_by_role("link", name="nc-1-general").count() == 0
    for name in ("fleet-private", "north-coast"):
        branch = page.get_by_role("button", name=f"What is carved out of {name}")
        branch.wait_for()
        branch.focus()
        page.keyboard.press("Enter")
    table.get_by_role("link", name="nc-1-general").first.wait_for()
    page.get_by_role("button", name="What is carved out of fleet-private").press("Enter")
    table.get_by_role("link", name="nc-1-general").first.wait_for(state="detached")
    page.get_by_role("searchbox").or_(page.get_by_label("Name contains")).press_sequentially("general")
    page.wait_for_url(re.compile("text=general"))
    table.get_by_role("link", name="ml-2-general").first.wait_for()
    assert page.get_by_role("button", name="What is carved out of").count() == 0
    page.get_by_role("button", name="By realm, place or project").click()
    choose(page, "Region", "north-coast")
    table.get_by_role("link", name="ml-2-general").first.wait_for(state="detached")
    table.get_by_role("link", name="nc-2-general").first.wait_for()


def test_columns_are_chosen_and_kept_and_all_pages_are_downloaded(open_as, live, planner, tmp_path):  # noqa: F811
    page = open_as("viewer")
    page.goto(live.url + "/subnets?project=ticketing&zone=nc-1")
    table = page.get_by_role("table", name="Subnets")
    table.get_by_role("row").nth(1).wait_for()
    assert table.get_by_role("columnheader", name="Realm").count() == 0
    page.get_by_role("button", name="Columns").press("Enter")
    page.get_by_role("menuitemcheckbox", name="Realm").press("Enter")
    page.get_by_role("menuitemcheckbox", name="Purpose").press("Enter")
    page.keyboard.press("Escape")
    table.get_by_role("columnheader", name="Realm").wait_for()
    page.reload()
    table.get_by_role("columnheader", name="Realm").wait_for()
    assert table.get_by_role("columnheader", name="Purpose").count() == 0
    with page.expect_download() as saving:
        page.get_by_role("button", name="Download").first.click()
        page.get_by_role("menuitem", name="CSV", exact=True).click()
    saving.value.save_as(tmp_path / "subnets.csv")
    rows = list(csv.DictReader((tmp_path / "subnets.csv").open(newline="")))
    there = list(planner.subnets.list(project="ticketing", zone="nc-1"))
    assert [row["name"] for row in rows] == [subnet["name"] for subnet in there]
    assert rows[0]["prefix"] == " ".join(block["prefix"] for block in there[0]["blocks"])


def test_several_subnets_are_labelled_and_given_back_at_once(open_as, live, planner, fresh_pool):  # noqa: F811
    pool = fresh_pool("10.40.64.0/20", cooling_days=0)
    made = planner.request(pool=pool, **ASK, length=27, count=3).result["subnets"]
    planner.subnets.record(made[1]["id"], "gate")
    planner.subnets.edit(made[0]["id"], labels={"floor": "2"})
    page = open_as("planner")
    page.goto(f"{live.url}/subnets?pool={pool}")

    def pick(names):
        for name in names:
            page.get_by_role("checkbox", name=f"Pick {name}").press("Space")

    pick([made[0]["name"], made[2]["name"]])
    page.get_by_text("2 picked").wait_for()
    page.get_by_role("button", name="Add a label").click()
    dialog = page.get_by_role("dialog")
    dialog.get_by_label("Label (key=value)").fill("quay=7")
    dialog.get_by_role("button", name="Look at each").click()
    dialog.get_by_role("button", name="Do it for 2").click()
    dialog.get_by_text("2 of 2 are done").wait_for()
    dialog.get_by_role("button", name="Close").click()
    labels = [planner.subnets.get(subnet["id"])["labels"] for subnet in made]
    assert labels == [{"floor": "2", "quay": "7"}, {}, {"quay": "7"}]
    page.get_by_role("checkbox", name="Pick all that are loaded").press("Space")
    page.get_by_text("3 picked").wait_for()
    page.get_by_role("button", name="Give back").click()
    dialog.get_by_role("button", name="Look at each").click()
    dialog.get_by_text("is in use by").wait_for()
    dialog.get_by_role("button", name="Do it for 2").click()
    dialog.get_by_text("2 of 3 are done").wait_for()
    assert [s["name"] for s in planner.subnets.list(pool=pool)] == [made[1]["name"]]


def test_a_long_list_is_drawn_as_one_scrolls(open_as, live, planner):  # noqa: F811
    names = [subnet["name"] for subnet in planner.subnets.list(realm="fleet", order="name", limit=1000)]
    assert len(names) > 200  # more than a page
    page = open_as("viewer")
    asked = []
    page.on("request", lambda call: asked.append(call.url) if "/api/v1/subnets?" in call.url else None)
    page.goto(f"{live.url}/subnets?realm=fleet&order=name")
    frame = page.get_by_role("region", name="Subnets, scrolled")
    table = page.get_by_role("table", name="Subnets")
    table.get_by_role("link", name=names[0], exact=True).wait_for()
    frame.focus()
    for _ in range(40):
        if table.get_by_role("link", name=names[-1], exact=True).count():
            break
        page.keyboard.press("End")
        page.wait_for_timeout(250)
    table.get_by_role("link", name=names[-1], exact=True).wait_for()
    assert table.get_by_role("row").count() < 80
    last = table.get_by_role("row").filter(has_text=names[-1]).last
    assert last.get_attribute("aria-rowindex") == str(len(names) + 1)
    assert len(asked) == len(set(asked)) == -(-len(names) // 100)


def test_the_map_begins_with_the_realms(open_as, live):  # noqa: F811
    page = open_as("viewer")
    page.get_by_role("link", name="Map").click()
    page.get_by_role("link", name="10.40.0.0/13").click()
    page.get_by_role("group", name="Map of 10.40.0.0/13").wait_for()
    assert "realm=fleet" in page.url


def test_a_request_like_a_former_one_outlives_a_reload(open_as, live, planner):  # noqa: F811
    model = planner.subnets.get("fleet:ticketing-ml-1-app-01")
    page = open_as("planner")
    page.goto(f"{live.url}/subnets/{model['id']}")
    page.get_by_role("link", name="Another like this").click()
    page.get_by_text(f"Like {model['name']}").wait_for()
    assert page.get_by_role("combobox", name="Zone").input_value() == "ml-1"
    assert page.get_by_label("Hosts", exact=True).input_value() == str(model["hosts"])
    page.get_by_label("Purpose").fill("winter timetable")
    page.get_by_role("link", name="Request").click()
    page.wait_for_url(re.compile("/request$"))
    page.reload()
    page.get_by_role("radio").first.wait_for()
    assert page.get_by_label("Purpose").input_value() == "winter timetable"
    choose(page, "Realm", "harbour-lab")
    page.get_by_text("No pool can serve this as it stands").or_(page.get_by_text("harbour-lab ›").first).wait_for()
    page.get_by_role("button", name="Begin anew").click()
    assert page.get_by_label("Purpose").input_value() == ""
    page.reload()
    page.get_by_role("heading", name="Ask for a subnet").wait_for()
    assert page.get_by_label("Purpose").input_value() == ""


def test_a_proposed_step_is_a_button_that_takes_it(open_as, live, planner, fresh_pool):  # noqa: F811
    pool = fresh_pool("10.40.64.0/20", cooling_days=7)
    realm = pool.split(":")[0]
    (wide,) = planner.request(pool=pool, **ASK, length=24, name="wide-hall").result["subnets"]
    planner.subnets.edit(wide["id"], hosts=10)
    (gone,) = planner.request(pool=pool, **ASK, length=27, name="gone-hall").result["subnets"]
    planner.release(gone["id"])
    page = open_as("planner")
    page.goto(f"{live.url}/headroom/idle?realm={realm}")
    page.get_by_role("button", name="Shrink: wide-hall").press("Enter")
    dialog = page.get_by_role("dialog")
    dialog.get_by_text(f"lentra shrink {wide['id']} --length 28").wait_for()
    dialog.get_by_role("button", name="Shrink").click()
    dialog.wait_for(state="detached")
    assert planner.subnets.get(wide["id"])["blocks"][0]["prefix"].endswith("/28")
    page.get_by_role("button", name="Free at once: gone-hall").click()
    dialog.get_by_role("button", name="Free at once").click()
    dialog.wait_for(state="detached")
    with pytest.raises(Problem):
        planner.subnets.get(gone["id"])
