"""Signing in, who one is, and one's tokens."""

from __future__ import annotations

import argparse
import getpass
import platform
import re
import sys
from typing import Any

from lentra.cli.context import DONE, WrongUse, add_change_options, client_for, confirmed_change, keep_sign_in
from lentra.cli.output import show_notes, show_record, show_rows
from lentra.client import Answer, Client, sign_in


def add_commands(commands: Any) -> None:
    """Add the commands of this file."""
    command = commands.add_parser("sign-in", help="sign in and keep a token", epilog=_EXAMPLE)
    command.add_argument("service", help="where the service is, such as http://127.0.0.1:8460")
    command.add_argument("--name", help="your name; asked for if left out")
    command.add_argument("--token", action="store_true", help="give a token instead of name and password")
    command.set_defaults(run=_sign_in)

    command = commands.add_parser("who", help="who am I?", epilog="example: lentra who")
    command.set_defaults(run=_who)
    command = commands.add_parser(
        "password",
        help="change your password",
        epilog="example: lentra password --help  (the present one and the new one are asked for, or read as two lines)",
    )
    command.add_argument("--revoke-tokens", action="store_true", help="make all your tokens useless as well")
    command.set_defaults(run=_change_password)
    _add_token_commands(commands)


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


def _change_password(options: argparse.Namespace) -> int:
    current, new = _secret("Present password: "), _secret("New password: ")
    if sys.stdin.isatty() and _secret("New password again: ") != new:
        raise WrongUse("the two new passwords differ: nothing was changed")
    done = client_for(options).change_password(current, new, revoke_tokens=options.revoke_tokens)
    show_notes(done.notes)
    print("Your password is changed; sessions elsewhere have ended.")
    return DONE


def _secret(prompt: str) -> str:
    if sys.stdin.isatty():
        return getpass.getpass(prompt)
    return sys.stdin.readline().rstrip("\n")


def _add_token_commands(commands: Any) -> None:
    parser = commands.add_parser("token", help="your tokens", epilog="example: lentra token list")
    verbs = parser.add_subparsers(dest="verb", required=True, metavar="VERB")
    command = verbs.add_parser("list", help="list tokens", epilog="example: lentra token list")
    command.set_defaults(run=_list_tokens)
    command = verbs.add_parser(
        "add", help="make one; its text is shown once", epilog="example: lentra token add pipeline --preview"
    )
    command.add_argument("name")
    command.add_argument("--person", help="for somebody else (admins)")
    command.add_argument("--expires-at", dest="expires_at", help="such as 2027-01-01T00:00:00Z")
    command.add_argument("--role", help="the role that it reaches at most, such as viewer: it then only reads")
    command.add_argument(
        "--project", dest="projects", action="append", help="a project for which alone it asks and changes"
    )
    add_change_options(command)
    command.set_defaults(run=_add_token)
    command = verbs.add_parser("revoke", help="make one useless", epilog="example: lentra token revoke 4711")
    command.add_argument("ref", help="its number")
    add_change_options(command)
    command.set_defaults(run=_revoke_token)


def _list_tokens(options: argparse.Namespace) -> int:
    columns = ("id", "name", "person", "role", "projects", "expires_at", "revoked_at", "made_by")
    show_rows(client_for(options).tokens.list(), columns, options.output)
    return DONE


def _add_token(options: argparse.Namespace) -> int:
    client = client_for(options)
    values = {
        n: v
        for n in ("name", "person", "expires_at", "role", "projects")
        if (v := getattr(options, n)) is not None
    }

    def call(preview: bool) -> Answer:
        return client.tokens.add(preview=preview, why=options.why, **values)

    done = confirmed_change(
        options, call, lambda token: f"make token {token['name']} of {token['person']['name']}"
    )
    if done:
        print(done.result["text"] or "The answer with its text was lost: revoke it and make another.")
    return DONE


def _revoke_token(options: argparse.Namespace) -> int:
    client = client_for(options)

    def call(preview: bool) -> Answer:
        return client.tokens.remove(options.ref, preview=preview, why=options.why)

    confirmed_change(options, call, lambda token: f"revoke token {token['name']}")
    return DONE
