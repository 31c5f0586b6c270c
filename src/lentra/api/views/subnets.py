"""Subnets: ask for one, list, show, edit, give back."""

from __future__ import annotations

from typing import Any

from django.db.models import Q
from rest_framework.decorators import action
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.viewsets import GenericViewSet

from lentra.api.calls import asked, call, said_with
from lentra.api.changes import answer_of, read_version, run_change
from lentra.api.fields import OfPages
from lentra.api.pages import page_of, paged
from lentra.api.plain import PlainReader
from lentra.api.reading import find_at_address, read_body
from lentra.api.serializers.inside import (
    AddressesMadeSerializer,
    AddressMapSerializer,
    NewAddressesSerializer,
    shown_addresses,
)
from lentra.api.serializers.lists import SubnetListQuery
from lentra.api.serializers.space import LedgerSerializer, WhereaboutsSerializer
from lentra.api.serializers.subnets import (
    AttachSerializer,
    GrowSerializer,
    HandedOutSerializer,
    HandOverSerializer,
    ReleaseSerializer,
    ReplaceSerializer,
    RequestSerializer,
    RoomSerializer,
    ShrinkSerializer,
    SubnetEditSerializer,
    SubnetSerializer,
    look_up_seen,
)
from lentra.registry.lookup.find import find
from lentra.registry.models import LedgerEntry, Subnet
from lentra.registry.operations.subnets.attach_address import attach_address, detach_address
from lentra.registry.operations.subnets.bring_back import bring_back
from lentra.registry.operations.subnets.edit_subnet import edit_subnet
from lentra.registry.operations.subnets.give_back import give_back_subnet
from lentra.registry.operations.subnets.grow import set_room, shrink_subnet
from lentra.registry.operations.subnets.hand_out import HandedOut
from lentra.registry.operations.subnets.hand_over import hand_over
from lentra.registry.operations.subnets.record_addresses import AddressRequest, record_addresses
from lentra.registry.operations.subnets.replace_subnet import confirm_held
from lentra.registry.operations.waiting.ask import ask
from lentra.registry.operations.waiting.performing import Asking
from lentra.registry.reports.address_map import address_map
from lentra.registry.reports.listing import ORDERS, RELATED, subnets_matching
from lentra.registry.space.evidence import whereabouts

_WITH_SHEET = (*RELATED, "pool__sheet")

# Making a serializer costs more than using it; these keep nothing between two uses.
_READ_REQUEST = PlainReader(RequestSerializer())
_SHOW_SUBNET = SubnetSerializer()


def _shown(subnet: Subnet) -> Any:
    return _SHOW_SUBNET.to_representation(subnet)


def _handed_out(handed: HandedOut) -> dict[str, Any]:
    return {"subnets": [_shown(subnet) for subnet in handed.subnets], "why": handed.why}


