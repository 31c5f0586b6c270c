"""The revision of the set-up: what a change goes by, and whether that still holds."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from lentra.registry.models import SetUp
from lentra.registry.transactions.sql import Prepared

_revision = Prepared(lambda: SetUp.objects.values_list("revision"))


def revision_of_set_up() -> tuple[Prepared, dict[str, Any]]:
    """The prepared statement that asks for it, and its values."""
    return _revision, {}


def revision_in(rows: Sequence[tuple[Any, ...]]) -> int:
    """The revision that it tells."""
    return int(rows[0][0]) if rows else 0


def has_moved_on(goes_by: int | None) -> bool:
    """True if the set-up is no longer as a change goes by it."""
    return goes_by is not None and revision_in(_revision()) != goes_by
