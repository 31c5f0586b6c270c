"""Set-up commands: list, show, add, edit and remove for every kind of set-up object."""

from __future__ import annotations

import argparse
import getpass
import json
import sys
from collections.abc import Callable
from typing import Any

from lentra.cli.context import DONE, WrongUse, add_change_options, client_for, confirmed_change
from lentra.cli.kinds import KINDS, Kind, read_length
from lentra.cli.output import show_record, show_rows, styled
from lentra.client import Answer, Client, Collection


def add_commands(commands: Any) -> None:
    """Add a command for every kind."""
    for kind in KINDS:
        parser = commands.add_parser(
            kind.word, help=f"set up {kind.collection.replace('_', ' ')}", epilog=f"example: lentra {kind.example}"
        )
        verbs = parser.add_subparsers(dest="verb", required=True, metavar="VERB")
        _add_verbs(verbs, kind)


def _add_verbs(verbs: Any, kind: Kind) -> None:
    epilog = f"example: lentra {kind.example}"
    command = verbs.add_parser("list", help=f"list {kind.collection.replace('_', ' ')}", epilog=epilog)
    for name in kind.filters:
        command.add_argument(f"--{name.replace('_', '-')}")
    command.set_defaults(run=lambda options: _list(options, kind))

    command = verbs.add_parser("show", help="show one, what uses it, and what of it is fixed", epilog=epilog)
    command.add_argument("ref", help="name or number")
    command.set_defaults(run=lambda options: _show(options, kind))

    command = verbs.add_parser("add", help="add one", epilog=epilog)
    if kind.named:
        command.add_argument("name")
    _add_options(command, kind, adding=True)
    command.set_defaults(run=lambda options: _add(options, kind))

    command = verbs.add_parser("edit", help="edit one", epilog=epilog)
    command.add_argument("ref", help="name or number")
    if kind.named:
        command.add_argument("--name", help="a new name")
    _add_options(command, kind, adding=False)
    command.set_defaults(run=lambda options: _edit(options, kind))

    command = verbs.add_parser("remove", help="remove one that nothing uses", epilog=epilog)
    command.add_argument("ref", help="name or number")
    add_change_options(command)
    command.set_defaults(run=lambda options: _remove(options, kind))

    if kind.word == "person":
        _add_person_verbs(verbs)
    if kind.word == "pool":
        command = verbs.add_parser(
            "add-range",
            help="add a range to a pool; a carved one takes it from its parent",
            epilog="example: lentra pool add-range links 172.20.1.0/24 --preview",
        )
        command.add_argument("ref", help="name or number")
        command.add_argument("range", nargs="?")
        command.add_argument("--length", type=read_length, help="find one in the parent: /24, or 6/56")
        add_change_options(command)
        command.set_defaults(run=_add_range)

        command = verbs.add_parser(
            "change-range",
            help="put another range in the place of one",
            epilog="example: lentra pool change-range lab-bench-2 10.0.32.0/20 10.0.64.0/20 --rebase --preview",
        )
        command.add_argument("ref", help="name or number")
        command.add_argument("old")
        command.add_argument("new")
        command.add_argument("--rebase", action="store_true", help="move all that lives in it along")
        add_change_options(command)
        command.set_defaults(run=_change_range)

        command = verbs.add_parser(
            "second-family",
            help="give the subnets of a pool IPv6, with paired numbering",
            epilog="example: lentra pool second-family telemetry-intake --preview",
        )
        command.add_argument("ref", help="name or number")
        command.add_argument("--within", help="number in this prefix; the pool's first IPv6 range if left out")
        command.add_argument("--numbering", choices=["number", "tag"], default="number")
        add_change_options(command)
        command.set_defaults(run=_second_family)


def _add_person_verbs(verbs: Any) -> None:
    command = verbs.add_parser(
        "unlock", help="let somebody try to sign in again", epilog="example: lentra person unlock vera --preview"
    )
    command.add_argument("ref", help="name or number")
    add_change_options(command)
    command.set_defaults(run=_unlock)
    command = verbs.add_parser(
        "revoke-tokens",
        help="make all tokens of somebody useless",
        epilog="example: lentra person revoke-tokens vera --preview",
    )
    command.add_argument("ref", help="name or number")
    add_change_options(command)
    command.set_defaults(run=_revoke_tokens)


def _unlock(options: argparse.Namespace) -> int:
    client = client_for(options)

    def call(preview: bool) -> Answer:
        return client.people.unlock(options.ref, preview=preview, why=options.why)

    confirmed_change(options, call, lambda person: f"forget the failed sign-ins of {person['name']}")
    return DONE


def _revoke_tokens(options: argparse.Namespace) -> int:
    client = client_for(options)

    def call(preview: bool) -> Answer:
        return client.people.revoke_tokens(options.ref, preview=preview, why=options.why)

    confirmed_change(options, call, lambda person: f"revoke all tokens of {person['name']}")
    return DONE


def _add_options(command: argparse.ArgumentParser, kind: Kind, adding: bool) -> None:
    for option in kind.options:
        if option.only_add and not adding:
            continue
        command.add_argument(
            f"--{option.name.replace('_', '-')}",
            dest=option.name,
            type=option.read,
            help=option.help or None,
            required=adding and option.needed,
            action="append" if option.many else "store",
        )
    if kind.word == "person":
        command.add_argument("--password", action="store_true", help="set a password, which is asked for")
    add_change_options(command)


