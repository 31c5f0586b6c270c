"""The map of space in the console: zooming by pointer, wheel and keys, opening a block, saving the picture."""

from __future__ import annotations

import re
from pathlib import Path

import pytest

from tests.service.test_console import choose, open_as  # noqa: F401


@pytest.fixture
def map_page(open_as, live):  # noqa: F811
    page = open_as("viewer")
    page.goto(live.url + "/map")
    page.get_by_role("table", name="Realms and their ranges").wait_for()
    return page


def test_a_map_is_walked_from_the_whole_pool_down_to_a_subnet(map_page):
    page = map_page
    choose(page, "Pool", "fleet-private")
    page.get_by_role("group", name="Map of 10.40.0.0/13").wait_for()
    page.goto(re.sub(r"\?.*", "?realm=fleet&range=10.40.96.0/21", page.url))
    trail = page.get_by_role("navigation", name="Zoom")
    trail.get_by_text("10.40.96.0/21").wait_for()
    assert trail.inner_text().split("\n")[::2][:4] == ["fleet", "fleet-private", "north-coast", "nc-2-general"]
    page.get_by_role("button", name="Zoom in").click()
    page.get_by_role("group", name="Map of 10.40.96.0/23").wait_for()
    page.get_by_role("button", name="The same as a table").click()
    rows = page.get_by_role("table", name="Pieces of 10.40.96.0/23").get_by_role("row")
    assert "ticketing-nc-2-edge-01" in rows.nth(1).inner_text()
    # Keys: to the first piece, its facts are told, Enter opens it.
    drawing = page.get_by_role("group", name=re.compile("Map of"))
    drawing.focus()
    drawing.press("Home")
    page.get_by_text("10.40.96.0/26 · handed out · ticketing-nc-2-edge-01").wait_for()
    drawing.press("ArrowRight")
    page.get_by_text("10.40.96.64/26 · handed out").wait_for()
    drawing.press("Enter")
    page.get_by_role("heading", name="ticketing-nc-2-data-01").wait_for()


def test_keys_wheel_and_neighbours_move_the_view(map_page, live):
    page = map_page
    page.goto(live.url + "/map?realm=fleet&range=10.40.96.0/19")
    drawing = page.get_by_role("group", name="Map of 10.40.96.0/19")
    drawing.focus()
    drawing.press("-")
    page.wait_for_url(re.compile("range=10.40.0.0%2F17"))
    page.get_by_role("group", name="Map of 10.40.0.0/17").press("PageDown")
    page.wait_for_url(re.compile("range=10.40.128.0%2F17"))
    drawing = page.get_by_role("group", name="Map of 10.40.128.0/17")
    box = drawing.bounding_box()
    page.mouse.move(box["x"] + box["width"] * 0.9, box["y"] + 40)
    page.mouse.wheel(0, -120)
    page.wait_for_url(re.compile("range=10.40.224.0%2F19"))
    page.get_by_role("group", name="Map of 10.40.224.0/19").wait_for()
    page.mouse.wheel(0, 120)
    page.wait_for_url(re.compile("range=10.40.128.0%2F17"))
    drawing.wait_for()
    page.get_by_role("button", name="Range before").click()
    page.get_by_role("group", name="Map of 10.40.0.0/17").wait_for()


def test_the_map_is_coloured_by_what_one_asks_for(map_page, live):
    page = map_page
    page.goto(live.url + "/map?realm=fleet&range=10.40.96.0/22")
    choose(page, "Colour by", "tier")
    colours = page.get_by_role("list", name="Colours")
    colours.wait_for()
    assert colours.inner_text().split() == ["app", "data", "edge", "ops"]
    choose(page, "Colour by", "use")
    page.get_by_role("list", name="Colours").get_by_text("under three quarters").wait_for()
    assert "by=use" in page.url


@pytest.mark.parametrize("form", ["SVG", "PNG"])
def test_a_map_can_be_saved(map_page, live, form, tmp_path):
    page = map_page
    page.goto(live.url + "/map?realm=fleet&range=10.40.96.0/22")
    with page.expect_download() as saving:
        page.get_by_role("button", name=f"Save as {form}").click()
    assert saving.value.suggested_filename == f"map-10.40.96.0-22.{form.lower()}"
    saved = Path(tmp_path / "map")
    saving.value.save_as(saved)
    content = saved.read_bytes()
    if form == "PNG":
        assert content.startswith(b"\x89PNG")
        assert len(content) > 20_000
    else:
        assert b"ticketing-nc-2-app-01" in content
        assert content.startswith(b"<svg")


def test_the_space_of_a_pool_zooms_in_both_families(open_as, planner, live):  # noqa: F811
    page = open_as("viewer")
    page.goto(live.url + f"/pools/{planner.pools.get('nc-1-general')['id']}")
    page.get_by_role("button", name="Zoom in").click()
    page.wait_for_url(re.compile("inside=10.40.64.0%2F21"))
    page.get_by_role("tab", name="2001:db8:4600::/48").click()
    page.get_by_role("group", name="Map of 2001:db8:4600::/48").wait_for()
    assert "In /64" in page.get_by_role("table", name="IPv6 by state").inner_text()


def test_a_prefix_that_is_none_is_refused_with_the_reason(map_page, live):
    page = map_page
    page.get_by_label("Go to a prefix").fill("10.40.70.0/21")
    page.get_by_label("Go to a prefix").press("Enter")
    page.get_by_role("alert").get_by_text("off boundary").wait_for()
