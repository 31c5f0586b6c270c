"""Set-up commands: list, show, add, edit and remove for every kind of set-up object."""

from __future__ import annotations

import argparse
import getpass
import sys
from collections.abc import Callable
from functools import partial
from typing import TYPE_CHECKING, Any

from lentra.cli.context import DONE, WrongUse, add_asking_options, add_change_options, client_for, confirmed_change
from lentra.cli.kinds import KINDS, UNSET, Kind, Option, read_length
from lentra.cli.looking import given, show_holdings
from lentra.cli.meeting import add_link_verbs
from lentra.cli.options import Empty, Several, add_limit, read_bits, read_table
from lentra.cli.output import grouped, show_list, show_record, show_rows, styled
from lentra.cli.waiting import add_try

if TYPE_CHECKING:
    from lentra.client import Answer, Client, Collection


def add_commands(commands: Any) -> None:
    """Add a command for every kind."""
    for kind in KINDS:
        parser = commands.add_parser(
            kind.word, help=f"set up {_plural(kind)}", epilog=f"example: lentra {kind.example}"
        )
        verbs = parser.add_subparsers(dest="verb", required=True, metavar="VERB")
        _add_verbs(verbs, kind)


def _plural(kind: Kind) -> str:
    return {"keep_outs": "keep-outs", "rule_sheets": "rule sheets"}.get(kind.collection, kind.collection).replace(
        "_", " "
    )


def _one(kind: Kind) -> str:
    word = {"need": "planned need"}.get(kind.word, kind.word)
    return f"a {word.replace('-', ' ') if word != 'keep-out' else word}"


_SINGLE = {
    "source": "part of how it is known",
    "before": "in force since before that day, such as 2024-01-01",
    "review_by": "to be looked at again by that day, such as 2027-01-01",
    "differs": "those whose tag is another than the subnet's, or the others",
    "label": "with this label: key, or key=value",
    "ending_within": "days until it falls back",
    "top": "carved out of no other pool, or out of one",
}


