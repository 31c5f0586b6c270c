"""Sending what a subscription asks for: in the order of commits, each event again until it is taken.

An event is noted as sent after it was taken, so one whose note is lost comes a second time under the same id: at least once.
"""

from __future__ import annotations

import json
import logging
from collections.abc import Callable
from datetime import timedelta

from django.core.serializers.json import DjangoJSONEncoder

from lentra.publishing.events import entries_for, event_of, of_projects, realm_names
from lentra.publishing.posting import Outcome, Post
from lentra.registry.models import LedgerEntry, Progress, Subscription
from lentra.registry.operations.subscriptions.subscribe import pause_subscription
from lentra.registry.transactions.clock import Clock
from lentra.registry.transactions.feed import read_feed
from lentra.registry.transactions.run import run_transaction

logger = logging.getLogger("lentra.events")

MEDIA = "application/cloudevents+json; charset=utf-8"
WAITS = (1, 5, 15, 60, 300, 900, 3600)  # seconds between two tries of an event; the last goes on
PAUSED_AFTER = timedelta(days=1)  # of failing
_AT_ONCE = 100


def deliver(number: int, clock: Clock, still_ours: Callable[[], bool] = lambda: True) -> int:
    """Send what a subscription has not been sent yet, until one is not taken; returns how many were taken.

    Args:
        still_ours: asked before each event: False once another process sends.
    """
    taken = 0
    while part := _next(number, clock):
        subscription, progress, entries, after = part
        post, realms = Post(subscription.endpoint, subscription.secret), realm_names()
        try:
            for entry in entries:
                if not still_ours():
                    return taken
                body = json.dumps(event_of(entry, realms), cls=DjangoJSONEncoder, separators=(",", ":")).encode()
                outcome = post.send(str(entry.number), body, MEDIA)
                if not outcome.taken:
                    _put_off(subscription, progress, entry, outcome, clock)
                    return taken
                taken += 1
                if not _taken(progress, entry.number, outcome, clock):
                    return taken  # somebody has it begin elsewhere
        finally:
            post.close()
        if not Progress.objects.filter(pk=number, sent=progress.sent).update(sent=after):
            return taken
    return taken


def _next(number: int, clock: Clock) -> tuple[Subscription, Progress, list[LedgerEntry], int] | None:
    """The next part of the feed for a subscription; nothing if it is paused, to be waited for, or has come to the end."""
    progress = Progress.objects.select_related("subscription").filter(pk=number).first()
    if progress is None or progress.subscription.paused or (progress.due_at and progress.due_at > clock.now()):
        return None
    subscription = progress.subscription
    part = read_feed(entries_for(subscription), progress.sent, _AT_ONCE)
    if part.after == progress.sent:
        return None
    return subscription, progress, of_projects(part.entries, subscription.projects), part.after


def _taken(progress: Progress, number: int, outcome: Outcome, clock: Clock) -> bool:
    """Note that an event was taken; False if its subscription has been set to another place meanwhile."""
    fresh = {"tries": 0, "failing_since": None, "due_at": None, "outcome": outcome.words, "taken_at": clock.now()}
    rows = Progress.objects.filter(pk=progress.pk, sent=progress.sent)
    if not rows.update(sent=number, taken=progress.taken + 1, **fresh):
        return False
    progress.sent, progress.taken = number, progress.taken + 1
    return True


def _put_off(
    subscription: Subscription, progress: Progress, entry: LedgerEntry, outcome: Outcome, clock: Clock
) -> None:
    """Note that an event was not taken, and when it is tried again; after a long time, pause the subscription."""
    now = clock.now()
    since = progress.failing_since or now
    wait = WAITS[min(progress.tries, len(WAITS) - 1)]
    Progress.objects.filter(pk=progress.pk, sent=progress.sent).update(
        tries=progress.tries + 1,
        failing_since=since,
        due_at=now + timedelta(seconds=wait),
        outcome=outcome.words[:200],
    )
    logger.info(
        "subscription %s: event %d: %s, try %d", subscription.name, entry.number, outcome.words, progress.tries + 1
    )
    if now - since >= PAUSED_AFTER:
        reason = f"event {entry.number} has not been taken since {since:%Y-%m-%d %H:%M} UTC: {outcome.words}"
        run_transaction(lambda change: pause_subscription(change, subscription.pk, reason), clock=clock)
