"""What is really there: surveys sent, what was seen, findings and what is done about them."""

from __future__ import annotations

import argparse
import base64
import json
import platform
import subprocess
import sys
from collections.abc import Callable
from pathlib import Path
from typing import Any

from lentra.cli.context import DONE, REFUSED, WrongUse, add_change_options, client_for, confirmed_change
from lentra.cli.looking import given
from lentra.cli.options import Several, add_limit
from lentra.cli.output import WHOLE, show_list, show_record
from lentra.cli.setting_up import add_act

_KINDS = ("stray", "silent", "differs", "clash", "exposed", "cut-off", "dns")
_BECOMES = ("keep-out", "address-record", "subnet", "reservation")
_STATES = ("open", "dismissed", "closed")
_ASKED = {  # of a Linux host; what may be missing is left out
    "addr": [["ip", "-j", "-d", "addr"]],
    "neigh": [["ip", "-j", "neigh"]],
    "route": [["ip", "-j", "route"], ["ip", "-j", "-6", "route"]],
    "vlan": [["bridge", "-j", "vlan"]],
}
_NEEDED = ("addr", "neigh")


def add_commands(commands: Any) -> None:
    """Add the commands of this file."""
    parser = commands.add_parser(
        "survey", help="tell what a source has seen", epilog="example: lentra survey list"
    )
    verbs = parser.add_subparsers(dest="verb", required=True, metavar="VERB")
    command = verbs.add_parser(
        "send",
        help="send a file of sightings: JSON (lentra-sightings-1), a table (CSV, XLSX), or what nmap -oX writes",
        epilog="example: lentra survey send harbour-walk demo/sightings.json --preview",
    )
    command.add_argument("source", help="which source")
    command.add_argument("file", help="the file, or - for JSON that comes in: all that the source sees")
    command.add_argument(
        "--column",
        action="append",
        default=[],
        metavar="FIELD=HEADING",
        help="of a table: which column is the prefix, address, name, zone, tag…; guessed, if left out",
    )
    command.add_argument("--sheet", help="of a workbook: which sheet")
    add_change_options(command)
    command.set_defaults(run=_send)
    command = add_act(
        verbs,
        "run",
        "have a name server or an inventory asked now, and wait for what comes of it",
        "survey run ferry-cloud --preview",
        lambda client, options, **how: client.sources.ask(options.ref, **how),
        "ask {name}".format_map,
        after=_await,
    )
    add_act(
        verbs,
        "cancel",
        "have the asking of a source left off; what it saw last is kept",
        "survey cancel --help",
        lambda client, options, **how: client.sources.leave_off(options.ref, **how),
        "leave off asking {name}".format_map,
    )
    command = verbs.add_parser(
        "show", help="show one with its counts", epilog="example: lentra survey show --help"
    )
    command.add_argument("number", type=int, help="its number")
    command.set_defaults(run=_show_survey)
    command = verbs.add_parser(
        "host",
        help="tell what this Linux host or router sees: its networks, addresses, neighbours, routes and tags",
        epilog="example: lentra survey host quay-router --help  (runs ip and bridge, of iproute2, here)",
    )
    command.add_argument("source", help="which source")
    command.add_argument(
        "--saved",
        metavar="FOLDER",
        help="read their saved output instead: addr.json, neigh.json, and perhaps route.json and vlan.json",
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
    command.add_argument("--gone", action="store_true", default=None, help="what is seen no more")
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
    command.add_argument("--assignee", action=Several, help="that this person was asked to correct")
    command.add_argument(
        "--assigned-project", action=Several, help="that those of this project were asked to correct"
    )
    command.add_argument("--overdue", action="store_true", default=None, help="that were to be corrected by now")
    command.add_argument("--since", help="opened at this moment or later")
    command.add_argument("--until", help="opened before this moment")
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
        lambda client, options, **how: client.findings.dismiss(
            _numbers(options), options.reason, options.until, **how
        ),
        _each("dismiss {name}: {reason}"),
        several=True,
    )
    command.add_argument("--reason", required=True, help="why it stays")
    command.add_argument("--until", help="open again from this day, if it is still there")
    command = add_act(
        verbs,
        "assign",
        "ask somebody to correct it",
        "finding assign --help",
        lambda client, options, **how: client.findings.assign(
            _numbers(options),
            None if options.to == "nobody" else options.to,
            options.due,
            project=options.to_project,
            **how,
        ),
        _each("{name}: to be corrected by {who}"),
        several=True,
    )
    who = command.add_mutually_exclusive_group(required=True)
    who.add_argument("--to", help="a person; nobody: nobody any more")
    who.add_argument("--to-project", help="those of a project")
    command.add_argument("--due", help="until this day")
    command = add_act(
        verbs,
        "correct",
        "set what is recorded to what was seen: a tag, gateway, DHCP range, name, hardware address, or exposure",
        "finding correct --help",
        lambda client, options, **how: client.findings.correct(options.ref, options.source or "", **how),
        "correct: {text}".format_map,
    )
    command.add_argument("--source", help="whom to believe, where several say otherwise")
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
        "make a stray a record of the registry",
        "finding take-over --help",
        lambda client, options, **how: client.findings.take_over(
            _numbers(options), options.becomes, **given(options, *_OF_TAKING), **how
        ),
        _each("take over: {text}"),
        several=True,
    )
    command.add_argument(
        "--becomes",
        required=True,
        choices=_BECOMES,
        help="a keep-out; in free space a subnet or a reservation; in a subnet an address record",
    )
    command.add_argument("--name", help="what it is called; as it was seen, if left out")
    command.add_argument("--reason", help="of a keep-out or a reservation; who saw it, if left out")
    for name in ("pool", "project", "tier", "zone", "region"):
        command.add_argument(f"--{name}", help=f"{name} of a subnet; as it was seen, if left out")


