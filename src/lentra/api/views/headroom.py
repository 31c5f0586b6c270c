"""Headroom and usage: over time, in parts, and what lies idle."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import Any

from django.http import HttpResponse, StreamingHttpResponse
from rest_framework.generics import GenericAPIView
from rest_framework.renderers import JSONRenderer
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from lentra.api.calls import asked, call
from lentra.api.pages import LINES, LinesRenderer, lines_of, page_from, page_of, page_read, paged
from lentra.api.reading import find_at_address, records_meant
from lentra.api.serializers.headroom import (
    BreakdownQuerySerializer,
    BreakdownRowSerializer,
    ChangesSerializer,
    DayQuerySerializer,
    HeadroomRowSerializer,
    IdleQuerySerializer,
    IdleSerializer,
    ListedRangeSerializer,
    PoolHeadroomSerializer,
    PrefixListQuerySerializer,
    RangeLinesQuerySerializer,
    RangesQuerySerializer,
    SpanQuerySerializer,
    TrendSerializer,
    UsageThenSerializer,
    WindowQuerySerializer,
)
from lentra.api.serializers.lists import HeadroomListQuery, narrow
from lentra.registry.foresight.headroom import overview, owner_headroom, pool_headroom, realm_headroom
from lentra.registry.models import Pool, Project, Realm, Region, Zone
from lentra.registry.reports.breakdown import breakdown
from lentra.registry.reports.idle import Scope, idle_things
from lentra.registry.reports.ranges import ranges_of
from lentra.registry.reports.usage_history import changes_between, usage_on
from lentra.registry.transactions.clock import SystemClock


class HeadroomView(GenericAPIView):
    """Headroom of pools, a page at a time."""

    orders = {"name": "name"}
    queryset = Pool.objects.all()

    @call(
        "Headroom of pools: growth, and when each is full",
        query=HeadroomListQuery,
        responses=HeadroomRowSerializer(many=True),
    )
    def get(self, request: Request) -> Response:
        values = asked(request)
        # Prefetched, not joined: a join would begin at the few realms and sort all pools.
        rows = Pool.objects.prefetch_related("realm").all()
        rows = narrow(rows, values, "realm", "region", "zone", "project")
        page = self.paginate_queryset(rows)
        return self.get_paginated_response(overview(page, SystemClock().now(), values["window_days"]))


def _one(model: type, tell: Callable[..., Any], summary: str, answer: Any, related: tuple[str, ...] = ()) -> Any:
    """A handler that tells the headroom of one record over a window."""

    @call(summary, query=WindowQuerySerializer, responses=answer(many=True))
    def get(view: APIView, request: Request, ref: str) -> Response:
        record = find_at_address(model, ref, related)
        return Response(tell(record, SystemClock().now(), asked(request)["window_days"]))

    return get


class PoolHeadroomView(APIView):
    get = _one(
        Pool,
        pool_headroom,
        "Headroom of a pool: readings, forecast, how long each length lasts",
        PoolHeadroomSerializer,
        ("realm",),
    )


class RealmHeadroomView(APIView):
    get = _one(
        Realm, realm_headroom, "Headroom of all pools of a realm together, per family", PoolHeadroomSerializer
    )


class ProjectHeadroomView(APIView):
    get = _one(Project, owner_headroom, "How a project grows", TrendSerializer)


class ZoneHeadroomView(APIView):
    get = _one(Zone, owner_headroom, "How a zone grows", TrendSerializer)


class RegionHeadroomView(APIView):
    get = _one(Region, owner_headroom, "How a region grows", TrendSerializer)


class BreakdownView(APIView):
    @call(
        "Usage by project, zone, tier, region, pool or realm",
        query=BreakdownQuerySerializer,
        responses=paged(BreakdownRowSerializer),
    )
    def get(self, request: Request) -> Response:
        values = asked(request)
        by = [name.strip() for name in values["by"].split(",") if name.strip()]
        return page_of(request, breakdown(by, values["family"], **records_meant(values)))


class UsageOnView(APIView):
    @call(
        "Usage of pools on a day, from readings",
        query=DayQuerySerializer,
        responses=paged(UsageThenSerializer),
    )
    def get(self, request: Request) -> Response:
        values = asked(request)
        pools = {pool.pk: pool for pool in Pool.objects.filter(**_scope(values))}

        def shown(reading: Any) -> dict[str, Any]:
            return {
                "pool": {"id": reading.subject, "name": pools[reading.subject].name},
                "family": reading.family,
                "day": reading.day.isoformat(),
                "total": str(reading.total),
                "used": str(reading.used),
                "used_percent": round(100 * reading.used / reading.total, 2) if reading.total else 0.0,
                "states": reading.states,
            }

        return page_of(request, usage_on(list(pools), values["on"]), shown)


class ChangesView(APIView):
    @call(
        "What changed between two days, and by whom",
        query=SpanQuerySerializer,
        responses=paged(ChangesSerializer),
    )
    def get(self, request: Request) -> Response:
        values = asked(request)
        scope = _scope(values)
        pools = list(Pool.objects.filter(**scope).values_list("pk", flat=True)) if scope else None
        until = values.get("until") or SystemClock().now().date()
        return page_of(request, changes_between(values["since"], until, pools))


class IdleView(APIView):
    @call(
        "Idle and odd things, each with a proposed step",
        query=IdleQuerySerializer,
        responses=paged(IdleSerializer),
    )
    def get(self, request: Request) -> Response:
        records = records_meant(asked(request))
        scope = Scope(SystemClock().now(), records.get("realm"), records.get("project"))
        kinds = asked(request).get("kind", [])
        show = IdleSerializer().to_representation
        return page_from(
            request,
            lambda start, count: idle_things(scope, start, count, kinds),
            lambda row: row[0],
            lambda row: show(row[1]),
        )


class RangesView(APIView):
    @call(
        "Lists of ranges for access rules and routes",
        query=RangesQuerySerializer,
        responses=paged(ListedRangeSerializer),
    )
    def get(self, request: Request) -> Response:
        return page_read(request, lambda most: _ranges(asked(request), most))

    def file_rows(self, request: Request) -> Iterator[dict[str, Any]]:
        """All of them, read once."""
        return _ranges(asked(request))


class PrefixListView(APIView):
    @call(
        "The fewest prefixes, as plain text",
        query=PrefixListQuerySerializer,
        responses={(200, "text/plain"): {"type": "string"}},
    )
    def get(self, request: Request) -> HttpResponse:
        """One a line, IPv4 first, with a heading for each family where both are asked for."""
        values = asked(request)
        families = [values["family"]] if "family" in values else [4, 6]
        lines = []
        for family in families:
            rows = ranges_of(family, True, None, None, **records_meant(values))
            lines += [f"# IPv{family}"] if len(families) > 1 else []
            lines += dict.fromkeys(row["prefix"] for row in rows)
        return HttpResponse("".join(f"{line}\n" for line in lines), content_type="text/plain; charset=utf-8")


class RangeLinesView(APIView):
    renderer_classes = [JSONRenderer, LinesRenderer]

    @call(
        "The same lists whole, a line of JSON for each range",
        query=RangeLinesQuerySerializer,
        responses={(200, LINES): ListedRangeSerializer},
    )
    def get(self, request: Request) -> StreamingHttpResponse:
        return lines_of(_ranges(asked(request)))


def _ranges(values: dict[str, Any], most: int | None = None) -> Iterator[dict[str, Any]]:
    return ranges_of(
        values.get("family"), values["aggregated"], values.get("since"), most, **records_meant(values)
    )


def _scope(values: dict[str, Any]) -> dict[str, Any]:
    """The filter of pools that realm and pool come to."""
    scope: dict[str, Any] = {"realm__in": values["realm"]} if "realm" in values else {}
    return scope | ({"pk__in": [pool.pk for pool in values["pool"]]} if "pool" in values else {})
