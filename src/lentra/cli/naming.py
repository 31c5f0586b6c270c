"""DNS zones: which there are, what stands in them, as files, pushed, and where their servers differ."""

from __future__ import annotations

import argparse
import sys
import time
from datetime import UTC, datetime
from pathlib import Path
from typing import TYPE_CHECKING, Any

from lentra.cli.context import DONE, REFUSED, WrongUse, add_change_options, client_for, confirmed_change
from lentra.cli.looking import given
from lentra.cli.options import Several, add_limit
from lentra.cli.output import WHOLE, grouped, show_list, styled
from lentra.cli.setting_up import add_act

if TYPE_CHECKING:
    from lentra.client import Answer, Client

_STATES = ("published", "to add", "to remove", "refused", "hidden")
_COLUMNS = ("name", "realm", "project", "range", "entries", "pending", "differences", "server", "state")
_SECONDS = 30.0  # that a push or a comparison is waited for


def add_commands(commands: Any) -> None:
    """Add ``dns`` with its verbs."""
    parser = commands.add_parser(
        "dns",
        help="DNS zones: what stands in them, as files, pushed, compared",
        epilog="example: lentra dns zones",
    )
    verbs = parser.add_subparsers(dest="verb", required=True, metavar="VERB")
    command = verbs.add_parser(
        "zones", help="list DNS zones, and how it goes with them", epilog="example: lentra dns zones"
    )
    for name in ("realm", "project"):
        command.add_argument(f"--{name}", action=Several, help=f"of this {name}; several with commas")
    for name, words in (
        ("reverse", "those of addresses, or the others"),
        ("delegated", "those that others keep, or the others"),
        ("failing", "those whose server does not answer as it should, or the others"),
    ):
        command.add_argument(f"--{name}", action=argparse.BooleanOptionalAction, default=None, help=words)
    command.add_argument("--text", help="part of the name")
    add_limit(command)
    command.set_defaults(run=_zones)
    command = verbs.add_parser(
        "show", help="what stands in a DNS zone", epilog="example: lentra dns show fleet:ferry.example --type A"
    )
    command.add_argument("ref", help="its name, realm:name, or number")
    command.add_argument("--state", action=Several, choices=_STATES, help="in this state; several with commas")
    command.add_argument("--type", action=Several, help="A, AAAA, PTR, TXT…; several with commas")
    command.add_argument("--subnet", action=Several, help="that follow from this subnet; several with commas")
    command.add_argument("--text", help="part of the name or the data")
    add_limit(command)
    command.set_defaults(run=_show)
    command = verbs.add_parser(
        "write",
        help="write a DNS zone as a file (RFC 1035); its serial only grows",
        epilog="example: lentra dns write --help",
    )
    command.add_argument("ref", help="its name, realm:name, or number")
    command.add_argument("file", nargs="?", help="where to; what is on the screen, if left out")
    command.set_defaults(run=_write)
    command = add_act(
        verbs,
        "push",
        "have everything in a DNS zone pushed to its server anew, and wait for what comes of it",
        "dns push --help",
        lambda client, options, **how: client.dns_zones.push(options.ref, overwrite=options.overwrite, **how),
        "push {name}".format_map,
        after=lambda client, options: _await(client, options, "pushed_at"),
    )
    command.add_argument(
        "--overwrite",
        action="store_true",
        help="replace what stands there otherwise, under names that the registry has",
    )
    add_act(
        verbs,
        "compare",
        "hold a DNS zone against its server now, and wait for what comes of it",
        "dns compare --help",
        lambda client, options, **how: client.dns_zones.compare(options.ref, **how),
        "compare {name} with its server".format_map,
        after=lambda client, options: _await(client, options, "compared_at"),
    )
    command = verbs.add_parser(
        "differences",
        help="where servers have something else than is to stand there",
        epilog="example: lentra dns differences fleet:ferry.example",
    )
    command.add_argument("ref", nargs="*", help="of these DNS zones; of all, if left out")
    add_limit(command)
    command.set_defaults(run=_differences)
    command = verbs.add_parser(
        "reverse",
        help="add the reverse DNS zones that ranges need: those of pools, or these",
        epilog="example: lentra dns reverse harbour-lab --like fleet:ferry.example --preview",
    )
    command.add_argument("realm", help="whose addresses")
    command.add_argument("--ranges", action=Several, help="of these; of its top-level pools, if left out")
    command.add_argument("--like", help="a DNS zone whose servers, times and key they get")
    command.add_argument("--delegated", action="store_true", default=None, help="others keep what stands in them")
    command.add_argument("--project", help="whose they are, if a project's")
    command.add_argument("--servers", action=Several, help="their name servers; those of --like, if left out")
    command.add_argument("--ds", action=Several, help="data of their DS records; several with commas")
    for name, words in (("primary", "the primary server"), ("contact", "mail address of who answers for them")):
        command.add_argument(f"--{name}", help=words)
    add_change_options(command)
    command.set_defaults(run=_reverse)


