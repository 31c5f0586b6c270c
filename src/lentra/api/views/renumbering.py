"""Renumberings: start, begin, finish, turn back; how far they are, and what others must change."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from django.db.models import Q
from rest_framework.decorators import action
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.viewsets import GenericViewSet

from lentra.api.calls import asked, call
from lentra.api.changes import answer_of, read_version, run_change
from lentra.api.fields import OfPages
from lentra.api.pages import page_of, paged
from lentra.api.reading import find_at_address, read_body
from lentra.api.serializers.lists import narrow
from lentra.api.serializers.renumbering import (
    CheckSerializer,
    DnsChangeSerializer,
    FinishSerializer,
    HostsMovedSerializer,
    MapRowSerializer,
    MoveListQuery,
    MoveOfSerializer,
    PartSerializer,
    RenumberingListQuery,
    RenumberingSerializer,
    RenumberingShownSerializer,
    RouteRowSerializer,
    RuleRowSerializer,
    StartedSerializer,
    WantedSerializer,
    moves_told,
    shown,
    started_told,
    wanted_of,
)
from lentra.registry.models import Move, Renumbering
from lentra.registry.operations.renumbering.renumber import start_renumbering
from lentra.registry.operations.renumbering.waves import (
    Part,
    begin_wave,
    finish_wave,
    set_check,
    set_moved,
    turn_back,
)
from lentra.registry.reports.renumbering import dns_changes, map_of, moves_of, routes, rules_of
from lentra.registry.transactions.change import Change
from lentra.registry.transactions.clock import SystemClock

Told = dict[str, Any]


class RenumberingViews(GenericViewSet):
    scopes = ("plan",)
    serializer_class = RenumberingSerializer
    queryset = Renumbering.objects.select_related("realm")
    lookup_field = "ref"
    lookup_value_regex = r"[^/]+"
    orders = {"newest": "-id", "oldest": "id", "name": "name"}

    @call("List renumberings", query=RenumberingListQuery)
    def list(self, request: Request) -> Response:
        values = asked(request)
        rows = narrow(self.get_queryset(), values, "realm", "state")
        if subnets := values.get("subnet"):
            numbers = [subnet.pk for subnet in subnets]
            moves = Move.objects.filter(Q(old_id__in=numbers) | Q(new_id__in=numbers))
            rows = rows.filter(pk__in=set(moves.values_list("renumbering", flat=True)))
        page = self.paginate_queryset(rows)
        return self.get_paginated_response(RenumberingSerializer(page, many=True).data)

    @call("Show a renumbering, and how far it is", responses=RenumberingShownSerializer)
    def retrieve(self, request: Request, ref: str) -> Response:
        made = _found(ref)
        return Response(shown(made, SystemClock().now()), headers={"ETag": f'"{made.last_entry}"'})

    @call(
        "Renumber: find a place for all that moves, and start",
        request=WantedSerializer,
        responses={201: answer_of(StartedSerializer)},
    )
    def create(self, request: Request) -> Response:
        """Everything gets its new place: offsets kept where the target allows it, otherwise packed, the largest first."""
        values = read_body(request, WantedSerializer)
        how = {name: values[name] for name in ("waves", "by", "reason")}
        wanted = wanted_of(values)
        return run_change(
            request,
            lambda change: start_renumbering(change, values["name"], wanted, **how),
            started_told,
            201,
        )

    @call("Begin a wave", request=PartSerializer, responses=answer_of(RenumberingShownSerializer))
    @action(detail=True, methods=["post"])
    def begin(self, request: Request, ref: str) -> Response:
        """Hand out its new side with all address records; the old side retires, and both live."""
        part, version = _part(read_body(request, PartSerializer)), read_version(request)
        return self._change(request, ref, lambda change, number: begin_wave(change, number, part, version))

    @call(
        "Finish a wave",
        scopes=("plan", "give-back"),
        request=FinishSerializer,
        responses=answer_of(RenumberingShownSerializer),
    )
    @action(detail=True, methods=["post"])
    def finish(self, request: Request, ref: str) -> Response:
        """Give the old side back; the new one takes over its names and segment tags."""
        values, version = read_body(request, FinishSerializer), read_version(request)
        despite_use = values.pop("despite_use")
        part = _part(values)
        return self._change(
            request, ref, lambda change, number: finish_wave(change, number, part, despite_use, version)
        )

    @call(
        "Turn a wave back",
        scopes=("plan", "give-back"),
        request=PartSerializer,
        responses=answer_of(RenumberingShownSerializer),
    )
    @action(detail=True, methods=["post"], url_path="turn-back")
    def turn_back(self, request: Request, ref: str) -> Response:
        """Give the new side up: the old one is in use as before."""
        part, version = _part(read_body(request, PartSerializer)), read_version(request)
        return self._change(request, ref, lambda change, number: turn_back(change, number, part, version))

    @call(
        "Note which hosts have moved",
        request=HostsMovedSerializer,
        responses=answer_of(RenumberingShownSerializer),
    )
    @action(detail=True, methods=["post"])
    def moved(self, request: Request, ref: str) -> Response:
        values = read_body(request, HostsMovedSerializer)
        who = (values.get("subnets", []), values.get("hosts", []), values["moved"], read_version(request))
        return self._change(request, ref, lambda change, number: set_moved(change, number, *who))

    @call("Tick off a step", request=CheckSerializer, responses=answer_of(RenumberingShownSerializer))
    @action(detail=True, methods=["post"])
    def check(self, request: Request, ref: str) -> Response:
        values = read_body(request, CheckSerializer)
        what = (values.get("subnets", []), values["check"], values["done"], read_version(request))
        return self._change(request, ref, lambda change, number: set_check(change, number, *what))

    @call("List the moves of a renumbering", query=MoveListQuery, responses=paged(MoveOfSerializer))
    @action(detail=True, methods=["get"], pagination_class=None)
    def moves(self, request: Request, ref: str) -> Response:
        values = asked(request)
        every = moves_of(_found(ref), values["state"]) if values.get("state") else moves_of(_found(ref))
        rows = [move for move in every if not values.get("wave") or move.wave in values["wave"]]
        return page_of(request, moves_told(rows))

    @call("Old beside new", query=OfPages, responses=paged(MapRowSerializer))
    @action(detail=True, methods=["get"], pagination_class=None)
    def map(self, request: Request, ref: str) -> Response:
        """Every subnet, reservation and address record that moves."""
        return page_of(request, map_of(_found(ref)))

    @call("What rules need", query=OfPages, responses=paged(RuleRowSerializer))
    @action(detail=True, methods=["get"], pagination_class=None)
    def rules(self, request: Request, ref: str) -> Response:
        """Ranges to add to rules of who may reach whom now, and to take out of them at the end."""
        return page_of(request, rules_of(_found(ref)))

    @call("DNS changes of each wave", query=OfPages, responses=paged(DnsChangeSerializer))
    @action(detail=True, methods=["get"], pagination_class=None)
    def dns(self, request: Request, ref: str) -> Response:
        return page_of(request, dns_changes(_found(ref)))

    @call("Routes before, during and after", query=OfPages, responses=paged(RouteRowSerializer))
    @action(detail=True, methods=["get"], pagination_class=None)
    def routes(self, request: Request, ref: str) -> Response:
        """What is routed before, while both sides live, and after, in the fewest prefixes."""
        return page_of(request, routes(_found(ref)))

    def _change(self, request: Request, ref: str, work: Callable[[Change, int], Renumbering]) -> Response:
        number = _found(ref).pk

        def told(made: Renumbering) -> Told:
            return shown(made, SystemClock().now())

        return run_change(request, lambda change: work(change, number), told)


def _found(ref: str) -> Renumbering:
    made: Renumbering = find_at_address(Renumbering, ref, ("realm",))
    return made


def _part(values: Told) -> Part:
    return Part(values.get("wave"), values.get("subnets", []))
