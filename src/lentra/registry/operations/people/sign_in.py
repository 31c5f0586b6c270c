"""Signing in with a password: tries are counted before the password is looked at, whoever makes them."""

from __future__ import annotations

import logging
from collections.abc import Callable
from datetime import datetime, timedelta
from functools import cache

from django.conf import settings
from django.contrib.auth.hashers import check_password, make_password
from django.db import transaction
from django.db.models import F

from lentra.registry.errors import NotAllowed, SecondFactorNeeded, TooManyTries, WrongPassword
from lentra.registry.lookup.locked import find_locked
from lentra.registry.models import Person, SignInCount
from lentra.registry.operations.people.second_factor import is_on, take_code
from lentra.registry.rules.permissions import require
from lentra.registry.rules.sign_ins import FORGOTTEN_AFTER, peer_network, wait_after
from lentra.registry.transactions.change import Change
from lentra.registry.transactions.clock import Clock, SystemClock
from lentra.registry.transactions.run import run_transaction
from lentra.registry.transactions.sql import insert

logger = logging.getLogger(__name__)
_LOCAL = "LENTRA_LOCAL_SIGN_IN"


def sign_in(name: str, password: str, peer: str, clock: Clock | None = None, code: str = "") -> Person:
    """The person with this name and password. Every sign-in, failed or not, is in the log and in the ledger.

    Args:
        peer: the address that it comes from.
        code: of the second factor, or a recovery code.

    Raises:
        TooManyTries: too many have failed with this name or from this peer; the password was not looked at.
        SecondFactorNeeded: the password is right, and no code was given.
        WrongPassword: name, password or code is wrong, or the person is no longer active.
        NotAllowed: people, or all but admins, sign in by single sign-on here.
    """
    clock = clock or SystemClock()
    if settings.LOCAL_SIGN_IN == "nobody":
        raise NotAllowed("nobody signs in by name and password here: use the single sign-on", rule=_LOCAL)
    known = Person.objects.filter(name=name).first()
    try:
        proved = _proved(known, name, password, peer, clock, lambda person: _second(person, code, clock))
    except TooManyTries as refusal:
        logger.warning("sign-in of %s from %s not looked at: %s", _told(known), peer, refusal.message)
        raise
    refused = bool(proved and known and settings.LOCAL_SIGN_IN == "admins" and known.role != "admin")
    verb = "sign in" if proved and not refused else "sign-in refused"
    run_transaction(
        lambda change: change.told(verb, "sign-in", _told(known), {"peer": peer}),
        actor=known if proved and not refused else None,
        clock=clock,
    )
    logger.log(logging.INFO if verb == "sign in" else logging.WARNING, "%s: %s from %s", verb, _told(known), peer)
    if refused:
        raise NotAllowed(
            "only admins sign in by name and password here: use the single sign-on", field="name", rule=_LOCAL
        )
    if not proved or known is None:
        raise WrongPassword("name, password or code is wrong, or the person is no longer active")
    return known


def prove(person: Person, password: str, peer: str, clock: Clock | None = None) -> None:
    """Refuse whoever acts for a person and does not know the password; a failed try counts as a failed sign-in.

    Raises:
        TooManyTries, WrongPassword.
    """
    if not _proved(person, person.name, password, peer, clock or SystemClock()):
        logger.warning("password of %s not known to %s", person.name, peer)
        raise WrongPassword("the present password is another one", field="current")


def lift_lock(change: Change, person_id: int, version: int | None = None) -> Person:
    """Forget the failed sign-ins with a person's name, so that the next is looked at.

    Raises:
        StaleEdit: the person has changed since `version`.
        NotAllowed: the actor is no admin.
    """
    require(change.actor, "admin", "lift the lock of a person")
    person = find_locked(Person, person_id, version=version)
    counts = SignInCount.objects.filter(key=f"name:{person.name}")
    failed = sum(count.failed for count in counts)
    counts.delete()
    if failed:
        change.entered(person, "lift lock", {"failed_sign_ins": failed}, {"failed_sign_ins": 0})
        person.save(update_fields=["last_entry"])
    else:
        change.note(f"no sign-in of {person.name} has failed of late: nothing stands in the way")
    return person


def failed_sign_ins(names: list[str], now: datetime) -> dict[str, tuple[int, datetime | None]]:
    """How many sign-ins with some names have failed of late, and until when the next is not looked at (None: it is)."""
    keys = [f"name:{name}" for name in names]
    rows = SignInCount.objects.filter(key__in=keys, last_at__gte=now - FORGOTTEN_AFTER)
    waiting = {row: row.until if row.until and row.until > now else None for row in rows}
    return {row.key.removeprefix("name:"): (row.failed, until) for row, until in waiting.items()}


def _second(person: Person, code: str, clock: Clock) -> bool:
    """Whether the second factor, if there is one, is right.

    Raises:
        SecondFactorNeeded: there is one, and no code.
    """
    if not is_on(person):
        return True
    if not code.strip():
        raise SecondFactorNeeded(
            "a code of your authenticator is needed as well, or a recovery code", field="code"
        )
    with transaction.atomic():
        return take_code(person, code, clock.now())


def _proved(
    known: Person | None,
    name: str,
    password: str,
    peer: str,
    clock: Clock,
    second: Callable[[Person], bool] = lambda person: True,
) -> bool:
    """True if the password is that of an active person. The try is counted first, and taken back if it is right."""
    keys = {f"name:{name}"[:80]: "name", f"peer:{peer_network(peer)}": "peer"}
    _count(keys, clock.now())
    # Somebody unknown takes as long as somebody known.
    right = check_password(password, known.password if known else _no_password())
    if not (right and known and known.active):
        return False
    try:
        if not second(known):
            return False
    except SecondFactorNeeded:
        # Nothing has failed, and nothing is proved: the try is taken back, and those before it still count.
        SignInCount.objects.filter(key__in=keys, failed__gt=0).update(failed=F("failed") - 1)
        raise
    SignInCount.objects.filter(key__startswith="name:", key__in=keys).delete()
    SignInCount.objects.filter(key__startswith="peer:", key__in=keys, failed__gt=0).update(
        failed=F("failed") - 1, until=None
    )
    return True


def _count(keys: dict[str, str], now: datetime) -> None:
    with transaction.atomic():
        rows = SignInCount.objects.select_for_update().filter(key__in=list(keys)).order_by("key")
        counts = {row.key: row for row in rows}
        waiting = [row.until for row in counts.values() if row.until and row.until > now]
        if waiting:
            raise _too_many(max(waiting) - now)
        for key, kind in keys.items():
            count = counts.get(key) or SignInCount(key=key, last_at=now)
            count.failed = 1 if now - count.last_at > FORGOTTEN_AFTER else count.failed + 1
            wait = wait_after(kind, count.failed)
            count.last_at, count.until = now, now + wait if wait else None
            insert([count], update=("failed", "last_at", "until"))


def _too_many(left: timedelta) -> TooManyTries:
    seconds = max(1, round(left.total_seconds()))
    refusal = TooManyTries(
        f"too many sign-ins have failed with this name or from this address: wait {seconds} seconds; "
        "an admin can lift the lock of a name",
        rule="after some failed sign-ins each next one must wait twice as long, 15 minutes at most",
    )
    refusal.seconds = seconds
    return refusal


def _told(known: Person | None) -> str:
    """A name for log and ledger: one that nobody has is not told, since it may be a password."""
    return known.name if known else "somebody unknown"


@cache
def _no_password() -> str:
    return make_password("nobody has this one")
