"""Signing in, who one is, and one's tokens."""

from __future__ import annotations

import argparse
import getpass
import platform
import re
import sys
from collections.abc import Callable
from contextlib import suppress
from typing import TYPE_CHECKING, Any

from lentra.cli.context import DONE, WrongUse, add_change_options, client_for, confirmed_change
from lentra.cli.looking import given
from lentra.cli.options import Several, add_limit
from lentra.cli.output import show_list, show_notes, show_record, show_rows
from lentra.cli.signed_in import keep, read_sign_ins, service_meant

if TYPE_CHECKING:
    from lentra.client import Answer


def add_commands(commands: Any) -> None:
    """Add the commands of this file."""
    command = commands.add_parser("sign-in", help="sign in and keep a token", epilog=_EXAMPLE)
    command.add_argument("service", help="where the service is, such as http://127.0.0.1:8460")
    command.add_argument("--name", help="your name; asked for if left out")
    how = command.add_mutually_exclusive_group()
    how.add_argument("--token", action="store_true", help="give a token instead of name and password")
    how.add_argument(
        "--browser",
        action="store_true",
        help="sign in in a browser on this machine, in any way that the service has",
    )
    how.add_argument("--code", action="store_true", help="the same in a browser elsewhere, which shows a code")
    command.add_argument("--place", help="a short name for the service, for --at")
    command.set_defaults(run=_sign_in)

    command = commands.add_parser(
        "sign-out",
        help="revoke the token that is kept here, and forget it",
        epilog="example: lentra sign-out --help  (it is the token of the service that is meant: see --at)",
    )
    command.set_defaults(run=_sign_out)
    command = commands.add_parser("places", help="where one is signed in", epilog="example: lentra places")
    command.set_defaults(run=_places)

    command = commands.add_parser("who", help="who am I?", epilog="example: lentra who")
    command.set_defaults(run=_who)
    command = commands.add_parser(
        "password",
        help="change your password",
        epilog="example: lentra password --help  (the present one and the new one are asked for, or read as two lines)",
    )
    command.add_argument("--revoke-tokens", action="store_true", help="make all your tokens useless as well")
    command.set_defaults(run=_change_password)
    command = commands.add_parser(
        "told",
        help="set how you are told by mail: at once, daily, never",
        epilog="example: lentra told daily --email petra@ferry.example --preview",
    )
    command.add_argument(
        "mail", nargs="?", choices=["at-once", "daily", "never"], help="how; as before, if left out"
    )
    command.add_argument("--email", help="where mail goes to")
    add_change_options(command)
    command.set_defaults(run=_told)
    parser = commands.add_parser(
        "second-factor",
        help="sign in with a one-time code as well",
        epilog="example: lentra second-factor set-up --help  (an authenticator is set up, and a code of it asked for)",
    )
    verbs = parser.add_subparsers(dest="verb", required=True, metavar="VERB")
    command = verbs.add_parser(
        "set-up",
        help="set one up: an authenticator's secret, confirmed by a code",
        epilog="example: lentra second-factor set-up --help  (a code is asked for, or read as a line)",
    )
    command.set_defaults(run=_set_up_second_factor)
    command = verbs.add_parser(
        "off",
        help="turn it off, by a code or a recovery code",
        epilog="example: lentra second-factor off --help  (a code is asked for, or read as a line)",
    )
    command.set_defaults(run=_second_factor_off)
    parser = commands.add_parser("session", help="sessions of the console", epilog="example: lentra session list")
    verbs = parser.add_subparsers(dest="verb", required=True, metavar="VERB")
    command = verbs.add_parser("list", help="list them; an admin sees all", epilog="example: lentra session list")
    command.add_argument("--person", action=Several, help="of this person; several with commas")
    command.add_argument("--order", choices=["newest", "oldest"], help="how to order them")
    add_limit(command)
    command.set_defaults(run=_sessions)
    command = verbs.add_parser("end", help="end one", epilog="example: lentra session end --help")
    command.add_argument("number", type=int, help="its number")
    add_change_options(command)
    command.set_defaults(run=_end_session)
    _add_token_commands(commands)


_EXAMPLE = """example: lentra sign-in http://127.0.0.1:8460 --name petra
A password or token is read from the terminal, or from standard input if that is none. With --browser a browser is opened,
where one signs in, by single sign-on as well, and lets the terminal in; with --code it may be on another machine."""


