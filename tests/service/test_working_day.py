"""A planner's day by the client library: set up, carve, ask, look, change, give back; the ledger tells all."""

import uuid

import pytest

from lentra.client.errors import BY_CODE


@pytest.fixture
def mark():
    return uuid.uuid4().hex[:8]


def test_a_network_is_set_up_used_and_taken_down(live, planner, mark):
    realm, region, zone = f"yard-{mark}", f"yards-{mark}", f"dock-{mark}"
    planner.realms.add(name=realm, private_only=True, name_template="{zone}-{project}-{nn}", why="the yard opens")
    with pytest.raises(BY_CODE["not-private"]) as caught:
        planner.pools.add(name="all", realm=realm, sheet="ends-withheld", ranges=["198.50.0.0/16"])
    assert "10.0.0.0/8" in caught.value.suggestions
    planner.regions.add(name=region)
    planner.zones.add(name=zone, region=region, physical="dock-house")
    top = planner.pools.add(
        name="all", realm=realm, sheet="ends-withheld", ranges=["10.60.0.0/16"], cooling_days=2
    )
    assert planner.pools.get(f"{realm}:all")["id"] == top.result["id"]

    planner.keep_outs.add(realm=realm, range="10.60.0.0-10.60.0.99", reason="welding robots", kind="on-premises")
    carved = planner.pools.add(
        name="dock", parent=top.result["id"], zone=zone, lengths=[{"family": 4, "length": 22}], placement="low"
    )
    (inner,) = carved.result["ranges"]
    assert inner == "10.60.4.0/22"  # the lowest /22 that is wholly free
    use = planner.pools.use(top.result["id"])
    assert [user["range"] for user in use["used_by"]] == ["dock"]
    assert set(use["frozen"]) == {"realm", "parent"}

    ask = {"pool": f"{realm}:dock", "project": "crew-roster", "tier": "ops", "zone": zone}
    seen = planner.request(**ask, hosts=100, preview=True)
    made = planner.request(**ask, hosts=100, proposal=seen.proposal, why="cabins need addresses")
    (subnet,) = made.result["subnets"]
    assert subnet["name"] == f"{zone}-crew-roster-01"
    assert subnet["blocks"][0]["prefix"] == seen.result["subnets"][0]["blocks"][0]["prefix"]
    (place,) = planner.whereabouts("10.60.4.5", realm=realm)
    assert [p["name"] for p in place["pools"]] == ["all", "dock"]
    assert place["holders"][0]["owner"] == subnet["name"]
    assert place["before"]["state"] == "free"

    usage = planner.pools.usage(top.result["id"])
    own, whole = usage["own"][0], usage["with_carved"][0]
    assert own["addresses"]["carved"] == "1024"
    assert (whole["addresses"]["carved"], whole["addresses"]["handed out"]) == ("0", "128")
    assert whole["addresses"]["kept out"] == own["addresses"]["kept out"] == "100"
    assert sum(own["percent"].values()) == pytest.approx(100)

    with pytest.raises(BY_CODE["in-use"]):
        planner.zones.remove(zone)
    edited = planner.subnets.edit(subnet["id"], purpose="cabins", if_version=subnet["version"])
    with pytest.raises(BY_CODE["stale-edit"]):
        planner.subnets.edit(subnet["id"], purpose="galley", if_version=subnet["version"])
    assert edited.changes[0]["before"] == {"purpose": ""}
    with pytest.raises(BY_CODE["unknown-field"]):
        planner.subnets.edit(subnet["id"], zone="nc-1")

    released = planner.release(subnet["id"], why="cabins are wireless now")
    assert released.result["state"] == "cooling"
    with pytest.raises(BY_CODE["wrong-state"]):
        planner.release(subnet["id"])
    with pytest.raises(BY_CODE["in-use"]) as caught:
        planner.pools.remove(f"{realm}:dock")
    assert caught.value.conflicts[0]["range"] == subnet["name"]
    planner.release(subnet["id"], at_once=True)
    history = planner.subnets.history(subnet["id"])  # by number, although it is gone
    assert [entry["verb"] for entry in history] == ["give back", "give back", "edit", "hand out"]
    assert history[1]["why"] == "cabins are wireless now"
    with pytest.raises(BY_CODE["unknown-name"]):
        planner.subnets.get(subnet["id"])

    for remove, ref in (
        (planner.pools.remove, f"{realm}:dock"),
        (planner.pools.remove, f"{realm}:all"),
        (planner.realms.remove, realm),
        (planner.zones.remove, zone),
        (planner.regions.remove, region),
    ):
        assert remove(ref, preview=True).preview
        remove(ref)
    assert planner.verify()["offences"] == []
    verbs = [(entry["verb"], entry["kind"]) for entry in planner.ledger(text=realm)]
    assert verbs == [("remove", "realm"), ("add", "realm")]


def test_many_subnets_at_once_are_all_there_or_not_at_all(planner, fresh_pool):
    pool = fresh_pool("10.40.64.0/22", cooling_days=0)
    ask = {"pool": pool, "project": "ticketing", "tier": "app", "zone": "ml-1"}
    made = planner.request(**ask, length=26, count=10).result["subnets"]
    assert len({s["blocks"][0]["prefix"] for s in made}) == 10
    before = [s["id"] for s in planner.subnets.list(pool=pool)]
    with pytest.raises(BY_CODE["exhausted"]):
        planner.request(**ask, length=26, count=7)  # six are left
    assert [s["id"] for s in planner.subnets.list(pool=pool)] == before
    assert len(planner.request(**ask, length=26, count=6).result["subnets"]) == 6
    with pytest.raises(BY_CODE["exhausted"], match="nothing is left"):
        planner.request(**ask, length=30)


def test_lists_are_searched_filtered_and_ordered(planner):
    names = [zone["name"] for zone in planner.zones.list(text="nc")]
    assert names == sorted(names)
    assert {"nc-1", "nc-2", "nc-3"} <= set(names)
    assert {pool["realm"]["name"] for pool in planner.pools.list(realm="harbour-lab")} == {"harbour-lab"}
    carved = {pool["name"] for pool in planner.pools.list(parent="mainland")}
    assert {"ml-1-general", "ticket-hall"} <= carved
    newest = [s["id"] for s in planner.subnets.list(order="newest", limit=20)]
    assert newest == sorted(newest, reverse=True)
    places = [s["blocks"][0] for s in planner.subnets.list(pool="coast-wifi", order="address")]
    assert [b["first"] for b in places] == sorted(
        (b["first"] for b in places), key=lambda text: [int(part) for part in text.split(".")]
    )
    reasons = [k["reason"] for k in planner.keep_outs.list(realm="fleet", text="crane")]
    assert len(reasons) == 1
    by_petra = [entry["actor_name"] for entry in planner.ledger(actor="petra", limit=50)]
    assert set(by_petra) == {"petra"}
