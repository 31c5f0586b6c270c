"""What a call can be asked for is what its document says: everything else in a query is refused, with what is known."""

import pytest
import requests

from tests.service.test_document import DOCUMENT
from tests.service.test_roles import READS, REFS

OPERATIONS = [
    (method, path, operation)
    for path, methods in sorted(DOCUMENT["paths"].items())
    for method, operation in methods.items()
    if "openapi" not in path
]
PARAMETERS = [
    (method, path, parameter)
    for method, path, operation in OPERATIONS
    for parameter in operation.get("parameters", [])
    if parameter["in"] == "query" and parameter["name"] not in ("why",)
]


def _ids(values):
    return [
        f"{value[0]} {value[1].removeprefix('/api/v1/')} {value[2].get('name', '')}".strip() for value in values
    ]


@pytest.fixture(scope="module")
def ask(live):
    headers = {"Authorization": "Bearer " + live.token("admin")}
    session = requests.Session()

    def send(method, path, query):
        kind = path.split("/")[3]
        url = live.url + path.replace("{ref}", REFS.get(kind, "1"))
        return session.request(method, url, params=query, headers=headers, json={}, timeout=30)

    return send


def _needed(path):
    text = READS.get(path.removeprefix("/api/v1/"), "")
    return [tuple(pair.split("=", 1)) for pair in text.split("&") if pair]


@pytest.mark.parametrize(("method", "path", "operation"), OPERATIONS, ids=_ids(OPERATIONS))
def test_a_parameter_that_there_is_not_is_refused(ask, method, path, operation):
    answer = ask(method, path, [*_needed(path), ("relam", "fleet")])
    if path == "/api/v1/session":  # who signs in or out sends no query at all; it is read all the same
        assert answer.status_code in (400, 401)
        return
    told = answer.json()
    assert (answer.status_code, told["code"], told["field"]) == (400, "unknown-field", "relam"), told
    own = {p["name"] for p in operation.get("parameters", []) if p["in"] == "query"}
    if "realm" in own:
        assert "realm" in told["suggestions"]


@pytest.mark.parametrize(("method", "path", "parameter"), PARAMETERS, ids=_ids(PARAMETERS))
def test_a_parameter_takes_what_the_document_says_and_nothing_else(ask, method, path, parameter):
    schema, name = parameter["schema"], parameter["name"]
    several = schema.get("type") == "array"
    schema = schema.get("items", schema)
    assert (
        parameter.get("description") or schema.get("enum") or "default" in schema or name in ("preview", "realm")
    )
    wrong = {"integer": "abc", "boolean": "perhaps", "number": "abc"}.get(schema.get("type"))
    if "enum" in schema or schema.get("format") in ("date", "uuid") or "oneOf" in schema or "$ref" in schema:
        wrong = "zzz"
    others = [pair for pair in _needed(path) if pair[0] != name]
    if wrong:
        answer = ask(method, path, [*others, (name, wrong)])
        told = answer.json()
        assert answer.status_code == 400, told
        assert told["field"].startswith(name), told
        if "enum" in schema:
            assert set(told["suggestions"]) <= {str(value) for value in schema["enum"]}
    if "maximum" in schema:
        told = ask(method, path, [*others, (name, schema["maximum"] + 1)]).json()
        assert told["field"].startswith(name), told
    if not several:
        told = ask(method, path, [*others, (name, "1"), (name, "2")]).json()
        assert (told["code"], told["field"]) == ("invalid-value", name), told
        assert "twice" in told["detail"] or "2 times" in told["detail"]


@pytest.mark.parametrize(
    ("path", "name", "values"),
    [
        ("subnets", "zone", ["nc-1", "ml-2"]),
        ("subnets", "state", ["active", "cooling"]),
        ("pools", "region", ["mainland", "inner-isles"]),
        ("ledger", "verb", ["carve", "hand out"]),
        ("reservations", "kind", ["balancers", "transit"]),
        ("projects", "environment", ["production", "test"]),
        ("people", "role", ["viewer", "admin"]),
        ("usage", "zone", ["nc-1", "nc-2"]),
        ("alerts", "pool", ["quay-cameras", "ticket-hall"]),
    ],
)
def test_several_values_of_a_filter_mean_any_of_them(ask, path, name, values):
    def numbers(*wanted):
        query = [*((name, value) for value in wanted), ("limit", 1000)]
        rows = ask("GET", f"/api/v1/{path}", query).json()["results"]
        return {row.get("id") or row.get("number") or row["pool"]["id"] for row in rows}

    both = numbers(*values)
    assert both == numbers(values[0]) | numbers(values[1])
    everything = numbers()
    assert both <= everything


def test_the_ledger_is_asked_by_time_record_and_operation(ask, planner):
    entry = next(planner.ledger(kind="subnet", verb="hand out"))
    day = entry["at"][:10]
    within = ask("GET", "/api/v1/ledger", [("since", day), ("until", day), ("limit", 1000)]).json()["results"]
    assert entry["number"] in {row["number"] for row in within}
    assert {row["at"][:10] for row in within} == {day}
    after = ask("GET", "/api/v1/ledger", [("since", entry["at"]), ("order", "oldest"), ("limit", 1)]).json()
    assert after["results"][0]["at"] >= entry["at"]
    same = ask("GET", "/api/v1/ledger", [("operation", entry["operation"])]).json()["results"]
    assert {row["operation"] for row in same} == {entry["operation"]}
    assert entry["number"] in {row["number"] for row in same}


def test_what_is_at_an_address_is_found_in_any_realm(ask, live):
    admin = live.client("admin")
    for n in range(52):
        admin.realms.add(name=f"a{n:02}-yard")
    told = ask("GET", "/api/v1/whereabouts", [("range", "10.42.16.5")]).json()
    assert "fleet" in {row["realm"]["name"] for row in told}
    assert ask("GET", "/api/v1/whereabouts", [("range", "203.0.113.77"), ("realm", "depot")]).json()
