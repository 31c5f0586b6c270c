"""How often somebody may try to sign in, and what a password must be."""

from __future__ import annotations

from datetime import timedelta
from ipaddress import ip_address, ip_network

from django.contrib.auth.password_validation import validate_password
from django.core.exceptions import ValidationError

from lentra.registry.errors import Invalid
from lentra.registry.models import Person

FREE_TRIES = {"name": 5, "peer": 30}  # failed ones that cost no time
FIRST_WAIT = timedelta(seconds=4)
LONGEST_WAIT = timedelta(minutes=15)
FORGOTTEN_AFTER = timedelta(days=1)
LOCAL_SIGN_INS = ("everybody", "admins", "nobody")  # who signs in by name and password
CODES_KEPT = timedelta(days=1)  # hashes of what signs in once, so that it does so once
FEWEST_CHARACTERS = 5  # different ones in a password


def wait_after(kind: str, failed: int) -> timedelta:
    """How long the next try must wait after so many that failed: doubled each time, up to `LONGEST_WAIT`."""
    beyond = failed - FREE_TRIES[kind]
    if beyond < 0:
        return timedelta(0)
    return min(FIRST_WAIT * 2 ** min(beyond, 20), LONGEST_WAIT)


def peer_network(peer: str) -> str:
    """What counts as one peer: an IPv4 address, or the /64 of an IPv6 one (RFC 4291, section 2.5.4)."""
    try:
        address = ip_address(peer)
    except ValueError:
        return peer[:40]
    return str(address) if address.version == 4 else str(ip_network(f"{address}/64", strict=False))


def check_password_rules(password: str, person: Person, field: str = "password") -> None:
    """Refuse a password that is easily guessed.

    Raises:
        Invalid: with all that is wrong with it.
    """
    try:
        validate_password(password, person)
    except ValidationError as failure:
        raise Invalid(" ".join(failure.messages), field=field, rule="a password that nobody guesses")


class NotRepeated:
    """A validator of passwords for Django: neither a short text over and over, nor few different characters."""

    def validate(self, password: str, user: Person | None = None) -> None:
        """Refuse a password that is longer than it is hard."""
        repeated = password in (password + password)[1:-1]
        if repeated or len(set(password)) < FEWEST_CHARACTERS:
            raise ValidationError(self.get_help_text(), code="password_repeats")

    def get_help_text(self) -> str:
        """The rule in words."""
        return f"This password repeats itself, or has fewer than {FEWEST_CHARACTERS} different characters."
