"""Where the services are that somebody signed in to, and the token of each: kept in a file that only its owner can read.

A token belongs to the address that it was made at and is never sent to another. A place is a short name for an address.
"""

from __future__ import annotations

import json
import os
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from lentra.cli.options import WrongUse


@dataclass
class SignIns:
    """The services known here: tokens by address, addresses by place, and which is meant if nothing is said."""

    tokens: dict[str, str] = field(default_factory=dict)
    places: dict[str, str] = field(default_factory=dict)
    usual: str | None = None

    def address(self, given: str | None) -> str | None:
        """The address that is meant: a URL as it is, a place by name, or the usual one."""
        if given is None:
            return self.usual
        if "://" in given:
            return given.rstrip("/")
        if given not in self.places:
            known = ", ".join(self.places) or "none yet: lentra sign-in URL --place NAME"
            raise WrongUse(f"{given!r} is neither an address nor a place; known places: {known}")
        return self.places[given]

    def add(self, address: str, token: str, place: str | None) -> None:
        """Keep a token of a service, which is the usual one from now on."""
        self.usual = address.rstrip("/")
        self.tokens[self.usual] = token
        if place:
            self.places[place] = self.usual

    def forget(self, address: str) -> None:
        """Forget the token of a service, and its places."""
        self.tokens.pop(address, None)
        self.places = {place: url for place, url in self.places.items() if url != address}
        if self.usual == address:
            self.usual = next(iter(self.tokens), None)


def sign_in_file() -> Path:
    """Where they are kept."""
    base = os.environ.get("XDG_CONFIG_HOME") or Path.home() / ".config"
    return Path(base) / "lentra" / "sign-in.json"


def read_sign_ins() -> SignIns:
    """What is kept.

    Raises:
        WrongUse: the file is not what this program writes.
    """
    path = sign_in_file()
    try:
        kept: dict[str, Any] = json.loads(path.read_text())
        return SignIns(dict(kept["tokens"]), dict(kept["places"]), kept["usual"])
    except FileNotFoundError:
        return SignIns()
    except (OSError, ValueError, KeyError, TypeError):
        raise WrongUse(f"{path} cannot be read: remove it, then sign in again")


def keep(sign_ins: SignIns) -> Path:
    """Keep them in a file that only its owner can read."""
    path = sign_in_file()
    path.parent.mkdir(parents=True, exist_ok=True)
    with os.fdopen(os.open(path, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600), "w") as file:
        json.dump(vars(sign_ins), file, indent=2)
    return path


def service_meant(given: str | None) -> tuple[str, str]:
    """Address and token: of --url or --at, of LENTRA_URL, or of where one signed in last.

    LENTRA_TOKEN is of LENTRA_URL, and of nothing else; without LENTRA_URL, of where one signed in last.

    Raises:
        WrongUse: nobody is signed in there.
    """
    sign_ins = read_sign_ins()
    of_environment = sign_ins.address(os.environ.get("LENTRA_URL") or None)
    address = sign_ins.address(given) or of_environment
    if not address:
        raise WrongUse("nobody is signed in: lentra sign-in http://127.0.0.1:8460")
    token = sign_ins.tokens.get(address)
    if address == of_environment:
        token = os.environ.get("LENTRA_TOKEN") or token
    if not token:
        others = ", ".join(sign_ins.tokens)
        more = f" (signed in at {others}; a token is never sent to another service)" if others else ""
        raise WrongUse(f"nobody is signed in at {address}: lentra sign-in {address}{more}")
    return address, token
