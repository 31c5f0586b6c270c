"""Set-up objects: one set of views for all kinds, and what keep-outs, reservations and people do beyond it."""

from __future__ import annotations

from datetime import timedelta
from typing import Any

from django.db.models import Q, QuerySet
from rest_framework.decorators import action
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.serializers import CharField
from rest_framework.viewsets import GenericViewSet

from lentra.api.calls import NONE, asked, call, said_with
from lentra.api.changes import answer_of, read_version, run_change
from lentra.api.reading import find_at_address, read_body
from lentra.api.serializers.keep_outs import KeepOutsMadeSerializer, KeepOutsSerializer
from lentra.api.serializers.lists import BY_AGE, BY_NAME, SET_UP_FILTERS, list_query
from lentra.api.serializers.setup import BY_KIND, PersonSerializer, UseSerializer
from lentra.api.serializers.subscriptions import PauseSerializer, ResumeSerializer, SubscriptionSerializer
from lentra.registry.lookup.any_of import any_of
from lentra.registry.lookup.find import find
from lentra.registry.models import Reservation
from lentra.registry.operations.people.manage_people import add_person, edit_person
from lentra.registry.operations.people.second_factor import forget_second_factor
from lentra.registry.operations.people.sign_in import lift_lock
from lentra.registry.operations.people.sign_on import by_sign_on
from lentra.registry.operations.people.tokens import revoke_tokens
from lentra.registry.operations.pools.add_keep_out import add_keep_out, add_keep_outs, remove_keep_out
from lentra.registry.operations.reservations.reserve import edit_reservation, give_back_reservation
from lentra.registry.operations.setup.add_realm import add_realm
from lentra.registry.operations.setup.add_record import add_record
from lentra.registry.operations.setup.edit_record import edit_record
from lentra.registry.operations.setup.edit_sheet import edit_sheet
from lentra.registry.operations.setup.limit_project import add_quota, edit_quota
from lentra.registry.operations.setup.remove_realm import remove_realm
from lentra.registry.operations.setup.remove_record import remove_record
from lentra.registry.operations.subscriptions.subscribe import (
    add_subscription,
    edit_subscription,
    pause_subscription,
    resume_subscription,
)
from lentra.registry.operations.waiting.ask import ask
from lentra.registry.operations.waiting.performing import Asking
from lentra.registry.rules.kinds import KINDS
from lentra.registry.transactions.change import Change
from lentra.registry.transactions.clock import SystemClock


class SetUpViews(GenericViewSet):
    """List, show, add, edit and remove the objects of one kind."""

    kind: str
    scopes: tuple[str, ...] = ("set-up",)
    related: tuple[str, ...] = ()
    lookup_field = "ref"
    lookup_value_regex = r"[^/]+"
    orders = BY_NAME
    many: dict[str, str] = {}  # filters by what a record has several of: filter -> column

    def get_queryset(self) -> QuerySet:
        # Prefetched, not joined: a join would begin at the smaller table and sort the larger one.
        return KINDS[self.kind].model._default_manager.prefetch_related(*self.related)

    def list(self, request: Request) -> Response:
        values = asked(request)
        rows = self.narrow(self.get_queryset(), values)
        if text := values.get("text"):
            rows = self.search(rows, text)
        page = self.paginate_queryset(rows)
        return self.get_paginated_response(self.get_serializer(page, many=True).data)

    def narrow(self, rows: QuerySet, values: dict[str, Any]) -> QuerySet:
        """The rows that have any of what is asked for of each filter of the kind."""
        for name in SET_UP_FILTERS.get(self.kind, {}).keys() & values.keys():
            if name in self.many:  # looked up apart, lest a row come twice
                found = rows.model.objects.filter(**{f"{self.many[name]}__in": values[name]})
                rows = rows.filter(pk__in=found.values("pk"))
            elif isinstance(values[name], list):
                rows = rows.filter(**any_of(name, values[name]))
            else:
                rows = self.narrow_by(rows, name, values[name])
        return rows

    def narrow_by(self, rows: QuerySet, name: str, value: Any) -> QuerySet:
        return rows.filter(**{name: value})

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

    def edit(self, change: Change, record: Any, values: dict[str, Any], version: int | None) -> Any:
        return edit_sheet(change, record.pk, values, version)


class RegionViews(SetUpViews):
    kind = "region"


class ZoneViews(SetUpViews):
    kind = "zone"
    related = ("region",)


class TierViews(SetUpViews):
    kind = "tier"


