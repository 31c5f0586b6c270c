"""A small receiver of events: checks each signature and prints what it took. For the demo, and as an example.

LENTRA_ALERT_SECRET=… python demo/receiver.py 8470
"""

from __future__ import annotations

import base64
import hashlib
import hmac
import json
import os
import sys
import time
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer

OLDEST_SECONDS = 300
MOST_BYTES = 1_000_000


class Receiver(BaseHTTPRequestHandler):
    """Takes POSTs that are signed with the shared secret and not too old."""

    def do_POST(self) -> None:
        body = self.rfile.read(min(int(self.headers.get("Content-Length") or 0), MOST_BYTES))
        event_id, timestamp = self.headers.get("webhook-id", ""), self.headers.get("webhook-timestamp", "")
        signed = f"{event_id}.{timestamp}.".encode() + body
        digest = hmac.new(os.environ["LENTRA_ALERT_SECRET"].encode(), signed, hashlib.sha256).digest()
        given = self.headers.get("webhook-signature", "")
        fresh = timestamp.isdigit() and abs(time.time() - int(timestamp)) < OLDEST_SECONDS
        if not fresh or not hmac.compare_digest(given, "v1," + base64.b64encode(digest).decode()):
            self.send_error(401, "not signed with the shared secret, or too old")
            return
        event = json.loads(body)  # CloudEvents 1.0
        print(f"{event_id}  {event['type']:26}  {event['data']['name']}", flush=True)
        self.send_response(204)
        self.end_headers()

    def log_message(self, format: str, *args: object) -> None:
        """Nothing but what was taken is printed."""


if __name__ == "__main__":
    ThreadingHTTPServer(("127.0.0.1", int(sys.argv[1])), Receiver).serve_forever()
