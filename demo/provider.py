"""A small provider of networks and machines for the demo: an inventory, with a feed of changes. Nothing for real use.

python demo/provider.py PORT TOKEN INVENTORY.json

It answers GET /objects and GET /changes in the format lentra-inventory-1 to whoever has the token. It does what it is told
to, without one: POST /stop/NAME and /start/NAME (an interface), POST /subnet?range=…&region=…&name=… (a new one), POST
/remove/ID; POST /mishap/KIND makes its next answers those of `MISHAPS`, POST /mishap/none ends it.
"""

from __future__ import annotations

import json
import sys
import threading
import time
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from pathlib import Path
from typing import Any
from urllib.parse import parse_qsl, urlsplit

AT_ONCE = 5  # objects of a page: few, so that there are several
MISHAPS = {
    "none": "answers as they should be",
    "nonsense": "no JSON",
    "wrong": "objects with the wrong types",
    "outside": "ranges that are none",
    "endless": "pages that never end",
    "again": "the same page over and over",
    "many": "millions of addresses",
    "huge": "one answer of many megabytes",
    "slow": "a page that takes seconds",
    "down": "an error of its own",
    "forgetful": "a feed that does not go back so far",
}


class Provider:
    """What there is, by the identifier of each, and what has changed: before and after."""

    def __init__(self, objects: list[dict[str, Any]], token: str) -> None:
        self.objects = {one["id"]: one for one in objects}
        self.changes: list[dict[str, Any]] = []
        self.token, self.mishap = token, "none"
        self.lock = threading.Lock()

    def change(self, number: str, after: dict[str, Any] | None) -> None:
        """Have something be otherwise from now on."""
        with self.lock:
            self.changes.append({"before": self.objects.get(number), "after": after})
            if after is None:
                self.objects.pop(number, None)
            else:
                self.objects[number] = after

    def page(self, region: str, token: str) -> dict[str, Any]:
        """A page of the objects of a region, or of all."""
        with self.lock:
            there = [one for one in self.objects.values() if not region or one.get("region") == region]
            begin = int(token or 0)
            following = str(begin + AT_ONCE) if begin + AT_ONCE < len(there) else None
            told = there[begin : begin + AT_ONCE]
            if self.mishap == "slow":
                time.sleep(5)
            return self._told(objects=self._lied(told, begin), next=self._next(following, begin))

    def since(self, position: str) -> dict[str, Any]:
        """What has changed since a position."""
        with self.lock:
            return self._told(changes=self.changes[int(position or 0) :])

    def _told(self, **more: Any) -> dict[str, Any]:
        return {"format": "lentra-inventory-1", "position": str(len(self.changes)), **more}

    def _lied(self, told: list[dict[str, Any]], begin: int) -> list[dict[str, Any]]:
        if self.mishap == "wrong":
            return [{**one, "ranges": 12, "addresses": "all"} for one in told]
        if self.mishap == "outside":
            return [{"kind": "subnet", "id": "x", "ranges": ["10.41.300.0/24"]}]
        if self.mishap in ("endless", "many"):
            few = range(begin * 100, begin * 100 + (5000 if self.mishap == "many" else 1))
            return [
                {"kind": "interface", "id": f"i{n}", "addresses": [f"fd00::{n >> 16:x}:{n & 0xFFFF:x}"]}
                for n in few
            ]
        return told

    def _next(self, following: str | None, begin: int) -> str | None:
        if self.mishap == "again":
            return "0"
        return str(begin + 50) if self.mishap in ("endless", "many") else following


class Handler(BaseHTTPRequestHandler):
    provider: Provider

    def do_GET(self) -> None:
        asked = urlsplit(self.path)
        query = dict(parse_qsl(asked.query))
        provider = self.provider
        if self.headers.get("Authorization") != f"Bearer {provider.token}":
            self._answer(401, {"why": "no such token"})
        elif provider.mishap == "down":
            self._answer(500, {"why": "an error of its own"})
        elif provider.mishap == "nonsense":
            self._send(200, b"<html>an inventory, perhaps</html>")
        elif provider.mishap == "huge":
            self._send(200, b'{"objects": [' + b" " * (20 << 20))
        elif asked.path == "/objects":
            self._answer(200, provider.page(query.get("region", ""), query.get("page", "")))
        elif asked.path == "/changes" and provider.mishap == "forgetful":
            self._answer(410, {"why": "not so far back"})
        elif asked.path == "/changes":
            self._answer(200, provider.since(query.get("after", "")))
        else:
            self._answer(404, {"why": "nothing there"})

    def do_POST(self) -> None:
        asked = urlsplit(self.path)
        query = dict(parse_qsl(asked.query))
        verb, _, what = asked.path.strip("/").partition("/")
        provider = self.provider
        one = next((o for o in list(provider.objects.values()) if what in (o["id"], o.get("name"))), None)
        if verb == "mishap" and what in MISHAPS:
            provider.mishap = what
        elif verb in ("stop", "start") and one:
            provider.change(one["id"], {**one, "state": "stopped" if verb == "stop" else "running"})
        elif verb == "remove" and one:
            provider.change(one["id"], None)
        elif verb == "subnet" and "range" in query:
            number = f"sn-{len(provider.changes)}-{query['range']}"
            named = {name: query[name] for name in ("region", "name", "zone") if name in query}
            provider.change(number, {"kind": "subnet", "id": number, "ranges": [query["range"]], **named})
        else:
            self._answer(404, {"why": "nothing there"})
            return
        self._answer(200, {"done": asked.path})

    def _answer(self, status: int, told: dict[str, Any]) -> None:
        self._send(status, json.dumps(told).encode())

    def _send(self, status: int, body: bytes) -> None:
        self.send_response(status)
        self.send_header("Content-Type", "application/json")
        self.send_header("Content-Length", str(len(body)))
        self.end_headers()
        self.wfile.write(body)

    def log_message(self, *words: Any) -> None:
        """Nothing: the service tells what it asked."""


def main() -> None:
    port, token, file = int(sys.argv[1]), sys.argv[2], Path(sys.argv[3])
    Handler.provider = Provider(json.loads(file.read_text())["objects"], token)
    ThreadingHTTPServer(("127.0.0.1", port), Handler).serve_forever()


if __name__ == "__main__":
    main()
