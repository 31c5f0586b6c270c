"""Changing the size of what was handed out: grow, shrink, room, replace, confirm."""

from __future__ import annotations

import argparse
from typing import TYPE_CHECKING, Any

from lentra.cli.context import DONE, WrongUse, add_asking_options, add_change_options, client_for, confirmed_change
from lentra.cli.looking import given
from lentra.cli.options import read_bits
from lentra.cli.output import cell, usable

if TYPE_CHECKING:
    from lentra.client import Answer


def add_commands(commands: Any) -> None:
    """Add the commands of this file."""
    command = commands.add_parser(
        "grow",
        help="grow a subnet in place",
        epilog="example: lentra grow fleet-telemetry-ml-1-app-02 --length 22 --preview",
    )
    command.add_argument("subnet", help="its name or number")
    command.add_argument("--length", type=read_bits, help="to this length; twice as wide if nothing is said")
    command.add_argument("--hosts", type=int, help="until so many hosts fit")
    command.add_argument("--growth", type=int, help="percent on top of the hosts")
    command.add_argument("--family", type=int, choices=[4, 6], help="which of its blocks, where it has both")
    command.add_argument("--downward", action="store_const", const=True, help="the first address may change")
    command.add_argument(
        "--second", action="store_const", const=True, help="where it cannot grow in place, add a second block"
    )
    add_asking_options(command)
    _finish(command, _grow)

    command = commands.add_parser(
        "shrink",
        help="give back the unused part of a subnet",
        epilog="example: lentra shrink tide-model-nc-2-app-01 --length 25 --hosts 90 --preview",
    )
    command.add_argument("subnet", help="its name or number")
    command.add_argument("--length", type=read_bits, help="keep the first part of this length")
    command.add_argument("--hosts", type=int, help="keep enough for so many hosts")
    command.add_argument("--keep", help="keep exactly this part")
    command.add_argument("--as-room", action="store_const", const=True, help="keep the rest as room")
    _finish(command, _shrink)

    command = commands.add_parser(
        "room",
        help="keep space free behind a subnet",
        epilog="example: lentra room fleet-telemetry-ml-1-app-02 1 --preview",
    )
    command.add_argument("subnet", help="its name or number")
    command.add_argument("doublings", type=int, help="1: room to become twice as wide; 0 gives it back")
    _finish(command, _room)

    command = commands.add_parser(
        "replace",
        help="a new subnet in the place of one, which retires until it is given back",
        epilog="example: lentra replace ticketing-ml-1-app-01 --hosts 230 --preview",
    )
    command.add_argument("subnet", help="its name or number")
    for name in ("pool", "zone", "region", "tier", "prefix", "placement", "name", "tag"):
        choices = ["snug", "low", "roomy"] if name == "placement" else None
        command.add_argument(f"--{name}", help=f"another {name}", choices=choices)
    command.add_argument("--hosts", type=int, help="for so many hosts")
    command.add_argument("--growth", type=int, help="percent on top of the hosts")
    command.add_argument("--length", type=read_bits, help="of this length")
    command.add_argument("--room", type=int, help="doublings to keep free behind it")
    add_asking_options(command)
    _finish(command, _replace)

    command = commands.add_parser(
        "bring-back",
        help="have a subnet in use again that was given back and still cools",
        epilog="example: lentra list --state cooling",
    )
    command.add_argument("subnet", help="its name or number")
    _finish(command, _bring_back)

    command = commands.add_parser(
        "hand-over",
        help="hand a subnet over to another project",
        epilog="example: lentra hand-over ticketing-ml-1-app-01 freight-desk --preview",
    )
    command.add_argument("subnet", help="its name or number")
    command.add_argument("project", help="who is to have it")
    _finish(command, _hand_over)

    command = commands.add_parser(
        "confirm",
        help="turn a held subnet into an active one",
        epilog="example: lentra list --state held",
    )
    command.add_argument("subnet", help="its name or number")
    _finish(command, _confirm)


def _finish(command: argparse.ArgumentParser, run: Any) -> None:
    add_change_options(command)
    command.set_defaults(run=run)


def _grow(options: argparse.Namespace) -> int:
    how = given(options, "length", "hosts", "growth", "family", "downward", "second")
    return _resize(options, "grow", how)


def _shrink(options: argparse.Namespace) -> int:
    how = given(options, "length", "hosts", "keep", "as_room")
    if not how:
        raise WrongUse("say how much to keep: --length, --hosts or --keep")
    return _resize(options, "shrink", how)


def _resize(options: argparse.Namespace, verb: str, how: dict[str, Any]) -> int:
    client = client_for(options)
    before = client.subnets.get(options.subnet)

    def call(preview: bool) -> Answer:
        act = client.subnets.grow if verb == "grow" else client.subnets.shrink
        return act(options.subnet, preview=preview, why=options.why, **how)

    def words(subnet: dict[str, Any]) -> str:
        after = ", ".join(f"{b['prefix']} ({usable(b)} usable)" for b in subnet["blocks"])
        return f"{verb} {subnet['name']}: {cell(before['blocks'])} → {after}"

    confirmed_change(options, call, words)
    return DONE


def _room(options: argparse.Namespace) -> int:
    client = client_for(options)

    def call(preview: bool) -> Answer:
        return client.subnets.keep_room(options.subnet, options.doublings, preview=preview, why=options.why)

    confirmed_change(
        options,
        call,
        lambda subnet: f"keep {cell(subnet['room'])} free behind {cell(subnet['blocks'])} ({subnet['name']})",
    )
    return DONE


def _replace(options: argparse.Namespace) -> int:
    client = client_for(options)
    names = (
        "pool",
        "zone",
        "region",
        "tier",
        "prefix",
        "placement",
        "name",
        "tag",
        "hosts",
        "growth",
        "length",
        "room",
    )
    new = given(options, *names)

    def call(preview: bool) -> Answer:
        return client.subnets.replace(options.subnet, preview=preview, why=options.why, **new)

    def words(made: dict[str, Any]) -> str:
        subnet = made["subnets"][0]
        return f"hand out {cell(subnet['blocks'])} as {subnet['name']}; {options.subnet} retires until it is given back"

    confirmed_change(options, call, words)
    return DONE


def _bring_back(options: argparse.Namespace) -> int:
    client = client_for(options)

    def call(preview: bool) -> Answer:
        return client.subnets.bring_back(options.subnet, preview=preview, why=options.why)

    confirmed_change(options, call, lambda subnet: f"bring {cell(subnet['blocks'])} back as {subnet['name']}")
    return DONE


def _hand_over(options: argparse.Namespace) -> int:
    client = client_for(options)

    def call(preview: bool) -> Answer:
        return client.subnets.hand_over(options.subnet, options.project, preview=preview, why=options.why)

    def words(subnet: dict[str, Any]) -> str:
        return f"hand {subnet['name']}, {cell(subnet['blocks'])}, over to project {subnet['project']['name']}"

    confirmed_change(options, call, words)
    return DONE


def _confirm(options: argparse.Namespace) -> int:
    client = client_for(options)

    def call(preview: bool) -> Answer:
        return client.subnets.confirm(options.subnet, preview=preview, why=options.why)

    confirmed_change(options, call, lambda subnet: f"hand out {cell(subnet['blocks'])} as {subnet['name']}")
    return DONE
