"""Subnets: what a request yields."""

from __future__ import annotations

from typing import Any

from django.db import models

from lentra.addressing.extents import State
from lentra.addressing.prefix import Prefix
from lentra.registry.models.fields import name_field
from lentra.registry.models.records import Record
from lentra.registry.models.setup import EXPOSURES, Project, Realm, Region, Tier, Zone
from lentra.registry.models.space import Pool

SUBNET_STATES = ("held", "active", "retiring", "cooling")
TAKEN = SUBNET_STATES[:3]  # somebody has it, or is about to
BLOCK_STATES = (State.HELD, State.HANDED_OUT, State.COOLING)
TRANSLATIONS = ("one-to-one", "many-to-one")  # how a public address stands for what it is attached to
ANY_FAMILY = 0  # of a sum that counts subnets, whatever blocks they have
IPV6_HOSTS = ("slaac", "dhcpv6", "both")  # how hosts get their IPv6 addresses
EXTENT_STATE = {  # the state of a subnet's blocks
    "held": State.HELD,
    "active": State.HANDED_OUT,
    "retiring": State.HANDED_OUT,
    "cooling": State.COOLING,
}


class Subnet(Record):
    """A project's network segment in a zone (or a region without zone) and tier.

    Its blocks are the extents it owns, and so is the room behind them. The row lives as long as its name and
    range are taken: when cooling (or a hold) ends at `ends_at`, it is deleted and lives on in the ledger.

    `exposure` is its own, and its tier's if it is empty.
    `place` is the sort key of its first block. `service` is the one that an exclusive subnet is kept for.
    `tag_scope` is the number of the zone, or of the region without one, in which its segment tag is unique;
    `outer_tag` is 0 unless the segment is doubly tagged. `gateway` is a rule (none, first, last) or an address. `dhcp` and
    `dhcp_excluded` are ranges with commas between; `dhcp_service` is an address or nothing.
    A single public address has what it is `attached_to` (an address record, or a name outside the registry), since when, how
    it is translated, and what for.

    What it is found or added up by is kept with each change (see `space.keeping`): what `SubnetSum` has `counted` of it;
    whether it is `unused`, that is in use by its state, and nothing recorded in it or attached to it; how many of its
    IPv4 addresses are `spare`, if its expected hosts need a quarter of them or less.
    """

    KIND = "subnet"
    seen: dict[str, Any] | None = None  # what sources have seen of it, where that was looked up
    HIDDEN = ("place", "name_stem", "name_number", "tag_scope", "counted", "unused", "spare")

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
    ends_at = models.DateTimeField(null=True)
    # where it came from
    plan = models.ForeignKey("Plan", null=True, on_delete=models.PROTECT, related_name="subnets", db_index=False)
    plan_slot = models.CharField(max_length=200, default="", blank=True)
    replaces = models.ForeignKey("self", null=True, on_delete=models.SET_NULL, related_name="replaced_by")
    drawn_from = models.ForeignKey("Reservation", null=True, on_delete=models.SET_NULL, related_name="drawn")
    # what is fixed inside it
    service = name_field(default="", blank=True)
    exposure = models.CharField(max_length=12, choices=[(e, e) for e in EXPOSURES], default="", blank=True)
    tag = models.PositiveSmallIntegerField(null=True)
    outer_tag = models.PositiveSmallIntegerField(default=0)
    tag_scope = models.PositiveBigIntegerField(null=True)
    gateway = models.CharField(max_length=45, default="none")
    dhcp = models.CharField(max_length=1300, default="", blank=True, db_collation="ascii_bin")
    dhcp_excluded = models.CharField(max_length=1300, default="", blank=True, db_collation="ascii_bin")
    dhcp_service = models.CharField(max_length=45, default="", blank=True, db_collation="ascii_bin")
    ipv6_hosts = models.CharField(max_length=8, choices=[(w, w) for w in IPV6_HOSTS], default="", blank=True)
    name_servers = models.JSONField(default=list)
    dns_suffix = models.CharField(max_length=200, default="", blank=True)
    attached_to = models.CharField(max_length=200, default="", blank=True)
    attached_at = models.DateTimeField(null=True)
    attached_record = models.ForeignKey("Address", null=True, on_delete=models.SET_NULL, related_name="public")
    attached_how = models.CharField(max_length=12, choices=[(h, h) for h in TRANSLATIONS], default="", blank=True)
    attached_for = models.CharField(max_length=200, default="", blank=True)
    # what follows from all that
    counted = models.TextField(default="", db_collation="ascii_bin")
    unused = models.BooleanField(default=False)
    spare = models.PositiveBigIntegerField(null=True)

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["realm", "name"], name="subnet_name_in_realm"),
            models.UniqueConstraint(fields=["tag_scope", "outer_tag", "tag"], name="subnet_tag_in_zone"),
        ]
        indexes = [
            models.Index(fields=["realm", "name_stem", "name_number"], name="subnet_stem"),
            models.Index(fields=["realm", "place"], name="subnet_realm_place"),
            models.Index(fields=["pool", "place"], name="subnet_pool_place"),
            models.Index(fields=["pool", "zone", "place"], name="subnet_pool_zone_place"),
            # Each filter has an index in the order of the list, so that a page is read, not sorted.
            models.Index(fields=["project", "place"], name="subnet_project_place"),
            models.Index(fields=["region", "place"], name="subnet_region_place"),
            models.Index(fields=["zone", "place"], name="subnet_zone_place"),
            models.Index(fields=["project", "zone", "tier", "place"], name="subnet_cell_place"),
            models.Index(fields=["tier", "place"], name="subnet_tier_place"),
            models.Index(fields=["pool", "ends_at"], name="subnet_due"),
            models.Index(fields=["plan", "plan_slot"], name="subnet_plan"),
            models.Index(fields=["name"], name="subnet_name"),
            models.Index(fields=["tag"], name="subnet_tag"),
            models.Index(fields=["state", "ends_at"], name="subnet_ends"),
            models.Index(fields=["realm", "unused", "created_at"], name="subnet_unused"),
            models.Index(fields=["project", "unused", "created_at"], name="subnet_project_unused"),
            models.Index(fields=["pool", "unused", "created_at"], name="subnet_pool_unused"),
            models.Index(fields=["spare"], name="subnet_spare"),
            models.Index(fields=["exposure"], name="subnet_exposure"),
            models.Index(fields=["project", "spare"], name="subnet_project_spare"),
        ]

    @property
    def dhcp_ranges(self) -> list[str]:
        """The ranges that DHCP hands out of."""
        return self.dhcp.split(", ") if self.dhcp else []

    @property
    def dhcp_exclusions(self) -> list[str]:
        """The parts of its DHCP ranges that are not handed out."""
        return self.dhcp_excluded.split(", ") if self.dhcp_excluded else []

    known_blocks: list[Prefix] | None = None
    known_room: list[Prefix] | None = None

    def facts(self) -> dict[str, Any]:
        return super().facts() | {"blocks": [str(block) for block in self.blocks()]}

    def room(self) -> list[Prefix]:
        """The space kept free behind its blocks, in order."""
        if self.known_room is not None:
            return self.known_room
        return sorted(row.prefix for row in self.extents.all() if row.state == State.ROOM)

    def blocks(self) -> list[Prefix]:
        """The prefixes handed out to it, IPv4 first."""
        if self.known_blocks is not None:
            return self.known_blocks
        return sorted(row.prefix for row in self.extents.all() if row.state in BLOCK_STATES)


