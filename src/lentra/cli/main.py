# PYTHON_ARGCOMPLETE_OK
"""`lentra`: the registry from a terminal."""

from __future__ import annotations

import argparse
import os
import re
import sys
from typing import Any

import argcomplete

from lentra import __version__
from lentra.cli import (
    drawing,
    foreseeing,
    growing,
    inside,
    looking,
    planning,
    requesting,
    setting_up,
    signing_in,
    supposing,
    working_out,
)
from lentra.cli.context import NOT_ALLOWED, REFUSED, WRONG_USE, WrongUse
from lentra.cli.output import FORMATS, Harmless, cell, styled
from lentra.client import NotReachable, Problem

_EPILOG = """\
exit codes: 0 done, 1 refused by the registry, 2 wrong use, 3 not reachable or not allowed
completion: eval "$(register-python-argcomplete lentra)"
example: lentra show 10.41.80.1"""


def main(arguments: list[str] | None = None) -> int:
    """Run one command; returns its exit code."""
    parser = build_parser()
    argcomplete.autocomplete(parser)
    options = parser.parse_args(arguments)
    sys.stdout, sys.stderr = Harmless(sys.stdout), Harmless(sys.stderr)
    try:
        return _run(options)
    finally:
        sys.stdout, sys.stderr = sys.stdout.stream, sys.stderr.stream


def _run(options: argparse.Namespace) -> int:
    try:
        return int(options.run(options))
    except WrongUse as fault:
        print(f"lentra: {fault}", file=sys.stderr)
        return WRONG_USE
    except NotReachable as failure:
        print(f"lentra: {failure}", file=sys.stderr)
        return NOT_ALLOWED
    except Problem as problem:
        _show_problem(problem)
        return NOT_ALLOWED if problem.status in (401, 403, 503) else REFUSED
    except KeyboardInterrupt:
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
        epilog=_EPILOG,
        formatter_class=argparse.RawDescriptionHelpFormatter,
    )
    parser.add_argument("--version", action="version", version=f"lentra {__version__}")
    common = argparse.ArgumentParser(add_help=False)
    common.add_argument("--output", "-o", choices=FORMATS, default="table", help="how to show (table)")
    common.add_argument("--url", help="where the service is, if not where you signed in")
    commands = _Commands(parser.add_subparsers(dest="command", required=True, metavar="COMMAND"), common)
    signing_in.add_commands(commands)
    working_out.add_commands(commands)
    looking.add_commands(commands)
    requesting.add_commands(commands)
    planning.add_commands(commands)
    growing.add_commands(commands)
    inside.add_commands(commands)
    drawing.add_commands(commands)
    foreseeing.add_commands(commands)
    supposing.add_commands(commands)
    setting_up.add_commands(commands)
    return parser


class _Commands:
    """Adds commands that all take the common options and keep the lines of their epilog."""

    def __init__(self, subparsers: Any, common: argparse.ArgumentParser) -> None:
        self._subparsers = subparsers
        self._common = common

    def add_parser(self, name: str, **options: Any) -> Any:
        options["formatter_class"] = argparse.RawDescriptionHelpFormatter
        options.setdefault("description", options.get("help", "").capitalize() + ".")
        parser = self._subparsers.add_parser(name, parents=[self._common], **options)
        inner = parser.add_subparsers

        def add_subparsers(**settings: Any) -> _Commands:
            return _Commands(inner(**settings), self._common)

        parser.add_subparsers = add_subparsers
        return parser


def _show_problem(problem: Problem) -> None:
    title = problem.title or "Refused"
    print(f"lentra: {styled(title, 'bad', sys.stderr)}: {problem}", file=sys.stderr)
    if problem.rule:
        print(f"  rule: {problem.rule}", file=sys.stderr)
    for conflict in problem.conflicts[:8]:
        told = {k: v for k, v in conflict.items() if k not in ("range", "id", "keep_out")}
        print(f"  in the way: {conflict.get('range')} ({cell(told)})", file=sys.stderr)
    if problem.suggestions:
        words = ", ".join(_as_option(text) for text in problem.suggestions[:5])
        print(f"  would work: {words}", file=sys.stderr)


def _as_option(text: str) -> str:
    """A suggestion that names a field of the API, as the option that stands for it here."""
    named = re.fullmatch(r"([a-z_]+): (.+)", text)
    if not named:
        return text
    option = "--" + named[1].replace("_", "-")
    return option if named[2] == "true" else f"{option} {named[2]}"


if __name__ == "__main__":
    sys.exit(main())
