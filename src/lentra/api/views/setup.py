"""Set-up objects: one set of views for all kinds, and what keep-outs, reservations and people do beyond it."""

from __future__ import annotations

from datetime import timedelta
from typing import Any

from django.db.models import Q, QuerySet
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework.decorators import action
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.viewsets import GenericViewSet

from lentra.api.changes import answer_of, read_version, run_change
from lentra.api.reading import find_at_address
from lentra.api.serializers.setup import (
    BY_KIND,
    PersonSerializer,
    UseSerializer,
)
from lentra.registry.errors import Invalid
from lentra.registry.lookup.find import find
from lentra.registry.models import Plan, Pool, Reservation
from lentra.registry.operations.people.manage_people import add_person, edit_person, revoke_tokens
from lentra.registry.operations.people.sign_in import lift_lock
from lentra.registry.operations.pools.add_keep_out import add_keep_out, remove_keep_out
from lentra.registry.operations.reservations.reserve import (
    ReservationRequest,
    edit_reservation,
    give_back_reservation,
    reserve,
)
from lentra.registry.operations.setup.add_realm import add_realm
from lentra.registry.operations.setup.add_record import add_record
from lentra.registry.operations.setup.edit_record import edit_record
from lentra.registry.operations.setup.remove_realm import remove_realm
from lentra.registry.operations.setup.remove_record import remove_record
from lentra.registry.rules.kinds import KINDS
from lentra.registry.transactions.change import Change
from lentra.registry.transactions.clock import SystemClock


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
        return KINDS[self.kind].model._default_manager.prefetch_related(*self.related)

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

        return self.change(request, lambda change: self.remove(change, record, version))

    @action(detail=True, methods=["get"])
    def use(self, request: Request, ref: str) -> Response:
        """What uses the record, and which of its fields are fixed because of that."""
        record = self.one(ref)
        count, users = KINDS[self.kind].users_of(record)
        return Response({"used_by": users, "use_count": count, "frozen": KINDS[self.kind].frozen(record)})

    # --- what kinds do in ways of their own ---

    def add(self, change: Change, values: dict[str, Any]) -> Any:
        return add_record(change, self.kind, values)

    def edit(self, change: Change, record: Any, values: dict[str, Any], version: int | None) -> Any:
        return edit_record(change, self.kind, record.pk, values, version)

    def remove(self, change: Change, record: Any, version: int | None) -> Any:
        return remove_record(change, self.kind, record.pk, version)

    # --- plumbing ---

    def one(self, ref: str) -> Any:
        return find_at_address(KINDS[self.kind].model, ref, self.related)

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

    def remove(self, change: Change, record: Any, version: int | None) -> Any:
        return remove_realm(change, record.pk, version)


class SheetViews(SetUpViews):
    kind = "rule sheet"


class RegionViews(SetUpViews):
    kind = "region"


class ZoneViews(SetUpViews):
    kind = "zone"
    related = ("region",)
    filter_by = {"region": KINDS["region"].model}


class TierViews(SetUpViews):
    kind = "tier"


class ProjectViews(SetUpViews):
    kind = "project"


class KeepOutViews(SetUpViews):
    kind = "keep-out"
    related = ("realm",)
    filter_by = {"realm": KINDS["realm"].model}
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

    def remove(self, change: Change, record: Any, version: int | None) -> Any:
        return remove_keep_out(change, record, version)


class ReservationViews(SetUpViews):
    kind = "reservation"
    related = ("realm", "pool", "plan", "zone")
    filter_by = {"realm": KINDS["realm"].model, "pool": Pool, "plan": Plan}

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
        return find(Reservation, reserve(change, ReservationRequest(**values)).pk, related=self.related)

    def edit(self, change: Change, record: Any, values: dict[str, Any], version: int | None) -> Any:
        if "range_text" in values:
            values["range"] = values.pop("range_text")
        projects, tiers = values.pop("projects", None), values.pop("tiers", None)
        return edit_reservation(change, record.pk, values, projects, tiers, version)

    def remove(self, change: Change, record: Any, version: int | None) -> Any:
        return give_back_reservation(change, record.pk, version)


class PlannedNeedViews(SetUpViews):
    kind = "planned need"
    related = ("pool", "project")
    filter_by = {"pool": Pool, "project": KINDS["project"].model}
    orders = {"day": "day", "name": "name", "oldest": "id", "newest": "-id"}


class PersonViews(SetUpViews):
    kind = "person"

    def add(self, change: Change, values: dict[str, Any]) -> Any:
        return add_person(change, values, values.pop("password", None), values.pop("projects", []))

    def edit(self, change: Change, record: Any, values: dict[str, Any], version: int | None) -> Any:
        password, projects = values.pop("password", None), values.pop("projects", None)
        return edit_person(change, record.pk, values, password, projects, version)

    @extend_schema(summary="Lift the lock of a person", request=None, responses=answer_of(PersonSerializer))
    @action(detail=True, methods=["post"])
    def unlock(self, request: Request, ref: str) -> Response:
        """Forget the failed sign-ins with a person's name, so that the next is looked at."""
        person = self.one(ref)
        return self.change(request, lambda change: lift_lock(change, person.pk))

    @extend_schema(summary="Revoke all tokens of a person", request=None, responses=answer_of(PersonSerializer))
    @action(detail=True, methods=["post"], url_path="revoke-tokens")
    def revoke_tokens(self, request: Request, ref: str) -> Response:
        """Make all tokens of a person useless from now on: one's own, or anybody's by an admin."""
        person = self.one(ref)

        def work(change: Change) -> Any:
            revoke_tokens(change, person)
            return person

        return self.change(request, work)


def describe(views: type[SetUpViews]) -> None:
    """Tell the OpenAPI document what a kind's calls take and give."""
    serializer = BY_KIND[views.kind]
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


def _own(views: type[SetUpViews], name: str) -> Any:
    """A method of the class's own, so that describing one kind leaves the others alone."""
    inherited = getattr(views, name)

    def method(self: Any, request: Request, *args: Any, **kwargs: Any) -> Response:
        return inherited(self, request, *args, **kwargs)

    method.__name__, method.__doc__ = name, inherited.__doc__
    for attribute in ("mapping", "detail", "url_path", "url_name"):
        if hasattr(inherited, attribute):
            setattr(method, attribute, getattr(inherited, attribute))
    if hasattr(inherited, "kwargs"):
        method.kwargs = dict(inherited.kwargs)  # type: ignore[attr-defined] # a description is put in there
    return method


for _views in (
    RealmViews,
    SheetViews,
    RegionViews,
    ZoneViews,
    TierViews,
    ProjectViews,
    KeepOutViews,
    ReservationViews,
    PlannedNeedViews,
    PersonViews,
):
    describe(_views)
