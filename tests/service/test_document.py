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
        (content,) = answer["content"].values()
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
    "size": "?hosts=180&sheet=four-and-one",
    "explain": "?prefix=10.40.64.0/20",
    "candidates": "?project=ticketing&zone=ml-1&hosts=50",
    "whereabouts": "?range=10.42.16.0/24",
}
DETAILS = {
    "realms/{ref}": "realms/fleet",
    "zones/{ref}": "zones/nc-1",
    "zones/{ref}/use": "zones/nc-1/use",
    "pools/{ref}": "pools/fleet:mainland",
    "pools/{ref}/usage": "pools/mainland/usage",
    "pools/{ref}/picture": "pools/fleet-private/picture?inside=10.40.0.0/14",
    "subnets/{ref}": "subnets/fleet:ticketing-nc-1-app-01",
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


CHANGES = [
    ("subnets", {"pool": "ticket-hall", "project": "ticketing", "tier": "app", "zone": "ml-1", "length": 28}, 200),
    ("subnets", {"pool": "ticket-hall", "project": "ticketing", "tier": "app", "zone": "ml-1", "length": 33}, 400),
    ("zones", {"name": "nc-7", "region": "north-coast"}, 200),
    ("pools", {"name": "seen", "parent": "north-coast", "lengths": [{"family": 4, "length": 24}]}, 200),
    ("keep-outs", {"realm": "fleet", "range": "10.40.64.0/24", "reason": "x", "despite_use": True}, 200),
    ("keep-outs", {"realm": "fleet", "range": "10.40.64.0/24", "reason": "x"}, 409),
    ("people", {"name": "tove", "role": "viewer"}, 200),
    ("tokens", {"name": "seen"}, 200),
]


@pytest.mark.parametrize(("path", "body", "status"), CHANGES)
def test_what_is_changed_answers_in_the_shape_of_the_document(live, check, path, body, status):
    answer = requests.post(
        f"{live.url}/api/v1/{path}?preview=true",
        json=body,
        headers={"Authorization": "Bearer " + live.token("admin")},
        timeout=30,
    )
    assert answer.status_code == status, answer.text
    expected = {200: 201}.get(status, status)  # a preview answers 200 with the shape of the made thing
    check("post", path, expected, answer.json())
