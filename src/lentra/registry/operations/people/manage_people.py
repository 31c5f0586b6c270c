"""People: add, edit, passwords, project membership, tokens."""

from __future__ import annotations

import hashlib
import secrets
from collections.abc import Sequence
from datetime import datetime
from typing import Any

from django.contrib.auth.hashers import make_password

from lentra.registry.errors import Invalid, NotAllowed
from lentra.registry.lookup.locked import find_locked
from lentra.registry.models import ROLES, Membership, Person, Project, Token
from lentra.registry.operations.setup.add_record import add_record
from lentra.registry.operations.setup.edit_record import edit_record
from lentra.registry.rules.names import check_name
from lentra.registry.rules.permissions import require
from lentra.registry.rules.sign_ins import check_password_rules
from lentra.registry.transactions.change import Change
from lentra.registry.transactions.locks import lock, lock_all

TOKEN_MARK = "lentra_"


def add_person(change: Change, values: dict[str, Any], password: str | None, projects: list[Project]) -> Person:
    """Add a person; without a password only tokens sign in.

    Raises:
        NotAllowed, Invalid, NameTaken: as for every set-up object.
    """
    if password is not None:
        check_password_rules(password, Person(name=values["name"], full_name=values.get("full_name", "")))
    values = {**values, "password": make_password(password)}
    person = add_record(change, "person", values, projects=[p.name for p in projects])
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
        check_password_rules(password, Person.objects.get(pk=person_id))
        values = {**values, "password": make_password(password)}
    # All admins are locked together: two who make each other no admin must not both see the other as one.
    lock_all(Person.objects.filter(role="admin"))
    person = edit_record(change, "person", person_id, values, version)
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


def change_password(change: Change, new: str, revoke: bool = False) -> Person:
    """Give oneself a new password; that the actor knows the present one is proved before. Sessions elsewhere end.

    Args:
        revoke: revoke all of one's tokens with it.

    Raises:
        Invalid: the new one is easily guessed.
    """
    assert change.actor
    person = lock(Person, change.actor.pk)
    check_password_rules(new, person, "new")
    change.edited(person, "change password", password=make_password(new))
    if revoke:
        revoke_tokens(change, person)
    return person


def add_token(
    change: Change,
    person: Person,
    name: str,
    expires_at: datetime | None = None,
    role: str = "",
    projects: Sequence[Project] = (),
) -> tuple[Token, str]:
    """Make a token; its text is told once and kept only as a hash.

    Args:
        role: the role that it reaches at most; as far as the person's if empty.
        projects: those for which alone it asks and changes, as a requester at most.

    Raises:
        NotAllowed: for somebody else, by anyone but an admin; or it would reach further, or last longer, than the
            token that makes it.
        Invalid: the name is no name, or the end lies in the past.
    """
    _require_own(change, person, "make a token")
    check_name(name)
    if expires_at and expires_at <= change.now:
        raise Invalid("the token would have ended already", field="expires_at", received=expires_at)
    maker = change.actor.token if change.actor else None
    token = Token(person=person, name=name, expires_at=expires_at, role=role, projects=[p.pk for p in projects])
    if maker:
        _keep_within(change, maker, token)
    text = TOKEN_MARK + secrets.token_urlsafe(32)
    token.hash, token.made_by = hash_of(text), maker
    change.added([token])
    return token, text


def _keep_within(change: Change, maker: Token, token: Token) -> None:
    """A token made by another reaches no further and lasts no longer."""
    if maker.expires_at and token.expires_at is None:
        token.expires_at = maker.expires_at
        change.note(f"it ends with token {maker.name}, which makes it: {maker.expires_at:%Y-%m-%d %H:%M} UTC")
    if maker.expires_at and token.expires_at > maker.expires_at:
        raise NotAllowed(
            f"token {maker.name} ends at {maker.expires_at:%Y-%m-%d %H:%M} UTC: what it makes ends by then",
            field="expires_at",
            received=token.expires_at,
            rule="a token does not outlive the one that made it",
            suggestions=[maker.expires_at],
        )
    if maker.role and (not token.role or ROLES.index(token.role) > ROLES.index(maker.role)):
        raise NotAllowed(
            f"token {maker.name} reaches as far as a {maker.role}: what it makes reaches no further",
            field="role",
            received=token.role or token.person.role,
            suggestions=[maker.role],
        )
    if maker.projects and not (token.projects and set(token.projects) <= set(maker.projects)):
        names = Project.objects.filter(pk__in=maker.projects).order_by("name").values_list("name", flat=True)
        raise NotAllowed(
            f"token {maker.name} reaches {len(names)} projects: what it makes reaches no others",
            field="projects",
            suggestions=list(names[:10]),
        )


def revoke_token(change: Change, token: Token, version: int | None = None) -> Token:
    """Make a token useless from now on.

    Raises:
        StaleEdit: it has changed since `version`.
        NotAllowed: somebody else's, by anyone but an admin.
    """
    _require_own(change, token.person, "revoke a token")
    token = find_locked(Token, token.pk, version=version, related=("person",))
    if token.revoked_at is None:
        change.edited(token, "revoke", revoked_at=change.now)
    _revoke_made(change, [token.pk])
    return token


def revoke_tokens(change: Change, person: Person, version: int | None = None) -> list[Token]:
    """Make all tokens of a person useless from now on, and what they made for others; returns those of the person.

    Raises:
        StaleEdit: the person has changed since `version`.
        NotAllowed: somebody else's, by anyone but an admin.
    """
    _require_own(change, person, "revoke all tokens")
    if version is not None:
        find_locked(Person, person.pk, version=version)
    tokens = lock_all(Token.objects.filter(person=person, revoked_at=None).order_by("pk"))
    change.edited_all(tokens, "revoke", revoked_at=change.now)
    _revoke_made(change, [token.pk for token in tokens])
    change.note(f"{len(tokens)} tokens of {person.name} are of no use from now on")
    return tokens


def _revoke_made(change: Change, makers: list[int]) -> None:
    """Revoke what tokens have made, and what that has made."""
    while makers:
        made = lock_all(Token.objects.filter(made_by__in=makers, revoked_at=None).order_by("pk"))
        change.edited_all(made, "revoke", revoked_at=change.now)
        makers = [token.pk for token in made]


def hash_of(text: str) -> str:
    """What is kept of a token: it is random and long, so one round of SHA-256 is enough."""
    return hashlib.sha256(text.encode()).hexdigest()


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
