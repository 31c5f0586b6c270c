"""What is foreseen: needs that are planned, each pool's outlook, and alerts when a threshold is near or crossed."""

from __future__ import annotations

from typing import Any

from django.db import models

from lentra.addressing.prefix import BITS
from lentra.registry.models.fields import CountField, name_field
from lentra.registry.models.records import Record
from lentra.registry.models.setup import Project
from lentra.registry.models.space import Pool, Space

THRESHOLDS = ("warning", "critical", "full")
ALERT_STAGES = ("near", "reached")


class PlannedNeed(Record):
    """Blocks that will be asked for on a day: a step in the forecast of their pool until that day has passed.

    `plan` is the name of the plan it was taken from, if it was.
    """

    KIND = "planned need"

    name = name_field(120, unique=True)
    pool = models.ForeignKey(Pool, on_delete=models.PROTECT, related_name="planned_needs")
    family = models.PositiveSmallIntegerField(default=4)
    length = models.PositiveSmallIntegerField()
    count = models.PositiveIntegerField(default=1)
    day = models.DateField(db_index=True)
    project = models.ForeignKey(Project, null=True, on_delete=models.PROTECT, related_name="planned_needs")
    plan = name_field(default="", blank=True)
    reason = models.CharField(max_length=300)

    @property
    def addresses(self) -> int:
        """Addresses of all its blocks together."""
        return self.count << (BITS[self.family] - self.length)


class Outlook(models.Model):
    """The forecast of one space as of its last reading: growth a month, and the likely day of each threshold.

    `day` is that of the reading; a threshold's is empty where it is not in sight. `asked` has, per length, the blocks handed
    out in the window and those with the room behind them. `facts` is what an overview tells.
    """

    space = models.OneToOneField(Space, on_delete=models.CASCADE, primary_key=True)
    day = models.DateField(db_index=True)
    used: Any = CountField(default=0)
    warning_on = models.DateField(null=True, db_index=True)
    critical_on = models.DateField(null=True, db_index=True)
    full_on = models.DateField(null=True, db_index=True)
    asked = models.JSONField(default=dict)
    facts = models.JSONField(default=dict)


class Alert(models.Model):
    """A threshold of a pool that is reached, or will be soon. One per crossing: it ends when use falls back.

    `living` keeps it single while it lasts, and is empty after that.
    """

    pool = models.ForeignKey(Pool, on_delete=models.CASCADE, related_name="alerts")
    family = models.PositiveSmallIntegerField()
    threshold = models.CharField(max_length=8, choices=[(t, t) for t in THRESHOLDS])
    stage = models.CharField(max_length=8, choices=[(s, s) for s in ALERT_STAGES])
    opened_at = models.DateTimeField(db_index=True)
    resolved_at = models.DateTimeField(null=True)
    living = models.CharField(max_length=60, null=True, unique=True)
    text = models.CharField(max_length=300)


class Delivery(models.Model):
    """An event of an alert that is sent to a configured address until it is taken there, or given up."""

    alert = models.ForeignKey(Alert, on_delete=models.CASCADE, related_name="deliveries")
    event = models.CharField(max_length=10)
    body = models.JSONField()
    tries = models.PositiveSmallIntegerField(default=0)
    due_at = models.DateTimeField(null=True, db_index=True)
    sent_at = models.DateTimeField(null=True)
    outcome = models.CharField(max_length=100, default="")
