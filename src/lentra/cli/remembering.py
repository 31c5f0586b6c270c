"""The past: who had an address or a range, from when to when."""

from __future__ import annotations

import argparse
import re
from functools import partial
from typing import Any

from lentra.cli.context import DONE, client_for
from lentra.cli.output import SHAPE, show_list

_RANGE = re.compile(r"[0-9a-fA-F.:]+(/\d+|-[0-9a-fA-F.:]+)?")
_COLUMNS = ("prefix", "begins", "ends", "what", "name", "project", "place", "tier", "by", "why")


def is_range(text: str) -> bool:
    """Whether a text is an address, a prefix or first-last."""
    return bool(_RANGE.fullmatch(text) and re.search(r"[.:]", text))


def show_tenures(options: argparse.Namespace, text: str, **of: Any) -> int:
    """Whatever had an address or a range, in order of address and then of time."""
    client = client_for(options)
    shown = (lambda row: row) if SHAPE.plain and options.output != "csv" else _told
    show_list(options, partial(client.history, text), of, _COLUMNS, shown)
    return DONE


def _told(row: dict[str, Any]) -> dict[str, Any]:
    """A tenure in few columns: what it was, where, and by whose hand it began, or ended if it has."""
    what = row["state"] if row["kind"] == "subnet" else f"{row['kind']}, {row['state']}"
    attached = [row["attached_to"], *(one["address"] for one in row["public"])]
    if attached := [text for text in attached if text]:
        what += f", attached to {', '.join(attached)}"
    began, ended = row["began"] or {}, row["ended"] or {}
    hands = [f"{one['verb']} {one['who']}" for one in (began, ended) if one]
    return row | {
        "begins": _minute(row["begins"]),
        "ends": _minute(row["ends"]),
        "what": what,
        "place": row["zone"] or row["region"],
        "by": "; ".join(hands),
        "why": "; ".join(one["why"] for one in (began, ended) if one.get("why")),
    }


def _minute(moment: str | None) -> str | None:
    """A moment in few letters."""
    return moment[:16].replace("T", " ") if moment else None
