"""Subscriptions: who is told of changes as they happen, and how far each has come."""

from __future__ import annotations

from django.db import models

from lentra.registry.models.fields import name_field
from lentra.registry.models.records import Record


class Subscription(Record):
    """An address to which changes are sent: of these `kinds`, `verbs`, `realms`, `projects`; of any, where a list is empty.

    `realms` and `projects` are numbers of records. `paused` says why nothing is sent, and is empty while it is. `secret` is
    what events are signed with: it is told once, and not entered in the ledger.
    """

    KIND = "subscription"
    told_secret: str | None = None  # one that was just made
    HIDDEN = ("secret",)

    name = name_field(unique=True)
    endpoint = models.CharField(max_length=500)
    kinds = models.JSONField(default=list)
    verbs = models.JSONField(default=list)
    realms = models.JSONField(default=list)
    projects = models.JSONField(default=list)
    secret = models.CharField(max_length=200)
    paused = models.CharField(max_length=300, default="", blank=True)
    about = models.CharField(max_length=500, default="", blank=True)


class Progress(models.Model):
    """How far a subscription has come: the feed is dealt with up to and including number `sent`.

    While an event is not taken, `tries`, `failing_since` and the `outcome` of the last try tell of it, and it is tried again
    at `due_at`. `taken` counts events that were.
    """

    subscription = models.OneToOneField(
        Subscription, on_delete=models.CASCADE, primary_key=True, related_name="progress"
    )
    sent = models.PositiveBigIntegerField(default=0)
    taken = models.PositiveBigIntegerField(default=0)
    taken_at = models.DateTimeField(null=True)
    tries = models.PositiveIntegerField(default=0)
    failing_since = models.DateTimeField(null=True)
    due_at = models.DateTimeField(null=True)
    outcome = models.CharField(max_length=200, default="")
