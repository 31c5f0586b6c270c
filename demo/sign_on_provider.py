"""A small identity provider for the demo: OpenID Connect, with four people and no passwords. Nothing for real use.

python demo/sign_on_provider.py PORT CLIENT SECRET RETURN_TO

It speaks as one should (discovery, keys, code with PKCE, sign-out), and wrongly when told to: POST /mishap/KIND makes the
next answers those of `MISHAPS`, POST /mishap/none ends it; POST /rotate makes a new key, and forgets the old one.
"""

from __future__ import annotations

import base64
import hashlib
import html
import json
import secrets
import sys
import threading
import time
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from typing import Any
from urllib.parse import parse_qs, urlencode, urlsplit

from joserfc import jwt
from joserfc.jwk import RSAKey

PEOPLE: dict[str, dict[str, Any]] = {
    "signe": {"name": "Signe Aas", "groups": ["network-planning"]},
    "runar": {"name": "Runar Hol", "groups": ["ticketing-team", "freight-team"]},
    "liv": {"name": "Liv Dahl", "groups": ["harbour-office"]},
    "odd": {"name": "Odd Ness", "groups": ["canteen"]},  # a group that gives nothing here
}
MISHAPS = {
    "none": "answers as they should be",
    "signature": "signed by a key that is not published",
    "unsigned": "not signed at all",
    "audience": "for another service",
    "issuer": "of another issuer",
    "nonce": "of another sign-on",
    "expired": "that ended an hour ago",
    "old": "signed an hour ago, and good for a day",
    "slow": "of a clock that is half a minute behind",
    "fast": "of a clock that is half a minute ahead",
    "future": "of a clock that is ten minutes ahead",
    "again": "the first answer that it gave, over and over",
    "nonsense": "no JSON",
}
PAGE = """<!doctype html><html lang="en"><head><meta charset="utf-8"><title>Ferry staff sign-in</title><style>
body {{ font: 1rem/1.5 system-ui, sans-serif; background: #e9eef1; margin: 0;
  display: grid; place-items: center; min-height: 100vh }}
main {{ background: #fff; padding: 2rem; border-radius: 8px; min-width: 20rem }} h1 {{ font-size: 1.2rem }}
a {{ display: block; padding: .5rem .8rem; margin: .4rem 0; border: 1px solid #9ab; border-radius: 6px; color: #123 }}
small {{ color: #456 }}</style></head><body><main>{body}</main></body></html>"""


class StandIn:
    """What the provider knows: its key, and what it has given out."""

    def __init__(self, issuer: str, client: str, secret: str, return_to: str) -> None:
        self.issuer, self.client, self.secret, self.return_to = issuer, client, secret, return_to
        self.codes: dict[str, dict[str, str]] = {}  # code -> what it was asked for with, and by whom
        self.first: str | None = None  # the first ID token
        self.mishap = "none"
        self.ended: list[str] = []  # who has signed out
        self.rotate()

    def rotate(self) -> None:
        """Sign by a new key from now on."""
        self.key = RSAKey.generate_key(2048, {"kid": secrets.token_hex(4), "use": "sig", "alg": "RS256"})

    def facts(self) -> dict[str, Any]:
        """What it says of itself."""
        places = {
            "authorization_endpoint": "/authorize",
            "token_endpoint": "/token",
            "jwks_uri": "/keys",
            "end_session_endpoint": "/sign-out",
        }
        return {
            "issuer": self.issuer,
            **{name: self.issuer + place for name, place in places.items()},
            "response_types_supported": ["code"],
            "scopes_supported": ["openid", "profile", "email", "groups"],
            "code_challenge_methods_supported": ["S256"],
            "id_token_signing_alg_values_supported": ["RS256"],
            "subject_types_supported": ["public"],
        }

    def code_for(self, who: str, asked: dict[str, str]) -> str:
        """A code, good for one answer."""
        code = secrets.token_urlsafe(16)
        self.codes[code] = {**asked, "who": who}
        return code

    def tokens(self, given: dict[str, str]) -> dict[str, Any] | None:
        """The answer to a code; None if it is wrong, was used, or lacks its proof."""
        asked = self.codes.pop(given.get("code", ""), None)
        proof = hashlib.sha256(given.get("code_verifier", "").encode()).digest()
        if asked is None or asked["code_challenge"] != base64.urlsafe_b64encode(proof).rstrip(b"=").decode():
            return None
        return {
            "access_token": secrets.token_urlsafe(16),
            "token_type": "Bearer",
            "id_token": self.id_token(asked),
        }

    def id_token(self, asked: dict[str, str]) -> str:
        """Who somebody is, signed; wrongly if there is a mishap."""
        wrong, now = self.mishap, int(time.time())
        now += {"slow": -30, "fast": 30, "future": 600, "expired": -4000, "old": -4000}.get(wrong, 0)
        claims = {
            "iss": "https://elsewhere.example" if wrong == "issuer" else self.issuer,
            "aud": "another-service" if wrong == "audience" else self.client,
            "sub": f"staff-{asked['who']}",
            "nonce": "another" if wrong == "nonce" else asked["nonce"],
            "iat": now,
            "exp": now + (86_400 if wrong == "old" else 300),
            "preferred_username": f"{asked['who']}@ferry.example",
            "email": f"{asked['who']}@ferry.example",
            **PEOPLE[asked["who"]],
        }
        key = RSAKey.generate_key(2048) if wrong == "signature" else self.key
        text = jwt.encode({"alg": "RS256", "kid": self.key.kid}, claims, key)
        if wrong == "unsigned":
            head = base64.urlsafe_b64encode(b'{"alg":"none"}').rstrip(b"=").decode()
            text = f"{head}.{text.split('.')[1]}."
        self.first = self.first or text
        return self.first if wrong == "again" else text


