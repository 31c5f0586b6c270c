"""Tables of old space: what columns mean, which range a row says, and how the ranges of many rows lie to each other.

A cell is what a file's reader makes of it: text, a number, a date, or nothing. What a number cannot mean is refused, since
a spreadsheet has made another thing of it.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date, datetime
from typing import Any

from lentra.addressing.prefix import Prefix, parse_address, parse_prefix, parse_range, prefixes_of_range
from lentra.addressing.refusal import BadPrefix, Refusal

Cell = str | int | float | bool | date | None
_SPLIT = re.compile(r"[,;\s]+")
_RANGE_FIELDS = ("prefix", "address", "mask", "first", "last")
_DASHES = str.maketrans({"–": "-", "—": "-", "−": "-"})


@dataclass(frozen=True, slots=True)
class Column:
    """What a column of a table may mean.

    Args:
        name: the field's name.
        about: what stands in it, in words.
        headings: headings by which it is guessed, besides its name: lower case, words with one space between.
        needed: a row without it is refused.
    """

    name: str
    about: str
    headings: tuple[str, ...] = ()
    needed: bool = False


@dataclass(frozen=True)
class Meaning:
    """What the columns of a table mean: may be kept as a small file and used again.

    Args:
        columns: field -> heading of its column; "" for none.
        fixed: field -> a value for every row whose column says nothing.
        values: field -> what stands in the table -> what is meant.
        labels: headings of columns that become labels.
    """

    columns: Mapping[str, str] = field(default_factory=dict)
    fixed: Mapping[str, str] = field(default_factory=dict)
    values: Mapping[str, Mapping[str, str]] = field(default_factory=dict)
    labels: Sequence[str] = ()


def guess_columns(headings: Iterable[str], known: Sequence[Column]) -> dict[str, str]:
    """The heading of each field whose column can be told by it: by the field's own name, else by a usual heading.

    >>> guess_columns(["Network", "Site", "VLAN"], [Column("prefix", "", ("network",)), Column("zone", "", ("site",))])
    {'prefix': 'Network', 'zone': 'Site'}
    """
    plain = [(heading, _plain(heading)) for heading in headings]
    found: dict[str, str] = {}
    for by_name in (True, False):
        for column in known:
            words = (column.name.replace("_", " "),) if by_name else column.headings
            fit = [heading for heading, text in plain if text in words and heading not in found.values()]
            if fit and column.name not in found:
                found[column.name] = fit[0]
    return {column.name: found[column.name] for column in known if column.name in found}


def completed(said: Meaning, headings: Sequence[str], known: Sequence[Column]) -> Meaning:
    """What the columns of a table mean: as it was said, and where nothing was, as it is guessed by the headings.

    Raises:
        Refusal: a column that was named is not there.
    """
    for heading in [*filter(None, said.columns.values()), *said.labels]:
        if heading not in headings:
            raise Refusal(
                f"the table has no column {heading!r}; it has {', '.join(headings[:20])}",
                field="columns",
                received=heading,
                suggestions=list(headings[:5]),
            )
    spoken_for = {*said.columns.values(), *said.labels}
    guessed = guess_columns([heading for heading in headings if heading not in spoken_for], known)
    columns = {name: heading for name, heading in guessed.items() if name not in said.columns}
    columns |= {name: heading for name, heading in said.columns.items() if heading}
    return Meaning(columns, said.fixed, said.values, said.labels)


def read_row(cells: Mapping[str, Cell], mapping: Meaning) -> dict[str, str]:
    """What a row says, field by field; what it says nothing of is left out.

    Args:
        cells: heading -> cell.

    Raises:
        Refusal: a cell holds what its field cannot mean; says which field.
    """
    said: dict[str, str] = {}
    for name, heading in mapping.columns.items():
        text = cell_text(cells.get(heading), name) if heading else ""
        if text and (meant := mapping.values.get(name, {}).get(text)) is not None:
            text = meant
        if text:
            said[name] = text
    for name, value in mapping.fixed.items():
        said.setdefault(name, value)
    return said


def cell_text(cell: Cell, name: str) -> str:
    """A cell as text.

    Raises:
        Refusal: a range whose cell a spreadsheet has turned into a number, or a date.
    """
    if cell is None:
        return ""
    if isinstance(cell, bool):
        return "true" if cell else "false"
    if name in _RANGE_FIELDS and isinstance(cell, float | date):
        kind = "date" if isinstance(cell, date) else "number"
        raise BadPrefix(
            f"the spreadsheet has turned this cell into the {kind} {cell}: format its column as text and write the address "
            "again",
            field=name,
            received=str(cell),
            suggestions=["a cell that is formatted as text"],
        )
    if isinstance(cell, float) and cell.is_integer():
        return str(int(cell))
    if isinstance(cell, datetime):
        return cell.date().isoformat() if (cell.hour, cell.minute, cell.second) == (0, 0, 0) else cell.isoformat()
    return " ".join(str(cell).split()) if name in _RANGE_FIELDS else str(cell).strip()


def blocks_of(said: Mapping[str, str]) -> list[Prefix]:
    """The fewest blocks of the range, or ranges, that a row says: as prefixes, first-last, address and mask, or two ends.

    >>> [str(block) for block in blocks_of({"address": "10.40.64.0", "mask": "255.255.254.0"})]
    ['10.40.64.0/23']
    >>> [str(block) for block in blocks_of({"prefix": "10.40.64.0-10.40.64.47"})]
    ['10.40.64.0/27', '10.40.64.32/28']

    Raises:
        Refusal: there is none, or it cannot be read; says which field.
    """
    if text := said.get("prefix", "").translate(_DASHES):
        if (mask := said.get("mask")) and "/" not in text and "-" not in text:
            text = f"{text}/{mask.lstrip('/')}"
        if " - " in text or " to " in text:
            text = re.sub(r"\s+(-|to)\s+", "-", text)
        return sorted(block for part in _SPLIT.split(text) if part for block in _range(part, "prefix"))
    if address := said.get("address"):
        if "mask" not in said and "/" not in address and "-" not in address:
            raise BadPrefix(
                f"{address} has neither a mask nor a length",
                field="mask",
                suggestions=[f"{address}/24", "mask: 255.255.255.0"],
            )
        return _range(f"{address}/{said['mask'].lstrip('/')}" if "mask" in said else address, "address")
    if "first" in said or "last" in said:
        if missing := [end for end in ("first", "last") if end not in said]:
            raise BadPrefix(f"the {missing[0]} address of the range is missing", field=missing[0])
        return _range(f"{said['first']}-{said['last']}", "first")
    raise BadPrefix("the row says no range", field="prefix", suggestions=["10.40.64.0/23"])


def _range(text: str, name: str) -> list[Prefix]:
    try:
        if "-" in text:
            return prefixes_of_range(*parse_range(text))
        if "/" in text:
            return [parse_prefix(text)]
        family, address = parse_address(text)
        return prefixes_of_range(family, address, address)
    except Refusal as refusal:
        raise refusal.about(name)


@dataclass(slots=True)
class Nest:
    """How the range of a row lies to those of others, by their places: in the narrowest around it, the same, or across."""

    outer: int | None = None
    same: int | None = None
    across: int | None = None
    holds: int = 0  # how many lie directly in it


def nesting(ranges: Sequence[Sequence[Prefix]]) -> list[Nest]:
    """How the ranges of rows lie to each other, by one sweep in order of address.

    Args:
        ranges: of each row its blocks, which do not overlap each other.
    """
    found = [Nest() for _ in ranges]
    order = sorted((span, n) for n, blocks in enumerate(ranges) for span in _spans(blocks))
    around: list[tuple[int, int, int, int]] = []  # family, first, last, row
    for (family, first, reach, _), n in order:
        last = -reach
        while around and (around[-1][0] != family or around[-1][2] < first):
            around.pop()
        if around:
            _, low, high, other = around[-1]
            if other == n:
                continue
            if (low, high) == (first, last):
                found[n].same = other if found[n].same is None else found[n].same
                continue
            if last > high:
                found[n].across = found[n].across if found[n].across is not None else other
                if found[other].across is None:
                    found[other].across = n
            else:
                found[n].outer = other
                found[other].holds += 1
        around.append((family, first, last, n))
    return found


def _spans(blocks: Sequence[Prefix]) -> Iterator[tuple[int, int, int, int]]:
    """Neighbouring blocks of one row as one span: family, first, minus last (so that wider ones come first), how many."""
    spans: list[list[int]] = []
    for block in sorted(blocks):
        if spans and spans[-1][0] == block.family and spans[-1][2] + 1 == block.first:
            spans[-1][2] = block.last
            spans[-1][3] += 1
        else:
            spans.append([block.family, block.first, block.last, 1])
    for family, first, last, count in spans:
        yield family, first, -last, count


def meaning_of(document: Any, known: Sequence[Column]) -> Meaning:
    """A mapping as it is kept in a file: ``columns``, ``set``, ``values``, ``labels``.

    Raises:
        Refusal: it says something of a field that there is not.
    """
    if not isinstance(document, Mapping):
        raise Refusal("a mapping says columns, set, values and labels", field="mapping")
    names = [column.name for column in known]
    parts = {name: document.get(name) or {} for name in ("columns", "set", "values")}
    for part, said in parts.items():
        if not isinstance(said, Mapping):
            raise Refusal(f"{part} of a mapping is a mapping of fields", field=part)
        for name in said:
            if name not in names:
                raise Refusal(
                    f"{part}: there is no field {str(name)[:60]!r}; there are {', '.join(names)}",
                    field=part,
                    received=str(name)[:60],
                    suggestions=[n for n in names if n[:2] == str(name)[:2]] or names[:5],
                )
    labels = document.get("labels") or []
    if not isinstance(labels, Sequence) or isinstance(labels, str):
        raise Refusal("labels of a mapping is a list of headings", field="labels")
    return Meaning(
        {name: str(heading or "") for name, heading in parts["columns"].items()},
        {name: str(value) for name, value in parts["set"].items()},
        {
            name: {str(was): str(meant) for was, meant in words.items()}
            for name, words in parts["values"].items()
            if isinstance(words, Mapping)
        },
        [str(heading) for heading in labels],
    )


def _plain(heading: str) -> str:
    """A heading for comparing: lower case, words with one space between."""
    return " ".join(re.sub(r"[\W_]+", " ", re.sub(r"(?<=[a-z])(?=[A-Z])", " ", heading)).lower().split())
