"""Tables that are brought in, as people do it: by the command line, by the client, in the console, killed in the middle."""

import io
import json
import re
import signal
import time
from base64 import b64encode

import pytest
from openpyxl import Workbook, load_workbook

from lentra.client.errors import InvalidValue, NotAllowed, NotATable, StaleProposal, TooLarge, WrongState
from tests.conftest import start_live
from tests.service.test_command_line import lentra  # noqa: F401
from tests.service.test_console import choose, open_as  # noqa: F401

WHO = "ticketing,nc-1,app"
OTHER = "freight-desk,nc-1,app"  # has no quota
HEAD = "Network,Name,Owner,Site,Role"


@pytest.fixture
def realm_of(fresh_pool):
    """A realm with a pool of these ranges."""
    return lambda *ranges: fresh_pool(*ranges).partition(":")[0]


def test_a_table_comes_and_goes_by_the_command_line(lentra, realm_of, planner, tmp_path):  # noqa: F811
    realm = realm_of("10.52.0.0/20")
    table = tmp_path / "old.csv"
    table.write_text(f"{HEAD}\n10.52.1.0/24,quay,{WHO}\n10.52.1.0/25,berth,{WHO}\n10.99.0.0/24,gone,{WHO}\n")
    mapping = tmp_path / "old.yaml"
    looked = lentra(
        *("intake", "preview", str(table), "--realm", realm, "--as-label", "Name", "--column", "name="),
        *("--save-mapping", str(mapping)),
    )
    assert looked.returncode == 1
    assert "10.52.1.0/24 contains the range of row 3" in looked.stdout
    assert "would work: --outer pools" in looked.stdout
    assert "10.99.0.0/24 lies in no pool of realm" in looked.stdout
    assert "labels: [Name]" in mapping.read_text().replace("\n- ", " [").replace("Name\n", "Name]\n")
    refused = lentra("intake", "commit", str(table), "--mapping", str(mapping), "--yes")
    assert (refused.returncode, list(planner.subnets.list(realm=realm))) == (1, [])
    left = tmp_path / "left.xlsx"
    done = lentra(
        "intake", "commit", str(table), "--mapping", str(mapping), "--good-rows", "--yes", "--left", str(left)
    )
    assert done.returncode == 0, done.stderr
    assert "1 new" in done.stdout
    (made,) = planner.subnets.list(realm=realm)
    assert (made["blocks"][0]["prefix"], made["labels"]) == ("10.52.1.0/25", {"name": "berth"})
    page = load_workbook(left).active
    assert [cell.value for cell in page[1]] == [*HEAD.split(","), "Why it did not come in"]
    assert [row[0].value for row in page.iter_rows(min_row=2)] == ["10.52.1.0/24", "10.99.0.0/24"]
    number = re.search(r"intake (\d+) is committed", done.stdout)[1]
    assert "10.99.0.0/24" in lentra("intake", "left", number).stdout
    rows = json.loads(lentra("intake", "rows", number, "-o", "json").stdout)
    assert [row["outcome"] for row in rows] == ["refused", "new", "refused"]
    assert lentra("intake", "take-back", number, "--preview").returncode == 0
    assert lentra("intake", "take-back", number, "--yes").returncode == 0
    assert not list(planner.subnets.list(realm=realm))
    assert lentra("intake", "take-back", number, "--yes").returncode == 1
    asked = lentra("intake", "commit", str(table), "--realm", realm)
    assert asked.returncode == 2 or "refused" in asked.stdout


@pytest.mark.parametrize(
    ("wrong", "words"),
    [
        (["--column", "hall=Site"], "there is no field 'hall'"),
        (["--column", "Site"], "write it as field=value"),
        (["--value", "zone=x"], "write it as zone:Skarvik hall A=nc-1"),
        (["--realm", "nowhere"], "there is no realm 'nowhere'"),
        (["--mapping", "/nowhere.yaml"], "cannot be read"),
        (["--sheet-name", "Quays"], "has no sheets"),
        (["--column", "zone=Hall"], "the table has no column 'Hall'"),
    ],
)
def test_what_is_wrong_about_the_mapping_is_said(lentra, tmp_path, wrong, words):  # noqa: F811
    table = tmp_path / "old.csv"
    table.write_text(f"{HEAD}\n10.52.1.0/24,quay,{WHO}\n")
    told = lentra("intake", "preview", str(table), *wrong)
    assert told.returncode in (1, 2, 4)
    assert words in told.stderr


