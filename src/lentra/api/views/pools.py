"""Pools: what they do beyond other set-up objects."""

from __future__ import annotations

from typing import Any

from django.db.models import QuerySet
from rest_framework.decorators import action
from rest_framework.request import Request
from rest_framework.response import Response

from lentra.addressing.prefix import Prefix
from lentra.api.calls import asked, call
from lentra.api.changes import answer_of, read_version, run_change
from lentra.api.pages import page_from, paged
from lentra.api.reading import read_body
from lentra.api.serializers.lists import GapsQuery
from lentra.api.serializers.pools import (
    ChangeRangeSerializer,
    NewRangeSerializer,
    PoolSerializer,
    RangeChangedSerializer,
    RangeOutSerializer,
    SecondFamilyAddedSerializer,
    SecondFamilySerializer,
)
from lentra.api.serializers.space import GapSerializer, PoolSeenSerializer, PoolUsageSerializer
from lentra.api.views.setup import SetUpViews, describe
from lentra.registry.errors import Invalid
from lentra.registry.operations.pools.add_pool import add_pool, add_range
from lentra.registry.operations.pools.carve_pool import carve_pool, give_back_pool
from lentra.registry.operations.pools.change_range import RangeChanged, change_range
from lentra.registry.operations.pools.edit_pool import edit_pool
from lentra.registry.operations.pools.remove_range import remove_range
from lentra.registry.operations.subnets.add_family import add_second_family
from lentra.registry.reports.gaps import gaps
from lentra.registry.reports.seen import pool_seen
from lentra.registry.reports.usage import usage_of_pools
from lentra.registry.transactions.change import Change


class PoolViews(SetUpViews):
    kind = "pool"
    related = ("realm", "parent", "sheet", "region", "zone", "project")

    def get_queryset(self) -> QuerySet:
        return super().get_queryset().prefetch_related("ranges")

    def narrow_by(self, rows: QuerySet, name: str, value: Any) -> QuerySet:
        assert name == "top"
        return rows.filter(parent__isnull=value)

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
        return edit_pool(change, record.pk, values, version)

    def remove(self, change: Change, record: Any, version: int | None) -> Any:
        return give_back_pool(change, record.pk, version)

    @call(
        "Add a range to a pool",
        request=NewRangeSerializer,
        responses={201: answer_of(PoolSerializer)},
    )
    @action(detail=True, methods=["post"])
    def ranges(self, request: Request, ref: str) -> Response:
        """Add a range to a pool; one that is carved out of another takes it from there."""
        pool = self.one(ref)
        values = read_body(request, NewRangeSerializer)
        length = (values["family"], values["length"]) if "length" in values else None
        version = read_version(request)
        return self.change(
            request, lambda change: add_range(change, pool.pk, values.get("range"), length, version), 201
        )

    @call("Take a range out of a pool", request=RangeOutSerializer, responses=answer_of(PoolSerializer))
    @action(detail=True, methods=["post"], url_path="remove-range")
    def remove_range(self, request: Request, ref: str) -> Response:
        """Take a range out of a pool, if nothing lives in it; what does is listed with a way out."""
        pool = self.one(ref)
        values, version = read_body(request, RangeOutSerializer), read_version(request)
        return self.change(request, lambda change: remove_range(change, pool.pk, values["range"], version))

    @call("What is in use in a pool, by what is seen of it", responses=PoolSeenSerializer(many=True))
    @action(detail=True, methods=["get"], pagination_class=None)
    def seen(self, request: Request, ref: str) -> Response:
        """In the pool and those carved from it: how much of what is handed out sources see, and how much they do not."""
        return Response(pool_seen(self.one(ref)))

    @call("Gaps of a pool", query=GapsQuery, responses=paged(GapSerializer))
    @action(detail=True, methods=["get"], pagination_class=None)
    def gaps(self, request: Request, ref: str) -> Response:
        """Every run of free space, in order of address, with what lies on both sides."""
        pool, values = self.one(ref), asked(request)
        family, length = values["family"], values.get("length")

        def read(start: int, count: int) -> list[Any]:
            return gaps(pool, family, start, count, length)

        return page_from(request, read, lambda gap: int(gap["start"]), lambda gap: GapSerializer(gap).data)

    @call(
        "Change a range of a pool",
        own_proposal=True,
        request=ChangeRangeSerializer,
        responses=answer_of(RangeChangedSerializer),
    )
    @action(detail=True, methods=["post"], url_path="change-range")
    def change_range(self, request: Request, ref: str) -> Response:
        """Put another range in the place of one; what lives in it moves only on explicit word."""
        pool = self.one(ref)
        values, version = read_body(request, ChangeRangeSerializer), read_version(request)

        def render(changed: RangeChanged) -> Any:
            moves = [
                {"kind": m.kind, "owner": m.owner, "was": str(m.was), "lands": str(m.lands)} for m in changed.moves
            ]
            return {"pool": self.get_serializer(self.one(str(pool.pk))).data, "moves": moves}

        return run_change(
            request,
            lambda change: change_range(
                change, pool.pk, values["old"], values["new"], values["rebase"], values.get("proposal"), version
            ),
            render,
            token=lambda changed: changed.token,
        )

    @call(
        "Add IPv6 to the subnets of a pool",
        request=SecondFamilySerializer,
        responses=answer_of(SecondFamilyAddedSerializer),
    )
    @action(detail=True, methods=["post"], url_path="second-family")
    def second_family(self, request: Request, ref: str) -> Response:
        """Give every subnet of the pool that has IPv4 alone an IPv6 block, with paired numbering."""
        pool = self.one(ref)
        values, version = read_body(request, SecondFamilySerializer), read_version(request)
        return run_change(
            request,
            lambda change: add_second_family(
                change, pool.pk, values.get("within"), values.get("numbering"), version, values.get("subnets", ())
            ),
            lambda paired: {
                "paired": [
                    {"subnet": {"id": p.subnet.pk, "name": p.subnet.name}, "block": str(p.block)} for p in paired
                ]
            },
        )

    @call("Usage of a pool", responses=PoolUsageSerializer)
    @action(detail=True, methods=["get"])
    def usage(self, request: Request, ref: str) -> Response:
        """Usage of the pool by itself, and with the pools carved from it."""
        pool = self.one(ref)
        return Response(usage_of_pools([pool])[0])


describe(PoolViews)