def _values(options: argparse.Namespace, kind: Kind) -> dict[str, Any]:
    names = [option.name for option in kind.options] + (["name"] if kind.named else [])
    values = {name: value for name in names if (value := getattr(options, name, None)) is not None}
    for single, several in (("range", "ranges"), ("length", "lengths")):
        if kind.word == "pool" and single in values:
            values[several] = values.pop(single)
    if kind.word == "person" and options.password:
        values["password"] = getpass.getpass() if sys.stdin.isatty() else sys.stdin.readline().rstrip("\n")
    return values


def _collection(client: Client, kind: Kind) -> Collection:
    return getattr(client, kind.collection)


def _list(options: argparse.Namespace, kind: Kind) -> int:
    filters = {name: value for name in kind.filters if (value := getattr(options, name)) is not None}
    show_rows(_collection(client_for(options), kind).list(**filters), kind.columns, options.output)
    return DONE


def _show(options: argparse.Namespace, kind: Kind) -> int:
    collection = _collection(client_for(options), kind)
    record, use = collection.get(options.ref), collection.use(options.ref)
    if options.output != "table":
        show_record({**record, **use}, options.output)
        return DONE
    show_record(record, "table")
    if use["frozen"]:
        print(styled(f"fixed: {', '.join(use['frozen'])}", "dim"))
    if use["use_count"]:
        print(f"used by {use['use_count']}:")
        show_rows(use["used_by"], ("kind", "range", "id"), "table")
    return DONE


def _add(options: argparse.Namespace, kind: Kind) -> int:
    collection, values = _collection(client_for(options), kind), _values(options, kind)

    def call(preview: bool) -> Answer:
        return collection.add(preview=preview, why=options.why, **values)

    return _confirm(options, call, lambda record: f"add {kind.word} {_called(record)}")


def _edit(options: argparse.Namespace, kind: Kind) -> int:
    collection, values = _collection(client_for(options), kind), _values(options, kind)
    if not values:
        raise WrongUse(f"say what to change: lentra {kind.word} edit --help lists the options")
    version = collection.get(options.ref)["version"]

    def call(preview: bool) -> Answer:
        return collection.edit(options.ref, preview=preview, why=options.why, if_version=version, **values)

    shown = {name: "…" if name == "password" else value for name, value in values.items()}
    words = json.dumps(shown, ensure_ascii=False)
    return _confirm(options, call, lambda record: f"edit {kind.word} {options.ref}: {words}")


def _remove(options: argparse.Namespace, kind: Kind) -> int:
    collection = _collection(client_for(options), kind)

    def call(preview: bool) -> Answer:
        return collection.remove(options.ref, preview=preview, why=options.why)

    return _confirm(options, call, lambda record: f"remove {kind.word} {_called(record)}")


def _add_range(options: argparse.Namespace) -> int:
    client = client_for(options)
    if (options.range is None) == (options.length is None):
        raise WrongUse("give a range, or --length to find one in the parent")

    def call(preview: bool) -> Answer:
        what = {"range": options.range} if options.range else options.length
        return client.pools.add_range(options.ref, preview=preview, why=options.why, **what)

    return _confirm(options, call, lambda pool: f"add {pool['ranges'][-1]} to pool {_called(pool)}")


def _change_range(options: argparse.Namespace) -> int:
    client = client_for(options)
    seen: list[Answer] = []

    def call(preview: bool) -> Answer:
        more = {"proposal": seen[0].proposal} if seen and not preview else {}
        answer = client.pools.change_range(
            options.ref, options.old, options.new, rebase=options.rebase, preview=preview, why=options.why, **more
        )
        seen.append(answer)
        return answer

    def words(result: dict[str, Any]) -> str:
        moves = [f"  {m['kind']} {m['owner']}: {m['was']} → {m['lands']}" for m in result["moves"]]
        head = f"change {options.old} of pool {_called(result['pool'])} to {options.new}"
        return "\n".join([head, *moves[:40], *([f"  and {len(moves) - 40} more"] if len(moves) > 40 else [])])

    return _confirm(options, call, words)


def _second_family(options: argparse.Namespace) -> int:
    client = client_for(options)
    how = {"numbering": options.numbering, **({"within": options.within} if options.within else {})}

    def call(preview: bool) -> Answer:
        return client.pools.second_family(options.ref, preview=preview, why=options.why, **how)

    def words(result: dict[str, Any]) -> str:
        pairs = [f"  {p['subnet']['name']}: {p['block']}" for p in result["paired"]]
        more = [f"  and {len(pairs) - 40} more"] if len(pairs) > 40 else []
        return "\n".join([f"give {len(pairs)} subnets of pool {options.ref} an IPv6 block", *pairs[:40], *more])

    return _confirm(options, call, words)


def _confirm(options: argparse.Namespace, call: Callable[[bool], Answer], words: Callable[[Any], str]) -> int:
    done = confirmed_change(options, call, words)
    if done and options.output != "table":
        show_record(done.result, options.output)
    return DONE


def _called(record: dict[str, Any]) -> str:
    realm = f"{record['realm']['name']} > " if record.get("realm") else ""
    parent = f"{record['parent']['name']} > " if record.get("parent") else ""
    ranges = f" ({', '.join(record['ranges'])})" if record.get("ranges") else ""
    return f"{realm}{parent}{record.get('name') or record.get('range')}{ranges}"