class KeepOutViews(SetUpViews):
    kind = "keep-out"
    related = ("realm", "in_favour_of")
    orders = BY_AGE

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

    def narrow_by(self, rows: QuerySet, name: str, value: Any) -> QuerySet:
        by = {"source": "source__icontains", "before": "since__lt", "review_by": "review_on__lte"}
        return rows.filter(**{by[name]: value})

    @call("Add several keep-outs", request=KeepOutsSerializer, responses={201: answer_of(KeepOutsMadeSerializer)})
    @action(detail=False, methods=["post"])
    def several(self, request: Request) -> Response:
        """Declare several ranges of a realm used or forbidden elsewhere, all or none."""
        values = read_body(request, KeepOutsSerializer)
        rows, despite_use = values.pop("rows"), values.pop("despite_use")

        def work(change: Change) -> Any:
            bounds = ("family", "first", "last")
            each = [{**values, **row, **dict(zip(bounds, row["range"], strict=True))} for row in rows]
            return add_keep_outs(change, [_without(one, "range") for one in each], despite_use)

        return run_change(
            request, work, lambda made: {"keep_outs": self.get_serializer(made, many=True).data}, status=201
        )

    def remove(self, change: Change, record: Any, version: int | None) -> Any:
        return remove_keep_out(change, record, version)


def _without(values: dict[str, Any], name: str) -> dict[str, Any]:
    return {key: value for key, value in values.items() if key != name}


class ReservationViews(SetUpViews):
    scopes = ("plan",)
    kind = "reservation"
    may_wait = True  # for a planner, if a requester asks
    related = ("realm", "pool", "plan", "zone")
    many = {"project": "projects", "tier": "tiers"}

    def get_queryset(self) -> QuerySet:
        return super().get_queryset().prefetch_related("extents", "projects", "tiers")

    def narrow_by(self, rows: QuerySet, name: str, value: Any) -> QuerySet:
        assert name == "ending_within"
        return rows.filter(ends_at__lte=SystemClock().now() + timedelta(days=value))

    def search(self, rows: QuerySet, text: str) -> QuerySet:
        return rows.filter(Q(name__contains=text.lower()) | Q(reason__icontains=text) | Q(service=text))

    def create(self, request: Request) -> Response:
        values = self.read(request)
        wanted = Asking("reservation", _plain_reservation(values), **said_with(request))

        def work(change: Change) -> Any:
            return find(Reservation, ask(change, wanted).pk, related=self.related)

        return self.change(request, work, 201)

    def edit(self, change: Change, record: Any, values: dict[str, Any], version: int | None) -> Any:
        if "range_text" in values:
            values["range"] = values.pop("range_text")
        projects, tiers = values.pop("projects", None), values.pop("tiers", None)
        return edit_reservation(change, record.pk, values, projects, tiers, version)

    def remove(self, change: Change, record: Any, version: int | None) -> Any:
        return give_back_reservation(change, record.pk, version)


def _plain_reservation(values: dict[str, Any]) -> dict[str, Any]:
    """A reservation that is asked for, with numbers in the place of records."""
    plain = {
        name: value
        for name, value in values.items()
        if name not in ("range_text", "pool", "projects", "tiers", "ends_at")
    }
    plain |= {"pool": values["pool"].pk, "range": list(values["range_text"]) if values.get("range_text") else None}
    plain |= {name: [record.pk for record in values.get(name, [])] for name in ("projects", "tiers")}
    return plain | {"ends_at": values["ends_at"].isoformat() if values.get("ends_at") else None}


class PlannedNeedViews(SetUpViews):
    scopes = ("plan",)
    kind = "planned need"
    related = ("pool", "project")
    orders = {"day": "day", **BY_NAME}


class QuotaViews(SetUpViews):
    kind = "quota"
    related = ("project", "realm", "region", "pool")
    orders = BY_AGE

    def search(self, rows: QuerySet, text: str) -> QuerySet:
        return rows.filter(Q(project__name__contains=text.lower()) | Q(about__icontains=text))

    def add(self, change: Change, values: dict[str, Any]) -> Any:
        return add_quota(change, values)

    def edit(self, change: Change, record: Any, values: dict[str, Any], version: int | None) -> Any:
        return edit_quota(change, record.pk, values, version)


class ApprovalRuleViews(SetUpViews):
    kind = "approval rule"
    related = ("realm", "pool", "project", "tier")
    orders = {"place": "place", **BY_NAME}


class SubscriptionViews(SetUpViews):
    kind = "subscription"
    related = ("progress",)

    def add(self, change: Change, values: dict[str, Any]) -> Any:
        return add_subscription(change, values)

    def edit(self, change: Change, record: Any, values: dict[str, Any], version: int | None) -> Any:
        return edit_subscription(change, record.pk, values, version)

    def change(self, request: Request, work: Any, status: int = 200) -> Response:
        """What was done, with a secret that was made: told once, and not kept for repeats."""

        def without_secret(answer: dict[str, Any]) -> dict[str, Any]:
            return answer | {"result": {**answer["result"], "told_secret": None}}

        def told(record: Any) -> Any:
            if request.preview:
                record.told_secret = None  # another one is made when it is done
            return self.get_serializer(record).data

        return run_change(request, work, told, status, kept=without_secret)

    @call("Pause a subscription", request=PauseSerializer, responses=answer_of(SubscriptionSerializer))
    @action(detail=True, methods=["post"])
    def pause(self, request: Request, ref: str) -> Response:
        """Send nothing for now; what is changed meanwhile is sent once it goes on."""
        record, version = self.one(ref), read_version(request)
        reason = read_body(request, PauseSerializer)["reason"]
        return self.change(request, lambda change: pause_subscription(change, record.pk, reason, version))

    @call("Resume a subscription", request=ResumeSerializer, responses=answer_of(SubscriptionSerializer))
    @action(detail=True, methods=["post"])
    def resume(self, request: Request, ref: str) -> Response:
        """Go on sending, from where it stood or from behind a number."""
        record, version = self.one(ref), read_version(request)
        after = read_body(request, ResumeSerializer).get("after")
        return self.change(request, lambda change: resume_subscription(change, record.pk, after, version))


