"""What has ended counts as ended in every answer, although a call that looks changes nothing.

Where something is due that upkeep has not ended yet, the call runs in a transaction in which it is ended, and which is
then undone. Usually nothing is due, and that costs one indexed statement.
"""

from __future__ import annotations

import logging
from collections.abc import Callable, Iterator

from django.db import DatabaseError, InterfaceError
from django.http import HttpRequest, HttpResponse

from lentra.registry.errors import Busy
from lentra.registry.space.looking import nothing_is_due, seen_as_ended
from lentra.registry.transactions.clock import Clock, SystemClock

logger = logging.getLogger(__name__)
_ASKED_BY_POST = "/api/v1/check-ranges"
_SNAPSHOT = "/api/v1/verify"  # looks at the registry as it is, in a transaction of its own


def see_ended(answer: Callable[[HttpRequest], HttpResponse]) -> Callable[[HttpRequest], HttpResponse]:
    """Middleware: GETs of the API (and the one question that comes by POST) see what is due as ended."""

    def middleware(request: HttpRequest) -> HttpResponse:
        if not _looks(request):
            return answer(request)
        clock = SystemClock()
        try:
            if nothing_is_due(clock):
                return answer(request)
            with seen_as_ended(clock):
                given = answer(request)
            return _told_later(given, clock) if given.streaming else given
        except (Busy, DatabaseError, InterfaceError) as failure:  # the call itself says what is wrong
            logger.warning("what is due could not be seen as ended: %s", failure.args[:1])
            return answer(request)

    return middleware


def _told_later(given: HttpResponse, clock: Clock) -> HttpResponse:
    """An answer whose rows are only read while they are sent: in such a transaction of their own."""
    rows = given.streaming_content

    def seen() -> Iterator[bytes]:
        with seen_as_ended(clock):
            yield from rows

    given.streaming_content = seen()
    return given


def _looks(request: HttpRequest) -> bool:
    if not request.path.startswith("/api/v1/") or request.path == _SNAPSHOT:
        return False
    return request.method in ("GET", "HEAD") or request.path == _ASKED_BY_POST
