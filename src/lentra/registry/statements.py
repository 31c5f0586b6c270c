"""Statements of the hot path: written with Django's ORM, compiled once, run many times.

Compiling a query costs Django several times what MariaDB needs to answer it. `Prepared` keeps the compiled
text of a query whose values are `Slot`s; `insert` and `update` keep the text for a model. Everything else
uses the ORM as it is.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from functools import cache
from typing import Any

from django.db import connection, models
from django.db.models import Expression, QuerySet

_ROWS_AT_ONCE = 2000
Text = tuple[str, list[Any]]  # a statement and its values


class Slot(Expression):
    """A value that is given when a prepared query is run, as the database takes it."""

    def __init__(self, name: str) -> None:
        super().__init__(output_field=None)
        self.name = name

    def as_sql(self, compiler: Any, connection: Any) -> tuple[str, list[Any]]:
        return "%s", [self]


class Prepared:
    """A query that is built once, with slots, and run with values.

    Args:
        build: gives a `values_list` queryset with `Slot`s in its filters.

    Example:
        ``names = Prepared(lambda: Zone.objects.filter(region=Slot("region")).values_list("name"))`` and then
        ``names(region=7)`` gives rows as tuples.
    """

    def __init__(self, build: Callable[[], QuerySet]) -> None:
        self._build = build
        self._compiled: tuple[str, list[Any], list[tuple[int, list[Any], Any]]] | None = None

    def __call__(self, **values: Any) -> list[tuple[Any, ...]]:
        (rows,) = _send([self.text(values)])
        return self.read(rows)

    def text(self, values: dict[str, Any]) -> Text:
        """The statement with its values."""
        if self._compiled is None:
            self._compiled = self._compile()
        sql, parameters, _ = self._compiled
        return sql, [values[p.name] if isinstance(p, Slot) else p for p in parameters]

    def read(self, rows: list[tuple[Any, ...]]) -> list[tuple[Any, ...]]:
        """Rows as the database gave them, with the fields' conversions done."""
        assert self._compiled
        converters = self._compiled[2]
        if not converters:
            return rows
        converted = []
        for row in rows:
            cells = list(row)
            for at, steps, expression in converters:
                for step in steps:
                    cells[at] = step(cells[at], expression, connection)
            converted.append(tuple(cells))
        return converted

    def _compile(self) -> tuple[str, list[Any], list[tuple[int, list[Any], Any]]]:
        compiler = self._build().query.get_compiler(using=connection.alias)
        sql, parameters = compiler.as_sql()
        expressions = [column[0] for column in compiler.select[: compiler.col_count]]
        found = compiler.get_converters(expressions)
        return sql, list(parameters), [(at, steps, expression) for at, (steps, expression) in found.items()]


def read_together(*queries: tuple[Prepared, dict[str, Any]]) -> list[list[tuple[Any, ...]]]:
    """Run several prepared queries in one round trip; rows of each, in order."""
    results = _send([prepared.text(values) for prepared, values in queries])
    return [prepared.read(rows) for (prepared, _), rows in zip(queries, results, strict=True)]


class Batch:
    """Writes that nobody reads before the commit: kept in order, and sent in one round trip."""

    def __init__(self) -> None:
        self._texts: list[Text] = []

    def insert(
        self, records: Sequence[models.Model], update: tuple[str, ...] = (), add: tuple[str, ...] = ()
    ) -> None:
        """As `insert`, later."""
        self._texts += _insert_texts(records, update, add, None)

    def update(self, record: models.Model) -> None:
        """As `update`, later."""
        self._texts.append(_update_of(record))

    def send(self) -> None:
        """Send what has been kept."""
        if self._texts:
            _send(self._texts)
            self._texts = []


