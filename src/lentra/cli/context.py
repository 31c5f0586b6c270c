"""What every command works with: the client, and looking before a change."""

from __future__ import annotations

import argparse
import sys
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, Any

from lentra.cli.options import WrongUse as WrongUse
from lentra.cli.output import cell, show_notes, show_record, show_rows, styled

if TYPE_CHECKING:
    from lentra.client import Answer, Client

DONE, REFUSED, WRONG_USE, NOT_ALLOWED, NOT_FOUND, NOT_REACHABLE = range(6)
_MOST_CHANGES = 12
_NOT_TOLD = ("place", "name_stem", "created_at", "changed_at")


def client_for(options: argparse.Namespace) -> Client:
    """The client of the service that is meant: one for the whole command."""
    from lentra.cli.signed_in import service_meant
    from lentra.client import Client

    if getattr(options, "client", None) is None:
        options.client = Client(*service_meant(options.url))
    return options.client


def confirmed_change(
    options: argparse.Namespace,
    call: Callable[[bool], Answer],
    describe: Callable[[Any], str],
    answers: list[Answer] | None = None,
    *,
    by_record: bool = True,
) -> Answer | None:
    """Preview a change, show it, ask, do exactly that. None if it was a preview, or the answer was no.

    With another format than a table, standard output has the whole answer, and the words go to standard error.

    Args:
        call: makes the call; its argument says whether as a preview.
        describe: what the answer's result means, in words.
        answers: where the answer goes, if it is one of several that are shown together: see `show_answers`.
        by_record: tell each record that changes; not where the caller shows it better.
    """
    talk = sys.stdout if options.output == "table" else sys.stderr
    with client_for(options).telling(**asking_said(options)):
        return _confirmed(options, call, describe, answers, talk, by_record)


def _confirmed(
    options: argparse.Namespace,
    call: Callable[[bool], Answer],
    describe: Callable[[Any], str],
    answers: list[Answer] | None,
    talk: Any,
    by_record: bool,
) -> Answer | None:
    if options.preview:
        seen = call(True)
        _tell("Would ", seen, describe, talk, by_record)
        _show_answer(seen, options, answers)
        return None
    proposal = None
    if not options.yes:
        if not sys.stdin.isatty():
            raise WrongUse("nobody can be asked here: add --yes to go ahead, or --preview to look only")
        seen = call(True)
        _tell("This will ", seen, describe, talk, by_record)
        if not agreed("Go ahead?"):
            print("Nothing was changed.", file=talk)
            return None
        proposal = seen.proposal
    with client_for(options).following(proposal):
        done = call(False)
    if done.waits:
        print(styled("Asked: ", "warn", talk) + f"it has to {waits_in_words(done.waits)}", file=talk)
    else:
        print(styled("Done: ", "good", talk) + describe(done.result), file=talk)
    if options.yes and not done.waits:
        show_notes(done.notes)
    _show_answer(done, options, answers)
    return done


def _tell(word: str, seen: Answer, describe: Callable[[Any], str], talk: Any, by_record: bool) -> None:
    print(word + describe(seen.result), file=talk)
    if seen.waits:
        print(styled("but first has to ", "warn", talk) + waits_in_words(seen.waits), file=talk)
    changes = seen.changes if by_record else []
    for change in changes[:_MOST_CHANGES]:
        if lines := _in_lines(change):
            print(styled(f"  {change['verb']} {change['kind']} {change['name']}", "dim", talk), file=talk)
            print("\n".join(f"    {line}" for line in lines), file=talk)
    if len(changes) > _MOST_CHANGES:
        print(f"  and {len(changes) - _MOST_CHANGES} more changes of records", file=talk)
    show_notes(seen.notes)


def _in_lines(change: dict[str, Any]) -> list[str]:
    """What is set, before beside after; of what is new, every value."""
    before, after = change["before"] or {}, change["after"] or {}
    lines = []
    for name, value in after.items():
        if name.endswith("_id") or name in _NOT_TOLD or (not before and value in (None, "", [], {}, "none")):
            continue
        was = f"{cell(before[name])} → " if name in before else ""
        lines.append(f"{name.replace('_', ' ')}: {was}{cell(value)}")
    return lines


def _show_answer(answer: Answer, options: argparse.Namespace, answers: list[Answer] | None) -> None:
    if answers is not None:
        answers.append(answer)
    elif options.output != "table":
        show_record(vars(answer), options.output)


def show_answers(answers: list[Answer], options: argparse.Namespace) -> None:
    """The answers of several changes: one as it is, more as a list."""
    if options.output == "table":
        return
    if not answers:
        return
    if len(answers) == 1:
        show_record(vars(answers[0]), options.output)
    else:
        show_rows([vars(answer) for answer in answers], ("preview", "result", "notes"), options.output)


def read_file(name: str) -> str:
    """The text of a file; ``-`` is standard input.

    Raises:
        WrongUse: it cannot be read.
    """
    if name == "-":
        return sys.stdin.read()
    try:
        return Path(name).read_text()
    except OSError as why:
        raise WrongUse(f"{name} cannot be read: {why.strerror}")
    except UnicodeDecodeError:
        raise WrongUse(f"{name} is not text in UTF-8")


def agreed(question: str) -> bool:
    """Ask on the terminal; no is the default."""
    try:
        return input(f"{question} [y/N] ").strip().lower() in ("y", "yes")
    except EOFError:
        return False


def add_asking_options(parser: argparse.ArgumentParser) -> None:
    """What is told with something that may wait for a planner."""
    told = parser.add_argument_group("should it wait for a planner")
    told.add_argument("--needed-by", help="the day by which it is needed, such as 2027-01-31")
    told.add_argument("--link", action="append", help="where more is found; may be repeated")
    parser.set_defaults(asking=True)
    told.add_argument("--instead-of", type=int, metavar="NUMBER", help="the waiting request that it replaces")


def asking_said(options: argparse.Namespace) -> dict[str, Any]:
    """What these options say."""
    if not getattr(options, "asking", False):
        return {}
    names = ("needed_by", "link", "instead_of")
    return {name: value for name in names if (value := getattr(options, name, None)) is not None}


def waits_in_words(waits: dict[str, Any]) -> str:
    """That something waits, as a sentence."""
    number = f" as request {waits['request']}" if waits["request"] else ""
    held = "; what was shown is held until then" if waits["holds"] else ""
    return f"wait for a planner{number}, until {waits['lapses_at']} at most{held}\n  rule {waits['rule']}: {waits['words']}"


def add_change_options(parser: argparse.ArgumentParser) -> None:
    """The options that all changing commands share."""
    parser.add_argument("--preview", action="store_true", help="show what would be done, change nothing")
    parser.add_argument("--yes", "-y", action="store_true", help="do not ask")
    parser.add_argument("--why", default="", help="the reason, for the ledger")
