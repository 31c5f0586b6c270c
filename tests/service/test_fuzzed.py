"""Whatever is sent, the service says what is wrong with it, in the shapes of its document."""

import os

import pytest
import requests
import schemathesis
from hypothesis import HealthCheck, Phase, settings
from schemathesis.checks import not_a_server_error
from schemathesis.specs.openapi.checks import (
    content_type_conformance,
    response_schema_conformance,
    status_code_conformance,
)

from tests.conftest import ROOT

EXAMPLES = int(os.environ.get("LENTRA_FUZZ_EXAMPLES", "2"))  # of each call and role; script/test --long takes more
CHECKS = (not_a_server_error, status_code_conformance, content_type_conformance, response_schema_conformance)
DOCUMENT = schemathesis.openapi.from_path(ROOT / "src/lentra/api/openapi.json")


@pytest.mark.parametrize("role", ["planner", "admin"])
def test_no_made_up_call_breaks_the_service_or_its_document(live, role):
    headers = {"Authorization": f"Bearer {live.token(role)}"}
    session = requests.Session()
    found = []

    def run(operation):
        @settings(
            max_examples=EXAMPLES,
            deadline=None,
            database=None,
            derandomize=True,
            phases=[Phase.generate],
            suppress_health_check=list(HealthCheck),
        )
        @schemathesis_given(operation)
        def one(case):
            if case.method == "DELETE" or (case.method != "GET" and case.operation.path.endswith("/session")):
                case.query = {**(case.query or {}), "preview": "true"}
            answer = case.call(base_url=live.url, headers=headers, session=session, timeout=60)
            case.validate_response(answer, checks=CHECKS)

        try:
            one()
        except Exception as failure:
            found.append(f"{operation.label}: {str(failure)[:600]}")

    for result in DOCUMENT.get_all_operations():
        run(result.ok())
    assert not found, "\n\n".join(found[:10])
    assert live.client("planner").verify()["clean"]


def schemathesis_given(operation):
    from hypothesis import given

    return given(case=operation.as_strategy())
