"""Reservations: ranges kept back from ordinary hand-out."""

from __future__ import annotations

from typing import Any

from django.db import models

from lentra.addressing.extents import State
from lentra.addressing.prefix import Prefix, aggregate, range_text
from lentra.registry.models.fields import AddressField, name_field
from lentra.registry.models.records import Record
from lentra.registry.models.setup import Project, Realm, Tier, Zone
from lentra.registry.models.space import Pool

RESERVATION_KINDS = (
    *("transit", "gateways", "balancers", "cluster", "management"),
    *("future zone", "future tier", "other"),
)


class Reservation(Record):
    """A range of a pool kept back. Its extents are what is left of it: those who may draw from it make it smaller.

    `projects` and `tiers` say who may draw (none: planners alone). `service` is the one it is kept for, if it is
    kept for one alone. At `ends_at` it falls back by itself. What a plan keeps for tiers to come is kept in a `zone`.
    """

    KIND = "reservation"

    realm = models.ForeignKey(Realm, on_delete=models.PROTECT, related_name="reservations", db_index=False)
    pool = models.ForeignKey(Pool, on_delete=models.PROTECT, related_name="reservations")
    name = name_field(120)
    family = models.PositiveSmallIntegerField()
    first: Any = AddressField()
    last: Any = AddressField()
    kind = models.CharField(max_length=16, choices=[(k, k) for k in RESERVATION_KINDS], default="other")
    reason = models.CharField(max_length=300)
    service = name_field(default="", blank=True)
    ends_at = models.DateTimeField(null=True, db_index=True)
    created_at = models.DateTimeField()
    plan = models.ForeignKey("Plan", null=True, on_delete=models.PROTECT, related_name="reservations")
    zone = models.ForeignKey(Zone, null=True, blank=True, on_delete=models.PROTECT, related_name="reservations")
    projects = models.ManyToManyField(Project, related_name="reservations")
    tiers = models.ManyToManyField(Tier, related_name="reservations")

    class Meta:
        constraints = [models.UniqueConstraint(fields=["realm", "name"], name="reservation_name_in_realm")]

    def facts(self) -> dict[str, Any]:
        facts = super().facts()
        for bound in ("first", "last"):
            del facts[bound]
        return {"range": self.range_text, **facts}

    @property
    def range_text(self) -> str:
        """The range as it was reserved: a prefix, or first-last."""
        return range_text(self.family, self.first, self.last)

    def left(self) -> list[Prefix]:
        """What is still reserved, as the fewest prefixes."""
        return aggregate([row.prefix for row in self.extents.all() if row.state == State.RESERVED])
