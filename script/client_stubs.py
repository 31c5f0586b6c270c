"""Writes what type checkers know of the client library, from the OpenAPI document: records.pyi and calls.pyi.

python script/client_stubs.py records|calls
"""

from __future__ import annotations

import json
import re
import sys
import textwrap
from typing import Any

from lentra.client.calls import Operation, document, operations, python_name, snake

DOCUMENT = document()
SCHEMAS: dict[str, Any] = DOCUMENT["components"]["schemas"]
SIMPLE = {"string": "str", "integer": "int", "number": "float", "boolean": "bool", "null": "None"}
WIDTH = 115
HEAD = "# Written by script/client_stubs.py from the OpenAPI document: `script/lint --fix` writes it anew.\n"


def type_of(schema: dict[str, Any], inside: str = "") -> str:
    """The Python type of a JSON schema; `inside` is put before the names of records."""
    if "$ref" in schema:
        return named(schema["$ref"].rsplit("/", 1)[1], inside)
    if "enum" in schema:
        return f"Literal[{', '.join(json.dumps(v) if v is not None else 'None' for v in schema['enum'])}]"
    for word in ("oneOf", "anyOf", "allOf"):
        if word in schema:
            return " | ".join(dict.fromkeys(type_of(one, inside) for one in schema[word]))
    kinds = schema.get("type")
    kinds = kinds if isinstance(kinds, list) else [kinds]
    return " | ".join(_plain_type(kind, schema, inside) for kind in kinds)


def _plain_type(kind: str | None, schema: dict[str, Any], inside: str) -> str:
    if kind == "array":
        return f"list[{type_of(schema.get('items', {}), inside)}]"
    if kind == "object":
        values = schema.get("additionalProperties")
        return f"dict[str, {type_of(values, inside) if isinstance(values, dict) else 'Any'}]"
    return SIMPLE.get(kind or "", "Any")


def named(name: str, inside: str) -> str:
    """A component: pages and answers of changes are generic, all others records of their own."""
    properties = SCHEMAS[name].get("properties", {})
    if set(properties) == {"next", "previous", "results"}:
        return f"Page[{type_of(properties['results']['items'], inside)}]"
    if SCHEMAS[name] == {"type": "null"}:
        return "None"
    if {"preview", "result", "proposal"} <= set(properties):
        return f"Answer[{type_of(properties['result'], inside)}]"
    return inside + name


def records() -> str:
    """A TypedDict for each record of the document."""
    out = [HEAD + "from typing import Any, Literal, NotRequired, TypedDict"]
    for name in (name for name in SCHEMAS if named(name, "") == name):
        schema = SCHEMAS[name]
        if "properties" not in schema:
            out.append(f"{name} = {type_of(schema)}")
            continue
        fields = {
            field: type_of(one) if field in schema.get("required", []) else f"NotRequired[{type_of(one)}]"
            for field, one in schema["properties"].items()
        }
        if all(field.isidentifier() and python_name(field) == field for field in fields):
            out += [f"class {name}(TypedDict):", *(f"    {field}: {kind}" for field, kind in fields.items())]
        else:
            out.append(
                f'{name} = TypedDict("{name}", {{' + ", ".join(f'"{f}": {k}' for f, k in fields.items()) + "})"
            )
    return "\n".join(out) + "\n"


def calls() -> str:
    """One method for each operation; for a program that waits, and for asyncio."""
    out = [HEAD + IMPORTS]
    for name, lead, answer in (
        ("Calls", "def", "httpx.Response"),
        ("AsyncCalls", "async def", "Awaitable[httpx.Response]"),
    ):
        out += [
            f"class {name}:",
            f"    def __init__(self, call: Callable[..., {answer}]) -> None: ...",
            EVERY[name],
        ]
        for path, methods in DOCUMENT["paths"].items():
            for method, told in methods.items():
                out.append(_method(lead, operations()[snake(told["operationId"])], told, path, method))
    return "\n".join(out) + "\n"


IMPORTS = """\
from collections.abc import AsyncIterator, Awaitable, Callable, Iterator, Sequence
from typing import Any, Literal, ParamSpec, TypeVar

import httpx

from lentra.client import records as r
from lentra.client.answers import Answer, Page

P = ParamSpec("P")
Row = TypeVar("Row")

class Operation:
    method: str
    path: str
    query: dict[str, str]
    has_body: bool
    changes: bool

def document() -> dict[str, Any]: ...
def operations() -> dict[str, Operation]: ...
def snake(name: str) -> str: ...
def python_name(name: str) -> str: ...
"""
_EVERY = "    def every(self, operation: Callable[P, {}], *args: P.args, **query: P.kwargs) -> {}: ..."
EVERY = {
    "Calls": _EVERY.format("Page[Row]", "Iterator[Row]"),
    "AsyncCalls": _EVERY.format("Awaitable[Page[Row]]", "AsyncIterator[Row]"),
}


def _method(lead: str, operation: Operation, told: dict[str, Any], path: str, method: str) -> str:
    """A method's line."""
    parameters = {p["name"]: p for p in told.get("parameters", [])}
    given = ["self"]
    given += [f"{name}: str | int" for name, p in parameters.items() if p["in"] == "path"]
    if operation.has_body:
        body = told["requestBody"]
        kind = type_of(body["content"]["application/json"]["schema"], "r.")
        given.append(f"body: {kind}" if body.get("required") else f"body: {kind} | None = None")
    named_ones = [_query(name, parameters[in_api]) for name, in_api in operation.query.items()]
    if operation.changes:
        named_ones += ["preview: bool = False", 'why: str = ""', "proposal: str | None = None"]
        named_ones += ["key: str | None = None"] if method == "post" else []
        named_ones += ["version: int | None = None"] if "If-Match" in parameters else []
    given += ["*", *named_ones] if named_ones else []
    code = next(code for code in sorted(told["responses"]) if code.startswith("2"))
    content = told["responses"][code].get("content", {})
    back = "str" if content else "None"
    if "application/json" in content:
        back = type_of(content["application/json"]["schema"], "r.")
    line = f"{_whole(lead)}~{snake(told['operationId'])}({_quotes_whole(', '.join(given))}){_whole(f' -> {back}: ...')}"
    filled = textwrap.fill(
        line,
        WIDTH,
        initial_indent="    ",
        subsequent_indent="        ",
        break_on_hyphens=False,
        break_long_words=False,
    )
    return filled.replace("~", " ")


def _quotes_whole(text: str) -> str:
    return re.sub(r'"[^"]*"', lambda quoted: _whole(quoted[0]), text)


def _whole(text: str) -> str:
    """A text that is not broken into lines."""
    return text.replace(" ", "~")


def _query(name: str, parameter: dict[str, Any]) -> str:
    kind = type_of(parameter["schema"])
    if parameter["schema"].get("type") == "array":
        one = type_of(parameter["schema"]["items"])
        kind = f"{one} | Sequence[{one}]"
    return f"{name}: {kind}" if parameter.get("required") else f"{name}: {kind} | None = None"


if __name__ == "__main__":
    print({"records": records, "calls": calls}[sys.argv[1]](), end="")
