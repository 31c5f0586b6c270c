"""Requests that wait for a planner: the queue, what stands beside each, and what becomes of it."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from rest_framework.decorators import action
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView
from rest_framework.viewsets import GenericViewSet

from lentra.api.calls import asked, call
from lentra.api.changes import answer_of, read_version, run_change
from lentra.api.fields import OfPages
from lentra.api.pages import page_of, paged
from lentra.api.reading import find_at_address, read_body
from lentra.api.serializers.lists import WaitingListQuery, narrow
from lentra.api.serializers.subnets import RequestSerializer
from lentra.api.serializers.waiting import (
    BesideSerializer,
    GrantSerializer,
    PassOnSerializer,
    RefuseSerializer,
    SaidSerializer,
    SaySerializer,
    TriedRulesSerializer,
    WaitingRequestSerializer,
    shown_request,
)
from lentra.registry.lookup.find import find
from lentra.registry.models import WaitingRequest
from lentra.registry.operations.waiting.decide import Decision, grant, refuse
from lentra.registry.operations.waiting.handle import edit_request, pass_on, say, withdraw
from lentra.registry.operations.waiting.performing import Asking
from lentra.registry.operations.waiting.trying import try_rules
from lentra.registry.reports.waiting import beside, conversation
from lentra.registry.transactions.change import Change
from lentra.registry.transactions.clock import SystemClock
from lentra.registry.transactions.run import run_transaction

_RELATED = ("asker", "project", "realm", "pool", "assigned_to", "decided_by")
_ANSWER = answer_of(WaitingRequestSerializer)


class WaitingViews(GenericViewSet):
    scopes = ("ask",)
    serializer_class = WaitingRequestSerializer
    queryset = WaitingRequest.objects.prefetch_related(*_RELATED)
    lookup_field = "ref"
    lookup_value_regex = r"[^/]+"
    orders = {"oldest": "id", "newest": "-id", "needed": "needed_by"}

    @call("List requests that wait, or did", query=WaitingListQuery)
    def list(self, request: Request) -> Response:
        values = asked(request)
        rows = narrow(
            self.get_queryset(), values, "state", "what", "project", "realm", "pool", "asker", "assigned_to"
        )
        if text := values.get("text"):
            rows = rows.filter(summary__icontains=text)
        page = self.paginate_queryset(rows)
        return self.get_paginated_response(WaitingRequestSerializer(page, many=True).data)

    @call("Show a request that waits, or did")
    def retrieve(self, request: Request, ref: str) -> Response:
        found = find_at_address(WaitingRequest, ref, _RELATED)
        return Response(shown_request(found), headers={"ETag": f'"{found.last_entry}"'})

    @call("Edit what is told with a request", request=WaitingRequestSerializer, responses=_ANSWER)
    def partial_update(self, request: Request, ref: str) -> Response:
        found = find_at_address(WaitingRequest, ref)
        read = WaitingRequestSerializer(found, data=request.data, partial=True)
        read.is_valid(raise_exception=True)
        values, version = dict(read.validated_data), read_version(request)
        return self._change(request, lambda change: edit_request(change, found.pk, values, version))

    @call("What stands beside a request: its pool before and after, other pools", responses=BesideSerializer)
    @action(detail=True, methods=["get"], pagination_class=None)
    def beside(self, request: Request, ref: str) -> Response:
        found = find_at_address(WaitingRequest, ref, _RELATED)
        return Response(BesideSerializer(beside(found, SystemClock().now())).data)

    @call("What was said about a request", query=OfPages, responses=paged(SaidSerializer))
    @action(detail=True, methods=["get"], pagination_class=None)
    def conversation(self, request: Request, ref: str) -> Response:
        """What was said about it, and what became of it, the first first."""
        return page_of(request, conversation(find_at_address(WaitingRequest, ref)))

    @call("Grant a request", scopes=("plan",), request=GrantSerializer, responses=_ANSWER)
    @action(detail=True, methods=["post"])
    def grant(self, request: Request, ref: str) -> Response:
        """As asked for: exactly what was shown. With other values: what they come to, which whoever asked is told."""
        found, version = find_at_address(WaitingRequest, ref), read_version(request)
        values = read_body(request, GrantSerializer)
        decision = Decision(values["values"], values["anew"])
        return self._change(request, lambda change: grant(change, found.pk, decision, version))

    @call("Refuse a request", scopes=("plan",), request=RefuseSerializer, responses=_ANSWER)
    @action(detail=True, methods=["post"])
    def refuse(self, request: Request, ref: str) -> Response:
        found, version = find_at_address(WaitingRequest, ref), read_version(request)
        reason = read_body(request, RefuseSerializer)["reason"]
        return self._change(request, lambda change: refuse(change, found.pk, reason, version))

    @call("Withdraw a request", request=None, responses=_ANSWER)
    @action(detail=True, methods=["post"])
    def withdraw(self, request: Request, ref: str) -> Response:
        found, version = find_at_address(WaitingRequest, ref), read_version(request)
        return self._change(request, lambda change: withdraw(change, found.pk, version))

    @call("Pass a request on to another planner", scopes=("plan",), request=PassOnSerializer, responses=_ANSWER)
    @action(detail=True, methods=["post"], url_path="pass-on")
    def pass_on(self, request: Request, ref: str) -> Response:
        found, version = find_at_address(WaitingRequest, ref), read_version(request)
        to = read_body(request, PassOnSerializer)["to"]
        return self._change(request, lambda change: pass_on(change, found.pk, to, version))

    @call("Say something about a request", request=SaySerializer, responses=_ANSWER)
    @action(detail=True, methods=["post"])
    def say(self, request: Request, ref: str) -> Response:
        found, version = find_at_address(WaitingRequest, ref), read_version(request)
        text = read_body(request, SaySerializer)["text"]
        return self._change(request, lambda change: say(change, found.pk, text, version))

    def _change(self, request: Request, operation: Callable[[Change], WaitingRequest]) -> Response:
        def work(change: Change) -> WaitingRequest:
            return find(WaitingRequest, operation(change).pk, related=_RELATED)

        return run_change(request, work, shown_request)


class TryRulesView(APIView):
    changes_registry = False

    @call("Try the approval rules on a request", request=RequestSerializer, responses=TriedRulesSerializer)
    def post(self, request: Request) -> Response:
        """What would become of a request for subnets if a requester made it: each rule, and which one decides."""
        values = read_body(request, RequestSerializer)
        asking = Asking("subnets", {name: value for name, value in values.items() if name != "proposal"})
        outcome: Any = run_transaction(
            lambda change: try_rules(change, asking), actor=request.user, preview=True, render=lambda told, _: told
        )
        return Response(TriedRulesSerializer(outcome.answer).data)
