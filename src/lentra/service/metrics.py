"""Metrics in OpenMetrics text: what this service has answered, and how full its pools are.

Counters of all service processes are kept in files of one folder (PROMETHEUS_MULTIPROC_DIR, set by the launcher) and
added up when read; without the folder they are those of the process that answers. Usage is read from the counters of the
registry. Labels are bounded: names of calls, problem codes, pools, families, states.
"""

from __future__ import annotations

import logging
import os
import time
from collections.abc import Callable, Iterator

from django.conf import settings
from django.db.models import Count
from django.http import HttpRequest, HttpResponse
from django.utils.crypto import constant_time_compare
from prometheus_client import CollectorRegistry, Counter, Histogram
from prometheus_client.core import GaugeMetricFamily
from prometheus_client.metrics_core import Metric
from prometheus_client.multiprocess import MultiProcessCollector
from prometheus_client.openmetrics.exposition import CONTENT_TYPE_LATEST, generate_latest
from prometheus_client.registry import REGISTRY, Collector

from lentra.addressing.extents import State
from lentra.addressing.headroom import THRESHOLDS
from lentra.registry.models import Alert, Finding, Outlook, Source, Space
from lentra.registry.transactions.clock import SystemClock

logger = logging.getLogger("lentra.answers")

_ANSWERS = Counter(
    "lentra_answers", "Answers of the API by call and outcome: ok, or the problem's code.", ["call", "outcome"]
)
_SECONDS = Histogram(
    "lentra_answer_seconds",
    "Seconds until an answer of the API.",
    ["call"],
    buckets=(0.005, 0.01, 0.025, 0.05, 0.1, 0.25, 0.5, 1, 2.5, 5, 10),
)
_TRIES = Counter("lentra_retries", "Changes that were tried again after a clash with another.")
_UPKEEP = Counter(
    "lentra_upkeep",
    "Work of upkeep: what ended, readings, outlooks, alerts, deliveries, keys forgotten.",
    ["what"],
)


def count_retry() -> None:
    """A change is tried again."""
    _TRIES.inc()


def count_upkeep(done: dict[str, int]) -> None:
    """What one run of upkeep has done."""
    for what, count in done.items():
        _UPKEEP.labels(what).inc(count)


def measured(answer: Callable[[HttpRequest], HttpResponse]) -> Callable[[HttpRequest], HttpResponse]:
    """Middleware: counts and times every answer of the API; refusals go into the log, changes are in the ledger."""

    def middleware(request: HttpRequest) -> HttpResponse:
        start = time.perf_counter()
        response = answer(request)
        match = request.resolver_match
        if match and match.url_name and request.path.startswith("/api/v1/"):
            call = f"{request.method} {match.url_name}"
            outcome, seconds = _outcome(response), time.perf_counter() - start
            _ANSWERS.labels(call, outcome).inc()
            _SECONDS.labels(call).observe(seconds)
            if outcome != "ok":
                logger.info("%s %s in %.0f ms", call, outcome, 1000 * seconds)
        return response

    return middleware


def _outcome(response: HttpResponse) -> str:
    if response.status_code < 400:
        return "ok"
    data = getattr(response, "data", None)
    code = data.get("code") if isinstance(data, dict) else None
    return str(code or response.status_code)


class PoolUsage(Collector):
    """Usage and headroom of every pool, from its counters, its outlook and its alerts, in three statements."""

    def collect(self) -> Iterator[Metric]:
        names = ["realm", "pool", "family"]
        addresses = GaugeMetricFamily(
            "lentra_pool_addresses", "Addresses of a pool by state.", labels=[*names, "state"]
        )
        share = GaugeMetricFamily("lentra_pool_used_ratio", "Share of a pool that is not free.", labels=names)
        largest = GaugeMetricFamily(
            "lentra_pool_largest_free_length", "Prefix length of a pool's largest free block.", labels=names
        )
        for space in Space.objects.select_related("pool__realm").order_by("pool", "family"):
            usage = space.usage()
            labels = [space.pool.realm.name, space.pool.name, str(space.family)]
            for state in State:
                addresses.add_metric([*labels, state.word], float(usage.addresses[state]))
            share.add_metric(labels, usage.used_percent / 100)
            if usage.largest_free is not None:
                largest.add_metric(labels, usage.largest_free)
        days = GaugeMetricFamily(
            "lentra_pool_threshold_days",
            "Days until a pool likely reaches a threshold; none where that is not in sight.",
            labels=[*names, "threshold"],
        )
        today = SystemClock().now().date()
        for outlook in Outlook.objects.standing().select_related("space__pool__realm").order_by("pk"):
            pool = outlook.space.pool
            labels = [pool.realm.name, pool.name, str(outlook.space.family)]
            for threshold in THRESHOLDS:
                if day := outlook.day_of(threshold):
                    days.add_metric([*labels, threshold], (day - today).days)
        alerts = GaugeMetricFamily(
            "lentra_alerts", "Alerts that are open and not muted.", labels=[*names, "kind", "threshold", "stage"]
        )
        now = SystemClock().now()
        counts: dict[tuple[str, ...], int] = {}
        for alert in Alert.objects.exclude(living=None).select_related("realm", "pool"):
            where = (alert.realm.name, alert.pool.name if alert.pool else "", str(alert.family or ""))
            if not alert.is_muted(now):
                key: tuple[str, ...] = (*where, alert.kind, alert.threshold or "", alert.stage or "")
                counts[key] = counts.get(key, 0) + 1
        for key, count in counts.items():
            alerts.add_metric(list(key), count)
        findings = GaugeMetricFamily(
            "lentra_findings", "Findings that are open, by kind.", labels=["realm", "kind"]
        )
        rows = Finding.objects.filter(state="open").values_list("realm__name", "kind").annotate(count=Count("pk"))
        for realm, kind, count in rows.order_by("realm__name", "kind"):
            findings.add_metric([realm, kind], count)
        seen = GaugeMetricFamily(
            "lentra_source_seen_seconds", "Seconds since a source looked last.", labels=["realm", "source"]
        )
        for source in Source.objects.exclude(seen_at=None).select_related("realm").order_by("name"):
            assert source.seen_at
            seen.add_metric([source.realm.name, source.name], (now - source.seen_at).total_seconds())
        yield from (addresses, share, largest, days, alerts, findings, seen)


def metrics(request: HttpRequest) -> HttpResponse:
    """All metrics, for who sends LENTRA_METRICS_TOKEN as bearer token; for everybody with LENTRA_METRICS_OPEN=1."""
    given = request.headers.get("Authorization", "").removeprefix("Bearer ")
    wanted = settings.METRICS_TOKEN
    if not settings.METRICS_OPEN and not (wanted and constant_time_compare(given, wanted)):
        told = "a token is needed here\n" if wanted else "closed: see LENTRA_METRICS_TOKEN in docs/operations.md\n"
        return HttpResponse(told, status=401 if wanted else 403, content_type="text/plain")
    registry = CollectorRegistry()
    if os.environ.get("PROMETHEUS_MULTIPROC_DIR"):
        MultiProcessCollector(registry)
    else:
        registry.register(REGISTRY)
    registry.register(PoolUsage())
    return HttpResponse(generate_latest(registry), content_type=CONTENT_TYPE_LATEST)
