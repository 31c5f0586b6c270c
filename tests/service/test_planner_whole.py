"""The planner's day through the command line and HTTP: gaps, ranges, tables, tags, holdings, alerts, coming back."""

import json

import pytest
import requests

from lentra.client import Problem
from tests.conftest import ROOT
from tests.service.test_command_line import lentra  # noqa: F401

ASK = {"project": "ticketing", "tier": "app", "zone": "nc-1"}


def handed(planner, pool, **wanted):
    return planner.request(pool=pool, **{**ASK, **wanted}).result["subnets"]


def test_gaps_are_listed_a_range_goes_and_places_are_shown(lentra, planner, fresh_pool):  # noqa: F811
    pool = fresh_pool("10.40.64.0/24", "10.40.65.0/24")
    (near,) = handed(planner, pool, prefix="10.40.64.64/28")
    (there,) = handed(planner, pool, prefix="10.40.65.0/28")
    lines = lentra("pool", "gaps", pool).stdout.splitlines()
    assert lines[1].split() == ["10.40.64.0/26", "64", "/26", "-", "10.40.64.64/28", near["name"]]
    assert json.loads(lentra("pool", "gaps", pool, "--length", "25", "-o", "json").stdout)[0]["largest"] == "/25"
    refused = lentra("pool", "remove-range", pool, "10.40.65.0/24", "--preview", role="planner")
    assert (refused.returncode, "mend=" in refused.stderr) == (1, False)
    assert (
        f"10.40.65.0/28 ({there['name']}); replace {there['name']} by a subnet from another range"
        in refused.stderr
    )
    planner.release(there["id"], at_once=True)
    done = lentra("pool", "remove-range", pool, "10.40.65.0/24", "--yes", role="planner")
    assert "Done: take 10.40.65.0/24 out of pool" in done.stdout
    assert planner.pools.get(pool)["ranges"] == ["10.40.64.0/24"]
    need = {"pool": pool, "length": 28, "each": 3, "beside": near["name"], "away_from": ["10.40.64.0/26"]}
    found = planner.candidates("ticketing", tier="app", zone="nc-1", **need)["candidates"]
    assert [row["block"] for row in found] == ["10.40.64.80/28", "10.40.64.96/28", "10.40.64.112/28"]
    words = [
        "request",
        "--project",
        "ticketing",
        "--tier",
        "app",
        "--zone",
        "nc-1",
        "--length",
        "28",
        "--pool",
        pool,
    ]
    shown = lentra(*words, "--away-from", "10.40.64.0/25", "--preview").stdout
    assert "10.40.64.128/28" in shown
    assert "away from 10.40.64.0/25" in shown


def test_tables_of_addresses_and_keep_outs_are_read_whole(lentra, planner, fresh_pool, tmp_path):  # noqa: F811
    pool = fresh_pool("10.40.64.0/24", "fd46:40::/48")
    (subnet,) = handed(planner, pool, length=27, families=[4, 6])
    table = tmp_path / "cabins.csv"
    table.write_text(
        "\ufeffName;MAC;kind;pair\ncabin-1;02:00:5e:20:00:01;host;yes\n;;jump-host;\n", encoding="utf-8"
    )
    done = lentra("address", "add", str(subnet["id"]), "--file", str(table), "--yes")
    assert "cabin-1" in done.stdout, done.stderr
    told = {(r["name"], r["family"], r["mac"]) for r in planner.addresses.list(subnet=subnet["id"])}
    mac = "02:00:5e:20:00:01"
    assert told == {("cabin-1", 4, mac), ("cabin-1", 6, mac), ("jump-host-01", 4, None)}
    shown = lentra("show", "10.40.64.1", "--realm", pool.partition(":")[0]).stdout
    assert "cabin-1" in shown
    assert "cabin-1" in lentra("show", mac).stdout
    table.write_text("name,colour\nx,red\n")
    assert "has a column 'colour'" in lentra("address", "add", str(subnet["id"]), "--file", str(table)).stderr
    table.write_text("name,kind\ncabin-2,host\ncabin-1,host\n")
    refused = lentra("address", "add", str(subnet["id"]), "--file", str(table), "--yes")
    assert "record 2 (cabin-1): cabin-1 is the name of 10.40.64.1" in refused.stderr
    realm = pool.partition(":")[0]
    words = ["keep-out", "add-several", str(ROOT / "demo/tables/yard.csv"), "--realm", realm, "--source", "survey"]
    assert "add 2 keep-outs" in lentra(*words, "--yes", role="planner").stdout
    kept = list(planner.keep_outs.list(realm=realm, source="surv"))
    assert {(k["range"], k["certainty"]) for k in kept} == {
        ("10.45.0.0/22", "certain"),
        ("10.45.8.0-10.45.9.127", "likely"),
    }
    assert len(list(planner.keep_outs.list(realm=realm, certainty="likely"))) == 1
    asking = {**ASK, "pool": pool, "prefix": "10.40.64.128/27"}
    planner.keep_outs.add(realm=realm, range="10.40.64.128/25", reason="the old crane", certainty="unsure")
    with pytest.raises(Problem, match="is unsure to be used elsewhere"):
        planner.request(**asking)
    seen = planner.request(**asking, despite_unsure=True, preview=True)
    made = planner.request(**asking, despite_unsure=True, proposal=seen.proposal)
    assert made.result["subnets"][0]["blocks"][0]["prefix"] == "10.40.64.128/27"


