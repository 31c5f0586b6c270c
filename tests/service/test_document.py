"""The OpenAPI document is true: answers have the shapes it gives, and every call is in it."""

import json

import pytest
import requests
from jsonschema import Draft202012Validator
from referencing import Registry, Resource
from referencing.jsonschema import DRAFT202012

from tests.conftest import ROOT

DOCUMENT = json.loads((ROOT / "src/lentra/api/openapi.json").read_text())


@pytest.fixture(scope="module")
def check():
    """Validates an answer against the document's schema for a call and status."""
    registry = Registry().with_resource("doc:", Resource(contents=DOCUMENT, specification=DRAFT202012))

    def validate(method, path, status, body):
        answers = DOCUMENT["paths"]["/api/v1/" + path][method]["responses"]
        answer = answers.get(str(status), answers["default"])
        content = next(
            told for media, told in answer["content"].items() if "json" in media and "jsonl" not in media
        )
        schema = json.loads(json.dumps(content["schema"]).replace('"#/', '"doc:#/'))
        faults = [e.message for e in Draft202012Validator(schema, registry=registry).iter_errors(body)]
        assert not faults, (method, path, faults[:3])

    return validate


READS = {
    "realms": "",
    "rule-sheets": "",
    "regions": "",
    "zones": "?region=mainland",
    "tiers": "",
    "projects": "",
    "pools": "",
    "keep-outs": "?realm=fleet",
    "people": "",
    "tokens": "",
    "subnets": "?limit=50",
    "usage": "?region=mainland",
    "ledger": "?kind=subnet",
    "verify": "",
    "session": "",
    "search": "?text=ticket",
    "size": "?hosts=180&sheet=four-and-one",
    "explain": "?prefix=10.40.64.0/20",
    "candidates": "?project=ticketing&zone=ml-1&hosts=50",
    "history": "?range=10.40.64.0/20",
    "whereabouts": "?range=10.42.16.0/24",
    "reservations": "?pool=fleet:model-halls",
    "plans": "?project=tide-model",
    "addresses": "?text=roster",
    "split": "?prefix=10.40.64.0/20&into=6",
    "carries": "?prefix=10.40.64.0/22&workloads=40",
    "still-fits": "?region=mainland",
    "size/range": "?subnets=300",
    "plan-schema.json": "",
    "headroom": "?region=mainland",
    "map": "?pool=fleet-private&range=10.40.0.0/14",
    "usage/breakdown": "?by=zone,tier&project=ticketing",
    "usage/together": "?region=north-coast",
    "alerts": "?realm=fleet&resolved=true",
    "planned-needs": "?pool=north-coast",
    "quotas": "",
    "findings": "?kind=stray&state=open",
    "sightings": "?inside=10.42.0.0/16",
    "surveys": "?source=harbour-walk",
    "sources": "?realm=fleet",
    "geofeed": "?realm=fleet",
    "geofeed-pointers": "",
    "authorisations": "?realm=fleet",
    "authorisations/assertions": "",
    "dns-zones": "?realm=fleet&reverse=true",
    "dns-records": "?dns_zone=fleet:ferry.example",
    "dns-entries": "?dns_zone=fleet:ferry.example&state=published&type=A",
    "sightings-schema.json": "",
    "inventory-schema.json": "",
    "taking-rules": "?realm=fleet",
    "links": "?realm=shipyard",
    "meetings": "?one=fleet&other=shipyard&one_gives=10.41.244.0/22",
    "realm-graph": "",
    "renumberings": "?realm=fleet&state=moving",
    "approval-rules": "?order=place",
    "waiting-requests": "?state=granted,refused".replace(",", "&state="),
    "usage/on": "?on=2026-06-01&realm=fleet",
    "usage/changes": "?since=2026-06-01",
    "idle": "?realm=fleet",
    "ranges": "?project=ticketing&since=2026-01-01",
}
DETAILS = {
    "realms/{ref}": "realms/fleet",
    "zones/{ref}": "zones/nc-1",
    "links/{ref}": "links/pilot-tunnel",
    "links/{ref}/meetings": "links/pilot-tunnel/meetings",
    "renumberings/{ref}": "renumberings/quay-west",
    "renumberings/{ref}/moves": "renumberings/quay-west/moves?wave=nc-2&state=moving",
    **{
        f"renumberings/{{ref}}/{what}": f"renumberings/quay-west/{what}"
        for what in ("map", "rules", "dns", "routes")
    },
    "dns-zones/{ref}": "dns-zones/fleet:ferry.example",
    "zones/{ref}/use": "zones/nc-1/use",
    "pools/{ref}": "pools/fleet:mainland",
    "pools/{ref}/usage": "pools/mainland/usage",
    "pools/{ref}/seen": "pools/mainland/seen",
    "subnets/{ref}": "subnets/fleet:ticketing-nc-1-app-01",
    "subnets/{ref}/address-map": "subnets/fleet:crew-roster-ml-1-app-01/address-map",
    "plans/{ref}": "plans/tide-halls",
    "plans/{ref}/departures": "plans/tide-halls/departures",
    "pools/{ref}/headroom": "pools/quay-cameras/headroom",
    "projects/{ref}/headroom": "projects/ticketing/headroom",
    "realms/{ref}/headroom": "realms/fleet/headroom",
    "subnets/{ref}/headroom": "subnets/crew-roster-ml-1-app-01/headroom",
    "pools/{ref}/compaction": "pools/trial-stands/compaction?length=24",
    "projects/{ref}/grid": "projects/ticketing/grid",
    "planned-needs/{ref}": "planned-needs/vetle-quays",
    "approval-rules/{ref}": "approval-rules/wide-blocks",
    "projects/{ref}/totals": "projects/ticketing/totals",
    "zones/{ref}/headroom": "zones/ml-1/headroom?window_days=365",
    "regions/{ref}/headroom": "regions/mainland/headroom",
    "reservations/{ref}": "reservations/booking-balancers",
    "subnets/{ref}/history": "subnets/fleet:ticketing-nc-1-app-01/history",
    "subnets/{ref}/neighbours": "subnets/fleet:ticketing-nc-1-app-01/neighbours",
}


