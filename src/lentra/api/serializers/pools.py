"""Pools and their ranges."""

from __future__ import annotations

from typing import Any

from rest_framework import serializers

from lentra.api.fields import NameField, OneOf, PrefixField, RefField, Several, Strict
from lentra.api.serializers.records import ALWAYS, RecordSerializer
from lentra.registry.models import (
    NUMBERINGS,
    Pool,
    Realm,
    Sheet,
)


class LengthSerializer(Strict):
    """A range to find: ``{"family": 4, "length": 20}``."""

    family = OneOf([4, 6])
    length = serializers.IntegerField(min_value=0, max_value=128)


class PoolSerializer(RecordSerializer):
    """A pool. `ranges`, `lengths` and `placement` are for making one only."""

    ranges = Several(child=PrefixField(), required=False, max_length=64)
    lengths = Several(child=LengthSerializer(), required=False, write_only=True, max_length=16)
    placement = OneOf(["snug", "low", "roomy"], required=False, write_only=True)
    name = serializers.CharField(
        required=False, max_length=63, help_text="Left out, the realm's template of pools makes one."
    )
    sheet = RefField(Sheet, required=False)
    realm = RefField(Realm, required=False)
    parent = RefField(Pool, required=False, allow_null=True)
    numbering_v6 = serializers.CharField(read_only=True)

    class Meta:
        model = Pool
        fields = (
            *ALWAYS,
            "realm",
            "name",
            "parent",
            "sheet",
            "sheet_inherited",
            "region",
            "zone",
            "project",
            "origin",
            "exposure",
            "gives",
            "about",
            "cooling_days",
            "warning_percent",
            "critical_percent",
            "placement_v4",
            "placement_v6",
            "shortest_v4",
            "longest_v4",
            "unit_v6",
            "keeps_out_seen",
            "origin_as",
            "announced_v4",
            "announced_v6",
            "numbering_v6",
            "numbering_within",
            "ranges",
            "lengths",
            "placement",
        )
        read_only_fields = ("id", "sheet_inherited", "numbering_v6", "numbering_within")

    def to_representation(self, pool: Pool) -> dict[str, Any]:
        shown = super().to_representation(pool)
        shown["ranges"] = [str(row.prefix) for row in pool.ranges.all()]
        return shown

    def get_fields(self) -> dict[str, Any]:
        fields = super().get_fields()
        fields["ranges"].get_attribute = lambda pool: []  # told by to_representation
        return fields


class NewRangeSerializer(Strict):
    """A range to add: exactly `range`, or (for a carved pool) one of `length` to find in the parent."""

    range = PrefixField(required=False)
    family = OneOf([4, 6], required=False, default=4)
    length = serializers.IntegerField(required=False, min_value=0, max_value=128)


class RangeOutSerializer(Strict):
    """A range to take out of a pool."""

    range = PrefixField()


class ChangeRangeSerializer(Strict):
    """A range of a pool and what to put in its place."""

    old = PrefixField()
    new = PrefixField()
    rebase = serializers.BooleanField(required=False, default=False, help_text="Move all that lives in it.")
    proposal = serializers.CharField(required=False, allow_null=True, max_length=1_000_000)


class MoveSerializer(serializers.Serializer):
    """Something that moves with a range."""

    kind = serializers.CharField()
    owner = serializers.CharField()
    was = serializers.CharField()
    lands = serializers.CharField()


class RangeChangedSerializer(serializers.Serializer):
    """A pool whose range was changed, and what moved."""

    pool = PoolSerializer()
    moves = MoveSerializer(many=True)


class SecondFamilySerializer(Strict):
    """IPv6 for the existing subnets of a pool."""

    within = PrefixField(
        required=False,
        help_text="The IPv6 prefix to number in; as before, or the pool's first IPv6 range if left out.",
    )
    numbering = OneOf(NUMBERINGS, required=False, help_text="As before, or by number if left out.")
    subnets = Several(
        child=NameField(), required=False, max_length=1000, help_text="These alone; all of the pool if left out."
    )


class PairedSerializer(serializers.Serializer):
    """A subnet and the IPv6 block it was given."""

    subnet = serializers.DictField()
    block = serializers.CharField()


class SecondFamilyAddedSerializer(serializers.Serializer):
    """What every subnet was given."""

    paired = PairedSerializer(many=True)