def _add_verbs(verbs: Any, kind: Kind) -> None:
    epilog = f"example: lentra {kind.example}"
    command = verbs.add_parser("list", help=f"list {_plural(kind)}", epilog=epilog)
    known = {option.name: option for option in kind.options}
    for name in kind.filters:
        single = name in _SINGLE
        words = _SINGLE.get(name, f"of this {name}; several with commas")
        choices = ("true", "false") if name in ("top", "differs") else known[name].choices if name in known else ()
        command.add_argument(
            f"--{name.replace('_', '-')}",
            dest=name,
            action="store" if single else Several,
            help=words,
            **({"choices": choices} if choices else {}),
        )
    command.add_argument("--text", help="part of the name, or of what else it is told by")
    command.add_argument("--order", choices=kind.orders, help="how to order them")
    add_limit(command)
    command.set_defaults(run=lambda options: _list(options, kind))

    command = verbs.add_parser(
        "show", help=f"show {_one(kind)}, what uses it, and what of it is fixed", epilog=epilog
    )
    command.add_argument("ref", help="name or number")
    command.set_defaults(run=lambda options: _show(options, kind))

    command = verbs.add_parser("add", help=f"add {_one(kind)}", epilog=epilog)
    if kind.named:
        if kind.name_needed:
            command.add_argument("name", help="its name")
        else:
            command.add_argument("name", nargs="?", help="its name; left out, the realm's template makes one")
    _add_options(command, kind, adding=True)
    command.set_defaults(run=lambda options: _add(options, kind))

    command = verbs.add_parser("edit", help=f"edit {_one(kind)}", epilog=epilog)
    command.add_argument("ref", help="name or number")
    if kind.named:
        command.add_argument("--name", help="a new name")
    _add_options(command, kind, adding=False)
    command.set_defaults(run=lambda options: _edit(options, kind))

    command = verbs.add_parser("remove", help=f"remove {_one(kind)} that nothing uses", epilog=epilog)
    command.add_argument("ref", help="name or number")
    add_change_options(command)
    command.set_defaults(run=lambda options: _remove(options, kind))

    if kind.word == "person":
        _add_person_verbs(verbs)
    if kind.word == "subscription":
        _add_subscription_verbs(verbs)
    if kind.word == "link":
        add_link_verbs(verbs)
    if kind.word == "rules":
        add_try(verbs)
    if kind.word == "keep-out":
        command = verbs.add_parser(
            "add-several",
            help="add all keep-outs of a CSV file, or none",
            epilog="example: lentra keep-out add-several demo/tables/yard.csv --realm harbour-lab --preview",
        )
        command.add_argument("file", help="a CSV file (- for what comes in), its first line naming the columns")
        command.add_argument("--realm", required=True, help="in this realm")
        for name in ("reason", "kind", "source", "since", "certainty", "review-on"):
            command.add_argument(f"--{name}", help=f"{name.replace('-', ' ')} of those that say none")
        command.add_argument(
            "--despite-use", action="store_true", default=None, help="over space in use, as clashes"
        )
        add_change_options(command)
        command.set_defaults(run=_add_several)
    if kind.word in ("zone", "region"):
        command = verbs.add_parser(
            "tags",
            help="segment tags there: used, free, their ranges, the next free one, ends that differ",
            epilog=f"example: lentra {kind.word} tags {'nc-1' if kind.word == 'zone' else 'north-coast'}",
        )
        command.add_argument("ref", help="name or number")
        command.add_argument("--outer-tag", type=int, help="those under this outer tag")
        command.set_defaults(run=lambda options: _tags(options, kind.word))
    if kind.word == "project":
        command = verbs.add_parser(
            "holdings",
            help="all that a project holds, with ranges and counts",
            epilog="example: lentra project holdings ticketing",
        )
        command.add_argument("ref", help="name or number")
        add_limit(command)
        command.set_defaults(run=_holdings)
    if kind.word == "pool":
        command = verbs.add_parser(
            "add-range",
            help="add a range to a pool; a carved one takes it from its parent",
            epilog="example: lentra pool add-range links 172.20.1.0/24 --preview",
        )
        command.add_argument("ref", help="name or number")
        command.add_argument("range", nargs="?", help="exactly this one")
        command.add_argument("--length", type=read_length, help="find one in the parent: /24, or 6/56")
        add_change_options(command)
        command.set_defaults(run=_add_range)

        command = verbs.add_parser(
            "change-range",
            help="put another range in the place of one",
            epilog="example: lentra pool change-range lab-bench-2 10.0.32.0/20 10.0.64.0/20 --rebase --preview",
        )
        command.add_argument("ref", help="name or number")
        command.add_argument("old", help="the range that it has")
        command.add_argument("new", help="what is to be in its place")
        command.add_argument("--rebase", action="store_true", help="move all that lives in it along")
        add_change_options(command)
        command.set_defaults(run=_change_range)

        command = verbs.add_parser(
            "remove-range",
            help="take a range out of a pool in which nothing lives any more",
            epilog="example: lentra pool remove-range lab fd46:1ab::/40 --preview",
        )
        command.add_argument("ref", help="name or number")
        command.add_argument("range", help="the range that it has")
        add_change_options(command)
        command.set_defaults(run=_remove_range)

        command = verbs.add_parser(
            "seen",
            help="how much of what is handed out in a pool sources see, and how much they do not",
            epilog="example: lentra pool seen mainland",
        )
        command.add_argument("ref", help="name or number")
        command.set_defaults(run=_seen)

        command = verbs.add_parser(
            "gaps",
            help="every run of free space of a pool, with what lies on both sides",
            epilog="example: lentra pool gaps ticket-hall --length /24",
        )
        command.add_argument("ref", help="name or number")
        command.add_argument("--length", type=read_bits, help="those alone in which a block of that length fits")
        command.add_argument("--family", type=int, choices=(4, 6), help="4 if left out")
        add_limit(command)
        command.set_defaults(run=_gaps)

        command = verbs.add_parser(
            "second-family",
            help="give the subnets of a pool IPv6, with paired numbering",
            epilog="example: lentra pool second-family telemetry-intake --preview",
        )
        command.add_argument("ref", help="name or number")
        command.add_argument("--within", help="number in this prefix; the pool's first IPv6 range if left out")
        command.add_argument(
            "--numbering",
            choices=["number", "tag"],
            help="number: in order of address; tag: by segment tag; as before, if left out",
        )
        command.add_argument(
            "--subnet",
            action=Several,
            dest="subnets",
            help="these alone; several with commas; all of them without",
        )
        add_change_options(command)
        command.set_defaults(run=_second_family)


