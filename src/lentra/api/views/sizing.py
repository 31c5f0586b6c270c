"""Working out: several subnets at once, splits, what a block carries, clusters, lists of ranges, what still fits."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any

from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from lentra.addressing.address_map import Inside
from lentra.addressing.clusters import ClusterNeed, nodes_carried, service_range, size_cluster
from lentra.addressing.packing import pack, smallest_holding, split_into, split_to_length
from lentra.addressing.prefix import Prefix, address_text, parse_address
from lentra.addressing.refusal import Refusal
from lentra.addressing.rules import RuleSheet
from lentra.addressing.sizing import size_by_hosts, size_by_subnets, size_of_length
from lentra.api.calls import asked, call
from lentra.api.changes import answer_of, run_change
from lentra.api.reading import read_body, rules_meant
from lentra.api.serializers.keep_outs import KeepOutSerializer
from lentra.api.serializers.setup import ReservationSerializer
from lentra.api.serializers.sizing import (
    CarriesQuerySerializer,
    CarriesSerializer,
    CheckedSerializer,
    CheckQuerySerializer,
    ClusterMadeSerializer,
    ClusterSerializer,
    ClusterSizeQuerySerializer,
    ClusterSizeSerializer,
    PackedSerializer,
    PackQuerySerializer,
    RangeSizeQuerySerializer,
    RangeSizeSerializer,
    RoomForSerializer,
    SplitQuerySerializer,
    SplitSerializer,
    StillFitsQuerySerializer,
)
from lentra.api.serializers.subnets import SubnetSerializer
from lentra.registry.errors import Invalid
from lentra.registry.lookup.find import find
from lentra.registry.models import Realm
from lentra.registry.operations.subnets.set_up_cluster import ClusterMade, ClusterRequest, set_up_cluster
from lentra.registry.plans.drafting import draft_plan
from lentra.registry.reports.clash_check import check_ranges
from lentra.registry.reports.free_space import free_in, in_words, taken_spans
from lentra.registry.reports.still_fits import still_fits

_COUNTS = ("total", "withheld", "usable", "needed", "spare")
_MOST_PARTS = 1024


def size_facts(size: Any, sheet: str, zones: int | None = None, hosts: int | None = None) -> dict[str, Any]:
    """A size as it is told: counts as text."""
    facts = asdict(size)
    return facts | {name: str(facts[name]) for name in _COUNTS} | {"sheet": sheet, "zones": zones, "hosts": hosts}


class _WorkingOut(APIView):
    """A POST that changes nothing: its input is too large for a query."""

    changes_registry = False


# --- several subnets ---


class PackView(_WorkingOut):
    @call(
        "Size several subnets, and pack them largest first",
        request=PackQuerySerializer,
        responses=PackedSerializer,
    )
    def post(self, request: Request) -> Response:
        values = read_body(request, PackQuerySerializer)
        sheet, inside, family = rules_meant(values), values.get("inside"), values["family"]
        family = inside.family if inside else family
        sizes = {}
        for n, need in enumerate(values["needs"]):
            if need["name"] in sizes:
                raise Invalid(f"{need['name']!r} is there twice", field=f"needs[{n}].name", received=need["name"])
            try:
                sizes[need["name"]] = _size_of(need, sheet, family)
            except Refusal as refusal:
                refusal.field = f"needs[{n}].{refusal.field or 'hosts'}"
                raise
        lengths = [(name, size.length) for name, size in sizes.items()]
        least = smallest_holding(family, (length for _, length in lengths))
        realm = values.get("realm")
        packing = pack(inside, lengths, free_in(realm, inside) if realm else None) if inside else None
        blocks = {packed.key: packed.block for packed in packing.placed} if packing else {}
        zones = {need["name"]: need.get("zone") for need in values["needs"]}
        ordered = sorted(sizes, key=lambda name: (sizes[name].length, name))
        return Response(
            {
                "sized": [
                    {
                        "name": name,
                        "zone": zones[name],
                        "block": str(blocks[name]) if name in blocks else None,
                        "bounds": _bounds(blocks[name], sheet) if name in blocks else None,
                        "size": size_facts(sizes[name], sheet.name),
                    }
                    for name in ordered
                ],
                "least": f"/{least}",
                "total": str(sum(size.total for size in sizes.values())),
                "left": [str(prefix) for prefix in packing.left] if packing else [],
                "left_over": str(packing.left_over) if packing else None,
                "plan": draft_plan(values["needs"], **values["as_plan"], family=family)
                if "as_plan" in values
                else None,
            }
        )


def _bounds(block: Prefix, sheet: RuleSheet) -> dict[str, Any]:
    """The addresses of a block under a rule sheet."""
    inside = Inside(block, sheet.family(block.family))
    usable = inside.rules.usable(block)
    return {
        "first": address_text(block.family, block.first),
        "last": address_text(block.family, block.last),
        "usable": str(usable),
        "first_usable": address_text(block.family, inside.low) if usable else None,
        "last_usable": address_text(block.family, inside.high) if usable else None,
    }


def _size_of(need: dict[str, Any], sheet: RuleSheet, family: int) -> Any:
    if "hosts" in need:
        return size_by_hosts(need["hosts"], sheet, growth=need["growth"], length=need.get("length"), family=family)
    if "length" in need:
        return size_of_length(need["length"], sheet, family=family)
    raise Invalid(f"{need['name']}: say how much, hosts or length", field="hosts", suggestions=["hosts: 110"])


# --- splits, reverse ---


class SplitView(APIView):
    @call(
        "Split a block equally",
        query=SplitQuerySerializer,
        responses=SplitSerializer,
    )
    def get(self, request: Request) -> Response:
        values = asked(request)
        block: Prefix = values["prefix"]
        if ("into" in values) == ("length" in values):
            raise Invalid("say into how many parts, or of which length", field="into", suggestions=["into=4"])
        split = split_into(block, values["into"]) if "into" in values else split_to_length(block, values["length"])
        sheet, realm, zones = rules_meant(values), values.get("realm"), values.get("zone", [])
        taken, takers = split.taken(taken_spans(realm, block), _MOST_PARTS) if realm else (0, {})
        words = in_words(takers.values())
        parts = split.parts(_MOST_PARTS)
        width = max(2, len(str(split.count)))
        return Response(
            {
                "prefix": str(block),
                "length": split.length,
                "count": split.count,
                "spare": split.spare,
                "spare_addresses": str(split.spare << (block.bits - split.length)),
                "sheet": sheet.name,
                "free": split.count - taken if realm else None,
                "parts": [
                    {
                        "prefix": str(part),
                        "name": f"{values['name']}-{n:0{width}d}" if "name" in values else None,
                        "zone": zones[(n - 1) % len(zones)] if zones else None,
                        "taken_by": words.get(takers.get(n - 1, "")),
                        **_bounds(part, sheet),
                    }
                    for n, part in enumerate(parts, 1)
                ],
            }
        )


class CarriesView(APIView):
    @call(
        "What a block carries: hosts, subnets, cluster nodes",
        query=CarriesQuerySerializer,
        responses=CarriesSerializer,
    )
    def get(self, request: Request) -> Response:
        values = asked(request)
        block, sheet = values["prefix"], rules_meant(values)
        rules = sheet.family(block.family)
        nodes = alone = None
        if block.family == 4 and "workloads" in values:
            need = ClusterNeed(1, values["surge"], values["workloads"], values["balancers"])
            nodes = nodes_carried(need, sheet, block.length)
            alone = nodes_carried(
                ClusterNeed(1, values["surge"], values["workloads"], values["balancers"], True),
                sheet,
                block.length,
            )
        low = max(block.length, rules.shortest)
        lengths = [n for n in range(low, rules.longest + 1) if n - block.length < 64]
        return Response(
            {
                "prefix": str(block),
                "sheet": sheet.name,
                "hosts": str(rules.usable(block)),
                "subnets": {f"/{n}": str(1 << (n - block.length)) for n in lengths},
                "nodes": nodes,
                "nodes_alone": alone,
            }
        )


class RangeSizeView(APIView):
    @call(
        "Size a range by the number of subnets in it",
        query=RangeSizeQuerySerializer,
        responses=RangeSizeSerializer,
    )
    def get(self, request: Request) -> Response:
        values = asked(request)
        sheet = rules_meant(values)
        facts = asdict(size_by_subnets(values["subnets"], sheet, growth=values["growth"], family=values["family"]))
        return Response(
            facts | {name: str(facts[name]) for name in ("holds", "needed", "spare")} | {"sheet": sheet.name}
        )


# --- clusters ---


_OF_NEED = ("nodes", "surge", "workloads", "balancers", "own_range", "most_nodes", "zones", "services")


def _need(values: dict[str, Any]) -> ClusterNeed:
    return ClusterNeed(**{name: values[name] for name in _OF_NEED if name in values})


def _cluster_facts(size: Any, sheet: str, services: Any) -> dict[str, Any]:
    return {
        "subnet": size_facts(size.subnet, sheet),
        "most_nodes": size.most_nodes,
        "workload_length": size.workload_length,
        "slice_length": size.slice_length,
        "service_length": size.service_length,
        "zones": size.zones,
        "nodes_of_a_zone": size.nodes_of_a_zone,
        "services": asdict(services) | {"prefix": str(services.prefix), "services": str(services.services)}
        if services
        else None,
    }


class ClusterSizeView(_WorkingOut):
    @call("Size a cluster", request=ClusterSizeQuerySerializer, responses=ClusterSizeSerializer)
    def post(self, request: Request) -> Response:
        values = read_body(request, ClusterSizeQuerySerializer)
        sheet = rules_meant(values)
        services = None
        if prefix := values.get("service_range"):
            text = values.get("name_service")
            services = service_range(prefix, parse_address(text, family=prefix.family)[1] if text else None)
        return Response(
            _cluster_facts(size_cluster(_need(values), sheet, length=values.get("length")), sheet.name, services)
        )


class ClusterView(APIView):
    scopes = ("plan",)

    @call(
        "Set up a cluster's address space in one go",
        request=ClusterSerializer,
        responses={201: answer_of(ClusterMadeSerializer)},
    )
    def post(self, request: Request) -> Response:
        values = read_body(request, ClusterSerializer)
        wanted = ClusterRequest(need=_need(values), **{k: v for k, v in values.items() if k not in _OF_NEED})
        return run_change(request, lambda change: set_up_cluster(change, wanted), _made, 201)


def _made(made: ClusterMade) -> dict[str, Any]:
    return {
        "size": _cluster_facts(made.size, made.subnet.pool.sheet.name, made.services),
        "subnet": SubnetSerializer(made.subnet).data,
        "reservations": ReservationSerializer(made.reservations, many=True).data,
        "keep_outs": KeepOutSerializer(made.keep_outs, many=True).data,
        "why": made.why,
    }


# --- lists of ranges, what still fits ---


class CheckRangesView(_WorkingOut):
    @call(
        "Check a list of ranges against the registry",
        request=CheckQuerySerializer,
        responses=CheckedSerializer(many=True),
    )
    def post(self, request: Request) -> Response:
        values = read_body(request, CheckQuerySerializer)
        texts = [*values.get("ranges", []), *values.get("text", "").splitlines()]
        names = [*values.get("realms", []), *([values["realm"]] if values.get("realm") else [])]
        realms = [find(Realm, name, "realms") for name in names] or list(Realm.objects.order_by("name"))
        return Response(check_ranges(realms, texts))


class StillFitsView(APIView):
    @call(
        "What still fits in a pool, a region or a realm",
        query=StillFitsQuerySerializer,
        responses=RoomForSerializer(many=True),
    )
    def get(self, request: Request) -> Response:
        return Response(still_fits(**asked(request)))
