"""A service without a service, for the tests of programs that use the client: it lives in memory and answers at once.

Example:
    >>> service = FakeService()
    >>> service.has_pool("quay", "10.40.64.0/20")
    >>> client = Client("http://lentra.example", transport=service)
    >>> client.request(pool="quay", project="ticketing", tier="app", length=26).result["subnets"][0]["blocks"][0]["prefix"]
    '10.40.64.0/26'
    >>> service.answers("verify", {"clean": True, "checked": {}, "offences": []})
    >>> client.verify()["clean"]
    True
    >>> [name for name, _ in service.asked]
    ['request_subnets', 'verify']
"""

from __future__ import annotations

import json
import re
from collections.abc import Mapping
from ipaddress import ip_network
from typing import Any

import httpx

from lentra.client.calls import document, operations

_SIMPLE: dict[str, Any] = {"string": "", "integer": 0, "number": 0.0, "boolean": False, "object": {}, "array": []}


class FakeService(httpx.BaseTransport, httpx.AsyncBaseTransport):
    """Stands in for the network of a `Client` or an `AsyncClient`.

    Pools that it is given hand out subnets by length (the lowest place that is free), list, show and release them. Every
    other operation gives what was said by `answers` or `refuses`, or something of the right shape with nothing in it.

    Attributes:
        asked: the operations that were called, in order, each with its body.
    """

    def __init__(self) -> None:
        self.asked: list[tuple[str, Any]] = []
        self._pools: dict[str, Any] = {}
        self._subnets: dict[str, dict[str, Any]] = {}
        self._given: dict[str, tuple[int, Any]] = {}
        self._first: dict[str, httpx.Response] = {}  # by idempotency key
        self._count = 0

    def has_pool(self, name: str, prefix: str) -> None:
        """A pool that hands out of a prefix."""
        self._pools[name] = ip_network(prefix)

    def answers(self, operation: str, answer: Any, status: int = 200) -> None:
        """What an operation answers from now on, by the name of its method: a record, a page, the result of a change."""
        if operation not in operations():
            raise ValueError(f"the API has no operation {operation}")
        self._given[operation] = (status, answer)

    def refuses(self, operation: str, code: str, detail: str, status: int = 409, **more: Any) -> None:
        """What an operation is refused with from now on: the parts of a problem document."""
        self.answers(operation, {"code": code, "detail": detail, "status": status, **more}, status)

    def handle_request(self, request: httpx.Request) -> httpx.Response:
        """Answers a call of a `Client`."""
        name, ref = _operation(request)
        if name is None:
            return _problem(404, "not-found", f"there is nothing at {request.url.path}")
        body = json.loads(request.content) if request.content else None
        self.asked.append((name, body))
        key = request.headers.get("Idempotency-Key")
        if key in self._first:
            return self._first[key]
        preview = request.url.params.get("preview") == "true"
        answer = self._answer(name, ref, body or {}, preview)
        if key and answer.is_success:
            self._first[key] = answer
        return answer

    async def handle_async_request(self, request: httpx.Request) -> httpx.Response:
        """Answers a call of an `AsyncClient`."""
        await request.aread()
        return self.handle_request(request)

    def _answer(self, name: str, ref: str, body: Mapping[str, Any], preview: bool) -> httpx.Response:
        operation = operations()[name]
        status, result = 200, self._given.get(name)
        if result is not None:
            status, told = result
            if status >= 400:
                return httpx.Response(status, json=told)
        elif name == "request_subnets" and body.get("pool") in self._pools:
            return self._hand_out(body, preview)
        elif name in ("show_subnet", "subnet_release"):
            if ref not in self._subnets:
                return _problem(
                    404, "unknown-name", f"there is no subnet {ref}", suggestions=list(self._subnets)[:5]
                )
            told = self._subnets[ref]
            if name == "subnet_release" and not preview:
                del self._subnets[ref]
        elif name == "list_subnets" and self._pools:
            told = {"next": None, "previous": None, "results": list(self._subnets.values())}
        else:
            told = _empty(name)
        return _changed(told, preview, status) if operation.changes else httpx.Response(status, json=told)

    def _hand_out(self, body: Mapping[str, Any], preview: bool) -> httpx.Response:
        whole, length = self._pools[body["pool"]], body.get("length") or 26
        taken = [ip_network(b["prefix"]) for s in self._subnets.values() for b in s["blocks"]]
        free = (place for place in whole.subnets(new_prefix=length) if not any(place.overlaps(t) for t in taken))
        made = []
        for _, place in zip(range(body.get("count") or 1), free, strict=False):
            self._count += 1
            name = body.get("name") or f"{body['project']}-{body['tier']}-{self._count:02d}"
            block = {"prefix": str(place), "family": place.version, "first": str(place[0]), "last": str(place[-1])}
            block |= {"total": str(place.num_addresses), "usable": None}
            refs = {
                field: {"id": 1, "name": body[field]}
                for field in ("pool", "project", "tier", "zone")
                if body.get(field)
            }
            facts = {"id": self._count, "version": self._count, "name": name, "state": "active", "blocks": [block]}
            made.append(_empty("show_subnet") | refs | facts)
        if len(made) < (body.get("count") or 1):
            return _problem(
                409,
                "exhausted",
                f"pool {body['pool']} has no /{length} left",
                rule="only free space is handed out",
            )
        if not preview:
            self._subnets |= {subnet["name"]: subnet for subnet in made}
        return _changed(
            {"subnets": made, "why": ["the lowest place that is free"]}, preview, 200 if preview else 201
        )


def _operation(request: httpx.Request) -> tuple[str | None, str]:
    """The operation that is called, and the record that its path names."""
    path = request.url.path.removeprefix("/api/v1/")
    for name, operation in operations().items():
        pattern = re.sub(r"\\\{\w+\\\}", "([^/]+)", re.escape(operation.path))
        if operation.method == request.method and (found := re.fullmatch(pattern, path)):
            return name, (found.groups() or ("",))[0].rpartition(":")[2]
    return None, ""


def _changed(result: Any, preview: bool, status: int) -> httpx.Response:
    told = {
        "preview": preview,
        "result": result,
        "notes": [],
        "changes": [],
        "proposal": "shown" if preview else None,
    }
    return httpx.Response(status, json=told)


def _problem(status: int, code: str, detail: str, **more: Any) -> httpx.Response:
    return httpx.Response(status, json={"status": status, "code": code, "title": code, "detail": detail, **more})


def _empty(name: str) -> Any:
    """Something that has the shape of an operation's answer, with nothing in it."""
    operation = operations()[name]
    told = document()["paths"]["/api/v1/" + operation.path][operation.method.lower()]["responses"]
    content = next(told[code] for code in sorted(told) if code.startswith("2")).get("content", {})
    shape = _shape(content.get("application/json", {}).get("schema", {}))
    return shape["result"] if operation.changes else shape


def _shape(schema: Mapping[str, Any]) -> Any:
    if "$ref" in schema:
        return _shape(document()["components"]["schemas"][schema["$ref"].rsplit("/", 1)[1]])
    if "enum" in schema:
        return schema["enum"][0]
    for word in ("allOf", "oneOf", "anyOf"):
        if word in schema:
            return None if {"type": "null"} in schema[word] else _shape(schema[word][0])
    kinds = schema.get("type")
    if isinstance(kinds, list):
        return None if "null" in kinds else _shape({**schema, "type": kinds[0]})
    if "properties" in schema:
        needed = schema.get("required", list(schema["properties"]))
        return {field: _shape(schema["properties"][field]) for field in needed}
    return _SIMPLE.get(kinds or "")
