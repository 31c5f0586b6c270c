"""Segment tags of a place."""

from __future__ import annotations

from rest_framework import serializers

from lentra.api.serializers.named import NamedSerializer


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
