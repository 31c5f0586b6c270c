"""Looking ahead through the interfaces: the API, the client, the command line, the report, alerts."""

from __future__ import annotations

import json
import re
from datetime import date, timedelta

import pytest
import requests

from lentra.client import Problem
from tests.conftest import ROOT
from tests.service.test_command_line import lentra  # noqa: F401

SOON = (date.today() + timedelta(days=60)).isoformat()


# --- the map ---


def test_the_map_of_a_pool_is_its_usage(planner):
    for pool in ("north-coast", "lab-bench-1", "trial-stands"):
        usage = planner.pools.usage(pool)["with_carved"][0]
        shown = planner.map(pool=pool)
        sums: dict[str, int] = {}
        for cell in shown["cells"]:
            for state, n in (cell["sums"] or {cell["state"]: cell["addresses"]}).items():
                sums[state] = sums.get(state, 0) + int(n)
        assert sum(sums.values()) == int(usage["total"])
        entered = {p["name"] for p in shown["pools"]}
        if len(entered) == 1:  # nothing carved: every state is that of the pool
            assert {s: n for s, n in usage["addresses"].items() if n != "0"} == {
                s: str(n) for s, n in sums.items()
            }


@pytest.mark.parametrize(
    ("query", "words", "suggestion"),
    [
        ({"range": "10.40.70.0/21"}, "off boundary", "10.40.64.0/21"),
        ({"range": "172.31.0.0/16"}, "in no pool: say which realm", ""),
        ({"range": "10.0.0.0/8"}, "is in pools of", ""),
        ({}, "say which range, pool, region or realm", "realm="),
        ({"pool": "north-cost"}, "no pool 'north-cost'", "north-coast"),
    ],
)
def test_a_map_that_cannot_be_is_refused_with_what_would_work(planner, query, words, suggestion):
    with pytest.raises(Problem, match=re.escape(words)) as refused:
        planner.map(**query)
    assert suggestion in " ".join(refused.value.suggestions)


def test_realms_that_are_suggested_have_something_to_show(planner):
    planner.realms.add(name="a-realm-without-pools")
    for query in ({}, {"range": "172.31.0.0/16"}):
        with pytest.raises(Problem) as refused:
            planner.map(**query)
        assert refused.value.suggestions
        for realm in (text.removeprefix("realm=") for text in refused.value.suggestions):
            assert planner.map(realm=realm)["cells"], realm


def test_a_map_is_drawn_in_the_terminal(lentra):  # noqa: F811
    shown = lentra("space", "10.40.96.0/22", "--pieces").stdout
    lines = shown.splitlines()
    assert lines[0] == "10.40.96.0/22  fleet > fleet-private > north-coast > nc-2-general"
    assert re.fullmatch(r"10\.40\.96\.0/25 +█{64} 100\.0 %", lines[1].strip())
    assert "·" in lines[8]
    assert "ticketing-nc-2-edge-01" in shown
    rows = lentra("space", "10.40.96.0/22", "-o", "csv").stdout.splitlines()
    assert rows[0] == "range,state,whose,project,zone,tier,addresses,free"
    assert rows[1].startswith("10.40.96.0/26,handed out,ticketing-nc-2-edge-01,ticketing,nc-2,edge,64,0")
    assert "P carved" in lentra("space", "--pool", "fleet-private").stdout
    mistaken = lentra("map", "10.40.96.0/22")
    assert mistaken.returncode == 2
    assert "lentra space 10.40.96.0/22 draws it" in mistaken.stderr


# --- headroom ---


def test_the_demo_has_one_pool_about_to_run_out_one_shrinking_one_fragmented(planner):
    rows = {(row["pool"]["name"], row["family"]): row for row in planner.headroom(limit=1000)}
    full = rows["quay-cameras", 4]["thresholds"][2]["likely"]
    assert full is not None
    assert date.fromisoformat(full) < date.today() + timedelta(days=45)
    assert rows["dispatch-desks", 4]["no_forecast"] == "use is shrinking"
    stands = planner.pools.usage("trial-stands")["own"][0]
    assert stands["fragmentation_percent"] > 80
    assert stands["used_percent"] < 40
    assert int(next(f["count"] for f in stands["still_fits"] if f["length"] == 24)) == 0
    berths = planner.pools.headroom("summer-berths")[0]["readings"]
    by_month = {r["day"][:7]: int(r["used"]) for r in berths}
    peaks = [month for month, used in by_month.items() if used > 1000]
    assert len({month[:4] for month in peaks}) >= 2
    assert int(berths[-1]["used"]) == 0
    assert len(berths) >= 250  # weekly at first, daily for the last half year


