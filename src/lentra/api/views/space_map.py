"""The map of space."""

from __future__ import annotations

from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from lentra.api.calls import asked, call
from lentra.api.reading import records_meant
from lentra.api.serializers.space_map import MapQuerySerializer, SpaceMapSerializer
from lentra.registry.errors import Invalid
from lentra.registry.lookup.realms import likely_realms
from lentra.registry.reports.space_map import ranges_to_map, realm_of, space_map


class SpaceMapView(APIView):
    @call(
        "The map of space: what lies in a prefix, as fine as one zoom can show",
        query=MapQuerySerializer,
        responses=SpaceMapSerializer,
    )
    def get(self, request: Request) -> Response:
        values = asked(request)
        records = records_meant(values)
        realm, pool, region = (records.get(name) for name in ("realm", "pool", "region"))
        view = values.get("range")
        if not records and view is None:
            raise Invalid(
                "say which range, pool, region or realm",
                field="range",
                suggestions=[f"realm={name}" for name in likely_realms()],
            )
        starts = ranges_to_map(realm, pool, region)
        if view is None:
            if not starts:
                raise Invalid("there is no range yet to show", field="range", suggestions=["range=10.0.0.0/8"])
            realm, view = starts[0].realm, starts[0].prefix
        elif realm is None:
            realm = pool.realm if pool else realm_of(view)
        shown = space_map(realm, view)
        shown["starts"] = [
            {"realm": row.realm.name, "pool": row.pool.name, "range": str(row.prefix)} for row in starts[:200]
        ]
        return Response(SpaceMapSerializer(shown).data)
