"""Reading a pool with what a hand-out needs of its realm and rule sheet, in one prepared statement."""

from __future__ import annotations

from typing import Any

from lentra.registry.lookup.find import find
from lentra.registry.models import Pool, Realm, Sheet
from lentra.registry.transactions.sql import Prepared, Slot

_POOL = [field.attname for field in Pool._meta.concrete_fields]
_REALM = ["id", "last_entry", "name", "name_template", "name_pattern", "private_only"]
_SHEET = [field.attname for field in Sheet._meta.concrete_fields]
_COLUMNS = [*_POOL, *(f"realm__{name}" for name in _REALM), *(f"sheet__{name}" for name in _SHEET)]

_by_name = Prepared(lambda: Pool.objects.filter(name=Slot("name")).order_by().values_list(*_COLUMNS)[:2])
_by_number = Prepared(lambda: Pool.objects.filter(pk=Slot("number")).order_by().values_list(*_COLUMNS))


def pool_query(ref: Any) -> tuple[Prepared, dict[str, Any]]:
    """The prepared statement that looks for what `ref` means, and its values."""
    text = str(ref)
    if isinstance(ref, int) or (text.isascii() and text.isdigit() and len(text) < 19):
        return _by_number, {"number": int(text)}
    return _by_name, {"name": text}


def pool_of(rows: list[tuple[Any, ...]], ref: Any) -> Pool:
    """The pool that was found, with its realm and sheet.

    Raises:
        UnknownName, Invalid: none or several were found; as for `find`.
    """
    if len(rows) != 1:
        return find(Pool, ref, "pool", related=("realm", "sheet"))
    cells = iter(rows[0])
    pool = Pool.from_db(None, _POOL, [next(cells) for _ in _POOL])
    pool.realm = Realm(**{name: next(cells) for name in _REALM})
    pool.sheet = Sheet.from_db(None, _SHEET, [next(cells) for _ in _SHEET])
    pool.sheet.known_rules = pool.sheet.rules()
    return pool
