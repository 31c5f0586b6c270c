"""What really exists: surveys of sources, what they have seen, and findings."""

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
from lentra.api.reading import find_at_address, read_body
from lentra.api.serializers.lists import (
    FindingListQuery,
    SightingListQuery,
    SurveyListQuery,
    in_place,
    in_span,
    narrow,
)
from lentra.api.serializers.reality import (
    AssignManySerializer,
    AssignSerializer,
    CorrectSerializer,
    DismissManySerializer,
    DismissSerializer,
    FindingSerializer,
    SettledSerializer,
    SightingSerializer,
    SightingsSerializer,
    SourceSerializer,
    SurveySerializer,
    TakeOverManySerializer,
    TakeOverSerializer,
)
from lentra.api.views.setup import SetUpViews, describe
from lentra.registry.lookup.find import find
from lentra.registry.models import Finding, Person, Project, Sighting, Source, Survey
from lentra.registry.operations.findings.become import TakeOver
from lentra.registry.operations.findings.correct_finding import correct_findings
from lentra.registry.operations.findings.keep_source import add_source, ask_now, edit_source, leave_off
from lentra.registry.operations.findings.settle_finding import (
    assign_findings,
    dismiss_findings,
    reopen_findings,
    take_over,
)
from lentra.registry.operations.findings.take_survey import take_survey
from lentra.registry.transactions.change import Change
from lentra.registry.transactions.clock import SystemClock
from lentra.sources.documents import read_document, schema

_ANSWER = answer_of(FindingSerializer)
_MANY = answer_of(SettledSerializer)


class SourceViews(SetUpViews):
    kind = "source"
    related = ("realm", "look")

    def add(self, change: Change, values: dict[str, Any]) -> Any:
        return add_source(change, values)

    def edit(self, change: Change, record: Any, values: dict[str, Any], version: int | None) -> Any:
        return edit_source(change, record.pk, values, version)

    @call(
        "Take a survey: tell what a source has seen",
        scopes=("plan",),
        request=SightingsSerializer,
        responses={201: answer_of(SurveySerializer)},
    )
    @action(detail=True, methods=["post"])
    def surveys(self, request: Request, ref: str) -> Response:
        """All that it sees: what it saw before and is not among it, it sees no more. Findings open and close by it."""
        source, version = find_at_address(Source, ref), read_version(request)
        seen, at = read_document(read_body(request, SightingsSerializer)["document"], SystemClock().now())
        return run_change(
            request,
            lambda change: take_survey(change, source.pk, seen, at, version),
            lambda survey: SurveySerializer(survey).data,
            201,
        )

    @call("Have a source asked now", scopes=("plan",), request=None, responses=answer_of(SourceSerializer))
    @action(detail=True, methods=["post"])
    def ask(self, request: Request, ref: str) -> Response:
        """A name server or an inventory, whenever it is due; `look` tells how it goes."""
        source, version = self.one(ref), read_version(request)
        return self.change(request, lambda change: ask_now(change, source.pk, version))

    @call(
        "Leave the asking of a source off", scopes=("plan",), request=None, responses=answer_of(SourceSerializer)
    )
    @action(detail=True, methods=["post"], url_path="leave-off")
    def leave_off(self, request: Request, ref: str) -> Response:
        """What it saw last is kept; it is asked again when it is due."""
        source, version = self.one(ref), read_version(request)
        return self.change(request, lambda change: leave_off(change, source.pk, version))


describe(SourceViews)
assert SourceViews.serializer_class is SourceSerializer


class TakingRuleViews(SetUpViews):
    kind = "taking rule"
    related = ("realm", "source", "project")


describe(TakingRuleViews)


class SurveyViews(GenericViewSet):
    serializer_class = SurveySerializer
    queryset = Survey.objects.prefetch_related("source")
    lookup_field = "ref"
    lookup_value_regex = r"[^/]+"
    orders = {"newest": "-id", "oldest": "id"}

    @call("List surveys", query=SurveyListQuery)
    def list(self, request: Request) -> Response:
        rows = narrow(self.get_queryset(), asked(request), "source", realm="source__realm")
        page = self.paginate_queryset(rows)
        return self.get_paginated_response(SurveySerializer(page, many=True).data)

    @call("Show a survey")
    def retrieve(self, request: Request, ref: str) -> Response:
        found = find_at_address(Survey, ref, ("source",))
        return Response(SurveySerializer(found).data, headers={"ETag": f'"{found.last_entry}"'})


class SightingViews(GenericViewSet):
    serializer_class = SightingSerializer
    queryset = Sighting.objects.prefetch_related("source", "realm")
    orders = {"oldest": "id", "newest": "-id"}

    @call("List what sources see", query=SightingListQuery)
    def list(self, request: Request) -> Response:
        values = asked(request)
        rows = self.get_queryset().filter(lost_at__isnull=not values.get("gone", False))
        rows = in_place(narrow(rows, values, "realm", "source"), values.get("inside"))
        if subnets := values.get("subnet"):
            rows = rows.filter(realm__in={subnet.realm_id for subnet in subnets})
            rows = in_place(rows, *(block for subnet in subnets for block in subnet.blocks()))
        page = self.paginate_queryset(rows)
        return self.get_paginated_response(SightingSerializer(page, many=True).data)