def test_what_a_project_holds_and_which_tags_are_free_are_told(lentra, planner):  # noqa: F811
    told = lentra("project", "holdings", "ticketing").stdout
    assert "public addresses: 16 held" in told
    assert "booking-balancers" in told
    assert lentra("show", "ticketing").stdout.splitlines()[-1].split()[0] in {"subnet", "reservation"}
    rows = json.loads(lentra("project", "holdings", "crew-roster", "-o", "json").stdout)
    assert len([row for row in rows if row["kind"] == "subnet"]) == len(
        list(planner.subnets.list(project="crew-roster", limit=1000))
    )
    tags = lentra("zone", "tags", "ii-1").stdout
    assert "grindoy-switch-2 (end) has tag 3999" in tags
    assert "used inside the switches" in tags
    (use,) = json.loads(lentra("public", "use", "--project", "ticketing", "-o", "json").stdout)
    assert (use["quota"], use["held"], use["idle"], use["left"]) == (18, 16, 3, 2)


def test_ranges_of_tags_are_told_by_what_they_are(lentra, planner):  # noqa: F811
    add = ["tag-range", "add", "--first", "3100", "--last", "3110"]
    seen = lentra(*add, "--zone", "nc-3", "--tier", "app", "--preview", role="planner").stdout
    assert seen.startswith("Would add tag-range 3100-3110 in nc-3\n")
    done = lentra(*add, "--forbidden", "--purpose", "for the switches", "--yes", role="planner").stdout
    assert done.startswith("Done: add tag-range 3100-3110 everywhere")
    (kept,) = [row for row in planner.tag_ranges.list() if row["first"] == 3100]
    assert (kept["forbidden"], kept["zone"], kept["purpose"]) == (True, None, "for the switches")
    gone = lentra("tag-range", "remove", str(kept["id"]), "--yes", role="planner").stdout
    assert gone.startswith("Done: remove tag-range 3100-3110 everywhere")


def test_what_covers_an_address_is_what_holds_it(lentra, planner, fresh_pool):  # noqa: F811
    pool = fresh_pool("10.40.64.0/22")
    low, high = handed(planner, pool, length=28, count=2)
    for covering, held in (
        ("10.40.64.5", [low]),
        ("10.40.64.16/30", [high]),
        ("10.40.64.0/27", []),
        ("10.40.66.9", []),
    ):
        rows = list(planner.subnets.list(pool=pool, covering=covering))
        assert [row["name"] for row in rows] == [one["name"] for one in held], covering
    names = lentra("subnet", "list", "--pool", pool, "--inside", "10.40.64.16/28", "--quiet").stdout.split()
    assert names == [high["name"]]


def test_an_alert_is_acknowledged_and_taken_up_again(lentra, planner, live):  # noqa: F811
    alert = next(a for a in planner.alerts(realm="fleet") if a["pool"] and a["pool"]["name"] == "mainland")
    number = str(alert["id"])
    done = lentra("alert", "acknowledge", number, "--reason", "space comes back in May", "--yes", role="planner")
    assert "Done: acknowledge alert" in done.stdout, done.stderr
    try:
        assert "petra: space comes back in May" in lentra("alerts", "--acknowledged", "true").stdout
        assert number not in [str(a["id"]) for a in planner.alerts(acknowledged=False)]
        assert next(planner.ledger(verb="acknowledge"))["after"]["reason"] == "space comes back in May"
    finally:
        planner.reopen_alert(int(number))
    answer = requests.post(
        f"{live.url}/api/v1/alerts/{number}/acknowledge",
        json={"reason": "x", "until": "2020-01-01T00:00:00Z"},
        headers={"Authorization": f"Bearer {live.token('planner')}"},
        timeout=30,
    )
    assert (answer.status_code, answer.json()["field"]) == (400, "until")


