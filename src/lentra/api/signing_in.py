"""Who calls: a bearer token, or the console's session with CSRF protection."""

from __future__ import annotations

from datetime import UTC, datetime
from typing import Any

from rest_framework.authentication import BaseAuthentication, SessionAuthentication
from rest_framework.exceptions import AuthenticationFailed
from rest_framework.request import Request

from lentra.registry.models import Person, Token
from lentra.registry.operations.manage_people import hash_of


class TokenSignIn(BaseAuthentication):
    """``Authorization: Bearer lentra_…``"""

    def authenticate(self, request: Request) -> tuple[Person, Token] | None:
        header = request.headers.get("Authorization", "")
        scheme, _, text = header.partition(" ")
        if not header:
            return None
        if scheme.lower() != "bearer" or not text.strip():
            raise AuthenticationFailed("the Authorization header is to be: Bearer TOKEN")
        token = Token.objects.select_related("person").filter(hash=hash_of(text.strip())).first()
        if token is None:
            raise AuthenticationFailed("this token is not known here")
        if token.revoked_at is not None:
            raise AuthenticationFailed(f"token {token.name} was revoked")
        if token.expires_at is not None and token.expires_at <= datetime.now(UTC):
            raise AuthenticationFailed(f"token {token.name} ended at {token.expires_at:%Y-%m-%d %H:%M} UTC")
        if not token.person.active:
            raise AuthenticationFailed(f"{token.person.name} is no longer active")
        return token.person, token

    def authenticate_header(self, request: Request) -> str:
        return "Bearer"


class SessionSignIn(SessionAuthentication):
    """The console's session cookie; changing calls need the CSRF token too."""

    def authenticate_header(self, request: Request) -> Any:
        return "Bearer"
