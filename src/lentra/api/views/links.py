"""Links between realms, and what meets by them."""

from __future__ import annotations

from typing import Any

from django.db.models import Q, QuerySet
from rest_framework.decorators import action
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from lentra.addressing.prefix import range_text
from lentra.api.calls import asked, call
from lentra.api.reading import find_at_address
from lentra.api.serializers.links import MeetingQuery, MeetingsSerializer, RealmGraphSerializer
from lentra.api.views.setup import SetUpViews, describe
from lentra.registry.models import Link
from lentra.registry.operations.links.keep_link import add_link, edit_link, remove_link
from lentra.registry.operations.links.settle import Chosen
from lentra.registry.reports.meeting import graph, meets_by, would_meet
from lentra.registry.rules.links import check_joins
from lentra.registry.transactions.change import Change


class LinkViews(SetUpViews):
    kind = "link"
    related = ("one", "other")

    def narrow(self, rows: QuerySet, values: dict[str, Any]) -> QuerySet:
        values = dict(values)
        if realms := values.pop("realm", None):
            rows = rows.filter(Q(one__in=realms) | Q(other__in=realms))
        return super().narrow(rows, values)

    def add(self, change: Change, values: dict[str, Any]) -> Any:
        chosen = _chosen(values, values["one"].pk, values["other"].pk)
        return add_link(change, values, chosen)

    def edit(self, change: Change, record: Any, values: dict[str, Any], version: int | None) -> Any:
        chosen = _chosen(values, record.one_id, record.other_id)
        return edit_link(change, record.pk, values, version, chosen)

    def remove(self, change: Change, record: Any, version: int | None) -> Any:
        return remove_link(change, record.pk, version)

    @call("Show what meets by a link", responses=MeetingsSerializer)
    @action(detail=True, methods=["get"])
    def meetings(self, request: Request, ref: str) -> Response:
        """What its two realms both use, and which of them hands out what both have in pools."""
        return Response(MeetingsSerializer({"meetings": meets_by(find_at_address(Link, ref))}).data)


describe(LinkViews)


class MeetingsView(APIView):
    @call("Show what would meet by a link", query=MeetingQuery, responses=MeetingsSerializer)
    def get(self, request: Request) -> Response:
        """Every two realms that would meet only then: what clashes, ways out of it, and how they would be divided."""
        values = asked(request)
        one, other = values["one"], values["other"]
        shows = {
            name: [range_text(*span) for span in values.get(name, [])] for name in ("one_shows", "other_shows")
        }
        link = Link(one=one, other=other, passes_on=values.get("passes_on", False), **shows)
        check_joins(link)
        return Response(MeetingsSerializer({"meetings": would_meet(link, _chosen(values, one.pk, other.pk))}).data)


class RealmGraphView(APIView):
    @call("Show how realms are joined", responses=RealmGraphSerializer)
    def get(self, request: Request) -> Response:
        """All realms with their links, which of them meet, and how much clashes."""
        return Response(RealmGraphSerializer(graph()).data)


def _chosen(values: dict[str, Any], one: int, other: int) -> Chosen | None:
    """What each realm is to hand out, taken out of what a call says."""
    chosen = {one: values.pop("one_gives", []), other: values.pop("other_gives", [])}
    return chosen if any(chosen.values()) else None
