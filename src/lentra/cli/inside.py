"""Inside a subnet: its address map, address records; and single public addresses."""

from __future__ import annotations

import argparse
from itertools import islice
from typing import TYPE_CHECKING, Any

from lentra.cli.context import DONE, WrongUse, add_change_options, client_for, confirmed_change
from lentra.cli.looking import given
from lentra.cli.options import Empty, Several, add_limit, read_table
from lentra.cli.output import cell, grouped, show_list, show_record, show_rows, styled

if TYPE_CHECKING:
    from lentra.client import Answer

_WIDTH = 64
_KINDS = [
    *("host", "gateway", "router", "dhcp-service", "balancer"),
    *("virtual", "jump-host", "service", "reserved"),
]
_LISTED = (
    "name",
    "address",
    "family",
    "kind",
    "mac",
    "purpose",
    "service",
    "secondary",
    "pair",
)  # columns of a list
_LIST_HELP = {
    "subnet": "in this subnet",
    "realm": "in this realm",
    "project": "in subnets of this project",
    "address": "this address",
    "inside": "inside this prefix",
    "name": "of this name",
    "mac": "with this hardware address",
    "kind": "what has it: host, gateway, router and so on",
    "since": "recorded on that day or later, such as 2026-03-01",
    "until": "recorded on that day or before",
    "text": "part of the name or the purpose",
}
_MARKS = {
    "network": "N",
    "anycast": "A",
    "broadcast": "B",
    "withheld": "x",
    "gateway": "G",
    "dhcp": "d",
    "dhcp-service": "D",
    "static": "·",
    "host": "■",
    "router": "R",
    "balancer": "L",
    "virtual": "V",
    "jump-host": "J",
    "service": "S",
    "reserved": "r",
}


def add_commands(commands: Any) -> None:
    """Add the commands of this file."""
    add_subnet_verbs(commands)
    _add_address(commands)
    _add_public(commands)


def add_subnet_verbs(commands: Any) -> None:
    """Add ``map``."""
    command = commands.add_parser(
        "map", help="what each address of a subnet is for", epilog="example: lentra map crew-roster-ml-1-app-01"
    )
    command.add_argument("subnet", help="its name or number")
    command.set_defaults(run=_map)


def _add_address(commands: Any) -> None:
    parser = commands.add_parser("address", help="address records of subnets", epilog=_ADD_EXAMPLE)
    verbs = parser.add_subparsers(dest="verb", required=True, metavar="VERB")
    command = verbs.add_parser("add", help="record an address, or the next free ones", epilog=_ADD_EXAMPLE)
    command.add_argument("subnet", help="its name or number")
    command.add_argument(
        "name",
        nargs="?",
        help="its name; with --count the stem of the names; left out, the realm's template makes one",
    )
    command.add_argument("--address", help="this one; the next free one if left out")
    command.add_argument("--count", type=int, help="so many at once")
    command.add_argument("--kind", choices=_KINDS, help="what has it (host)")
    command.add_argument("--mac", help="hardware address")
    command.add_argument("--family", type=int, choices=[4, 6], help="of which block, where it has both")
    command.add_argument("--aliases", action=Several, help="its host's further names in DNS; several with commas")
    command.add_argument("--purpose", help="what it is for")
    command.add_argument("--service", help="where the subnet is kept for one service")
    command.add_argument(
        "--pair", action="store_true", default=None, help="an IPv4 and an IPv6 address for each name"
    )
    command.add_argument(
        "--secondary", action="store_true", default=None, help="a further address of the host that has the name"
    )
    command.add_argument(
        "--file", help="all in a CSV file (- for what comes in), its first line naming the columns"
    )
    add_change_options(command)
    command.set_defaults(run=_add)

    command = verbs.add_parser(
        "list", help="find address records", epilog="example: lentra address list --subnet crew-roster-ml-1-app-01"
    )
    for name, words in _LIST_HELP.items():
        several = name in ("subnet", "realm", "project", "name", "kind")
        command.add_argument(
            f"--{name}",
            action=Several if several else "store",
            choices=_KINDS if name == "kind" else None,
            help=words + ("; several with commas" if several else ""),
        )
    add_limit(command)
    command.set_defaults(run=_list)

    command = verbs.add_parser("edit", help="edit one", epilog="example: lentra address list --text rota")
    command.add_argument("number", help="its number, or its address")
    command.add_argument("--name", help="a new name")
    command.add_argument("--mac", help="hardware address")
    command.add_argument("--no-mac", dest="mac", action="store_const", const=Empty(None), help="none any more")
    command.add_argument("--kind", choices=_KINDS, help="what has it")
    command.add_argument(
        "--secondary",
        action=argparse.BooleanOptionalAction,
        default=None,
        help="a further address of the host that has the name",
    )
    command.add_argument("--purpose", help="what it is for")
    command.add_argument(
        "--no-purpose", dest="purpose", action="store_const", const=Empty(""), help="none any more"
    )
    command.add_argument("--aliases", action=Several, help="its host's further names in DNS; several with commas")
    command.add_argument(
        "--no-aliases", dest="aliases", action="store_const", const=Empty([]), help="none any more"
    )
    add_change_options(command)
    command.set_defaults(run=_edit)

    command = verbs.add_parser("release", help="release one", epilog="example: lentra address list --text rota")
    command.add_argument("number", help="its number, or its address")
    add_change_options(command)
    command.set_defaults(run=_release)


