"""Segment tags: their ranges and members, and those of a place."""

from __future__ import annotations

from rest_framework import serializers

from lentra.api.fields import RefField
from lentra.api.serializers.named import NamedSerializer
from lentra.api.serializers.records import ALWAYS, RecordSerializer
from lentra.registry.models import Subnet, TagMember, TagRange


class TagRangeSerializer(RecordSerializer):
    """Segment tags of a zone, a region, or everywhere: for a tier, for any, or forbidden."""

    class Meta:
        model = TagRange
        fields = (*ALWAYS, "first", "last", "zone", "region", "tier", "forbidden", "purpose")
        read_only_fields = ("id",)


class TagMemberSerializer(RecordSerializer):
    """Where the segment of a tag leads to, and the tag that it has there."""

    subnet = RefField(Subnet)
    differs = serializers.SerializerMethodField(help_text="Whether its tag is another than the subnet's.")

    class Meta:
        model = TagMember
        fields = (*ALWAYS, "subnet", "name", "kind", "tag", "outer_tag", "differs", "about")
        read_only_fields = ("id",)

    def get_differs(self, member: TagMember) -> bool:
        return member.pair() != (member.subnet.outer_tag, member.subnet.tag)


class UsedTagSerializer(serializers.Serializer):
    """A tag in use."""

    tag = serializers.IntegerField()
    subnet = NamedSerializer()
    tier = serializers.CharField()
    place = serializers.CharField(help_text="The subnet's zone, or its region without one.")


class TagSpanSerializer(serializers.Serializer):
    """A range of tags, with how many of it are used and free."""

    id = serializers.IntegerField()
    first = serializers.IntegerField()
    last = serializers.IntegerField()
    place = serializers.CharField(help_text="Where it holds.")
    tier = serializers.CharField(allow_null=True)
    forbidden = serializers.BooleanField()
    purpose = serializers.CharField()
    used = serializers.IntegerField()
    free = serializers.IntegerField(help_text="How many of them are free.")


class DifferingSerializer(serializers.Serializer):
    """A member whose tag is not that of its subnet."""

    id = serializers.IntegerField()
    name = serializers.CharField()
    kind = serializers.CharField()
    tag = serializers.IntegerField()
    outer_tag = serializers.IntegerField()
    subnet = NamedSerializer()
    subnet_tag = serializers.IntegerField(allow_null=True)
    subnet_outer_tag = serializers.IntegerField()


class TagsSerializer(serializers.Serializer):
    """The segment tags of a zone or region."""

    place = NamedSerializer(help_text="The zone or region.")
    outer_tag = serializers.IntegerField()
    outer_tags = serializers.ListField(child=serializers.IntegerField(), help_text="Outer tags in use there.")
    used = UsedTagSerializer(many=True)
    free = serializers.ListField(child=serializers.CharField(), help_text="Spans of tags, such as 1-209.")
    ranges = TagSpanSerializer(many=True)
    next = serializers.IntegerField(allow_null=True, help_text="The lowest free above the lowest in use.")
    after_last = serializers.IntegerField(allow_null=True, help_text="The first free after the highest in use.")
    differing = DifferingSerializer(many=True)
