# PYTHON_ARGCOMPLETE_OK
"""`lentra`: the registry from a terminal."""

from __future__ import annotations

import argparse
import os
import sys
from typing import TYPE_CHECKING, Any

from lentra import __version__
from lentra.cli import (
    beginning,
    bringing_in,
    drawing,
    estate,
    foreseeing,
    growing,
    inside,
    looking,
    moving,
    naming,
    outward,
    planning,
    reaching,
    requesting,
    setting_up,
    signing_in,
    supposing,
    surveying,
    taking_back,
    taking_out,
    waiting,
    working_out,
)
from lentra.cli.context import NOT_ALLOWED, NOT_FOUND, NOT_REACHABLE, REFUSED, WRONG_USE, WrongUse
from lentra.cli.output import FORMATS, SHAPE, Harmless, as_option, cell, styled

if TYPE_CHECKING:
    from lentra.client import Problem

_EPILOG = """\
exit codes: 0 done, 1 refused by the registry, 2 wrong use, 3 not allowed or not signed in, 4 not found,
            5 not reachable or busy: try again
which command for which question: docs/commands.md
completion: eval "$(register-python-argcomplete lentra)", with --shell zsh or --shell fish for those
example: lentra show 10.41.80.1"""
_GROUPS: list[tuple[str, list[Any]]] = [
    ("Signing in", [signing_in.add_commands]),
    ("Working out", [working_out.add_commands]),
    ("Looking", [looking.add_commands, drawing.add_commands, reaching.add_commands]),
    ("Asking and giving back", [requesting.add_commands, waiting.add_commands, planning.add_commands]),
    (
        "Changing what is there",
        [growing.add_commands, inside.add_commands, taking_back.add_commands, moving.add_commands],
    ),
    ("Looking ahead", [foreseeing.add_commands, supposing.add_commands]),
    ("What is really there", [surveying.add_commands]),
    ("Names", [naming.add_commands]),
    ("Setting up", [setting_up.add_commands]),
    (
        "In and out",
        [
            *(beginning.add_commands, bringing_in.add_commands, taking_out.add_commands, estate.add_commands),
            outward.add_commands,
        ],
    ),
]


def main(arguments: list[str] | None = None) -> int:
    """Run one command; returns its exit code."""
    parser = build_parser()
    if "_ARGCOMPLETE" in os.environ:
        from lentra.cli.completing import complete

        complete(parser)
    options = parser.parse_args(arguments)
    if options.at is not None:
        options.url = options.at
    SHAPE.plain = options.output != "table"
    SHAPE.columns = options.columns.split(",") if options.columns else None
    SHAPE.sort, SHAPE.quiet = options.sort, options.quiet
    sys.stdout, sys.stderr = Harmless(sys.stdout), Harmless(sys.stderr)
    try:
        return _run(options)
    finally:
        sys.stdout, sys.stderr = sys.stdout.stream, sys.stderr.stream


def _run(options: argparse.Namespace) -> int:
    from lentra.client.errors import Busy, Denied, Missing, NotReachable, Problem

    try:
        return int(options.run(options))
    except WrongUse as fault:
        print(f"lentra: {fault}", file=sys.stderr)
        return WRONG_USE
    except NotReachable as failure:
        print(f"lentra: {failure}", file=sys.stderr)
        return NOT_REACHABLE
    except Problem as problem:
        _show_problem(problem)
        kinds = {Denied: NOT_ALLOWED, Missing: NOT_FOUND, Busy: NOT_REACHABLE}
        return next((code for kind, code in kinds.items() if isinstance(problem, kind)), REFUSED)
    except (KeyboardInterrupt, EOFError):
        print(
            "\nStopped; a change that was not answered may have been made: look before trying again.",
            file=sys.stderr,
        )
        return 130
    except BrokenPipeError:
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
        return 0