@pytest.mark.parametrize(("path", "call"), [*((p, p + q) for p, q in READS.items()), *DETAILS.items()])
def test_what_is_read_has_the_shape_of_the_document(live, check, path, call):
    answer = requests.get(
        live.url + "/api/v1/" + call, headers={"Authorization": "Bearer " + live.token("admin")}, timeout=30
    )
    assert answer.status_code == 200, answer.text
    check("get", path, 200, answer.json())


PLAN = (ROOT / "demo/plans/gate-readers.yaml").read_text()
CLUSTER = {
    "name": "berth",
    "pool": "ml-1-general",
    "project": "tide-model",
    "tier": "app",
    "zone": "ml-1",
    "nodes": 6,
}
CHANGES = [
    ("subnets", {"pool": "ticket-hall", "project": "ticketing", "tier": "app", "zone": "ml-1", "length": 28}, 200),
    ("subnets", {"pool": "ticket-hall", "project": "ticketing", "tier": "app", "zone": "ml-1", "length": 33}, 400),
    ("zones", {"name": "nc-7", "region": "north-coast"}, 200),
    ("pools", {"name": "seen", "parent": "north-coast", "lengths": [{"family": 4, "length": 24}]}, 200),
    ("keep-outs", {"realm": "fleet", "range": "10.40.64.0/24", "reason": "x", "despite_use": True}, 200),
    ("keep-outs", {"realm": "fleet", "range": "10.40.64.0/24", "reason": "x"}, 409),
    ("people", {"name": "tove", "role": "viewer"}, 200),
    ("tokens", {"name": "seen"}, 200),
    ("renumberings", {"name": "seen", "from_pool": "ticket-hall", "to_pool": "mainland", "waves": "tier"}, 200),
    ("renumberings", {"name": "seen", "from_pool": "ticket-hall", "to_ranges": ["10.47.16.0/24"]}, 409),
    ("dns-zones/reverse", {"realm": "fleet", "ranges": ["10.99.64.0/26"], "like": "ferry.example"}, 200),
    ("dns-zones/reverse", {"realm": "fleet", "ranges": ["10.40.0.0/16"]}, 409),
    ("dns-records", {"dns_zone": "ferry.example", "owner": "seen", "type": "TXT", "data": "x"}, 200),
    ("dns-records", {"dns_zone": "ferry.example", "owner": "seen", "type": "MX", "data": "x"}, 400),
    ("reservations", {"pool": "mainland", "length": 26, "reason": "x"}, 200),
    ("reservations", {"pool": "mainland", "reason": "x"}, 400),
    ("plans", {"text": PLAN}, 200),
    ("plans", {"text": PLAN + "oops: 1\n"}, 400),
    ("size/several", {"needs": [{"name": "data", "hosts": 700}], "inside": "10.40.128.0/21"}, 200),
    ("size/cluster", {"nodes": 12, "workloads": 40, "service_range": "10.47.240.0/22"}, 200),
    ("size/cluster", {"nodes": 12, "workloads": 4000}, 400),
    ("check-ranges", {"realm": "fleet", "text": "10.40.64.0/24\n10.44.0.0/16\n"}, 200),
    ("clusters", CLUSTER, 200),
]
IN_PLACE = [
    ("subnets/{ref}/grow", "fleet:fleet-telemetry-ml-1-app-02", {"length": 23}, 200),
    ("subnets/{ref}/grow", "fleet:ticketing-ml-1-app-01", {}, 409),
    ("subnets/{ref}/shrink", "fleet:tide-model-nc-2-app-01", {"hosts": 50}, 200),
    ("subnets/{ref}/room", "fleet:fleet-telemetry-ml-1-app-02", {"doublings": 1}, 200),
    ("subnets/{ref}/replace", "fleet:ticketing-ml-1-app-01", {"hosts": 230}, 201),
    ("renumberings/{ref}/begin", "quay-west", {"wave": "nc-3"}, 200),
    ("renumberings/{ref}/finish", "quay-west", {"wave": "nc-2"}, 409),
    ("renumberings/{ref}/turn-back", "quay-west", {}, 200),
    ("renumberings/{ref}/moved", "quay-west", {"hosts": ["siren-01"]}, 200),
    ("renumberings/{ref}/check", "quay-west", {"check": "old silent"}, 200),
    ("subnets/{ref}/confirm", "fleet:ticketing-ml-1-app-01", {}, 409),
    ("subnets/{ref}/attach", "fleet:ticketing-ml-2-edge-05", {"target": "x"}, 200),
    ("subnets/{ref}/detach", "fleet:ticketing-nc-1-edge-02", {}, 200),
    ("subnets/{ref}/addresses", "fleet:ticketing-ml-1-app-01", {"name": "seen", "count": 2}, 201),
    ("pools/{ref}/second-family", "telemetry-intake", {}, 200),
    ("pools/{ref}/ranges", "quay-cameras", {"length": 24}, 201),
    (
        "pools/{ref}/change-range",
        "lab-bench-2",
        {"old": "10.0.32.0/20", "new": "10.0.64.0/20", "rebase": True},
        200,
    ),
    ("plans/{ref}/remove", "tide-halls", {"give_back": True, "despite_use": True}, 200),
]


@pytest.mark.parametrize(("path", "body", "status"), CHANGES)
def test_what_is_changed_answers_in_the_shape_of_the_document(live, check, path, body, status):
    answer = requests.post(
        f"{live.url}/api/v1/{path}",
        params={} if path.startswith(("size/", "check-ranges")) else {"preview": "true"},
        json=body,
        headers={"Authorization": "Bearer " + live.token("admin")},
        timeout=30,
    )
    assert answer.status_code == status, answer.text
    made = 200 if path.startswith(("size/", "check-ranges")) else 201
    expected = {200: made}.get(status, status)  # a preview answers 200 with the shape of the made thing
    check("post", path, expected, answer.json())


@pytest.mark.parametrize(("path", "ref", "body", "status"), IN_PLACE)
def test_what_is_done_with_a_record_answers_in_the_shape_of_the_document(live, check, path, ref, body, status):
    answer = requests.post(
        f"{live.url}/api/v1/{path.replace('{ref}', ref)}?preview=true",
        json=body,
        headers={"Authorization": "Bearer " + live.token("admin")},
        timeout=30,
    )
    assert answer.status_code == (200 if status == 201 else status), answer.text
    check("post", path, status, answer.json())
