"""What really exists: surveys of sources, what they have seen, and findings."""

from __future__ import annotations

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
    narrow,
)
from lentra.api.serializers.reality import (
    DismissSerializer,
    FindingSerializer,
    SightingSerializer,
    SightingsSerializer,
    SourceSerializer,
    SurveySerializer,
    TakeOverSerializer,
)
from lentra.api.views.setup import SetUpViews, describe
from lentra.registry.models import Finding, Sighting, Source, Survey
from lentra.registry.operations.findings.settle_finding import dismiss_finding, reopen_finding, take_over
from lentra.registry.operations.findings.take_survey import take_survey
from lentra.registry.transactions.clock import SystemClock
from lentra.sources.documents import read_document, schema

_ANSWER = answer_of(FindingSerializer)


class SourceViews(SetUpViews):
    kind = "source"
    related = ("realm",)

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


describe(SourceViews)
assert SourceViews.serializer_class is SourceSerializer


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
        rows = in_place(narrow(self.get_queryset(), values, "realm", "source"), values.get("inside"))
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
        for name in ("project", "subnet"):
            if name in values:
                rows = rows.filter(**{f"{name}__in": [record.pk for record in values[name]]})
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
        return self._change(request, ref, dismiss_finding, values["reason"], values.get("until"))

    @call("Open a dismissed finding again", request=None, responses=_ANSWER)
    @action(detail=True, methods=["post"])
    def reopen(self, request: Request, ref: str) -> Response:
        return self._change(request, ref, reopen_finding)

    @call("Take a stray over into the registry", request=TakeOverSerializer, responses=_ANSWER)
    @action(detail=True, methods=["post"], url_path="take-over")
    def take_over(self, request: Request, ref: str) -> Response:
        """It becomes a keep-out, or an address record; the difference is gone then, and the finding closed."""
        values = read_body(request, TakeOverSerializer)
        return self._change(request, ref, take_over, values["becomes"], values["name"], values["reason"])

    def _change(self, request: Request, ref: str, operation: Any, *values: Any) -> Response:
        number, version = find_at_address(Finding, ref).pk, read_version(request)
        return run_change(
            request,
            lambda change: operation(change, number, *values, version=version),
            lambda finding: FindingSerializer(finding).data,
        )


class SightingsSchemaView(APIView):
    """The JSON Schema of the format of sightings."""

    @call("The JSON Schema of sightings", responses={200: {"type": "object", "additionalProperties": True}})
    def get(self, request: Request) -> Response:
        return Response(schema())
