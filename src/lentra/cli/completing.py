"""Completion of names from the service, with a short memory, and of fixed sets of values."""

from __future__ import annotations

import argparse
import json
import os
import time
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import argcomplete

from lentra.cli.context import WrongUse
from lentra.cli.options import Several
from lentra.cli.signed_in import service_meant

_SECONDS = 60  # that names are remembered
_MOST = 500
_KIND_OF = {  # option or argument -> collection of the client
    "realm": "realms",
    "pool": "pools",
    "parent": "pools",
    "project": "projects",
    "projects": "projects",
    "region": "regions",
    "zone": "zones",
    "tier": "tiers",
    "tiers": "tiers",
    "sheet": "rule_sheets",
    "plan": "plans",
    "reservation": "reservations",
    "person": "people",
    "subnet": "subnets",
    "dns_zone": "dns_zones",
    "what": "subnets",
}
_KIND_OF_NOUN = {
    "realm": "realms",
    "pool": "pools",
    "project": "projects",
    "region": "regions",
    "zone": "zones",
    "tier": "tiers",
    "rule-sheet": "rule_sheets",
    "plan": "plans",
    "reservation": "reservations",
    "need": "planned_needs",
    "quota": "quotas",
    "person": "people",
}


def complete(parser: argparse.ArgumentParser) -> None:
    """Answer the shell that asks for completions, and end."""
    for path, command in _all_commands(parser):
        for action in command._actions:
            collection = _KIND_OF.get(action.dest)
            if action.dest == "ref" and path:
                collection = _KIND_OF_NOUN.get(path[0])
            if isinstance(action, Several) and action.allowed:
                action.completer = argcomplete.ChoicesCompleter(tuple(action.allowed))  # type: ignore[attr-defined, arg-type]
            elif collection and not action.choices:
                action.completer = names_of(collection)  # type: ignore[attr-defined]
            elif not action.choices and action.dest not in ("file", "FILE"):
                action.completer = argcomplete.SuppressCompleter()  # type: ignore[attr-defined]
    argcomplete.autocomplete(parser)


def names_of(collection: str) -> Callable[..., list[str]]:
    """A completer of names of a kind of record."""

    def names(prefix: str, parsed_args: argparse.Namespace, **_: Any) -> list[str]:
        try:
            address, token = service_meant(getattr(parsed_args, "at", None) or getattr(parsed_args, "url", None))
        except WrongUse:
            return []
        return remembered(
            f"{address} {collection} {prefix[:3]}", lambda: _asked(address, token, collection, prefix)
        )

    return names


def _asked(address: str, token: str, collection: str, prefix: str) -> list[str]:
    from lentra.client import Client

    client = Client(address, token, timeout=2, retries=0)
    query = {"text": prefix[:3], "limit": _MOST} if prefix else {"limit": _MOST}
    rows = client.call("GET", getattr(client, collection).path, query=query).json()["results"]
    return [str(row.get("name") or row["id"]) for row in rows]


def remembered(what: str, ask: Callable[[], list[str]]) -> list[str]:
    """Names that were asked for a moment ago, or asked for now; none if the service does not answer."""
    base = Path(os.environ.get("XDG_CACHE_HOME") or Path.home() / ".cache") / "lentra"
    file = base / "names.json"
    try:
        kept = json.loads(file.read_text())
    except (OSError, ValueError):
        kept = {}
    at, names = kept.get(what, (0, []))
    if time.time() - at < _SECONDS:
        return list(names)
    try:
        names = ask()
        base.mkdir(parents=True, exist_ok=True, mode=0o700)
        fresh = {k: v for k, v in kept.items() if time.time() - v[0] < _SECONDS}
        file.write_text(json.dumps({**fresh, what: (time.time(), names)}))
    except Exception:  # the shell wants an answer, not a reason
        return []
    return names


def _all_commands(
    parser: argparse.ArgumentParser, path: tuple[str, ...] = ()
) -> Iterator[tuple[tuple[str, ...], argparse.ArgumentParser]]:
    yield path, parser
    for action in parser._actions:
        if isinstance(action, argparse._SubParsersAction):
            for name, inner in action.choices.items():
                yield from _all_commands(inner, (*path, name))
