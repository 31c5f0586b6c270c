"""Plans: whole layouts that were held or committed."""

from __future__ import annotations

from typing import Any

from django.db import models

from lentra.registry.models.fields import name_field
from lentra.registry.models.records import Record
from lentra.registry.models.setup import Project, Realm

PLAN_STATES = ("held", "committed")


class Plan(Record):
    """A project's layout over zones and tiers, as it was last held or committed.

    `document` is the plan as read, `source` its text as written. Its subnets and reservations point here; each
    subnet fills one slot: ``zone/tier/number``. `accepted` has the departures that were taken over into it:
    slot -> what differs.
    """

    KIND = "plan"
    HIDDEN = ("source",)

    realm = models.ForeignKey(Realm, on_delete=models.PROTECT, related_name="plans", db_index=False)
    project = models.ForeignKey(Project, on_delete=models.PROTECT, related_name="plans")
    name = name_field()
    state = models.CharField(max_length=10, choices=[(s, s) for s in PLAN_STATES])
    document: Any = models.JSONField()
    accepted: Any = models.JSONField(default=dict, blank=True)
    source = models.TextField(default="", blank=True)
    ends_at = models.DateTimeField(null=True)
    changed_at = models.DateTimeField()

    class Meta:
        constraints = [models.UniqueConstraint(fields=["realm", "name"], name="plan_name_in_realm")]
