"""Who calls: a bearer token, or the console's session with CSRF protection."""

from __future__ import annotations

import base64
import binascii
from contextlib import suppress
from ipaddress import ip_address, ip_network
from typing import Any

from django.conf import settings
from django.contrib.auth import login
from django.db import DatabaseError
from django.http import HttpRequest
from rest_framework.authentication import BaseAuthentication, SessionAuthentication
from rest_framework.exceptions import AuthenticationFailed
from rest_framework.permissions import BasePermission
from rest_framework.request import Request

from lentra.api.calls import NONE, scopes_for
from lentra.registry.errors import NotAllowed, SecondFactorMissing
from lentra.registry.models import Person, Token
from lentra.registry.operations.people.second_factor import is_on
from lentra.registry.operations.people.sessions import note_session
from lentra.registry.operations.people.tokens import hash_of
from lentra.registry.rules.sealed import sealed, unsealed
from lentra.registry.transactions.clock import SystemClock
from lentra.registry.transactions.sql import Prepared, Slot

_SIGNED_ON = "signed_on"


def peer_of(request: HttpRequest) -> str:
    """The address that a request comes from.

    What a proxy says of it (X-Forwarded-For) counts only as far as it comes from proxies in LENTRA_PROXIES: the last
    address that is none of them.
    """
    peer = str(request.META.get("REMOTE_ADDR") or "")
    said = [part.strip() for part in request.headers.get("X-Forwarded-For", "").split(",") if part.strip()]
    while said and _is_proxy(peer):
        peer = said.pop()
    return peer[:64]


def begin_session(request: HttpRequest, person: Person, signed_on: str = "") -> None:
    """Begin a session of the console.

    Args:
        signed_on: what the single sign-on has proved it by; empty for a password.
    """
    login(request, person)
    if signed_on:
        request.session[_SIGNED_ON] = sealed(signed_on)
    request.session.save()  # so that it has a key
    agent = request.headers.get("User-Agent", "")
    note_session(person, request.session.session_key or "", peer_of(request), agent, SystemClock().now())


def signed_on(request: HttpRequest) -> str:
    """What the single sign-on has proved this session by; empty for one that a password began."""
    session = getattr(request, "session", None)
    with suppress(ValueError):
        return unsealed(session[_SIGNED_ON]) if session and _SIGNED_ON in session else ""
    return ""


def _is_proxy(text: str) -> bool:
    try:
        address = ip_address(text)
    except ValueError:
        return False
    return any(address in network for network in settings.PROXIES if network.version == address.version)


_TOKEN = [field.attname for field in Token._meta.concrete_fields]
_PERSON = [field.attname for field in Person._meta.concrete_fields]
_by_hash = Prepared(
    lambda: Token.objects.filter(hash=Slot("hash")).values_list(*_TOKEN, *(f"person__{name}" for name in _PERSON))
)


def _token(hashed: str) -> Token | None:
    """A token with its person, by a prepared statement: whoever calls signs in each time."""
    for row in _by_hash(hash=hashed):
        token = Token.from_db(None, _TOKEN, row[: len(_TOKEN)])
        token.person = Person.from_db(None, _PERSON, row[len(_TOKEN) :])
        return token
    return None


class TokenSignIn(BaseAuthentication):
    """``Authorization: Bearer lentra_…``"""

    def given(self, request: Request) -> str | None:
        """The token of a request; None if it has none.

        Raises:
            AuthenticationFailed: there is something else in its place.
        """
        header = request.headers.get("Authorization", "")
        scheme, _, text = header.partition(" ")
        if not header:
            return None
        if scheme.lower() != "bearer" or not text.strip():
            raise AuthenticationFailed("the Authorization header is to be: Bearer TOKEN")
        return text

    def authenticate(self, request: Request) -> tuple[Person, Token] | None:
        text = self.given(request)
        if text is None:
            return None
        token = _token(hash_of(text.strip()))
        if token is None:
            raise AuthenticationFailed("this token is not known here")
        if token.revoked_at is not None:
            raise AuthenticationFailed(f"token {token.name} was revoked")
        if token.expires_at is not None and token.expires_at <= SystemClock().now():
            raise AuthenticationFailed(f"token {token.name} ended at {token.expires_at:%Y-%m-%d %H:%M} UTC")
        if not token.person.active:
            raise AuthenticationFailed(f"{token.person.name} is no longer active")
        if token.networks and not _is_from(peer_of(request), token.networks):
            raise AuthenticationFailed(f"token {token.name} is not to be used from {peer_of(request)}")
        today = SystemClock().now().date()
        if token.last_used_on != today:  # one statement a day; where it cannot be told now, the next call does
            with suppress(DatabaseError):
                Token.objects.filter(pk=token.pk).update(last_used_on=today)
        token.person.token = token
        return token.person, token

    def authenticate_header(self, request: Request) -> str:
        return "Bearer"


class TokenAsPassword(TokenSignIn):
    """The same, or a token as the password of whatever name (RFC 7617), for programs that know nothing else: calendars."""

    def given(self, request: Request) -> str | None:
        scheme, _, text = request.headers.get("Authorization", "").partition(" ")
        if scheme.lower() != "basic":
            return super().given(request)
        try:
            return base64.b64decode(text.strip(), validate=True).decode().partition(":")[2]
        except (binascii.Error, UnicodeDecodeError):
            raise AuthenticationFailed("the Authorization header is to be: Basic, and name:TOKEN in base64")

    def authenticate_header(self, request: Request) -> str:
        return 'Basic realm="Lentra: a token as the password", charset="UTF-8"'


class SessionSignIn(SessionAuthentication):
    """The console's session cookie; changing calls need the CSRF token too."""

    def authenticate_header(self, request: Request) -> Any:
        return "Bearer"


def _is_from(peer: str, networks: list[str]) -> bool:
    try:
        address = ip_address(peer)
    except ValueError:
        return False
    address = getattr(address, "ipv4_mapped", None) or address
    return any(address in ip_network(text) for text in networks)


class IsInScope(BasePermission):
    """A token with scopes reaches only the calls of these, and those that change nothing."""

    def has_permission(self, request: Request, view: Any) -> bool:
        token = request.auth
        if token is None or not token.scopes:
            return True
        needed = scopes_for(view, request.method or "")
        missing = [scope for scope in needed if scope != "read" and scope not in token.scopes]
        if needed == NONE:
            raise NotAllowed(f"token {token.name} has scopes, and this is in none of them: use one without")
        if missing:
            raise NotAllowed(
                f"token {token.name} has the scopes {', '.join(token.scopes)}: this needs {' and '.join(missing)}",
                rule="a token with scopes does nothing else",
            )
        return True


class HasSecondFactor(BasePermission):
    """Whoever is to have a second factor sets one up first: until then a session reaches nothing else.

    Of who has signed on elsewhere, that is asked there.
    """

    def has_permission(self, request: Request, view: Any) -> bool:
        person = request.user
        if request.auth is not None or not getattr(person, "needs_second_factor", False):
            return True
        if getattr(view, "before_second_factor", False) or signed_on(request._request) or is_on(person):
            return True
        raise SecondFactorMissing(
            f"{person.name} is to have a second factor: set one up first",
            rule="an admin has required it",
            suggestions=["POST /api/v1/session/second-factor"],
        )
