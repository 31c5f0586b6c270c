"""Quotas: how much a project may have, everywhere or in one realm, region or pool."""

from __future__ import annotations

from django.db import models

from lentra.registry.models.records import Record
from lentra.registry.models.setup import Project, Realm, Region
from lentra.registry.models.space import Pool


class Quota(Record):
    """How much a project may have of each thing; None for no limit.

    It counts what lies in a realm, region or pool where it names one, and everything where it names none. A project has one
    quota for each of these: `scope` says which, for the database to see to that. IPv6 is counted in the unit of each pool.
    """

    KIND = "quota"
    HIDDEN = ("scope",)

    project = models.ForeignKey(Project, on_delete=models.PROTECT, related_name="quotas")
    realm = models.ForeignKey(Realm, null=True, blank=True, on_delete=models.PROTECT, related_name="quotas")
    region = models.ForeignKey(Region, null=True, blank=True, on_delete=models.PROTECT, related_name="quotas")
    pool = models.ForeignKey(Pool, null=True, blank=True, on_delete=models.PROTECT, related_name="quotas")
    scope = models.CharField(max_length=60, db_collation="ascii_bin", unique=True)
    subnets = models.PositiveIntegerField(null=True, blank=True)
    v4_addresses = models.PositiveBigIntegerField(null=True, blank=True)
    v6_units = models.PositiveBigIntegerField(null=True, blank=True)
    public_addresses = models.PositiveIntegerField(null=True, blank=True)
    tags = models.PositiveIntegerField(null=True, blank=True)
    records = models.PositiveIntegerField(null=True, blank=True)
    about = models.CharField(max_length=500, default="", blank=True)

    @property
    def place_text(self) -> str:
        """Where it counts."""
        for name in ("realm", "region", "pool"):
            if getattr(self, f"{name}_id") is not None:
                return f" in {name} {getattr(self, name).name}"
        return ""

    @property
    def label_text(self) -> str:
        return f"{self.project.name}{self.place_text}"
