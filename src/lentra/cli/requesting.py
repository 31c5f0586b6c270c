"""Asking for subnets, editing them, giving them back."""

from __future__ import annotations

import argparse
import sys
from functools import partial
from typing import TYPE_CHECKING, Any

from lentra.cli.context import (
    DONE,
    WrongUse,
    add_asking_options,
    add_change_options,
    client_for,
    confirmed_change,
    show_answers,
)
from lentra.cli.looking import given
from lentra.cli.options import Empty, Several, positive, read_bits
from lentra.cli.output import cell, show_rows, usable

if TYPE_CHECKING:
    from lentra.client import Answer, Client

_EMPTIED: dict[str, Any] = {  # what empties a field
    **dict.fromkeys(("purpose", "notes", "dns_suffix", "service", "dhcp_service", "ipv6_hosts", "exposure"), ""),
    "dhcp": [],
    "dhcp_excluded": [],
    "hosts": None,
    "tag": "none",
    "gateway": "none",
    "name_servers": [],
    "labels": {},
}
_CANDIDATE_COLUMNS = ("pool", "realm", "block", "usable", "used_percent", "leaves", "can_grow_to", "why")


def add_commands(commands: Any) -> None:
    """Add ``request``, ``edit`` and ``release``."""
    add_subnet_verbs(commands, asking="request")


def add_subnet_verbs(commands: Any, asking: str) -> None:
    """Add the command to ask for subnets by a name, ``edit`` and ``release``."""
    command = commands.add_parser(
        asking,
        help="ask for a subnet, and be handed it",
        epilog="example: lentra request --project ticketing --zone ml-1 --tier app --hosts 50 --pool ticket-hall",
    )
    command.add_argument("--project", required=True, help="who it is for")
    command.add_argument("--tier", required=True, help="what will run in it")
    command.add_argument("--zone", help="where")
    command.add_argument("--region", help="where no zone applies")
    size = command.add_argument_group("how much")
    size.add_argument("--hosts", type=int, help="addresses that hosts need")
    size.add_argument("--growth", type=int, help="percent on top")
    size.add_argument("--length", type=read_bits, help="prefix length, such as 26 or /26")
    size.add_argument("--prefix", help="exactly this block")
    size.add_argument("--count", type=int, help="this many subnets at once")
    size.add_argument("--family", type=int, choices=["4", "6"], action=Several, help="4,6 for both families")
    where = command.add_argument_group("where from")
    where.add_argument("--pool", help="candidates are shown if left out")
    where.add_argument("--placement", choices=["snug", "low", "roomy"], help="how free space is chosen")
    where.add_argument("--beside", help="next to this subnet or prefix")
    where.add_argument(
        "--despite-unsure",
        action="store_const",
        const=True,
        help="although a keep-out over the prefix, which is likely or unsure, says otherwise",
    )
    where.add_argument(
        "--away-from",
        action=Several,
        help="sharing no address with these subnets or prefixes; several with commas",
    )
    where.add_argument(
        "--places",
        type=positive,
        dest="each",
        metavar="COUNT",
        help="how many places of each pool are shown to choose from",
    )
    where.add_argument(
        "--reservation", help="draw from this reservation; all that is left of it if no size is given"
    )
    where.add_argument("--room", type=int, help="doublings to keep free behind the block")
    where.add_argument("--hold", type=int, dest="hold_minutes", metavar="MINUTES", help="only hold it for so long")
    more = command.add_argument_group("what for")
    more.add_argument("--name", help="instead of the one that the realm's template gives")
    more.add_argument("--purpose", help="in one line")
    more.add_argument("--notes", help="in more lines")
    more.add_argument("--label", action="append", default=[], metavar="KEY=VALUE", help="a label; may be repeated")
    more.add_argument("--tag", help="segment tag: a number, next, or none")
    more.add_argument("--outer-tag", type=int, help="outer tag of a doubly tagged segment")
    more.add_argument("--gateway", choices=["none", "first", "last"], help="where the gateway stands")
    more.add_argument("--service", help="kept for this service alone")
    add_asking_options(command)
    add_change_options(command)
    command.set_defaults(run=_request)

    command = commands.add_parser(
        "edit",
        help="rename, relabel or annotate a subnet",
        epilog="example: lentra edit ticketing-ml-1-app-01 --purpose 'gate readers'",
    )
    command.add_argument("subnet", help="its name or number")
    command.add_argument("--name", help="a new name")
    command.add_argument("--purpose", help="in one line")
    command.add_argument("--notes", help="in more lines")
    command.add_argument("--hosts", type=int, help="addresses that hosts need")
    command.add_argument("--growth", type=int, help="percent on top")
    command.add_argument("--label", action="append", metavar="KEY=VALUE", help="replaces all labels")
    command.add_argument("--tag", help="segment tag: a number, next, or none")
    command.add_argument("--outer-tag", type=int, help="outer tag of a doubly tagged segment")
    command.add_argument("--gateway", help="none, first, last, or an address")
    command.add_argument("--dhcp", action=Several, help="its DHCP ranges, first-last; several with commas")
    command.add_argument("--dhcp-excluded", action=Several, help="parts of them that are not handed out")
    command.add_argument("--dhcp-service", help="the address of the DHCP service")
    command.add_argument(
        "--ipv6-hosts", choices=("slaac", "dhcpv6", "both"), help="how hosts get their IPv6 addresses"
    )
    command.add_argument(
        "--name-server", dest="name_servers", action="append", metavar="ADDRESS", help="replaces all"
    )
    command.add_argument("--dns-suffix", help="DNS suffix of its hosts")
    command.add_argument("--service", help="kept for this service alone")
    command.add_argument(
        "--exposure", choices=("private", "public", "isolated"), help="its own, in the place of its tier's"
    )
    for name, empty in _EMPTIED.items():
        command.add_argument(
            f"--no-{name.replace('_', '-')}",
            dest=name,
            action="store_const",
            const=Empty(empty),
            help="none any more",
        )
    add_change_options(command)
    command.set_defaults(run=_edit)

    command = commands.add_parser(
        "release",
        help="give a subnet back",
        epilog="example: lentra release crew-roster-ml-1-app-01 --despite-use",
    )
    command.add_argument("subnet", nargs="+", help="their names or numbers")
    command.add_argument("--at-once", action="store_true", help="without cooling (planners)")
    command.add_argument(
        "--despite-use",
        action="store_true",
        help="although address records, a DHCP range or a gateway are recorded in it",
    )
    add_change_options(command)
    command.set_defaults(run=_release)


