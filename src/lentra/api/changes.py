"""Running a change for a call: preview, reason, idempotency key, edit version, and one shape of answer."""

from __future__ import annotations

import json
from collections.abc import Callable
from functools import cache
from typing import Any, TypeVar

from django.utils.crypto import salted_hmac
from rest_framework import serializers
from rest_framework.exceptions import ValidationError
from rest_framework.request import Request
from rest_framework.response import Response

from lentra.api.calls import flag
from lentra.registry.models import WaitingRequest
from lentra.registry.operations.waiting.ask import MustWait, keep_waiting
from lentra.registry.transactions.change import Change
from lentra.registry.transactions.clock import SystemClock
from lentra.registry.transactions.proposals import seal_change
from lentra.registry.transactions.run import Outcome, first_answer, run_transaction

Result = TypeVar("Result")


def run_change(
    request: Request,
    work: Callable[[Change], Result],
    render: Callable[[Result], Any],
    status: int = 200,
    token: Callable[[Result], str] | None = None,
    kept: Callable[[Any], Any] = lambda answer: answer,
    key_with_lock: bool = False,
) -> Response:
    """Run `work` as one change and answer with what it made.

    The answer is ``{"preview", "result", "notes", "changes", "proposal", "waits"}``; `changes` are the ledger entries
    written, or those that would be. Where it waits for a planner, `waits` says why; then there is no result, but in a
    preview what it would be once it is granted.
    """
    preview, digest = getattr(request, "preview", False), _digest(request)
    key = None if preview else read_key(request)

    def answer(result: Result, change: Change) -> dict[str, Any]:
        changes = [
            {
                "entry": None if preview else entry.number,
                "verb": entry.verb,
                "kind": entry.kind,
                "name": entry.name,
                "before": entry.before,
                "after": entry.after,
            }
            for entry in change.entries[:50]
        ]
        return {
            "preview": preview,
            "result": render(result),
            "notes": change.notes,
            "changes": changes,
            "proposal": _proposal(token, result, change, digest) if preview else None,
            "waits": change.waits.told() if change.waits else None,
        }

    def waiting(kept: WaitingRequest, change: Change) -> dict[str, Any]:
        return {
            "preview": False,
            "result": None,
            "notes": change.notes,
            "changes": [],
            "proposal": None,
            "waits": must.waits.told(kept),
        }

    common: dict[str, Any] = {
        "actor": request.user,
        "why": getattr(request, "why", ""),
        "key": key,
        "digest": digest,
    }
    try:
        outcome = run_transaction(
            work,
            **common,
            preview=preview,
            proposal=None if preview else getattr(request, "proposal", None),
            render=answer,
            kept=kept,
            status=status,
            key_with_lock=key_with_lock,
        )
    except MustWait as stopped:
        must = stopped
        outcome = run_transaction(
            lambda change: keep_waiting(change, must.waits), **common, render=waiting, status=202
        )
    return _response(request, outcome, 200 if preview else outcome.status, preview)


def _proposal(token: Callable[[Any], str] | None, result: Any, change: Change, digest: str) -> str | None:
    """The token by which exactly this is done: the operation's own, or that of any change."""
    return (token(result) or None) if token else seal_change(digest, change.own_entries)


def first_answer_to(request: Request) -> Response | None:
    """The answer that a repeated call got the first time, whatever has become of the records that it names.

    Raises:
        KeyReused: the key came with another request.
    """
    key = read_key(request)
    if key is None or request.user is None or flag(request, "preview"):
        return None
    outcome = first_answer(request.user, key, _digest(request), SystemClock().now())
    return _response(request, outcome, outcome.status, False) if outcome else None


def read_key(request: Request) -> str | None:
    """The idempotency key of a POST, if it has one."""
    key = request.headers.get("Idempotency-Key") if request.method == "POST" else None
    if key is not None and not 1 <= len(key) <= 200:
        raise ValidationError({"Idempotency-Key": ["1 to 200 characters"]})
    return key


def _response(request: Request, outcome: Outcome, status: int, preview: bool) -> Response:
    response = Response(outcome.answer, status=status)
    if outcome.replayed:
        response["Idempotent-Replay"] = "true"
    result = outcome.answer["result"]
    if isinstance(result, dict) and result.get("version") and not preview:
        response["ETag"] = f'"{result["version"]}"'
    if status == 201 and (made := _made(request, result)):
        response["Location"] = made
    return response


_MADE_IN = {
    "subnets": "subnets",
    "addresses": "addresses",
    "needs": "planned-needs",
}  # in the answer -> in the address


def _made(request: Request, result: dict[str, Any]) -> str | None:
    """The address of what was made, if it is one thing."""
    if "id" in result:
        kind = request.path.split("/")[3]
        return f"/api/v1/{kind}/{result['id']}"
    for name, kind in _MADE_IN.items():
        if len(result.get(name) or []) == 1:
            return f"/api/v1/{kind}/{result[name][0]['id']}"
    for name in ("subnet", "plan"):
        if result.get(name):
            return f"/api/v1/{name}s/{result[name]['id']}"
    return None


def read_version(request: Request) -> int | None:
    """The edit version from If-Match; None if there is none or any will do."""
    text = request.headers.get("If-Match", "").strip()
    if text in ("", "*"):
        return None
    bare = text.removeprefix("W/").strip('"')
    if not bare.isascii() or not bare.isdigit() or len(bare) > 18:
        raise ValidationError({"If-Match": [f"{text[:40]!r} is not the ETag of a record"]})
    return int(bare)


class ChangeSerializer(serializers.Serializer):
    """What a change did to one record, as the ledger has it."""

    entry = serializers.IntegerField(allow_null=True, help_text="Number of the ledger entry; null in a preview.")
    verb = serializers.CharField(help_text="What was done.")
    kind = serializers.CharField(help_text="Kind of record.")
    name = serializers.CharField(help_text="The record's name.")
    before = serializers.DictField(allow_null=True, help_text="What is another value now; null for what is new.")
    after = serializers.DictField(allow_null=True, help_text="The new values; null for what is gone.")


class WaitsSerializer(serializers.Serializer):
    """That what was asked for waits for a planner."""

    rule = serializers.CharField(help_text="The approval rule that it meets.")
    words = serializers.CharField(help_text="The rule as a sentence.")
    holds = serializers.BooleanField(help_text="Whether the space that was shown is held meanwhile.")
    lapses_at = serializers.DateTimeField(help_text="When it lapses, if nobody decides.")
    request = serializers.IntegerField(
        allow_null=True, help_text="Number of the request that waits; null in a preview."
    )


@cache
def answer_of(result: Any) -> type[serializers.Serializer]:
    """The serializer of the answer to a changing call, for the OpenAPI document."""
    name = result.__name__.removesuffix("Serializer") + "AnswerSerializer"
    fields = {
        "preview": serializers.BooleanField(),
        "result": result(),
        "notes": serializers.ListField(child=serializers.CharField()),
        "changes": ChangeSerializer(many=True),
        "proposal": serializers.CharField(allow_null=True),
        "waits": WaitsSerializer(
            allow_null=True,
            help_text="Why it waits for a planner; null where it was done, as nearly everything is.",
        ),
    }
    return type(name, (serializers.Serializer,), {**fields, "__doc__": "Answer to a changing call."})


def _digest(request: Request) -> str:
    body = json.dumps(request.data, sort_keys=True, default=str)
    # Keyed, since a body may hold a password, and the digest is stored.
    text = f"{request.method} {request.path} {body}"
    return salted_hmac("lentra.request", text, algorithm="sha256").hexdigest()
