"""Whatever else the service answers: any address of the API, and the history of a subnet."""

from __future__ import annotations

import argparse
import json
from typing import Any

from lentra.cli.context import DONE, WrongUse, client_for
from lentra.cli.looking import told_entry
from lentra.cli.output import show_record, show_rows


def add_commands(commands: Any) -> None:
    """Add ``find``, ``history`` and ``api``."""
    command = commands.add_parser(
        "find",
        help="find anything by what one has of it: name, address, MAC, tag, label, number",
        epilog="example: lentra find ticket",
    )
    command.add_argument("text", help="part of a name, a MAC, tag 120, quay=7, a ledger number, or an address")
    command.set_defaults(run=_find)
    command = commands.add_parser(
        "history",
        help="everything that happened to a subnet",
        epilog="example: lentra history ticketing-nc-1-app-01",
    )
    command.add_argument("subnet", help="its name, or its number when it is gone")
    command.set_defaults(run=_history)
    command = commands.add_parser(
        "api",
        help="read any address of the API",
        epilog="example: lentra api 'pools?region=mainland&limit=2'",
    )
    command.add_argument("address", help="what comes after /api/v1/, with its query")
    command.set_defaults(run=_api)


def _find(options: argparse.Namespace) -> int:
    found = client_for(options).search(options.text)
    if options.output in ("json", "yaml"):
        show_record(found, options.output)
        return DONE
    rows = [
        {
            "name": holder["owner"],
            "kind": holder["state"],
            "realm": place["realm"],
            "about": holder["range"],
            "id": None,
        }
        for place in found["places"]
        for holder in place["holders"]
        if holder.get("owner")
    ]
    show_rows([*rows, *found["records"]], ("kind", "name", "realm", "about", "id", "why"), options.output)
    return DONE


def _history(options: argparse.Namespace) -> int:
    rows = [told_entry(entry) for entry in client_for(options).subnets.history(options.subnet)]
    show_rows(rows, ("number", "at", "who", "verb", "name", "what", "why"), options.output)
    return DONE


def _api(options: argparse.Namespace) -> int:
    address = options.address.removeprefix("/").removeprefix("api/v1/")
    if "#" in address:
        raise WrongUse("an address has no part after #: leave it out")
    answer = client_for(options).call("GET", address)
    if not answer.headers.get("Content-Type", "").startswith("application/json"):
        print(answer.text, end="")
        return DONE
    told = answer.json()
    rows = told["results"] if isinstance(told, dict) and "results" in told else told
    if isinstance(rows, list) and rows and isinstance(rows[0], dict) and options.output != "json":
        show_rows(rows, list(rows[0]), options.output)
    elif isinstance(told, dict):
        show_record(told, "json" if options.output == "table" else options.output)
    else:
        print(json.dumps(told, indent=2, ensure_ascii=False))
    return DONE
