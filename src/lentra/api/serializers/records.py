"""What serializers of records have in common."""

from __future__ import annotations

from typing import Any

from rest_framework import serializers
from rest_framework.validators import UniqueTogetherValidator, UniqueValidator

from lentra.api.fields import RefField, Strict


class RecordSerializer(Strict, serializers.ModelSerializer):
    """A record with its number and version; uniqueness and the like are the registry's to check."""

    serializer_related_field = RefField
    version = serializers.IntegerField(source="last_entry", read_only=True, help_text="Edit version: the ETag.")

    def build_standard_field(self, field_name: str, model_field: Any) -> Any:
        field_class, options = super().build_standard_field(field_name, model_field)
        checks = [v for v in options.get("validators", []) if not isinstance(v, UniqueValidator)]
        options = {name: value for name, value in options.items() if name != "validators"}
        if checks:
            options["validators"] = checks
        return field_class, options

    def build_relational_field(self, field_name: str, relation: Any) -> Any:
        _, options = super().build_relational_field(field_name, relation)
        kept = {k: v for k, v in options.items() if k in ("required", "allow_null", "read_only")}
        return RefField, kept | {"model": relation.related_model}

    def get_validators(self) -> list[Any]:
        return [v for v in super().get_validators() if not isinstance(v, UniqueTogetherValidator)]


ALWAYS = ("id", "version")
