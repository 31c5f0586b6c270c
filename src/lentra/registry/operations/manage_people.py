"""People: add, edit, passwords, project membership, tokens."""

from __future__ import annotations

import hashlib
import secrets
from datetime import datetime
from typing import Any

from django.contrib.auth.hashers import make_password

from lentra.registry.errors import Invalid, NotAllowed
from lentra.registry.ledger import Change
from lentra.registry.models import Membership, Person, Project, Token
from lentra.registry.operations.add_set_up import add_set_up
from lentra.registry.operations.edit_set_up import edit_set_up
from lentra.registry.permissions import require
from lentra.registry.setup import check_name

SHORTEST_PASSWORD = 12
TOKEN_MARK = "lentra_"


def add_person(change: Change, values: dict[str, Any], password: str | None, projects: list[Project]) -> Person:
    """Add a person; without a password only tokens sign in.

    Raises:
        NotAllowed, Invalid, NameTaken: as for every set-up object.
    """
    values = {**values, "password": _hashed(password)}
    person = add_set_up(change, "person", values, projects=[p.name for p in projects])
    assert isinstance(person, Person)
    _set_projects(person, projects)
    return person


def edit_person(
    change: Change,
    person_id: int,
    values: dict[str, Any],
    password: str | None,
    projects: list[Project] | None,
    version: int | None = None,
) -> Person:
    """Edit a person: values, a new password, the projects it belongs to.

    Raises:
        Invalid: the last active admin would be gone.
        NotAllowed, StaleEdit, NameTaken: as for every set-up object.
    """
    if password is not None:
        values = {**values, "password": _hashed(password)}
    person = edit_set_up(change, "person", person_id, values, version)
    assert isinstance(person, Person)
    if not Person.objects.filter(role="admin", active=True).exists():
        raise Invalid("this is the last active admin: make another one first", field="role")
    if projects is not None:
        before = sorted(person.projects.values_list("name", flat=True))
        after = sorted(project.name for project in projects)
        if before != after:
            _set_projects(person, projects)
            change.entered(person, "edit", {"projects": before}, {"projects": after})
            person.save(update_fields=["last_entry"])
    return person


def add_token(change: Change, person: Person, name: str, expires_at: datetime | None = None) -> tuple[Token, str]:
    """Make a token; its text is told once and kept only as a hash.

    Raises:
        NotAllowed: for somebody else, by anyone but an admin.
        Invalid: the name is no name, or the end lies in the past.
    """
    _require_own(change, person, "make a token")
    check_name(name)
    if expires_at and expires_at <= change.now:
        raise Invalid("the token would have ended already", field="expires_at", received=expires_at)
    text = TOKEN_MARK + secrets.token_urlsafe(32)
    token = Token(person=person, name=name, hash=hash_of(text), expires_at=expires_at)
    change.added([token])
    return token, text


def revoke_token(change: Change, token: Token) -> Token:
    """Make a token useless from now on.

    Raises:
        NotAllowed: somebody else's, by anyone but an admin.
    """
    _require_own(change, token.person, "revoke a token")
    if token.revoked_at is None:
        change.edited(token, "revoke", revoked_at=change.now)
    return token


def hash_of(text: str) -> str:
    """What is kept of a token: it is random and long, so one round of SHA-256 is enough."""
    return hashlib.sha256(text.encode()).hexdigest()


def _hashed(password: str | None) -> str:
    if password is not None and len(password) < SHORTEST_PASSWORD:
        raise Invalid(f"a password has {SHORTEST_PASSWORD} characters or more", field="password")
    return make_password(password)


def _set_projects(person: Person, projects: list[Project]) -> None:
    Membership.objects.filter(person=person).delete()
    Membership.objects.bulk_create([Membership(person=person, project=project) for project in projects])


def _require_own(change: Change, person: Person, to: str) -> None:
    if change.actor is None or change.actor.pk == person.pk:
        return
    try:
        require(change.actor, "admin", f"{to} for {person.name}")
    except NotAllowed as refusal:
        raise refusal.about("person")
