"""Signing in by a browser that comes back to this terminal, or shows a code to be brought here (RFC 8252)."""

from __future__ import annotations

import hmac
import secrets
import sys
import time
import webbrowser
from collections.abc import Callable
from http.server import BaseHTTPRequestHandler, HTTPServer
from urllib.parse import parse_qs, urlencode, urlsplit

from lentra.cli.context import WrongUse
from lentra.client import new_challenge

_WAITS = 300.0  # seconds for somebody to sign in over there
_PAGE = """<!doctype html><html lang="en"><head><meta charset="utf-8"><title>{title} · Lentra</title></head>
<body style="font: 1.1rem/1.5 system-ui, sans-serif; margin: 4rem auto; max-width: 30rem">
<h1>{title}</h1><p>{words}</p></body></html>"""


def code_by_browser(service: str, name: str) -> tuple[str, str]:
    """A code that a browser on this machine brings, and the verifier that makes it good.

    Raises:
        WrongUse: nobody has let this terminal in, or not in time.
    """
    verifier, challenge = new_challenge()
    state = secrets.token_urlsafe(24)
    brought: dict[str, str] = {}

    class Waiting(BaseHTTPRequestHandler):
        """Takes what the browser brings."""

        def do_GET(self) -> None:
            query = {key: values[0] for key, values in parse_qs(urlsplit(self.path).query).items()}
            ours = hmac.compare_digest(query.get("state", "").encode(), state.encode())
            if ours:
                brought.update(query)
            good = ours and "code" in query
            title = "Signed in" if good else "Not signed in"
            words = "Go back to the terminal." if good else "This is not what the terminal waits for."
            if ours and not good:
                words = "The terminal is told so."
            page = _PAGE.format(title=title, words=words).encode()
            self.send_response(200 if ours else 400)
            for header, value in (
                ("Content-Type", "text/html; charset=utf-8"),
                ("Content-Length", str(len(page))),
            ):
                self.send_header(header, value)
            self.end_headers()
            self.wfile.write(page)

        def log_message(self, format: str, *values: object) -> None:
            """Nothing is logged: what comes here is secret."""

    with HTTPServer(("127.0.0.1", 0), Waiting) as server:
        server.timeout = 1
        asked = {"name": name, "challenge": challenge, "port": server.server_port, "state": state}
        address = f"{service}/sign-in/terminal?{urlencode(asked)}"
        _tell(address)
        webbrowser.open(address)
        end = time.monotonic() + _WAITS
        while not brought and time.monotonic() < end:
            server.handle_request()
    if not brought:
        raise WrongUse(f"nobody has let this terminal in within {_WAITS / 60:.0f} minutes")
    if "code" not in brought:
        raise WrongUse("this terminal was not let in: nothing was changed")
    return brought["code"], verifier


def code_brought(service: str, name: str, ask: Callable[[str], str]) -> tuple[str, str]:
    """A code that is brought here by hand, and the verifier that makes it good: the browser may be on any machine."""
    verifier, challenge = new_challenge()
    _tell(f"{service}/sign-in/terminal?{urlencode({'name': name, 'challenge': challenge})}")
    return ask("The code that it shows: ").strip(), verifier


def _tell(address: str) -> None:
    print(
        f"Open this address in a browser, and let the terminal in there:\n  {address}", file=sys.stderr, flush=True
    )
