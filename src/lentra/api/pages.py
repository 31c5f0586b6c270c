"""Cursor pagination: ``{"next": …, "previous": …, "results": […]}``, 100 a page, ``?limit=`` up to 1000."""

from __future__ import annotations

from base64 import b64decode, b64encode
from typing import Any
from urllib import parse

from django.core.signing import BadSignature, Signer
from rest_framework.exceptions import ValidationError
from rest_framework.pagination import Cursor, CursorPagination
from rest_framework.utils.urls import replace_query_param


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
            raise ValidationError(
                {self.cursor_query_param: ["it is not one that a page of this list gave: begin without it"]}
            )
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


def _signer(request: Any) -> Signer:
    return Signer(salt=f"lentra.cursor {request.path}")
