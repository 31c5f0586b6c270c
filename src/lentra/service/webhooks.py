"""Sending alerts to a configured address, signed, until they are taken there.

Each event is a POST of JSON with three headers: `webhook-id` (the same for every try, so that a receiver can tell repeats),
`webhook-timestamp` (seconds since 1970) and `webhook-signature`: ``v1,`` and the base64 of the HMAC-SHA256 (RFC 2104) of
``id.timestamp.body`` under the shared secret. Any answer of 200 to 299 takes the event.
"""

from __future__ import annotations

import base64
import hashlib
import hmac
import json
import logging
import time
from datetime import timedelta

import requests

from lentra.registry.models import Delivery
from lentra.registry.transactions.clock import Clock

logger = logging.getLogger("lentra.alerts")

WAITS = (10, 60, 300, 1800, 7200, 21600, 43200, 86400)  # seconds between two tries; after the last it is given up
_ROUND_SECONDS = 20  # of one round of upkeep, well below its lease
_TIMEOUT = 5


def signature(secret: str, event_id: str, timestamp: str, body: bytes) -> str:
    """The signature of an event."""
    signed = f"{event_id}.{timestamp}.".encode() + body
    return "v1," + base64.b64encode(hmac.new(secret.encode(), signed, hashlib.sha256).digest()).decode()


def send_due(url: str, secret: str, clock: Clock) -> dict[str, int]:
    """Send what is due, the oldest first; what is not taken is put off, longer each time, and in the end given up.

    Returns:
        how many were ``sent``, ``put_off`` and ``given_up``.
    """
    done = {"sent": 0, "put_off": 0, "given_up": 0}
    start = time.monotonic()
    for delivery in Delivery.objects.filter(due_at__lte=clock.now()).order_by("due_at", "pk")[:200]:
        if time.monotonic() - start > _ROUND_SECONDS:
            break
        done[_try(delivery, url, secret, clock)] += 1
    return done


def _try(delivery: Delivery, url: str, secret: str, clock: Clock) -> str:
    body = json.dumps(delivery.body, separators=(",", ":")).encode()
    event_id, timestamp = f"alert-event-{delivery.pk}", str(int(clock.now().timestamp()))
    headers = {
        "Content-Type": "application/json",
        "User-Agent": "lentra",
        "webhook-id": event_id,
        "webhook-timestamp": timestamp,
        "webhook-signature": signature(secret, event_id, timestamp, body),
    }
    try:
        with requests.post(
            url,
            data=body,
            headers=headers,
            timeout=_TIMEOUT,
            allow_redirects=False,
            stream=True,  # the answer's body is not read
            auth=lambda call: call,  # no name and password that a file on this machine has
        ) as answer:
            taken, outcome = 200 <= answer.status_code < 300, f"answered {answer.status_code}"
    except requests.RequestException as failure:
        # The failure's own text has the address in it, which may carry a secret.
        taken, outcome = False, type(failure).__name__
    delivery.tries += 1
    delivery.outcome = outcome
    if taken:
        delivery.due_at, delivery.sent_at, word = None, clock.now(), "sent"
    elif delivery.tries > len(WAITS):
        delivery.due_at, word = None, "given_up"
    else:
        delivery.due_at, word = clock.now() + timedelta(seconds=WAITS[delivery.tries - 1]), "put_off"
    delivery.save()
    logger.info("%s %s: %s, try %d", event_id, word.replace("_", " "), outcome, delivery.tries)
    return word
