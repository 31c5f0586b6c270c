"""Reading a table out of a file: its headings, then its rows, one after the other, each with the number it has there."""

from __future__ import annotations

import csv
import io
import json
import re
import zipfile
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from datetime import date, datetime, time
from typing import Any, ClassVar

from lentra.addressing.refusal import Refusal
from lentra.addressing.tables import Cell

FORMATS = ("csv", "xlsx", "jsonl")
MOST_COLUMNS = 200
MOST_ROWS = 1_000_000
_LONGEST_CELL = 10_000
_MOST_UNPACKED = 1 << 30  # bytes of a workbook
_MOST_TIMES = 200  # as large as it is packed
_WELL_PACKED = 1 << 20  # bytes below which that is no matter
RISKY = re.compile(r"'*[=+\-@\t\r]")  # how a text begins that a spreadsheet may take for a formula, or seems to
_DELIMITERS = ",;\t|"
_PROTECTED = b"\xd0\xcf\x11\xe0"  # how a workbook begins that is under a password, and an old one
_MERGED = re.compile(rb'<mergeCell\s[^>]*ref="([A-Z]+[0-9]+:[A-Z]+[0-9]+)"')


class NotATable(Refusal):
    """A file that no table can be read out of."""

    code: ClassVar[str] = "not-a-table"
    title: ClassVar[str] = "Not a table"


@dataclass(frozen=True)
class Row:
    """A row of a table: its number in the file (that of its line, or of its row in the sheet), and its cells by heading."""

    number: int
    cells: dict[str, Cell]


@dataclass(frozen=True)
class Table:
    """An open table. `rows` may be gone through once; a row that cannot be read ends it with a refusal."""

    headings: list[str]
    rows: Iterator[Row]
    told: str = ""  # how the file was read, in words


def format_of(name: str, data: bytes) -> str:
    """What a file is, by what it begins with, else by its name.

    Raises:
        NotATable: it is something else.
    """
    if data[:4] == b"PK\x03\x04" or data[:4] == _PROTECTED:
        return "xlsx"
    ending = name.rpartition(".")[2].lower()
    if ending in ("jsonl", "ndjson", "json") or data.lstrip()[:1] == b"{":
        return "jsonl"
    if ending in ("xlsx", "xlsm"):
        raise NotATable(
            f"{name} is no workbook, although its name says so", field="content", suggestions=["save it again"]
        )
    return "csv"


def open_table(name: str, data: bytes, sheet: str = "", encoding: str = "") -> Table:
    """A table out of a file's bytes.

    Args:
        sheet: the workbook's sheet, by name; its first one if empty.
        encoding: of text, by name; found out if empty.

    Raises:
        NotATable: the file is broken, protected, too wide, or has no headings.
    """
    if not data.strip():
        raise NotATable(f"{name} is empty", field="content")
    kind = format_of(name, data)
    if kind == "xlsx":
        return _open_workbook(name, data, sheet)
    if sheet:
        raise NotATable(f"{name} is no workbook: it has no sheets", field="sheet", received=sheet)
    text, said = _decoded(name, data, encoding)
    return _open_lines(text, said) if kind == "jsonl" else _open_csv(name, text, said)


# --- text ---


def _decoded(name: str, data: bytes, encoding: str) -> tuple[str, str]:
    """The text of a file, and which encoding it is in."""
    if encoding:
        try:
            return data.decode(encoding).removeprefix("\ufeff"), encoding
        except LookupError:
            raise NotATable(
                f"there is no encoding {encoding!r}",
                field="encoding",
                received=encoding,
                suggestions=["utf-8", "cp1252"],
            )
        except UnicodeDecodeError as fault:
            raise _not_in(name, data, encoding, fault.start)
    for mark, by_mark in ((b"\xef\xbb\xbf", "utf-8-sig"), (b"\xff\xfe", "utf-16"), (b"\xfe\xff", "utf-16")):
        if data.startswith(mark):
            try:
                return data.decode(by_mark), by_mark
            except UnicodeDecodeError as fault:
                raise _not_in(name, data, by_mark, fault.start)
    try:
        return data.decode("utf-8"), "utf-8"
    except UnicodeDecodeError as fault:
        raise _not_in(name, data, "utf-8", fault.start)


def _not_in(name: str, data: bytes, encoding: str, at: int) -> NotATable:
    line = data.count(b"\n", 0, at) + 1
    others = [other for other in ("cp1252", "iso-8859-15", "utf-16") if other != encoding]
    return NotATable(
        f"{name} is not {encoding}: line {line} has the byte 0x{data[at]:02x}; say which encoding it is",
        field="encoding",
        received=encoding,
        suggestions=others,
    )


