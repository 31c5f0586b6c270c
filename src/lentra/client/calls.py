"""Every operation of the API as a method, as the OpenAPI document describes it: `Calls` waits for its answers,
`AsyncCalls` is for asyncio. What each takes and gives is in calls.pyi, for type checkers.

A method is named as its operation, in Python's way: ``listSubnets`` is `list_subnets`. The parts of its path come first,
then the body; parameters of the query are named. A changing one also takes `preview`, `why`, `proposal`, an idempotency
`key` and the `version` that was read, and gives an `Answer`.
"""

from __future__ import annotations

import json
import keyword
import re
from collections.abc import AsyncIterator, Awaitable, Callable, Iterator, Mapping
from dataclasses import dataclass
from functools import cache, partial
from importlib.resources import files
from typing import TYPE_CHECKING, Any

from lentra.client.answers import Answer, part
from lentra.client.calling import next_cursor, of_change

if TYPE_CHECKING:
    import httpx

_OF_CHANGES = ("preview", "why", "proposal", "key", "version")


@dataclass(frozen=True)
class Operation:
    """One operation of the API: its method, its path below ``/api/v1/``, and what goes with it."""

    method: str
    path: str
    query: dict[str, str]  # Python's name -> the API's
    has_body: bool
    changes: bool

    @property
    def safe(self) -> bool:
        """Whether it changes nothing, although it is no GET."""
        return not self.changes and self.path != "session"

    def request(self, args: tuple[Any, ...], named: Mapping[str, Any]) -> dict[str, Any]:
        """The arguments of a call.

        Raises:
            TypeError: something is missing, or is no parameter of it.
        """
        places = re.findall(r"\{(\w+)\}", self.path)
        most = len(places) + self.has_body
        named = dict(named)
        if self.has_body and len(args) < most and "body" in named:
            args += (named.pop("body"),)
        if not len(places) <= len(args) <= most:
            raise TypeError(
                f"{self.method} {self.path} takes {most} positional arguments, and {len(args)} are given"
            )
        unknown = set(named) - set(self.query) - set(_OF_CHANGES if self.changes else ())
        if unknown:
            raise TypeError(f"{sorted(unknown)[0]} is no parameter of {self.method} {self.path}")
        path = self.path.format(**{place: part(value) for place, value in zip(places, args, strict=False)})
        body = args[len(places)] if len(args) > len(places) else None
        if self.changes:
            given = {"preview": False, "why": "", "proposal": None, "key": None, "version": None} | named
            return {"method": self.method, "path": path, **of_change(self.method, body, **given)}
        query = {self.query[name]: value for name, value in named.items()}
        return {"method": self.method, "path": path, "query": query, "body": body, "safe": self.safe}

    def read(self, answer: httpx.Response) -> Any:
        """What an answer says: a page or record, an `Answer` to a change, text, or nothing."""
        if self.changes:
            return Answer.of(answer)
        if answer.status_code == 204:
            return None
        said = answer.headers.get("Content-Type", "")
        if "spreadsheet" in said:
            return answer.content
        if "jsonl" in said:
            return [json.loads(line) for line in answer.text.splitlines()]
        return answer.json() if "json" in said else answer.text


@cache
def document() -> dict[str, Any]:
    """The OpenAPI document of the API."""
    return dict(json.loads((files("lentra") / "api/openapi.json").read_text()))


@cache
def operations() -> dict[str, Operation]:
    """All operations of the API, by their methods' names."""
    return {
        snake(told["operationId"]): _operation(method, path, told)
        for path, methods in document()["paths"].items()
        for method, told in methods.items()
    }


def _operation(method: str, path: str, told: dict[str, Any]) -> Operation:
    names = [p["name"] for p in told.get("parameters", []) if p["in"] == "query"]
    content = told.get("requestBody", {}).get("content", {})
    return Operation(
        method.upper(),
        path.removeprefix("/api/v1/"),
        {python_name(name): name for name in names if name not in ("preview", "why")},
        "application/json" in content,
        "preview" in names,
    )


def snake(name: str) -> str:
    """``list_subnets`` of ``listSubnets``."""
    return re.sub(r"(?<!^)(?=[A-Z])", "_", name).lower()


def python_name(name: str) -> str:
    """A parameter's name as Python can have it."""
    return name + "_" if keyword.iskeyword(name) else name.replace("-", "_")


class Calls:
    """The operations of the API, one method each.

    Example:
        >>> calls = Client(url, token).calls
        >>> calls.show_zone("nc-1")["region"]["name"]
        'north-coast'
        >>> [tier["name"] for tier in calls.every(calls.list_tiers)]
        ['app', 'data', 'edge', 'ops']
    """

    def __init__(self, call: Callable[..., httpx.Response]) -> None:
        self._call = call

    def __getattr__(self, name: str) -> Callable[..., Any]:
        if name not in operations():
            raise AttributeError(f"the API has no operation {name}")
        return partial(self._run, operations()[name])

    def _run(self, operation: Operation, *args: Any, **named: Any) -> Any:
        return operation.read(self._call(**operation.request(args, named)))

    def every(self, operation: Callable[..., Any], *args: Any, **query: Any) -> Iterator[Any]:
        """All rows of a list, page after page as they are needed."""
        page = operation(*args, **query)
        yield from page["results"]
        while cursor := next_cursor(page):
            page = operation(*args, **query | cursor)
            yield from page["results"]


class AsyncCalls:
    """The operations of the API, one method each, for asyncio."""

    def __init__(self, call: Callable[..., Awaitable[httpx.Response]]) -> None:
        self._call = call

    def __getattr__(self, name: str) -> Callable[..., Any]:
        if name not in operations():
            raise AttributeError(f"the API has no operation {name}")
        return partial(self._run, operations()[name])

    async def _run(self, operation: Operation, *args: Any, **named: Any) -> Any:
        return operation.read(await self._call(**operation.request(args, named)))

    async def every(self, operation: Callable[..., Any], *args: Any, **query: Any) -> AsyncIterator[Any]:
        """All rows of a list, page after page as they are needed."""
        cursor: dict[str, str] | None = {}
        while cursor is not None:
            page = await operation(*args, **query | cursor)
            for row in page["results"]:
                yield row
            cursor = next_cursor(page)
