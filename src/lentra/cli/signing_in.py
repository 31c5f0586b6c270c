"""Signing in, and who one is."""

from __future__ import annotations

import argparse
import getpass
import platform
import re
import sys
from typing import Any

from lentra.cli.context import DONE, client_for, keep_sign_in
from lentra.cli.output import show_record
from lentra.client import Client, sign_in


def add_commands(commands: Any) -> None:
    """Add ``sign-in`` and ``who``."""
    command = commands.add_parser("sign-in", help="sign in and keep a token", epilog=_EXAMPLE)
    command.add_argument("service", help="where the service is, such as http://127.0.0.1:8460")
    command.add_argument("--name", help="your name; asked for if left out")
    command.add_argument("--token", action="store_true", help="give a token instead of name and password")
    command.set_defaults(run=_sign_in)

    command = commands.add_parser("who", help="who am I?", epilog="example: lentra who")
    command.set_defaults(run=_who)


_EXAMPLE = """example: lentra sign-in http://127.0.0.1:8460 --name petra
A password or token is read from the terminal, or from standard input if that is none."""


def _sign_in(options: argparse.Namespace) -> int:
    if options.token:
        token = _secret("Token: ")
        person = Client(options.service, token).me()
    else:
        name = options.name or input("Name: ")
        host = re.sub(r"[^a-z0-9-]", "-", platform.node().lower())[:40].strip("-") or "terminal"
        token, person = sign_in(options.service, name, _secret("Password: "), f"cli-{host}")
    path = keep_sign_in(options.service, token)
    print(f"Signed in as {person['name']} ({person['role']}); the token is in {path}")
    return DONE


def _who(options: argparse.Namespace) -> int:
    client = client_for(options)
    show_record({"service": client.url, **client.me()}, options.output, ("id", "version"))
    return DONE


def _secret(prompt: str) -> str:
    if sys.stdin.isatty():
        return getpass.getpass(prompt)
    return sys.stdin.readline().rstrip("\n")
