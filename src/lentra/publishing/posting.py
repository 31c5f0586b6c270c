"""Posting a signed event to an address, and only to one that may be sent to.

Three headers come with each: `webhook-id` (the same for every try, so that a receiver can tell repeats), `webhook-timestamp`
(seconds since 1970) and `webhook-signature`: ``v1,`` and the base64 of the HMAC-SHA256 (RFC 2104) of ``id.timestamp.body``
under the shared secret. Any answer of 200 to 299 takes the event; no redirect is followed.
"""

from __future__ import annotations

import base64
import hashlib
import hmac
import http.client
import socket
import ssl
import time
from dataclasses import dataclass
from urllib.parse import urlsplit

from django.conf import settings

from lentra.reaching import Forbidden, address_of, is_listed

TIMEOUT = 5.0  # seconds
_FAILURES: tuple[tuple[type[Exception], str], ...] = (
    (socket.gaierror, "nobody knows its name"),
    (ConnectionRefusedError, "nobody listens there"),
    (TimeoutError, f"no answer within {TIMEOUT:.0f} seconds"),
    (ssl.SSLError, "its certificate is not trusted"),
    (http.client.HTTPException, "an answer that is none"),
)
_MOST_READ = 65_536  # of an answer, so that the connection can be used again


@dataclass(frozen=True)
class Outcome:
    """What became of one try, in few words that give no secret away."""

    taken: bool
    words: str


def signature(secret: str, event_id: str, timestamp: str, body: bytes) -> str:
    """The signature of an event."""
    signed = f"{event_id}.{timestamp}.".encode() + body
    return "v1," + base64.b64encode(hmac.new(secret.encode(), signed, hashlib.sha256).digest()).decode()


class Post:
    """A connection to one address, for event after event. Where it leads is looked up, and checked, each time it is made."""

    def __init__(self, url: str, secret: str) -> None:
        self._parts = urlsplit(url)
        self._secret = secret
        self._host = self._parts.hostname or ""
        self._port = self._parts.port or (443 if self._parts.scheme == "https" else 80)
        self._connection: http.client.HTTPConnection | None = None
        self._used = 0  # how often

    def send(self, event_id: str, body: bytes, media_type: str) -> Outcome:
        """Send one event; never raises for what the other side does."""
        timestamp = str(int(time.time()))
        headers = {
            "Content-Type": media_type,
            "User-Agent": "lentra",
            "webhook-id": event_id,
            "webhook-timestamp": timestamp,
            "webhook-signature": signature(self._secret, event_id, timestamp, body),
        }
        try:
            try:
                status = self._posted(body, headers)
            except ConnectionError:
                if self._connection is None or self._used < 2:
                    raise
                self.close()  # one that was kept open, and that the other side has closed meanwhile
                status = self._posted(body, headers)
            return Outcome(200 <= status < 300, f"answered {status}")
        except Forbidden as why:
            self.close()
            return Outcome(False, str(why))
        except (OSError, http.client.HTTPException) as failure:
            self.close()
            # The failure's own text has the address in it, which may carry a secret.
            return Outcome(
                False, next((words for kind, words in _FAILURES if isinstance(failure, kind)), "no answer")
            )

    def close(self) -> None:
        """Close the connection, if there is one."""
        if self._connection:
            self._connection.close()
        self._connection, self._used = None, 0

    def _posted(self, body: bytes, headers: dict[str, str]) -> int:
        """Post over the connection that there is, or a new one; the status of the answer."""
        connection = self._connection or self._connected()
        self._used += 1
        path = (self._parts.path or "/") + (f"?{self._parts.query}" if self._parts.query else "")
        connection.request("POST", path, body, headers)
        answer = connection.getresponse()
        if len(answer.read(_MOST_READ)) == _MOST_READ or answer.will_close:
            self.close()
        return answer.status

    def _connected(self) -> http.client.HTTPConnection:
        """A new connection to an address that has been checked: what was looked up is what is spoken to."""
        listed = is_listed(self._host, self._port, settings.EVENT_HOSTS)
        if self._parts.scheme != "https" and not listed:
            raise Forbidden(f"{self._host}:{self._port} is not listed, and http would send in the clear")
        address = address_of(self._host, self._port, settings.EVENT_HOSTS)
        plain = socket.create_connection((address, self._port), TIMEOUT)
        connection: http.client.HTTPConnection
        if self._parts.scheme == "https":
            connection = http.client.HTTPSConnection(self._host, self._port, timeout=TIMEOUT)
            connection.sock = ssl.create_default_context().wrap_socket(plain, server_hostname=self._host)
        else:
            connection = http.client.HTTPConnection(self._host, self._port, timeout=TIMEOUT)
            connection.sock = plain
        self._connection = connection
        return connection
