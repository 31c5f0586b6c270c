"""The client library: its documented examples, and its retries."""

import doctest
import threading
from http.server import BaseHTTPRequestHandler, HTTPServer

import pytest

import lentra.client
import lentra.client.client
import lentra.client.collections
from lentra.client import Client, NotReachable


@pytest.mark.parametrize("module", [lentra.client, lentra.client.client, lentra.client.collections])
def test_the_examples_in_docstrings_work(live, module):
    names = {"url": live.url, "token": live.token("planner"), "Client": Client}
    found = doctest.testmod(module, extraglobs=names)
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