def _request(options: argparse.Namespace) -> int:
    client = client_for(options)
    names = ("project", "tier", "zone", "region", "hosts", "growth", "length", "prefix", "count", "pool")
    names += ("placement", "beside", "away_from", "name", "purpose", "notes", "room")  # type: ignore[assignment]
    names += ("reservation", "despite_unsure")  # type: ignore[assignment]
    names += ("hold_minutes", "tag", "outer_tag", "gateway", "service")  # type: ignore[assignment]
    wanted = given(options, *names)
    if options.family:
        wanted["families"] = sorted(set(options.family))
    if options.label:
        wanted["labels"] = _labels(options.label)
    if options.each or ("pool" not in wanted and "reservation" not in wanted):
        wanted |= _choose_pool(client, wanted, options.each)
    if (
        "prefix" in wanted and options.each
    ):  # the place is chosen: nothing is left to be near to, or to keep away from
        wanted = {
            name: value for name, value in wanted.items() if name not in ("beside", "away_from", "placement")
        }

    def call(preview: bool) -> Answer:
        return client.request(preview=preview, why=options.why, **wanted)

    confirmed_change(options, call, _in_words)
    return DONE


def _choose_pool(client: Client, wanted: dict[str, Any], each: int | None) -> dict[str, Any]:
    """Show the candidates and let one be chosen; nothing is chosen in advance.

    Args:
        each: how many places of each pool are shown; the one that is chosen is asked for exactly.
    """
    names = ("tier", "zone", "region", "hosts", "growth", "length", "placement", "beside", "away_from", "pool")
    need = {n: wanted[n] for n in names if n in wanted} | ({"each": each} if each else {})
    if "/" in wanted.get("prefix", ""):
        need["length"] = wanted["prefix"].rpartition("/")[2]
    families = wanted.get("families", [4])
    found = client.candidates(wanted["project"], family=min(families), dual=len(families) > 1, **need)
    rows = [{"n": n, **row} for n, row in enumerate(found["candidates"], 1)]
    if not rows:
        raise WrongUse("no pool may serve this: " + ("; ".join(found["passed_over"]) or "none is for this place"))
    if not sys.stdin.isatty():
        raise WrongUse("say which --pool: " + ", ".join(cell(row["pool"]) for row in rows))
    show_rows(rows, ("n", *_CANDIDATE_COLUMNS), "table")
    answer = input("Which one? ").strip()
    if not answer.isdigit() or not 1 <= int(answer) <= len(rows):
        raise WrongUse(f"{answer!r} is none of them; nothing was changed")
    chosen = rows[int(answer) - 1]
    return {
        "pool": f"{chosen['realm']['name']}:{chosen['pool']['name']}",
        **({"prefix": chosen["block"]} if each else {}),
    }


