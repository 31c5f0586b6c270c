"""Projects: what they hold beyond other set-up objects."""

from __future__ import annotations

from typing import Any

from django.db.models import QuerySet
from rest_framework.decorators import action
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from lentra.api.calls import asked, call
from lentra.api.fields import OfPages
from lentra.api.pages import page_of, paged
from lentra.api.serializers.lists import PublicUseQuery
from lentra.api.serializers.projects import HoldingSerializer, ProjectTotalsSerializer, PublicUseSerializer
from lentra.api.serializers.quotas import QuotaSerializer
from lentra.api.views.setup import SetUpViews, describe
from lentra.registry.reports.holdings import Holdings, public_use, totals, with_public
from lentra.registry.transactions.clock import SystemClock


class ProjectViews(SetUpViews):
    kind = "project"
    related = ("home_region",)

    def narrow_by(self, rows: QuerySet, name: str, value: Any) -> QuerySet:
        assert name == "label"
        key, _, of = value.partition("=")
        return rows.filter(labels__contains={key: of}) if of else rows.filter(labels__has_key=key)

    @call("What a project holds", query=OfPages, responses=paged(HoldingSerializer))
    @action(detail=True, methods=["get"], pagination_class=None)
    def holdings(self, request: Request, ref: str) -> Response:
        """Its pools, reservations it may draw from, plans, planned needs, and every subnet, with their ranges."""
        return page_of(request, Holdings(self.one(ref)))

    @call("How much a project holds", responses=ProjectTotalsSerializer)
    @action(detail=True, methods=["get"], pagination_class=None)
    def totals(self, request: Request, ref: str) -> Response:
        """Counts of what it holds, its blocks by length, and what is used of its quotas."""
        counts = totals(self.one(ref), SystemClock().now())
        return Response(counts | {"quotas": QuotaSerializer(counts["quotas"], many=True).data})


class PublicUseView(APIView):
    @call("Quotas of public addresses and their use", query=PublicUseQuery, responses=paged(PublicUseSerializer))
    def get(self, request: Request) -> Response:
        """Every project that holds public addresses, or has a quota of them."""
        now, projects = SystemClock().now(), with_public()
        if meant := asked(request).get("project"):
            projects = projects.filter(pk__in=[project.pk for project in meant])
        return page_of(request, projects, lambda project: public_use(project, now))


describe(ProjectViews)