def add_act(
    verbs: Any,
    word: str,
    words: str,
    example: str,
    act: Callable[..., Answer],
    describe: Callable[[Any], str],
    several: bool = False,
    after: Callable[[Client, argparse.Namespace], int] | None = None,
) -> argparse.ArgumentParser:
    """A verb that does one thing with a record, or with several: previewed, shown, confirmed.

    Args:
        act: gets client, options, and how.
        after: what follows once it is done, and the exit code.
    """
    command: argparse.ArgumentParser = verbs.add_parser(word, help=words, epilog=f"example: lentra {example}")
    if several:
        command.add_argument("ref", nargs="+", help="number, or several: all of them, or none")
    else:
        command.add_argument("ref", help="name or number")
    add_change_options(command)

    def run(options: argparse.Namespace) -> int:
        client = client_for(options)

        def call(preview: bool) -> Answer:
            return act(client, options, preview=preview, why=options.why)

        done = confirmed_change(options, call, describe)
        return after(client, options) if done and after else DONE

    command.set_defaults(run=run)
    return command


def _add_person_verbs(verbs: Any) -> None:
    add_act(
        verbs,
        "unlock",
        "let somebody try to sign in again",
        "person unlock vera --preview",
        lambda client, options, **how: client.people.unlock(options.ref, **how),
        lambda person: f"forget the failed sign-ins of {person['name']}",
    )
    add_act(
        verbs,
        "revoke-tokens",
        "make all tokens of somebody useless",
        "person revoke-tokens vera --preview",
        lambda client, options, **how: client.people.revoke_tokens(options.ref, **how),
        lambda person: f"revoke all tokens of {person['name']}",
    )
    add_act(
        verbs,
        "second-factor-off",
        "turn off the second factor of somebody who has lost it",
        "person second-factor-off --help",
        lambda client, options, **how: client.people.second_factor_off(options.ref, **how),
        lambda person: f"turn off the second factor of {person['name']}",
    )
    add_act(
        verbs,
        "by-sign-on",
        "have somebody sign in by single sign-on: the password is gone",
        "person by-sign-on vera --preview",
        lambda client, options, **how: client.people.by_sign_on(options.ref, **how),
        lambda person: f"have {person['name']} sign in by single sign-on, without a password",
    )


def _add_subscription_verbs(verbs: Any) -> None:
    command = add_act(
        verbs,
        "pause",
        "send nothing for now",
        "subscription pause harbour-board --preview",
        lambda client, options, **how: client.subscriptions.pause(options.ref, options.reason, **how),
        lambda one: f"send nothing to {one['endpoint']} for now",
    )
    command.add_argument("--reason", default="", help="why")
    command = add_act(
        verbs,
        "resume",
        "go on sending, from where it stood or from behind any number",
        "subscription resume harbour-board --after 0 --preview",
        lambda client, options, **how: client.subscriptions.resume(options.ref, options.after, **how),
        lambda one: f"send to {one['endpoint']} what came after {one['sent']}",
    )
    command.add_argument("--after", type=int, help="send again what came after this number of the ledger")


