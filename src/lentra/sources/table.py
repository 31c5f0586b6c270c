"""Sightings out of a table (`lentra-table-1`): CSV, a workbook, or lines of JSON, in base64."""

from __future__ import annotations

import base64
import binascii
from collections.abc import Iterator, Mapping
from typing import Any

from lentra.addressing.matching import merged
from lentra.addressing.prefix import address_text, range_text
from lentra.addressing.refusal import Refusal
from lentra.addressing.tables import blocks_of, completed, meaning_of, read_row
from lentra.registry.errors import Invalid
from lentra.registry.intakes.columns import SIGHTINGS
from lentra.registry.operations.findings.take_survey import Seen
from lentra.sources.facts import Collected, seen_of
from lentra.tables.reading import open_table

_PLACE = ("prefix", "mask", "first", "last", "address")


def read_table(document: Mapping[str, Any]) -> list[Seen]:
    """What each row has seen: a range, or an address, by the columns of a mapping or by what their headings say.

    Raises:
        Refusal: it is no table, a column is missing, or a row cannot be read; says which.
    """
    try:
        content = base64.b64decode(str(document.get("content") or ""), validate=True)
    except (binascii.Error, ValueError):
        raise Invalid("a table's content is its bytes in base64", field="document.content")
    table = open_table(str(document.get("name") or "table.csv"), content, str(document.get("sheet") or ""))
    meaning = completed(meaning_of(document.get("mapping") or {}, SIGHTINGS), table.headings, SIGHTINGS)
    if not {"prefix", "address", "first"} & meaning.columns.keys():
        raise Invalid(
            f"no column tells what was seen: there are {', '.join(table.headings[:20])}",
            field="document.mapping",
            rule="a column prefix, or address, or first and last",
            suggestions=[f'columns: {{"prefix": "{table.headings[0]}"}}'],
        )
    seen = Collected()
    for row in table.rows:
        said = read_row(row.cells, meaning)
        if not said:
            continue
        try:
            for one in _seen(said, f"row {row.number}"):
                seen.add(one)
        except Refusal as refusal:
            told = refusal.with_(message=f"row {row.number}: {refusal.message}")
            told.field = f"document.content: row {row.number}"
            raise told
    return seen.all()


def _seen(said: Mapping[str, str], where: str) -> Iterator[Seen]:
    """An address, or each range that a row says, with the same facts."""
    facts = {name: text for name, text in said.items() if name not in _PLACE}
    address = said.get("address", "")
    if address and "/" not in address and "-" not in address and not said.keys() & {"mask", "prefix"}:
        yield seen_of({"address": address, **facts}, where)
        return
    blocks = blocks_of(said)
    for first, last in merged([(block.first, block.last) for block in blocks]):
        family = blocks[0].family
        if first == last and "/" not in said.get("prefix", "/"):
            yield seen_of({"address": address_text(family, first), **facts}, where)
        else:
            yield seen_of({"range": range_text(family, first, last), **facts}, where)