def _sign_in(options: argparse.Namespace) -> int:
    from lentra.client import Client, LentraError, sign_in, sign_in_with_code, ways_to_sign_in
    from lentra.client.errors import SecondFactorNeeded

    sign_ins = read_sign_ins()
    address = options.service.rstrip("/")
    if "://" not in address:
        raise WrongUse(f"{address!r} is no address of a service: write it as http://{address}")
    host = re.sub(r"[^a-z0-9-]", "-", platform.node().lower())[:40].strip("-") or "terminal"
    kept_as = f"cli-{host}"
    by_browser = options.browser or options.code
    if not (by_browser or options.token or options.name) and ways_to_sign_in(address)["password"] == "nobody":
        by_browser = True
    if options.token:
        token = _secret("Token: ")
        person = Client(address, token).me()
    elif by_browser:
        from lentra.cli.by_browser import code_brought, code_by_browser

        brought = code_brought(address, kept_as, _asked) if options.code else code_by_browser(address, kept_as)
        token, person = sign_in_with_code(address, *brought)
    else:
        name = options.name or _asked("Name: ")
        password = _secret("Password: ")
        try:
            token, person = sign_in(address, name, password, kept_as)
        except SecondFactorNeeded:
            token, person = sign_in(address, name, password, kept_as, _secret("Code of your authenticator: "))
        if old := sign_ins.tokens.get(address):
            with suppress(LentraError):  # the one that was kept is of no use any more
                Client(address, old, retries=0).sign_out()
    sign_ins.add(address, token, options.place)
    path = keep(sign_ins)
    print(f"Signed in as {person['name']} ({person['role']}); the token is in {path}")
    return DONE


def _set_up_second_factor(options: argparse.Namespace) -> int:
    client = client_for(options)
    made = client.set_up_second_factor()
    print("Give this secret to your authenticator, or the address below to a QR code:")
    print(f"  {made['secret']}\n  {made['uri']}", flush=True)
    done = client.confirm_second_factor(_secret("A code that it shows: "))
    print("It counts from now on. Recovery codes, each good for one sign-in, shown this once:")
    print("\n".join(f"  {code}" for code in done.result["recovery"]))
    return DONE


def _second_factor_off(options: argparse.Namespace) -> int:
    client_for(options).turn_off_second_factor(_secret("A code, or a recovery code: "))
    print("No code is asked for any more.")
    return DONE


def _sessions(options: argparse.Namespace) -> int:
    filters = {name: value for name in ("person", "order") if (value := getattr(options, name))}
    show_list(options, client_for(options).sessions.list, filters, ("id", "person", "begun_at", "peer", "agent"))
    return DONE


def _end_session(options: argparse.Namespace) -> int:
    client = client_for(options)

    def call(preview: bool) -> Answer:
        return client.sessions.remove(options.number, preview=preview, why=options.why)

    confirmed_change(options, call, lambda one: f"end the session of {one['person']['name']} from {one['peer']}")
    return DONE


def _told(options: argparse.Namespace) -> int:
    if options.mail is None and options.email is None:
        raise WrongUse("say how, or where mail goes to: lentra told daily --email you@ferry.example")
    client = client_for(options)
    how = options.mail and options.mail.replace("-", " ")

    def call(preview: bool) -> Answer:
        return client.told_by_mail(email=options.email, mail=how, preview=preview)

    confirmed_change(
        options, call, lambda me: f"tell {me['name']} by mail {me['mail']}, at {me['email'] or 'no address yet'}"
    )
    return DONE


def _sign_out(options: argparse.Namespace) -> int:
    from lentra.client import Client
    from lentra.client.errors import NotSignedIn

    address, token = service_meant(options.url)
    with suppress(NotSignedIn):  # ended already
        Client(address, token).sign_out()
    sign_ins = read_sign_ins()
    sign_ins.forget(address)
    keep(sign_ins)
    print(f"Signed out at {address}: the token is revoked.")
    return DONE


def _places(options: argparse.Namespace) -> int:
    sign_ins = read_sign_ins()
    names = {url: place for place, url in sign_ins.places.items()}
    rows = [
        {
            "place": names.get(url),
            "service": url,
            "usual": url == sign_ins.usual,
            "signed_in": url in sign_ins.tokens,
        }
        for url in sorted({*sign_ins.tokens, *sign_ins.places.values()})
    ]
    show_rows(rows, ("place", "service", "usual", "signed_in"), options.output)
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
    return _line(prompt)


