"""The inventory of a provider, asked over HTTP in the format `lentra-inventory-1`: pages of objects, and a feed of changes.

``GET ADDRESS/objects?region=R&page=T`` tells a page: its ``objects``, the ``next`` page's token, and the ``position`` of the
feed that the listing goes with; ``GET ADDRESS/changes?after=POSITION`` tells what has changed since: each object ``before``
and ``after``. Both with ``Authorization: Bearer CREDENTIAL`` where there is one.
"""

from __future__ import annotations

import json
import time
from collections.abc import Iterator, Mapping
from typing import Any
from urllib.parse import urlsplit

import httpx
from django.conf import settings

from lentra.addressing.refusal import Refusal
from lentra.reaching import Forbidden, address_of, is_listed
from lentra.registry.models import Source
from lentra.registry.operations.findings.take_survey import Seen
from lentra.sources.asking import Answered, CannotAsk, Progress, bounded
from lentra.sources.documents import refuse_against
from lentra.sources.facts import Collected, seen_of

TIMEOUT, LIFETIME = 10.0, 600.0  # seconds, for one answer and for a survey
_MOST_BYTES = 8 << 20  # of an answer
_FACTS = ("name", "zone", "region", "project", "tag", "gateway", "dhcp", "state", "mac")
_REFUSED = {401: "it refuses the credential", 403: "it refuses the credential", 404: "it has nothing there"}


def ask_inventory(source: Source, credential: str, progress: Progress) -> Answered:
    """All that an inventory has, region by region if the source names some.

    Raises:
        CannotAsk: nobody answers, the credential is refused, or the answer is not what it should be.
        Cancelled.
    """
    seen, position, until = Collected(), "", time.monotonic() + LIFETIME
    with _Asked(source, credential) as asked:
        for region in source.parts or [""]:
            page, known = "", set[str]()
            while True:
                told = asked.get("objects", {"region": region, "page": page})
                position = position or str(told.get("position") or "")
                for n, one in enumerate(told.get("objects") or ()):
                    for sighting in _read(one, f"objects.{n}"):
                        seen.add(sighting)
                bounded(len(seen))
                progress(len(seen))
                page = str(told.get("next") or "")
                if not page:
                    break
                if page in known or time.monotonic() > until:
                    raise CannotAsk(
                        "its pages have no end: one that was told before comes again, or it takes too long"
                    )
                known.add(page)
    return Answered(seen.all(), position)


def follow_inventory(source: Source, credential: str, position: str) -> Answered:
    """What has changed in an inventory since a position of its feed.

    Raises:
        CannotAsk: as for all of it, or the feed does not go back so far.
    """
    seen: dict[tuple[int, int, int, bool], Seen | None] = {}
    with _Asked(source, credential) as asked:
        told = asked.get("changes", {"after": position})
        for n, change in enumerate(told.get("changes") or ()):
            for side in ("before", "after"):
                one = change.get(side)
                if one and (not source.parts or one.get("region") in source.parts):
                    for sighting in _read(one, f"changes.{n}.{side}"):
                        seen[sighting.key] = sighting if side == "after" else None
    return Answered(
        [one for one in seen.values() if one],
        str(told.get("position") or position),
        [key for key, one in seen.items() if one is None],
    )


def _read(one: Mapping[str, Any], where: str) -> Iterator[Seen]:
    """What an object is: a subnet its ranges, an interface that runs its addresses, a public address itself."""
    facts = {name: one[name] for name in _FACTS if one.get(name) not in (None, "")}
    try:
        if one["kind"] == "subnet":
            for text in one["ranges"]:
                yield seen_of({"range": text, **facts, **_routes(one)}, where)
        elif one["kind"] == "interface" and one.get("state") != "stopped":
            public = {"public": one["public"]} if one.get("public") else {}
            for text in one["addresses"]:
                yield seen_of({"address": text, **facts, **(public if ":" not in text else {})}, where)
        elif one["kind"] == "public-address":
            yield seen_of({"address": one["address"], **facts}, where)
    except Refusal as refusal:
        raise CannotAsk(f"an answer that is none: {refusal.field}: {refusal.message}"[:250])


def _routes(one: Mapping[str, Any]) -> dict[str, Any]:
    return {"routes": one["routes"]} if "routes" in one else {}


class _Asked:
    """A connection to an inventory: only to an address that was checked, and with answers that have an end."""

    def __init__(self, source: Source, credential: str) -> None:
        parts = urlsplit(source.address)
        self._host = parts.hostname or ""
        self._port = parts.port or (443 if parts.scheme == "https" else 80)
        if parts.scheme != "https" and not is_listed(self._host, self._port, settings.SOURCE_HOSTS):
            raise CannotAsk(f"{self._host}:{self._port} is not listed, and http would send in the clear")
        try:
            address = address_of(self._host, self._port, settings.SOURCE_HOSTS)
        except (Forbidden, OSError) as why:
            raise CannotAsk(str(why) if isinstance(why, Forbidden) else "nobody knows its name")
        shown = f"[{address}]" if ":" in address else address
        self._base = f"{parts.scheme}://{shown}:{self._port}{parts.path.rstrip('/')}/"
        headers = {"Host": parts.netloc.rpartition("@")[2], "User-Agent": "lentra", "Accept": "application/json"}
        if credential:
            headers["Authorization"] = f"Bearer {credential}"
        self._client = httpx.Client(timeout=TIMEOUT, headers=headers, follow_redirects=False, trust_env=False)

    def __enter__(self) -> _Asked:
        return self

    def __exit__(self, *why: object) -> None:
        self._client.close()

    def get(self, path: str, query: Mapping[str, str]) -> dict[str, Any]:
        """One answer, checked against the schema.

        Raises:
            CannotAsk: there is none, or it is another.
        """
        wanted = {name: value for name, value in query.items() if value}
        until, body = time.monotonic() + 3 * TIMEOUT, bytearray()
        try:
            more = {"sni_hostname": self._host}
            with self._client.stream("GET", self._base + path, params=wanted, extensions=more) as answer:
                if answer.status_code != 200:
                    words = _REFUSED.get(answer.status_code, f"it answers {answer.status_code}")
                    raise CannotAsk(words)
                for part in answer.iter_bytes():
                    body += part
                    if len(body) > _MOST_BYTES or time.monotonic() > until:
                        raise CannotAsk(f"an answer without end: more than {_MOST_BYTES >> 20} MB, or too slow")
        except httpx.TimeoutException:
            raise CannotAsk(f"no answer within {TIMEOUT:.0f} seconds")
        except httpx.HTTPError as why:
            refused = "refused" in str(why).lower()
            raise CannotAsk("nobody listens there" if refused else "it cannot be reached, or speaks no HTTP")
        try:
            told = json.loads(body)
            if not isinstance(told, dict):
                raise ValueError("no object")
            refuse_against(told, "inventory", path)
        except Refusal as refusal:
            raise CannotAsk(f"an answer that is none: {refusal.field}: {refusal.message}"[:250])
        except ValueError:
            raise CannotAsk("an answer that is none: it is no JSON")
        return told
