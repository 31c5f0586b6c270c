"""Set-up objects: one set of views for all kinds, and what pools, keep-outs and people do beyond it."""

from __future__ import annotations

from datetime import timedelta
from typing import Any

from django.db.models import Q, QuerySet
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework.decorators import action
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.viewsets import GenericViewSet

from lentra.addressing.headroom import Usage
from lentra.addressing.prefix import Prefix
from lentra.addressing.refusal import Refusal
from lentra.api.changes import answer_of, read_version, run_change
from lentra.api.serializers.setup import (
    BY_KIND,
    ChangeRangeSerializer,
    NewRangeSerializer,
    RangeChangedSerializer,
    RecordSerializer,
    SecondFamilyAddedSerializer,
    SecondFamilySerializer,
    UseSerializer,
)
from lentra.api.serializers.space import PoolUsageSerializer
from lentra.registry.clock import SystemClock
from lentra.registry.errors import Invalid
from lentra.registry.ledger import Change
from lentra.registry.models import Plan, Pool, Reservation
from lentra.registry.operations.add_family import add_second_family
from lentra.registry.operations.add_keep_out import add_keep_out, remove_keep_out
from lentra.registry.operations.add_pool import add_pool, add_range
from lentra.registry.operations.add_realm import add_realm
from lentra.registry.operations.add_set_up import add_set_up
from lentra.registry.operations.carve_pool import carve_pool, give_back_pool
from lentra.registry.operations.change_range import RangeChanged, change_range
from lentra.registry.operations.edit_set_up import edit_set_up, refuse_stale
from lentra.registry.operations.manage_people import add_person, edit_person
from lentra.registry.operations.remove_realm import remove_realm
from lentra.registry.operations.remove_set_up import remove_set_up
from lentra.registry.operations.reserve import (
    WantedReservation,
    edit_reservation,
    give_back_reservation,
    reserve,
)
from lentra.registry.queries.find import find
from lentra.registry.queries.usage import own_usage, rolled_up, usage_facts
from lentra.registry.setup import SETUPS


def find_at_address(model: type, ref: str, related: tuple[str, ...] = ()) -> Any:
    """The record that the call's address names; a refusal about it is a 404."""
    try:
        return find(model, ref, related=related)
    except Refusal as refusal:
        refusal.of_address = True  # type: ignore[attr-defined]
        raise


class SetUpViews(GenericViewSet):
    """List, show, add, edit and remove the objects of one kind."""

    kind: str
    related: tuple[str, ...] = ()
    lookup_field = "ref"
    lookup_value_regex = r"[^/]+"
    filter_by: dict[str, Any] = {}
    orders = {"name": "name", "oldest": "id", "newest": "-id"}

    def get_queryset(self) -> QuerySet:
        # Prefetched, not joined: a join would begin at the smaller table and sort the larger one.
        return SETUPS[self.kind].model._default_manager.prefetch_related(*self.related)

    def list(self, request: Request) -> Response:
        rows = self.get_queryset()
        for name, model in self.filter_by.items():
            if value := request.query_params.get(name):
                rows = rows.filter(**{name: find(model, value, name)})
        if text := request.query_params.get("text"):
            rows = self.search(rows, text[:100])
        page = self.paginate_queryset(rows)
        return self.get_paginated_response(self.get_serializer(page, many=True).data)

    def search(self, rows: QuerySet, text: str) -> QuerySet:
        return rows.filter(name__contains=text.lower())

    def retrieve(self, request: Request, ref: str) -> Response:
        record = self.one(ref)
        return Response(self.get_serializer(record).data, headers={"ETag": f'"{record.last_entry}"'})

    def create(self, request: Request) -> Response:
        values = self.read(request)
        return self.change(request, lambda change: self.add(change, dict(values)), 201)

    def partial_update(self, request: Request, ref: str) -> Response:
        record = self.one(ref)
        serializer = self.get_serializer(record, data=request.data, partial=True)
        serializer.is_valid(raise_exception=True)
        version = read_version(request)
        return self.change(
            request, lambda change: self.edit(change, record, dict(serializer.validated_data), version)
        )

    def destroy(self, request: Request, ref: str) -> Response:
        record = self.one(ref)
        version = read_version(request)

        def work(change: Change) -> Any:
            refuse_stale(record, version)
            return self.remove(change, record)

        return self.change(request, work)

    @action(detail=True, methods=["get"])
    def use(self, request: Request, ref: str) -> Response:
        """What uses the record, and which of its fields are fixed because of that."""
        record = self.one(ref)
        count, users = SETUPS[self.kind].users_of(record)
        return Response({"used_by": users, "use_count": count, "frozen": SETUPS[self.kind].frozen(record)})

    # --- what kinds do in ways of their own ---

    def add(self, change: Change, values: dict[str, Any]) -> Any:
        return add_set_up(change, self.kind, values)

    def edit(self, change: Change, record: Any, values: dict[str, Any], version: int | None) -> Any:
        return edit_set_up(change, self.kind, record.pk, values, version)

    def remove(self, change: Change, record: Any) -> Any:
        return remove_set_up(change, self.kind, record.pk)

    # --- plumbing ---

    def one(self, ref: str) -> Any:
        return find_at_address(SETUPS[self.kind].model, ref, self.related)

    def read(self, request: Request) -> dict[str, Any]:
        serializer = self.get_serializer(data=request.data)
        serializer.is_valid(raise_exception=True)
        return serializer.validated_data

    def change(self, request: Request, work: Any, status: int = 200) -> Response:
        return run_change(request, work, lambda record: self.get_serializer(record).data, status)


