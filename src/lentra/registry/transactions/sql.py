"""Statements of the hot path: written with Django's ORM, compiled once, run many times.

Compiling a query costs Django several times what MariaDB needs to answer it. `Prepared` keeps the compiled
text of a query whose values are `Slot`s; `insert` and `update` keep the text for a model. Everything else
uses the ORM as it is.
"""

from __future__ import annotations

import json
import time
from collections.abc import Callable, Iterable, Iterator, Sequence
from contextlib import contextmanager, suppress
from datetime import UTC
from functools import cache
from typing import Any, NamedTuple

from django.db import connection, models
from django.db.models import Expression, QuerySet, Value
from MySQLdb import Error as DriverError
from MySQLdb.cursors import SSCursor

from lentra.registry.transactions.failures import OTHER_ROWS, Clash

_ROWS_AT_ONCE = 2000
# MariaDB takes 16 MiB unless it is told otherwise (max_allowed_packet); quoting lengthens texts.
_PACKET_BYTES = 4 << 20


class Text(NamedTuple):
    """A statement, its values, and how many rows it must find (None: any number)."""

    sql: str
    values: list[Any]
    rows: int | None = None
    where: str = ""  # what it is about, for the message where it does not


_BEGIN, _COMMIT = Text("START TRANSACTION", []), Text("COMMIT", [])
Keepers = list[tuple[str, Callable[[Any], Any] | None]]  # attname, and what makes of the value what is kept
_PLAIN = (models.IntegerField, models.CharField, models.TextField, models.ForeignKey, models.BooleanField)


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

    def raw(self, **values: Any) -> list[tuple[Any, ...]]:
        """The rows as the driver gives them, for whoever reads very many."""
        (rows,) = _send([self.text(values)])
        return rows

    def text(self, values: dict[str, Any]) -> Text:
        """The statement with its values."""
        if self._compiled is None:
            self._compiled = self._compile()
        sql, parameters, _ = self._compiled
        return Text(sql, [values[p.name] if isinstance(p, Slot) else p for p in parameters])

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


def read_together(
    *queries: tuple[Prepared, dict[str, Any]], then: Sequence[Text] = ()
) -> list[list[tuple[Any, ...]]]:
    """Run several prepared queries, and statements after them, in one round trip; rows of each, in order."""
    results = _send([*(prepared.text(values) for prepared, values in queries), *then])
    read = [prepared.read(rows) for (prepared, _), rows in zip(queries, results, strict=False)]
    return [*read, *results[len(queries) :]]


def stream(rows: QuerySet) -> Iterator[tuple[Any, ...]]:
    """The rows of a `values_list` query one after the other, in bounded memory however many there are.

    One statement is under way until the last row is read: nothing else may be asked of the database in between.
    """
    prepared = Prepared(lambda: rows)
    text = prepared.text({})
    connection.ensure_connection()
    with connection.wrap_database_errors:
        if connection.take_begin():
            _sent([_BEGIN], [_BEGIN.sql])
        cursor = connection.connection.cursor(SSCursor)
        try:
            cursor.execute(text.sql, text.values)
            while part := cursor.fetchmany(_ROWS_AT_ONCE):
                yield from prepared.read(list(part))
        finally:
            cursor.close()