def insert(
    records: Sequence[models.Model],
    update: tuple[str, ...] = (),
    add: tuple[str, ...] = (),
    returning: str | None = None,
) -> list[Any]:
    """Insert records of one kind.

    Args:
        update: columns (attnames) to set where a unique key is already there.
        add: columns to add to what is there instead.
        returning: a column to tell of each row inserted.
    """
    told = []
    for text in _insert_texts(records, update, add, returning):
        (rows,) = _send([text])
        told += [row[0] for row in rows]
    return told


def update(record: models.Model) -> None:
    """Write all columns of a record that is there."""
    _send([_update_of(record)])


def _send(texts: list[Text]) -> list[list[tuple[Any, ...]]]:
    """Send statements in one round trip; the rows of each. The first that fails raises, the rest are not run."""
    results: list[list[tuple[Any, ...]]] = []
    with connection.cursor() as cursor:
        cursor.execute(";".join(sql for sql, _ in texts), [value for _, values in texts for value in values])
        results.append(list(cursor.fetchall()) if cursor.description else [])
        while len(results) < len(texts):
            cursor.nextset()
            results.append(list(cursor.fetchall()) if cursor.description else [])
    return results


def _insert_texts(
    records: Sequence[models.Model], update: tuple[str, ...], add: tuple[str, ...], returning: str | None
) -> list[Text]:
    if not records:
        return []
    fields, head, row, tail = _insert_text(type(records[0]), update, add, returning)  # type: ignore[arg-type]
    parts = [records[at : at + _ROWS_AT_ONCE] for at in range(0, len(records), _ROWS_AT_ONCE)]
    return [
        (head + ", ".join([row] * len(part)) + tail, [v for record in part for v in _stored(record, fields)])
        for part in parts
    ]


def _update_of(record: models.Model) -> Text:
    fields, text = _update_text(type(record))  # type: ignore[arg-type]
    return text, [*_stored(record, fields), record.pk]


def _stored(record: models.Model, fields: list[Any]) -> Iterator[Any]:
    """The values of a record as the database takes them. Whole numbers and text are taken as they are."""
    values = record.__dict__
    for field, plain in fields:
        value = values[field.attname]
        yield value if plain or value is None else field.get_db_prep_save(value, connection)


def _with_kind(fields: list[Any]) -> list[Any]:
    plain = (models.IntegerField, models.CharField, models.TextField, models.ForeignKey, models.BooleanField)
    return [(field, isinstance(field, plain)) for field in fields]


@cache
def _insert_text(
    model: type[models.Model], update: tuple[str, ...], add: tuple[str, ...], returning: str | None
) -> tuple[list[Any], str, str, str]:
    quote = connection.ops.quote_name
    # Records carry their number; other rows are numbered by the database.
    fields = [f for f in model._meta.concrete_fields if not isinstance(f, models.AutoField)]
    columns = ", ".join(quote(f.column) for f in fields)
    tail = ""
    if update or add:
        by_attname = {f.attname: quote(f.column) for f in fields}
        sets = [f"{by_attname[name]} = VALUES({by_attname[name]})" for name in update]
        sets += [f"{by_attname[name]} = {by_attname[name]} + VALUES({by_attname[name]})" for name in add]
        tail += f" ON DUPLICATE KEY UPDATE {', '.join(sets)}"
    if returning:
        tail += f" RETURNING {quote(returning)}"
    head = f"INSERT INTO {quote(model._meta.db_table)} ({columns}) VALUES "
    return _with_kind(fields), head, f"({', '.join(['%s'] * len(fields))})", tail


@cache
def _update_text(model: type[models.Model]) -> tuple[list[Any], str]:
    quote = connection.ops.quote_name
    fields = [f for f in model._meta.concrete_fields if not f.primary_key]
    sets = ", ".join(f"{quote(f.column)} = %s" for f in fields)
    pk = model._meta.pk
    assert pk is not None
    return _with_kind(fields), f"UPDATE {quote(model._meta.db_table)} SET {sets} WHERE {quote(pk.column)} = %s"
