"""DNS zones, records by hand, and what stands in a DNS zone; as files, pushed, held against their servers."""

from __future__ import annotations

from typing import Any

from django.db.models import Q, QuerySet
from django.http import HttpResponse
from rest_framework.decorators import action
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.viewsets import GenericViewSet

from lentra.api.calls import asked, call
from lentra.api.changes import answer_of, read_version, run_change
from lentra.api.reading import read_body
from lentra.api.serializers.dns import (
    DnsEntrySerializer,
    DnsZoneSerializer,
    PushSerializer,
    ReverseZonesMadeSerializer,
    ReverseZonesSerializer,
    entries_told,
    know_counts,
)
from lentra.api.serializers.lists import BY_NAME, DnsEntryListQuery, narrow
from lentra.api.views.setup import SetUpViews, describe
from lentra.publishing.zone_files import MEDIA, zone_file
from lentra.registry.errors import WrongState
from lentra.registry.lookup.find import find
from lentra.registry.models import DnsEntry, DnsZone, Project, Realm
from lentra.registry.naming.serving import in_states
from lentra.registry.operations.dns.keep_dns_zone import (
    add_dns_record,
    add_dns_zone,
    add_reverse_zones,
    ask_compare,
    ask_push,
    edit_dns_record,
    edit_dns_zone,
    remove_dns_zone,
)
from lentra.registry.transactions.change import Change

_ANSWER = answer_of(DnsZoneSerializer)


class DnsZoneViews(SetUpViews):
    kind = "DNS zone"
    related = ("realm", "project", "serving")
    orders = BY_NAME
    lookup_value_regex = r"[^/]+(?:/\d\d\.[^/]+\.in-addr\.arpa)?"  # a part of a /24 has a slash in its name

    def paginate_queryset(self, queryset: Any) -> Any:
        page = super().paginate_queryset(queryset)
        know_counts(page or [])
        return page

    def search(self, rows: QuerySet, text: str) -> QuerySet:
        return rows.filter(name__contains=text.lower())

    def narrow_by(self, rows: QuerySet, name: str, value: Any) -> QuerySet:
        by = {"reverse": ~Q(family=None) if value else Q(family=None), "failing": ~Q(serving__failing_since=None)}
        return rows.filter(by[name] if name != "failing" or value else ~by[name])

    def add(self, change: Change, values: dict[str, Any]) -> Any:
        return add_dns_zone(change, values)

    def edit(self, change: Change, record: Any, values: dict[str, Any], version: int | None) -> Any:
        return edit_dns_zone(change, record.pk, values, version)

    def remove(self, change: Change, record: Any, version: int | None) -> Any:
        return remove_dns_zone(change, record.pk, version)

    @call(
        "Add reverse DNS zones",
        request=ReverseZonesSerializer,
        responses={201: answer_of(ReverseZonesMadeSerializer)},
    )
    @action(detail=False, methods=["post"])
    def reverse(self, request: Request) -> Response:
        """Those that are missing, on boundaries of labels or as parts of a /24 (RFC 2317)."""
        values = read_body(request, ReverseZonesSerializer)
        realm, like = find(Realm, values.pop("realm"), "realm"), values.pop("like", None)
        ranges, model = values.pop("ranges", None), find(DnsZone, like, "like") if like else None
        if project := values.pop("project", None):
            values["project"] = find(Project, project, "project")
        return run_change(
            request,
            lambda change: add_reverse_zones(change, realm, ranges, model, dict(values)),
            lambda made: {"dns_zones": self.get_serializer(made, many=True).data},
            201,
        )

    @call("A DNS zone as a file", responses={(200, "text/dns"): {"type": "string"}})
    @action(detail=True, methods=["get"])
    def file(self, request: Request, ref: str) -> HttpResponse:
        """As RFC 1035 has it, with a serial that is another one only for other contents."""
        zone = self.one(ref)
        if zone.delegated:
            raise WrongState(f"others keep what stands in {zone.name}: there is no file of it", field="delegated")
        return HttpResponse(zone_file(zone), content_type=MEDIA)

    @call("Have a DNS zone pushed anew", request=PushSerializer, responses=_ANSWER)
    @action(detail=True, methods=["post"])
    def push(self, request: Request, ref: str) -> Response:
        """What is missing on its server is there again; what stands there otherwise only if that is to be overwritten."""
        zone, version = self.one(ref), read_version(request)
        overwrite = read_body(request, PushSerializer)["overwrite"]
        return self.change(request, lambda change: ask_push(change, zone.pk, overwrite, version))

    @call("Have a DNS zone held against its server now", request=None, responses=_ANSWER)
    @action(detail=True, methods=["post"])
    def compare(self, request: Request, ref: str) -> Response:
        """What differs is told as findings of the kind dns."""
        zone, version = self.one(ref), read_version(request)
        return self.change(request, lambda change: ask_compare(change, zone.pk, version))


describe(DnsZoneViews)


class DnsRecordViews(SetUpViews):
    kind = "DNS record"
    related = ("dns_zone",)
    orders = {"owner": "owner", "oldest": "id", "newest": "-id"}

    def search(self, rows: QuerySet, text: str) -> QuerySet:
        return rows.filter(Q(owner__contains=text.lower()) | Q(data__icontains=text))

    def add(self, change: Change, values: dict[str, Any]) -> Any:
        return add_dns_record(change, values)

    def edit(self, change: Change, record: Any, values: dict[str, Any], version: int | None) -> Any:
        return edit_dns_record(change, record.pk, values, version)


describe(DnsRecordViews)


class DnsEntryViews(GenericViewSet):
    serializer_class = DnsEntrySerializer
    queryset = DnsEntry.objects.all()
    orders = {"owner": "owner"}

    @call("List what stands in DNS zones", query=DnsEntryListQuery)
    def list(self, request: Request) -> Response:
        values = asked(request)
        rows = self.get_queryset()
        for name, column in (("dns_zone", "dns_zone"), ("subnet", "subnet"), ("realm", "realm")):
            if name in values:
                rows = rows.filter(**{f"{column}__in": [record.pk for record in values[name]]})
        rows = narrow(in_states(rows, values.get("state", ())), values, "type")
        if text := values.get("text"):
            rows = rows.filter(Q(owner__contains=text.lower()) | Q(data__contains=text.lower()))
        page = self.paginate_queryset(rows)
        return self.get_paginated_response(entries_told(page))
