"""Looking and working out: size, explain, candidates, whereabouts, usage, ledger, verify."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any

from django.db.models import Q
from rest_framework import serializers
from rest_framework.generics import GenericAPIView, ListAPIView
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.utils.urls import replace_query_param
from rest_framework.views import APIView

from lentra.addressing.prefix import Prefix
from lentra.addressing.sizing import explain, size_by_hosts, size_of_length, spread_over_zones
from lentra.addressing.special import SPECIAL, prefilled_notes
from lentra.api.calls import asked, call
from lentra.api.changes import answer_of, run_change
from lentra.api.fields import (
    AnyOf,
    MeantField,
    OneOf,
    RangeField,
    Strict,
    growth_field,
    hosts_field,
    length_field,
    meant,
)
from lentra.api.reading import rules_meant
from lentra.api.serializers.lists import LedgerQuery, UsageListQuery, in_span, narrow
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
    SearchSerializer,
    UsageSerializer,
    VerifySerializer,
    WhereaboutsSerializer,
)
from lentra.api.views.sizing import size_facts
from lentra.api.waiting import wait_for
from lentra.registry.errors import Invalid
from lentra.registry.lookup.by_text import entries_named
from lentra.registry.mending import mend_registry
from lentra.registry.models import Pool, Project, Realm, Region, Tier, Zone
from lentra.registry.operations.ledger.undo import undo
from lentra.registry.reports.candidates import candidates
from lentra.registry.reports.search import search
from lentra.registry.reports.usage import usage_facts, usage_of_pools, usage_together
from lentra.registry.reports.verify import verify
from lentra.registry.rules.permissions import require, visible_entries
from lentra.registry.space.evidence import realms_at, whereabouts
from lentra.registry.transactions.feed import read_feed


class SizeView(APIView):
    @call(
        "Size by hosts, or by length",
        query=SizeQuerySerializer,
        responses=SizeSerializer,
    )
    def get(self, request: Request) -> Response:
        values = asked(request)
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
    @call(
        "Explain a prefix",
        query=ExplainQuerySerializer,
        responses=ExplanationSerializer,
    )
    def get(self, request: Request) -> Response:
        values = asked(request)
        sheet = rules_meant(values)
        block = values["prefix"]
        facts = asdict(explain(block, sheet))
        facts["children"] = {f"/{n}": str(count) for n, count in facts["children"].items()}
        special = [f"{s.prefix}: {s.why} ({s.source})" for s in SPECIAL if s.prefix.overlaps(block)]
        return Response(
            facts
            | {name: str(facts[name]) for name in ("total", "withheld", "usable")}
            | {"sheet": sheet.name, "special": special, "notes": prefilled_notes(block)}
            | {"places": WhereaboutsSerializer(_known(block), many=True).data}
        )


def _known(block: Prefix) -> list[dict[str, Any]]:
    """What the registry knows of a prefix, realm by realm."""
    family, first, last = block.family, block.first, block.last
    return [whereabouts(realm, family, first, last) for realm in realms_at(family, first, last)]


class CandidateQuerySerializer(Strict):
    project = MeantField(Project, help_text="Who the subnet is for: name or number.")
    tier = MeantField(Tier, required=False)
    zone = MeantField(Zone, required=False, related=("region",))
    region = MeantField(Region, required=False)
    realm = MeantField(Realm, required=False)
    family = OneOf([4, 6], required=False, default=4)
    hosts = hosts_field()
    growth = growth_field()
    length = length_field()
    placement = OneOf(["snug", "low", "roomy"], required=False)
    dual = serializers.BooleanField(required=False, default=False, help_text="IPv6 is wanted beside IPv4.")
    pool = MeantField(Pool, required=False, related=("realm", "sheet", "region", "zone", "project", "parent"))
    each = serializers.IntegerField(
        required=False, default=1, min_value=1, max_value=12, help_text="How many places of each pool."
    )
    beside = serializers.CharField(required=False, max_length=200, help_text="A prefix or subnet to be near to.")
    away_from = AnyOf(
        serializers.CharField(max_length=200), help_text="Prefixes and subnets to share no address with."
    )


class CandidatesAnswerSerializer(serializers.Serializer):
    """Candidates, and why other pools of the place do not serve."""

    candidates = CandidateSerializer(many=True)
    passed_over = serializers.ListField(child=serializers.CharField())


class CandidatesView(APIView):
    @call(
        "Pools that may serve a need, and where in each",
        query=CandidateQuerySerializer,
        responses=CandidatesAnswerSerializer,
    )
    def get(self, request: Request) -> Response:
        values = asked(request)
        found, passed = candidates(
            project=values["project"],
            **{name: values.get(name) for name in ("tier", "zone", "region", "realm")},
            family=values["family"],
            hosts=values.get("hosts"),
            growth=values["growth"],
            length=values.get("length"),
            placement=values.get("placement"),
            dual=values["dual"],
            pool=values.get("pool"),
            each=values["each"],
            beside=values.get("beside"),
            away_from=values.get("away_from", ()),
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


class WhereaboutsQuerySerializer(Strict):
    range = RangeField(
        help_text="An address, a prefix, or first-last.",
        error_messages={"required": "say which address or range\n10.40.68.0/24"},
    )
    realm = meant(Realm)


class WhereaboutsView(APIView):
    @call(
        "What is at an address, or overlaps a range, in each realm that has something there",
        query=WhereaboutsQuerySerializer,
        responses=WhereaboutsSerializer(many=True),
    )
    def get(self, request: Request) -> Response:
        family, first, last = asked(request)["range"]
        realms = asked(request).get("realm") or realms_at(family, first, last)
        found = [whereabouts(realm, family, first, last) for realm in realms]
        return Response(WhereaboutsSerializer(found, many=True).data)


class SearchQuerySerializer(Strict):
    text = serializers.CharField(
        max_length=200, help_text="An address, prefix or range, part of a name, a MAC, a tag, a label, a number."
    )


class SearchView(APIView):
    @call("Find whatever is known by a text", query=SearchQuerySerializer, responses=SearchSerializer)
    def get(self, request: Request) -> Response:
        return Response(SearchSerializer(search(asked(request)["text"], request.user)).data)


class UsageView(GenericAPIView):
    """Usage of pools, a page at a time."""

    orders = {"name": "name"}
    queryset = Pool.objects.all()

    @call("Usage of pools", query=UsageListQuery, responses=PoolUsageSerializer(many=True))
    def get(self, request: Request) -> Response:
        pools = Pool.objects.prefetch_related("realm", "parent", "region", "zone", "sheet")
        values = asked(request)
        pools = narrow(pools, values, "realm", "region", "zone", "project", "parent", "exposure", "origin")
        if "top" in values:
            pools = pools.filter(parent__isnull=values["top"])
        if text := values.get("text"):
            pools = pools.filter(name__contains=text.lower())
        return self.get_paginated_response(usage_of_pools(self.paginate_queryset(pools)))


class UsageTogetherView(APIView):
    @call(
        "Usage of all pools of a realm, region, zone or project together, by family",
        query=PlaceQuerySerializer,
        responses=UsageSerializer(many=True),
    )
    def get(self, request: Request) -> Response:
        pools = narrow(Pool.objects.all(), asked(request), "realm", "region", "zone", "project")
        return Response([usage_facts(usage) for usage in usage_together(pools).values()])


class LedgerView(ListAPIView):
    """The ledger, newest first; or what was committed after a number, at once or as soon as there is something."""

    serializer_class = LedgerSerializer
    orders = {"newest": "-number", "oldest": "number"}

    @call("The ledger", query=LedgerQuery)
    def get(self, request: Request) -> Response:
        return self.feed(request) if "after" in asked(request) else self.list(request)

    def feed(self, request: Request) -> Response:
        """Entries in the order of their commits; `next` is where to go on, always."""
        values = asked(request)
        part = wait_for(
            lambda: read_feed(self.get_queryset(), values["after"], values["limit"]),
            lambda part: bool(part.entries or part.after != values["after"]),
            values.get("wait", 0),
            getattr(request._request, "turns", None),
        )
        following = replace_query_param(request.build_absolute_uri(), "after", part.after)
        told = self.get_serializer(part.entries, many=True).data
        return Response({"next": following, "previous": None, "results": told})

    def get_queryset(self) -> Any:
        values = asked(self.request)
        rows = narrow(
            visible_entries(self.request.user), values, "kind", "verb", actor="actor_name", realm="realm"
        )
        if numbers := values.get("record"):
            rows = rows.filter(Q(number__in=numbers) | Q(subject__in=numbers))
        if operation := values.get("operation"):
            rows = rows.filter(operation=operation)
        if text := values.get("text"):
            rows = rows.filter(entries_named(text))
        return in_span(rows, values, "at")


class UndoneSerializer(serializers.Serializer):
    """What was taken back: the entries of the change, the last one first."""

    undone = LedgerSerializer(many=True, help_text="The ledger entries of the change.")


class UndoView(APIView):
    scopes = ("ask", "give-back", "plan", "set-up")  # whatever it takes back

    @call(
        "Take a change back by the number of one of its ledger entries, while nobody has built on it",
        request=None,
        responses=answer_of(UndoneSerializer),
    )
    def post(self, request: Request, number: int) -> Response:
        return run_change(
            request,
            lambda change: undo(change, number),
            lambda undone: {"undone": [LedgerSerializer().to_representation(entry) for entry in undone]},
        )


class VerifyView(APIView):
    @call("Verify the whole registry", responses=VerifySerializer)
    def get(self, request: Request) -> Response:
        require(request.user, "planner", "verify the registry")
        return Response(verify())


class MendedSerializer(serializers.Serializer):
    """What was mended, or would be, in words."""

    mended = serializers.ListField(child=serializers.CharField())


class MendView(APIView):
    @call(
        "Rebuild counters, free counts, tiles and due times from the extents, where they differ",
        request=None,
        responses=answer_of(MendedSerializer),
    )
    def post(self, request: Request) -> Response:
        preview = request.preview
        mended = mend_registry(request.user, why=request.why, preview=preview)
        return Response(
            {
                "preview": preview,
                "result": {"mended": mended},
                "notes": [],
                "changes": [],
                "proposal": None,
                "waits": None,
            }
        )