class SubnetSum(models.Model):
    """What the subnets of one project, place and tier have in one pool: extents of one state and length, added up.

    `region` and `zone` are 0 for none. `subnets` counts those whose lowest block in the pool and family is among the
    extents; `hosts` are theirs: IPv4 address records, or else those expected, of subnets in use. The rows of `ANY_FAMILY`
    count the subnets themselves, in their own pool, by the place of their state in `SUBNET_STATES`. Kept with each change.
    """

    pk = models.CompositePrimaryKey("pool", "project", "region", "zone", "tier", "family", "state", "length")
    realm = models.PositiveBigIntegerField()
    pool = models.PositiveBigIntegerField()
    project = models.PositiveBigIntegerField()
    region = models.PositiveBigIntegerField()
    zone = models.PositiveBigIntegerField()
    tier = models.PositiveBigIntegerField()
    family = models.PositiveSmallIntegerField()
    state = models.PositiveSmallIntegerField()
    length = models.PositiveSmallIntegerField()
    extents = models.BigIntegerField(default=0)
    subnets = models.BigIntegerField(default=0)
    hosts = models.BigIntegerField(default=0)

    class Meta:
        indexes = [
            models.Index(fields=["project"], name="sum_project"),
            models.Index(fields=["zone"], name="sum_zone"),
        ]


class SubnetLabel(models.Model):
    """One label of one subnet, for whoever looks for it."""

    pk = models.CompositePrimaryKey("subnet", "key")
    subnet = models.PositiveBigIntegerField()
    key = name_field()
    value = name_field(200)

    class Meta:
        indexes = [models.Index(fields=["key", "value"], name="label_value")]


class SubnetWords(models.Model):
    """Purpose and notes of a subnet that has any, for whoever looks for words in them.

    `text` has a full-text index; its collation is one to which capitals are no matter.
    """

    subnet = models.PositiveBigIntegerField(primary_key=True)
    text = models.TextField(db_collation="utf8mb4_uca1400_as_ci")


def place_key(prefix: Prefix) -> str:
    """Sort key of a block across both families."""
    return f"{prefix.family}{prefix.first:032x}"
