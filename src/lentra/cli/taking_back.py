"""Taking back: a change is undone by its number in the ledger."""

from __future__ import annotations

import argparse
from typing import Any

from lentra.cli.context import DONE, add_change_options, client_for, confirmed_change


def add_commands(commands: Any) -> None:
    """Add ``undo``."""
    command = commands.add_parser(
        "undo",
        help="take a change back, while nobody has built on it",
        description="All of the change that a ledger entry belongs to is taken back, by the opposite of each part. "
        "What has been built on it since is listed.",
        epilog="example: lentra undo 1234 --why 'the wrong project'",
    )
    command.add_argument("number", type=int, help="number of a ledger entry of the change: see 'lentra ledger'")
    add_change_options(command)
    command.set_defaults(run=_undo)


def _undo(options: argparse.Namespace) -> int:
    client = client_for(options)

    def describe(result: dict[str, Any]) -> str:
        return "take back:\n  " + "\n  ".join(
            f"{entry['number']}  {entry['verb']} {entry['kind']} {entry['name']}, by {entry['actor_name']}"
            for entry in result["undone"]
        )

    confirmed_change(
        options, lambda preview: client.undo(options.number, preview=preview, why=options.why), describe
    )
    return DONE