_OF_TAKING = ("name", "reason", "pool", "project", "tier", "zone", "region")


def _numbers(options: argparse.Namespace) -> Any:
    """One number by itself, or several together."""
    return options.ref[0] if len(options.ref) == 1 else options.ref


def _each(words: str) -> Callable[[Any], str]:
    """What is done with each of several findings, in words."""

    def told(result: Any) -> str:
        findings = result.get("findings", [result])
        who = [(finding["assignee"] or {"name": "nobody"})["name"] for finding in findings]
        return "; ".join(words.format_map({**f, "who": w}) for f, w in zip(findings, who, strict=True))

    return told


def _await(client: Any, options: argparse.Namespace) -> int:
    """Wait until a source has been asked, and tell what came of it."""

    def told(got: int) -> None:
        if sys.stderr.isatty():
            print(f"\r{got:,} so far", end="", file=sys.stderr)

    look = client.sources.wait(options.ref, told)["look"]
    failed = look["failing_since"] is not None
    print(f"{'It came to nothing: ' if failed else ''}{look['outcome']}", file=sys.stderr)
    return REFUSED if failed else DONE


def _send(options: argparse.Namespace) -> int:
    try:
        data = sys.stdin.buffer.read() if options.file == "-" else Path(options.file).read_bytes()
        ending = Path(options.file).suffix.lower()
        if ending in (".csv", ".tsv", ".xlsx"):
            return _survey(options, _table(options, data))
        if ending == ".xml":
            return _survey(options, {"format": "lentra-sweep-1", "text": data.decode()})
        document = json.loads(data)
    except (OSError, ValueError) as why:
        raise WrongUse(f"{options.file} cannot be read as JSON, a table (.csv, .xlsx) or a sweep (.xml): {why}")
    if not isinstance(document, dict):
        raise WrongUse(f'{options.file} is no document of sightings: {{"format": "lentra-sightings-1", …}}')
    return _survey(options, document)


def _table(options: argparse.Namespace, data: bytes) -> dict[str, Any]:
    pairs = [column.partition("=") for column in options.column]
    if wrong := [name for name, equals, _ in pairs if not equals]:
        raise WrongUse(f"--column {wrong[0]}: say FIELD=HEADING, such as prefix=Network")
    return {
        "format": "lentra-table-1",
        "name": Path(options.file).name,
        "content": base64.b64encode(data).decode(),
        "mapping": {"columns": {name: heading for name, _, heading in pairs}},
        **({"sheet": options.sheet} if options.sheet else {}),
    }


def _host(options: argparse.Namespace) -> int:
    document: dict[str, Any] = {"format": "lentra-host-1", "host": options.name or platform.node()}
    for part, commands in _ASKED.items():
        try:
            if options.saved:
                saved = Path(options.saved) / f"{part}.json"
                texts = [saved.read_text()] if part in _NEEDED or saved.exists() else []
            else:
                texts = [subprocess.run(c, capture_output=True, text=True, check=True).stdout for c in commands]
            document[part] = [row for text in texts for row in json.loads(text or "[]")]
        except (OSError, ValueError, subprocess.CalledProcessError) as why:
            if part in _NEEDED:
                raise WrongUse(f"{' '.join(commands[0])} tells nothing that can be read: {why}")
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
    filters = given(options, "realm", "source", "subnet", "inside", "gone")
    columns = ("range", "source", "facts", "first_seen_at", "seen_at")

    def shown(row: Any) -> dict[str, Any]:
        return {**row, "facts": ", ".join(f"{name} {value}" for name, value in row["facts"].items())}

    show_list(options, client_for(options).sightings, filters, columns, dict if options.output in WHOLE else shown)
    return DONE


def _findings(options: argparse.Namespace) -> int:
    of = ("kind", "state", "realm", "project", "subnet", "inside", "text", "overdue", "since", "until")
    who = ("assignee", "assigned_project")
    filters = {"state": ["open"]} | given(options, *of, *who)
    columns = ("id", "kind", "range", "fact", "project", "assignee", "due", "text")
    show_list(options, client_for(options).findings.list, filters, columns)
    return DONE


def _show(options: argparse.Namespace) -> int:
    show_record(client_for(options).findings.get(options.number), options.output, ("version",))
    return DONE


def _show_survey(options: argparse.Namespace) -> int:
    show_record(client_for(options).surveys.get(options.number), options.output, ("version",))
    return DONE
