"""DNS zones on a real server: BIND answers as the registry says, soon after and not sooner than it was told."""

from __future__ import annotations

import json
import re
import signal
import subprocess
import time
import uuid

import pytest

from lentra.client import Problem
from tests.name_server import KEY, NameServer, missing
from tests.service.test_command_line import lentra  # noqa: F401
from tests.service.test_console import choose, open_as  # noqa: F401
from tests.service.test_console_whole import confirm, go_ahead
from tests.service.test_sources_asked import eventually

ZONE, BACK = "boats.example", "91.10.in-addr.arpa"
pytestmark = pytest.mark.skipif(missing, reason="BIND is missing")


@pytest.fixture
def server(tmp_path):
    running = NameServer(tmp_path / "names", ZONE, BACK, "64/26.2.91.10.in-addr.arpa", "1.9.d.f.ip6.arpa")
    assert eventually(lambda: running.dig(ZONE, "SOA"))
    yield running
    running.stop(signal.SIGKILL)


@pytest.fixture
def fleet(live, server):
    """A realm with a forward and a reverse DNS zone on the server, and a subnet in it."""
    planner, realm = live.client("planner"), f"dns-{uuid.uuid4().hex[:8]}"
    planner.realms.add(name=realm)
    planner.pools.add(name="yard", realm=realm, sheet="ends-withheld", ranges=["10.91.0.0/16", "fd91::/40"])
    served = {"realm": realm, "servers": ["ns1.ferry.example"], "address": server.address, "credential": KEY}
    served |= {"primary": "ns1.ferry.example", "contact": "names@ferry.example"}
    planner.dns_zones.add(name=ZONE, **served)
    planner.dns_zones.add(name=BACK, **served)
    wanted = {"pool": f"{realm}:yard", "project": "crew-roster", "tier": "app", "zone": "ml-1", "families": [4, 6]}
    planner.request(**wanted, prefix="10.91.2.0/24", name=f"hall-{realm}", gateway="first")
    yield realm
    forget_server(planner, realm)


def forget_server(planner, realm):
    """Nothing is pushed any more to a server that is soon gone."""
    for zone in list(planner.dns_zones.list(realm=realm)):
        if zone["address"]:
            planner.dns_zones.edit(zone["id"], address="", credential="", every=None)


def record(planner, realm, name, address, **values):
    return planner.subnets.record(f"{realm}:hall-{realm}", name, address=address, **values).result["addresses"]


def answers(server, *what, told, seconds=40.0):
    """Whether the server comes to answer so, and after how long."""
    begun = time.monotonic()
    assert eventually(lambda: server.dig(*what) == told, seconds), (what, server.dig(*what), told)
    return time.monotonic() - begun


def serving(planner, realm, zone=ZONE):
    return planner.dns_zones.get(f"{realm}:{zone}")["serving"]


def test_a_host_answers_within_a_second_and_no_longer_after_release(live, server, fleet):
    planner = live.client("planner")
    (gate,) = record(planner, fleet, "gate-1", "10.91.2.9", aliases=["gate"])
    took = answers(server, "gate-1.boats.example", told=["10.91.2.9"])
    assert answers(server, "-x", "10.91.2.9", told=["gate-1.boats.example."]) < 5
    assert server.dig("gate.boats.example") == ["10.91.2.9", "gate-1.boats.example."]
    pair = record(planner, fleet, "lamp", None, pair=True)
    six = next(r["address"] for r in pair if r["family"] == 6)
    answers(server, "lamp.boats.example", "AAAA", told=[six])
    planner.addresses.edit(gate["id"], name="gate-2", aliases=[])
    answers(server, "gate-2.boats.example", told=["10.91.2.9"])
    assert server.dig("gate-1.boats.example") == server.dig("gate.boats.example") == []
    planner.addresses.remove(gate["id"])
    gone = answers(server, "gate-2.boats.example", told=[])
    assert server.dig("-x", "10.91.2.9") == []
    assert min(took, gone) < 5  # a second or so on a quiet machine
    states = {entry["state"] for entry in planner.dns_entries(dns_zone=f"{fleet}:{ZONE}")}
    assert states == {"published"}


