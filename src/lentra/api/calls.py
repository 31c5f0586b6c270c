"""A call: what the OpenAPI document says of it, and its query, read strictly by what was said.

Every handler is described by `call`. What it does not describe is refused: unknown parameters, one that is given twice,
values that are none. A filter that is a list may be repeated: any of its values will do.
"""

from __future__ import annotations

import functools
from collections.abc import Callable
from typing import Any, TypeVar

from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.exceptions import ValidationError
from rest_framework.request import Request
from rest_framework.response import Response

from lentra.addressing.texts import misleading
from lentra.api.fields import AnyOf, OfPages, Strict, refuse_unknown
from lentra.api.files import list_as_file
from lentra.api.parsers import NOT_IN_TEXT

Handler = TypeVar("Handler", bound=Callable[..., Any])

NONE = ("none",)  # what no token with scopes reaches
CHANGING = ("POST", "PATCH", "DELETE")
_OF_CHANGES = ("preview", "why")


class AskingQuery(Strict):
    """What a planner is told with a request, should it wait for one."""

    needed_by = serializers.DateField(required=False, help_text="The day by which it is needed, should it wait.")
    link = AnyOf(
        serializers.CharField(max_length=500), help_text="A link that a planner finds more at, should it wait."
    )
    instead_of = serializers.IntegerField(
        required=False, min_value=1, help_text="Number of a waiting request that this one replaces."
    )


_OF_ASKING = tuple(AskingQuery().fields)
_LONGEST_PROPOSAL = 1_000_000


def call(
    summary: str,
    *,
    query: type[Strict] | None = None,
    own_proposal: bool = False,
    asking: bool = False,
    scopes: tuple[str, ...] = (),
    **described: Any,
) -> Callable[[Handler], Handler]:
    """Describe a handler of a view, and have its query read before it runs: see `asked`.

    Args:
        query: the serializer of the query; without one, the call takes no parameters of its own.
        own_proposal: the operation reads the token of a preview itself.
        asking: what it does may wait for a planner: it takes `AskingQuery` too, and may answer 202.
        scopes: what a token with scopes needs for it; if not said, what the view says: see `scopes_for`.
        described: what else `extend_schema` of drf-spectacular takes.
    """
    parameters = described.pop("parameters", []) + ([query] if query else []) + ([AskingQuery] if asking else [])
    if asking:
        done = described["responses"]
        done = done if isinstance(done, dict) else {200: done}
        described["responses"] = {**done, 202: next(iter(done.values()))}
    also = (*_OF_CHANGES, *(_OF_ASKING if asking else ()))

    def decorate(handler: Handler) -> Handler:
        @functools.wraps(handler)
        def answer(view: Any, request: Request, *args: Any, **kwargs: Any) -> Response:
            changes = request.method in CHANGING and getattr(view, "changes_registry", True)
            request.asked = _read(request, query, also if changes else ())
            if changes:
                request.preview, request.why = flag(request, "preview"), reason(request)
                request.said = _said(request) if asking else {}
                request.proposal = None if own_proposal else _taken_out(request)
                if "If-Match" in request.headers and ("ref" not in kwargs or not getattr(view, "versioned", True)):
                    raise ValidationError(
                        {"If-Match": ["the call changes nothing that was read before: leave it out"]}
                    )
            if query and issubclass(query, OfPages) and (form := request.asked.get("as")):
                return list_as_file(request, view, lambda: handler(view, request, *args, **kwargs), form)
            return _unless_known(request, handler(view, request, *args, **kwargs))

        answer.scopes = scopes  # type: ignore[attr-defined]
        return extend_schema(summary=summary, parameters=parameters, **described)(answer)  # type: ignore[return-value]

    return decorate


def scopes_for(view: Any, method: str) -> tuple[str, ...]:
    """The scopes that a token with scopes needs for a call of a view: all of these.

    Whatever changes nothing is open to each. What neither the call nor the view names is open to no such token.
    """
    if method not in CHANGING or not getattr(view, "changes_registry", True):
        return ()
    handler = getattr(view, method.lower(), None)
    return getattr(handler, "scopes", ()) or getattr(view, "scopes", NONE)


def asked(request: Request) -> dict[str, Any]:
    """The query of a call, as its serializer has read it."""
    return request.asked


def said_with(request: Request) -> dict[str, Any]:
    """What a planner is told with a request, as `AskingQuery` has read it."""
    return request.said


def _said(request: Request) -> dict[str, Any]:
    """What `AskingQuery` says; nothing is read where nothing is said."""
    given = request.query_params
    if not any(name in given for name in _OF_ASKING):
        return {}
    lists = _lists(AskingQuery)
    read = AskingQuery(
        data={name: given.getlist(name) if lists[name] else given[name] for name in _OF_ASKING if name in given}
    )
    read.is_valid(raise_exception=True)
    values = dict(read.validated_data)
    links = values.pop("link", [])
    return {**values, "links": links}


def _unless_known(request: Request, response: Any) -> Any:
    """304 in the place of a record that the caller has already, by its ETag (RFC 9110, 13.1.2)."""
    known, tag = request.headers.get("If-None-Match"), response.headers.get("ETag")
    if not known or not tag or request.method not in ("GET", "HEAD"):
        return response
    tags = {text.strip().removeprefix("W/") for text in known.split(",")}
    return Response(status=304, headers={"ETag": tag}) if tag in tags or "*" in tags else response


def _taken_out(request: Request) -> str | None:
    """The token of a preview, taken out of the body: what is left is the request that was previewed."""
    token = request.data.pop("proposal", None) if isinstance(request.data, dict) else None
    if token is None:
        return None
    if not isinstance(token, str) or len(token) > _LONGEST_PROPOSAL:
        raise ValidationError({"proposal": ["not a valid proposal token: take it from a preview as it is"]})
    return token


def reason(request: Request) -> str:
    """Why something is changed, as given."""
    why = request.query_params.get("why", "")
    if len(why) > 500:
        raise ValidationError({"why": ["it is to have 500 characters at most"]})
    if "\n" in why:
        raise ValidationError({"why": ["it is told in one line: leave the ends of lines out"]})
    if character := misleading(why):
        raise ValidationError({"why": [NOT_IN_TEXT.format(character)]})
    return why


def flag(request: Request, name: str) -> bool:
    """A yes-or-no query parameter."""
    value = request.query_params.get(name, "false").lower()
    if value not in ("true", "false", "1", "0", ""):
        raise ValidationError({name: [f"{value[:20]!r} is neither true nor false\ntrue\nfalse"]})
    return value in ("true", "1")


def _read(request: Request, query: type[Strict] | None, also: tuple[str, ...]) -> dict[str, Any]:
    given = request.query_params
    known = _lists(query) if query else {}  # type: ignore[arg-type]
    data: dict[str, Any] = {}
    for name in given:
        values = given.getlist(name)
        if name not in known and name not in also:
            refuse_unknown(name, [*known, *also], "parameter")
        if known.get(name):
            data[name] = values
        elif len(values) > 1 and not (name in also and name == "link"):
            raise ValidationError({name: [f"it is given {len(values)} times: give it once"]})
        elif name in known:
            data[name] = values[0]
    if query is None:
        return {}
    read = query(data=data)
    read.is_valid(raise_exception=True)
    return read.validated_data


@functools.cache
def _lists(query: type[Strict]) -> dict[str, bool]:
    """The parameters of a query, and which of them may be repeated."""
    return {name: isinstance(field, serializers.ListField) for name, field in query().fields.items()}
