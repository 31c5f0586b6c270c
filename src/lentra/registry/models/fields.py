"""Column types that Django lacks: addresses that sort by value, and whole numbers up to 2^128."""

from __future__ import annotations

from typing import Any

from django.db import models

COLLATION = "utf8mb4_nopad_bin"  # keeps "App " apart from "app"


class AddressField(models.Field):
    """One address of either family as a whole number, kept in 16 bytes so that it sorts by value."""

    description = "IPv4 or IPv6 address"

    def db_type(self, connection: Any) -> str:
        return "binary(16)"

    def get_prep_value(self, value: Any) -> bytes | None:
        return None if value is None else int(value).to_bytes(16, "big")

    def from_db_value(self, value: bytes | None, expression: Any, connection: Any) -> int | None:
        return None if value is None else int.from_bytes(value, "big")

    def to_python(self, value: Any) -> int | None:
        return None if value is None else int(value)


class CountField(models.Field):
    """A number of addresses: a whole number of up to 39 digits, exact, never a float."""

    description = "number of addresses"

    def db_type(self, connection: Any) -> str:
        return "decimal(39,0)"

    def get_prep_value(self, value: Any) -> int | None:
        return None if value is None else int(value)

    def from_db_value(self, value: Any, expression: Any, connection: Any) -> int | None:
        return None if value is None else int(value)

    def to_python(self, value: Any) -> int | None:
        return None if value is None else int(value)


def name_field(length: int = 63, **options: Any) -> models.CharField:
    """A name or key: case and trailing spaces count."""
    return models.CharField(max_length=length, db_collation=COLLATION, **options)