def test_a_server_that_is_away_is_caught_up_and_keeps_nobody_waiting(live, server, fleet):
    planner = live.client("planner")
    record(planner, fleet, "buoy-1", "10.91.2.11")
    answers(server, "buoy-1.boats.example", told=["10.91.2.11"])
    server.stop()
    begun = time.monotonic()
    (late,) = record(planner, fleet, "buoy-2", "10.91.2.12")
    record(planner, fleet, "buoy-3", "10.91.2.13")
    planner.addresses.remove(late["id"])
    assert time.monotonic() - begun < 10
    assert eventually(lambda: serving(planner, fleet)["failing_since"])
    assert "nobody listens there" in serving(planner, fleet)["outcome"]
    assert eventually(lambda: planner.dns_zones.get(f"{fleet}:{ZONE}")["counts"]["pending"])
    server.start()
    answers(server, "buoy-3.boats.example", told=["10.91.2.13"], seconds=40)
    assert server.dig("buoy-2.boats.example") == []
    assert eventually(lambda: serving(planner, fleet)["failing_since"] is None)


def test_what_a_killed_pusher_has_begun_is_finished(live, server, fleet):
    """Killed again and again in the middle: in the end the server has what the registry says, and nothing else."""
    planner = live.client("planner")
    helper = next(one for one in live.service.helpers if one.name == "names")
    kept, gone = [], []
    for n in range(1, 13):
        (made,) = record(planner, fleet, f"crane-{n}", f"10.91.2.{20 + n}")
        helper.process.kill()
        helper.process.wait()
        helper.process = helper._start()
        (gone if n % 3 == 0 else kept).append(made)
    for one in gone:
        planner.addresses.remove(one["id"])
        helper.process.kill()
        helper.process.wait()
        helper.process = helper._start()
    for one in kept:
        answers(server, f"{one['name']}.boats.example", told=[one["address"]], seconds=40)
    for one in gone:
        answers(server, f"{one['name']}.boats.example", told=[], seconds=40)
    planner.dns_zones.compare(f"{fleet}:{ZONE}")
    assert eventually(lambda: compared(planner, fleet) == 0, 40)


def compared(planner, realm, zone=ZONE):
    """How many differences the last comparison has told; None while one is under way."""
    now = serving(planner, realm, zone)
    under_way = now["compare_at"] is not None or now["failing_since"]
    return None if under_way else now["differences"]


def test_a_key_that_is_refused_is_told_and_no_secret_with_it(live, server, fleet):
    planner = live.client("planner")
    planner.dns_zones.edit(f"{fleet}:{ZONE}", credential="lentra:hmac-sha256:YW5vdGhlcg==")
    record(planner, fleet, "buoy-1", "10.91.2.11")
    assert eventually(lambda: serving(planner, fleet)["failing_since"])
    assert "credential" in serving(planner, fleet)["outcome"]
    assert "YW5vdGhlcg" not in json.dumps(planner.dns_zones.get(f"{fleet}:{ZONE}"))
    planner.dns_zones.edit(f"{fleet}:{ZONE}", credential=KEY)
    answers(server, "buoy-1.boats.example", told=["10.91.2.11"], seconds=30)
    with pytest.raises(Problem) as refused:
        planner.dns_zones.edit(f"{fleet}:{ZONE}", credential="no-key")
    assert refused.value.field == "credential"


