"""What others may know: where public ranges are, who announces them, what RDAP tells; what ends, as a calendar."""

from __future__ import annotations

import argparse
import json
from pathlib import Path
from typing import Any

from lentra.cli.context import DONE, WrongUse, client_for
from lentra.cli.looking import given
from lentra.cli.options import Several, add_limit
from lentra.cli.output import WHOLE, show_list, show_record


def add_commands(commands: Any) -> None:
    """Add ``geofeed``, ``authorisations``, ``prefix-list`` and ``calendar``."""
    command = commands.add_parser(
        "geofeed",
        help="where public ranges are, as others read it",
        epilog="example: lentra geofeed --realm fleet",
    )
    command.add_argument("--realm", action=Several, help="of this realm; several with commas")
    command.add_argument(
        "--pointers",
        action="store_true",
        help="instead, what a routing registry's objects say so that it is found",
    )
    add_limit(command)
    command.set_defaults(run=_geofeed)
    command = commands.add_parser(
        "authorisations",
        help="who may announce what, by the pools that say so",
        epilog="example: lentra authorisations --realm fleet",
    )
    command.add_argument("--realm", action=Several, help="of this realm; several with commas")
    command.add_argument(
        "--assertions", action="store_true", help="as locally added assertions (RFC 8416), in JSON"
    )
    add_limit(command)
    command.set_defaults(run=_authorisations)
    command = commands.add_parser(
        "prefix-list",
        help="the fewest prefixes as plain text, one a line",
        epilog="example: lentra prefix-list --help",
    )
    for name in ("realm", "pool", "project", "region", "zone", "tier"):
        command.add_argument(f"--{name}", action=Several, help=f"of this {name}; several with commas")
    command.add_argument("--family", type=int, choices=[4, 6], help="one family only; else both, with headings")
    command.set_defaults(run=_prefix_list)
    command = commands.add_parser(
        "rdap",
        help="what is told by RDAP of an address, a domain, a name server, or a project",
        epilog="example: lentra rdap ip 203.0.113.4 --realm fleet",
    )
    command.add_argument("kind", choices=("ip", "domain", "nameserver", "entity"), help="what is asked about")
    command.add_argument("what", help="an address or prefix, a name, a handle")
    command.add_argument("--realm", required=True, help="in this realm")
    command.set_defaults(run=_rdap)
    command = commands.add_parser(
        "calendar",
        help="what ends, and when pools are likely full, as a calendar (RFC 5545)",
        epilog="example: lentra calendar --help",
    )
    command.add_argument("file", nargs="?", help="where to; what is on the screen, if left out")
    command.add_argument("--realm", action=Several, help="of this realm; several with commas")
    command.set_defaults(run=_calendar)


def _geofeed(options: argparse.Namespace) -> int:
    client, of = client_for(options), given(options, "realm")
    if options.pointers:
        show_list(options, client.geofeed_pointers, of, ("kind", "object", "attribute"))
    else:
        show_list(options, client.geofeed, of, ("prefix", "country", "subdivision", "city"))
    return DONE


def _authorisations(options: argparse.Namespace) -> int:
    client, of = client_for(options), given(options, "realm")
    if options.assertions and options.output not in WHOLE:
        print(json.dumps(client.assertions(**of), indent=1))
        return DONE
    show_list(options, client.authorisations, of, ("prefix", "longest", "origin_as", "pool"))
    return DONE


def _prefix_list(options: argparse.Namespace) -> int:
    names = ("realm", "pool", "project", "region", "zone", "tier", "family")
    print(client_for(options).prefix_list(**given(options, *names)), end="")
    return DONE


def _rdap(options: argparse.Namespace) -> int:
    told = client_for(options).rdap(options.realm, options.kind, options.what)
    if options.output != "table":
        show_record(told, options.output)
        return DONE
    plain = {name: value for name, value in told.items() if isinstance(value, str | int) and name != "lang"}
    plain["status"] = ", ".join(told.get("status", []))
    plain |= {event["eventAction"]: event["eventDate"] for event in told.get("events", [])}
    for entity in told.get("entities", [told] if "vcardArray" in told else []):
        lines = {line[0]: line[3] for line in entity["vcardArray"][1]}
        who = lines["fn"] + (f" <{lines['email']}>" if "email" in lines else "")
        plain[", ".join(entity.get("roles", ["name"]))] = who
    plain |= {f"link {link['rel']}": link["href"] for link in told.get("links", [])}
    show_record(plain, "table")
    return DONE


def _calendar(options: argparse.Namespace) -> int:
    text = client_for(options).calendar(**given(options, "realm"))
    if options.file is None:
        print(text, end="")
        return DONE
    try:
        Path(options.file).write_text(text, newline="")
    except OSError as why:
        raise WrongUse(f"{options.file} cannot be written: {why.strerror}")
    return DONE
