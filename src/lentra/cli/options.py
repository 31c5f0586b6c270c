"""Options that many commands take, each spelled and read in one way."""

from __future__ import annotations

import argparse
from collections.abc import Callable
from dataclasses import dataclass
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


def add_limit(command: argparse.ArgumentParser, usual: int = 100) -> None:
    """How many rows of a list are shown; all of them for programs, unless a limit is given."""
    command.add_argument(
        "--limit", type=positive, help=f"at most so many ({usual} in a table, all in other formats)"
    )
    command.set_defaults(usual_limit=usual)
