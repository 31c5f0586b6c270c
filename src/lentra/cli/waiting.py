"""Requests that wait for a planner: the queue, deciding, and what is said meanwhile; approval rules tried."""

from __future__ import annotations

import argparse
import json
from collections.abc import Callable
from typing import TYPE_CHECKING, Any

from lentra.cli.context import DONE, WrongUse, add_change_options, client_for, confirmed_change
from lentra.cli.looking import given
from lentra.cli.options import Several, add_limit, read_bits
from lentra.cli.output import cell, show_list, show_record, show_rows, styled

if TYPE_CHECKING:
    from lentra.client import Answer, Client

_COLUMNS = ("id", "state", "summary", "asker", "reason", "needed_by", "held", "assigned_to", "created_at")
_STATES = ("waiting", "granted", "refused", "withdrawn", "lapsed")
_WHATS = ("subnets", "replacement", "growth", "plan", "reservation")


def add_commands(commands: Any) -> None:
    """Add ``waiting``."""
    parser = commands.add_parser(
        "waiting",
        help="requests that wait for a planner: look, grant, refuse, talk",
        epilog="example: lentra waiting list",
    )
    verbs = parser.add_subparsers(dest="verb", required=True, metavar="VERB")
    command = verbs.add_parser(
        "list", help="what waits, the oldest first", epilog="example: lentra waiting list --state granted,refused"
    )
    command.add_argument("--state", action=Several, choices=_STATES, help="in this state (waiting)")
    command.add_argument("--what", action=Several, choices=_WHATS, help="that ask for this")
    for name in ("project", "realm", "pool", "asker", "assigned_to"):
        words = name.replace("_", " ")
        command.add_argument(
            f"--{name.replace('_', '-')}", action=Several, help=f"of this {words}; several with commas"
        )
    command.add_argument("--text", help="part of what it asks for")
    command.add_argument("--order", choices=["oldest", "newest", "needed"], help="how to order them")
    add_limit(command)
    command.set_defaults(run=_list)

    command = _of_one(
        verbs, "show", "all about one, what stands beside it, what was said", "show oldest", changes=False
    )
    command.set_defaults(run=_show)
    command = _of_one(verbs, "grant", "grant it: just what was shown, or something else", "grant oldest --preview")
    command.add_argument(
        "--set",
        dest="values",
        action="append",
        default=[],
        metavar="FIELD=VALUE",
        help="grant this instead, such as pool=mainland or length=26; may be repeated",
    )
    command.add_argument("--anew", action="store_true", help="whatever takes the place of what was shown")
    command.set_defaults(run=_grant)
    command = _of_one(verbs, "refuse", "refuse it", "refuse oldest --reason 'a /26 will do' --preview")
    command.add_argument("--reason", required=True, help="told to whoever asked")
    command.set_defaults(run=_refuse)
    command = _of_one(verbs, "pass-on", "pass it on to another planner", "pass-on oldest petra --preview")
    command.add_argument("to", help="name of a planner, or any")
    command.set_defaults(run=_pass_on)
    command = _of_one(verbs, "say", "say something about it", "say oldest 'which quay is it?' --preview")
    command.add_argument("text", help="what is said")
    command.set_defaults(run=_say)
    command = _of_one(verbs, "edit", "edit what is told with it", "edit oldest --needed-by 2027-02-01 --preview")
    command.add_argument("--reason", help="why it is needed")
    command.add_argument("--needed-by", help="the day by which it is needed")
    command.add_argument("--link", dest="links", action="append", help="where more is found; replaces all")
    command.set_defaults(run=_edit)
    command = _of_one(verbs, "withdraw", "withdraw it", "withdraw oldest --preview")
    command.set_defaults(run=_withdraw)


def add_try(verbs: Any) -> None:
    """Add ``try`` to the verbs of approval rules."""
    command = verbs.add_parser(
        "try",
        help="which rule a request for subnets would meet, if a requester made it",
        epilog="example: lentra rules try --project ticketing --zone ml-1 --tier app --pool ticket-hall --length 21",
    )
    for name in ("project", "tier", "pool"):
        command.add_argument(f"--{name}", required=True, help=f"which {name}")
    command.add_argument("--zone", help="where")
    command.add_argument("--region", help="where no zone applies")
    command.add_argument("--hosts", type=int, help="addresses that hosts need")
    command.add_argument("--length", type=read_bits, help="prefix length")
    command.add_argument("--count", type=int, help="this many at once")
    command.add_argument("--family", type=int, choices=["4", "6"], action=Several, help="4,6 for both families")
    command.set_defaults(run=_try)


def _of_one(verbs: Any, verb: str, words: str, example: str, changes: bool = True) -> argparse.ArgumentParser:
    command: argparse.ArgumentParser = verbs.add_parser(
        verb, help=words, epilog=f"example: lentra waiting {example}"
    )
    command.add_argument(
        "number", type=_which, help="the number of the request; oldest: the one that has waited longest"
    )
    if changes:
        add_change_options(command)
    return command


def _which(text: str) -> int | str:
    if text == "oldest" or text.isdigit():
        return int(text) if text.isdigit() else text
    raise argparse.ArgumentTypeError(f"{text!r} is no number of a request, nor: oldest")


def _meant(client: Client, options: argparse.Namespace) -> int:
    """The number of the request that is meant."""
    if options.number == "oldest":
        found = next(client.waiting.list(state="waiting", limit=1), None)
        if found is None:
            raise WrongUse("nothing waits")
        options.number = found["id"]
    return int(options.number)


