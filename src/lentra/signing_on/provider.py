"""Asking an identity provider who somebody is: OpenID Connect, the authorisation code with a proof of its own (PKCE).

OpenID Connect Core 1.0 and Discovery 1.0, RP-Initiated Logout 1.0, RFC 7636 (PKCE), RFC 9207 (issuer in the answer).
Authlib speaks the protocol; here is what is asked, and what an answer must be.
"""

from __future__ import annotations

import secrets
import threading
import time
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any
from urllib.parse import urlencode, urlsplit

import requests
from authlib.common.errors import AuthlibBaseError
from authlib.integrations.requests_client import OAuth2Session
from authlib.oidc.core import CodeIDToken
from joserfc import jwt
from joserfc.errors import ClaimError, ExpiredTokenError, JoseError
from joserfc.jwk import KeySet

from lentra.addressing.refusal import Refusal
from lentra.registry.operations.people.sign_on import Said

SKEW = 60  # seconds that two clocks may be apart
OLDEST = 600  # seconds since an answer was signed
_ALGORITHMS = [
    *("RS256", "RS384", "RS512", "PS256", "PS384", "PS512"),
    *("ES256", "ES384", "ES512", "EdDSA"),
]  # by a key pair: never by a secret that both have, nor unsigned
_TIMEOUT = 10  # seconds
_KNOWN_FOR = 3600  # seconds that what a provider says of itself is kept
_ASKED_AGAIN_AFTER = 5  # seconds, at the earliest, for keys that are new
_NEEDED = ("authorization_endpoint", "token_endpoint", "jwks_uri")


class NotProved(Refusal):
    """An answer that does not prove who somebody is."""

    code = "sign-on-not-proved"
    title = "Sign-on not proved"
    status = 403


class ProviderAway(Refusal):
    """The identity provider does not answer, or not as one does."""

    code = "sign-on-away"
    title = "Single sign-on does not answer"
    status = 503


@dataclass(frozen=True)
class Begun:
    """A sign-on that was begun: the browser keeps it, unreadable, until the answer comes."""

    state: str
    nonce: str
    verifier: str


