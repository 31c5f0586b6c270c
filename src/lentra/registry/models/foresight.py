"""What is foreseen: needs that are planned, each pool's outlook, and alerts when a threshold is near or crossed."""

from __future__ import annotations

from datetime import date, datetime
from typing import Any

from django.db import models
from django.db.models import Count, F, Max, OuterRef, Subquery
from django.db.models.functions import Coalesce

from lentra.addressing.headroom import THRESHOLDS
from lentra.addressing.prefix import BITS
from lentra.registry.models.fields import CountField, name_field
from lentra.registry.models.records import Record
from lentra.registry.models.setup import Project, Realm
from lentra.registry.models.space import Pool, Space

ALERT_STAGES = ("near", "reached")
ALERT_KINDS = ("threshold", "verification", "review", "findings", "source")


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


class Outlooks(models.QuerySet["Outlook"]):
    """Outlooks, with what they stand on beside them."""

    def with_basis(self) -> Outlooks:
        """Annotated with the latest entries of pool and needs, and how many needs there are."""
        return self.annotate(**basis_of("space__pool"))

    def standing(self) -> Outlooks:
        """Those whose pool and planned needs are still what they were."""
        rows = self.with_basis()
        return rows.filter(pool_entry=F("now_pool"), needs_entry=F("now_needs"), needs_count=F("now_count"))


def basis_of(pool: str) -> dict[str, Any]:
    """Annotations that tell what an outlook stands on; `pool` is the way to the pool."""
    needs = PlannedNeed.objects.filter(pool=OuterRef(pool)).order_by().values("pool")
    number = models.PositiveBigIntegerField()
    return {
        "now_pool": F(f"{pool}__last_entry"),
        "now_needs": Coalesce(Subquery(needs.annotate(n=Max("last_entry")).values("n")), 0, output_field=number),
        "now_count": Coalesce(Subquery(needs.annotate(n=Count("pk")).values("n")), 0, output_field=number),
    }


class Outlook(models.Model):
    """The forecast of one space as of its last reading: growth a month, and the likely day of each threshold.

    `day` is that of the reading; a threshold's is empty where it is not in sight. `asked` has, per length, the blocks handed
    out in the window and those with the room behind them. `facts` is what an overview tells. It stands as long as the
    pool and its planned needs are what they were: their latest ledger entries, and how many needs there were.
    """

    space = models.OneToOneField(Space, on_delete=models.CASCADE, primary_key=True)
    day = models.DateField(db_index=True)
    used: Any = CountField(default=0)
    warning_on = models.DateField(null=True, db_index=True)
    critical_on = models.DateField(null=True, db_index=True)
    full_on = models.DateField(null=True, db_index=True)
    asked = models.JSONField(default=dict)
    facts = models.JSONField(default=dict)
    pool_entry = models.PositiveBigIntegerField(default=0)
    needs_entry = models.PositiveBigIntegerField(default=0)
    needs_count = models.PositiveIntegerField(default=0)

    objects = Outlooks.as_manager()

    def day_of(self, threshold: str) -> date | None:
        """The likely day of a threshold."""
        found: date | None = getattr(self, f"{threshold}_on")
        return found


class Alert(models.Model):
    """Something that somebody has to look at. `living` keeps it single while it lasts, and is empty after that.

    ``threshold``: one of a pool is reached, or will be soon; it ends when use falls back. ``verification``: the daily one
    has found something in a realm that does not hold; ``review``: the day has come to look at a keep-out again. These
    have no pool, family, threshold or stage. Somebody may have acknowledged it, with a reason, and muted it until a day.
    """

    kind = models.CharField(max_length=12, choices=[(k, k) for k in ALERT_KINDS], default="threshold")
    realm = models.ForeignKey(Realm, on_delete=models.CASCADE, related_name="alerts")
    pool = models.ForeignKey(Pool, null=True, on_delete=models.CASCADE, related_name="alerts")
    family = models.PositiveSmallIntegerField(null=True)
    threshold = models.CharField(max_length=8, null=True, choices=[(t, t) for t in THRESHOLDS])
    stage = models.CharField(max_length=8, null=True, choices=[(s, s) for s in ALERT_STAGES])
    opened_at = models.DateTimeField(db_index=True)
    resolved_at = models.DateTimeField(null=True)
    living = models.CharField(max_length=60, null=True, unique=True)
    text = models.CharField(max_length=300)
    acknowledged_by = name_field(default="", blank=True)
    acknowledged_at = models.DateTimeField(null=True)
    acknowledged_why = models.CharField(max_length=300, default="", blank=True)
    muted_until = models.DateTimeField(null=True)

    def is_muted(self, now: datetime) -> bool:
        """Whether nobody is to be told of it for now."""
        return self.muted_until is not None and self.muted_until > now


class Verified(models.Model):
    """When a realm was last verified, and how much of it did not hold."""

    realm = models.OneToOneField(Realm, on_delete=models.CASCADE, primary_key=True)
    at = models.DateTimeField()
    offences = models.PositiveIntegerField(default=0)
    text = models.CharField(max_length=300, default="")
