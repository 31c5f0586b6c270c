"""The printable report, and a project over zones and tiers."""

from __future__ import annotations

from django.http import HttpResponse
from django.shortcuts import render
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiResponse
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from lentra.api.calls import asked, call
from lentra.api.reading import find_at_address, records_meant
from lentra.api.report.figures import project_figures, realm_figures
from lentra.api.serializers.report import ProjectGridSerializer, ReportQuerySerializer
from lentra.registry.errors import Invalid
from lentra.registry.lookup.realms import likely_realms
from lentra.registry.models import Project
from lentra.registry.reports.project_grid import project_grid
from lentra.registry.transactions.clock import SystemClock


class ReportView(APIView):
    @call(
        "A printable report of a realm or a project, as a page",
        query=ReportQuerySerializer,
        responses={(200, "text/html"): OpenApiResponse(OpenApiTypes.STR)},
    )
    def get(self, request: Request) -> HttpResponse:
        records = records_meant(asked(request))
        now = SystemClock().now()
        if len(records) != 1:
            raise Invalid(
                "say which realm, or which project",
                field="realm",
                suggestions=[f"realm={name}" for name in likely_realms()],
            )
        figures = (
            realm_figures(records["realm"], now)
            if "realm" in records
            else project_figures(records["project"], now)
        )
        nonce = request._request.csp_nonce  # lets the page's own style and script through
        return render(request, "lentra/report.html", {**figures, "nonce": nonce})


class ProjectGridView(APIView):
    @call("A project over zones and tiers", responses=ProjectGridSerializer)
    def get(self, request: Request, ref: str) -> Response:
        return Response(project_grid(find_at_address(Project, ref)))