_ADD_EXAMPLE = "example: lentra address add crew-roster-ml-1-app-01 rota-web --count 2 --preview"


def _add_public(commands: Any) -> None:
    example = "example: lentra public list"
    parser = commands.add_parser("public", help="single public addresses: attach, move, detach", epilog=example)
    verbs = parser.add_subparsers(dest="verb", required=True, metavar="VERB")
    command = verbs.add_parser("list", help="list them with what they are attached to", epilog=example)
    command.add_argument("--project", action=Several, help="of this project; several with commas")
    command.add_argument("--idle", action="store_true", help="only those attached to nothing")
    command.set_defaults(run=_public_list)
    command = verbs.add_parser(
        "use",
        help="how many each project holds of its quota, and how many lie idle",
        epilog="example: lentra public use",
    )
    command.add_argument("--project", action=Several, help="of this project; several with commas")
    add_limit(command)
    command.set_defaults(run=_public_use)
    for verb, words, held in (
        ("attach", "attach one to a target", "ticketing-ml-2-edge-05"),
        ("move", "take one to another target", "ticketing-nc-1-edge-02"),
    ):
        command = verbs.add_parser(
            verb, help=words, epilog=f"example: lentra public {verb} {held} balancer-7 --preview"
        )
        command.add_argument("subnet", help="the name it is held by")
        command.add_argument(
            "target", nargs="?", default="", help="what it is attached to: a name outside the registry"
        )
        command.add_argument("--record", help="or an address record: its number or address")
        command.add_argument(
            "--how", choices=("one-to-one", "many-to-one"), help="how it is translated (one-to-one)"
        )
        command.add_argument("--purpose", help="what for; many-to-one needs it")
        add_change_options(command)
        command.set_defaults(run=_attach)
    command = verbs.add_parser(
        "detach", help="detach one", epilog="example: lentra public detach ticketing-nc-1-edge-02 --preview"
    )
    command.add_argument("subnet", help="the name it is held by")
    add_change_options(command)
    command.set_defaults(run=_detach)


def _map(options: argparse.Namespace) -> int:
    if "/" in options.subnet:
        raise WrongUse(f"{options.subnet} is a range, not a subnet's name: lentra space {options.subnet} draws it")
    found = client_for(options).subnets.address_map(options.subnet)
    if options.output != "table":
        show_record(found, options.output)
        return DONE
    for block in found["blocks"]:
        gateway = f", gateway {block['gateway']}" if block["gateway"] else ""
        dhcp = f", DHCP {', '.join(block['dhcp'])}" if block["dhcp"] else ""
        service = f" by {block['dhcp_service']}" if block["dhcp_service"] else ""
        print(styled(f"{block['prefix']}{gateway}{dhcp}{service}", "bold"))
        if int(block["total"]) <= 1 << 16:
            _draw(block)
        totals = ", ".join(f"{grouped(count)} {purpose}" for purpose, count in block["totals"].items())
        print(f"{grouped(block['total'])} addresses: {totals}")
        show_rows(block["stretches"][:60], ("range", "purpose", "name", "addresses"), "table")
        print()
    return DONE