def test_what_somebody_changes_there_is_told_and_overwritten_only_when_asked(live, server, fleet, lentra):  # noqa: F811
    planner = live.client("planner")
    for n in (1, 2, 3):
        record(planner, fleet, f"quay-{n}", f"10.91.2.{30 + n}")
    planner.dns_records.add(dns_zone=f"{fleet}:{ZONE}", owner="www", type="CNAME", data="quay-1")
    answers(server, "www.boats.example", told=["10.91.2.31", "quay-1.boats.example."])
    answers(server, "quay-3.boats.example", told=["10.91.2.33"])
    server.changed_by_hand(ZONE, "quay-1", "A", "10.91.9.9")
    server.changed_by_hand(ZONE, "quay-2", "A", None)
    server.changed_by_hand(ZONE, "fax", "A", "10.91.9.1")
    server.changed_by_hand(ZONE, "www", "CNAME", "elsewhere.example.")
    seen = lentra("dns", "compare", f"{fleet}:{ZONE}", "--yes", role="planner")
    assert (seen.returncode, seen.stdout.splitlines()[-1]) == (0, "4 differ"), seen.stdout + seen.stderr
    told = json.loads(lentra("dns", "differences", f"{fleet}:{ZONE}", "--output", "json", role="viewer").stdout)
    assert {(f["dns_name"], f["recorded"], f["seen"][0]["value"], f["kind"]) for f in told} == {
        ("quay-1.boats.example", "10.91.2.31", "10.91.9.9", "dns"),
        ("quay-2.boats.example", "10.91.2.32", "nothing", "dns"),
        ("fax.boats.example", "", "10.91.9.1", "dns"),
        ("www.boats.example", "quay-1.boats.example.", "elsewhere.example.", "dns"),
    }
    assert {f["subnet"]["name"] for f in told if f["dns_name"].startswith("quay")} == {f"hall-{fleet}"}
    with pytest.raises(Problem, match="pushed over"):
        planner.findings.correct(told[0]["id"])
    # Pushed anew, what is missing is there again, and what was changed stays.
    assert lentra("dns", "push", f"{fleet}:{ZONE}", "--yes", role="planner").returncode == 0
    answers(server, "quay-2.boats.example", told=["10.91.2.32"])
    assert server.dig("quay-1.boats.example") == ["10.91.2.31", "10.91.9.9"]
    assert server.dig("www.boats.example", "CNAME") == ["elsewhere.example."]
    seen = planner.dns_zones.push(f"{fleet}:{ZONE}", overwrite=True, preview=True)
    with planner.following(seen.proposal):
        planner.dns_zones.push(f"{fleet}:{ZONE}", overwrite=True)
    answers(server, "quay-1.boats.example", told=["10.91.2.31"])
    answers(server, "www.boats.example", "CNAME", told=["quay-1.boats.example."])
    assert server.dig("fax.boats.example") == ["10.91.9.1"]  # no name of the registry's
    assert eventually(lambda: compared(planner, fleet) == 1)
    (left,) = planner.findings.list(dns_zone=f"{fleet}:{ZONE}", state="open")
    assert left["dns_name"] == "fax.boats.example"
    assert left["text"] == "fax.boats.example has A 10.91.9.1 on its server, and nothing here"


def test_a_serial_that_has_gone_back_is_told_and_overcome(live, server, fleet):
    planner = live.client("planner")
    for n in range(1, 6):
        record(planner, fleet, f"raft-{n}", f"10.91.2.{40 + n}")
        answers(server, f"raft-{n}.boats.example", told=[f"10.91.2.{40 + n}"])
    planner.dns_zones.compare(f"{fleet}:{ZONE}")
    assert eventually(lambda: compared(planner, fleet) == 0)
    newest = serving(planner, fleet)["server_serial"]
    server.stop()
    for file in server.folder.glob("boats*"):
        file.unlink()  # as it was at the very beginning
    server.start()
    assert eventually(lambda: server.dig(ZONE, "SOA"))
    planner.dns_zones.compare(f"{fleet}:{ZONE}")
    assert eventually(lambda: (compared(planner, fleet) or 0) > 5)
    assert "serial has gone back" in serving(planner, fleet)["outcome"]
    texts = [f["text"] for f in planner.findings.list(dns_zone=f"{fleet}:{ZONE}", state="open")]
    assert any(f"serial {newest} here" in text for text in texts)
    planner.dns_zones.push(f"{fleet}:{ZONE}", overwrite=True)
    answers(server, "raft-5.boats.example", told=["10.91.2.45"])
    assert eventually(lambda: int(server.dig(ZONE, "SOA")[0].split()[2]) > newest)
    planner.dns_zones.compare(f"{fleet}:{ZONE}")
    assert eventually(lambda: compared(planner, fleet) == 0)
    assert not list(planner.findings.list(dns_zone=f"{fleet}:{ZONE}", state="open"))


