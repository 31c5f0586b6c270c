"""Documents of sightings, read by their format: each kind of source has one."""

from __future__ import annotations

import json
from collections.abc import Callable, Mapping
from datetime import datetime
from functools import cache
from pathlib import Path
from typing import Any

from django.utils.dateparse import parse_datetime
from jsonschema import Draft202012Validator

from lentra.registry.errors import Invalid
from lentra.registry.operations.findings.take_survey import Seen
from lentra.sources.facts import seen_of
from lentra.sources.host import read_host
from lentra.sources.sweep import read_sweep, swept_at
from lentra.sources.table import read_table


@cache
def schema(name: str = "sightings") -> dict[str, Any]:
    """A published JSON Schema: that of `lentra-sightings-1`, or of `lentra-inventory-1`."""
    read: dict[str, Any] = json.loads((Path(__file__).parent / f"{name}.schema.json").read_text())
    return read


def read_document(document: Mapping[str, Any], now: datetime) -> tuple[list[Seen], datetime]:
    """What a document has seen, and when.

    Raises:
        Invalid: it is of no known format, or has something that its format does not allow; says where.
    """
    read = _READERS.get(str(document.get("format")))
    if read is None:
        raise Invalid(
            f"there is no format {document.get('format')!r} of sightings",
            field="document.format",
            received=document.get("format"),
            suggestions=list(_READERS),
        )
    seen, at = read(document), now
    if document.get("at"):
        moment = parse_datetime(str(document["at"]))
        if moment is None or moment.tzinfo is None:
            raise Invalid(
                "when it looked is to be a moment with its time zone",
                field="document.at",
                received=document["at"],
                suggestions=[now.isoformat()],
            )
        at = moment
    elif document["format"] == "lentra-sweep-1":
        at = swept_at(document) or now
    return seen, at


def refuse_against(document: Mapping[str, Any], name: str, where: str) -> None:
    """Refuse a document that its schema does not allow.

    Raises:
        Invalid: says the first fault, where it is, and how many more there are.
    """
    faults = sorted(
        Draft202012Validator(schema(name)).iter_errors(document), key=lambda fault: list(fault.absolute_path)
    )
    if faults:
        place = ".".join(str(step) for step in [where, *faults[0].absolute_path])
        more = f" (and {len(faults) - 1:,} more)" if len(faults) > 1 else ""
        raise Invalid(f"{faults[0].message[:200]}{more}", field=place, rule=f"the format lentra-{name}-1")


def _sightings(document: Mapping[str, Any]) -> list[Seen]:
    refuse_against(document, "sightings", "document")
    return [seen_of(one, f"document.sightings.{n}") for n, one in enumerate(document["sightings"])]


_READERS: dict[str, Callable[[Mapping[str, Any]], list[Seen]]] = {
    "lentra-sightings-1": _sightings,
    "lentra-table-1": read_table,
    "lentra-host-1": read_host,
    "lentra-sweep-1": read_sweep,
}
FORMATS = tuple(_READERS)
