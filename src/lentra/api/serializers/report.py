"""The printable report, and a project over zones and tiers."""

from __future__ import annotations

from rest_framework import serializers

from lentra.api.fields import MeantField, Strict
from lentra.api.serializers.named import COUNT, NamedSerializer
from lentra.registry.models import Project, Realm


class ReportQuerySerializer(Strict):
    realm = MeantField(Realm, required=False)
    project = MeantField(Project, required=False)


class GridSubnetSerializer(serializers.Serializer):
    """A subnet in a cell."""

    id = serializers.IntegerField()
    name = serializers.CharField()
    blocks = serializers.ListField(child=serializers.CharField())
    room = serializers.ListField(child=serializers.CharField())
    usable = serializers.CharField(allow_null=True)
    hosts = serializers.CharField(allow_null=True, help_text="Address records, or else expected hosts.")


class GridCellSerializer(serializers.Serializer):
    """What a project has of a tier in a zone."""

    zone = serializers.CharField()
    tier = serializers.CharField()
    gap = serializers.BooleanField(help_text="The tier is in another zone, not here.")
    count = serializers.IntegerField(help_text="How many subnets; the first of them are named.")
    usable = serializers.CharField(**COUNT)
    hosts = serializers.CharField(**COUNT)
    subnets = GridSubnetSerializer(many=True)


class ProjectGridSerializer(serializers.Serializer):
    """A project over zones and tiers."""

    project = NamedSerializer()
    zones = serializers.ListField(child=serializers.CharField())
    tiers = serializers.ListField(child=serializers.CharField())
    cells = GridCellSerializer(many=True)
