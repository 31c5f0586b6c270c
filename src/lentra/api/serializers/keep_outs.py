"""Keep-outs, one by one and several together."""

from __future__ import annotations

from rest_framework import serializers

from lentra.api.fields import OneOf, RangeField, RefField, Several, Strict
from lentra.api.serializers.records import ALWAYS, RecordSerializer
from lentra.registry.models import (
    CERTAINTIES,
    KEEP_OUT_KINDS,
    KeepOut,
    Realm,
)


class KeepOutSerializer(RecordSerializer):
    range = RangeField(source="range_text")
    despite_use = serializers.BooleanField(
        required=False, write_only=True, help_text="Take a range over space in use, as a clash."
    )
    since = serializers.DateField(required=False, allow_null=True)
    finding = serializers.IntegerField(
        source="finding_id",
        read_only=True,
        allow_null=True,
        help_text="The open finding that it follows from, which lifts it when it is settled; null for none.",
    )
    in_favour_of = serializers.CharField(
        source="in_favour_of.name",
        default=None,
        read_only=True,
        allow_null=True,
        help_text="The realm that hands it out instead, as links say; null for none.",
    )

    class Meta:
        model = KeepOut
        fields = (
            *ALWAYS,
            "realm",
            "range",
            "kind",
            "reason",
            "source",
            "since",
            "certainty",
            "review_on",
            "finding",
            "in_favour_of",
            "despite_use",
        )
        read_only_fields = ("id",)


class KeepOutRowSerializer(Strict):
    """One of several keep-outs; what it does not say is what is said for all."""

    range = RangeField()
    reason = serializers.CharField(required=False, max_length=300)
    kind = OneOf(KEEP_OUT_KINDS, required=False)
    source = serializers.CharField(required=False, allow_blank=True, max_length=200)
    since = serializers.DateField(required=False, allow_null=True)
    certainty = OneOf(CERTAINTIES, required=False)
    review_on = serializers.DateField(required=False, allow_null=True)


class KeepOutsSerializer(KeepOutRowSerializer):
    """Several keep-outs of a realm at once, all or none."""

    range = None  # type: ignore[assignment] # each row has its own
    realm = RefField(Realm)
    despite_use = serializers.BooleanField(required=False, default=False)
    rows = Several(child=KeepOutRowSerializer(), max_length=1000)


class KeepOutsMadeSerializer(serializers.Serializer):
    """Keep-outs that were added."""

    keep_outs = KeepOutSerializer(many=True)
