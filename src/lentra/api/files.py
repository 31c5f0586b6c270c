"""Lists as files: every list of the API comes out as CSV, XLSX or lines of JSON, whole, streamed page by page.

Of the kinds that may be brought in, the columns are those that come in again; of all others, a column for each field.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Iterator
from datetime import date, datetime
from itertools import chain
from typing import Any
from urllib.parse import parse_qs, quote, urlsplit

from django.http import QueryDict, StreamingHttpResponse
from rest_framework.request import Request

from lentra.addressing.extents import State
from lentra.addressing.prefix import parse_prefix, ranges_text
from lentra.registry.intakes.columns import COLUMNS
from lentra.tables.writing import MEDIA, write_table

KINDS = {  # in the address -> the kind of table
    "subnets": "subnets",
    "addresses": "address records",
    "keep-outs": "keep-outs",
    "reservations": "reservations",
    "pools": "pools",
    "projects": "projects",
    "regions": "regions",
    "zones": "zones",
    "tiers": "tiers",
}
Told = dict[str, Any]
_ROWS_AT_ONCE = 1000
_SPARE_COLUMNS = ("mask", "first", "last")  # a range is told in one column
_REALMED = ("pool", "parent", "subnet", "reservation")  # told with their realm: several may have the name
_MOMENT = re.compile(r"\d{4}-\d\d-\d\dT\d\d:\d\d:\d\d(\.\d+)?Z")
_DAY = re.compile(r"\d{4}-\d\d-\d\d")


def list_as_file(request: Request, view: Any, page: Callable[[], Any], form: str) -> StreamingHttpResponse:
    """All rows of a list as a file.

    Args:
        view: may have `file_rows`, which reads all rows at once where pages are read from the beginning each time.
        page: answers the call as `request` asks it now: a page of the list.
    """
    words = [word for word in request.path.removeprefix("/api/v1/").split("/") if word]
    if hasattr(view, "file_rows"):
        return file_of(view.file_rows(request), words, form)
    request.asked["limit"] = _ROWS_AT_ONCE
    first = _read(request, page, None)  # what is wrong with the call is said before anything is sent
    return file_of(_rows(request, page, first), words, form)


def file_of(rows: Iterable[Told], words: list[str], form: str) -> StreamingHttpResponse:
    """Rows as a file.

    Args:
        words: of the list's address: they tell what it is of, and name the file.
    """
    headings, told = _shape(KINDS.get(words[0]) if len(words) == 1 else None, rows)
    title = " ".join(words)
    pieces = write_table(form, headings, told, title)
    name = quote(f"{'-'.join(words)}.{form}", safe="")
    disposition = f"attachment; filename*=UTF-8''{name}"  # RFC 8187, section 3.2
    return StreamingHttpResponse(pieces, content_type=MEDIA[form], headers={"Content-Disposition": disposition})


def _read(request: Request, page: Callable[[], Any], cursor: str | None) -> Any:
    """A page of the list: that of a cursor, or the first."""
    query = QueryDict(mutable=True)
    query.update({"limit": str(_ROWS_AT_ONCE)})
    for name, values in request._request.GET.lists():
        if name not in ("limit", "cursor", "as"):
            query.setlist(name, values)
    request.asked.pop("cursor", None)
    if cursor:
        query["cursor"] = request.asked["cursor"] = cursor
    request._request.GET = query
    return page().data


def _rows(request: Request, page: Callable[[], Any], data: Any) -> Iterator[Told]:
    while True:
        yield from data["results"]
        if not data["next"]:
            return
        data = _read(request, page, parse_qs(urlsplit(data["next"]).query)["cursor"][0])


def _shape(kind: str | None, rows: Iterable[Told]) -> tuple[list[str], Iterator[list[Any]]]:
    """Headings, and the rows with a value for each."""
    if kind:
        columns = [c.name for c in COLUMNS[kind] if c.name not in _SPARE_COLUMNS]
        if "prefix" in columns and "address" in columns:
            columns.remove("address")
        return columns, ([_told(row, name) for name in columns] for row in rows)
    ahead = (_of_usage(row) if "with_carved" in row else row for row in rows)
    first = next(ahead, None)
    if first is None:
        return ["nothing found"], iter(())
    names = list(first)
    return names, ([_value(row.get(name)) for name in names] for row in chain([first], ahead))


def _of_usage(row: Told) -> Told:
    """Usage of a pool with a column for each number, of both families."""
    flat = {name: value for name, value in row.items() if name not in ("own", "with_carved")}
    for family in (4, 6):
        own = next((usage for usage in row["own"] if usage["family"] == family), None)
        for name in ("total", "used_percent", "largest_free"):
            flat[f"ipv{family}_{name}"] = own[name] if own else None
        for state in State:
            flat[f"ipv{family}_{state.name.lower()}"] = own["addresses"][state.word] if own else None
    return flat


def _told(row: Told, name: str) -> Any:
    """A column of a kind that may be brought in again."""
    if name == "prefix":
        if "blocks" in row:
            return ranges_text([parse_prefix(block["prefix"]) for block in row["blocks"]])
        return " ".join(row["ranges"]) if "ranges" in row else row["range"]
    if name == "room":
        return _doublings(row)
    if name == "sheet" and row["sheet_inherited"]:
        return None
    value = row.get("drawn_from" if name == "reservation" else name)
    if name in _REALMED and isinstance(value, dict):
        return f"{row['realm']['name']}:{value['name']}"
    if name in ("growth", "outer_tag", "secondary") and not value:
        return None
    if name in ("projects", "tiers"):
        return ", ".join(sorted(one["name"] for one in value or ()))
    return _value(value)


def _doublings(row: Told) -> int | None:
    """How many doublings of its first block a subnet keeps free behind it."""
    if not row["room"] or not row["blocks"]:
        return None
    size = parse_prefix(row["blocks"][0]["prefix"]).size
    kept = sum(parse_prefix(text).size for text in row["room"])
    return (1 + kept // size).bit_length() - 1


def _value(value: Any) -> Any:
    """A value as one cell: a record by its name, a list with commas, labels as key=value; moments as what they are."""
    if isinstance(value, dict):
        if "name" in value:
            return value["name"]
        if "prefix" in value:
            return value["prefix"]
        return "; ".join(f"{key}={_value(one)}" for key, one in sorted(value.items()))
    if isinstance(value, list | tuple):
        return ", ".join(str(_value(one)) for one in value)
    if isinstance(value, str):
        if _MOMENT.fullmatch(value):
            return datetime.fromisoformat(value)
        if _DAY.fullmatch(value):
            return date.fromisoformat(value)
    return None if value == "" else value