def _open_csv(name: str, text: str, encoding: str) -> Table:
    delimiter = _delimiter(text)
    reader = csv.reader(io.StringIO(text, newline=""), delimiter=delimiter)
    headings: list[str] | None = None

    def numbered() -> Iterator[tuple[int, list[str]]]:
        before = 0
        try:
            for cells in reader:
                yield before + 1, cells
                before = reader.line_num
        except csv.Error as fault:
            raise NotATable(f"line {reader.line_num}: {fault}", field="content")

    lines = numbered()
    for _, cells in lines:
        if any(cell.strip() for cell in cells):
            headings = _checked(name, cells)
            break
    if headings is None:
        raise NotATable(f"{name} has no headings", field="content")
    word = {"\t": "tab", ",": "comma", ";": "semicolon", "|": "bar"}[delimiter]
    return Table(_named(headings), _rows(headings, lines), f"CSV, {encoding}, {word} between cells")


def _delimiter(text: str) -> str:
    """What stands between cells: what divides the first lines into the most columns, alike."""
    first = "\n".join(text[:20_000].splitlines()[:20])

    def fit(delimiter: str) -> tuple[int, int]:
        widths = [len(cells) for cells in csv.reader(io.StringIO(first), delimiter=delimiter) if cells]
        usual = max(set(widths), key=widths.count, default=1)
        return (widths.count(usual) if usual > 1 else 0), usual

    return max(_DELIMITERS, key=fit)


def _open_lines(text: str, encoding: str) -> Table:
    def objects() -> Iterator[tuple[int, dict[str, Any]]]:
        for number, line in enumerate(text.splitlines(), 1):
            if not line.strip():
                continue
            try:
                found = json.loads(line)
            except (ValueError, RecursionError) as fault:
                raise NotATable(f"line {number} is not JSON: {fault}", field="content")
            if not isinstance(found, dict):
                raise NotATable(f"line {number} is no object with fields", field="content")
            yield number, found

    headings = list(dict.fromkeys(name for _, found in objects() for name in found))
    _refuse_too_wide(headings)
    rows = (Row(number, {name: _plain(value) for name, value in found.items()}) for number, found in objects())
    return Table(headings, _not_too_many(rows), f"JSON lines, {encoding}")


def _plain(value: Any) -> Cell:
    """A value of JSON as a cell: a list with commas between, a record by its name, labels as key=value."""
    if isinstance(value, list):
        return ", ".join(str(_plain(one)) for one in value)
    if isinstance(value, dict):
        for name in ("name", "prefix"):
            if name in value:
                return _plain(value[name])
        return "; ".join(f"{name}={_plain(one)}" for name, one in value.items())
    return value if isinstance(value, str | int | float | bool) or value is None else str(value)


# --- workbooks ---


def _open_workbook(name: str, data: bytes, sheet: str) -> Table:
    if data.startswith(_PROTECTED):
        raise NotATable(
            f"{name} is protected by a password, or a workbook of a kind before XLSX: save it as XLSX without a password",
            field="content",
        )
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as packed:
            unpacked = sum(part.file_size for part in packed.infolist())
    except zipfile.BadZipFile as fault:
        raise NotATable(f"{name} is broken: {fault}", field="content", suggestions=["save it again"])
    if unpacked > _MOST_UNPACKED or (unpacked > _WELL_PACKED and unpacked > _MOST_TIMES * len(data)):
        raise NotATable(
            f"{name} unpacks to {unpacked:,} bytes, {unpacked // max(1, len(data)):,} times its size: it is not read",
            field="content",
            rule=f"a workbook unpacks to {_MOST_UNPACKED:,} bytes and {_MOST_TIMES} times its size at most",
        )
    from openpyxl import load_workbook  # takes a while: only where there is a workbook

    try:
        book = load_workbook(io.BytesIO(data), read_only=True, data_only=True)
    except Exception as fault:  # whatever a broken workbook has openpyxl stumble over
        raise NotATable(
            f"{name} is no workbook that can be read: {fault}", field="content", suggestions=["save it again"]
        )
    found = [page for page in book.worksheets if page.title == sheet] if sheet else book.worksheets[:1]
    if not found:
        names = [page.title for page in book.worksheets]
        raise NotATable(
            f"{name} has no sheet {sheet!r}; it has {', '.join(names)}",
            field="sheet",
            received=sheet,
            suggestions=names,
        )
    page: Any = found[0]
    _refuse_merged(data, page)
    page.reset_dimensions()

    def numbered() -> Iterator[tuple[int, Sequence[Any]]]:
        try:
            yield from enumerate(page.iter_rows(values_only=True), 1)
        except NotATable:
            raise
        except Exception as fault:
            raise NotATable(f"sheet {page.title} cannot be read to its end: {fault}", field="content")

    lines = numbered()
    for _, cells in lines:
        if any(cell is not None and str(cell).strip() for cell in cells):
            headings = _checked(name, ["" if cell is None else str(cell) for cell in cells])
            return Table(_named(headings), _rows(headings, lines), f"XLSX, sheet {page.title}")
    raise NotATable(
        f"sheet {page.title} of {name} has no headings",
        field="sheet",
        suggestions=[s.title for s in book.worksheets],
    )


