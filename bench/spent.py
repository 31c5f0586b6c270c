"""Where the time of a hand-out goes, and that of the bare insert: one call after the other, in this process."""

from __future__ import annotations

import functools
import io
import json
import os
import resource
import subprocess
import sys
import time
import uuid
from collections.abc import Callable
from typing import Any

from bench import ground

_CALLS = 400
_WARM = 60


class Watch:
    """Adds up seconds by part: of what is nested in another, only its own."""

    def __init__(self) -> None:
        self.seconds: dict[str, float] = {}
        self._open: list[str] = []
        self._since = 0.0

    def of(self, owner: Any, name: str, part: str) -> None:
        """Count whatever a function does as a part."""
        work = getattr(owner, name)

        @functools.wraps(work)
        def watched(*given: Any, **named: Any) -> Any:
            self._turn()
            self._open.append(part)
            try:
                return work(*given, **named)
            finally:
                self._turn()
                self._open.pop()

        setattr(owner, name, watched)

    def _turn(self) -> None:
        now = time.perf_counter()
        if self._open:
            self.seconds[self._open[-1]] = self.seconds.get(self._open[-1], 0) + now - self._since
        self._since = now


def measure() -> list[tuple[str, str, str]]:
    """Rows of (what, measured, aim)."""
    from django.conf import settings

    settings.ALLOWED_HOSTS, settings.ROOT_URLCONF = ["testserver"], "bench.plain"
    for n in range(10):
        ground.add_pool(f"http-{n}", f"172.{n}.0.0/16")
    with _cursor() as cursor:
        cursor.execute(
            "CREATE TABLE IF NOT EXISTS bench_plain (id BIGINT AUTO_INCREMENT PRIMARY KEY, name VARCHAR(100))"
        )
    watch = _watched()
    rows = []
    for what, ask in (("a hand-out", _hand_out), ("the bare insert", _insert)):
        for n in range(_WARM):
            ask(n)
        watch.seconds.clear()
        for n in range(_CALLS):
            ask(n)
        whole = sum(watch.seconds.values())
        shown = ", ".join(
            f"{part} {1000 * spent / _CALLS:.2f} ({100 * spent / whole:.0f} %)"
            for part, spent in sorted(watch.seconds.items(), key=lambda item: -item[1])
        )
        rows.append((f"(where {what} spends its {1000 * whole / _CALLS:.1f} ms, one at a time)", shown, ""))
    return rows


def load_share(address: str) -> tuple[str, str, str]:
    """What the load generator itself takes of the processors, while it measures hand-outs."""
    before, start = resource.getrusage(resource.RUSAGE_CHILDREN), time.perf_counter()
    subprocess.run(
        [sys.executable, "-m", "bench.load", address, "many", "16", "5"], check=True, capture_output=True
    )
    after, seconds = resource.getrusage(resource.RUSAGE_CHILDREN), time.perf_counter() - start
    spent = after.ru_utime + after.ru_stime - before.ru_utime - before.ru_stime
    share = 100 * spent / (seconds * (os.cpu_count() or 1))
    return "(the load generator's own share of the processors)", f"{share:.0f} %", ""


def _watched() -> Watch:
    from django.core.handlers.wsgi import WSGIHandler
    from rest_framework.renderers import JSONRenderer
    from rest_framework.request import Request

    from bench.plain import Plain
    from lentra.api import changes
    from lentra.api.plain import PlainReader
    from lentra.api.serializers.subnets import SubnetSerializer
    from lentra.api.signing_in import TokenSignIn
    from lentra.registry.requests.allocation import Allocator
    from lentra.registry.space import locking
    from lentra.registry.transactions.sql import Batch
    from lentra.service.mysql.base import DatabaseWrapper

    watch = Watch()
    watch.of(WSGIHandler, "__call__", "framework")
    watch.of(TokenSignIn, "authenticate", "signing in")
    watch.of(Request, "_load_data_and_files", "reading")
    watch.of(PlainReader, "read", "reading")
    watch.of(changes, "run_transaction", "the change")
    watch.of(locking, "read_together", "lock and what is asked under it")
    watch.of(Allocator, "allocate", "search")
    watch.of(Batch, "send", "writes and commit")
    watch.of(Plain, "post", "insert")
    watch.of(DatabaseWrapper, "_commit", "commit")
    watch.of(SubnetSerializer, "to_representation", "answer")
    watch.of(JSONRenderer, "render", "answer")
    return watch


def _hand_out(n: int) -> None:
    k = n % 10
    body = {"pool": f"http-{k}", "project": "ticketing", "tier": f"t-{k}", "zone": f"z-{k}", "length": 30}
    _post("/api/v1/subnets", body, HTTP_IDEMPOTENCY_KEY=uuid.uuid4().hex)


def _insert(n: int) -> None:
    _post("/plain", {"name": f"row {n}"})


@functools.cache
def _application() -> Callable[..., Any]:
    from django.core.wsgi import get_wsgi_application

    return get_wsgi_application()


def _post(path: str, body: dict[str, Any], **headers: str) -> None:
    sent, answers = json.dumps(body).encode(), []
    environment = {
        "REQUEST_METHOD": "POST",
        "PATH_INFO": path,
        "SERVER_NAME": "testserver",
        "SERVER_PORT": "80",
        "CONTENT_LENGTH": str(len(sent)),
        "CONTENT_TYPE": "application/json",
        "HTTP_AUTHORIZATION": f"Bearer {os.environ['BENCH_TOKEN']}",
        "REMOTE_ADDR": "127.0.0.1",
        "wsgi.url_scheme": "http",
        "wsgi.input": io.BytesIO(sent),
        "wsgi.errors": sys.stderr,
        **headers,
    }
    answer = _application()(environment, lambda status, *_: answers.append(status))
    told = b"".join(answer)
    answer.close()
    assert answers[0].startswith("201"), told


def _cursor() -> Any:
    from django.db import connection

    return connection.cursor()
