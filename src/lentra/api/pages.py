"""Cursor pagination: ``{"next": …, "previous": …, "results": […]}``, 100 a page, ``?limit=`` up to 1000.

`Pages` is for rows of a table; `page_of` for what is worked out as a whole: its cursor is a position.
"""

from __future__ import annotations

import json
from base64 import b64decode, b64encode
from collections.abc import Callable, Iterable, Iterator, Sequence
from functools import cache
from itertools import islice
from typing import Any
from urllib import parse

from django.core.signing import BadSignature, Signer
from django.http import StreamingHttpResponse
from rest_framework import serializers
from rest_framework.exceptions import ValidationError
from rest_framework.pagination import Cursor, CursorPagination
from rest_framework.renderers import JSONRenderer
from rest_framework.response import Response
from rest_framework.utils.urls import replace_query_param

LINES = "application/jsonl"
_LINES_AT_ONCE = 500
_encode = json.JSONEncoder(ensure_ascii=False, separators=(",", ":"), default=str).encode
_NOT_OURS = "it is not one that a page of this list gave: begin without it"


class Pages(CursorPagination):
    """A view names its orders in `orders` (word -> column); the first is the default."""

    page_size = 100
    page_size_query_param = "limit"
    max_page_size = 1000
    ordering = "id"

    def decode_cursor(self, request: Any) -> Cursor | None:
        """The cursor of a call: signed, so that only what a page gave is taken, and only by the same list."""
        given = request.query_params.get(self.cursor_query_param)
        if given is None:
            return None
        try:
            text = b64decode(_signer(request).unsign(given).encode()).decode()
        except (BadSignature, ValueError):
            raise ValidationError({self.cursor_query_param: [_NOT_OURS]})
        tokens = parse.parse_qs(text, keep_blank_values=True)
        return Cursor(int(tokens["o"][0]), bool(int(tokens["r"][0])), tokens.get("p", [None])[0])

    def encode_cursor(self, cursor: Cursor) -> str:
        """The address of a page."""
        tokens = {"o": cursor.offset, "r": int(cursor.reverse)}
        if cursor.position is not None:
            tokens["p"] = cursor.position
        text = _signer(self.request).sign(b64encode(parse.urlencode(tokens).encode()).decode())
        return str(replace_query_param(self.base_url, self.cursor_query_param, text))

    def get_paginated_response_schema(self, schema: Any) -> dict[str, Any]:
        link = {"type": ["string", "null"], "format": "uri"}
        return {
            "type": "object",
            "required": ["next", "previous", "results"],
            "properties": {"next": link, "previous": link, "results": schema},
        }

    def get_schema_operation_parameters(self, view: Any) -> list[Any]:
        return []  # each list's own query has them

    def get_ordering(self, request: Any, queryset: Any, view: Any) -> tuple[str, ...]:
        orders = getattr(view, "orders", {"oldest": self.ordering})
        word = request.query_params.get("order") or next(iter(orders))
        # Rows that are equal in the column come in the order of their numbers, always the same.
        return (orders.get(word, next(iter(orders.values()))), "pk")


def page_of(request: Any, rows: Sequence[Any], shown: Callable[[Any], Any] = lambda row: row) -> Response:
    """A page of rows that have been worked out, by the query's `limit` and `cursor`."""
    limit, given = request.asked["limit"], request.asked.get("cursor")
    start = _position(request, given) if given else 0
    return _turned(request, start, list(rows[start : start + limit + 1]), shown)


class LinesRenderer(JSONRenderer):
    """For whoever says that lines of JSON are taken (refusals are told as ever)."""

    media_type = LINES


def lines_of(rows: Iterable[Any]) -> StreamingHttpResponse:
    """Rows as lines of JSON, sent as they are read: in bounded memory, however many there are."""

    def text() -> Iterator[bytes]:
        rest = iter(rows)
        while part := list(islice(rest, _LINES_AT_ONCE)):
            yield b"".join(_encode(row).encode() + b"\n" for row in part)

    return StreamingHttpResponse(text(), content_type=LINES)


def page_read(
    request: Any, read: Callable[[int], Iterable[Any]], shown: Callable[[Any], Any] = lambda row: row
) -> Response:
    """A page of rows that are read one after the other, as far as the page needs them.

    Args:
        read: the rows from the first one on, of which so many are going to be read.
    """
    limit, given = request.asked["limit"], request.asked.get("cursor")
    start = _position(request, given) if given else 0
    end = start + limit + 1
    return _turned(request, start, list(islice(read(end), start, end)), shown)


def _turned(request: Any, start: int, part: list[Any], shown: Callable[[Any], Any]) -> Response:
    """A page with its rows, and those before and after it."""
    limit = request.asked["limit"]

    def link(position: int) -> str:
        address = request.build_absolute_uri()
        return str(replace_query_param(address, "cursor", _signer(request).sign(str(position))))

    return Response(
        {
            "next": link(start + limit) if len(part) > limit else None,
            "previous": link(max(0, start - limit)) if start else None,
            "results": [shown(row) for row in part[:limit]],
        }
    )


def page_from(
    request: Any,
    read: Callable[[Any, int], list[Any]],
    place: Callable[[Any], Any],
    shown: Callable[[Any], Any],
    meant: Callable[[str], Any] = int,
    start: Any = 0,
) -> Response:
    """A page of rows that are read from a place onward; its cursor is the place of the first row of the next.

    Args:
        read: the rows from a place, up to a count; `place`: that of a row, which is turned into text.
        meant: the place that such a text means; `start`: the first.
    """
    limit, given = request.asked["limit"], request.asked.get("cursor")
    part = read(_position(request, given, meant) if given else start, limit + 1)
    following = None
    if len(part) > limit:
        signed = _signer(request).sign(str(place(part[limit])))
        following = str(replace_query_param(request.build_absolute_uri(), "cursor", signed))
    return Response({"next": following, "previous": None, "results": [shown(row) for row in part[:limit]]})


def _position(request: Any, given: str, meant: Callable[[str], Any] = int) -> Any:
    try:
        return meant(_signer(request).unsign(given))
    except (BadSignature, ValueError):
        raise ValidationError({"cursor": [_NOT_OURS]})


@cache
def paged(row: type[serializers.Serializer]) -> type[serializers.Serializer]:
    """The serializer of such a page, for the OpenAPI document."""
    name = row.__name__.removesuffix("Serializer")
    link = {"allow_null": True, "help_text": "Address of the page, null at the end."}
    fields = {
        "next": serializers.URLField(**link),
        "previous": serializers.URLField(**link),
        "results": row(many=True),
    }
    return type(f"PageOf{name}Serializer", (serializers.Serializer,), {**fields, "__doc__": "A page."})


def _signer(request: Any) -> Signer:
    return Signer(salt=f"lentra.cursor {request.path}")
