"""The second factor of a person: set up, confirmed, turned off, asked for at sign-in. One-time codes by time (RFC 6238)."""

from __future__ import annotations

import hashlib
import secrets
from dataclasses import dataclass
from datetime import datetime
from typing import Any

import pyotp

from lentra.registry.errors import Invalid, WrongState
from lentra.registry.lookup.locked import find_locked
from lentra.registry.models import Person, SecondFactor
from lentra.registry.rules.permissions import require
from lentra.registry.rules.sealed import sealed, unsealed
from lentra.registry.transactions.change import Change
from lentra.registry.transactions.locks import lock

STEP_SECONDS = 30
_WINDOW = 1  # steps that a clock may be off, each way
_RECOVERY = 10
ISSUER = "Lentra"


@dataclass(frozen=True)
class SetUpSecret:
    """What an authenticator is set up with: the secret (base32), and the address that a QR code shows."""

    secret: str
    uri: str


def is_on(person: Person) -> bool:
    """Whether somebody signs in with a second factor."""
    return SecondFactor.objects.filter(person=person, confirmed_at__isnull=False).exists()


def begin_second_factor(person: Person) -> SetUpSecret:
    """A secret to set an authenticator up with; it counts once a code of it is confirmed.

    Raises:
        WrongState: there is one that counts already.
    """
    if is_on(person):
        raise WrongState("a second factor is on already: turn it off first", rule="one at a time")
    secret = pyotp.random_base32()
    fresh: dict[str, Any] = {"secret": sealed(secret), "confirmed_at": None, "last_step": 0, "recovery": []}
    SecondFactor.objects.update_or_create(person=person, defaults=fresh)
    return SetUpSecret(secret, pyotp.TOTP(secret).provisioning_uri(name=person.name, issuer_name=ISSUER))


def confirm_second_factor(change: Change, code: str) -> list[str]:
    """Have the second factor count from now on, by a code of it; returns the recovery codes, which are told once.

    Raises:
        Invalid: the code is another one.
        WrongState: nothing was set up, or it counts already.
    """
    assert change.actor
    person = lock(Person, change.actor.pk)
    factor = SecondFactor.objects.select_for_update().filter(person=person).first()
    if factor is None or factor.confirmed_at is not None:
        raise WrongState("set a second factor up first" if factor is None else "the second factor is on already")
    step = _step_of(factor, code, change.now)
    if step is None:
        raise Invalid("the code is another one: is the clock of the authenticator right?", field="code")
    codes = [f"{secrets.token_hex(3)}-{secrets.token_hex(3)}" for _ in range(_RECOVERY)]
    factor.confirmed_at, factor.last_step, factor.recovery = change.now, step, [_hash(code) for code in codes]
    factor.save()
    _entered(change, person, on=True)
    return codes


def turn_off_second_factor(change: Change, code: str) -> Person:
    """Turn one's own second factor off, by a code of it or a recovery code.

    Raises:
        Invalid: the code is another one, or was used.
        WrongState: it is not on.
    """
    assert change.actor
    person = lock(Person, change.actor.pk)
    if not is_on(person):
        raise WrongState("no second factor is on")
    if not take_code(person, code, change.now):
        raise Invalid("the code is another one, or was used already", field="code")
    SecondFactor.objects.filter(person=person).delete()
    _entered(change, person, on=False)
    return person


def forget_second_factor(change: Change, number: int, version: int | None = None) -> Person:
    """Turn somebody's second factor off, who has lost it.

    Raises:
        WrongState: it is not on.
        NotAllowed: the actor is no admin.
        StaleEdit.
    """
    require(change.actor, "admin", "turn off the second factor of a person")
    person = find_locked(Person, number, version=version)
    if not SecondFactor.objects.filter(person=person).delete()[0]:
        raise WrongState(f"no second factor of {person.name} is on")
    _entered(change, person, on=False)
    return person


def take_code(person: Person, code: str, now: datetime) -> bool:
    """Whether a code is right; what is taken once is not taken again. To be asked in a transaction."""
    factor = SecondFactor.objects.select_for_update().filter(person=person, confirmed_at__isnull=False).first()
    if factor is None:
        return False
    if (hashed := _hash(code.strip().lower())) in factor.recovery:
        factor.recovery = [one for one in factor.recovery if one != hashed]
        factor.save(update_fields=["recovery"])
        return True
    step = _step_of(factor, code, now)
    if step is None:
        return False
    factor.last_step = step
    factor.save(update_fields=["last_step"])
    return True


def _step_of(factor: SecondFactor, code: str, now: datetime) -> int | None:
    """The step of a code that was not taken yet; None if it is another one."""
    totp = pyotp.TOTP(unsealed(factor.secret))
    current = int(now.timestamp()) // STEP_SECONDS
    for step in range(current - _WINDOW, current + _WINDOW + 1):
        expected = totp.at(step * STEP_SECONDS)
        if secrets.compare_digest(expected, code.strip().replace(" ", "")[:10]) and step > factor.last_step:
            return step
    return None


def _hash(code: str) -> str:
    return hashlib.sha256(code.encode()).hexdigest()


def _entered(change: Change, person: Person, on: bool) -> None:
    change.entered(person, "second factor", {"second_factor": not on}, {"second_factor": on})
    person.save(update_fields=["last_entry"])