class Provider:
    """An identity provider, and what this service is called there.

    Args:
        issuer: its address, under which it tells what it is.
        return_to: where people come back to with an answer.
        name_claim: the claim that somebody's name is taken from.
        groups_claim: the claim that has somebody's groups.
    """

    def __init__(
        self, issuer: str, client: str, secret: str, return_to: str, name_claim: str, groups_claim: str
    ) -> None:
        self.issuer, self.client, self.secret, self.return_to = issuer, client, secret, return_to
        self.name_claim, self.groups_claim = name_claim, groups_claim
        self._lock = threading.Lock()
        self._facts: dict[str, Any] = {}
        self._keys: KeySet | None = None
        self._facts_at = self._keys_at = 0.0

    def begin(self) -> tuple[str, Begun]:
        """Where a browser is sent, and what is to be remembered until it comes back.

        Raises:
            ProviderAway.
        """
        begun = Begun(*(secrets.token_urlsafe(32) for _ in range(3)))
        facts = self.facts()
        scopes = ["openid", "profile", "email"]
        scopes += [self.groups_claim] if self.groups_claim in facts.get("scopes_supported", ()) else []
        address, _ = self._session(scope=" ".join(scopes)).create_authorization_url(
            facts["authorization_endpoint"], state=begun.state, nonce=begun.nonce, code_verifier=begun.verifier
        )
        return str(address), begun

    def finish(self, answer: Mapping[str, str], begun: Begun) -> tuple[Said, str]:
        """Who somebody is, proved, and the signed text that proves it.

        Args:
            answer: the parameters that the browser came back with.

        Raises:
            NotProved: with what is wrong.
            ProviderAway.
        """
        if not secrets.compare_digest(answer.get("state", "").encode(), begun.state.encode()):
            raise NotProved("this answer belongs to another sign-on than the one begun here: begin again")
        if answer.get("iss", self.issuer).rstrip("/") != self.issuer:
            raise NotProved("this answer is another provider's", received=answer["iss"], rule="RFC 9207")
        if error := answer.get("error"):
            words = answer.get("error_description", "")[:200]
            raise NotProved(f"the single sign-on has refused: {error[:60]}{f' ({words})' if words else ''}")
        if not answer.get("code"):
            raise NotProved("the answer has no code: begin again")
        facts = self.facts()
        try:
            tokens = self._session().fetch_token(
                facts["token_endpoint"],
                grant_type="authorization_code",
                code=answer["code"],
                code_verifier=begun.verifier,
                timeout=_TIMEOUT,
            )
        except AuthlibBaseError as refusal:
            raise NotProved(f"the single sign-on does not take its own answer back: {refusal.error}: begin again")
        except (requests.RequestException, ValueError) as failure:
            raise _away(failure)
        text = str(tokens.get("id_token") or "")
        claims = self.proved(text, begun.nonce, tokens.get("access_token"))
        if self.groups_claim not in claims or self.name_claim not in claims:
            claims = {**self._more(claims["sub"], tokens), **claims}
        return self._said(claims), text

    def proved(self, text: str, nonce: str, access_token: str | None = None) -> dict[str, Any]:
        """The claims of an ID token that is signed by the provider, for this service, for this sign-on, and now.

        Raises:
            NotProved: with what is wrong.
            ProviderAway.
        """
        decoded = self._decoded(text)
        claims = CodeIDToken(
            decoded.claims,
            decoded.header,
            {
                "iss": {"essential": True, "value": self.issuer_told()},
                "aud": {"essential": True, "value": self.client},
            },
            {"nonce": nonce, "client_id": self.client, "access_token": access_token},
        )
        try:
            claims.validate(leeway=SKEW)
        except ExpiredTokenError:
            raise NotProved("the answer of the single sign-on has expired: begin again")
        except ClaimError as wrong:
            raise NotProved(
                f"the answer of the single sign-on is not for this sign-on here: its {wrong.claim} is wrong",
                field=wrong.claim,
                received=claims.get(wrong.claim),
            )
        if time.time() - float(claims["iat"]) > OLDEST + SKEW:
            raise NotProved("the answer of the single sign-on is an old one: begin again")
        return dict(claims)

    def sign_out_address(self, text: str, return_to: str) -> str | None:
        """Where a browser is sent to end the session there as well; None if the provider has no such place.

        Args:
            text: the ID token that somebody has signed on with.
        """
        try:
            place = self.facts().get("end_session_endpoint")
        except ProviderAway:
            return None
        if not place:
            return None
        asked = {"id_token_hint": text, "client_id": self.client, "post_logout_redirect_uri": return_to}
        return f"{place}{'&' if urlsplit(place).query else '?'}{urlencode(asked)}"

    def facts(self) -> dict[str, Any]:
        """What the provider says of itself (Discovery 1.0, section 4).

        Raises:
            ProviderAway: it does not answer, or calls itself something else.
        """
        with self._lock:
            if not self._facts or time.monotonic() - self._facts_at > _KNOWN_FOR:
                read = self._get(f"{self.issuer}/.well-known/openid-configuration")
                if str(read.get("issuer")).rstrip("/") != self.issuer or not all(
                    read.get(name) for name in _NEEDED
                ):
                    raise ProviderAway(
                        "the single sign-on calls itself something else than LENTRA_SIGN_ON_ISSUER says",
                        received=read.get("issuer"),
                        suggestions=[read.get("issuer")],
                    )
                self._facts, self._facts_at = read, time.monotonic()
            return self._facts

    def issuer_told(self) -> str:
        """The issuer, letter for letter as it calls itself."""
        return str(self.facts()["issuer"])

    def _decoded(self, text: str) -> jwt.Token:
        """An ID token whose signature is right; keys are read anew if none of those known has signed it (section 10.1.1)."""
        try:
            return jwt.decode(text, self._known_keys(), algorithms=_ALGORITHMS)
        except (JoseError, ValueError):
            pass
        try:
            return jwt.decode(text, self._known_keys(anew=True), algorithms=_ALGORITHMS)
        except (JoseError, ValueError):
            raise NotProved("the answer is not signed by the single sign-on", rule="OpenID Connect Core, 3.1.3.7")

    def _known_keys(self, anew: bool = False) -> KeySet:
        address = self.facts()["jwks_uri"]
        with self._lock:
            age = time.monotonic() - self._keys_at
            if self._keys is None or age > (_ASKED_AGAIN_AFTER if anew else _KNOWN_FOR):
                try:
                    self._keys = KeySet.import_key_set(self._get(address))  # type: ignore[arg-type]
                except (JoseError, ValueError, KeyError) as wrong:
                    raise ProviderAway(f"the keys of the single sign-on cannot be read: {type(wrong).__name__}")
                self._keys_at = time.monotonic()
            return self._keys

    def _more(self, subject: str, tokens: Mapping[str, Any]) -> dict[str, Any]:
        """What is told of somebody apart from the ID token (section 5.3); nothing if it is about somebody else."""
        place = self.facts().get("userinfo_endpoint")
        if not place or not tokens.get("access_token"):
            return {}
        told = self._get(place, {"Authorization": f"Bearer {tokens['access_token']}"})
        return told if told.get("sub") == subject else {}

    def _said(self, claims: Mapping[str, Any]) -> Said:
        groups = claims.get(self.groups_claim) or []
        if isinstance(groups, str):
            groups = [groups]
        mail = claims.get("email") if claims.get("email_verified", True) is not False else ""
        return Said(
            issuer=self.issuer,
            subject=str(claims["sub"]),
            nonce=str(claims["nonce"]),
            name=str(claims.get(self.name_claim) or claims["sub"]),
            full_name=str(claims.get("name") or ""),
            email=str(mail or ""),
            groups=tuple(str(group) for group in groups if group),
        )

    def _session(self, **more: Any) -> OAuth2Session:
        return OAuth2Session(
            self.client,
            self.secret or None,
            redirect_uri=self.return_to,
            code_challenge_method="S256",
            token_endpoint_auth_method="client_secret_basic" if self.secret else "none",
            **more,
        )

    def _get(self, address: str, headers: dict[str, str] | None = None) -> dict[str, Any]:

        try:
            answer = requests.get(address, headers=headers, timeout=_TIMEOUT)
            answer.raise_for_status()
            read = answer.json()
        except (requests.RequestException, ValueError) as failure:
            raise _away(failure)
        if not isinstance(read, dict):
            raise ProviderAway("the single sign-on answers nonsense: try again later, or sign in with a password")
        return read


def _away(failure: Exception) -> ProviderAway:
    return ProviderAway(
        f"the single sign-on does not answer ({type(failure).__name__}): try again in a moment",
        rule="what it says is asked for at each sign-on",
    )
