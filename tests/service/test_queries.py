"""What a call can be asked for is what its document says: everything else in a query is refused, with what is known."""

from urllib.parse import parse_qs, urlsplit

import pytest
import requests

from tests.service.test_document import DOCUMENT
from tests.service.test_roles import BODIES, READS, REFS, refs  # noqa: F401

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
        url = live.url + path.replace("{ref}", REFS.get(kind, "1")).replace("{number}", "1")
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
        query, rows = [*((name, value) for value in wanted), ("limit", 1000)], []
        page = ask("GET", f"/api/v1/{path}", query).json()
        while rows.extend(page["results"]) or page["next"]:
            cursor = parse_qs(urlsplit(page["next"]).query)["cursor"][0]
            page = ask("GET", f"/api/v1/{path}", [*query, ("cursor", cursor)]).json()
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
    names = [f"a{n:02}-yard" for n in range(52)]  # before the one that has it
    try:
        for name in names:
            admin.realms.add(name=name)
        told = ask("GET", "/api/v1/whereabouts", [("range", "10.42.16.5")]).json()
        assert "fleet" in {row["realm"]["name"] for row in told}
    finally:
        for name in names:
            admin.realms.remove(name, why="tried")
    assert ask("GET", "/api/v1/whereabouts", [("range", "203.0.113.77"), ("realm", "depot")]).json()


ON_RECORDS = [
    (method, path, operation)
    for method, path, operation in OPERATIONS
    if any(p["in"] == "header" and p["name"] == "If-Match" for p in operation.get("parameters", []))
]


@pytest.mark.parametrize(("method", "path", "operation"), ON_RECORDS, ids=_ids(ON_RECORDS))
def test_what_is_done_to_a_record_is_refused_if_it_has_changed_since(live, refs, method, path, operation):  # noqa: F811
    short = path.removeprefix("/api/v1/")
    held = {"pool": "ticket-hall", "project": "ticketing", "tier": "app", "zone": "ml-1", "length": 28}
    admin, ref = live.client("admin"), refs[path.split("/")[3]]
    if short.endswith("confirm"):
        ref = admin.request(**held, hold_minutes=5).result["subnets"][0]["id"]
    if short.endswith(("attach", "detach")):
        ref = next(admin.subnets.list(public="attached" if "detach" in short else "idle"))["id"]
    answer = requests.request(
        method,
        live.url + path.replace("{ref}", str(ref)).replace("{number}", "1"),
        params={"why": "tried"},
        json=BODIES.get(short, {}),
        headers={"Authorization": "Bearer " + live.token("admin"), "If-Match": '"1"'},
        timeout=30,
    )
    told = answer.json()
    assert (answer.status_code, told["code"]) == (412, "stale-edit"), told


def test_a_version_of_nothing_is_refused(ask, live):
    headers = {"Authorization": "Bearer " + live.token("admin"), "If-Match": '"1"'}
    answer = requests.post(f"{live.url}/api/v1/tiers", json={"name": "seen"}, headers=headers, timeout=30)
    assert (answer.status_code, answer.json()["field"]) == (400, "If-Match")


def test_a_record_that_one_has_already_is_not_told_again(live):
    headers = {"Authorization": "Bearer " + live.token("viewer")}
    url = f"{live.url}/api/v1/zones/nc-1"
    tag = requests.get(url, headers=headers, timeout=30).headers["ETag"]
    known = requests.get(url, headers={**headers, "If-None-Match": f'"7", W/{tag}'}, timeout=30)
    assert (known.status_code, known.content, known.headers["ETag"]) == (304, b"", tag)
    assert requests.get(url, headers={**headers, "If-None-Match": '"7"'}, timeout=30).status_code == 200
    head = requests.head(url, headers=headers, timeout=30)
    assert (head.status_code, head.headers["ETag"], head.content) == (200, tag, b"")


def test_what_is_made_has_an_address(live, fresh_pool):
    headers = {"Authorization": "Bearer " + live.token("planner")}
    pool = fresh_pool("10.40.64.0/24")
    body = {"pool": pool, "project": "ticketing", "tier": "app", "zone": "ml-1", "length": 28}
    made = requests.post(f"{live.url}/api/v1/subnets", json=body, headers=headers, timeout=30)
    assert (
        requests.get(live.url + made.headers["Location"], headers=headers, timeout=30).json()["pool"]["name"]
        == "pool"
    )
    seen = requests.post(f"{live.url}/api/v1/subnets?preview=true", json=body, headers=headers, timeout=30)
    assert seen.status_code == 200
    assert "Location" not in seen.headers
    body = {"name": "kept", "pool": pool, "length": 28, "reason": "x"}
    made = requests.post(f"{live.url}/api/v1/reservations", json=body, headers=headers, timeout=30)
    assert made.headers["Location"] == f"/api/v1/reservations/{made.json()['result']['id']}"


@pytest.mark.parametrize(
    "path",
    [
        "ranges?realm=fleet&region=mainland",
        "usage/on?on=2026-06-01",
        "usage/changes?since=2026-01-01",
        "usage/breakdown?by=zone,tier",
    ],
)
def test_what_is_worked_out_comes_in_pages(live, path):
    headers = {"Authorization": "Bearer " + live.token("viewer")}

    def get(url):
        return requests.get(url, headers=headers, timeout=30).json()

    whole = get(f"{live.url}/api/v1/{path}&limit=1000")
    assert whole["next"] is None
    rows, page = [], get(f"{live.url}/api/v1/{path}&limit=7")
    for _ in range(3):
        rows += page["results"]
        if not page["next"]:
            break
        page = get(page["next"])
        assert get(page["previous"])["results"] == rows[-7:]
    assert rows == whole["results"][: len(rows)]
    forged = get(f"{live.url}/api/v1/{path}&cursor=7")
    assert (forged["status"], forged["field"]) == (400, "cursor")


def test_the_document_leaves_no_word_unexplained():
    schemas = DOCUMENT["components"]["schemas"]
    bare = [
        (name, word)
        for name, s in schemas.items()
        for word, p in s.get("properties", {}).items()
        if "description" not in p
    ]
    assert [pair for pair in bare if pair[0] != "Problem"] == []
    names = [operation["operationId"] for _, _, operation in OPERATIONS]
    assert len(set(names)) == len(names)
    assert all(name.isalpha() and name[0].islower() for name in names)
