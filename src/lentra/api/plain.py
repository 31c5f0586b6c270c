"""The short way to read and tell what is plain: as the serializer's own fields would, without their machinery.

A serializer asks each field a dozen questions about each value, most of which have one answer for the field. They are
answered once here. What is not plain takes the long way, so that there is one meaning and one place where it is written.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from rest_framework import serializers
from rest_framework.fields import empty

from lentra.api.fields import NameField, OneOf, TagField

Take = Callable[[Any], bool]  # whether a value is plain, and so taken as it is


class PlainReader:
    """Reads bodies as `Serializer.run_validation` does.

    Args:
        serializer: one whose fields have no defaults and no validators of their own; it keeps nothing between two uses.
    """

    def __init__(self, serializer: serializers.Serializer) -> None:
        self._serializer = serializer
        fields = {name: field for name, field in serializer.fields.items() if not field.read_only}
        self._takes = {name: take for name, field in fields.items() if (take := _take_of(field))}
        self._required = frozenset(name for name, field in fields.items() if field.required)
        self._whole = all(field.default is empty for field in fields.values())

    def read(self, body: Any) -> dict[str, Any]:
        """What a body says.

        Raises:
            ValidationError: as the serializer.
        """
        if self._is_plain(body):
            return dict(body)
        return dict(self._serializer.run_validation(body))

    def _is_plain(self, body: Any) -> bool:
        if type(body) is not dict or not self._whole or not self._required <= body.keys():
            return False
        takes = self._takes
        return all((take := takes.get(name)) is not None and take(value) for name, value in body.items())


def _take_of(field: serializers.Field) -> Take | None:
    """Which values of a field are plain; None if it is not known of any."""
    kind = type(field)
    if kind is NameField:
        return lambda value: (type(value) is str and len(value) <= 200) or type(value) is int
    if kind is TagField:
        return lambda value: type(value) is int
    if kind is serializers.IntegerField:
        low, high = field.min_value, field.max_value
        return lambda value: (
            type(value) is int and (low is None or value >= low) and (high is None or value <= high)
        )
    if kind is OneOf:
        words = frozenset(choice for choice in field.choices if type(choice) is str)
        return lambda value: type(value) is str and value in words
    if kind is serializers.CharField and field.trim_whitespace:
        most = field.max_length
        return lambda value: (
            type(value) is str
            and value.isascii()
            and value.isprintable()
            and value != ""
            and value == value.strip()
            and (most is None or len(value) <= most)
        )
    return None


class PlainTeller:
    """Tells objects as `Serializer.to_representation` does."""

    def __init__(self, serializer: serializers.Serializer) -> None:
        self._fields = [
            (name, field.source, None if type(field) in _AS_IT_IS else field.to_representation)
            for name, field in serializer.fields.items()
            if not field.write_only
        ]

    def tell(self, thing: Any) -> dict[str, Any]:
        """What is told of an object."""
        return {
            name: value if (value := getattr(thing, source)) is None or told is None else told(value)
            for name, source, told in self._fields
        }


_AS_IT_IS = (serializers.IntegerField, serializers.CharField, serializers.ChoiceField)