def _draw(block: dict[str, Any]) -> None:
    """One mark an address, or for several where the block is wide."""
    total = int(block["total"])
    each = max(1, total // (_WIDTH * 8))
    marks = [" "] * -(-total // each)
    for stretch in block["stretches"]:
        first = round(stretch["start"] * total)
        for at in range(first, first + int(stretch["addresses"])):
            slot = at // each
            if marks[slot] in (" ", "·", "d"):
                marks[slot] = _MARKS.get(stretch["purpose"], "?")
    for at in range(0, len(marks), _WIDTH):
        print("  " + "".join(marks[at : at + _WIDTH]))
    shown = {stretch["purpose"] for stretch in block["stretches"]}
    legend = ", ".join(f"{mark} {purpose}" for purpose, mark in _MARKS.items() if purpose in shown)
    print(styled(f"  {legend}" + (f"; {each} addresses a mark" if each > 1 else ""), "dim"))


def _add(options: argparse.Namespace) -> int:
    client = client_for(options)
    names = ("address", "count", "kind", "mac", "family", "purpose", "service", "secondary", "pair", "aliases")
    what = given(options, *names)
    if options.file:
        if what or options.name:
            raise WrongUse("give --file, or what one record says, not both")
        what = {"records": _records(options.file)}

    def call(preview: bool) -> Answer:
        return client.subnets.record(options.subnet, options.name, preview=preview, why=options.why, **what)

    def words(made: dict[str, Any]) -> str:
        rows = [f"{record['address']} as {record['name']}" for record in made["addresses"]]
        return (
            f"record in {options.subnet}: "
            + ", ".join(rows[:8])
            + (f" and {len(rows) - 8} more" if len(rows) > 8 else "")
        )

    confirmed_change(options, call, words)
    return DONE


def _records(path: str) -> list[dict[str, Any]]:
    """The records of a CSV file."""
    return [_record(path, n, row) for n, row in enumerate(read_table(path, _LISTED), 2)]


def _record(path: str, line: int, row: dict[str, Any]) -> dict[str, Any]:
    values: dict[str, Any] = dict(row)
    for name in ("secondary", "pair"):
        if name in values:
            values[name] = values[name].lower() in ("yes", "true", "1", "x")
    if "family" in values:
        if values["family"] not in ("4", "6"):
            raise WrongUse(f"{path}, line {line}: {values['family']!r} is not a family: 4 or 6")
        values["family"] = int(values["family"])
    return values


def _list(options: argparse.Namespace) -> int:
    columns = ("id", "address", "kind", "name", "aliases", "secondary", "mac", "purpose", "last_seen_at", "subnet")
    show_list(options, client_for(options).addresses.list, given(options, *_LIST_HELP), columns)
    return DONE


def _number(options: argparse.Namespace) -> str:
    """The record's number, looked up if an address was given."""
    if options.number.isdigit():
        return str(options.number)
    found = list(islice(client_for(options).addresses.list(address=options.number), 2))
    return str(found[0]["id"]) if len(found) == 1 else str(options.number)


def _edit(options: argparse.Namespace) -> int:
    client, number = client_for(options), _number(options)
    values = given(options, "name", "mac", "kind", "purpose", "secondary", "aliases")

    def call(preview: bool) -> Answer:
        return client.addresses.edit(number, preview=preview, why=options.why, **values)

    confirmed_change(options, call, lambda record: f"set on {record['address']}: {cell(values)}")
    return DONE


def _release(options: argparse.Namespace) -> int:
    client, number = client_for(options), _number(options)

    def call(preview: bool) -> Answer:
        return client.addresses.remove(number, preview=preview, why=options.why)

    confirmed_change(options, call, lambda record: f"release {record['address']} ({record['name']})")
    return DONE


def _public_list(options: argparse.Namespace) -> int:
    of = {"public": "idle" if options.idle else "held", **given(options, "project")}
    rows = client_for(options).subnets.list(limit=1000, **of)
    columns = ("name", "blocks", "project", "pool", "attached_to", "attached_how", "attached_for", "attached_at")
    show_rows(rows, columns, options.output)
    return DONE


def _public_use(options: argparse.Namespace) -> int:
    columns = ("project", "quota", "held", "attached", "idle", "left")
    show_list(options, client_for(options).public_use, given(options, "project"), columns)
    return DONE


def _attach(options: argparse.Namespace) -> int:
    client = client_for(options)

    more = given(options, "record", "how", "purpose")

    def call(preview: bool) -> Answer:
        how = {"move": options.verb == "move", **more}
        return client.subnets.attach(options.subnet, options.target, preview=preview, why=options.why, **how)

    confirmed_change(options, call, lambda s: f"attach {cell(s['blocks'])} ({s['name']}) to {s['attached_to']}")
    return DONE


def _detach(options: argparse.Namespace) -> int:
    client = client_for(options)

    def call(preview: bool) -> Answer:
        return client.subnets.detach(options.subnet, preview=preview, why=options.why)

    confirmed_change(options, call, lambda s: f"detach {cell(s['blocks'])} ({s['name']})")
    return DONE
