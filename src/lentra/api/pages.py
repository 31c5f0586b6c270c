"""Cursor pagination: ``{"next": …, "previous": …, "results": […]}``, 100 a page, ``?limit=`` up to 1000."""

from __future__ import annotations

from typing import Any

from rest_framework.pagination import CursorPagination


class Pages(CursorPagination):
    """A view names its orders in `orders` (word -> column); the first is the default."""

    page_size = 100
    page_size_query_param = "limit"
    max_page_size = 1000
    ordering = "id"

    def get_paginated_response_schema(self, schema: Any) -> dict[str, Any]:
        link = {"type": ["string", "null"], "format": "uri"}
        return {
            "type": "object",
            "required": ["next", "previous", "results"],
            "properties": {"next": link, "previous": link, "results": schema},
        }

    def get_ordering(self, request: Any, queryset: Any, view: Any) -> tuple[str, ...]:
        orders = getattr(view, "orders", {"oldest": self.ordering})
        word = request.query_params.get("order") or next(iter(orders))
        # Rows that are equal in the column come in the order of their numbers, always the same.
        return (orders.get(word, next(iter(orders.values()))), "pk")
