"""Fields that translate the registry's values: references, prefixes, ranges, labels."""

from __future__ import annotations

import difflib
import re
from collections.abc import Mapping
from typing import Any

from django.db.models import Model
from drf_spectacular.extensions import OpenApiSerializerFieldExtension
from drf_spectacular.utils import extend_schema_field
from rest_framework import serializers

from lentra.addressing.prefix import parse_prefix, parse_range
from lentra.addressing.refusal import Refusal
from lentra.registry.lookup.find import find

_LABEL_KEY = re.compile(r"[a-z0-9]([a-z0-9._-]{0,61}[a-z0-9])?")
MOST_FIELDS = 200  # of one object
_REF_SCHEMA = {
    "type": "object",
    "properties": {"id": {"type": "integer"}, "name": {"type": "string"}},
    "required": ["id", "name"],
}


class Strict(serializers.Serializer):
    """A serializer that refuses fields it does not know, naming the nearest that it does."""

    def to_internal_value(self, data: Any) -> Any:
        if isinstance(data, Mapping):
            if len(data) > MOST_FIELDS:
                raise serializers.ValidationError(f"{MOST_FIELDS} fields at most")
            known = [name for name, field in self.fields.items() if not field.read_only]
            for name in data:
                if name not in known:
                    near = difflib.get_close_matches(str(name)[:60], known, n=3, cutoff=0.5)
                    text = f"there is no such field; known are {', '.join(known)}"
                    raise serializers.ValidationError(
                        {str(name)[:60]: ["\n".join([text, *near])]}, code="unknown-field"
                    )
        return super().to_internal_value(data)


class Several(serializers.ListField):
    """A list whose length is looked at before what is in it."""

    def to_internal_value(self, data: Any) -> Any:
        if isinstance(data, list) and self.max_length is not None and len(data) > self.max_length:
            raise serializers.ValidationError(f"{self.max_length:,} at most, {len(data):,} are given")
        return super().to_internal_value(data)


class RefField(serializers.Field):
    """A record: told as ``{"id", "name"}``, taken as a number, a name, realm:name, or such an object."""

    def __init__(self, model: type[Model] | None = None, **options: Any) -> None:
        self.model = model
        options.pop("queryset", None)
        super().__init__(**options)

    def to_representation(self, record: Any) -> dict[str, Any]:
        return {"id": record.pk, "name": record.name}

    def to_internal_value(self, value: Any) -> Any:
        if isinstance(value, bool) or not isinstance(value, str | int | dict):
            raise serializers.ValidationError("a name or a number is needed here")
        if isinstance(value, str) and len(value) > 200:
            raise serializers.ValidationError("200 characters at most")
        assert self.model is not None
        return find(self.model, value, self.field_name)


class RefSchema(OpenApiSerializerFieldExtension):
    """Describes `RefField`: always an object in answers, a name or number as well in requests."""

    target_class = "lentra.api.fields.RefField"

    def map_serializer_field(self, auto_schema: Any, direction: Any) -> dict[str, Any]:
        taken = {"oneOf": [{"type": "string"}, {"type": "integer"}, _REF_SCHEMA]}
        return _REF_SCHEMA if direction == "response" else taken


@extend_schema_field({"oneOf": [{"type": "string"}, {"type": "integer"}, _REF_SCHEMA]})
class NameField(serializers.Field):
    """A reference passed on as it is: the operation looks it up."""

    def to_representation(self, value: Any) -> Any:
        return value

    def to_internal_value(self, value: Any) -> Any:
        if isinstance(value, dict):
            value = value.get("id") or value.get("name")
        if isinstance(value, bool) or not isinstance(value, str | int) or len(str(value)) > 200:
            raise serializers.ValidationError("a name or a number is needed here, 200 characters at most")
        return value


@extend_schema_field({"oneOf": [{"type": "integer"}, {"type": "string"}], "examples": ["next", 120]})
class TagField(serializers.Field):
    """A segment tag: a number, ``next`` or ``none``; checked by the registry."""

    def to_representation(self, value: Any) -> Any:
        return value

    def to_internal_value(self, value: Any) -> Any:
        if isinstance(value, bool) or not isinstance(value, str | int) or len(str(value)) > 20:
            raise serializers.ValidationError("a number from 1 to 4094, next or none")
        return value


@extend_schema_field({"type": "string", "examples": ["10.40.64.0/20"]})
class PrefixField(serializers.Field):
    """A prefix as text."""

    def to_representation(self, value: Any) -> str:
        return str(value)

    def to_internal_value(self, value: Any) -> Any:
        return _about(self.field_name, parse_prefix, value)


@extend_schema_field({"type": "string", "examples": ["10.40.3.10-10.40.3.40"]})
class RangeField(serializers.Field):
    """A prefix, an address, or first-last; read as (family, first, last)."""

    def to_representation(self, value: Any) -> str:
        return str(value)

    def to_internal_value(self, value: Any) -> tuple[int, int, int]:
        if not isinstance(value, str):
            raise serializers.ValidationError("a range is text such as 10.40.64.0/20")
        return _about(self.field_name, parse_range, value)


class LabelsField(serializers.DictField):
    """Labels: up to 32 of key=value."""

    child = serializers.CharField(max_length=200, allow_blank=True)

    def to_internal_value(self, data: Any) -> Any:
        if isinstance(data, Mapping) and len(data) > 32:
            raise serializers.ValidationError("32 labels at most")
        labels = super().to_internal_value(data)
        for key in labels:
            if not _LABEL_KEY.fullmatch(key):
                raise serializers.ValidationError(
                    f"{key[:70]!r} is not a label key: lower-case letters, digits, dot, dash, underscore, "
                    "63 characters at most"
                )
        return labels


def _about(field: str | None, parse: Any, value: Any) -> Any:
    try:
        return parse(value)
    except Refusal as refusal:
        raise refusal.about(field or "prefix")