def _add_options(command: argparse.ArgumentParser, kind: Kind, adding: bool) -> None:
    for option in kind.options:
        if option.only_add and not adding:
            continue
        flag, settings = f"--{option.name.replace('_', '-')}", _settings(option)
        command.add_argument(
            flag, dest=option.name, help=option.help, required=adding and option.needed, **settings
        )
        if not adding and option.empty is not UNSET:
            empty = list(option.empty) if option.read is list else option.empty
            command.add_argument(
                f"--no-{flag[2:]}",
                dest=option.name,
                action="store_const",
                const=Empty(empty),
                help="none any more",
            )
    if kind.word == "reservation" and adding:
        add_asking_options(command)
    if kind.word == "person":
        command.add_argument("--password", action="store_true", help="set a password, which is asked for")
    add_change_options(command)


def _settings(option: Option) -> dict[str, Any]:
    """What argparse takes for an option."""
    if option.read is bool:
        return {"action": argparse.BooleanOptionalAction, "default": None}
    if option.read is list:
        return {"action": Several}
    choices = {"choices": option.choices} if option.choices else {}
    return {"type": option.read, "action": "append" if option.many else "store", **choices}


def _values(options: argparse.Namespace, kind: Kind) -> dict[str, Any]:
    names = [option.name for option in kind.options] + (["name"] if kind.named else [])
    values = given(options, *names)
    for single, several in (("range", "ranges"), ("length", "lengths")):
        if kind.word == "pool" and single in values:
            values[several] = values.pop(single)
    if kind.word == "person" and options.password:
        values["password"] = getpass.getpass() if sys.stdin.isatty() else sys.stdin.readline().rstrip("\n")
    return values


def _collection(client: Client, kind: Kind) -> Collection:
    return getattr(client, kind.collection)


def _list(options: argparse.Namespace, kind: Kind) -> int:
    filters = given(options, *kind.filters, "text", "order")
    show_list(options, _collection(client_for(options), kind).list, filters, kind.columns)
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

    words = ", ".join(name.replace("_", " ") for name in values)
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


_KEEP_OUT_COLUMNS = ("range", "reason", "kind", "source", "since", "certainty", "review_on")


def _add_several(options: argparse.Namespace) -> int:
    client = client_for(options)
    rows = read_table(options.file, _KEEP_OUT_COLUMNS)
    shared = given(options, "realm", *_KEEP_OUT_COLUMNS[1:], "despite_use")

    def call(preview: bool) -> Answer:
        return client.keep_outs.several(rows, preview=preview, why=options.why, **shared)

    def words(made: dict[str, Any]) -> str:
        ranges = [one["range"] for one in made["keep_outs"]]
        more = f" and {len(ranges) - 8} more" if len(ranges) > 8 else ""
        return f"add {len(ranges)} keep-outs to realm {options.realm}: {', '.join(ranges[:8])}{more}"

    return _confirm(options, call, words)


def _tags(options: argparse.Namespace, of: str) -> int:
    found = client_for(options).tags(**{of: options.ref}, outer_tag=options.outer_tag or 0)
    if options.output != "table":
        show_record(found, options.output)
        return DONE
    show_rows(found["used"], ("tag", "subnet", "tier", "place"), "table")
    if found["ranges"]:
        print(styled("ranges", "bold"))
        show_rows(
            found["ranges"], ("first", "last", "place", "tier", "forbidden", "purpose", "used", "free"), "table"
        )
    print(f"free: {', '.join(found['free']) or 'none'}")
    print(f"next: {found['next'] or 'none'}; after the last in use: {found['after_last'] or 'none'}")
    if found["outer_tags"]:
        print(f"outer tags in use: {', '.join(map(str, found['outer_tags']))}")
    for member in found["differing"]:
        print(
            f"{member['name']} ({member['kind']}) has tag {member['tag']}, subnet {member['subnet']['name']} has "
            f"{member['subnet_tag']}: they do not hear one another"
        )
    return DONE


