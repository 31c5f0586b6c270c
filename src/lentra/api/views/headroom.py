"""Headroom and usage: over time, in parts, and what lies idle."""

from __future__ import annotations

from typing import Any

from drf_spectacular.utils import extend_schema
from rest_framework.generics import GenericAPIView
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from lentra.api.reading import find_at_address, query_parameters, read_query, records_meant
from lentra.api.serializers.headroom import (
    BreakdownQuerySerializer,
    BreakdownRowSerializer,
    ChangesSerializer,
    DayQuerySerializer,
    HeadroomQuerySerializer,
    HeadroomRowSerializer,
    IdleQuerySerializer,
    IdleSerializer,
    ListedRangeSerializer,
    PoolHeadroomSerializer,
    RangesQuerySerializer,
    TrendSerializer,
    UsageThenSerializer,
    WindowQuerySerializer,
)
from lentra.registry.clock import SystemClock
from lentra.registry.errors import Invalid
from lentra.registry.models import Pool, Project, Realm, Zone
from lentra.registry.queries.breakdown import breakdown
from lentra.registry.queries.headroom import overview, owner_headroom, pool_headroom, realm_headroom
from lentra.registry.queries.idle import idle_things
from lentra.registry.queries.ranges import ranges_of
from lentra.registry.queries.usage_then import changes_between, usage_on


class HeadroomView(GenericAPIView):
    """Headroom of pools, a page at a time."""

    orders = {"name": "name"}
    queryset = Pool.objects.all()

    @extend_schema(
        summary="Headroom of pools: growth, and when each is full",
        parameters=query_parameters(HeadroomQuerySerializer),
        responses=HeadroomRowSerializer(many=True),
    )
    def get(self, request: Request) -> Response:
        values = read_query(request, HeadroomQuerySerializer)
        # Prefetched, not joined: a join would begin at the few realms and sort all pools.
        rows = Pool.objects.prefetch_related("realm").filter(**records_meant(values))
        page = self.paginate_queryset(rows)
        return self.get_paginated_response(overview(page, SystemClock().now(), values["window_days"]))


class PoolHeadroomView(APIView):
    @extend_schema(
        summary="Headroom of a pool: readings, forecast, how long each length lasts",
        parameters=query_parameters(WindowQuerySerializer),
        responses=PoolHeadroomSerializer(many=True),
    )
    def get(self, request: Request, ref: str) -> Response:
        values = read_query(request, WindowQuerySerializer)
        pool = find_at_address(Pool, ref, ("realm",))
        return Response(pool_headroom(pool, SystemClock().now(), values["window_days"]))


class RealmHeadroomView(APIView):
    @extend_schema(
        summary="Headroom of all pools of a realm together, per family",
        parameters=query_parameters(WindowQuerySerializer),
        responses=PoolHeadroomSerializer(many=True),
    )
    def get(self, request: Request, ref: str) -> Response:
        values = read_query(request, WindowQuerySerializer)
        return Response(realm_headroom(find_at_address(Realm, ref), SystemClock().now(), values["window_days"]))


class OwnerHeadroomView(APIView):
    """Growth of a project or a zone."""

    model: type = Project

    @extend_schema(
        summary="How a project grows",
        parameters=query_parameters(WindowQuerySerializer),
        responses=TrendSerializer(many=True),
    )
    def get(self, request: Request, ref: str) -> Response:
        values = read_query(request, WindowQuerySerializer)
        record = find_at_address(self.model, ref)
        return Response(owner_headroom(record, SystemClock().now(), values["window_days"]))


class ZoneHeadroomView(OwnerHeadroomView):
    model = Zone

    @extend_schema(
        summary="How a zone grows",
        parameters=query_parameters(WindowQuerySerializer),
        responses=TrendSerializer(many=True),
    )
    def get(self, request: Request, ref: str) -> Response:
        return super().get(request, ref)


class BreakdownView(APIView):
    @extend_schema(
        summary="Usage by project, zone, tier, region, pool or realm",
        parameters=query_parameters(BreakdownQuerySerializer),
        responses=BreakdownRowSerializer(many=True),
    )
    def get(self, request: Request) -> Response:
        values = read_query(request, BreakdownQuerySerializer)
        by = [name.strip() for name in values["by"].split(",") if name.strip()]
        return Response(breakdown(by, values["family"], **records_meant(values)))


class UsageOnView(APIView):
    @extend_schema(
        summary="Usage of pools on a day, from readings",
        parameters=query_parameters(DayQuerySerializer),
        responses=UsageThenSerializer(many=True),
    )
    def get(self, request: Request) -> Response:
        values = read_query(request, DayQuerySerializer)
        if "on" not in values:
            raise Invalid("say which day", field="on", suggestions=["on=2026-03-01"])
        pools = {pool.pk: pool for pool in Pool.objects.filter(**_scope(values))}
        return Response(
            [
                {
                    "pool": {"id": reading.subject, "name": pools[reading.subject].name},
                    "family": reading.family,
                    "day": reading.day.isoformat(),
                    "total": str(reading.total),
                    "used": str(reading.used),
                    "used_percent": round(100 * reading.used / reading.total, 2) if reading.total else 0.0,
                    "states": reading.states,
                }
                for reading in usage_on(list(pools), values["on"])
            ]
        )


class ChangesView(APIView):
    @extend_schema(
        summary="What changed between two days, and by whom",
        parameters=query_parameters(DayQuerySerializer),
        responses=ChangesSerializer(many=True),
    )
    def get(self, request: Request) -> Response:
        values = read_query(request, DayQuerySerializer)
        if "since" not in values:
            raise Invalid("say since which day", field="since", suggestions=["since=2026-03-01"])
        scope = _scope(values)
        pools = list(Pool.objects.filter(**scope).values_list("pk", flat=True)) if scope else None
        until = values.get("until") or SystemClock().now().date()
        return Response(changes_between(values["since"], until, pools))


class IdleView(APIView):
    @extend_schema(
        summary="Idle and odd things, each with a proposed step",
        parameters=query_parameters(IdleQuerySerializer),
        responses=IdleSerializer(many=True),
    )
    def get(self, request: Request) -> Response:
        records = records_meant(read_query(request, IdleQuerySerializer))
        found = idle_things(SystemClock().now(), records.get("realm"), records.get("project"))
        return Response(IdleSerializer(found, many=True).data)


class RangesView(APIView):
    @extend_schema(
        summary="Lists of ranges for access rules and routes",
        parameters=query_parameters(RangesQuerySerializer),
        responses=ListedRangeSerializer(many=True),
    )
    def get(self, request: Request) -> Response:
        values = read_query(request, RangesQuerySerializer)
        found = ranges_of(values.get("family"), values["aggregated"], values.get("since"), **records_meant(values))
        return Response(found)


def _scope(values: dict[str, Any]) -> dict[str, Any]:
    """The filter of pools that realm and pool come to."""
    records = records_meant(values)
    scope = {}
    if "realm" in records:
        scope["realm"] = records["realm"]
    if "pool" in records:
        scope["pk"] = records["pool"].pk
    return scope
