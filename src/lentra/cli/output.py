"""Showing records as a table, JSON, CSV or YAML; colour only on a terminal."""

from __future__ import annotations

import csv
import json
import os
import re
import sys
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from itertools import islice
from typing import Any, TextIO

from lentra.addressing.texts import harmless
from lentra.cli.options import WrongUse
from lentra.tables.writing import no_formula

WHOLE = ("json", "jsonl", "yaml")  # formats that have everything there is
FORMATS = ("table", "json", "jsonl", "csv", "yaml")
_STYLES = {"bold": "1", "dim": "2", "good": "32", "warn": "33", "bad": "31"}
_BAR = 20
_STYLE_CODE = re.compile(r"(\x1b\[(?:0|1|2|31|32|33)m)")


@dataclass
class Shape:
    """How lists are shown in this run: set once, from the options."""

    plain: bool = False  # numbers as they are: for programs
    columns: list[str] | None = None
    sort: str | None = None
    quiet: bool = False


SHAPE = Shape()


class Harmless:
    """A stream that writes characters which a terminal would obey as codes, but for the styles of `styled`."""

    def __init__(self, stream: TextIO) -> None:
        self.stream = stream

    def write(self, text: str) -> int:
        """Write a text."""
        parts = _STYLE_CODE.split(text)  # every second one is a code of ours
        parts[::2] = [harmless(part) for part in parts[::2]]
        return self.stream.write("".join(parts))

    def __getattr__(self, name: str) -> Any:
        return getattr(self.stream, name)


def styled(text: str, style: str, stream: TextIO | None = None) -> str:
    """Text in a style, if the stream is a terminal and NO_COLOR is not set."""
    stream = stream or sys.stdout
    if not stream.isatty() or os.environ.get("NO_COLOR") or os.environ.get("TERM") == "dumb":
        return text
    return f"\x1b[{_STYLES[style]}m{text}\x1b[0m"


def show_rows(rows: Iterable[Mapping[str, Any]], columns: Sequence[str], form: str) -> None:
    """A list of records: the columns named as a table or CSV, everything as JSON or YAML.

    --columns, --sort and --quiet shape it.
    """
    rows, columns = list(rows), list(SHAPE.columns or columns)
    _refuse_unknown_columns(rows)
    if SHAPE.sort:
        falling, key = SHAPE.sort.startswith("-"), SHAPE.sort.removeprefix("-")
        rows.sort(key=lambda row: _rank(value_at(row, key)), reverse=falling)
    if SHAPE.quiet:
        for row in rows:
            print(_name_of(row))
    elif form == "jsonl":
        for row in rows:
            print(json.dumps(row, ensure_ascii=False))
    elif form in ("json", "yaml"):
        _dump(rows, form)
    elif form == "csv":
        writer = csv.writer(sys.stdout, lineterminator="\n")
        writer.writerow(columns)
        writer.writerows([no_formula(cell(value_at(row, column))) for column in columns] for row in rows)
    else:
        _table(rows, columns)


def show_record(record: Mapping[str, Any], form: str, leave_out: Sequence[str] = ()) -> None:
    """One record: a line for each field."""
    if form == "jsonl":
        print(json.dumps(record, ensure_ascii=False))
        return
    if form in ("json", "yaml"):
        _dump(record, form)
        return
    fields = [(name, cell(value)) for name, value in record.items() if name not in leave_out]
    if form == "csv":
        csv.writer(sys.stdout, lineterminator="\n").writerows(
            [("field", "value"), *((name, no_formula(text)) for name, text in fields)]
        )
        return
    width = max((len(name) for name, _ in fields), default=0)
    for name, text in fields:
        if text not in ("", "-"):
            print(f"{styled(name.replace('_', ' ').ljust(width), 'dim')}  {text}")


def show_list(
    options: Any,
    fetch: Callable[..., Iterator[Mapping[str, Any]]],
    filters: Mapping[str, Any],
    columns: Sequence[str],
    shown: Callable[[Any], Mapping[str, Any]] = lambda row: row,
) -> None:
    """A list that is fetched page by page: as much of it as --limit says, and a word about what is left out."""
    limit = options.limit or (options.usual_limit if options.output == "table" and not SHAPE.quiet else None)
    rows = fetch(limit=min(limit + 1, 1000) if limit else 1000, **filters)
    found = list(islice(rows, limit + 1) if limit else rows)
    show_rows([shown(row) for row in found[:limit]], columns, options.output)
    if limit and len(found) > limit:
        print(styled(f"{limit} of more: --limit", "dim", sys.stderr), file=sys.stderr)