class RealmViews(SetUpViews):
    kind = "realm"

    def add(self, change: Change, values: dict[str, Any]) -> Any:
        return add_realm(change, values)

    def remove(self, change: Change, record: Any) -> Any:
        return remove_realm(change, record.pk)


class SheetViews(SetUpViews):
    kind = "rule sheet"


class RegionViews(SetUpViews):
    kind = "region"


class ZoneViews(SetUpViews):
    kind = "zone"
    related = ("region",)
    filter_by = {"region": SETUPS["region"].model}


class TierViews(SetUpViews):
    kind = "tier"


class ProjectViews(SetUpViews):
    kind = "project"


class KeepOutViews(SetUpViews):
    kind = "keep-out"
    related = ("realm",)
    filter_by = {"realm": SETUPS["realm"].model}
    orders = {"oldest": "id", "newest": "-id"}

    def search(self, rows: QuerySet, text: str) -> QuerySet:
        return rows.filter(Q(reason__icontains=text) | Q(source__icontains=text) | Q(kind=text))

    def add(self, change: Change, values: dict[str, Any]) -> Any:
        family, first, last = values.pop("range_text")
        despite_use = values.pop("despite_use", False)
        return add_keep_out(change, {**values, "family": family, "first": first, "last": last}, despite_use)

    def edit(self, change: Change, record: Any, values: dict[str, Any], version: int | None) -> Any:
        if "range_text" in values:
            values["range"] = values.pop("range_text")
        values.pop("despite_use", None)
        return super().edit(change, record, values, version)

    def remove(self, change: Change, record: Any) -> Any:
        return remove_keep_out(change, record)


class ReservationViews(SetUpViews):
    kind = "reservation"
    related = ("realm", "pool", "plan", "zone")
    filter_by = {"realm": SETUPS["realm"].model, "pool": Pool, "plan": Plan}

    def get_queryset(self) -> QuerySet:
        rows = super().get_queryset().prefetch_related("extents", "projects", "tiers")
        if days := self.request.query_params.get("ending_within"):
            if not days.isascii() or not days.isdigit() or len(days) > 5:
                raise Invalid("ending_within is a number of days", field="ending_within", received=days[:20])
            rows = rows.filter(ends_at__lte=SystemClock().now() + timedelta(days=int(days)))
        return rows

    def search(self, rows: QuerySet, text: str) -> QuerySet:
        return rows.filter(Q(name__contains=text.lower()) | Q(reason__icontains=text) | Q(service=text))

    def add(self, change: Change, values: dict[str, Any]) -> Any:
        values["range"] = values.pop("range_text", None)
        values["pool"] = values["pool"].pk
        return find(Reservation, reserve(change, WantedReservation(**values)).pk, related=self.related)

    def edit(self, change: Change, record: Any, values: dict[str, Any], version: int | None) -> Any:
        if "range_text" in values:
            values["range"] = values.pop("range_text")
        projects, tiers = values.pop("projects", None), values.pop("tiers", None)
        return edit_reservation(change, record.pk, values, projects, tiers, version)

    def remove(self, change: Change, record: Any) -> Any:
        return give_back_reservation(change, record.pk)


