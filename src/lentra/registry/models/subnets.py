"""Subnets: what a request yields."""

from __future__ import annotations

from typing import Any

from django.db import models

from lentra.addressing.extents import State
from lentra.addressing.prefix import Prefix
from lentra.registry.models.fields import name_field
from lentra.registry.models.records import Record
from lentra.registry.models.setup import Project, Realm, Region, Tier, Zone
from lentra.registry.models.space import Pool

SUBNET_STATES = ("held", "active", "retiring", "cooling")
BLOCK_STATES = (State.HELD, State.HANDED_OUT, State.COOLING)


class Subnet(Record):
    """A project's network segment in a zone (or a region without zone) and tier.

    Its blocks are the extents it owns. The row lives as long as its name and range are taken: when
    cooling ends, it is deleted and lives on in the ledger. `place` is the sort key of its first block.
    """

    KIND = "subnet"
    HIDDEN = ("place", "name_stem", "name_number")

    realm = models.ForeignKey(Realm, on_delete=models.PROTECT, related_name="subnets", db_index=False)
    pool = models.ForeignKey(Pool, on_delete=models.PROTECT, related_name="subnets", db_index=False)
    project = models.ForeignKey(Project, on_delete=models.PROTECT, related_name="subnets", db_index=False)
    region = models.ForeignKey(Region, null=True, on_delete=models.PROTECT, related_name="subnets", db_index=False)
    zone = models.ForeignKey(Zone, null=True, on_delete=models.PROTECT, related_name="subnets", db_index=False)
    tier = models.ForeignKey(Tier, on_delete=models.PROTECT, related_name="subnets", db_index=False)
    name = name_field(120)
    name_stem = name_field(120)
    name_number = models.PositiveIntegerField(default=0)
    place = models.CharField(max_length=33, db_collation="ascii_bin")
    state = models.CharField(max_length=10, choices=[(s, s) for s in SUBNET_STATES], default="active")
    hosts = models.PositiveBigIntegerField(null=True)
    growth = models.PositiveSmallIntegerField(default=0)
    purpose = models.CharField(max_length=200, default="", blank=True)
    notes = models.TextField(max_length=2000, default="", blank=True)
    labels = models.JSONField(default=dict)
    created_at = models.DateTimeField()
    cools_until = models.DateTimeField(null=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["realm", "name"], name="subnet_name_in_realm")]
        indexes = [
            models.Index(fields=["realm", "name_stem", "name_number"], name="subnet_stem"),
            models.Index(fields=["realm", "place"], name="subnet_realm_place"),
            models.Index(fields=["pool", "place"], name="subnet_pool_place"),
            # Each filter has an index in the order of the list, so that a page is read, not sorted.
            models.Index(fields=["project", "place"], name="subnet_project_place"),
            models.Index(fields=["region", "place"], name="subnet_region_place"),
            models.Index(fields=["zone", "place"], name="subnet_zone_place"),
            models.Index(fields=["zone", "tier", "place"], name="subnet_zone_tier_place"),
            models.Index(fields=["tier", "place"], name="subnet_tier_place"),
            models.Index(fields=["pool", "cools_until"], name="subnet_due"),
        ]

    known_blocks: list[Prefix] | None = None

    def facts(self) -> dict[str, Any]:
        return super().facts() | {"blocks": [str(block) for block in self.blocks()]}

    def blocks(self) -> list[Prefix]:
        """The prefixes handed out to it, IPv4 first."""
        if self.known_blocks is not None:
            return self.known_blocks
        return sorted(row.prefix for row in self.extents.all() if row.state in BLOCK_STATES)


def place_key(prefix: Prefix) -> str:
    """Sort key of a block across both families."""
    return f"{prefix.family}{prefix.first:032x}"