def _in_words(result: dict[str, Any]) -> str:
    lines = []
    for subnet in result["subnets"]:
        blocks = ", ".join(f"{b['prefix']} ({usable(b)} usable)" for b in subnet["blocks"])
        chain = f"{subnet['realm']['name']} > {subnet['pool']['name']}"
        verb = f"hold until {subnet['ends_at']}" if subnet["state"] == "held" else "hand out"
        tag = f", segment tag {subnet['tag']}" if subnet["tag"] else ""
        room = f", room {', '.join(subnet['room'])}" if subnet["room"] else ""
        lines.append(f"{verb} {blocks} from {chain} as {subnet['name']}{tag}{room}")
    why = dict.fromkeys(result["why"])
    return "\n  ".join(lines) + "\n  why there: " + "; ".join(list(why)[:3])


def _edit(options: argparse.Namespace) -> int:
    client = client_for(options)
    names: tuple[str, ...] = ("name", "purpose", "notes", "hosts", "growth", "tag", "outer_tag", "gateway", "dhcp")
    names += ("dhcp_excluded", "dhcp_service", "ipv6_hosts", "name_servers", "dns_suffix", "service", "exposure")
    values = given(options, *names, "labels")
    if options.label is not None:
        values["labels"] = _labels(options.label)
    if not values:
        raise WrongUse("say what to change, such as --purpose 'gate readers'")
    version = client.subnets.get(options.subnet)["version"]

    def call(preview: bool) -> Answer:
        return client.subnets.edit(options.subnet, preview=preview, why=options.why, if_version=version, **values)

    words = ", ".join(f"{name} = {cell(value)}" for name, value in values.items())
    confirmed_change(options, call, lambda subnet: f"set on {options.subnet}: {words}")
    return DONE


def _release(options: argparse.Namespace) -> int:
    client = client_for(options)
    answers: list[Answer] = []

    def release(name: str, preview: bool) -> Answer:
        words = {"at_once": options.at_once, "despite_use": options.despite_use}
        return client.release(name, **words, preview=preview, why=options.why)

    try:
        for name in options.subnet:
            confirmed_change(options, partial(release, name), _release_in_words, answers)
    finally:  # what was given back before one was refused is told all the same
        show_answers(answers, options)
    return DONE


def _release_in_words(subnet: dict[str, Any]) -> str:
    chain = f"{subnet['realm']['name']} > {subnet['pool']['name']} > {subnet['name']}"
    until = f"cooling until {subnet['ends_at']}" if subnet["state"] == "cooling" else "free at once"
    return f"give back {chain}, {cell(subnet['blocks'])}: {until}"


def _labels(given: list[str]) -> dict[str, str]:
    for text in given:
        if "=" not in text:
            raise WrongUse(f"{text!r} is not a label: write key=value")
    return dict(text.split("=", 1) for text in given if text != "=")