class PlannedNeedViews(SetUpViews):
    kind = "planned need"
    related = ("pool", "project")
    filter_by = {"pool": Pool, "project": SETUPS["project"].model}
    orders = {"day": "day", "name": "name", "oldest": "id", "newest": "-id"}


class PersonViews(SetUpViews):
    kind = "person"

    def add(self, change: Change, values: dict[str, Any]) -> Any:
        return add_person(change, values, values.pop("password", None), values.pop("projects", []))

    def edit(self, change: Change, record: Any, values: dict[str, Any], version: int | None) -> Any:
        password, projects = values.pop("password", None), values.pop("projects", None)
        return edit_person(change, record.pk, values, password, projects, version)


class PoolViews(SetUpViews):
    kind = "pool"
    related = ("realm", "parent", "sheet", "region", "zone", "project")
    filter_by = {
        "realm": SETUPS["realm"].model,
        "region": SETUPS["region"].model,
        "zone": SETUPS["zone"].model,
        "project": SETUPS["project"].model,
        "parent": Pool,
    }

    def get_queryset(self) -> QuerySet:
        return super().get_queryset().prefetch_related("ranges")

    def add(self, change: Change, values: dict[str, Any]) -> Any:
        ranges: list[Prefix] = values.pop("ranges", [])
        lengths = [(row["family"], row["length"]) for row in values.pop("lengths", [])]
        placement = values.pop("placement", None)
        parent = values.pop("parent", None)
        if parent is not None:
            values.pop("realm", None)
            return carve_pool(change, parent.pk, values, ranges, lengths, placement)
        if lengths:
            raise Invalid("only a pool carved out of another can have ranges found for it", field="lengths")
        return add_pool(change, values, ranges)

    def edit(self, change: Change, record: Any, values: dict[str, Any], version: int | None) -> Any:
        for field in ("ranges", "lengths", "placement"):
            if field in values:
                raise Invalid(f"{field} cannot be edited: add a range to the pool instead", field=field)
        return super().edit(change, record, values, version)

    def remove(self, change: Change, record: Any) -> Any:
        return give_back_pool(change, record.pk)

    @action(detail=True, methods=["post"])
    def ranges(self, request: Request, ref: str) -> Response:
        """Add a range to a pool; one that is carved out of another takes it from there."""
        pool = self.one(ref)
        serializer = NewRangeSerializer(data=request.data)
        serializer.is_valid(raise_exception=True)
        values = serializer.validated_data
        length = (values["family"], values["length"]) if "length" in values else None
        return self.change(request, lambda change: add_range(change, pool.pk, values.get("range"), length), 201)

    @action(detail=True, methods=["post"], url_path="change-range")
    def change_range(self, request: Request, ref: str) -> Response:
        """Put another range in the place of one; what lives in it moves only on explicit word."""
        pool = self.one(ref)
        serializer = ChangeRangeSerializer(data=request.data)
        serializer.is_valid(raise_exception=True)
        values = serializer.validated_data

        def render(changed: RangeChanged) -> Any:
            moves = [
                {"kind": m.kind, "owner": m.owner, "was": str(m.was), "lands": str(m.lands)} for m in changed.moves
            ]
            return {"pool": self.get_serializer(self.one(str(pool.pk))).data, "moves": moves}

        return run_change(
            request,
            lambda change: change_range(
                change, pool.pk, values["old"], values["new"], values["rebase"], values.get("proposal")
            ),
            render,
            token=lambda changed: changed.token,
        )

    @action(detail=True, methods=["post"], url_path="second-family")
    def second_family(self, request: Request, ref: str) -> Response:
        """Give every subnet of the pool that has IPv4 alone an IPv6 block, with paired numbering."""
        pool = self.one(ref)
        serializer = SecondFamilySerializer(data=request.data)
        serializer.is_valid(raise_exception=True)
        values = serializer.validated_data
        return run_change(
            request,
            lambda change: add_second_family(change, pool.pk, values.get("within"), values["numbering"]),
            lambda paired: {"paired": [{"subnet": _ref(p.subnet), "block": str(p.block)} for p in paired]},
        )

    @action(detail=True, methods=["get"])
    def usage(self, request: Request, ref: str) -> Response:
        """Usage of the pool by itself, and with the pools carved from it."""
        pool = self.one(ref)
        return Response(pool_usage([pool])[0])


