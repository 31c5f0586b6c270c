"""Whatever else the service answers: any address of the API, and the history of a range or a subnet."""

from __future__ import annotations

import argparse
import json
from typing import Any

from lentra.cli.context import DONE, WrongUse, client_for
from lentra.cli.looking import given, told_entry
from lentra.cli.options import Several, add_limit
from lentra.cli.output import show_record, show_rows
from lentra.cli.remembering import is_range, show_tenures

_KINDS = ("subnet", "address record", "reservation", "keep-out")


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
        help="who had an address or a range, from when to when; or everything that happened to a subnet",
        epilog="example: lentra history 10.41.80.0/24\nexample: lentra history ticketing-nc-1-app-01",
    )
    command.add_argument(
        "what", help="an address, a prefix, first-last; or a subnet's name, or number when it is gone"
    )
    command.add_argument("--realm", action=Several, help="of an address: in this realm; several with commas")
    command.add_argument(
        "--kind",
        action=Several,
        choices=_KINDS,
        help="of an address: only of this kind of record; several with commas",
    )
    command.add_argument("--on", help="of an address: only what held on that day, or at that moment")
    add_limit(command, 200)
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
    which = given(options, "realm", "kind", "on")
    if is_range(options.what):
        return show_tenures(options, options.what, **which)
    if which:
        raise WrongUse(f"--{next(iter(which))} is for an address or a range: {options.what} is neither")
    rows = [told_entry(entry) for entry in client_for(options).subnets.history(options.what)]
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
