"""What every command works with: where the service is, who signs in, and asking before a change."""

from __future__ import annotations

import argparse
import json
import os
import sys
from collections.abc import Callable
from pathlib import Path
from typing import Any

from lentra.cli.output import show_notes, styled
from lentra.client import Answer, Client

DONE, REFUSED, WRONG_USE, NOT_ALLOWED = 0, 1, 2, 3


class WrongUse(Exception):
    """The command was called in a way that cannot work; the message says what would."""


def sign_in_file() -> Path:
    """Where `lentra sign-in` keeps address and token."""
    base = os.environ.get("XDG_CONFIG_HOME") or Path.home() / ".config"
    return Path(base) / "lentra" / "sign-in.json"


def keep_sign_in(url: str, token: str) -> Path:
    """Keep address and token in a file that only its owner can read."""
    path = sign_in_file()
    path.parent.mkdir(parents=True, exist_ok=True)
    with os.fdopen(os.open(path, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600), "w") as file:
        json.dump({"url": url, "token": token}, file)
    return path


def client_for(options: argparse.Namespace) -> Client:
    """The client, from the options, LENTRA_URL and LENTRA_TOKEN, or what `lentra sign-in` kept."""
    kept = json.loads(sign_in_file().read_text()) if sign_in_file().exists() else {}
    url = options.url or os.environ.get("LENTRA_URL") or kept.get("url")
    token = os.environ.get("LENTRA_TOKEN") or kept.get("token")
    if not url or not token:
        raise WrongUse("nobody is signed in: lentra sign-in http://127.0.0.1:8460")
    return Client(url, token)


def confirmed_change(
    options: argparse.Namespace,
    call: Callable[[bool], Answer],
    describe: Callable[[Any], str],
) -> Answer | None:
    """Preview a change, show it, ask, do it. None if the answer was no.

    Args:
        call: makes the call; its argument says whether as a preview.
        describe: what the preview's result means, in words.
    """
    if options.preview:
        seen = call(True)
        print("Would " + describe(seen.result))
        show_notes(seen.notes)
        return None
    if not options.yes:
        if not sys.stdin.isatty():
            raise WrongUse("nobody can be asked here: add --yes to go ahead, or --preview to look only")
        seen = call(True)
        print("This will " + describe(seen.result))
        show_notes(seen.notes)
        if not agreed("Go ahead?"):
            print("Nothing was changed.")
            return None
    done = call(False)
    print(styled("Done: ", "good") + describe(done.result))
    if options.yes:
        show_notes(done.notes)
    return done


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


def add_change_options(parser: argparse.ArgumentParser) -> None:
    """The options that all changing commands share."""
    parser.add_argument("--preview", action="store_true", help="show what would be done, change nothing")
    parser.add_argument("--yes", "-y", action="store_true", help="do not ask")
    parser.add_argument("--why", default="", help="the reason, for the ledger")