class Batch:
    """Writes that nobody reads before the commit: kept in order, and sent in one round trip."""

    def __init__(self) -> None:
        self._texts: list[Text] = []

    def insert(
        self, records: Sequence[models.Model], update: tuple[str, ...] = (), add: tuple[str, ...] = ()
    ) -> None:
        """As `insert`, later."""
        self._texts += _insert_texts(records, update, add, None)

    def rows(
        self,
        model: type[models.Model],
        names: tuple[str, ...],
        rows: Sequence[Sequence[Any]],
        add: tuple[str, ...] = (),
    ) -> None:
        """Insert rows that nobody needs as objects.

        Args:
            names: the columns (attnames); each row has a value for each, as the database takes it.
            add: columns to add to what is there, where a unique key is there already.
        """
        if rows:
            _, *text = _insert_text(model, names, (), add, None)  # type: ignore[arg-type]
            self._texts += _rows_texts(rows, *text)

    def update(self, record: models.Model) -> None:
        """As `update`, later."""
        self._texts.append(update_text(record))

    def add(self, texts: Iterable[Text]) -> None:
        """Statements to send later."""
        self._texts += texts

    def forget(self) -> None:
        """Drop what has been kept: what it speaks of was rolled back."""
        self._texts.clear()

    def send(self, commit: bool = False) -> None:
        """Send what has been kept; with COMMIT behind it, where nothing else is to come."""
        texts, self._texts = self._texts, []
        if commit:
            _send([*texts, _COMMIT])
            connection.committed = True
        elif texts:
            _send(texts)


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


def copy_rows(rows: QuerySet, fresh: dict[str, Any], update: tuple[str, ...] = ()) -> int:
    """Copy the rows of a query within their table, in one statement; returns how many.

    Args:
        fresh: columns (attnames) that are other in the copies, and their values.
        update: columns to set where a unique key is already there.
    """
    model = rows.model
    quote = connection.ops.quote_name
    fields = [f for f in model._meta.concrete_fields if not f.primary_key]
    taken = [f.attname for f in fields if f.attname not in fresh]
    values = {f"fresh_{name}": Value(value, model._meta.get_field(name)) for name, value in fresh.items()}
    chosen, parameters = rows.annotate(**values).values_list(*taken, *values).query.sql_with_params()
    columns = ", ".join(quote(model._meta.get_field(name).column) for name in [*taken, *fresh])
    sets = ", ".join(f"{quote(name)} = VALUES({quote(name)})" for name in update)
    tail = f" ON DUPLICATE KEY UPDATE {sets}" if sets else ""
    with connection.cursor() as cursor:
        cursor.execute(f"INSERT INTO {quote(model._meta.db_table)} ({columns}) {chosen}{tail}", parameters)
        return int(cursor.rowcount)


def update(record: models.Model) -> None:
    """Write all columns of a record that is there."""
    _send([update_text(record)])


def update_text(record: models.Model, columns: tuple[str, ...] = ()) -> Text:
    """A statement that writes all columns, or some (attnames), of a record that is there."""
    keepers, text = _update_text(type(record), columns)  # type: ignore[arg-type]
    return Text(text, [*_stored(record, keepers), record.pk], 1, record._meta.db_table)


def deletion(
    model: type[models.Model], fixed: dict[str, Any], key: str, columns: Sequence[str], rows: Sequence[tuple]
) -> list[Text]:
    """Statements that delete exactly these rows: each must still be what was read, or the change clashes.

    Args:
        fixed: columns that are the same for all, and their values as the database takes them.
        key: the column that, with the fixed ones, finds a row by an index; the first of `columns`.
        columns: what the rows tell, as SQL.
    """
    quote = connection.ops.quote_name
    where = " AND ".join(f"{quote(column)} = %s" for column in fixed)
    texts = []
    for at in range(0, len(rows), _ROWS_AT_ONCE):
        part = rows[at : at + _ROWS_AT_ONCE]
        keys = ", ".join(["%s"] * len(part))
        tuples = ", ".join([f"({', '.join(['%s'] * len(columns))})"] * len(part))
        sql = (
            f"DELETE FROM {quote(model._meta.db_table)} WHERE {where} AND {quote(key)} IN ({keys}) "
            f"AND ({', '.join(columns)}) IN ({tuples})"
        )
        values = [*fixed.values(), *(row[0] for row in part), *(value for row in part for value in row)]
        texts.append(Text(sql, values, len(part), f"{model._meta.db_table}"))
    return texts


def numbering(model: type[models.Model], count: int) -> Text:
    """A statement that inserts so many empty rows and tells the numbers they got."""
    quote = connection.ops.quote_name
    column = quote("id")
    rows = ", ".join(["(DEFAULT)"] * count)
    return Text(f"INSERT INTO {quote(model._meta.db_table)} ({column}) VALUES {rows} RETURNING {column}", [])


