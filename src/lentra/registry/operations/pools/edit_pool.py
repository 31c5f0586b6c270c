"""Edit a pool; under another rule sheet it comes only if all that is in it keeps to that."""

from __future__ import annotations

from typing import Any

from lentra.registry.lookup.find import find
from lentra.registry.lookup.locked import find_locked
from lentra.registry.models import Pool
from lentra.registry.operations.setup.edit_record import edit_record
from lentra.registry.rules.permissions import require
from lentra.registry.rules.sheets import refuse_breaks
from lentra.registry.space.locking import open_pools, set_rules
from lentra.registry.transactions.change import Change
from lentra.registry.transactions.locks import lock_all


def edit_pool(change: Change, pool_ref: Any, values: dict[str, Any], version: int | None = None) -> Pool:
    """Set values on a pool. The pools that inherit its rule sheet come along to another one.

    Raises:
        BreaksRules: something in it, or in a pool that inherits from it, would break; lists it with a way to mend it.
        Frozen, StaleEdit, NotAllowed, Invalid, NameTaken: as for every record of set-up.
    """
    require(change.actor, "planner", "edit a pool")
    pool = find_locked(Pool, find(Pool, pool_ref).pk, version=version, related=("sheet",))
    sheet = values.get("sheet")
    if sheet is None or sheet.pk == pool.sheet_id:
        edited = edit_record(change, "pool", pool.pk, values, version)
        assert isinstance(edited, Pool)
        return edited
    heirs = _heirs(pool)
    moving = list(Pool.objects.filter(pk__in=[pool.pk, *heirs]).order_by("pk").prefetch_related("ranges"))
    with open_pools(change, [one.pk for one in moving]):
        refuse_breaks(sheet.rules(), moving, "sheet")
        edited = edit_record(change, "pool", pool.pk, values, version)
        assert isinstance(edited, Pool)
        change.edited_all(lock_all(Pool.objects.filter(pk__in=heirs)), "inherit rules", sheet=sheet)
        set_rules(change, [one.pk for one in moving], edited.last_entry)
    if heirs:
        names = ", ".join(one.name for one in moving if one.pk != pool.pk)
        change.note(f"{names[:300]} inherit the rule sheet, and come along to {sheet.name}")
    return edited


def _heirs(pool: Pool) -> list[int]:
    """Pools carved from a pool, at any depth, that have no rule sheet of their own."""
    found: list[int] = []
    level = [pool.pk]
    while level:
        level = list(Pool.objects.filter(parent__in=level, sheet_inherited=True).values_list("pk", flat=True))
        found += level
    return found
