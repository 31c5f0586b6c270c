"""Tokens: make, rotate, revoke. What one makes reaches no further than itself."""

from __future__ import annotations

import hashlib
import secrets
from collections.abc import Sequence
from datetime import datetime, timedelta
from typing import Any

from lentra.addressing.prefix import parse_prefix
from lentra.registry.errors import Invalid, NotAllowed, WrongState
from lentra.registry.lookup.locked import find_locked
from lentra.registry.models import ROLES, Person, Pool, Project, Realm, Record, Token
from lentra.registry.rules.names import check_name
from lentra.registry.rules.permissions import manages_tokens_of, require
from lentra.registry.transactions.change import Change
from lentra.registry.transactions.locks import lock_all

TOKEN_MARK = "lentra_"
LONGEST_OVERLAP = 30 * 24  # hours that a token and its successor both live
PLACES: dict[str, type[Record]] = {"projects": Project, "realms": Realm, "pools": Pool}


def add_token(
    change: Change,
    person: Person,
    name: str,
    expires_at: datetime | None = None,
    role: str = "",
    scopes: Sequence[str] = (),
    networks: Sequence[str] = (),
    **places: Sequence[Record],
) -> tuple[Token, str]:
    """Make a token; its text is told once and kept only as a hash.

    Args:
        role: the role that it reaches at most; as far as the person's if empty.
        scopes: the calls that it reaches alone, of `SCOPES`; all if empty.
        networks: prefixes that it may be used from alone, as CIDR texts; anywhere if empty.
        places: ``projects``, ``realms``, ``pools`` in which alone it asks and changes, as a requester at most.

    Raises:
        NotAllowed: for somebody else, by anyone but an admin or a member of a service account's project; or it would
            reach further, or last longer, than the token that makes it.
        Invalid: the name is no name, the end lies in the past, or a network is no prefix.
    """
    _require_own(change, person, "make a token")
    check_name(name)
    if expires_at and expires_at <= change.now:
        raise Invalid("the token would have ended already", field="expires_at", received=expires_at)
    token = Token(
        person=person,
        name=name,
        expires_at=expires_at,
        role=role,
        scopes=list(scopes),
        networks=[str(_network(text)) for text in networks],
        made_at=change.now,
        **{place: [record.pk for record in places.get(place, ())] for place in PLACES},
    )
    maker = change.actor.token if change.actor else None
    if maker:
        _keep_within(change, maker, token)
        token.made_by = maker
    return token, _keep(change, token)


def rotate_token(
    change: Change, token: Token, overlap: int = 24, expires_at: datetime | None = None, version: int | None = None
) -> tuple[Token, str]:
    """Make the successor of a token, which reaches as far; the former one goes on for `overlap` hours.

    A token may rotate itself.

    Args:
        expires_at: when the successor ends; if not said it lasts as long as the former one was to, or as its maker does.

    Raises:
        WrongState: it is of no use any more, or it has a successor already.
        Invalid: the end lies in the past, or the overlap is too long.
        NotAllowed, StaleEdit.
    """
    _require_own(change, token.person, "rotate a token")
    token = find_locked(Token, token.pk, version=version, related=("person", "made_by"))
    actor_token = change.actor.token if change.actor else None
    own, maker = actor_token is not None and actor_token.pk == token.pk, token.made_by
    if token.revoked_at or (token.expires_at and token.expires_at <= change.now):
        raise WrongState(f"token {token.name} is of no use any more: make another one")
    if successor := Token.objects.filter(replaces=token).first():
        raise WrongState(
            f"token {token.name} was rotated already: rotate its successor",
            conflicts=[{"range": successor.name, "kind": "token", "id": successor.pk}],
            suggestions=[successor.pk],
        )
    if not 0 <= overlap <= LONGEST_OVERLAP:
        raise Invalid(
            f"both live for 0 to {LONGEST_OVERLAP} hours",
            field="overlap_hours",
            received=overlap,
            suggestions=[24],
        )
    as_long = change.now + (token.expires_at - token.made_at) if token.expires_at else None
    if own and as_long and expires_at and expires_at > as_long:
        raise NotAllowed(
            f"a token that rotates itself gets no longer life: until {as_long:%Y-%m-%d %H:%M} UTC at most",
            field="expires_at",
            received=expires_at,
            suggestions=[as_long],
        )
    expires_at = expires_at or as_long
    if expires_at and expires_at <= change.now:
        raise Invalid("the token would have ended already", field="expires_at", received=expires_at)
    if maker and maker.expires_at:
        expires_at = min(expires_at or maker.expires_at, maker.expires_at)
    kept = ("role", "scopes", "networks", *PLACES)
    made = Token(
        person=token.person,
        name=token.name,
        expires_at=expires_at,
        made_at=change.now,
        made_by=maker,
        replaces=token,
        **{name: getattr(token, name) for name in kept},
    )
    if actor_token and not own:
        if actor_token.scopes:
            raise NotAllowed(f"token {actor_token.name} has scopes: it rotates itself alone", field="ref")
        _keep_within(change, actor_token, made)
        made.made_by = actor_token
    last = change.now + timedelta(hours=overlap)
    if token.expires_at is None or last < token.expires_at:
        change.edited(token, "rotate", expires_at=last)
    change.note(f"the former token {token.name} goes on until {token.expires_at:%Y-%m-%d %H:%M} UTC")
    return made, _keep(change, made)


