"""What every request goes through: an id for logs and questions, bodies that come in chunks, answers that nobody keeps."""

from __future__ import annotations

import re
import threading
import uuid
from collections.abc import Callable
from io import BytesIO
from typing import Any

from django.conf import settings
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.http.response import HttpResponseBase
from django.middleware.gzip import GZipMiddleware
from django.utils.cache import get_conditional_response, set_response_etag

from lentra.api.problems import PROBLEM_TYPE, problem, too_large
from lentra.service.logs import request_id

ALIVE = "/healthz"
Answer = Callable[[HttpRequest], Any]

_WORTH_PACKING = 1000  # bytes

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


def take_turns(answer: Answer) -> Answer:
    """Middleware: so many requests at once, some wait, more are told to come back: threads are left to say that we live."""
    turns = threading.BoundedSemaphore(settings.AT_ONCE)
    waiting = threading.BoundedSemaphore(settings.MAY_WAIT)

    def middleware(request: HttpRequest) -> HttpResponse:
        if request.path == ALIVE:
            return answer(request)
        if not turns.acquire(blocking=False):
            if not waiting.acquire(blocking=False):
                return _come_back()
            try:
                if not turns.acquire(timeout=settings.WAIT_SECONDS):
                    return _come_back()
            finally:
                waiting.release()
        request.turns = turns  # for whoever waits, and lets others have the turn
        try:
            return answer(request)
        finally:
            turns.release()

    return middleware


def _come_back() -> HttpResponse:
    body = problem(
        503, "busy", "Try again", "too many requests at once: nothing was changed; try again in a moment"
    )
    return JsonResponse(body, status=503, content_type=PROBLEM_TYPE, headers={"Retry-After": "1"})


def read_chunks(answer: Answer) -> Answer:
    """Middleware: reads a body that comes in chunks (RFC 9112, section 7.1), which Django takes for none."""

    def middleware(request: HttpRequest) -> HttpResponse:
        if "chunked" in request.META.get("HTTP_TRANSFER_ENCODING", "").lower():
            body = request.META["wsgi.input"].read(settings.DATA_UPLOAD_MAX_MEMORY_SIZE + 1)
            if len(body) > settings.DATA_UPLOAD_MAX_MEMORY_SIZE:
                refused = JsonResponse(too_large(), status=413, content_type=PROBLEM_TYPE)
                refused["Connection"] = "close"  # the rest of the body is not read
                return refused
            request.META["CONTENT_LENGTH"] = str(len(body))
            request._stream = BytesIO(body)
        return answer(request)

    return middleware


def answer_briefly(answer: Answer) -> Answer:
    """Middleware: what is only looked at has an ETag (RFC 9110, 8.8.3), is not sent again to who has it, and is compressed.

    Where a record's version is its ETag, all that is left as it is.
    """
    pack = GZipMiddleware(answer)

    def middleware(request: HttpRequest) -> HttpResponseBase:
        response = answer(request)
        looks = request.method == "GET" and response.status_code == 200
        if not looks or "ETag" in response or not request.path.startswith("/api/"):
            return response
        if isinstance(response, HttpResponse):
            set_response_etag(response)
            if len(response.content) < _WORTH_PACKING:
                return get_conditional_response(request, response["ETag"], None, response)
            response = get_conditional_response(request, response["ETag"], None, response)
        return pack.process_response(request, response)

    return middleware


def keep_nothing(answer: Answer) -> Answer:
    """Middleware: no cache keeps an answer of the API, unless it says so itself."""

    def middleware(request: HttpRequest) -> HttpResponse:
        response = answer(request)
        if request.path.startswith("/api/") and "Cache-Control" not in response:
            response["Cache-Control"] = "no-store"
        return response

    return middleware
