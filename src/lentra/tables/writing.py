"""Writing a table: CSV, XLSX or JSON lines, in pieces, as its rows come.

A text that a spreadsheet would take for a formula has an apostrophe before it, which the reader takes away again.
"""

from __future__ import annotations

import csv
import io
import json
import re
import tempfile
from collections.abc import Callable, Iterable, Iterator, Sequence
from datetime import date, datetime
from decimal import Decimal
from typing import Any

from lentra.tables.reading import RISKY

MEDIA = {
    "csv": "text/csv; charset=utf-8",
    "xlsx": "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet",
    "jsonl": "application/jsonl; charset=utf-8",
}
_NUMBER = re.compile(r"[+-]?\d+([.,]\d+)?")
_AT_ONCE = 500
_PIECE = 1 << 16
_WIDEST = 60  # characters of a column


def write_table(form: str, headings: Sequence[str], rows: Iterable[Sequence[Any]], title: str) -> Iterator[bytes]:
    """A table as the pieces of a file.

    Args:
        form: ``csv``, ``xlsx`` or ``jsonl``.
        rows: each with a value for each heading: text, numbers, dates, or None.
        title: of the sheet.
    """
    writers: dict[str, Callable[[Sequence[str], Iterable[Sequence[Any]], str], Iterator[bytes]]] = {
        "csv": _csv,
        "xlsx": _xlsx,
        "jsonl": _lines,
    }
    return writers[form](headings, rows, title)


def no_formula(value: Any) -> Any:
    """A value that no spreadsheet takes for a formula."""
    if isinstance(value, str) and RISKY.match(value) and not _NUMBER.fullmatch(value):
        return f"'{value}"
    return value


def _csv(headings: Sequence[str], rows: Iterable[Sequence[Any]], title: str) -> Iterator[bytes]:
    piece = io.StringIO()
    writer = csv.writer(piece, lineterminator="\r\n")  # RFC 4180, section 2
    writer.writerow(headings)
    for count, row in enumerate(rows, 1):
        writer.writerow(["" if value is None else _text(no_formula(value)) for value in row])
        if count % _AT_ONCE == 0:
            yield piece.getvalue().encode()
            piece.seek(0)
            piece.truncate()
    yield piece.getvalue().encode()


def _lines(headings: Sequence[str], rows: Iterable[Sequence[Any]], title: str) -> Iterator[bytes]:
    for row in rows:
        said = {heading: value for heading, value in zip(headings, row, strict=True) if value not in (None, "")}
        yield (json.dumps(said, ensure_ascii=False, default=_text) + "\n").encode()


def _xlsx(headings: Sequence[str], rows: Iterable[Sequence[Any]], title: str) -> Iterator[bytes]:
    from openpyxl import Workbook
    from openpyxl.cell import WriteOnlyCell
    from openpyxl.styles import Font
    from openpyxl.utils import get_column_letter

    book = Workbook(write_only=True)
    page: Any = book.create_sheet(re.sub(r"[\\/*?:\[\]]", " ", title)[:31])
    page.freeze_panes = "A2"
    some: list[Sequence[Any]] = []
    ahead = iter(rows)
    for row in ahead:
        some.append(row)
        if len(some) == _AT_ONCE:
            break
    for n, heading in enumerate(headings, 1):
        widest = max([len(heading), *(len(_text(row[n - 1])) for row in some)])
        page.column_dimensions[get_column_letter(n)].width = min(_WIDEST, widest + 2)
    bold = []
    for heading in headings:
        cell = WriteOnlyCell(page, value=heading)
        cell.font = Font(bold=True)
        bold.append(cell)
    page.append(bold)
    count = 1
    for part in (some, ahead):
        for row in part:
            page.append([_cell(value) for value in row])
            count += 1
    page.auto_filter.ref = f"A1:{get_column_letter(max(1, len(headings)))}{count}"
    with tempfile.TemporaryFile() as file:
        book.save(file)
        file.seek(0)
        while piece := file.read(_PIECE):
            yield piece


def _cell(value: Any) -> Any:
    """A value as a cell of a workbook: numbers and moments as what they are."""
    if isinstance(value, datetime):
        return value.replace(tzinfo=None)  # of UTC, as all moments here
    if value is None or isinstance(value, bool | int | float | Decimal | date):
        return value
    text = no_formula(_text(value))
    return "".join(c for c in text if c >= " " or c in "\t\n")


def _text(value: Any) -> str:
    if value is None:
        return ""
    if isinstance(value, bool):
        return "true" if value else "false"
    if isinstance(value, datetime):
        return value.strftime("%Y-%m-%dT%H:%M:%SZ")
    return value.isoformat() if isinstance(value, date) else str(value)