def _refuse_unknown_columns(rows: Sequence[Mapping[str, Any]]) -> None:
    """Refuse a column that was asked for, and that no row has: an empty one would be believed."""
    known = sorted({name for row in rows for name in row})
    for name in [*(SHAPE.columns or ()), *([SHAPE.sort.removeprefix("-")] if SHAPE.sort else [])]:
        if rows and name.partition(".")[0] not in known:
            raise WrongUse(f"there is no column {name!r}; there are {', '.join(known)}")


def _name_of(row: Mapping[str, Any]) -> str:
    """What a row is called: its name, or its prefix."""
    named = (row[name] for name in ("name", "prefix", "range", "address", "number", "id") if row.get(name))
    return cell(next(named, next(iter(row.values()), None)))


def _rank(value: Any) -> tuple[int, float, str]:
    """For sorting: numbers as numbers, then texts, then what is empty."""
    text = cell(value)
    try:
        return (0, float(text), "")
    except ValueError:
        return (2, 0, "") if text == "-" else (1, 0, text)


def show_notes(notes: Iterable[str]) -> None:
    """Notes go to standard error, so that output can be piped."""
    for note in notes:
        print(styled(f"note: {note}", "warn", sys.stderr), file=sys.stderr)


def value_at(row: Mapping[str, Any], column: str) -> Any:
    """The value of a column; ``a.b`` reaches inside."""
    value: Any = row
    for step in column.split("."):
        value = value.get(step) if isinstance(value, Mapping) else None
    return value


def cell(value: Any) -> str:
    """A value as one line of text."""
    if value is None or value == "":
        return "-"
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, Mapping):
        if "limit" in value and "used" in value:
            return f"{value['used']:,} of {value['limit']:,} {value['words']}"
        if "name" in value:
            return str(value["name"])
        if "prefix" in value:
            return str(value["prefix"])
        return ", ".join(f"{name}={cell(inner)}" for name, inner in value.items()) or "-"
    if isinstance(value, list):
        return ", ".join(cell(inner) for inner in value) or "-"
    return " ".join(str(value).splitlines())


def as_option(text: str) -> str:
    """A suggestion that names a field of the API, as the option that stands for it here."""
    named = re.fullmatch(r"([a-z_]+): (.+)", text)
    if not named:
        return text
    option = "--" + named[1].replace("_", "-")
    return option if named[2] == "true" else f"{option} {named[2]}"


def bar(percent: float, warning: int = 75, critical: int = 90) -> str:
    """A usage bar, its colour by the thresholds; the percent alone for programs."""
    if SHAPE.plain:
        return f"{percent:g}"
    filled = round(_BAR * percent / 100)
    style = "bad" if percent >= critical else "warn" if percent >= warning else "good"
    return styled("█" * filled + "░" * (_BAR - filled), style) + f" {percent:5.1f} %"


def usable(block: Mapping[str, Any]) -> str:
    """What a block carries: usable addresses for IPv4, one subnet of its length for IPv6."""
    if block["family"] == 6:
        return "1 × /" + str(block["prefix"]).partition("/")[2]
    return grouped(block["usable"]) if block["usable"] else "-"


def grouped(number: str | int) -> str:
    """A whole number with commas between thousands, or as it is for programs."""
    return str(int(number)) if SHAPE.plain else f"{int(number):,}"


def counted(number: str | int, family: int) -> str:
    """Addresses for IPv4, /64 for IPv6; for programs addresses of both."""
    if SHAPE.plain:
        return str(int(number))
    return grouped(number) if family == 4 else f"{grouped(int(number) >> 64)} × /64"


def _table(rows: Sequence[Mapping[str, Any]], columns: Sequence[str]) -> None:
    if not rows:
        print(styled("nothing found", "dim"))
        return
    heads = [column.replace("_", " ").replace(".", " ") for column in columns]
    lines = [[cell(value_at(row, column)) for column in columns] for row in rows]
    widths = [max(len(_bare(line[n])) for line in [heads, *lines]) for n in range(len(columns))]
    print(styled("  ".join(h.ljust(w) for h, w in zip(heads, widths, strict=True)).rstrip(), "bold"))
    for line in lines:
        padded = (text + " " * (w - len(_bare(text))) for text, w in zip(line, widths, strict=True))
        print("  ".join(padded).rstrip())


def _bare(text: str) -> str:
    """Text without its colour codes, for measuring."""
    while "\x1b[" in text:
        before, _, after = text.partition("\x1b[")
        text = before + after.partition("m")[2]
    return text


def _dump(value: Any, form: str) -> None:
    if form == "json":
        json.dump(value, sys.stdout, indent=2, ensure_ascii=False)
        print()
    else:
        import yaml  # takes a while: only where it is asked for

        yaml.safe_dump(value, sys.stdout, sort_keys=False, allow_unicode=True)