class SubnetViews(GenericViewSet):
    scopes = ("ask",)
    serializer_class = SubnetSerializer
    queryset = Subnet.objects.none()
    lookup_field = "ref"
    lookup_value_regex = r"[^/]+"
    orders = ORDERS

    @call("List subnets", query=SubnetListQuery)
    def list(self, request: Request) -> Response:
        rows = subnets_matching(asked(request))
        page = self.paginate_queryset(rows)
        look_up_seen(page)
        return self.get_paginated_response([_shown(subnet) for subnet in page])

    @call("Show a subnet")
    def retrieve(self, request: Request, ref: str) -> Response:
        subnet = find_at_address(Subnet, ref, _WITH_SHEET)
        look_up_seen([subnet])
        return Response(_shown(subnet), headers={"ETag": f'"{subnet.last_entry}"'})

    @call(
        "Ask for subnets, and be handed them",
        own_proposal=True,
        asking=True,
        request=RequestSerializer,
        responses={201: answer_of(HandedOutSerializer)},
    )
    def create(self, request: Request) -> Response:
        values = _READ_REQUEST.read(request.data)
        wanted = Asking("subnets", values, proposal=values.pop("proposal", None), **said_with(request))

        return run_change(
            request,
            lambda change: ask(change, wanted),
            _handed_out,
            201,
            token=lambda handed: handed.token,
            key_with_lock=True,
        )

    @call(
        "Rename, relabel, annotate",
        request=SubnetEditSerializer,
        responses=answer_of(SubnetSerializer),
    )
    def partial_update(self, request: Request, ref: str) -> Response:
        subnet = find_at_address(Subnet, ref)
        serializer = SubnetEditSerializer(data=request.data)
        serializer.is_valid(raise_exception=True)
        version = read_version(request)

        def work(change: Any) -> Subnet:
            edit_subnet(change, subnet.pk, dict(serializer.validated_data), version)
            return find(Subnet, subnet.pk, related=_WITH_SHEET)

        return run_change(request, work, _shown)

    @call(
        "Give a subnet back",
        scopes=("give-back",),
        request=ReleaseSerializer,
        responses=answer_of(SubnetSerializer),
    )
    @action(detail=True, methods=["post"])
    def release(self, request: Request, ref: str) -> Response:
        subnet = find_at_address(Subnet, ref)
        serializer = ReleaseSerializer(data=request.data)
        serializer.is_valid(raise_exception=True)
        version = read_version(request)
        values = serializer.validated_data
        return run_change(
            request,
            lambda change: give_back_subnet(change, subnet.pk, values["at_once"], version, values["despite_use"]),
            _shown,
        )

    @call("Grow a subnet", asking=True, request=GrowSerializer, responses=answer_of(SubnetSerializer))
    @action(detail=True, methods=["post"])
    def grow(self, request: Request, ref: str) -> Response:
        subnet = find_at_address(Subnet, ref)
        values = read_body(request, GrowSerializer)
        wanted = Asking("growth", dict(values), subnet.pk, read_version(request), **said_with(request))

        def work(change: Any) -> Subnet:
            ask(change, wanted)
            return find(Subnet, subnet.pk, related=_WITH_SHEET)

        return run_change(request, work, _shown)

    @call(
        "Shrink a subnet", scopes=("give-back",), request=ShrinkSerializer, responses=answer_of(SubnetSerializer)
    )
    @action(detail=True, methods=["post"])
    def shrink(self, request: Request, ref: str) -> Response:
        return self._change(request, ref, ShrinkSerializer, shrink_subnet)

    @call("Keep room behind a subnet", request=RoomSerializer, responses=answer_of(SubnetSerializer))
    @action(detail=True, methods=["post"])
    def room(self, request: Request, ref: str) -> Response:
        return self._change(request, ref, RoomSerializer, set_room)

    @call("Confirm a held subnet", request=None, responses=answer_of(SubnetSerializer))
    @action(detail=True, methods=["post"])
    def confirm(self, request: Request, ref: str) -> Response:
        subnet = find_at_address(Subnet, ref)
        return run_change(request, lambda change: confirm_held(change, subnet.pk, read_version(request)), _shown)

    @call("Bring a subnet back that cools", request=None, responses=answer_of(SubnetSerializer))
    @action(detail=True, methods=["post"], url_path="bring-back")
    def bring_back(self, request: Request, ref: str) -> Response:
        """Have it in use again: same number, name, blocks, tag and records; for whoever gave it back, or a planner."""
        subnet, version = find_at_address(Subnet, ref), read_version(request)

        def work(change: Any) -> Subnet:
            bring_back(change, subnet.pk, version=version)
            return find(Subnet, subnet.pk, related=_WITH_SHEET)

        return run_change(request, work, _shown)

    @call(
        "Hand a subnet over to another project", request=HandOverSerializer, responses=answer_of(SubnetSerializer)
    )
    @action(detail=True, methods=["post"], url_path="hand-over")
    def hand_over(self, request: Request, ref: str) -> Response:
        return self._change(request, ref, HandOverSerializer, hand_over)

    @call("Attach a public address", request=AttachSerializer, responses=answer_of(SubnetSerializer))
    @action(detail=True, methods=["post"])
    def attach(self, request: Request, ref: str) -> Response:
        return self._change(request, ref, AttachSerializer, attach_address)

    @call("Detach a public address", scopes=("give-back",), request=None, responses=answer_of(SubnetSerializer))
    @action(detail=True, methods=["post"])
    def detach(self, request: Request, ref: str) -> Response:
        subnet = find_at_address(Subnet, ref)
        version = read_version(request)
        return run_change(request, lambda change: detach_address(change, subnet.pk, version), _shown)

    @call(
        "Replace a subnet by a new one, and let it retire",
        own_proposal=True,
        asking=True,
        request=ReplaceSerializer,
        responses={201: answer_of(HandedOutSerializer)},
    )
    @action(detail=True, methods=["post"])
    def replace(self, request: Request, ref: str) -> Response:
        subnet = find_at_address(Subnet, ref)
        serializer = ReplaceSerializer(data=request.data)
        serializer.is_valid(raise_exception=True)
        values = dict(serializer.validated_data)
        proposal = values.pop("proposal", None)
        wanted = Asking("replacement", values, subnet.pk, read_version(request), proposal, **said_with(request))
        return run_change(
            request,
            lambda change: ask(change, wanted),
            _handed_out,
            201,
            token=lambda handed: handed.token,
        )

    @call(
        "Record addresses in a subnet",
        request=NewAddressesSerializer,
        responses={201: answer_of(AddressesMadeSerializer)},
    )
    @action(detail=True, methods=["post"])
    def addresses(self, request: Request, ref: str) -> Response:
        subnet = find_at_address(Subnet, ref)
        serializer = NewAddressesSerializer(data=request.data)
        serializer.is_valid(raise_exception=True)
        values = serializer.validated_data
        wanted = [AddressRequest(**row) for row in values.get("records", [values])]
        return run_change(
            request,
            lambda change: record_addresses(change, subnet.pk, wanted, read_version(request)),
            lambda records: {"addresses": shown_addresses(records)},
            201,
        )

    @call("What each address of a subnet is for", responses=AddressMapSerializer)
    @action(detail=True, methods=["get"], url_path="address-map", pagination_class=None)
    def address_map(self, request: Request, ref: str) -> Response:
        subnet = find_at_address(Subnet, ref, ("pool__sheet",))
        return Response(address_map(subnet))

    def _change(self, request: Request, ref: str, read: Any, operation: Any) -> Response:
        """Run an operation that takes a subnet, the body's values and an edit version."""
        subnet = find_at_address(Subnet, ref)
        serializer = read(data=request.data)
        serializer.is_valid(raise_exception=True)
        version = read_version(request)

        def work(change: Any) -> Subnet:
            operation(change, subnet.pk, **serializer.validated_data, version=version)
            return find(Subnet, subnet.pk, related=_WITH_SHEET)

        return run_change(request, work, _shown)

    @call("A subnet's history", query=OfPages, responses=paged(LedgerSerializer))
    @action(detail=True, methods=["get"], pagination_class=None)
    def history(self, request: Request, ref: str) -> Response:
        number = int(ref) if ref.isascii() and ref.isdigit() else find_at_address(Subnet, ref).pk
        rows = LedgerEntry.objects.filter(Q(number=number) | Q(subject=number), kind=Subnet.KIND)
        return page_of(request, rows.order_by("-number"), LedgerSerializer().to_representation)

    @call("A subnet's neighbours", responses=WhereaboutsSerializer(many=True))
    @action(detail=True, methods=["get"], pagination_class=None)
    def neighbours(self, request: Request, ref: str) -> Response:
        subnet = find_at_address(Subnet, ref, ("realm",))
        found = [whereabouts(subnet.realm, b.family, b.first, b.last) for b in subnet.blocks()]
        return Response(WhereaboutsSerializer(found, many=True).data)