def test_headroom_of_a_realm_a_project_a_zone_and_a_block(planner, lentra):  # noqa: F811
    (v4, v6) = planner.growth("realm", "fleet")
    assert (v4["family"], v6["family"]) == (4, 6)
    assert int(v4["used"]) < int(v4["total"])
    assert {step["what"] for step in v4["steps"]} == {
        "planned need",
        "reservation falls back",
        "renumbering leaves it",
    }
    assert [step["day"] for step in v4["steps"]] == sorted(step["day"] for step in v4["steps"])
    assert planner.growth("project", "ticketing")[0]["readings"]
    (block,) = planner.subnets.headroom("crew-roster-ml-1-app-01")
    assert block["can_grow_to"] == block["block"]
    assert block["steps"][0]["in_the_way"][0]["owner"]
    assert not block["steps"][0]["possible"]
    told = lentra("headroom", "--subnet", "crew-roster-ml-1-app-01").stdout
    assert block["steps"][0]["in_the_way"][0]["owner"] in told
    assert lentra("headroom", "--grows", "realm").returncode == 2
    assert "planned need vetle-quays" in lentra("headroom", "--grows", "realm", "--realm", "fleet").stdout
    assert re.search(
        r"room for 2 more /27, at the present pace until .*: the last goes in",
        lentra("headroom", "quay-cameras").stdout,
    )


def test_a_need_is_added_seen_and_removed(planner, fresh_pool, lentra):  # noqa: F811
    pool = fresh_pool("10.40.0.0/20")
    name = f"need-{pool.partition(':')[0]}"
    done = lentra(
        "need",
        "add",
        name,
        "--pool",
        pool,
        "--length",
        "22",
        "--count",
        "3",
        "--day",
        SOON,
        "--reason",
        "berths",
        "--yes",
    )
    assert done.returncode == 0, done.stderr
    (row,) = planner.pools.headroom(pool)
    assert [(s["day"], s["amount"], s["name"]) for s in row["steps"]] == [(SOON, "3072", name)]
    assert row["thresholds"][0]["likely"] == SOON
    with pytest.raises(Problem, match="is used by planned need"):
        planner.pools.remove(pool)
    planner.planned_needs.remove(name)
    assert planner.pools.headroom(pool)[0]["steps"] == []


def test_a_plan_is_expected_and_only_planners_may(planner, live):
    text = (ROOT / "demo/plans/gate-readers.yaml").read_text()
    seen = planner.plans.expect(text, SOON, preview=True).result["needs"]
    assert {need["length"] for need in seen} == {25, 27, 28}
    assert not list(planner.planned_needs.list(text="gate-readers"))
    made = planner.plans.expect(text, SOON).result["needs"]
    again = planner.plans.expect(text, SOON).result["needs"]
    assert [n["name"] for n in made] == [n["name"] for n in again]
    for need in again:
        planner.planned_needs.remove(need["name"])
    with pytest.raises(Problem, match="planner"):
        live.client("requester").plans.expect(text, SOON)


# --- what if, compaction ---


def test_what_if_shows_both_and_changes_nothing(planner, lentra):  # noqa: F811
    before = (next(planner.ledger(limit=1))["number"], planner.pools.usage("quay-cameras"))
    told = planner.pools.what_if(
        "quay-cameras",
        ranges=["10.40.164.0/22"],
        growth_percent=50,
        needs=[{"length": 25, "count": 2, "day": SOON}],
    )
    (family,) = told["families"]
    assert family["today"]["used_percent"] > 90 > 50 > family["then"]["used_percent"]
    assert family["then"]["thresholds"][2]["likely"] > family["today"]["thresholds"][2]["likely"]
    fits = {row["length"]: (row["today"], row["then"]) for row in family["still_fits"]}
    assert fits[22] == ("0", "1")
    assert (next(planner.ledger(limit=1))["number"], planner.pools.usage("quay-cameras")) == before
    shown = lentra("what-if", "quay-cameras", "--range", "10.40.164.0/22", "--need", f"2x/25@{SOON}").stdout
    assert re.search(r"/22 still fit +0 +1", shown)
    assert f"2 × /25 on {SOON}" in shown
    assert lentra("what-if", "quay-cameras", "--need", "2x25").returncode == 2
    assert lentra("what-if", "quay-cameras", "--plan", "/nowhere.yaml").returncode == 2


