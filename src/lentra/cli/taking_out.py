"""Lists taken out as files: CSV, XLSX, lines of JSON, whole however long they are."""

from __future__ import annotations

import argparse
import codecs
import json
import sys
from pathlib import Path
from typing import Any

from lentra.cli.context import DONE, WrongUse, client_for
from lentra.cli.output import show_rows, styled

LISTS = {  # what people say -> the list's address
    **{
        name: name
        for name in ("subnets", "keep-outs", "reservations", "pools", "projects", "regions", "zones", "tiers")
    },
    "address records": "addresses",
    **{
        name: name
        for name in (
            "realms",
            "rule-sheets",
            "planned-needs",
            "quotas",
            "tag-ranges",
            "tag-members",
            "people",
            "plans",
            "subscriptions",
            "findings",
            "sightings",
            "surveys",
            "dns-zones",
            "dns-records",
            "dns-entries",
            "geofeed",
            "authorisations",
        )
    },
    **{
        name: name for name in ("ledger", "idle", "ranges", "usage", "headroom", "alerts", "intakes", "public-use")
    },
}
_FORMS = ("csv", "xlsx", "jsonl")


def add_commands(commands: Any) -> None:
    """Add ``take-out``."""
    command = commands.add_parser(
        "take-out",
        help="a whole list as a file: CSV, XLSX, JSON lines",
        epilog="example: lentra take-out subnets --filter project=ticketing",
    )
    command.add_argument("what", choices=LISTS, metavar="LIST", help=", ".join(LISTS))
    command.add_argument("--to", metavar="FILE", default="-", help="ends in .csv, .xlsx or .jsonl; - for CSV here")
    command.add_argument(
        "--filter", action="append", default=[], metavar="NAME=VALUE", help="a filter of the list; repeatable"
    )
    command.set_defaults(run=_take_out)


def _take_out(options: argparse.Namespace) -> int:
    form = "csv" if options.to == "-" else options.to.rpartition(".")[2].lower()
    if form not in _FORMS:
        raise WrongUse(f"{options.to}: it ends in none of .csv, .xlsx, .jsonl")
    filters: dict[str, Any] = {}
    for text in options.filter:
        name, mark, value = text.partition("=")
        if not mark:
            raise WrongUse(f"--filter {text!r}: write it as project=ticketing")
        filters.setdefault(name, []).append(value)
    client, path = client_for(options), LISTS[options.what]
    if options.to == "-" and options.output in ("json", "jsonl", "yaml"):
        text = b"".join(client.take_out(path, "jsonl", **filters)).decode()
        show_rows([json.loads(line) for line in text.splitlines()], (), options.output)
        return DONE
    pieces = client.take_out(path, form, **filters)
    if options.to == "-":
        for text in codecs.iterdecode(pieces, "utf-8"):
            sys.stdout.write(text.replace("\r", ""))
        return DONE
    unfinished = Path(f"{options.to}.part")
    try:
        with unfinished.open("wb") as file:
            for piece in pieces:
                file.write(piece)
        unfinished.replace(options.to)
    except OSError as why:
        raise WrongUse(f"{options.to} cannot be written: {why.strerror}")
    finally:
        unfinished.unlink(missing_ok=True)
    print(styled("Done: ", "good") + f"{options.what} in {options.to}")
    return DONE