def _asked(prompt: str) -> str:
    if sys.stdin.isatty():
        return input(prompt)
    return _line(prompt)


def _line(prompt: str) -> str:
    line = sys.stdin.readline()
    if not line:
        raise WrongUse(f"{prompt.strip(': ').lower()} is asked for, and standard input has ended")
    return line.rstrip("\n")


def _add_token_commands(commands: Any) -> None:
    parser = commands.add_parser("token", help="your tokens", epilog="example: lentra token list")
    verbs = parser.add_subparsers(dest="verb", required=True, metavar="VERB")
    command = verbs.add_parser("list", help="list tokens", epilog="example: lentra token list")
    command.add_argument("--person", action=Several, help="of this person (admins); several with commas")
    command.add_argument("--usable", action=argparse.BooleanOptionalAction, help="neither revoked nor expired")
    add_limit(command)
    command.set_defaults(run=_list_tokens)
    command = verbs.add_parser(
        "add", help="make one; its text is shown once", epilog="example: lentra token add pipeline --preview"
    )
    command.add_argument("name", help="what it is for")
    command.add_argument("--person", help="for somebody else (admins)")
    command.add_argument("--expires-at", dest="expires_at", help="such as 2027-01-01T00:00:00Z")
    command.add_argument("--role", help="the role that it reaches at most, such as viewer: it then only reads")
    command.add_argument(
        "--project",
        dest="projects",
        action=Several,
        help="for these projects alone; several with commas",
    )
    for name, words in _LIMITS.items():
        command.add_argument(f"--{name[:-1]}", dest=name, action=Several, help=f"{words}; several with commas")
    add_change_options(command)
    command.set_defaults(run=_add_token)
    command = verbs.add_parser(
        "rotate",
        help="make the successor of one; both live for a while",
        epilog="example: lentra token rotate 4711 --overlap-hours 48",
    )
    command.add_argument("ref", help="its number")
    command.add_argument(
        "--overlap-hours", type=int, default=24, help="how long the former one goes on; 24, if not said"
    )
    command.add_argument("--expires-at", dest="expires_at", help="when the successor ends; else it lasts as long")
    add_change_options(command)
    command.set_defaults(run=_rotate_token)
    command = verbs.add_parser("revoke", help="make one useless", epilog="example: lentra token revoke 4711")
    command.add_argument("ref", help="its number")
    add_change_options(command)
    command.set_defaults(run=_revoke_token)


_LIMITS = {
    "scopes": "these calls alone, of read, ask, give-back, plan, set-up; what changes nothing is always reached",
    "realms": "in these realms alone",
    "pools": "from these pools alone",
    "networks": "used from these prefixes alone",
}


def _list_tokens(options: argparse.Namespace) -> int:
    columns = (
        "id",
        "name",
        "person",
        "role",
        "scopes",
        "projects",
        "realms",
        "pools",
        "networks",
        "expires_at",
        "last_used_on",
        "revoked_at",
    )
    of = {name: value for name in ("person", "usable") if (value := getattr(options, name)) is not None}
    show_list(options, client_for(options).tokens.list, of, columns)
    return DONE


def _add_token(options: argparse.Namespace) -> int:
    client = client_for(options)
    values = given(options, "name", "person", "expires_at", "role", "projects", *_LIMITS)

    def call(preview: bool) -> Answer:
        return client.tokens.add(preview=preview, why=options.why, **values)

    return _told_once(options, call, "make token {name} of {person[name]}")


def _rotate_token(options: argparse.Namespace) -> int:
    client = client_for(options)

    def call(preview: bool) -> Answer:
        return client.tokens.rotate(
            options.ref,
            overlap_hours=options.overlap_hours,
            expires_at=options.expires_at,
            preview=preview,
            why=options.why,
        )

    return _told_once(options, call, "make the successor of token {name} of {person[name]}")


def _told_once(options: argparse.Namespace, call: Callable[[bool], Answer], words: str) -> int:
    """Make a token and tell its text, which is told once."""
    done = confirmed_change(options, call, lambda token: words.format_map(token))
    if done and options.output == "table":
        print(done.result["text"] or "The answer with its text was lost: revoke it and make another.")
    return DONE


def _revoke_token(options: argparse.Namespace) -> int:
    client = client_for(options)

    def call(preview: bool) -> Answer:
        return client.tokens.remove(options.ref, preview=preview, why=options.why)

    confirmed_change(options, call, lambda token: f"revoke token {token['name']}")
    return DONE