@pytest.mark.parametrize(
    ("supposed", "words"),
    [
        ({}, "say what to suppose"),
        ({"ranges": ["10.41.64.0/22"]}, "10.41.64.0/22"),
        ({"ranges": ["10.40.70.0/21"]}, "off boundary"),
        ({"give_back": ["nothing-like-it"]}, "no subnet"),
        ({"text": "zones: ["}, "line 2"),
        ({"text": "a: 1", "document": {}}, "give a plan's text, or its document"),
        ({"growth_percent": -5}, "growth_percent"),
        ({"needs": [{"length": 24, "day": "someday"}]}, "day"),
        ({"surprise": 1}, "surprise"),
    ],
)
def test_what_cannot_be_supposed_is_refused(planner, supposed, words):
    with pytest.raises(Problem) as refused:
        planner.pools.what_if("quay-cameras", **supposed)
    assert words in f"{refused.value} {refused.value.field} {refused.value.suggestions}"


def test_compaction_is_told_in_every_form(planner, lentra):  # noqa: F811
    told = planner.pools.compaction("trial-stands", 24)
    assert told["fits"] == "0"
    cheapest = told["options"][0]
    assert int(cheapest["addresses"]) == sum(int(block["addresses"]) for block in cheapest["blocks"]) > 0
    shown = lentra("compact", "trial-stands", "--length", "24").stdout
    assert cheapest["prefix"] in shown
    assert cheapest["blocks"][0]["subnet"]["name"] in shown
    assert "fits already" in lentra("compact", "north-coast", "--length", "24").stdout
    refused = lentra("compact", "trial-stands", "--length", "8")
    assert refused.returncode == 1
    assert "/22" in refused.stderr


# --- grid and report ---


def test_a_project_over_zones_and_tiers_marks_its_gaps(planner, lentra):  # noqa: F811
    grid = planner.grid("ticketing")
    cells = {(cell["zone"], cell["tier"]): cell for cell in grid["cells"]}
    assert len(cells) == len(grid["zones"]) * len(grid["tiers"])
    assert cells["nc-1", "ops"]["gap"]
    assert not cells["nc-1", "app"]["gap"]
    assert "ticketing-nc-1-app-01" in {subnet["name"] for subnet in cells["nc-1", "app"]["subnets"]}
    assert "missing" in lentra("grid", "ticketing").stdout
    assert "ticketing-nc-1-app-01" in lentra("grid", "ticketing", "-o", "csv").stdout


def test_the_report_has_the_figures_of_the_api(planner, lentra, tmp_path):  # noqa: F811
    page = planner.report(realm="fleet")
    (v4, _) = planner.growth("realm", "fleet")
    assert f"{int(v4['used']):,} in use of {int(v4['total']):,}, {v4['used_percent']} %" in page
    for row in planner.headroom(realm="fleet", limit=1000):
        for threshold in row["thresholds"]:
            if threshold["likely"] and not threshold["reached"]:
                assert threshold["likely"] in page, row["pool"]["name"]
    for row in planner.breakdown("project", realm="fleet"):
        assert f"<td>{row['project']['name']}</td>" in page
    assert page.count("<svg") >= 5
    assert page.count("<script") == 1  # its own, for the button
    file = tmp_path / "ticketing.html"
    assert lentra("report", "--project", "ticketing", "--file", str(file)).returncode == 0
    assert "10.40.64.128/25" in file.read_text()
    assert "missing" in file.read_text()
    with pytest.raises(Problem, match="which realm, or which project"):
        planner.report()


def test_nothing_in_a_report_is_taken_as_markup(live, fresh_pool):
    client = live.client("planner")
    pool = fresh_pool("10.40.0.0/24")
    realm = pool.partition(":")[0]
    client.realms.edit(realm, about="<script>alert(1)</script>")
    page = client.report(realm=realm)
    assert "&lt;script&gt;" in page
    assert page.count("<script") == 1  # its own, for the button


# --- alerts ---


def test_alerts_are_told_by_the_api_the_command_line_and_metrics(planner, live, lentra):  # noqa: F811
    found = {(a["pool"]["name"], a["threshold"], a["stage"]) for a in planner.alerts(realm="fleet") if a["pool"]}
    assert [row for row in found if row[0] == "quay-cameras"] == [("quay-cameras", "full", "near")]  # the highest
    told = json.loads(lentra("alerts", "--pool", "quay-cameras", "-o", "json").stdout)
    assert {a["pool"]["name"] for a in told} == {"quay-cameras"}
    metrics = requests.get(live.url + "/metrics", timeout=10).text
    labels = 'family="4",kind="threshold",pool="quay-cameras",realm="fleet",stage="near",threshold="full"'
    assert f"lentra_alerts{{{labels}}} 1.0" in metrics
    days = re.search(
        r'lentra_pool_threshold_days\{family="4",pool="quay-cameras",.*threshold="full"\} (\d+)\.0', metrics
    )
    assert days
    assert int(days[1]) < 45