def read_text(text: Text) -> list[tuple[Any, ...]]:
    """The rows that a statement tells."""
    (rows,) = _send([text])
    return rows


def _send(texts: Sequence[Text]) -> list[list[tuple[Any, ...]]]:
    """Send statements in one round trip; the rows of each. The first that fails raises, the rest are not run.

    More than the database takes in one packet goes in several.

    Raises:
        Clash: a statement has found other rows than it must.
    """
    results: list[list[tuple[Any, ...]]] = []
    connection.ensure_connection()
    texts = [_BEGIN, *texts] if (begins := connection.take_begin()) else texts
    for packet, filled in _packets(texts):
        with connection.wrap_database_errors, _logged(filled):
            results += _sent(packet, filled)
    return results[1:] if begins else results


def _sent(packet: Sequence[Text], filled: Sequence[str]) -> list[list[tuple[Any, ...]]]:
    """Send statements in one round trip, straight by the driver: cursors cost more than the statements."""
    driver = connection.connection
    if packet[-1] is _COMMIT:
        # It must not be reached behind a statement that has found other rows: as one compound statement, which is not
        # answered part by part, the database itself sees to that.
        guarded = (sql + _guard(text) for text, sql in zip(packet, filled, strict=True))
        driver.query(f"BEGIN NOT ATOMIC {';'.join(guarded)}; END".encode())
        driver.store_result()
        return [[] for _ in packet]
    driver.query(";".join(filled).encode())
    results: list[list[tuple[Any, ...]]] = []
    for n, text in enumerate(packet):
        if n:
            driver.next_result()
        found = driver.store_result()
        results.append(list(found.fetch_row(0)) if found is not None else [])
        if text.rows is not None and (rows := driver.affected_rows()) != text.rows:
            _drain(driver)
            raise Clash(f"{_as_read(text)}, {rows} are")
    return results


def _drain(driver: Any) -> None:
    """Take what is still to come of a packet, whatever it is."""
    with suppress(DriverError):
        while driver.next_result() == 0:
            driver.store_result()


def _guard(text: Text) -> str:
    """What stops a compound statement behind one that has found other rows than it must."""
    if text.rows is None:
        return ""
    says = f"SET MYSQL_ERRNO = {OTHER_ROWS}, MESSAGE_TEXT = '{_as_read(text)}'"
    return f"; IF ROW_COUNT() <> {text.rows} THEN SIGNAL SQLSTATE '45000' {says}; END IF"


def _as_read(text: Text) -> str:
    return f"{text.rows} rows of {text.where} were to be as read"


def _filled(text: Text, driver: Any) -> str:
    """A statement with its values in it."""
    return text.sql % tuple([_literal(value, driver) for value in text.values])


def _literal(value: Any, driver: Any) -> str:
    """A value as SQL has it; the driver escapes what is text."""
    kind = type(value)
    if kind is int:
        return str(value)
    if kind is str:
        return str(driver.string_literal(value.encode()), "utf-8")
    if value is None:
        return "NULL"
    if kind is bool:
        return "1" if value else "0"
    if kind is bytes:
        return f"0x{value.hex()}" if value else "''"
    return str(driver.literal(value), "utf-8")


@contextmanager
def _logged(filled: Sequence[str]) -> Iterator[None]:
    """Note statements where Django notes them: while it is asked to, as tests and measurements do."""
    if not connection.queries_logged:
        yield
        return
    start = time.monotonic()
    yield
    connection.queries_log.append({"sql": ";".join(filled), "time": f"{time.monotonic() - start:.3f}"})


