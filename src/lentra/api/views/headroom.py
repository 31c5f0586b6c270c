"""Headroom and usage: over time, in parts, and what lies idle."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from drf_spectacular.utils import extend_schema, extend_schema_view
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
from lentra.registry.errors import Invalid
from lentra.registry.foresight.headroom import overview, owner_headroom, pool_headroom, realm_headroom
from lentra.registry.models import Pool, Project, Realm, Zone
from lentra.registry.reports.breakdown import breakdown
from lentra.registry.reports.idle import idle_things
from lentra.registry.reports.ranges import ranges_of
from lentra.registry.reports.usage_history import changes_between, usage_on
from lentra.registry.transactions.clock import SystemClock


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


class _OneHeadroomView(APIView):
    """Headroom of one record over a window."""

    model: type
    related: tuple[str, ...] = ()
    tell: Callable[..., list[dict[str, Any]]]  # of the record, now, the window in days

    def get(self, request: Request, ref: str) -> Response:
        values = read_query(request, WindowQuerySerializer)
        record = find_at_address(self.model, ref, self.related)
        return Response(self.tell(record, SystemClock().now(), values["window_days"]))


def _described(summary: str, answer: type[TrendSerializer]) -> Callable[[type[APIView]], type[APIView]]:
    """Tells the OpenAPI document what the view's one call is for."""
    parameters = query_parameters(WindowQuerySerializer)
    return extend_schema_view(
        get=extend_schema(summary=summary, parameters=parameters, responses=answer(many=True))
    )


@_described("Headroom of a pool: readings, forecast, how long each length lasts", PoolHeadroomSerializer)
class PoolHeadroomView(_OneHeadroomView):
    model, related, tell = Pool, ("realm",), staticmethod(pool_headroom)


@_described("Headroom of all pools of a realm together, per family", PoolHeadroomSerializer)
class RealmHeadroomView(_OneHeadroomView):
    model, tell = Realm, staticmethod(realm_headroom)


@_described("How a project grows", TrendSerializer)
class ProjectHeadroomView(_OneHeadroomView):
    model, tell = Project, staticmethod(owner_headroom)


@_described("How a zone grows", TrendSerializer)
class ZoneHeadroomView(_OneHeadroomView):
    model, tell = Zone, staticmethod(owner_headroom)


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
