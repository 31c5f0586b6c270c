"""What projects hold."""

from __future__ import annotations

from rest_framework import serializers

from lentra.api.serializers.named import COUNT, NamedSerializer
from lentra.api.serializers.quotas import QuotaSerializer


class HoldingSerializer(serializers.Serializer):
    """A thing that a project holds."""

    kind = serializers.CharField()
    id = serializers.IntegerField()
    name = serializers.CharField()
    realm = NamedSerializer()
    ranges = serializers.ListField(child=serializers.CharField())
    state = serializers.CharField(allow_null=True)
    place = serializers.CharField(allow_null=True, help_text="Its zone, or its region without one.")
    tier = serializers.CharField(allow_null=True)
    about = serializers.CharField()


class HeldBlocksSerializer(serializers.Serializer):
    """Blocks of one length."""

    realm = NamedSerializer()
    family = serializers.IntegerField()
    length = serializers.IntegerField()
    count = serializers.IntegerField()
    addresses = serializers.CharField(**COUNT)


class PublicUseSerializer(serializers.Serializer):
    """Public addresses of a project."""

    project = NamedSerializer()
    quota = serializers.IntegerField(allow_null=True, help_text="How many it may hold; null for no limit.")
    held = serializers.IntegerField()
    attached = serializers.IntegerField()
    idle = serializers.IntegerField(help_text="Held, and attached to nothing.")
    left = serializers.IntegerField(allow_null=True, help_text="How many it may still ask for; null for no limit.")


class ProjectTotalsSerializer(serializers.Serializer):
    """Counts of what a project holds."""

    pools = serializers.IntegerField()
    reservations = serializers.IntegerField(help_text="That it may draw from.")
    plans = serializers.IntegerField()
    planned_needs = serializers.IntegerField()
    subnets = serializers.DictField(child=serializers.IntegerField(), help_text="How many in each state.")
    blocks = HeldBlocksSerializer(many=True)
    public = PublicUseSerializer()
    quotas = QuotaSerializer(many=True, help_text="What it may have, and what is used of that.")
