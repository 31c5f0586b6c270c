"""A request id on every request and answer, for logs and for questions."""

from __future__ import annotations

import re
import uuid
from collections.abc import Callable

from django.http import HttpRequest, HttpResponse

from lentra.service.logs import request_id

_ACCEPTED = re.compile(r"[A-Za-z0-9._-]{1,64}")


class RequestIdMiddleware:
    """Takes the caller's X-Request-ID if it is a sane one, else makes one."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        given = request.headers.get("X-Request-ID", "")
        request.request_id = given if _ACCEPTED.fullmatch(given) else uuid.uuid4().hex
        mark = request_id.set(request.request_id)
        try:
            response = self.get_response(request)
        finally:
            request_id.reset(mark)
        response["X-Request-ID"] = request.request_id
        return response
