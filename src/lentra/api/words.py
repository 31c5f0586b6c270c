"""What the fields of the API say of a value that they do not take: plain sentences, with a value that would do.

A value that would do stands in a line of its own: see `problems`.
"""

from __future__ import annotations

from rest_framework import fields, serializers

_NUMBER = {
    "invalid": "it is to be a whole number",
    "max_value": "it is to be {max_value} at most\n{max_value}",
    "min_value": "it is to be {min_value} at least\n{min_value}",
    "max_string_length": "the number is far too long",
}
_LIST = {
    "not_a_list": "it is to be a list",
    "empty": "the list is to have something in it",
    "min_length": "the list is to have {min_length} at least",
    "max_length": "the list is to have {max_length} at most",
}
_WORDS: dict[type, dict[str, str]] = {
    fields.Field: {"required": "it is needed", "null": "it cannot be null"},
    fields.BooleanField: {"invalid": "it is to be true or false\ntrue\nfalse"},
    fields.CharField: {
        "invalid": "it is to be a text",
        "blank": "it is empty: give a value, or leave it out",
        "max_length": "it is to have {max_length} characters at most",
        "min_length": "it is to have {min_length} characters at least",
    },
    fields.UUIDField: {"invalid": "it is to be a UUID such as 0b0a2c56-6a6f-4bb5-9d6c-1f0c3f7f5f0e"},
    fields.IntegerField: _NUMBER,
    fields.FloatField: _NUMBER | {"invalid": "it is to be a number"},
    fields.DecimalField: _NUMBER
    | {
        "invalid": "it is to be a number",
        "max_digits": "it is to have {max_digits} digits at most",
        "max_decimal_places": "it is to have {max_decimal_places} digits after the point at most",
        "max_whole_digits": "it is to have {max_whole_digits} digits before the point at most",
    },
    fields.DateTimeField: {
        "invalid": "it is to be a moment such as 2026-03-01T08:00:00Z\n2026-03-01T08:00:00Z",
        "date": "it is to be a moment, not a day alone\n2026-03-01T08:00:00Z",
        "overflow": "the moment is out of range",
    },
    fields.DateField: {
        "invalid": "it is to be a day such as 2026-03-01\n2026-03-01",
        "datetime": "it is to be a day, without a time\n2026-03-01",
    },
    fields.ListField: _LIST,
    fields.DictField: {"not_a_dict": "it is to be an object", "empty": "the object is to have something in it"},
    serializers.Serializer: {"invalid": "it is to be an object, not {datatype}"},
    serializers.ListSerializer: _LIST,
}


def speak_plainly() -> None:
    """Put these sentences in the place of the framework's."""
    for field, messages in _WORDS.items():
        field.default_error_messages = {**field.__dict__.get("default_error_messages", {}), **messages}  # type: ignore[attr-defined]
