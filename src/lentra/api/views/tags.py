"""Segment tags: their ranges, their members, and what is used and free of them."""

from __future__ import annotations

from typing import Any

from django.db.models import F, Q, QuerySet
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from lentra.api.calls import asked, call
from lentra.api.reading import find_at_address
from lentra.api.serializers.lists import BY_AGE, TagsQuery
from lentra.api.serializers.tags import TagsSerializer
from lentra.api.views.setup import SetUpViews, describe
from lentra.registry.models import Region, Zone
from lentra.registry.reports.tags import tags_of


class TagRangeViews(SetUpViews):
    kind = "tag range"
    related = ("zone", "region", "tier")
    orders = {"tag": "first", **BY_AGE}

    def narrow_by(self, rows: QuerySet, name: str, value: Any) -> QuerySet:
        assert name == "forbidden"
        return rows.filter(forbidden=value)

    def search(self, rows: QuerySet, text: str) -> QuerySet:
        return rows.filter(purpose__icontains=text)


class TagMemberViews(SetUpViews):
    kind = "tag member"
    related = ("subnet",)

    def narrow_by(self, rows: QuerySet, name: str, value: Any) -> QuerySet:
        assert name == "differs"
        same = Q(tag=None) | Q(tag=F("subnet__tag"), outer_tag=F("subnet__outer_tag"))
        return rows.exclude(same) if value else rows.filter(same)


class ZoneTagsView(APIView):
    @call("Segment tags of a zone", query=TagsQuery, responses=TagsSerializer)
    def get(self, request: Request, ref: str) -> Response:
        """Which are used and free, the ranges there are, the next free one, and members that differ."""
        return Response(tags_of(find_at_address(Zone, ref, ("region",)), asked(request)["outer_tag"]))


class RegionTagsView(APIView):
    @call("Segment tags of a region", query=TagsQuery, responses=TagsSerializer)
    def get(self, request: Request, ref: str) -> Response:
        """Those of segments without a zone, and of its zones, which they reach."""
        return Response(tags_of(find_at_address(Region, ref), asked(request)["outer_tag"]))


for _views in (TagRangeViews, TagMemberViews):
    describe(_views)