def _list(options: argparse.Namespace) -> int:
    names = ("state", "what", "project", "realm", "pool", "asker", "assigned_to", "text", "order")
    filters = {"state": ["waiting"], **given(options, *names)}
    show_list(options, client_for(options).waiting.list, filters, _COLUMNS)
    return DONE


def _show(options: argparse.Namespace) -> int:
    client = client_for(options)
    _meant(client, options)
    request, beside = client.waiting.get(options.number), client.waiting.beside(options.number)
    said = list(client.waiting.conversation(options.number))
    if options.output != "table":
        show_record({**request, "beside": beside, "conversation": said}, options.output)
        return DONE
    print(styled(f"Request {request['id']}: {request['summary']}, {request['state']}", "bold"))
    print(f"asked by {cell(request['asker'])}: {request['reason'] or 'no reason given'}")
    print(f"rule {request['rule']}: {request['rule_words']}")
    held = "held until then" if request["held"] else "not held"
    print(f"shown: {', '.join(request['blocks'])}; {held if request['state'] == 'waiting' else 'then'}")
    for words, name in (("needed by", "needed_by"), ("lapses", "lapses_at"), ("to decide", "assigned_to")):
        if request[name] and (name != "lapses_at" or request["state"] == "waiting"):
            print(f"{words}: {cell(request[name])}")
    for link in request["links"]:
        print(f"see {link}")
    if request["decided_at"]:
        by = f" by {cell(request['decided_by'])}" if request["decided_by"] else ""
        words = f": {request['decision']}" if request["decision"] else ""
        print(f"{request['state']}{by} at {request['decided_at']}{words}")
    for one in request["differs"]:
        print(f"  {one['what']}: {one['granted']} in the place of {one['asked']}")
    for pool in beside["usage"]:
        full = f", full about {pool['full_on']}" if pool["full_on"] else ""
        print(
            f"pool {cell(pool['pool'])}, IPv{pool['family']}: {pool['before_percent']} % in use without it, "
            f"{pool['after_percent']} % with it (warning at {pool['warning_percent']} %){full}"
        )
    if beside["elsewhere"]:
        print("elsewhere:")
        show_rows(beside["elsewhere"], ("pool", "block", "used_percent", "leaves", "why"), "table")
    for one in said:
        print(f"{one['at']}  {one['by']}: {one['what']}{': ' + one['text'] if one['text'] else ''}")
    return DONE


def _grant(options: argparse.Namespace) -> int:
    values = dict(_value(text) for text in options.values)

    def words(request: dict[str, Any]) -> str:
        others = "".join(
            f"\n  {o['what']}: {o['granted']} in the place of {o['asked']}" for o in request["differs"]
        )
        return f"grant {request['summary']}{others}"

    return _decide(
        options,
        lambda client, preview: client.waiting.grant(
            options.number, values, anew=options.anew, preview=preview, why=options.why
        ),
        words,
    )


def _value(text: str) -> tuple[str, Any]:
    name, is_given, value = text.partition("=")
    if not is_given:
        raise WrongUse(f"{text!r} sets nothing: write field=value, such as length=26")
    try:
        return name.replace("-", "_"), json.loads(value)
    except ValueError:
        return name.replace("-", "_"), value


def _refuse(options: argparse.Namespace) -> int:
    return _decide(
        options,
        lambda client, preview: client.waiting.refuse(
            options.number, options.reason, preview=preview, why=options.why
        ),
        lambda request: f"refuse {request['summary']}: {request['decision']}",
    )


def _pass_on(options: argparse.Namespace) -> int:
    to = None if options.to == "any" else options.to
    return _decide(
        options,
        lambda client, preview: client.waiting.pass_on(options.number, to, preview=preview, why=options.why),
        lambda request: f"pass {request['summary']} on to {cell(request['assigned_to'] or 'any planner')}",
    )


def _say(options: argparse.Namespace) -> int:
    return _decide(
        options,
        lambda client, preview: client.waiting.say(options.number, options.text, preview=preview, why=options.why),
        lambda request: f"say about {request['summary']}: {options.text}",
    )


def _edit(options: argparse.Namespace) -> int:
    values = given(options, "reason", "needed_by", "links")
    if not values:
        raise WrongUse("say what to edit: --reason, --needed-by or --link")
    return _decide(
        options,
        lambda client, preview: client.waiting.edit(options.number, preview=preview, why=options.why, **values),
        lambda request: (
            f"set on {request['summary']}: " + ", ".join(f"{n} = {cell(v)}" for n, v in values.items())
        ),
    )


def _withdraw(options: argparse.Namespace) -> int:
    return _decide(
        options,
        lambda client, preview: client.waiting.withdraw(options.number, preview=preview, why=options.why),
        lambda request: f"withdraw {request['summary']}",
    )


def _decide(
    options: argparse.Namespace, call: Callable[[Client, bool], Answer], words: Callable[[dict[str, Any]], str]
) -> int:
    client = client_for(options)
    _meant(client, options)
    confirmed_change(options, lambda preview: call(client, preview), words)
    return DONE


def _try(options: argparse.Namespace) -> int:
    wanted = given(options, "project", "tier", "pool", "zone", "region", "hosts", "length", "count")
    if options.family:
        wanted["families"] = sorted(int(one) for one in options.family)
    tried = client_for(options).approval_rules.try_on(**wanted)
    if options.output != "table":
        show_record(tried, options.output)
        return DONE
    by = f" by rule {tried['rule']}" if tried["rule"] else ": no rule stands against it"
    print(
        f"{tried['summary']}: {'waits for a planner' if tried['decision'] == 'waits' else 'granted at once'}{by}"
    )
    show_rows(tried["rules"], ("name", "about", "met", "words"), "table")
    return DONE