def build_parser() -> argparse.ArgumentParser:
    """The parser of all commands, in the order in which people work."""
    parser = argparse.ArgumentParser(
        prog="lentra",
        description="A shared registry of IPv4 and IPv6 address pools.",
        formatter_class=argparse.RawDescriptionHelpFormatter,
        parents=[_common()],
    )
    parser.set_defaults(output="table", url=None, at=None, columns=None, sort=None, quiet=False, limit=None)
    parser.add_argument("--version", action="version", version=f"lentra {__version__}")
    commands = Commands(parser.add_subparsers(dest="command", required=True, metavar="COMMAND"), _common())
    groups = []
    for head, adders in _GROUPS:
        commands.listed = []
        for add in adders:
            add(commands)
        if head == "Asking and giving back":
            _add_subnet(commands)
        rows = "\n".join(f"  {name:12} {words}" for name, words in commands.listed)
        groups.append(f"{head}:\n{rows}\n")
    parser.epilog = "\n".join([*groups, _EPILOG])
    return parser


def _common() -> argparse.ArgumentParser:
    """The options of every command: they count wherever they stand, so that only what is given is set."""
    common = argparse.ArgumentParser(add_help=False, argument_default=argparse.SUPPRESS)
    shown = common.add_argument_group("how to show, and where the service is")
    shown.add_argument("--output", "-o", choices=FORMATS, help="table, or for programs json, jsonl, csv, yaml")
    shown.add_argument("--columns", metavar="NAME,NAME", help="the columns of a list; a.b reaches inside")
    shown.add_argument("--sort", metavar="NAME", help="sort a list by a column; =-NAME the other way round")
    shown.add_argument("--quiet", "-q", action="store_true", help="of a list, names or prefixes alone")
    shown.add_argument("--at", metavar="PLACE", help="at this service: a place that you signed in to")
    shown.add_argument("--url", help="the same by its address")
    return common


def _add_subnet(commands: Commands) -> None:
    """All that is done with subnets, under their noun; the daily ones are short words at the top as well."""
    parser = commands.add_parser(
        "subnet", help="all that is done with subnets", epilog="example: lentra subnet list --zone nc-1"
    )
    verbs = parser.add_subparsers(dest="verb", required=True, metavar="VERB")
    looking.add_subnet_verbs(verbs)
    requesting.add_subnet_verbs(verbs, asking="add")
    growing.add_commands(verbs)
    inside.add_subnet_verbs(verbs)


class Commands:
    """Adds commands that all take the common options, keep the lines of their epilog, and are listed by groups."""

    def __init__(self, subparsers: Any, common: argparse.ArgumentParser, top: bool = True) -> None:
        self._subparsers = subparsers
        self._common = common
        self._top = top
        self.listed: list[tuple[str, str]] = []

    def add_parser(self, name: str, **options: Any) -> Any:
        """Add a command."""
        options["formatter_class"] = argparse.RawDescriptionHelpFormatter
        options.setdefault("description", options.get("help", "").capitalize() + ".")
        if self._top:
            self.listed.append((name, options.pop("help", "")))
        parser = self._subparsers.add_parser(name, parents=[self._common], **options)
        inner = parser.add_subparsers

        def add_subparsers(**settings: Any) -> Commands:
            return Commands(inner(**settings), self._common, top=False)

        parser.add_subparsers = add_subparsers
        return parser


def _show_problem(problem: Problem) -> None:
    title = problem.title or "Refused"
    print(f"lentra: {styled(title, 'bad', sys.stderr)}: {problem}", file=sys.stderr)
    if problem.rule:
        print(f"  rule: {problem.rule}", file=sys.stderr)
    for conflict in problem.conflicts[:8]:
        print(f"  in the way: {_in_the_way(conflict)}", file=sys.stderr)
    if len(problem.conflicts) > 8:
        print(f"  and {len(problem.conflicts) - 8} more", file=sys.stderr)
    if problem.suggestions:
        between = "; " if any(", " in text for text in problem.suggestions) else ", "
        words = between.join(as_option(text) for text in problem.suggestions[:5])
        print(f"  would work: {words}", file=sys.stderr)
    if problem.request_id and problem.status >= 500:
        print(f"  request: {problem.request_id}", file=sys.stderr)


def _in_the_way(conflict: dict[str, Any]) -> str:
    """What stands in the way, and what to do about it where that is said."""
    if "mend" in conflict:
        owner = f" ({conflict['owner']})" if conflict.get("owner") else ""
        why = f": {conflict['why']}" if "why" in conflict else ""
        return f"{conflict.get('range')}{owner}{why}; {conflict['mend']}"
    told = {k: v for k, v in conflict.items() if k not in ("range", "id", "keep_out")}
    return f"{conflict.get('range')} ({cell(told)})"


if __name__ == "__main__":
    sys.exit(main())
