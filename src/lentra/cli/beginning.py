"""A guided beginning: step by step, shown whole, then committed."""

from __future__ import annotations

import argparse
import sys
import textwrap
from typing import Any

from lentra.cli.context import DONE, REFUSED, WrongUse, add_change_options, agreed, client_for
from lentra.cli.estate import show_estate, sums_of
from lentra.cli.output import styled


def add_commands(commands: Any) -> None:
    """Add ``begin``."""
    command = commands.add_parser(
        "begin",
        help="a first layout, step by step: realm, places, tiers, project, pool, plan",
        epilog="example: lentra begin --set realm=quay --set zones=quay-1,quay-2 --set tiers=edge,app "
        "--set range=10.99.0.0/16 --preview",
    )
    command.add_argument(
        "--set",
        dest="answers",
        action="append",
        default=[],
        metavar="NAME=ANSWER",
        help="an answer beforehand, which is not asked for; may be repeated",
    )
    add_change_options(command)
    command.set_defaults(run=_begin)


def _begin(options: argparse.Namespace) -> int:
    client = client_for(options)
    answers = dict(_answer(text) for text in options.answers)
    if sys.stdin.isatty() and not options.yes:
        for n, step in enumerate(steps := client.begin_steps(), 1):
            open_questions = [question for question in step["questions"] if question["name"] not in answers]
            if not open_questions:
                continue
            print(styled(f"\n{n} of {len(steps)}: {step['title']}", "bold"))
            print(textwrap.fill(step["words"], 100))
            for question in open_questions:
                more = f" ({question['help']})" if question["help"] else ""
                usual = f" [{question['usual']}]" if question["usual"] else ""
                said = input(f"{question['label']}{more}{usual}: ").strip()
                answers[question["name"]] = said or question["usual"]
    made = client.beginning(**answers)
    seen = client.commit_estate(made["text"], files=made["files"], preview=True, why=options.why)
    if options.output == "table":
        print(f"\n{made['text']}")
        for name, text in made["files"].items():
            print(f"{styled(name, 'bold')}\n{text}")
    show_estate(seen, options.output, absent=False)
    if not seen.result["possible"]:
        return REFUSED
    if options.preview:
        return DONE
    if not options.yes:
        if not sys.stdin.isatty():
            raise WrongUse("nobody can be asked here: add --yes to go ahead, or --preview to look only")
        if not agreed("Make all of it?"):
            print("Nothing was changed.")
            return DONE
    with client.following(seen.proposal):
        done = client.commit_estate(made["text"], files=made["files"], why=options.why)
    if options.output == "table":
        print(styled("Done: ", "good") + sums_of(done.result))
        print("Look at it: lentra plan list, lentra list, lentra usage")
    return DONE


def _answer(text: str) -> tuple[str, str]:
    name, is_given, answer = text.partition("=")
    if not is_given:
        raise WrongUse(f"{text!r} is no answer: write name=answer, such as realm=quay")
    return name, answer
