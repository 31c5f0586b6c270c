"""What is foreseen: alerts, what if, compaction, how far a block can grow, expected plans."""

from __future__ import annotations

from typing import Any

from rest_framework.generics import GenericAPIView
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from lentra.api.calls import asked, call
from lentra.api.changes import answer_of, run_change
from lentra.api.reading import find_at_address, plan_meant, read_body
from lentra.api.serializers.foresight import (
    AcknowledgeSerializer,
    AlertSerializer,
    BlockHeadroomSerializer,
    CompactionQuerySerializer,
    CompactionSerializer,
    ExpectedSerializer,
    ExpectPlanSerializer,
    WhatIfQuerySerializer,
    WhatIfSerializer,
)
from lentra.api.serializers.lists import NEWEST_FIRST, AlertListQuery, narrow
from lentra.api.serializers.setup import PlannedNeedSerializer
from lentra.registry.foresight.alerts import alert_facts
from lentra.registry.foresight.what_if import Supposed, SupposedNeed, what_if
from lentra.registry.models import Alert, Pool, Subnet
from lentra.registry.operations.foresight.acknowledge_alert import acknowledge_alert, reopen_alert
from lentra.registry.operations.plans.expect_plan import expect_plan
from lentra.registry.reports.block_headroom import block_headroom
from lentra.registry.reports.compaction import compaction
from lentra.registry.transactions.clock import SystemClock


class AlertsView(GenericAPIView):
    """Alerts, the newest first."""

    orders = NEWEST_FIRST
    queryset = Alert.objects.all()

    @call(
        "Alerts: thresholds that are reached or will be soon, and what the daily verification found",
        query=AlertListQuery,
        responses=AlertSerializer(many=True),
    )
    def get(self, request: Request) -> Response:
        values = asked(request)
        rows = narrow(Alert.objects.select_related("realm", "pool"), values, "realm", "pool")
        if not values["resolved"]:
            rows = rows.exclude(living=None)
        if "acknowledged" in values:
            rows = rows.exclude(acknowledged_by="") if values["acknowledged"] else rows.filter(acknowledged_by="")
        page = self.paginate_queryset(rows)
        return self.get_paginated_response([alert_facts(alert) for alert in page])


class AcknowledgeView(APIView):
    scopes = ("plan",)

    @call("Acknowledge an alert, and mute it", request=AcknowledgeSerializer, responses=answer_of(AlertSerializer))
    def post(self, request: Request, number: int) -> Response:
        """Say that somebody looks after an open alert, with a reason; until a moment nobody is told of it."""
        values = read_body(request, AcknowledgeSerializer)
        return run_change(
            request,
            lambda change: acknowledge_alert(change, number, values["reason"], values.get("until")),
            alert_facts,
        )


class ReopenView(APIView):
    scopes = ("plan",)

    @call("Take the acknowledgement of an alert back", request=None, responses=answer_of(AlertSerializer))
    def post(self, request: Request, number: int) -> Response:
        return run_change(request, lambda change: reopen_alert(change, number), alert_facts)


class WhatIfView(APIView):
    """A POST that changes nothing: a plan is too large for a query."""

    changes_registry = False

    @call(
        "What if: how long a pool lasts with more ranges, a plan, other growth, idle blocks given back",
        request=WhatIfQuerySerializer,
        responses=WhatIfSerializer,
    )
    def post(self, request: Request, ref: str) -> Response:
        values = read_body(request, WhatIfQuerySerializer)
        pool = find_at_address(Pool, ref)
        supposed = Supposed(
            ranges=tuple(values.get("ranges", ())),
            plan=plan_meant(values, needed=False),
            growth_percent=values["growth_percent"],
            give_back=tuple(values.get("give_back", ())),
            give_back_idle=values["give_back_idle"],
            needs=tuple(SupposedNeed(**need) for need in values.get("needs", ())),
        )
        return Response(what_if(pool.pk, supposed, SystemClock(), values["window_days"]))


class CompactionView(APIView):
    @call(
        "Which few blocks to move so that a length fits again",
        query=CompactionQuerySerializer,
        responses=CompactionSerializer,
    )
    def get(self, request: Request, ref: str) -> Response:
        values = asked(request)
        return Response(compaction(find_at_address(Pool, ref), values["length"], values["family"]))


class BlockHeadroomView(APIView):
    @call(
        "How far a subnet's blocks can grow in place, and what is in the way",
        responses=BlockHeadroomSerializer(many=True),
    )
    def get(self, request: Request, ref: str) -> Response:
        return Response(block_headroom(find_at_address(Subnet, ref, ("pool__sheet", "realm"))))


class ExpectPlanView(APIView):
    scopes = ("plan",)

    @call(
        "Expect a plan: what it would hand out becomes planned needs",
        request=ExpectPlanSerializer,
        responses={201: answer_of(ExpectedSerializer)},
    )
    def post(self, request: Request) -> Response:
        values = read_body(request, ExpectPlanSerializer)
        text = plan_meant(values)

        def render(needs: list[Any]) -> Any:
            return {"needs": PlannedNeedSerializer(needs, many=True).data}

        return run_change(request, lambda change: expect_plan(change, text, values["day"]), render, 201)
