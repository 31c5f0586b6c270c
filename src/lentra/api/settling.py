"""What has ended counts as ended in every answer: before a call looks, whatever is due ends."""

from __future__ import annotations

import logging
from collections.abc import Callable

from django.db import DatabaseError
from django.http import HttpRequest, HttpResponse

from lentra.registry.clock import SystemClock
from lentra.registry.endings import settle_all_due
from lentra.registry.errors import Busy

logger = logging.getLogger(__name__)


def settle_first(answer: Callable[[HttpRequest], HttpResponse]) -> Callable[[HttpRequest], HttpResponse]:
    """Middleware: holds, cooling and reservations that are due end before a GET of the API. One statement if none is."""

    def middleware(request: HttpRequest) -> HttpResponse:
        if request.method == "GET" and request.path.startswith("/api/v1/"):
            try:
                settle_all_due(SystemClock())
            except (Busy, DatabaseError) as failure:  # upkeep will do it; the call itself says what is wrong
                logger.warning("what is due could not be ended: %s", failure.args[:1])
        return answer(request)

    return middleware