class FindingViews(GenericViewSet):
    scopes = ("plan",)
    serializer_class = FindingSerializer
    queryset = Finding.objects.prefetch_related("realm")
    lookup_field = "ref"
    lookup_value_regex = r"[^/]+"
    orders = {"newest": "-id", "oldest": "id"}

    @call("List findings: where the registry and what was seen differ", query=FindingListQuery)
    def list(self, request: Request) -> Response:
        values = asked(request)
        rows = narrow(self.get_queryset(), values, "realm", "kind", "state")
        rows = rows.filter(due__lt=SystemClock().now().date()) if values.get("overdue") else rows
        rows = in_span(rows, values, "opened_at")
        for name, column in (
            *(("project", "project"), ("subnet", "subnet"), ("dns_zone", "dns_zone"), ("assignee", "assignee")),
            ("assigned_project", "assignee"),
        ):
            if name in values:
                rows = rows.filter(**{f"{column}__in": [record.pk for record in values[name]]})
        if text := values.get("text"):
            rows = rows.filter(text__icontains=text)
        page = self.paginate_queryset(in_place(rows, values.get("inside")))
        return self.get_paginated_response(FindingSerializer(page, many=True).data)

    @call("Show a finding")
    def retrieve(self, request: Request, ref: str) -> Response:
        found = find_at_address(Finding, ref, ("realm",))
        return Response(FindingSerializer(found).data, headers={"ETag": f'"{found.last_entry}"'})

    @call("Dismiss a finding: the difference is known, and stays", request=DismissSerializer, responses=_ANSWER)
    @action(detail=True, methods=["post"])
    def dismiss(self, request: Request, ref: str) -> Response:
        """Until a day, from which on it is open again if it is still there."""
        values = read_body(request, DismissSerializer)
        return self._change(request, ref, dismiss_findings, values["reason"], values.get("until"))

    @call("Open a dismissed finding again", request=None, responses=_ANSWER)
    @action(detail=True, methods=["post"])
    def reopen(self, request: Request, ref: str) -> Response:
        return self._change(request, ref, reopen_findings)

    @call("Ask somebody to correct a difference", request=AssignSerializer, responses=_ANSWER)
    @action(detail=True, methods=["post"])
    def assign(self, request: Request, ref: str) -> Response:
        """Until a day; or nobody any more."""
        values = read_body(request, AssignSerializer)
        return self._change(request, ref, assign_findings, _asked_of(values), values.get("due"))

    @call("Correct what is recorded to what was seen", request=CorrectSerializer, responses=_ANSWER)
    @action(detail=True, methods=["post"])
    def correct(self, request: Request, ref: str) -> Response:
        """A tag, gateway, DHCP range, name, hardware address, or the exposure declared; the finding is closed then."""
        values = read_body(request, CorrectSerializer)
        return self._change(request, ref, correct_findings, values["source"])

    @call("Take a stray over into the registry", request=TakeOverSerializer, responses=_ANSWER)
    @action(detail=True, methods=["post"], url_path="take-over")
    def take_over(self, request: Request, ref: str) -> Response:
        """It becomes a record of the registry; the difference is gone then, and the finding closed."""
        wanted = TakeOver(**read_body(request, TakeOverSerializer))
        return self._change(request, ref, take_over, wanted)

    def _change(self, request: Request, ref: str, operation: Any, *values: Any) -> Response:
        number, version = find_at_address(Finding, ref).pk, read_version(request)
        return run_change(
            request,
            lambda change: operation(change, [number], *values, version=version),
            lambda findings: FindingSerializer(findings[0]).data,
        )


class DismissManyView(APIView):
    scopes = ("plan",)

    @call("Dismiss several findings", request=DismissManySerializer, responses=_MANY)
    def post(self, request: Request) -> Response:
        """All of them, or none."""
        values = read_body(request, DismissManySerializer)
        given = values["reason"], values.get("until")
        return _settled(request, values, dismiss_findings, *given)


class AssignManyView(APIView):
    scopes = ("plan",)

    @call("Ask somebody to correct several differences", request=AssignManySerializer, responses=_MANY)
    def post(self, request: Request) -> Response:
        """All of them, or none."""
        values = read_body(request, AssignManySerializer)
        given = _asked_of(values), values.get("due")
        return _settled(request, values, assign_findings, *given)


class TakeOverManyView(APIView):
    scopes = ("plan",)

    @call("Take several strays over into the registry", request=TakeOverManySerializer, responses=_MANY)
    def post(self, request: Request) -> Response:
        """All of them, or none; each becomes the same kind of record."""
        values = read_body(request, TakeOverManySerializer)
        wanted = TakeOver(**{name: value for name, value in values.items() if name != "findings"})
        return _settled(request, values, take_over, wanted)


def _settled(
    request: Request, body: dict[str, Any], operation: Callable[..., list[Finding]], *values: Any
) -> Response:
    return run_change(
        request,
        lambda change: operation(change, body["findings"], *values),
        lambda findings: {"findings": FindingSerializer(findings, many=True).data},
    )


def _asked_of(values: dict[str, Any]) -> Person | Project | None:
    if project := values.get("project"):
        return find(Project, project, field="project")
    return find(Person, values["assignee"], field="assignee") if values.get("assignee") else None


class SightingsSchemaView(APIView):
    """The JSON Schema of the format of sightings."""

    @call("The JSON Schema of sightings", responses={200: {"type": "object", "additionalProperties": True}})
    def get(self, request: Request) -> Response:
        return Response(schema())


class InventorySchemaView(APIView):
    """The JSON Schema of the format of inventories."""

    @call("The JSON Schema of inventories", responses={200: {"type": "object", "additionalProperties": True}})
    def get(self, request: Request) -> Response:
        return Response(schema("inventory"))
