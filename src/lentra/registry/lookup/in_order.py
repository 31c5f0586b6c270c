"""Reading on from a place: rows in order of a column, and of their number where that is the same."""

from __future__ import annotations

from typing import Any

from django.db.models import QuerySet


def rows_after(
    rows: QuerySet, column: str, value: Any, number: int, count: int, falling: bool = False
) -> list[Any]:
    """So many rows that come after one, by its column's value and its number.

    Those of the same value are asked for by equality: as many as have it, they are not walked over again.

    Args:
        falling: the highest come first.
    """
    sign, beyond = ("-", "lt") if falling else ("", "gt")
    same = rows.filter(**{column: value, f"pk__{beyond}": number}).order_by(f"{sign}pk")
    found = list(same[:count])
    if len(found) < count:
        rest = rows.filter(**{f"{column}__{beyond}": value}).order_by(f"{sign}{column}", f"{sign}pk")
        found += rest[: count - len(found)]
    return found