class PersonViews(SetUpViews):
    kind = "person"
    scopes = NONE
    related = ("second_factor", "sign_on", "service_of")
    many = {"project": "projects"}

    def add(self, change: Change, values: dict[str, Any]) -> Any:
        return add_person(change, values, values.pop("password", None), values.pop("projects", []))

    def edit(self, change: Change, record: Any, values: dict[str, Any], version: int | None) -> Any:
        password, projects = values.pop("password", None), values.pop("projects", None)
        return edit_person(change, record.pk, values, password, projects, version)

    @call("Lift the lock of a person", request=None, responses=answer_of(PersonSerializer))
    @action(detail=True, methods=["post"])
    def unlock(self, request: Request, ref: str) -> Response:
        """Forget the failed sign-ins with a person's name, so that the next is looked at."""
        person, version = self.one(ref), read_version(request)
        return self.change(request, lambda change: lift_lock(change, person.pk, version))

    @call("Turn off the second factor of a person", request=None, responses=answer_of(PersonSerializer))
    @action(detail=True, methods=["post"], url_path="second-factor-off")
    def second_factor_off(self, request: Request, ref: str) -> Response:
        """For somebody who has lost it."""
        person, version = self.one(ref), read_version(request)
        return self.change(request, lambda change: forget_second_factor(change, person.pk, version))

    @call("Have a person sign in by single sign-on", request=None, responses=answer_of(PersonSerializer))
    @action(detail=True, methods=["post"], url_path="by-sign-on")
    def by_sign_on(self, request: Request, ref: str) -> Response:
        """The password is gone; whoever is called so there is this person from the next sign-on."""
        person, version = self.one(ref), read_version(request)
        return self.change(request, lambda change: by_sign_on(change, person.pk, version))

    @call("Revoke all tokens of a person", request=None, responses=answer_of(PersonSerializer))
    @action(detail=True, methods=["post"], url_path="revoke-tokens")
    def revoke_tokens(self, request: Request, ref: str) -> Response:
        """Make all tokens of a person useless from now on: one's own, or anybody's by an admin."""
        person, version = self.one(ref), read_version(request)

        def work(change: Change) -> Any:
            revoke_tokens(change, person, version)
            return person

        return self.change(request, work)


class GroupMappingViews(SetUpViews):
    kind = "group mapping"
    scopes = NONE
    related = ("project",)
    orders = BY_AGE

    def search(self, rows: QuerySet, text: str) -> QuerySet:
        return rows.filter(Q(group__icontains=text) | Q(about__icontains=text))


def describe(views: type[SetUpViews]) -> None:
    """Tell the OpenAPI document what a kind's calls take and give."""
    serializer = BY_KIND[views.kind]
    views.serializer_class = serializer
    answer = answer_of(serializer)  # type: ignore[arg-type]
    noun = views.kind
    words = {
        "list": f"List {noun}s",
        "retrieve": f"Show a {noun}",
        "create": f"Add a {noun}",
        "partial_update": f"Edit a {noun}",
        "destroy": f"Remove a {noun}",
    }
    for name, summary in words.items():
        options: dict[str, Any] = {}
        if name in ("create", "partial_update", "destroy"):
            options["responses"] = {201 if name == "create" else 200: answer}
            options["asking"] = name == "create" and getattr(views, "may_wait", False)
        if name == "list":
            options["query"] = list_query(f"{noun}s".capitalize(), views.orders, **_filters(noun))
        setattr(views, name, call(summary, **options)(_own(views, name)))
    views.use = call(f"What uses a {noun}", responses=UseSerializer)(_own(views, "use"))  # type: ignore[method-assign]


def _filters(kind: str) -> dict[str, Any]:
    text = CharField(required=False, max_length=100, help_text="Part of the name, or of what else it is told by.")
    return {**SET_UP_FILTERS.get(kind, {}), "text": text}


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
    KeepOutViews,
    ReservationViews,
    PlannedNeedViews,
    QuotaViews,
    ApprovalRuleViews,
    SubscriptionViews,
    PersonViews,
    GroupMappingViews,
):
    describe(_views)
