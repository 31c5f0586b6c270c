"""Signing a terminal in by a browser that is signed in (RFC 8252), bound to the terminal by a proof of its own (RFC 7636).

The terminal makes a verifier, and sends its SHA-256, the challenge, along with whoever opens the browser. What the browser
brings back is a code that only the terminal with the verifier can turn into a token, once, within some minutes. Nothing is
kept of it before that.
"""

from __future__ import annotations

import hashlib
import hmac
import json
import re
from base64 import urlsafe_b64encode
from datetime import datetime, timedelta

from lentra.registry.errors import Invalid, NotAllowed
from lentra.registry.models import Person, Token
from lentra.registry.operations.people.spent import spend
from lentra.registry.operations.people.tokens import add_token
from lentra.registry.rules.names import check_name
from lentra.registry.rules.sealed import sealed, unsealed
from lentra.registry.transactions.change import Change
from lentra.registry.transactions.clock import Clock, SystemClock
from lentra.registry.transactions.run import run_transaction

GOOD_FOR = timedelta(minutes=5)
_CHALLENGE = re.compile(r"[A-Za-z0-9_-]{43}")  # base64url of a SHA-256 (RFC 7636, section 4.2)
_AGAIN = "lentra sign-in URL --browser"


def terminal_code(person: Person, name: str, challenge: str, now: datetime) -> str:
    """A code for the terminal that has the verifier of `challenge`: with it, it gets a token called `name`.

    Raises:
        Invalid: the name is no name, or the challenge is none.
        NotAllowed: a token asks for it.
    """
    if person.token is not None:
        raise NotAllowed("a token signs no terminal in: it is done in the console, by whoever is signed in there")
    check_name(name)
    if not _CHALLENGE.fullmatch(challenge):
        raise Invalid(
            "a challenge is the SHA-256 of a verifier in base64url, 43 characters (RFC 7636, S256)",
            field="challenge",
            received=challenge,
        )
    return sealed(json.dumps([person.pk, name, challenge, int(now.timestamp())]))


def token_for_code(code: str, verifier: str, clock: Clock | None = None) -> tuple[Token, str]:
    """The token for a terminal, and its text, which is told once.

    Raises:
        Invalid: the code is none, is of another terminal, or has ended.
        WrongState: it was used before.
        NotAllowed: the person is no longer active.
    """
    clock = clock or SystemClock()
    try:
        person_id, name, challenge, at = json.loads(unsealed(code))
    except ValueError:
        raise Invalid("this code is none that was given out here", field="code", suggestions=[_AGAIN])
    proved = urlsafe_b64encode(hashlib.sha256(verifier.encode()).digest()).rstrip(b"=").decode()
    if not hmac.compare_digest(proved, challenge):
        raise Invalid("this code is another terminal's", field="code", suggestions=[_AGAIN])
    if not 0 <= clock.now().timestamp() - at + 1 <= GOOD_FOR.total_seconds():
        minutes = GOOD_FOR.total_seconds() // 60
        raise Invalid(f"this code was good for {minutes:.0f} minutes", field="code", suggestions=[_AGAIN])
    person = Person.objects.filter(pk=person_id).first()
    if person is None or not person.active:
        raise NotAllowed("whoever gave this code is no longer active")
    made: list[tuple[Token, str]] = []

    def work(change: Change) -> None:
        spend(change, code, "this code was used before: begin again")
        made[:] = [add_token(change, person, name)]

    run_transaction(work, actor=person, clock=clock)
    return made[0]
