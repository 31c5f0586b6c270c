"""Options that many commands take, each spelled and read in one way."""

from __future__ import annotations

import argparse
import csv
import io
import sys
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any


class WrongUse(Exception):
    """The command was called in a way that cannot work; the message says what would."""


class Several(argparse.Action):
    """An option that may be given several times, and may have commas between its values.

    Each value is read by `type` and is one of `choices`, as with other options.
    """

    def __init__(
        self, *flags: Any, choices: Any = None, type: Callable[[str], Any] | None = None, **options: Any
    ) -> None:
        super().__init__(*flags, **options)
        self.allowed, self.read = list(choices or ()), type or str

    def __call__(
        self, parser: argparse.ArgumentParser, options: argparse.Namespace, values: Any, option: str | None = None
    ) -> None:
        """Add what is given to what was given before."""
        setattr(options, self.dest, [*(getattr(options, self.dest) or []), *self._read(parser, str(values))])

    def _read(self, parser: argparse.ArgumentParser, text: str) -> list[Any]:
        parts = [part.strip() for part in text.split(",") if part.strip()]
        for part in parts:
            if self.allowed and part not in self.allowed:
                parser.error(f"argument {self.option_strings[0]}: {part!r} is none of {', '.join(self.allowed)}")
        try:
            return [self.read(part) for part in parts]
        except argparse.ArgumentTypeError as fault:
            parser.error(f"argument {self.option_strings[0]}: {fault}")


@dataclass(frozen=True)
class Empty:
    """What --no-NAME sets: the field is to be empty."""

    value: Any


def read_bits(text: str) -> int:
    """A prefix length: 26 and /26 are the same."""
    digits = text.strip().removeprefix("/")
    if not digits.isascii() or not digits.isdigit() or int(digits) > 128:
        raise argparse.ArgumentTypeError(f"{text!r} is not a prefix length, such as 26 or /26")
    return int(digits)


def positive(text: str) -> int:
    """A whole number from 1."""
    if not text.isascii() or not text.isdigit() or int(text) < 1:
        raise argparse.ArgumentTypeError(f"{text!r} is not a number from 1")
    return int(text)


def read_table(path: str, columns: Sequence[str]) -> list[dict[str, str]]:
    """The rows of a CSV file, without their empty cells.

    Its first line names the columns, with commas, semicolons or tabs between them; ``-`` is what comes in.
    """
    try:
        text = sys.stdin.read() if path == "-" else Path(path).read_text(encoding="utf-8-sig")
    except (OSError, UnicodeDecodeError) as fault:
        raise WrongUse(f"{path} cannot be read: {fault}") from None
    head = text.split("\n", 1)[0]
    rows = csv.DictReader(io.StringIO(text), delimiter=max(",;\t", key=head.count), skipinitialspace=True)
    names = [(name or "").strip().lower().replace(" ", "_") for name in rows.fieldnames or ()]
    if unknown := [name for name in names if name not in columns]:
        raise WrongUse(f"{path} has a column {unknown[0]!r}: columns are {', '.join(columns)}")
    rows.fieldnames = names
    found = []
    for line, row in enumerate(rows, 2):
        if None in row:
            raise WrongUse(f"{path}, line {line}: it has more cells than there are columns")
        found.append({name: cell.strip() for name, cell in row.items() if cell and cell.strip()})
    return found


def add_limit(command: argparse.ArgumentParser, usual: int = 100) -> None:
    """How many rows of a list are shown; all of them for programs, unless a limit is given."""
    command.add_argument(
        "--limit", type=positive, help=f"at most so many ({usual} in a table, all in other formats)"
    )
    command.set_defaults(usual_limit=usual)
