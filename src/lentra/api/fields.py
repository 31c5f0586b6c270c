"""Fields that translate the registry's values: references, prefixes, ranges, labels."""

from __future__ import annotations

import difflib
import re
from collections.abc import Mapping
from datetime import UTC, date, datetime, time, timedelta
from typing import Any, NoReturn

from django.core.exceptions import ValidationError as DjangoValidationError
from django.core.validators import validate_email
from django.db.models import Model
from drf_spectacular.extensions import OpenApiSerializerFieldExtension
from drf_spectacular.utils import extend_schema_field
from rest_framework import serializers

from lentra.addressing.prefix import BITS, Prefix, parse_address, parse_prefix, parse_range
from lentra.addressing.refusal import Refusal
from lentra.registry.lookup.find import find

FILES = ("csv", "xlsx", "jsonl")
_AS = "The whole list as a file of this kind, instead of a page."
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
                    refuse_unknown(str(name), known, "field")
        return super().to_internal_value(data)


def refuse_unknown(name: str, known: list[str], what: str) -> NoReturn:
    """Refuse a field or parameter that a call does not know.

    Raises:
        ValidationError: says which there are, and which is near.
    """
    near = difflib.get_close_matches(name[:60], known, n=3, cutoff=0.5)
    words = f"known are {', '.join(known)}" if known else "the call takes none"
    text = "\n".join([f"there is no such {what}; {words}", *near])
    raise serializers.ValidationError({name[:60]: [text]}, code="unknown-field")


class Several(serializers.ListField):
    """A list whose length is looked at before what is in it."""

    def to_internal_value(self, data: Any) -> Any:
        if isinstance(data, list) and self.max_length is not None and len(data) > self.max_length:
            raise serializers.ValidationError(f"{self.max_length:,} at most, {len(data):,} are given")
        return super().to_internal_value(data)


class OneOf(serializers.ChoiceField):
    """One of a few words or numbers; what is none of them is told with those that are, the nearest first."""

    def fail(self, key: str, **values: Any) -> NoReturn:
        if key != "invalid_choice":
            super().fail(key, **values)
        words = [str(choice) for choice in self.choices]
        text = str(values["input"])[:60]
        near = difflib.get_close_matches(text, words, n=5, cutoff=0.5) or words[:5]
        raise serializers.ValidationError("\n".join([f"{text!r} is none of {', '.join(words)}", *near]))


class AnyOf(Several):
    """A filter that may be given several times: any of its values will do."""

    def __init__(self, child: serializers.Field, **options: Any) -> None:
        super().__init__(child=child, required=False, max_length=100, **options)


@extend_schema_field({"type": "string", "examples": ["nc-1"]})
class MeantField(serializers.Field):
    """A record that a query names: by its name, its number, or realm:name."""

    def __init__(self, model: type[Model], related: tuple[str, ...] = (), **options: Any) -> None:
        self.model, self.related = model, related
        options.setdefault("help_text", f"Name or number of a {model.KIND}.")
        super().__init__(**options)

    def to_internal_value(self, value: Any) -> Any:
        if len(str(value)) > 200:
            raise serializers.ValidationError("200 characters at most")
        return find(self.model, value, self.field_name or self.parent.field_name, self.related)

    def to_representation(self, record: Any) -> str:
        return str(record.pk)


def meant(model: type[Model], words: str = "") -> AnyOf:
    """A filter by records of a kind."""
    return AnyOf(MeantField(model), help_text=words or f"Name or number of a {model.KIND}; any of several.")


@extend_schema_field({"type": "string", "examples": ["2026-03-01", "2026-03-01T08:00:00Z"]})
class MomentField(serializers.Field):
    """A day, or a moment. A day is its first moment; as an end, it is the first of the next.

    Args:
        end: it is the end of a span.
    """

    def __init__(self, end: bool = False, **options: Any) -> None:
        self.end = end
        super().__init__(**options)

    def to_internal_value(self, value: Any) -> datetime:
        try:
            if len(str(value)) == len("2026-03-01"):
                day = date.fromisoformat(value) + timedelta(days=int(self.end))
                return datetime.combine(day, time(), UTC)
            moment = datetime.fromisoformat(value)
            return moment if moment.tzinfo else moment.replace(tzinfo=UTC)
        except (TypeError, ValueError, OverflowError):
            raise serializers.ValidationError(
                f"{str(value)[:40]!r} is neither a day nor a moment\n2026-03-01\n2026-03-01T08:00:00Z"
            )

    def to_representation(self, moment: datetime) -> str:
        return moment.isoformat()


