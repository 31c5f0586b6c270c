"""A receiver of events within a test: takes them, or is away."""

import json
import threading
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer


class Taker:
    """Takes events at `url`; `answers` are the statuses that it gives next, `taken` the events, `tried` all their ids."""

    def __init__(self, port: int = 0) -> None:
        taker = self

        class Handler(BaseHTTPRequestHandler):
            protocol_version = "HTTP/1.1"

            def do_POST(self):
                event = json.loads(self.rfile.read(int(self.headers["Content-Length"])))
                status = taker.answers.pop(0) if taker.answers else 204
                taker.tried.append(event["id"])
                if status == 204:
                    taker.taken.append(event)
                self.send_response(status)
                self.send_header("Location", "http://127.0.0.1:1/")
                self.send_header("Content-Length", "0")
                self.end_headers()

            def log_message(self, *args):
                pass

        self.answers, self.taken, self.tried = [], [], []
        self._server = ThreadingHTTPServer(("127.0.0.1", port), Handler)
        self.url = f"http://127.0.0.1:{self._server.server_port}/hook"
        threading.Thread(target=self._server.serve_forever, daemon=True).start()

    def stop(self) -> None:
        self._server.shutdown()
        self._server.server_close()
