"""Plans: preview, hold, commit, list, show with departures, remove."""

from __future__ import annotations

from rest_framework.decorators import action
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView
from rest_framework.viewsets import GenericViewSet

from lentra.api.calls import asked, call, said_with
from lentra.api.changes import answer_of, read_version, run_change
from lentra.api.fields import OfPages
from lentra.api.pages import page_of, paged
from lentra.api.reading import find_at_address, read_body, refuse_both
from lentra.api.serializers.lists import BY_NAME, PlanListQuery, narrow
from lentra.api.serializers.plans import (
    DepartureSerializer,
    PlanInSerializer,
    PlanSerializer,
    ProposedPlanSerializer,
    RemovePlanSerializer,
    SettleSerializer,
    proposed_facts,
)
from lentra.registry.models import Plan
from lentra.registry.operations.plans.remove_plan import remove_plan
from lentra.registry.operations.plans.settle_departure import settle_departure
from lentra.registry.operations.waiting.ask import ask
from lentra.registry.operations.waiting.performing import Asking
from lentra.registry.plans.comparing import departures
from lentra.registry.plans.reading import schema


class PlanViews(GenericViewSet):
    scopes = ("plan",)
    serializer_class = PlanSerializer
    queryset = Plan.objects.select_related("realm", "project")
    lookup_field = "ref"
    lookup_value_regex = r"[^/]+"
    orders = BY_NAME

    @call("List plans", query=PlanListQuery)
    def list(self, request: Request) -> Response:
        rows = narrow(self.get_queryset(), asked(request), "realm", "project", "state")
        if text := asked(request).get("text"):
            rows = rows.filter(name__contains=text.lower())
        page = self.paginate_queryset(rows)
        return self.get_paginated_response(PlanSerializer(page, many=True).data)

    @call("Show a plan")
    def retrieve(self, request: Request, ref: str) -> Response:
        plan = find_at_address(Plan, ref, ("realm", "project"))
        return Response(PlanSerializer(plan).data, headers={"ETag": f'"{plan.last_entry}"'})

    @call(
        "Commit a plan, hold it, or preview it",
        own_proposal=True,
        asking=True,
        request=PlanInSerializer,
        responses={201: answer_of(ProposedPlanSerializer)},
    )
    def create(self, request: Request) -> Response:
        values = read_body(request, PlanInSerializer)
        refuse_both(values)
        wanted = Asking("plan", values, proposal=values.pop("proposal", None), **said_with(request))
        return run_change(
            request,
            lambda change: ask(change, wanted),
            proposed_facts,
            201,
            token=lambda proposed: proposed.token,
        )

    @call(
        "Remove a plan",
        scopes=("plan", "give-back"),
        request=RemovePlanSerializer,
        responses=answer_of(PlanSerializer),
    )
    @action(detail=True, methods=["post"])
    def remove(self, request: Request, ref: str) -> Response:
        plan = find_at_address(Plan, ref)
        read = RemovePlanSerializer(data=request.data)
        read.is_valid(raise_exception=True)
        words, version = read.validated_data, read_version(request)
        return run_change(
            request,
            lambda change: remove_plan(change, plan.pk, words["give_back"], words["despite_use"], version),
            lambda plan: PlanSerializer(plan).data,
        )

    @call("Where the registry has departed from a plan", query=OfPages, responses=paged(DepartureSerializer))
    @action(detail=True, methods=["get"], pagination_class=None)
    def departures(self, request: Request, ref: str) -> Response:
        plan = find_at_address(Plan, ref, ("realm", "project"))
        return page_of(request, departures(plan), DepartureSerializer().to_representation)

    @call("Settle a departure from a plan", request=SettleSerializer, responses=answer_of(PlanSerializer))
    @action(detail=True, methods=["post"])
    def settle(self, request: Request, ref: str) -> Response:
        """Take a slot's departure over into the plan, or put it right by one step."""
        plan, version = find_at_address(Plan, ref), read_version(request)
        values = read_body(request, SettleSerializer)
        return run_change(
            request,
            lambda change: settle_departure(change, plan.pk, values["slot"], values["how"], version),
            lambda plan: PlanSerializer(plan).data,
        )


class PlanSchemaView(APIView):
    """The JSON Schema of the plan format."""

    @call("The JSON Schema of a plan", responses={200: {"type": "object", "additionalProperties": True}})
    def get(self, request: Request) -> Response:
        return Response(schema())
