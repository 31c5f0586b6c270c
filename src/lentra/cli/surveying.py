"""What is really there: surveys sent, what was seen, findings and what is done about them."""

from __future__ import annotations

import argparse
import json
import platform
import subprocess
import sys
from pathlib import Path
from typing import Any

from lentra.cli.context import DONE, WrongUse, add_change_options, client_for, confirmed_change
from lentra.cli.looking import given
from lentra.cli.options import Several, add_limit
from lentra.cli.output import WHOLE, show_list, show_record
from lentra.cli.setting_up import add_act

_KINDS = ("stray", "silent", "differs", "clash")
_STATES = ("open", "dismissed", "closed")
_ASKED = {"addr": ["ip", "-j", "-d", "addr"], "neigh": ["ip", "-j", "neigh"]}  # of a Linux host


def add_commands(commands: Any) -> None:
    """Add the commands of this file."""
    parser = commands.add_parser(
        "survey", help="tell what a source has seen", epilog="example: lentra survey list"
    )
    verbs = parser.add_subparsers(dest="verb", required=True, metavar="VERB")
    command = verbs.add_parser(
        "send",
        help="send a file of sightings (lentra-sightings-1, JSON): all that the source sees",
        epilog="example: lentra survey send harbour-walk demo/sightings.json --preview",
    )
    command.add_argument("source", help="which source")
    command.add_argument("file", help="the file, or - for what comes in")
    add_change_options(command)
    command.set_defaults(run=_send)
    command = verbs.add_parser(
        "host",
        help="tell what this Linux host or router sees: its networks, addresses and neighbours",
        epilog="example: lentra survey host quay-router --help  (runs `ip -j -d addr` and `ip -j neigh` here)",
    )
    command.add_argument("source", help="which source")
    command.add_argument(
        "--saved", metavar="FOLDER", help="read their saved output instead: addr.json and neigh.json in a folder"
    )
    command.add_argument("--name", help="what the host is called; its own name, if left out")
    add_change_options(command)
    command.set_defaults(run=_host)
    command = verbs.add_parser("list", help="list surveys, the last first", epilog="example: lentra survey list")
    command.add_argument("--source", action=Several, help="of this source; several with commas")
    command.add_argument("--realm", action=Several, help="of this realm; several with commas")
    add_limit(command)
    command.set_defaults(run=_list)

    command = commands.add_parser(
        "seen", help="what sources see", epilog="example: lentra seen --inside 10.40.0.0/16"
    )
    for name in ("realm", "source", "subnet"):
        command.add_argument(f"--{name}", action=Several, help=f"of this {name}; several with commas")
    command.add_argument("--inside", help="what begins inside this prefix")
    add_limit(command)
    command.set_defaults(run=_seen)

    command = commands.add_parser(
        "findings",
        help="where the registry and what was seen differ",
        epilog="example: lentra findings --kind stray,clash",
    )
    command.add_argument("--kind", action=Several, choices=_KINDS, help="of this kind; several with commas")
    command.add_argument(
        "--state", action=Several, choices=_STATES, help="in this state; several with commas (open)"
    )
    for name in ("realm", "project", "subnet"):
        command.add_argument(f"--{name}", action=Several, help=f"of this {name}; several with commas")
    command.add_argument("--inside", help="what begins inside this prefix")
    command.add_argument("--text", help="part of the sentence")
    add_limit(command)
    command.set_defaults(run=_findings)

    parser = commands.add_parser("finding", help="what is done about a finding", epilog="example: lentra findings")
    verbs = parser.add_subparsers(dest="verb", required=True, metavar="VERB")
    command = verbs.add_parser("show", help="show one", epilog="example: lentra finding show --help")
    command.add_argument("number", type=int, help="its number")
    command.set_defaults(run=_show)
    command = add_act(
        verbs,
        "dismiss",
        "say why a difference stays",
        "finding dismiss --help",
        lambda client, options, **how: client.findings.dismiss(options.ref, options.reason, options.until, **how),
        "dismiss {name}: {reason}".format_map,
    )
    command.add_argument("--reason", required=True, help="why it stays")
    command.add_argument("--until", help="open again from this day, if it is still there")
    add_act(
        verbs,
        "reopen",
        "take back that it was dismissed",
        "finding reopen --help",
        lambda client, options, **how: client.findings.reopen(options.ref, **how),
        "open {name} again".format_map,
    )
    command = add_act(
        verbs,
        "take-over",
        "make a stray a keep-out or an address record",
        "finding take-over --help",
        lambda client, options, **how: client.findings.take_over(
            options.ref, options.becomes, name=options.name or "", reason=options.reason or "", **how
        ),
        "take over: {text}".format_map,
    )
    command.add_argument(
        "--becomes", required=True, choices=["keep-out", "address-record"], help="what it becomes"
    )
    command.add_argument("--name", help="of an address record")
    command.add_argument("--reason", help="of a keep-out; who saw it, if left out")


def _send(options: argparse.Namespace) -> int:
    try:
        text = sys.stdin.read() if options.file == "-" else Path(options.file).read_text()
        document = json.loads(text)
    except (OSError, ValueError) as why:
        raise WrongUse(f"{options.file} cannot be read as JSON: {why}")
    if not isinstance(document, dict):
        raise WrongUse(f'{options.file} is no document of sightings: {{"format": "lentra-sightings-1", …}}')
    return _survey(options, document)


def _host(options: argparse.Namespace) -> int:
    document: dict[str, Any] = {"format": "lentra-host-1", "host": options.name or platform.node()}
    for part, command in _ASKED.items():
        try:
            if options.saved:
                text = (Path(options.saved) / f"{part}.json").read_text()
            else:
                text = subprocess.run(command, capture_output=True, text=True, check=True).stdout
            document[part] = json.loads(text or "[]")
        except (OSError, ValueError, subprocess.CalledProcessError) as why:
            raise WrongUse(f"{' '.join(command)} tells nothing that can be read: {why}")
    return _survey(options, document)


def _survey(options: argparse.Namespace, document: dict[str, Any]) -> int:
    client = client_for(options)

    def told(survey: Any) -> str:
        counts = survey["counts"]
        return (
            f"take what {survey['source']['name']} sees: {counts['seen']:,} ranges and addresses, {counts['new']:,} of "
            f"them new, {counts['gone']:,} gone; {counts['opened']:,} findings opened, {counts['closed']:,} closed"
        )

    confirmed_change(
        options,
        lambda preview: client.sources.survey(options.source, document, preview=preview, why=options.why),
        told,
    )
    return DONE


def _list(options: argparse.Namespace) -> int:
    def shown(row: Any) -> dict[str, Any]:
        return {**row, **row["counts"]}

    filters = given(options, "source", "realm")
    columns = ("id", "source", "at", "seen", "new", "gone", "opened", "closed", "open")
    show_list(
        options, client_for(options).surveys.list, filters, columns, dict if options.output in WHOLE else shown
    )
    return DONE


def _seen(options: argparse.Namespace) -> int:
    filters = given(options, "realm", "source", "subnet", "inside")
    columns = ("range", "source", "facts", "first_seen_at", "seen_at")
    show_list(options, client_for(options).sightings, filters, columns)
    return DONE


def _findings(options: argparse.Namespace) -> int:
    filters = {"state": ["open"]} | given(options, "kind", "state", "realm", "project", "subnet", "inside", "text")
    columns = ("id", "kind", "range", "fact", "project", "state", "text")
    show_list(options, client_for(options).findings.list, filters, columns)
    return DONE


def _show(options: argparse.Namespace) -> int:
    show_record(client_for(options).findings.get(options.number), options.output, ("version",))
    return DONE
