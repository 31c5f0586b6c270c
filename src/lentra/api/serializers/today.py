"""What somebody comes for, as the API tells it."""

from __future__ import annotations

from rest_framework import serializers


class LineSerializer(serializers.Serializer):
    """One line of a list."""

    text = serializers.CharField(help_text="What it is.")
    note = serializers.CharField(help_text="What is to be known of it.")
    kind = serializers.CharField(
        allow_null=True, help_text="Kind of the record that it is about; like: one to ask for another like."
    )
    id = serializers.IntegerField(allow_null=True, help_text="Number of that record; null if it is about none.")


class SectionSerializer(serializers.Serializer):
    """A list of few lines."""

    name = serializers.CharField(help_text="Which list it is.")
    title = serializers.CharField(help_text="Its title.")
    lines = LineSerializer(many=True, help_text="Its first lines.")
    total = serializers.IntegerField(min_value=0, help_text="How many there are in all.")
    empty = serializers.CharField(help_text="What is said where there is none.")


class TodaySerializer(serializers.Serializer):
    """What the person who asks comes for."""

    role = serializers.CharField(help_text="The role that the lists are for.")
    version = serializers.CharField(help_text="Version of the service.")
    registry_is_empty = serializers.BooleanField(help_text="Whether there is no pool yet.")
    sections = SectionSerializer(many=True, help_text="Lists, in the order in which they matter.")
