"""Links: which realms are joined, and what they let each other see."""

from __future__ import annotations

from typing import Any

from django.db import models

from lentra.registry.models.fields import name_field
from lentra.registry.models.records import Record
from lentra.registry.models.setup import Realm

LINK_KINDS = ("tunnel", "peering", "shared-router", "exchange")


class Link(Record):
    """A declared connection of two realms, which must not clash where they reach each other.

    `one_shows` are the ranges (as texts) that the realm `one` lets the other see of it, all if there are none; `other_shows`
    the same of the other. Traffic goes on to further realms over links that pass on. `since` or from when it is there. One
    over clashes of what is in use needs a `reason`.
    """

    KIND = "link"

    name = name_field(unique=True)
    one = models.ForeignKey(Realm, on_delete=models.PROTECT, related_name="links")
    other = models.ForeignKey(Realm, on_delete=models.PROTECT, related_name="links_to")
    kind = models.CharField(max_length=16, choices=[(k, k) for k in LINK_KINDS], default="tunnel")
    one_shows: Any = models.JSONField(default=list, blank=True)
    other_shows: Any = models.JSONField(default=list, blank=True)
    passes_on = models.BooleanField(default=False)
    since = models.DateField(null=True, blank=True)
    reason = models.CharField(max_length=300, default="", blank=True)
    about = models.CharField(max_length=500, default="", blank=True)
