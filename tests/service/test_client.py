"""The client library: its documented examples, and its retries."""

import asyncio
import doctest
import subprocess
import sys
import threading
from http.server import BaseHTTPRequestHandler, HTTPServer

import pytest

import lentra.client.aio
import lentra.client.calls
import lentra.client.client
import lentra.client.collections
import lentra.client.fake
import lentra.client.records
from lentra.client import Client, NotReachable, Problem
from lentra.client.aio import AsyncClient
from lentra.client.calls import operations
from lentra.client.errors import Missing, NameTaken
from lentra.client.fake import FakeService
from tests.conftest import ROOT, apart
from tests.service import client_sample as sample
from tests.service.test_document import DOCUMENT

MODULES = [
    lentra.client,
    *(getattr(lentra.client, m) for m in ("aio", "calls", "client", "collections", "fake", "records")),
]


@pytest.mark.parametrize("module", MODULES, ids=lambda module: module.__name__)
def test_the_examples_in_docstrings_work(live, module):
    names = {"url": live.url, "token": live.token("planner"), "Client": Client, "AsyncClient": AsyncClient}
    found = apart(lambda: doctest.testmod(module, extraglobs=names))
    assert found.attempted > 0
    assert found.failed == 0


def test_a_busy_service_is_asked_again_with_the_same_key():
    seen = []

    class Busy(BaseHTTPRequestHandler):
        def do_POST(self):
            seen.append(self.headers["Idempotency-Key"])
            self.rfile.read(int(self.headers["Content-Length"]))
            status, body = (
                (503, b"{}")
                if len(seen) < 3
                else (201, b'{"result": 1, "notes": [], "changes": [], "preview": false, "proposal": null}')
            )
            self.send_response(status)
            self.send_header("Content-Length", str(len(body)))
            self.end_headers()
            self.wfile.write(body)

        def log_message(self, *args):
            pass

    server = HTTPServer(("127.0.0.1", 0), Busy)
    threading.Thread(target=server.serve_forever, daemon=True).start()
    answer = Client(f"http://127.0.0.1:{server.server_port}", "t").request(pool="x")
    server.shutdown()
    server.server_close()
    assert answer.result == 1
    assert len(seen) == 3
    assert len(set(seen)) == 1


def test_a_service_that_is_not_there_is_not_reachable():
    with pytest.raises(NotReachable, match="connection refused"):
        Client("http://127.0.0.1:9", "t", retries=1).me()


@pytest.mark.parametrize("checker", ["mypy", "pyright"])
def test_type_checkers_read_a_program_that_uses_all_of_it(checker, tmp_path):
    wrong = tmp_path / "wrong.py"
    wrong.write_text(
        "from lentra.client import Client\n"
        "client = Client('http://lentra.example')\n"
        "client.calls.list_subnets(zome='nc-1')\n"
        "client.calls.show_zone('nc-1')['nmae']\n"
        "client.calls.request_subnets({'project': 'ticketing'})\n"
    )
    check = {
        "mypy": [sys.executable, "-m", "mypy", "--strict", f"--cache-dir={tmp_path}"],
        "pyright": [ROOT / "console/node_modules/.bin/pyright", "--pythonpath", sys.executable],
    }[checker]

    def run(path):
        return subprocess.run([*check, path], cwd=ROOT, capture_output=True, text=True, check=False)

    good, bad = run("tests/service/client_sample.py"), run(wrong)
    assert good.returncode == 0, good.stdout
    told = [line for line in bad.stdout.splitlines() if " error: " in line]
    assert [line.partition("wrong.py:")[2][0] for line in told] == ["3", "4", "5"], bad.stdout


def test_the_sample_does_what_it_says(live, planner, fresh_pool):
    pool = fresh_pool("10.40.64.0/27")
    assert sample.first_free(planner, pool) == "10.40.64.0/28"
    (subnet,) = planner.subnets.list(pool=pool)
    assert sample.rename(planner, subnet["id"], "gull-rock")["name"] == "gull-rock"
    assert "gull-rock" in sample.names_in(planner, "ml-1")
    with pytest.raises(NameTaken) as refused:
        sample.rename(planner, planner.request(pool=pool, **ASK).result["subnets"][0]["id"], "gull-rock")
    assert sample.way_out(refused.value)
    assert sample.without_a_service() == ("10.40.64.0/28", "fleet:quay")

    async def pools():
        async with AsyncClient(live.url, live.token("viewer")) as client:
            found = await sample.pools_of(client, "mainland")
            with pytest.raises(Missing):
                await client.calls.show_pool("no-such-pool")
            return found

    assert [p["name"] for p in apart(lambda: asyncio.run(pools()))] == [
        p["name"] for p in planner.pools.list(region="mainland")
    ]


ASK = {"project": "ticketing", "tier": "app", "zone": "ml-1", "length": 28}


def test_every_operation_is_a_method_and_none_besides(planner):
    ids = [told["operationId"] for methods in DOCUMENT["paths"].values() for told in methods.values()]
    assert len(operations()) == len(ids) == len(set(ids))
    assert planner.calls.report(realm="fleet").startswith("<!doctype html>")
    for call, args, named in (
        ("list_subnets", (), {"zome": "nc-1"}),
        ("show_zone", (), {}),
        ("show_zone", ("nc-1", {}), {}),
    ):
        with pytest.raises(TypeError):
            getattr(planner.calls, call)(*args, **named)
    with pytest.raises(AttributeError):
        planner.calls.list_ferries()


def test_a_service_in_memory_answers_every_operation_in_its_shape():
    service = FakeService()
    client = Client("http://lentra.example", transport=service, retries=0)
    for name, operation in operations().items():
        places = [1] * operation.path.count("{") + [{}] * operation.has_body
        if operation.path.startswith("subnets") and operation.path.count("/") < 2 and "{" in operation.path:
            continue  # those that it keeps itself
        if name not in ("subnet_release", "report"):
            assert getattr(client.calls, name)(*places) is not None or operation.path == "session"
    service.has_pool("quay", "10.40.64.0/29")
    wanted = {"pool": "quay", "project": "ticketing", "tier": "app", "length": 30}
    assert client.request(**wanted, preview=True).preview
    assert not list(client.subnets.list())
    first = client.request(**wanted, key="k").result["subnets"][0]
    assert client.request(**wanted, key="k").result["subnets"][0] == first  # once for each key
    client.request(**wanted)
    with pytest.raises(Problem, match="no /30 left") as full:
        client.request(**wanted)
    assert full.value.problem_code == "exhausted"
    client.release(first["name"])
    assert client.request(**wanted).result["subnets"][0]["blocks"] == first["blocks"]
    with pytest.raises(Missing):
        client.subnets.get(first["name"])
