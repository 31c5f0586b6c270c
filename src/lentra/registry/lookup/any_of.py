"""Filters of which any value will do, and by how a name begins."""

from __future__ import annotations

from typing import Any

from django.db.models import Q

_LAST = "\U0010ffff"  # comes after every letter


def any_of(path: str, values: Any) -> dict[str, Any]:
    """What a query filters by, so that a column has any of some values; one alone is told by equality.

    By equality an index that begins with the column gives the rows in its order: a page is read, not sorted. Records stand
    for their numbers.
    """
    several = [getattr(value, "pk", value) for value in (values if isinstance(values, list) else [values])]
    return {path: several[0]} if len(several) == 1 else {f"{path}__in": several}


def begins(column: str, text: str) -> Q:
    """That a name begins with a text, as a range of an index; LIKE would be held against every name there is."""
    return Q(**{f"{column}__gte": text, f"{column}__lt": text + _LAST})
