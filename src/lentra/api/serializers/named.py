"""What many answers have in common: a record by number and name, and whole numbers as text."""

from __future__ import annotations

from rest_framework import serializers

COUNT = {"help_text": "A whole number as text: it may have 39 digits."}


class NamedSerializer(serializers.Serializer):
    """A record by number and name."""

    id = serializers.IntegerField()
    name = serializers.CharField()