def test_files_are_valid_and_their_serials_only_grow(live, fleet, lentra, tmp_path):  # noqa: F811
    planner = live.client("planner")
    planner.dns_zones.edit(f"{fleet}:{ZONE}", gateway_names="gate.{subnet}", edge_names="{subnet}-{edge}")
    by_hand = [("@", "MX", "10 post"), ("_sip._tcp", "SRV", "0 5 5060 sip"), ("@", "CAA", '0 issue "ca.example"')]
    for owner, kind, data in (*by_hand, ("höfe", "TXT", 'a "quoted" text; with a semicolon ' + "x" * 300)):
        planner.dns_records.add(dns_zone=f"{fleet}:{ZONE}", owner=owner, type=kind, data=data)
    record(planner, fleet, "quay_1", "10.91.2.31", aliases=["dock"])
    part = {
        "ranges": ["10.91.2.64/26"],
        "delegated": True,
        "servers": ["ns.crew.example"],
        "project": "crew-roster",
    }
    made = planner.dns_zones.add_reverse(fleet, **part).result["dns_zones"]
    assert [zone["name"] for zone in made] == ["64/26.2.91.10.in-addr.arpa"]
    serials = []
    for zone, lines in ((ZONE, ["quay-1", "dock", "gate.hall"]), (BACK, ["31.2", "64/26.2", "127.2"])):
        file = tmp_path / "a.zone"
        assert eventually(lambda zone=zone: not planner.dns_zones.get(f"{fleet}:{zone}")["counts"]["pending"])
        time.sleep(1)
        assert lentra("dns", "write", f"{fleet}:{zone}", str(file), role="viewer").returncode == 0
        text = file.read_text()
        for line in lines:
            assert f"\n{line}" in text, text
        checked = subprocess.run(
            ["named-checkzone", "-k", "fail", "-i", "local", zone, str(file)], capture_output=True, text=True
        )
        assert checked.returncode == 0, checked.stdout + text
        serials.append(int(checked.stdout.split("serial ")[1].split()[0]))
        assert planner.dns_zones.file(f"{fleet}:{zone}") == text
    record(planner, fleet, "quay-2", "10.91.2.32")
    assert eventually(lambda: "quay-2" in planner.dns_zones.file(f"{fleet}:{ZONE}"))
    assert f" {serials[0] + 1} " in planner.dns_zones.file(f"{fleet}:{ZONE}")
    with pytest.raises(Problem, match="others keep"):
        planner.dns_zones.file(f"{fleet}:64/26.2.91.10.in-addr.arpa")


def test_a_planner_sets_a_zone_up_with_keys_and_sees_what_its_server_has(live, server, open_as):  # noqa: F811
    """In the console alone: a DNS zone, a record by hand, what stands there, and what somebody has put there."""
    planner, realm = live.client("planner"), f"keys-{uuid.uuid4().hex[:8]}"
    planner.realms.add(name=realm)
    planner.pools.add(name="yard", realm=realm, sheet="ends-withheld", ranges=["10.91.0.0/16"])
    wanted = {"pool": f"{realm}:yard", "project": "crew-roster", "tier": "app", "zone": "ml-1"}
    planner.request(**wanted, prefix="10.91.2.0/24", name=f"hall-{realm}")
    page = open_as("planner")
    page.goto(live.url + "/set-up/dns-zones")
    page.get_by_role("button", name="Add a DNS zone").press("Enter")
    form = page.get_by_role("dialog")
    form.get_by_label("Name", exact=False).first.press_sequentially(ZONE)
    choose(page, "Realm", realm)
    for label, text in (
        ("Name servers", "ns1.ferry.example"),
        ("Primary server", "ns1.ferry.example"),
        ("Contact", "names@ferry.example"),
        ("Server", server.address),
        ("Key", KEY),
    ):
        form.get_by_role("textbox", name=re.compile(f"^{label}")).or_(
            form.get_by_label(label, exact=True)
        ).first.press_sequentially(text)
    confirm(page)
    record(planner, realm, "gate-1", "10.91.2.9")
    answers(server, "gate-1.boats.example", told=["10.91.2.9"])
    server.changed_by_hand(ZONE, "gate-1", "A", "10.91.9.9")
    page.get_by_role("navigation", name="Main").get_by_role("link", name="Names").press("Enter")
    page.get_by_label("Part of the name").press_sequentially(ZONE)
    row = page.get_by_role("table", name="DNS zones").get_by_role("row").filter(has_text=realm)
    row.get_by_role("link", name=ZONE).press("Enter")
    page.get_by_role("heading", name=ZONE, level=1).wait_for()
    page.get_by_role("table", name="Records").get_by_text("gate-1.boats.example", exact=True).wait_for()
    page.get_by_role("button", name="Compare").press("Enter")
    go_ahead(page, "Compare with its server")
    differing = page.get_by_role("table", name="Differences")
    differing.get_by_text("10.91.9.9").wait_for()
    page.get_by_role("button", name="Push over what stands there").press("Enter")
    go_ahead(page, "Push over what stands there")
    answers(server, "gate-1.boats.example", told=["10.91.2.9"])
    page.get_by_text("as on its server").wait_for()
    page.keyboard.press("/")
    page.keyboard.type("gate-1.boats.example")
    page.keyboard.press("Enter")
    page.get_by_role("table", name="Records").get_by_role("link", name="gate-1").wait_for()
    forget_server(planner, realm)