def _refuse_merged(data: bytes, page: Any) -> None:
    """Merged cells say one thing of many rows, and a reader sees it in the first alone."""
    with zipfile.ZipFile(io.BytesIO(data)) as packed, packed.open(page._worksheet_path) as part:
        before = b""
        while read := part.read(1 << 20):
            if merged := _MERGED.findall(before + read):
                shown = ", ".join(ref.decode() for ref in merged[:5])
                raise NotATable(
                    f"cells {shown} of sheet {page.title} are merged: unmerge them, and write what holds into each",
                    field="content",
                    rule="each row says all of itself",
                )
            before = read[-200:]


# --- both ---


def _checked(name: str, cells: Sequence[str]) -> list[str]:
    """The headings of a table; those behind the last one that says something are none."""
    headings = [" ".join(cell.split()) for cell in cells]
    while headings and not headings[-1]:
        headings.pop()
    _refuse_too_wide(headings)
    seen: dict[str, int] = {}
    for n, heading in enumerate(headings):
        if heading and heading in seen:
            raise NotATable(
                f"the heading {heading!r} stands twice, in columns {_letters(seen[heading])} and {_letters(n)}: rename one",
                field="content",
                received=heading,
            )
        seen[heading] = n
    return headings


def _named(headings: Sequence[str]) -> list[str]:
    return [heading for heading in headings if heading]


def _rows(headings: Sequence[str], lines: Iterator[tuple[int, Sequence[Any]]]) -> Iterator[Row]:
    """The rows below the headings that say anything."""

    def rows() -> Iterator[Row]:
        width = len(headings)
        for number, cells in lines:
            if any(cell not in (None, "") for cell in cells[width:]):
                n = next(n for n in range(width, len(cells)) if cells[n] not in (None, ""))
                raise NotATable(
                    f"row {number} has a value in column {_letters(n)}, which has no heading", field="content"
                )
            pairs = zip(headings, cells, strict=False)
            said = {heading: _cell(number, heading, cell) for heading, cell in pairs if heading}
            if any(cell not in (None, "") for cell in said.values()):
                yield Row(number, said)

    return _not_too_many(rows())


def _cell(number: int, heading: str, cell: Any) -> Cell:
    if isinstance(cell, str):
        text = cell[1:] if cell.startswith("'") and RISKY.match(cell) else cell
        if len(text) > _LONGEST_CELL:
            raise NotATable(
                f"row {number}, column {heading}: {len(text):,} characters, {_LONGEST_CELL:,} at most",
                field="content",
            )
        return text
    if cell is None or isinstance(cell, bool | int | float | date):
        return cell
    return cell.isoformat() if isinstance(cell, time | datetime) else str(cell)


def _not_too_many(rows: Iterator[Row]) -> Iterator[Row]:
    for count, row in enumerate(rows, 1):
        if count > MOST_ROWS:
            raise NotATable(f"{MOST_ROWS:,} rows at most: divide the table", field="content")
        yield row


def _refuse_too_wide(headings: Sequence[str]) -> None:
    if len(headings) > MOST_COLUMNS:
        raise NotATable(
            f"{len(headings)} columns, {MOST_COLUMNS} at most: leave out what is not needed", field="content"
        )


def _letters(n: int) -> str:
    """How a spreadsheet calls a column, from 0: A, B, … Z, AA."""
    text = ""
    n += 1
    while n:
        n, rest = divmod(n - 1, 26)
        text = chr(ord("A") + rest) + text
    return text
