"""Filters of which any value will do."""

from __future__ import annotations

from typing import Any


def any_of(path: str, values: Any) -> dict[str, Any]:
    """What a query filters by, so that a column has any of some values; one alone is told by equality.

    By equality an index that begins with the column gives the rows in its order: a page is read, not sorted.
    """
    several = values if isinstance(values, list) else [values]
    return {path: several[0]} if len(several) == 1 else {f"{path}__in": several}