def _packets(texts: Sequence[Text]) -> Iterator[tuple[Sequence[Text], Sequence[str]]]:
    """Statements in order, in as few lots as stay below what one packet may have; each lot also as SQL."""
    driver = connection.connection
    filled = [_filled(text, driver) for text in texts]
    start = size = 0
    for n, sql in enumerate(filled):
        if n > start and size + len(sql) > _PACKET_BYTES:
            yield texts[start:n], filled[start:n]
            start, size = n, 0
        size += len(sql)
    yield texts[start:], filled[start:]


def _insert_texts(
    records: Sequence[models.Model], update: tuple[str, ...], add: tuple[str, ...], returning: str | None
) -> list[Text]:
    if not records:
        return []
    keepers, *text = _insert_text(type(records[0]), (), update, add, returning)  # type: ignore[arg-type]
    for record in records:
        record._state.adding, record._state.db = False, connection.alias
    return _rows_texts([_stored(record, keepers) for record in records], *text)


def _rows_texts(rows: Sequence[Sequence[Any]], head: str, row: str, tail: str) -> list[Text]:
    parts = [rows[at : at + _ROWS_AT_ONCE] for at in range(0, len(rows), _ROWS_AT_ONCE)]
    return [
        Text(head + ", ".join([row] * len(part)) + tail, [value for values in part for value in values])
        for part in parts
    ]


def _stored(record: models.Model, keepers: Keepers) -> list[Any]:
    """The values of a record as the database takes them."""
    values = record.__dict__
    return [value if (value := values[name]) is None or keep is None else keep(value) for name, keep in keepers]


def _keeper(field: Any) -> Callable[[Any], Any] | None:
    """What makes of a field's value what the database takes; None where it is taken as it is."""
    if isinstance(field, models.JSONField):
        return (field.encoder or json.JSONEncoder)().encode
    if isinstance(field, models.DateTimeField):
        return lambda moment: str(moment.astimezone(UTC).replace(tzinfo=None))
    if isinstance(field, models.UUIDField):
        return str if connection.features.has_native_uuid_field else lambda value: value.hex
    if isinstance(field, _PLAIN):
        return None
    return lambda value: field.get_db_prep_save(value, connection)


def _keepers(fields: Iterable[Any]) -> Keepers:
    return [(field.attname, _keeper(field)) for field in fields]


@cache
def _insert_text(
    model: type[models.Model],
    names: tuple[str, ...],
    update: tuple[str, ...],
    add: tuple[str, ...],
    returning: str | None,
) -> tuple[Keepers, str, str, str]:
    """How a model's rows are inserted, with all columns or those that are named (as attnames)."""
    quote = connection.ops.quote_name
    # Records carry their number; other rows are numbered by the database.
    by_attname = {f.attname: f for f in model._meta.concrete_fields if not isinstance(f, models.AutoField)}
    fields = [by_attname[name] for name in names] if names else list(by_attname.values())
    columns = ", ".join(quote(f.column) for f in fields)
    tail = ""
    if update or add:
        column = {name: quote(f.column) for name, f in by_attname.items()}
        sets = [f"{column[name]} = VALUES({column[name]})" for name in update]
        sets += [f"{column[name]} = {column[name]} + VALUES({column[name]})" for name in add]
        tail += f" ON DUPLICATE KEY UPDATE {', '.join(sets)}"
    if returning:
        tail += f" RETURNING {quote(returning)}"
    head = f"INSERT INTO {quote(model._meta.db_table)} ({columns}) VALUES "
    return _keepers(fields), head, f"({', '.join(['%s'] * len(fields))})", tail


@cache
def _update_text(model: type[models.Model], columns: tuple[str, ...]) -> tuple[Keepers, str]:
    quote = connection.ops.quote_name
    named = (
        [f for f in model._meta.concrete_fields if f.attname in columns]
        if columns
        else model._meta.concrete_fields
    )
    fields = [f for f in named if not f.primary_key]
    sets = ", ".join(f"{quote(f.column)} = %s" for f in fields)
    pk = model._meta.pk
    assert pk is not None
    return _keepers(fields), f"UPDATE {quote(model._meta.db_table)} SET {sets} WHERE {quote(pk.column)} = %s"