def test_a_workbook_is_brought_in_by_the_client_cell_by_cell(planner, live, realm_of):
    realm = realm_of("10.52.0.0/20")
    book = Workbook()
    book.active.title = "Readme"
    page = book.create_sheet("Quays")
    for row in [
        ["Range", "Hall", "Hosts"],
        ["10.52.1.0/24", "A", 60],
        [10.4, "A", 7],
        ["10.52.3.0/24", "B", None],
    ]:
        page.append(row)
    out = io.BytesIO()
    book.save(out)
    options = {
        "realm": realm,
        "sheet": "Quays",
        "set": {"project": "ticketing", "tier": "app"},
        "values": {"zone": {"A": "nc-1"}},
    }
    options["columns"] = {"zone": "Hall"}
    intakes = planner.intakes
    number = intakes.upload("quays.xlsx", "subnets", out.getvalue(), options)["id"]
    seen = intakes.wait(number)
    assert seen["counts"] == {"new": 1, "refused": 2}
    assert seen["told"] == "XLSX, sheet Quays"
    why = {row["number"]: row["told"]["message"] for row in intakes.rows(number, outcome="refused")}
    assert why[3].startswith("the spreadsheet has turned this cell into the number 10.4")
    assert why[4].startswith("there is no zone 'B'; there are ")
    with pytest.raises(InvalidValue, match="2 of 3 rows are refused") as refused:
        intakes.commit(number, seen["proposal"])
    assert refused.value.suggestions == ["good_rows: true"]
    intakes.change(number, cells={3: {"Range": "10.52.2.0/24"}, 4: {"Hall": "A"}})
    with pytest.raises((StaleProposal, WrongState)):
        intakes.commit(number, seen["proposal"])
    again = intakes.wait(number)
    assert again["counts"] == {"new": 3}
    intakes.commit(number, again["proposal"], why="the move")
    assert intakes.wait(number)["state"] == "committed"
    assert {subnet["hosts"] for subnet in planner.subnets.list(realm=realm)} == {60, 7, None}
    assert {entry["why"] for entry in planner.ledger(kind="subnet", verb="bring in", limit=3)} >= {"the move"}
    with pytest.raises(WrongState, match="is committed: it cannot be committed any more"):
        intakes.commit(number, again["proposal"])
    intakes.take_back(number)
    assert intakes.wait(number)["state"] == "taken back"


def test_only_planners_bring_in_and_files_have_a_limit(live, planner):
    for role in ("viewer", "requester"):
        with pytest.raises(NotAllowed, match="bring a table in"):
            live.client(role).intakes.upload("a.csv", "subnets", b"Network\n10.0.0.0/24\n")
    locked = planner.intakes.upload("a.xlsx", "subnets", b"\xd0\xcf\x11\xe0" + b"\0" * 99)
    assert "protected by a password" in planner.intakes.wait(locked["id"])["fault"]["message"]
    with pytest.raises(NotATable, match="no workbook, although its name says so"):
        planner.intakes.upload("a.xlsx", "subnets", b"Network\n10.0.0.0/24\n")
    with pytest.raises(TooLarge, match="the file is larger than 64 MiB"):
        planner.intakes.upload("a.csv", "subnets", b"x" * (70 << 20))
    body = {"name": "a.csv", "table": "subnets", "content": "???"}
    with pytest.raises(InvalidValue, match="it is not base64"):
        planner.change("POST", "intakes", body)
    body = {"name": "a.csv", "table": "boats", "content": b64encode(b"x").decode()}
    with pytest.raises(InvalidValue, match="'boats' is none of subnets"):
        planner.change("POST", "intakes", body)


def test_a_service_that_is_killed_amid_a_large_intake_brings_it_in_once_it_is_back(tmp_path, demo_data):
    running = start_live(tmp_path / "killed", demo_data, lasting=True)
    try:
        planner = running.client("planner")
        for quota in planner.quotas.list(project="ticketing"):
            planner.quotas.remove(quota["id"])
        planner.realms.add(name="moved")
        planner.pools.add(name="halls", realm="moved", ranges=["10.0.0.0/12"], sheet="ends-withheld")
        lines = [
            HEAD,
            *(f"10.{n >> 12}.{n >> 4 & 255}.{(n & 15) << 4}/28,moved-{n}x,{WHO}" for n in range(12_000)),
        ]
        number = planner.intakes.upload("old.csv", "subnets", "\n".join(lines).encode(), {"realm": "moved"})["id"]
        seen = planner.intakes.wait(number)
        assert seen["counts"] == {"new": 12_000}
        planner.intakes.commit(number, seen["proposal"])
        for _ in range(400):
            now = planner.intakes.get(number)
            if now["of"] == "rows written" and now["done"]:
                break
            time.sleep(0.05)
        assert now["stage"] == "is committed"
        helper = next(one for one in running.service.helpers if one.name == "intakes")
        helper.process.send_signal(signal.SIGKILL)
        helper.process.wait()
        assert not list(planner.subnets.list(realm="moved", limit=1))
        planner.request(pool="quay-cameras", project="harbour-cameras", tier="app", zone="nc-1", length=28)
        deadline = time.monotonic() + 60
        while helper.process.poll() is not None and time.monotonic() < deadline:
            running.service.look_after()
            time.sleep(0.2)
        done = planner.intakes.wait(number, seconds=300)
        assert (done["state"], done["made"]) == ("committed", {"new": 12_000})
        assert planner.verify()["clean"]
        planner.intakes.take_back(number)
        assert planner.intakes.wait(number, seconds=300)["state"] == "taken back"
        assert planner.verify()["clean"]
        assert not list(planner.subnets.list(realm="moved", limit=1))
    finally:
        running.service.stop()
        running.database.stop()


