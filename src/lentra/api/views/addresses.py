"""Address records: list, edit, release. They are made under their subnet."""

from __future__ import annotations

from typing import Any

from django.db.models import Q
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.viewsets import GenericViewSet

from lentra.addressing.prefix import parse_address
from lentra.addressing.refusal import Refusal
from lentra.api.calls import asked, call
from lentra.api.changes import answer_of, read_version, run_change
from lentra.api.reading import find_at_address
from lentra.api.serializers.inside import AddressEditSerializer, AddressSerializer
from lentra.api.serializers.lists import AddressListQuery, in_span, narrow
from lentra.registry.lookup.sightings import look_up_last_seen
from lentra.registry.models import Address
from lentra.registry.operations.subnets.record_addresses import edit_address, read_mac, release_address


class AddressViews(GenericViewSet):
    scopes = ("ask",)
    serializer_class = AddressSerializer
    queryset = Address.objects.select_related("subnet", "realm")
    lookup_field = "ref"
    lookup_value_regex = r"[0-9]+"
    orders = {"oldest": "id", "newest": "-id"}

    @call("List address records", query=AddressListQuery)
    def list(self, request: Request) -> Response:
        values = asked(request)
        rows = narrow(self.get_queryset(), values, "realm", "subnet", "name", "kind", project="subnet__project")
        if text := values.get("address"):
            try:
                family, address = parse_address(text)
            except Refusal as refusal:
                raise refusal.about("address")
            rows = rows.filter(family=family, address=address)
        if block := values.get("inside"):
            rows = rows.filter(family=block.family, address__range=(block.first, block.last))
        if mac := values.get("mac"):
            rows = rows.filter(mac=read_mac(mac))
        if text := values.get("text"):
            rows = rows.filter(Q(name__contains=text.lower()) | Q(purpose__icontains=text))
        rows = in_span(rows, values, "created_at")
        page = self.paginate_queryset(rows)
        look_up_last_seen(page)
        return self.get_paginated_response(AddressSerializer(page, many=True).data)

    @call("Show an address record")
    def retrieve(self, request: Request, ref: str) -> Response:
        record = find_at_address(Address, ref, ("subnet", "realm"))
        look_up_last_seen([record])
        return Response(AddressSerializer(record).data, headers={"ETag": f'"{record.last_entry}"'})

    @call("Edit an address record", request=AddressEditSerializer, responses=answer_of(AddressSerializer))
    def partial_update(self, request: Request, ref: str) -> Response:
        record = find_at_address(Address, ref)
        read = AddressEditSerializer(data=request.data)
        read.is_valid(raise_exception=True)
        version = read_version(request)
        return run_change(
            request, lambda change: edit_address(change, record.pk, dict(read.validated_data), version), _shown
        )

    @call("Release an address", scopes=("give-back",), responses={200: answer_of(AddressSerializer)})
    def destroy(self, request: Request, ref: str) -> Response:
        record = find_at_address(Address, ref)
        version = read_version(request)
        return run_change(request, lambda change: release_address(change, record.pk, version), _shown)


def _shown(record: Address) -> Any:
    return AddressSerializer(record).data