def revoke_token(change: Change, token: Token, version: int | None = None) -> Token:
    """Make a token useless from now on.

    Raises:
        StaleEdit: it has changed since `version`.
        NotAllowed: somebody else's, by anyone but an admin or a member of a service account's project.
    """
    _require_own(change, token.person, "revoke a token")
    token = find_locked(Token, token.pk, version=version, related=("person",))
    if token.revoked_at is None:
        change.edited(token, "revoke", revoked_at=change.now)
    _revoke_made(change, [token.pk])
    if successor := Token.objects.filter(replaces=token, revoked_at=None).first():
        change.note(f"its successor, number {successor.pk}, goes on: revoke it as well if it is in wrong hands")
    return token


def revoke_tokens(change: Change, person: Person, version: int | None = None) -> list[Token]:
    """Make all tokens of a person useless from now on, and what they made for others; returns those of the person.

    Raises:
        StaleEdit: the person has changed since `version`.
        NotAllowed: somebody else's, by anyone but an admin or a member of a service account's project.
    """
    _require_own(change, person, "revoke all tokens")
    if version is not None:
        find_locked(Person, person.pk, version=version)
    tokens = lock_all(Token.objects.filter(person=person, revoked_at=None).order_by("pk"))
    change.edited_all(tokens, "revoke", revoked_at=change.now)
    _revoke_made(change, [token.pk for token in tokens])
    change.note(f"{len(tokens)} tokens of {person.name} are of no use from now on")
    return tokens


def hash_of(text: str) -> str:
    """What is kept of a token: it is random and long, so one round of SHA-256 is enough."""
    return hashlib.sha256(text.encode()).hexdigest()


def _keep(change: Change, token: Token) -> str:
    text = TOKEN_MARK + secrets.token_urlsafe(32)
    token.hash = hash_of(text)
    change.added([token])
    return text


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
    for place, model in PLACES.items():
        reached, wanted = getattr(maker, place), getattr(token, place)
        if reached and not (wanted and set(wanted) <= set(reached)):
            names = model._default_manager.filter(pk__in=reached).order_by("name").values_list("name", flat=True)
            raise NotAllowed(
                f"token {maker.name} reaches {len(names)} {place}: what it makes reaches no others",
                field=place,
                suggestions=list(names[:10]),
            )
    allowed = [_network(text) for text in maker.networks]
    wanted = [_network(text) for text in token.networks]
    if allowed and not (wanted and all(any(one.contains(other) for one in allowed) for other in wanted)):
        raise NotAllowed(
            f"token {maker.name} is used from {', '.join(maker.networks)} alone: what it makes is used from no other place",
            field="networks",
            received=token.networks,
            suggestions=maker.networks[:10],
        )


def _network(text: str) -> Any:
    try:
        return parse_prefix(text)
    except Invalid as wrong:
        raise wrong.about("networks")


def _revoke_made(change: Change, makers: list[int]) -> None:
    """Revoke what tokens have made, and what that has made."""
    while makers:
        made = lock_all(Token.objects.filter(made_by__in=makers, revoked_at=None).order_by("pk"))
        change.edited_all(made, "revoke", revoked_at=change.now)
        makers = [token.pk for token in made]


def _require_own(change: Change, person: Person, to: str) -> None:
    if change.actor is None or manages_tokens_of(change.actor, person):
        return
    try:
        require(change.actor, "admin", f"{to} for {person.name}")
    except NotAllowed as refusal:
        raise refusal.about("person")