def _holdings(options: argparse.Namespace) -> int:
    show_holdings(client_for(options), options.ref, options)
    return DONE


def _remove_range(options: argparse.Namespace) -> int:
    client = client_for(options)

    def call(preview: bool) -> Answer:
        return client.pools.remove_range(options.ref, options.range, preview=preview, why=options.why)

    return _confirm(options, call, lambda pool: f"take {options.range} out of pool {_called(pool)}")


def _seen(options: argparse.Namespace) -> int:
    rows = client_for(options).pools.seen(options.ref)
    counts = ("addresses", "seen", "quiet")
    shown = [row | {name: grouped(row[name]) for name in counts} for row in rows]
    columns = ("family", "blocks", "addresses", "seen_blocks", "seen", "quiet")
    show_rows(shown if options.output == "table" else rows, columns, options.output)
    return DONE


def _gaps(options: argparse.Namespace) -> int:
    def beside(gap: dict[str, Any]) -> dict[str, Any]:
        def side(near: dict[str, Any] | None) -> str | None:
            return f"{near['range']} {near.get('owner') or near['state']}" if near else None

        return {
            **gap,
            "before": side(gap["before"]),
            "after": side(gap["after"]),
            "addresses": grouped(gap["addresses"]),
        }

    columns = ("range", "addresses", "largest", "before", "after")
    gaps = partial(client_for(options).pools.gaps, options.ref)
    show_list(options, gaps, given(options, "length", "family"), columns, beside)
    return DONE


def _change_range(options: argparse.Namespace) -> int:
    client = client_for(options)

    def call(preview: bool) -> Answer:
        return client.pools.change_range(
            options.ref, options.old, options.new, rebase=options.rebase, preview=preview, why=options.why
        )

    def words(result: dict[str, Any]) -> str:
        moves = [f"  {m['kind']} {m['owner']}: {m['was']} → {m['lands']}" for m in result["moves"]]
        head = f"change {options.old} of pool {_called(result['pool'])} to {options.new}"
        return "\n".join([head, *moves[:40], *([f"  and {len(moves) - 40} more"] if len(moves) > 40 else [])])

    return _confirm(options, call, words)


def _second_family(options: argparse.Namespace) -> int:
    client = client_for(options)
    how = given(options, "numbering", "within", "subnets")

    def call(preview: bool) -> Answer:
        return client.pools.second_family(options.ref, preview=preview, why=options.why, **how)

    def words(result: dict[str, Any]) -> str:
        pairs = [f"  {p['subnet']['name']}: {p['block']}" for p in result["paired"]]
        more = [f"  and {len(pairs) - 40} more"] if len(pairs) > 40 else []
        return "\n".join([f"give {len(pairs)} subnets of pool {options.ref} an IPv6 block", *pairs[:40], *more])

    return _confirm(options, call, words)


def _confirm(options: argparse.Namespace, call: Callable[[bool], Answer], words: Callable[[Any], str]) -> int:
    done = confirmed_change(options, call, words)
    if done and options.output == "table" and (secret := done.result.get("told_secret")):
        print(f"Its secret, which is not told again: {secret}")
    return DONE


def _of_place(record: dict[str, Any]) -> str:
    place = record.get("zone") or record.get("region")
    return f" in {place['name']}" if place else " everywhere"


def _called(record: dict[str, Any]) -> str:
    realm = f"{record['realm']['name']} > " if record.get("realm") else ""
    parent = f"{record['parent']['name']} > " if record.get("parent") else ""
    ranges = record.get("ranges") or ([record["range"]] if record.get("range") and record.get("name") else [])
    where = f" ({', '.join(ranges)})" if ranges else ""
    many = f": {record['count']} × /{record['length']} on {record['day']}" if record.get("day") else ""
    tags = f"{record['first']}-{record['last']}{_of_place(record)}" if {"first", "tier"} <= record.keys() else ""
    return f"{realm}{parent}{record.get('name') or record.get('range') or tags}{where}{many}"