def test_an_intake_is_stopped_and_nothing_of_it_stays(live, planner, realm_of):
    realm = realm_of("10.0.0.0/12")
    lines = [HEAD, *(f"10.{n >> 12}.{n >> 4 & 255}.{(n & 15) << 4}/28,stopped-{n}x,{OTHER}" for n in range(6_000))]
    number = planner.intakes.upload("old.csv", "subnets", "\n".join(lines).encode(), {"realm": realm})["id"]
    seen = planner.intakes.wait(number)
    planner.intakes.commit(number, seen["proposal"])
    while not planner.intakes.get(number)["of"]:
        time.sleep(0.05)
    planner.intakes.stop(number)
    stopped = planner.intakes.wait(number)
    assert (stopped["state"], stopped["fault"]["code"]) == ("open", "stopped")
    assert not list(planner.subnets.list(realm=realm, limit=1))
    assert planner.intakes.drop(number)["state"] == "dropped"


def test_a_whole_intake_in_the_console(open_as, planner, live, realm_of, tmp_path):  # noqa: F811
    realm = realm_of("10.52.0.0/20")
    table = tmp_path / "quays.csv"
    table.write_text(f"Network,Called,Owner,Site,Role\n10.52.1.0/24,quay,{WHO}\n10.52.2.0/33,berth,{WHO}\n")
    with table.open("a") as file:
        file.write(
            "10.52.3.0/24,slip,ticketing,Skarvik hall A,app\n10.52.4.0/24,ramp,ticketing,Skarvik hall A,app\n"
        )
    page = open_as("planner")
    page.get_by_role("link", name="Bring in", exact=True).click()
    page.get_by_label("Table file").set_input_files(table)
    page.get_by_role("combobox", name="Realm", exact=True).fill(realm)
    page.get_by_role("option", name=realm).click()
    page.get_by_role("button", name="Look at it").click()
    page.get_by_role("tab", name="Refused: 3").wait_for()
    page.get_by_role("button", name="Put row 4 right").press("Enter")
    page.get_by_role("textbox", name="Site").fill("nc-1")
    page.get_by_label("wherever it says Skarvik hall A").check()
    page.get_by_role("button", name="Look again").press("Enter")
    page.get_by_role("tab", name="Refused: 1").wait_for()
    page.get_by_role("tab", name="New: 3").click()
    page.get_by_role("table", name="Rows").get_by_text("-01", exact=False).first.wait_for()
    choose(page, "Meaning of Called", "name")
    page.get_by_role("table", name="Rows").get_by_text("quay", exact=True).wait_for()
    page.get_by_role("tab", name="Refused: 1").click()
    page.get_by_role("button", name="Put row 3 right").press("Enter")
    page.get_by_role("textbox", name="Network").fill("10.52.2.0/24")
    page.keyboard.press("Enter")
    page.get_by_role("tab", name="New: 4").wait_for()
    page.get_by_role("table", name="Usage before and after").get_by_text("25").wait_for()
    assert list(planner.subnets.list(realm=realm)) == []
    page.get_by_role("button", name="Commit").click()
    dialog = page.get_by_role("dialog")
    dialog.get_by_text("4 new").wait_for()
    dialog.get_by_role("button", name="Commit").press("Enter")
    page.get_by_role("button", name="Take back").wait_for()
    assert {subnet["name"] for subnet in planner.subnets.list(realm=realm)} == {"quay", "berth", "slip", "ramp"}
    page.get_by_role("button", name="Take back").click()
    dialog.get_by_text("All goes again that it made: 4 new.").wait_for()
    dialog.get_by_role("button", name="Take back").press("Enter")
    page.get_by_text("subnets · taken back ·").wait_for()
    assert list(planner.subnets.list(realm=realm)) == []


def test_what_was_refused_is_downloaded_in_the_console(open_as, planner, live, realm_of):  # noqa: F811
    realm = realm_of("10.52.0.0/20")
    number = planner.intakes.upload(
        "quays.csv", "subnets", f"{HEAD}\n10.99.0.0/24,=1+1,{WHO}\n".encode(), {"realm": realm}
    )["id"]
    planner.intakes.wait(number)
    page = open_as("planner")
    page.goto(f"{live.url}/intakes/{number}")
    with page.expect_download() as taken:
        page.get_by_role("link", name="Download these as CSV").click()
    assert taken.value.suggested_filename == "quays-left.csv"
    text = taken.value.path().read_text()
    assert "10.99.0.0/24,'=1+1,ticketing,nc-1,app" in text