def handler(stand_in: StandIn) -> type[BaseHTTPRequestHandler]:
    """What answers requests."""

    class Handler(BaseHTTPRequestHandler):
        def do_GET(self) -> None:
            place = urlsplit(self.path)
            asked = {name: values[0] for name, values in parse_qs(place.query).items()}
            if place.path == "/.well-known/openid-configuration":
                self.tell(json.dumps(stand_in.facts()))
            elif place.path == "/keys":
                self.tell(json.dumps({"keys": [stand_in.key.as_dict(private=False)]}))
            elif place.path == "/authorize":
                self.authorize(asked)
            elif place.path == "/sign-out":
                stand_in.ended.append(asked.get("id_token_hint", ""))
                self.go(asked["post_logout_redirect_uri"])
            elif place.path == "/ended":
                self.tell(json.dumps(stand_in.ended))
            else:
                self.tell("nothing here", 404)

        def do_POST(self) -> None:
            body = self.rfile.read(int(self.headers.get("Content-Length") or 0)).decode()
            if self.path == "/rotate":
                stand_in.rotate()
            elif self.path.startswith("/mishap/") and self.path.removeprefix("/mishap/") in MISHAPS:
                stand_in.mishap = self.path.removeprefix("/mishap/")
            elif self.path == "/token":
                return self.token({name: values[0] for name, values in parse_qs(body).items()})
            else:
                return self.tell("nothing here", 404)
            return self.tell("{}")

        def authorize(self, asked: dict[str, str]) -> None:
            right = (asked.get("client_id"), asked.get("redirect_uri"), asked.get("code_challenge_method"))
            if right != (stand_in.client, stand_in.return_to, "S256"):
                return self.tell("an unknown service, or no proof of its own", 400)
            who = asked.get("who", "")
            if who in PEOPLE:
                answer = {"code": stand_in.code_for(who, asked), "state": asked["state"], "iss": stand_in.issuer}
                return self.go(f"{asked['redirect_uri']}?{urlencode(answer)}")
            if who == "nobody":
                refused = {
                    "error": "access_denied",
                    "error_description": "nobody was chosen",
                    "state": asked["state"],
                }
                return self.go(f"{asked['redirect_uri']}?{urlencode(refused)}")
            choices = "".join(
                f'<a href="/authorize?{html.escape(urlencode({**asked, "who": who}))}">{html.escape(str(facts["name"]))}'
                f" <small>{html.escape(', '.join(facts['groups']))}</small></a>"
                for who, facts in PEOPLE.items()
            )
            none = f'<a href="/authorize?{html.escape(urlencode({**asked, "who": "nobody"}))}">Nobody of these</a>'
            body = f"<h1>Ferry staff sign-in</h1><p>A stand-in of the demo: choose who you are.</p>{choices}{none}"
            return self.tell(PAGE.format(body=body), kind="text/html; charset=utf-8")

        def token(self, given: dict[str, str]) -> None:
            known = base64.b64encode(f"{stand_in.client}:{stand_in.secret}".encode()).decode()
            if self.headers.get("Authorization") != f"Basic {known}":
                return self.tell('{"error": "invalid_client"}', 401)
            if stand_in.mishap == "nonsense":
                return self.tell("<p>out of order")
            tokens = stand_in.tokens(given)
            return self.tell(json.dumps(tokens)) if tokens else self.tell('{"error": "invalid_grant"}', 400)

        def tell(self, text: str, status: int = 200, kind: str = "application/json") -> None:
            self.send_response(status)
            self.send_header("Content-Type", kind)
            self.send_header("Content-Length", str(len(text.encode())))
            self.end_headers()
            self.wfile.write(text.encode())

        def go(self, address: str) -> None:
            self.send_response(302)
            self.send_header("Location", address)
            self.send_header("Content-Length", "0")
            self.end_headers()

    return Handler


def serve(port: int, client: str, secret: str, return_to: str) -> ThreadingHTTPServer:
    """The provider on a port of loopback, in a thread of its own."""
    server = ThreadingHTTPServer(
        ("127.0.0.1", port), handler(StandIn(f"http://127.0.0.1:{port}", client, secret, return_to))
    )
    threading.Thread(target=server.serve_forever, daemon=True).start()
    return server


if __name__ == "__main__":
    serve(int(sys.argv[1]), *sys.argv[2:5])
    while True:
        time.sleep(3600)