def test_a_subnet_comes_back_and_goes_to_another_project(lentra, planner, fresh_pool):  # noqa: F811
    pool = fresh_pool("10.40.64.0/24", cooling_days=5)
    (subnet,) = handed(planner, pool, length=28)
    number = str(subnet["id"])
    planner.release(subnet["id"])
    assert "Done: bring 10.40.64.0/28 back" in lentra("bring-back", number, "--yes", role="planner").stdout
    shown = lentra("hand-over", number, "freight-desk", "--preview", role="planner").stdout
    assert "over to project freight-desk" in shown
    lentra("hand-over", number, "freight-desk", "--yes", role="planner")
    assert planner.subnets.get(number)["project"]["name"] == "freight-desk"
    entry = next(planner.ledger(record=subnet["id"], verb="hand over"))
    planner.undo(entry["number"])
    assert planner.subnets.get(number)["project"]["name"] == "ticketing"


def test_a_sheet_is_edited_in_part_and_says_what_would_break(lentra, planner):  # noqa: F811
    refused = lentra(
        "rule-sheet", "edit", "four-and-one", "--v4", "longest=27,range_longest=27", "--preview", role="admin"
    )
    assert refused.returncode == 1
    assert "would break under rule sheet four-and-one" in refused.stderr
    assert "; grow pier-signage-" in refused.stderr
    assert "and " in refused.stderr.splitlines()[-2]
    wider = lentra(
        "rule-sheet", "edit", "four-and-one", "--v4", "shortest=17", "--zones", "2", "--preview", role="admin"
    )
    assert "Would edit rule-sheet four-and-one" in wider.stdout, wider.stderr
    assert (
        "not a list of rules" in lentra("rule-sheet", "edit", "four-and-one", "--v4", "head", role="admin").stderr
    )


def test_needs_become_a_plan_and_parts_tell_who_has_them(lentra, planner, tmp_path):  # noqa: F811
    words = ["pack", "app=50", "rota=20@ml-1", "--plan-project", "crew-roster", "--plan-pool", "ml-1-general"]
    text = lentra(*words, "--plan-zone", "ml-1", "--plan-tier", "ops").stdout
    assert text.startswith("format: lentra-plan-1")
    assert "as: rota" in text
    plan = tmp_path / "layout.yaml"
    plan.write_text(text)
    assert "crew-roster-ml-1-app" in lentra("plan", "preview", str(plan), role="planner").stdout
    assert "a plan needs --plan-pool too" in lentra("pack", "app=50", "--plan-project", "crew-roster").stderr
    split = json.loads(
        lentra("split", "10.42.16.0/23", "--into", "4", "--realm", "fleet", "--name", "pier", "-o", "json").stdout
    )
    assert [part["name"] for part in split["parts"]] == ["pier-01", "pier-02", "pier-03", "pier-04"]
    assert split["parts"][1]["taken_by"] == "ticketing-ml-1-app-01"
    assert split["free"] < 4
    packed = lentra("pack", "wide=/24", "app=100", "--inside", "10.42.16.0/23", "--realm", "fleet")
    assert "no place is left for wide (/24)" in packed.stderr
    cluster = lentra("cluster", "size", "12", "--most-nodes", "40", "--zones", "3", "--services", "1000").stdout
    assert "one in each of 3 zones, for 20 nodes each" in cluster
    assert "service range /22" in cluster
    assert "× /12, each for" in lentra("size", "2000000").stderr


def test_departures_are_settled_from_the_command_line(lentra, planner, fresh_pool):  # noqa: F811
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
    planner.release(one["id"])
    planner.subnets.shrink(two["id"], length=28)
    shown = lentra("plan", "show", str(plan["id"])).stdout
    assert "2 departures from the plan" in shown
    assert f"grow {two['name']} to /27" in shown
    put = lentra("plan", "settle", str(plan["id"]), one["plan_slot"], "--put-right", "--yes", role="planner")
    assert "Done: put right" in put.stdout, put.stderr
    lentra("plan", "settle", str(plan["id"]), two["plan_slot"], "--take-over", "--yes", role="planner")
    assert [(d["kind"], d["accepted"]) for d in planner.plans.departures(plan["id"])] == [("length", True)]
    assert planner.subnets.get(one["id"])["state"] == "active"


def test_some_subnets_get_ipv6_and_later_ones_follow(lentra, planner, fresh_pool):  # noqa: F811
    pool = fresh_pool("10.40.64.0/24", "fd46:40::/48")
    one, two = (handed(planner, pool, length=28)[0] for _ in range(2))
    lentra("pool", "second-family", pool, "--subnet", two["name"], "--yes", role="planner")
    assert [len(planner.subnets.get(s["id"])["blocks"]) for s in (one, two)] == [1, 2]
    (third,) = handed(planner, pool, length=28, families=[4, 6])
    assert third["blocks"][1]["prefix"] == "fd46:40:0:1::/64"
    assert planner.pools.get(pool)["numbering_v6"] == "number"