@extend_schema_field({"type": "string", "examples": ["2026-03-01", "2026-03-01T08:00:00Z"]})
class WhenField(MomentField):
    """A day, or a moment: read as a span, from its first moment until just before another."""

    def to_internal_value(self, value: Any) -> Any:
        begin = super().to_internal_value(value)
        whole_day = len(str(value)) == len("2026-03-01")
        return begin, begin + (timedelta(days=1) if whole_day else timedelta(microseconds=1))


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


class MailField(serializers.CharField):
    """A mail address, or nothing."""

    def to_internal_value(self, data: Any) -> str:
        text = super().to_internal_value(data)
        if text:
            try:
                validate_email(text)
            except DjangoValidationError:
                raise serializers.ValidationError(f"{text[:60]!r} is no mail address\nrune@ferry.example")
        return text


class RefSchema(OpenApiSerializerFieldExtension):
    """Describes `RefField`: always an object in answers, a name or number as well in requests."""

    target_class = "lentra.api.fields.RefField"

    def map_serializer_field(self, auto_schema: Any, direction: Any) -> dict[str, Any]:
        taken = {"oneOf": [{"type": "string"}, {"type": "integer"}, _REF_SCHEMA]}
        return {"$ref": "#/components/schemas/Named"} if direction == "response" else taken


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


@extend_schema_field({"type": "string"})
class WordField(NameField):
    """A reference in a query, passed on as it is."""


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


class HeldField(PrefixField):
    """What something holds: a prefix, or an address alone, which is read as the prefix of one address."""

    def to_internal_value(self, value: Any) -> Any:
        if not isinstance(value, str) or "/" in value:
            return super().to_internal_value(value)
        family, address = _about(self.field_name, parse_address, value)
        return Prefix(family, address, BITS[family])


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


class OfPages(Strict):
    """The query of a list: which page of it."""

    limit = serializers.IntegerField(
        required=False, default=100, min_value=1, max_value=1000, help_text="Rows of a page."
    )
    cursor = serializers.CharField(
        required=False, max_length=2000, help_text="Which page: from `next` or `previous` of another."
    )

    def get_fields(self) -> dict[str, Any]:
        return {**super().get_fields(), "as": OneOf(FILES, required=False, help_text=_AS)}


def hosts_field() -> serializers.IntegerField:
    """How many hosts a subnet is for."""
    return serializers.IntegerField(
        required=False, min_value=1, max_value=1 << 32, help_text="Hosts that need an address."
    )


def growth_field() -> serializers.IntegerField:
    """How much a need will grow."""
    return serializers.IntegerField(
        required=False, default=0, min_value=0, max_value=1000, help_text="Percent more than that, for growth."
    )


def length_field(help_text: str = "Prefix length, such as 26.") -> serializers.IntegerField:
    """A prefix length that may be given."""
    return serializers.IntegerField(required=False, min_value=0, max_value=128, help_text=help_text)


def balancers_field() -> serializers.IntegerField:
    """How many load balancers stand in a subnet."""
    return serializers.IntegerField(
        required=False, default=0, min_value=0, max_value=10_000, help_text="Load balancers, an address each."
    )


def window_field() -> serializers.IntegerField:
    """Over how many days growth is looked at."""
    return serializers.IntegerField(
        required=False, default=182, min_value=28, max_value=730, help_text="Days of growth to look at."
    )


def _about(field: str | None, parse: Any, value: Any) -> Any:
    try:
        return parse(value)
    except Refusal as refusal:
        raise refusal.about(field or "prefix")
