"""One call and its tries, without any I/O of its own: what the client and the one for asyncio have in common."""

from __future__ import annotations

import random
import uuid
from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Any
from urllib.parse import parse_qs

from lentra.client.errors import NotReachable, Problem, problem_from

if TYPE_CHECKING:
    import httpx

RETRIED = (502, 503, 504)
_LONGEST_PAUSE = 10


@dataclass(frozen=True)
class Call:
    """One call of the API, below ``/api/v1/``.

    Args:
        safe: it changes nothing, although it is no GET.
    """

    method: str
    path: str
    query: Mapping[str, Any] | None = None
    body: Mapping[str, Any] | None = None
    headers: Mapping[str, str] | None = None
    safe: bool = False

    def may_be_repeated(self) -> bool:
        """Whether it does no harm to send it again when the answer was lost."""
        return (
            self.safe
            or self.method == "GET"
            or "Idempotency-Key" in (self.headers or {})
            or bool((self.query or {}).get("preview"))
        )

    def for_httpx(self, url: str) -> dict[str, Any]:
        """The arguments of httpx's `request`."""
        given = {name: value for name, value in (self.query or {}).items() if value is not None}
        return {
            "method": self.method,
            "url": url + self.path if self.path.startswith("/") else f"{url}/api/v1/{self.path}",
            "params": given or None,
            "json": self.body,
            "headers": dict(self.headers or {}),
        }


@dataclass
class Tries:
    """How often a call is tried, and how long is waited between."""

    call: Call
    url: str
    retries: int
    done: int = field(default=0, init=False)

    def refused(self, answer: httpx.Response) -> float | None:
        """None if the service has done as it was asked; else the seconds to wait before the next try.

        Raises:
            Problem: the service refuses, or has been away or busy too often.
        """
        if answer.is_success:
            return None
        problem = problem_of(answer)
        if answer.status_code not in RETRIED:
            raise problem
        return self._pause(problem)

    def lost(self, error: Exception, again: bool = True) -> float:
        """The seconds to wait before the next try, after one that had no answer, or not all of it.

        Args:
            again: False if some of the answer has been passed on: then it cannot begin anew.

        Raises:
            NotReachable: there is none.
        """
        what = "does not answer" if again else "did not answer to the end"
        failure = NotReachable(f"{self.url} {what}: {_plain(error)}")
        failure.__cause__ = error
        if not again:
            raise failure
        return self._pause(failure)

    def _pause(self, failure: Problem | NotReachable) -> float:
        """What the service says, or longer and longer."""
        self.done += 1
        if self.done > (self.retries if self.call.may_be_repeated() else 0):
            raise failure
        own = min(0.2 * 2**self.done, 5) * random.uniform(0.5, 1)
        said = failure.retry_after if isinstance(failure, Problem) else None
        return own if said is None else min(said, _LONGEST_PAUSE) * random.uniform(0.2, 1)


def settings_of(token: str | None, timeout: float, verify: bool | str) -> dict[str, Any]:
    """The arguments of httpx's clients. Calls are signed with the token, or not at all: never with a name and password
    that a file on this machine has."""
    import ssl  # not where no call is made

    headers = {"User-Agent": "lentra-client"}
    if token:
        headers["Authorization"] = f"Bearer {token}"
    trusted = ssl.create_default_context(cafile=verify) if isinstance(verify, str) else verify
    return {"headers": headers, "timeout": timeout, "verify": trusted}


def next_page(answer: Mapping[str, Any]) -> str | None:
    """The query of the next page, if there is one. The service may be known here by another address than it knows itself."""
    return str(answer["next"]).partition("?")[2] if answer["next"] else None


def next_cursor(page: Mapping[str, Any]) -> dict[str, str] | None:
    """The parameter of the next page, if there is one."""
    query = parse_qs(next_page(page) or "")
    return {"cursor": query["cursor"][0]} if "cursor" in query else None


def of_change(
    method: str,
    body: Mapping[str, Any] | None,
    preview: bool,
    why: str,
    proposal: str | None,
    key: str | None,
    version: int | None,
    said: Mapping[str, Any] | None = None,
) -> dict[str, Any]:
    """What a changing call sends. POSTs always carry an idempotency key, so that trying again never does it twice."""
    headers = {}
    if method == "POST" and not preview:
        headers["Idempotency-Key"] = key or str(uuid.uuid4())
    if version is not None:
        headers["If-Match"] = f'"{version}"'
    sent = dict(body or {})
    if proposal and not preview:
        sent.setdefault("proposal", proposal)
    return {
        "query": {"preview": "true" if preview else None, "why": why or None, **(said or {})},
        "body": sent,
        "headers": headers,
    }


def read(answer: httpx.Response) -> Any:
    """What an answer says."""
    return answer.json()


def problem_of(answer: httpx.Response) -> Problem:
    """What the service refuses with; also where its answer does not say."""
    try:
        document = answer.json()
    except ValueError:
        document = {}
    if isinstance(document, dict) and "errorCode" in document:  # as RDAP says it (RFC 9083, section 6)
        document = {
            "status": answer.status_code,
            "code": {401: "not-signed-in", 404: "not-found", 429: "busy"}.get(answer.status_code, "refused"),
            "title": document.get("title", ""),
            "detail": "; ".join(document.get("description", [])),
        }
    if not isinstance(document, dict) or "code" not in document:
        document = {
            "status": answer.status_code,
            "code": "busy" if answer.status_code in RETRIED else "",
            "detail": f"the service answered {answer.status_code} without saying why",
        }
    problem = problem_from(document)
    problem.request_id = answer.headers.get("X-Request-ID")
    seconds = answer.headers.get("Retry-After", "")
    problem.retry_after = int(seconds) if seconds.isdigit() else None
    return problem


def _plain(error: Exception) -> str:
    import httpx

    text = str(error)
    if isinstance(error, httpx.TimeoutException):
        return "no answer in time"
    if "refused" in text or "connection attempts failed" in text:
        return "connection refused"
    return text.partition("(")[0].strip() or type(error).__name__
