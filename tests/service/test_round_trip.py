"""What comes out of one registry goes into another unchanged, byte for byte; and every list is a file of each kind."""

import io
import subprocess
import sys

import pytest
from openpyxl import load_workbook

from lentra.cli.taking_out import LISTS
from lentra.client import Client
from lentra.client.client import sign_in
from lentra.service.database import OwnDatabase
from lentra.service.launcher import Service
from tests.conftest import SECRET, any_free_port
from tests.service.test_console import open_as  # noqa: F401

ORDER = (
    "regions",
    "zones",
    "tiers",
    "projects",
    "pools",
    "keep-outs",
    "reservations",
    "subnets",
    "address records",
)
LIVING = {"subnets": {"state": ["active", "retiring"]}}


def taken_out(client, kind, form="csv"):
    return b"".join(client.take_out(LISTS[kind], form, **LIVING.get(kind, {})))


@pytest.fixture
def empty(tmp_path):
    """A service with nothing in its registry, and its admin."""
    database = OwnDatabase(tmp_path / "empty", any_free_port(), lasting=False)
    database.start()
    service = Service(tmp_path / "empty", database.url, any_free_port(), SECRET)
    service.manage("prepare")
    subprocess.run(
        [sys.executable, "-m", "lentra.service.manage", "add_admin", "asta"],
        env=service.environment,
        input="the quay is long and wet\n",
        text=True,
        check=True,
        capture_output=True,
    )
    service.start()
    token, _ = sign_in(service.address, "asta", "the quay is long and wet", "moving")
    yield Client(service.address, token)
    service.stop()
    database.stop()


@pytest.fixture(scope="module")
def source(tmp_path_factory, demo_data):
    """The demo as it was loaded, that no other test has touched."""
    from tests.conftest import start_live

    running = start_live(tmp_path_factory.mktemp("source"), demo_data)
    yield running.client("planner")
    running.service.stop()
    running.database.stop()


@pytest.mark.parametrize("form", ["csv", "xlsx"])
def test_what_comes_out_of_the_demo_goes_into_an_empty_registry_and_comes_out_the_same(source, empty, form):
    known = {
        "name",
        "about",
        "v4",
        "v6",
        "ipv6_needs_ipv4",
        "tag_needed",
        "dhcp",
        "workloads",
        "workloads_min",
        "workloads_max",
    }
    known |= {"dhcp_service", "gateway", "zones", "forbidden", "hd_threshold"}
    there = {sheet["name"] for sheet in empty.rule_sheets.list()}
    for sheet in source.rule_sheets.list():
        if sheet["name"] not in there:
            empty.rule_sheets.add(**{name: value for name, value in sheet.items() if name in known})
    templates = ("name_template", "pool_template", "reservation_template", "plan_template", "address_template")
    for realm in source.realms.list():
        empty.realms.add(**{name: realm[name] for name in ("name", "about", "private_only", *templates)})
    kept = {(row["realm"]["name"], row["range"]) for row in source.keep_outs.list()}
    for row in list(empty.keep_outs.list()):  # those of the standards that were lifted there
        if (row["realm"]["name"], row["range"]) not in kept:
            empty.keep_outs.remove(row["id"], why="stands in for public space")
    for kind in ORDER:
        table = taken_out(source, kind, form)
        # Those of the standards are there since another day.
        options = {"update": True} if kind == "keep-outs" else {}
        number = empty.intakes.upload(f"{kind}.{form}", kind, table, options)["id"]
        seen = empty.intakes.wait(number)
        refused = [
            (row["number"], row["told"]["message"]) for row in empty.intakes.rows(number, outcome="refused")
        ]
        assert not refused, (kind, refused[:5])
        assert seen["fault"] is None
        empty.intakes.commit(number, seen["proposal"])
        assert empty.intakes.wait(number)["state"] == "committed"
    for kind in ORDER:
        if kind in (
            "keep-outs",
            "subnets",
        ):  # those of one place, in several realms, in the order in which they were made
            assert sorted(taken_out(empty, kind).splitlines()) == sorted(taken_out(source, kind).splitlines())
        else:
            assert taken_out(empty, kind) == taken_out(source, kind), kind
    assert empty.verify()["clean"]


@pytest.mark.parametrize("what", sorted(LISTS))
def test_every_list_is_a_file_of_each_kind(source, what):
    text = b"".join(source.take_out(LISTS[what], "csv")).decode()
    lines = b"".join(source.take_out(LISTS[what], "jsonl")).decode().splitlines()
    book = load_workbook(io.BytesIO(b"".join(source.take_out(LISTS[what], "xlsx"))))
    (page,) = book.worksheets
    assert page.max_row == max(1, len(lines) + 1)
    assert (page.freeze_panes, page["A1"].value) == ("A2", text.partition(",")[0].partition("\r")[0])
    assert page.auto_filter.ref.startswith("A1:")


def test_filters_hold_for_files_and_what_is_wrong_is_said_first(source):
    rows = [
        line.split(",")
        for line in b"".join(source.take_out("zones", "csv", region="mainland")).decode().splitlines()
    ]
    assert [row[:2] for row in rows] == [["name", "region"], ["ml-1", "mainland"], ["ml-2", "mainland"]]
    whole = list(source.subnets.list(project="ticketing", limit=7))
    text = b"".join(source.take_out("subnets", "csv", project="ticketing", limit=7)).decode()
    assert len(text.splitlines()) == 1 + len(whole)
    for wrong, words in (
        ({"colour": "red"}, "no such parameter"),
        ({"region": "moon"}, "there is no region 'moon'"),
    ):
        with pytest.raises(Exception, match=words):
            list(source.take_out("zones", "csv", **wrong))
    with pytest.raises(Exception, match="'ods' is none of csv, xlsx, jsonl"):
        list(source.take_out("zones", "ods"))


def test_numbers_and_moments_are_what_they_are_in_a_spreadsheet(source):
    page = load_workbook(io.BytesIO(b"".join(source.take_out("ledger", "xlsx", limit=5)))).active
    heads = [cell.value for cell in page[1]]
    row = dict(zip(heads, (cell.value for cell in page[2]), strict=True))
    assert isinstance(row["number"], int)
    assert row["at"].year >= 2026
    page = load_workbook(io.BytesIO(b"".join(source.take_out("keep-outs", "xlsx")))).active
    assert page.cell(2, [cell.value for cell in page[1]].index("since") + 1).is_date


def test_a_list_is_downloaded_in_the_console(open_as, live, planner):  # noqa: F811
    page = open_as("viewer")
    page.goto(live.url + "/set-up/zones")
    page.get_by_role("button", name="Download").press("Enter")
    with page.expect_download() as taken:
        page.get_by_role("menuitem", name="CSV", exact=True).press("Enter")
    assert taken.value.suggested_filename == "zones.csv"
    assert taken.value.path().read_bytes() == b"".join(planner.take_out("zones", "csv"))
