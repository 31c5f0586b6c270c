"""Looking and working out: size, explain, candidates, whereabouts, usage, ledger, verify."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any

from django.db.models import Q
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers
from rest_framework.generics import GenericAPIView, ListAPIView
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from lentra.addressing.prefix import parse_range
from lentra.addressing.refusal import Refusal
from lentra.addressing.sizing import explain, size_by_hosts, size_of_length, spread_over_zones
from lentra.addressing.special import SPECIAL, prefilled_notes
from lentra.api.changes import answer_of, flag, reason
from lentra.api.fields import NameField, Strict
from lentra.api.reading import query_parameters, read_query, records_meant, rules_meant
from lentra.api.serializers.sizing import (
    ExplainQuerySerializer,
    ExplanationSerializer,
    SizeQuerySerializer,
    SizeSerializer,
)
from lentra.api.serializers.space import (
    CandidateSerializer,
    LedgerSerializer,
    PlaceQuerySerializer,
    PoolUsageSerializer,
    UsageSerializer,
    VerifySerializer,
    WhereaboutsSerializer,
)
from lentra.api.views.sizing import size_facts
from lentra.registry.errors import Invalid
from lentra.registry.lookup.find import find
from lentra.registry.mending import mend_registry
from lentra.registry.models import Pool, Project, Realm, Region, Tier, Zone
from lentra.registry.reports.candidates import candidates
from lentra.registry.reports.usage import usage_facts, usage_of_pools, usage_together
from lentra.registry.reports.verify import verify
from lentra.registry.rules.permissions import require, visible_entries
from lentra.registry.space.evidence import whereabouts


class SizeView(APIView):
    @extend_schema(
        summary="Size by hosts, or by length",
        parameters=query_parameters(SizeQuerySerializer),
        responses=SizeSerializer,
    )
    def get(self, request: Request) -> Response:
        values = read_query(request, SizeQuerySerializer)
        sheet = rules_meant(values)
        hosts, length, family = values.get("hosts"), values.get("length"), values["family"]
        zones = values.get("zones")
        if hosts is not None:
            if zones is not None:
                hosts = spread_over_zones(hosts, zones)
            fixed = values["balancers"] + (1 if values["gateway"] else 0)
            size = size_by_hosts(hosts, sheet, growth=values["growth"], fixed=fixed, length=length, family=family)
        elif length is not None:
            size = size_of_length(length, sheet, family=family)
        else:
            raise Invalid("give hosts or length", field="hosts", suggestions=["hosts=180"])
        return Response(size_facts(size, sheet.name, zones, hosts))


class ExplainView(APIView):
    @extend_schema(
        summary="Explain a prefix",
        parameters=query_parameters(ExplainQuerySerializer),
        responses=ExplanationSerializer,
    )
    def get(self, request: Request) -> Response:
        values = read_query(request, ExplainQuerySerializer)
        sheet = rules_meant(values)
        block = values["prefix"]
        facts = asdict(explain(block, sheet))
        facts["children"] = {f"/{n}": str(count) for n, count in facts["children"].items()}
        special = [f"{s.prefix}: {s.why} ({s.source})" for s in SPECIAL if s.prefix.overlaps(block)]
        return Response(
            facts
            | {name: str(facts[name]) for name in ("total", "withheld", "usable")}
            | {"sheet": sheet.name, "special": special, "notes": prefilled_notes(block)}
        )


class CandidateQuerySerializer(Strict):
    project = NameField()
    tier = NameField(required=False)
    zone = NameField(required=False)
    region = NameField(required=False)
    realm = NameField(required=False)
    family = serializers.ChoiceField([4, 6], required=False, default=4)
    hosts = serializers.IntegerField(required=False, min_value=1, max_value=1 << 32)
    growth = serializers.IntegerField(required=False, default=0, min_value=0, max_value=1000)
    length = serializers.IntegerField(required=False, min_value=0, max_value=128)
    placement = serializers.ChoiceField(["snug", "low", "roomy"], required=False)
    dual = serializers.BooleanField(required=False, default=False, help_text="IPv6 is wanted beside IPv4.")


class CandidatesAnswerSerializer(serializers.Serializer):
    """Candidates, and why other pools of the place do not serve."""

    candidates = CandidateSerializer(many=True)
    passed_over = serializers.ListField(child=serializers.CharField())


class CandidatesView(APIView):
    @extend_schema(
        summary="Pools that may serve a need, and where in each",
        parameters=query_parameters(CandidateQuerySerializer),
        responses=CandidatesAnswerSerializer,
    )
    def get(self, request: Request) -> Response:
        values = read_query(request, CandidateQuerySerializer)
        kinds: dict[str, type] = {"tier": Tier, "zone": Zone, "region": Region, "realm": Realm}
        records = {
            name: find(kind, values[name], name, related=("region",) if kind is Zone else ())
            if values.get(name)
            else None
            for name, kind in kinds.items()
        }
        found, passed = candidates(
            project=find(Project, values["project"], "project"),
            **records,
            family=values["family"],
            hosts=values.get("hosts"),
            growth=values["growth"],
            length=values.get("length"),
            placement=values.get("placement"),
            dual=values["dual"],
        )
        shown = [
            {
                "pool": c.pool,
                "realm": c.pool.realm,
                "region": c.pool.region,
                "zone": c.pool.zone,
                "sheet": c.pool.sheet,
                "length": c.block.length,
                "block": str(c.block),
                "usable": str(c.usable),
                "why": c.why,
                "free": str(c.space.free),
                "largest_free": f"/{c.space.largest_free}" if c.space.largest_free is not None else None,
                "used_percent": round(c.space.usage().used_percent, 2),
                "leaves": str(c.leaves),
                "can_grow_to": str(c.can_grow_to),
            }
            for c in found
        ]
        return Response({"candidates": CandidateSerializer(shown, many=True).data, "passed_over": passed})


class WhereaboutsView(APIView):
    @extend_schema(
        summary="What is at an address, or overlaps a range",
        parameters=[OpenApiParameter("range", str, required=True), OpenApiParameter("realm", str)],
        responses=WhereaboutsSerializer(many=True),
    )
    def get(self, request: Request) -> Response:
        text = request.query_params.get("range")
        if not text:
            raise Invalid("say which address or range", field="range", suggestions=["10.40.68.0/24"])
        try:
            family, first, last = parse_range(text)
        except Refusal as refusal:
            raise refusal.about("range")
        realm = request.query_params.get("realm")
        realms = [find(Realm, realm, "realm")] if realm else list(Realm.objects.order_by("name")[:50])
        found = [whereabouts(r, family, first, last) for r in realms]
        return Response(WhereaboutsSerializer(found, many=True).data)


class UsageView(GenericAPIView):
    """Usage of pools, a page at a time."""

    orders = {"name": "name"}
    queryset = Pool.objects.all()

    @extend_schema(
        summary="Usage of pools",
        parameters=[OpenApiParameter(n, str) for n in ("realm", "region", "zone", "project")],
        responses=PoolUsageSerializer(many=True),
    )
    def get(self, request: Request) -> Response:
        pools = Pool.objects.prefetch_related("realm", "parent", "region", "zone", "sheet")
        kinds: dict[str, type] = {"realm": Realm, "region": Region, "zone": Zone, "project": Project}
        for name, kind in kinds.items():
            if value := request.query_params.get(name):
                pools = pools.filter(**{name: find(kind, value, name)})
        page = self.paginate_queryset(pools)
        return self.get_paginated_response(usage_of_pools(page))


class UsageTogetherView(APIView):
    @extend_schema(
        summary="Usage of all pools of a realm, region, zone or project together, by family",
        parameters=query_parameters(PlaceQuerySerializer),
        responses=UsageSerializer(many=True),
    )
    def get(self, request: Request) -> Response:
        records = records_meant(read_query(request, PlaceQuerySerializer))
        return Response([usage_facts(usage) for usage in usage_together(Pool.objects.filter(**records)).values()])


class LedgerView(ListAPIView):
    """The ledger, newest first."""

    serializer_class = LedgerSerializer
    orders = {"newest": "-number", "oldest": "number"}

    @extend_schema(
        summary="The ledger",
        parameters=[OpenApiParameter(n, str) for n in ("kind", "record", "actor", "verb", "text", "order")],
    )
    def get(self, request: Request) -> Response:
        return self.list(request)

    def get_queryset(self) -> Any:
        rows = visible_entries(self.request.user)
        query = self.request.query_params
        if kind := query.get("kind"):
            rows = rows.filter(kind=kind[:40])
        if actor := query.get("actor"):
            rows = rows.filter(actor_name=actor[:100])
        if verb := query.get("verb"):
            rows = rows.filter(verb=verb[:40])
        if text := query.get("text"):
            rows = rows.filter(name__contains=text[:100].lower())
        if record := query.get("record"):
            if not record.isascii() or not record.isdigit() or len(record) > 18:
                raise Invalid("record is a number", field="record", received=record[:40])
            rows = rows.filter(Q(number=int(record)) | Q(subject=int(record)))
        return rows


class VerifyView(APIView):
    @extend_schema(summary="Verify the whole registry", responses=VerifySerializer)
    def get(self, request: Request) -> Response:
        require(request.user, "planner", "verify the registry")
        return Response(verify())


class MendedSerializer(serializers.Serializer):
    """What was mended, or would be, in words."""

    mended = serializers.ListField(child=serializers.CharField())


class MendView(APIView):
    @extend_schema(
        summary="Rebuild counters, free counts, tiles and due times from the extents, where they differ",
        request=None,
        responses=answer_of(MendedSerializer),
    )
    def post(self, request: Request) -> Response:
        preview, why = flag(request, "preview"), reason(request)
        mended = mend_registry(request.user, why=why, preview=preview)
        return Response(
            {"preview": preview, "result": {"mended": mended}, "notes": [], "changes": [], "proposal": None}
        )
