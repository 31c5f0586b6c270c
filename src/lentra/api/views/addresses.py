"""Address records: list, edit, release. They are made under their subnet."""

from __future__ import annotations

from typing import Any

from django.db.models import Q
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.viewsets import GenericViewSet

from lentra.addressing.prefix import parse_address
from lentra.addressing.refusal import Refusal
from lentra.api.changes import answer_of, read_version, run_change
from lentra.api.reading import find_at_address
from lentra.api.serializers.inside import AddressEditSerializer, AddressSerializer
from lentra.registry.lookup.find import find
from lentra.registry.models import Address, Realm, Subnet
from lentra.registry.operations.subnets.record_addresses import edit_address, read_mac, release_address

_FILTERS = ("realm", "subnet", "address", "name", "mac", "kind", "text", "order")


class AddressViews(GenericViewSet):
    serializer_class = AddressSerializer
    queryset = Address.objects.select_related("subnet", "realm")
    lookup_field = "ref"
    lookup_value_regex = r"[0-9]+"
    orders = {"oldest": "id", "newest": "-id"}

    @extend_schema(summary="List address records", parameters=[OpenApiParameter(name, str) for name in _FILTERS])
    def list(self, request: Request) -> Response:
        rows, query = self.get_queryset(), request.query_params
        for name, model in (("realm", Realm), ("subnet", Subnet)):
            if value := query.get(name):
                rows = rows.filter(**{name: find(model, value, name)})
        if text := query.get("address"):
            try:
                family, address = parse_address(text)
            except Refusal as refusal:
                raise refusal.about("address")
            rows = rows.filter(family=family, address=address)
        if mac := query.get("mac"):
            rows = rows.filter(mac=read_mac(mac))
        for name in ("name", "kind"):
            if value := query.get(name):
                rows = rows.filter(**{name: value[:120]})
        if text := query.get("text"):
            rows = rows.filter(Q(name__contains=text[:100].lower()) | Q(purpose__icontains=text[:100]))
        page = self.paginate_queryset(rows)
        return self.get_paginated_response(AddressSerializer(page, many=True).data)

    @extend_schema(summary="Show an address record")
    def retrieve(self, request: Request, ref: str) -> Response:
        record = find_at_address(Address, ref, ("subnet", "realm"))
        return Response(AddressSerializer(record).data, headers={"ETag": f'"{record.last_entry}"'})

    @extend_schema(
        summary="Edit an address record", request=AddressEditSerializer, responses=answer_of(AddressSerializer)
    )
    def partial_update(self, request: Request, ref: str) -> Response:
        record = find_at_address(Address, ref)
        read = AddressEditSerializer(data=request.data)
        read.is_valid(raise_exception=True)
        version = read_version(request)
        return run_change(
            request, lambda change: edit_address(change, record.pk, dict(read.validated_data), version), _shown
        )

    @extend_schema(summary="Release an address", responses={200: answer_of(AddressSerializer)})
    def destroy(self, request: Request, ref: str) -> Response:
        record = find_at_address(Address, ref)
        version = read_version(request)
        return run_change(request, lambda change: release_address(change, record.pk, version), _shown)


def _shown(record: Address) -> Any:
    return AddressSerializer(record).data
