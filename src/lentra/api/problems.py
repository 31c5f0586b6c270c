"""Problem documents (RFC 9457): every refusal in one shape, whatever it comes from."""

from __future__ import annotations

import logging
from typing import Any

from django.core.exceptions import RequestDataTooBig
from django.db import DatabaseError, InterfaceError, OperationalError, connection
from django.http import Http404, HttpRequest, HttpResponse, JsonResponse
from rest_framework import exceptions
from rest_framework.response import Response
from rest_framework.serializers import as_serializer_error

from lentra.addressing.refusal import Refusal
from lentra.api.changes import first_answer_to
from lentra.registry.errors import TooManyTries

logger = logging.getLogger(__name__)

PROBLEM_TYPE = "application/problem+json"


def problem(
    status: int,
    code: str,
    title: str,
    detail: str,
    *,
    field: str | None = None,
    received: object = None,
    rule: str | None = None,
    conflicts: list[Any] | None = None,
    suggestions: list[str] | None = None,
    errors: list[dict[str, Any]] | None = None,
) -> dict[str, Any]:
    """A problem document as a mapping; what does not apply is left out."""
    body: dict[str, Any] = {
        "type": f"/api/docs/problems#{code}",
        "status": status,
        "code": code,
        "title": title,
        "detail": detail,
    }
    if field:
        body["field"] = field
    if received is not None:
        body["received"] = str(received)[:200]
    for name, value in (
        ("rule", rule),
        ("conflicts", conflicts),
        ("suggestions", suggestions),
        ("errors", errors),
    ):
        if value:
            body[name] = value
    return body


def problem_of_refusal(refusal: Refusal, on_object: bool = False) -> dict[str, Any]:
    """The problem document of a refusal of the core or the registry."""
    status = refusal.status
    if refusal.code == "unknown-name" and not on_object:
        status = 400  # a name in the body, not the address of the call
    return problem(
        status,
        refusal.code,
        refusal.title,
        refusal.message,
        field=refusal.field,
        received=refusal.received,
        rule=refusal.rule,
        conflicts=[_plain(conflict) for conflict in refusal.conflicts],
        suggestions=refusal.suggestions,
    )


def problem_for(failure: Exception, context: dict[str, Any]) -> Response | None:
    """The answer to any exception of a view (Django REST framework's exception handler)."""
    headers: dict[str, str] = {}
    if isinstance(failure, Refusal | exceptions.ValidationError | Http404 | exceptions.NotFound):
        # A call that is refused before its change is tried may be the repeat of one that was done.
        try:
            if (request := context.get("request")) and (answer := first_answer_to(request)):
                return answer
        except (Refusal, exceptions.ValidationError, OperationalError, InterfaceError) as reused_or_lost:
            failure = reused_or_lost
    if isinstance(failure, Refusal):
        body = problem_of_refusal(failure, getattr(failure, "of_address", False))
    elif isinstance(failure, exceptions.ValidationError):
        body = _problem_of_validation(failure)
    elif isinstance(failure, exceptions.NotAuthenticated | exceptions.AuthenticationFailed):
        body = problem(401, "not-signed-in", "Not signed in", str(failure.detail))
        headers["WWW-Authenticate"] = getattr(failure, "auth_header", None) or "Bearer"
    elif isinstance(failure, exceptions.ParseError):
        body = problem(400, "malformed", "Not JSON", f"the body is no JSON: {failure.detail}", suggestions=["{}"])
    elif isinstance(failure, Http404 | exceptions.NotFound):
        body = problem(404, "not-found", "Not found", "there is nothing at this address")
    elif isinstance(failure, exceptions.APIException):
        code = str(failure.default_code).replace("_", "-")
        body = problem(failure.status_code, code, code.replace("-", " ").capitalize(), str(failure.detail))
    elif isinstance(failure, RequestDataTooBig):
        body = too_large(str(failure) if str(failure).startswith("the file") else "")
    elif isinstance(failure, OperationalError | InterfaceError):
        connection.close()
        logger.warning("database not reachable: %s", failure.args[:1])
        body = problem(503, "busy", "Try again", "the database cannot be reached: try again in a moment")
    elif isinstance(failure, DatabaseError):
        raise failure
    else:
        return None
    if isinstance(failure, exceptions.PermissionDenied) and "CSRF" in str(failure.detail):
        body = _no_csrf_token()
    if body["status"] == 503:
        headers["Retry-After"] = "1"
    if isinstance(failure, TooManyTries):
        headers["Retry-After"] = str(failure.seconds)
    return Response(body, status=body["status"], headers=headers, content_type=PROBLEM_TYPE)


def too_large(detail: str = "") -> dict[str, Any]:
    """A body that is larger than any call needs."""
    return problem(413, "too-large", "Body too large", detail or "the body is larger than 2 MB")


def csrf_failure(request: HttpRequest, reason: str = "") -> HttpResponse:
    """A request of a session without the token that proves it comes from the console."""
    return JsonResponse(_no_csrf_token(), status=403, content_type=PROBLEM_TYPE)


def _no_csrf_token() -> dict[str, Any]:
    return problem(403, "no-csrf-token", "CSRF token missing", "send the cookie lentra_csrf as X-CSRFToken")


def _problem_of_validation(failure: exceptions.ValidationError) -> dict[str, Any]:
    errors = list(_flat(as_serializer_error(failure), ""))
    first = errors[0]
    field, detail = first["field"], first["detail"]
    more = f" (and {len(errors) - 1} more)" if len(errors) > 1 else ""
    code = "unknown-field" if first["code"] == "unknown-field" else "invalid-value"
    return problem(
        400,
        code,
        "Unknown field" if code == "unknown-field" else "Value not accepted",
        f"{field}: {detail}{more}" if field else f"{detail}{more}",
        field=field or None,
        suggestions=first.get("suggestions"),
        errors=[{"field": e["field"], "detail": e["detail"]} for e in errors] if len(errors) > 1 else None,
    )


def _flat(detail: Any, path: str) -> Any:
    if isinstance(detail, dict):
        for key, value in detail.items():
            step = "" if key == "non_field_errors" else str(key)
            yield from _flat(value, ".".join(p for p in (path, step) if p))
    elif isinstance(detail, list):
        for n, value in enumerate(detail):
            yield from _flat(value, path if not isinstance(value, dict) else f"{path}[{n}]")
    else:
        code = getattr(detail, "code", "invalid")
        text, _, suggestions = str(detail).partition("\n")
        yield {
            "field": path,
            "detail": text,
            "code": code,
            "suggestions": suggestions.split("\n") if suggestions else None,
        }


def _plain(conflict: Any) -> dict[str, Any]:
    """A conflict as JSON: counts of addresses as text, as they may have 39 digits."""
    return {
        key: str(value) if key == "addresses" else value for key, value in conflict.items() if value is not None
    }
