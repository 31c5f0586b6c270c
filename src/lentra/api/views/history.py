"""The past: who had an address or a range, from when to when."""

from __future__ import annotations

import json
from datetime import datetime
from typing import Any

from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from lentra.api.calls import asked, call
from lentra.api.pages import page_from, paged
from lentra.api.serializers.history import HistoryQuerySerializer, TenureSerializer
from lentra.registry.models import Tenure
from lentra.registry.reports.history import Place, place_of, tenures_over, told_tenures
from lentra.registry.transactions.clock import SystemClock


class HistoryView(APIView):
    @call(
        "Who had an address or a range, from when to when",
        query=HistoryQuerySerializer,
        responses=paged(TenureSerializer),
    )
    def get(self, request: Request) -> Response:
        values = asked(request)
        span = values.get("on")

        def read(since: Place | None, count: int) -> list[Tenure]:
            family, first, last = values["range"]
            which = {"realms": values.get("realm", []), "kinds": values.get("kind", []), "span": span}
            return tenures_over(family, first, last, count, **which, since=since)

        page = page_from(request, read, _text, lambda tenure: tenure, _place, None)
        page.data["results"] = told_tenures(page.data["results"], SystemClock().now(), span)
        return page


def _text(tenure: Tenure) -> str:
    """A place in the list, as a cursor has it."""
    first, length, begins, *numbers = place_of(tenure)
    return json.dumps([first, length, begins.isoformat(), *numbers])


def _place(text: str) -> Any:
    first, length, begins, *numbers = json.loads(text)
    return (first, length, datetime.fromisoformat(begins), *numbers)