def _zones(options: argparse.Namespace) -> int:
    filters = given(options, "realm", "project", "reverse", "delegated", "failing", "text")

    def shown(zone: Any) -> dict[str, Any]:
        return {**zone, **zone["counts"], **_standing(zone)} if options.output not in WHOLE else zone

    show_list(options, client_for(options).dns_zones.list, filters, _COLUMNS, shown)
    return DONE


def _standing(zone: dict[str, Any]) -> dict[str, Any]:
    """How it goes with a DNS zone, for a line of a table."""
    serving = zone["serving"]
    if serving is None:
        return {"differences": None, "server": ", ".join(zone["servers"]), "state": "delegated"}
    if not zone["address"]:
        return {"differences": None, "server": "", "state": f"file, serial {serving['serial'] or 'none yet'}"}
    differences = serving["differences"] if serving["compared_at"] else None
    state = f"failing: {serving['outcome']}" if serving["failing_since"] else "pushed"
    return {"differences": differences, "server": zone["address"], "state": state}


def _show(options: argparse.Namespace) -> int:
    client = client_for(options)
    zone = client.dns_zones.get(options.ref)
    if options.output == "table":
        counts, standing = zone["counts"], _standing(zone)
        print(styled(f"{zone['realm']['name']} > {zone['shown']}", "bold") + f": {standing['state']}")
        told = [f"{grouped(counts['entries'])} records"]
        told += [f"{grouped(counts[name])} {name}" for name in ("pending", "refused", "hidden") if counts[name]]
        if standing["differences"] is not None:
            told.append(f"{grouped(standing['differences'])} differ on {zone['address']}")
        print(", ".join(told))
    filters = given(options, "state", "type", "subnet", "text")
    columns = ("owner", "type", "data", "ttl", "state", "subnet")
    show_list(options, client.dns_entries, {"dns_zone": zone["id"], **filters}, columns)
    return DONE


def _write(options: argparse.Namespace) -> int:
    text = client_for(options).dns_zones.file(options.ref)
    if options.file is None:
        print(text, end="")
        return DONE
    try:
        Path(options.file).write_text(text)
    except OSError as why:
        raise WrongUse(f"{options.file} cannot be written: {why.strerror}")
    print(f"{options.ref}: {text.count(chr(10))} lines in {options.file}", file=sys.stderr)
    return DONE


def _await(client: Client, options: argparse.Namespace, moment: str) -> int:
    """Wait until it has been done, and tell what came of it."""
    end = time.monotonic() + _SECONDS
    while time.monotonic() < end:
        zone = client.dns_zones.get(options.ref)
        serving = zone["serving"]
        if serving["failing_since"]:
            print(styled("Failing: ", "bad") + f"{serving['outcome']}; it is tried again", file=sys.stderr)
            return REFUSED
        due = serving["compare_at"] and datetime.fromisoformat(serving["compare_at"]) <= datetime.now(UTC)
        if not due and not zone["counts"]["pending"]:
            print(serving["outcome"] if moment == "pushed_at" else f"{grouped(serving['differences'])} differ")
            return DONE
        time.sleep(0.2)
    print("It is still under way: lentra dns zones", file=sys.stderr)
    return DONE


def _differences(options: argparse.Namespace) -> int:
    columns = ("id", "dns_name", "fact", "recorded", "there", "subnet", "opened_at", "state")
    filters: dict[str, Any] = {"kind": "dns", "state": ["open", "dismissed"]}
    if options.ref:
        filters["dns_zone"] = options.ref

    def shown(finding: Any) -> dict[str, Any]:
        return {**finding, "there": ", ".join(one["value"] for one in finding["seen"])}

    rows = client_for(options).findings.list
    show_list(options, rows, filters, columns, (lambda row: row) if options.output in WHOLE else shown)
    return DONE


def _reverse(options: argparse.Namespace) -> int:
    client = client_for(options)
    names = ("ranges", "like", "delegated", "project", "servers", "ds", "primary", "contact")
    values = given(options, *names)

    def call(preview: bool) -> Answer:
        return client.dns_zones.add_reverse(options.realm, preview=preview, why=options.why, **values)

    def words(made: dict[str, Any]) -> str:
        return "add " + ", ".join(f"{zone['name']} ({zone['range']})" for zone in made["dns_zones"])

    confirmed_change(options, call, words)
    return DONE