def pool_usage(pools: list[Pool]) -> list[dict[str, Any]]:
    """Usage of pools, each by itself and with what was carved from it. A bounded number of statements."""
    own = own_usage(pool.pk for pool in pools)
    rolled = rolled_up(pool.pk for pool in pools)
    return [
        {
            "pool": _ref(pool),
            "realm": _ref(pool.realm),
            "parent": _ref(pool.parent),
            "region": _ref(pool.region),
            "zone": _ref(pool.zone),
            "warning_percent": pool.warning_percent,
            "critical_percent": pool.critical_percent,
            "own": _facts(pool, own),
            "with_carved": _facts(pool, rolled),
        }
        for pool in pools
    ]


def _facts(pool: Pool, usages: dict[int, dict[int, Usage]]) -> list[dict[str, Any]]:
    threshold = float(pool.sheet.hd_threshold)
    return [usage_facts(usage, pool.unit_v6, threshold) for _, usage in sorted(usages.get(pool.pk, {}).items())]


def _ref(record: Any) -> dict[str, Any] | None:
    return {"id": record.pk, "name": record.name} if record else None


def _describe(views: type[SetUpViews], serializer: type[RecordSerializer]) -> None:
    """Tell the OpenAPI document what a kind's calls take and give."""
    views.serializer_class = serializer
    answer = answer_of(serializer)  # type: ignore[arg-type]
    more = ("ending_within",) if views is ReservationViews else ()
    filters = [OpenApiParameter(name, str) for name in (*views.filter_by, *more, "text", "order")]
    noun = views.kind
    words = {
        "list": f"List {noun}s",
        "retrieve": f"Show a {noun}",
        "create": f"Add a {noun}",
        "partial_update": f"Edit a {noun}",
        "destroy": f"Remove a {noun}",
    }
    for name, summary in words.items():
        options: dict[str, Any] = {"summary": summary}
        if name in ("create", "partial_update", "destroy"):
            options["responses"] = {201 if name == "create" else 200: answer}
        if name == "list":
            options["parameters"] = filters
        setattr(views, name, extend_schema(**options)(_own(views, name)))
    views.use = extend_schema(summary=f"What uses a {noun}", responses=UseSerializer)(_own(views, "use"))  # type: ignore[method-assign]
    if views is PoolViews:
        PoolViews.ranges = extend_schema(  # type: ignore[method-assign]
            summary="Add a range to a pool", request=NewRangeSerializer, responses={201: answer}
        )(PoolViews.ranges)
        PoolViews.change_range = extend_schema(  # type: ignore[method-assign]
            summary="Change a range of a pool",
            request=ChangeRangeSerializer,
            responses=answer_of(RangeChangedSerializer),
        )(PoolViews.change_range)
        PoolViews.second_family = extend_schema(  # type: ignore[method-assign]
            summary="Add IPv6 to the subnets of a pool",
            request=SecondFamilySerializer,
            responses=answer_of(SecondFamilyAddedSerializer),
        )(PoolViews.second_family)
        PoolViews.usage = extend_schema(  # type: ignore[method-assign]
            summary="Usage of a pool", responses=PoolUsageSerializer
        )(PoolViews.usage)


def _own(views: type[SetUpViews], name: str) -> Any:
    """A method of the class's own, so that describing one kind leaves the others alone."""
    inherited = getattr(views, name)

    def method(self: Any, request: Request, *args: Any, **kwargs: Any) -> Response:
        return inherited(self, request, *args, **kwargs)

    method.__name__, method.__doc__ = name, inherited.__doc__
    for attribute in ("mapping", "detail", "url_path", "url_name", "kwargs"):
        if hasattr(inherited, attribute):
            setattr(method, attribute, getattr(inherited, attribute))
    return method


for _views in (
    RealmViews,
    SheetViews,
    RegionViews,
    ZoneViews,
    TierViews,
    ProjectViews,
    PoolViews,
    KeepOutViews,
    ReservationViews,
    PlannedNeedViews,
    PersonViews,
):
    _describe(_views, BY_KIND[_views.kind])
