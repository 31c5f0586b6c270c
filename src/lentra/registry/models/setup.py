"""The set-up objects: realms, rule sheets, regions, zones, tiers, projects."""

from __future__ import annotations

from django.db import models

from lentra.addressing.address_map import GATEWAY_RULES
from lentra.addressing.rules import FamilyRules, RuleSheet
from lentra.registry.models.fields import name_field
from lentra.registry.models.records import Record

NAME_TEMPLATE = "{project}-{zone}-{tier}-{nn}"
EXPOSURES = ("private", "public", "isolated")
SITES = ("hall", "room", "edge", "cloud", "office", "other")  # kinds of site that a zone may be
ENVIRONMENTS = ("production", "staging", "test", "development")


class Realm(Record):
    """Where addresses must be unique.

    `published`: anybody may look up its public ranges, and who runs it: the `operator`, with a contact. Names that are
    left out are made from its templates; where one is empty, a name must be given. Names that are given to subnets are
    held against its pattern, if it has one.
    """

    KIND = "realm"

    name = name_field(unique=True)
    about = models.CharField(max_length=500, default="", blank=True)
    private_only = models.BooleanField(default=False)
    published = models.BooleanField(default=False)
    operator = models.CharField(max_length=200, default="", blank=True)
    operator_contact = models.CharField(max_length=200, default="", blank=True)
    name_template = models.CharField(max_length=120, default=NAME_TEMPLATE)
    name_pattern = models.CharField(max_length=120, default="", blank=True)
    pool_template = models.CharField(max_length=120, default="", blank=True)
    reservation_template = models.CharField(max_length=120, default="{kind}-{nn}")
    plan_template = models.CharField(max_length=120, default="", blank=True)
    address_template = models.CharField(max_length=120, default="{kind}-{nn}")


class Outline(models.Model):
    """The row that a change of a realm's top-level ranges, keep-outs or links locks.

    A table of its own that nothing refers to: whoever hands out in the realm reads the realm's row for a foreign key,
    and must not wait for whoever changes its outline, who waits for pools.
    """

    realm = models.OneToOneField(Realm, primary_key=True, on_delete=models.CASCADE, db_constraint=False)
    revision = models.PositiveBigIntegerField(default=0)


class SetUp(models.Model):
    """One row, whose revision moves with every change of people, tokens, places, projects, pools and rule sheets.

    Whatever a process keeps of these holds for the revision that it was read at.
    """

    id = models.PositiveSmallIntegerField(primary_key=True, default=1)
    revision = models.PositiveBigIntegerField(default=0)


class Sheet(Record):
    """A rule sheet. `v4` and `v6` hold the values of `FamilyRules`, or null where a family is not served."""

    KIND = "rule sheet"

    name = name_field(unique=True)
    about = models.CharField(max_length=500, default="", blank=True)
    v4 = models.JSONField(null=True, blank=True)
    v6 = models.JSONField(null=True, blank=True)
    ipv6_needs_ipv4 = models.BooleanField(default=False)
    tag_needed = models.BooleanField(default=False)
    dhcp = models.BooleanField(default=True)
    workloads_min = models.PositiveSmallIntegerField(default=8)
    workloads_max = models.PositiveSmallIntegerField(default=110)
    workloads = models.PositiveSmallIntegerField(default=30)
    dhcp_service = models.BooleanField(default=False)
    gateway = models.CharField(max_length=8, choices=[(g, g) for g in GATEWAY_RULES], default="none")
    zones = models.PositiveSmallIntegerField(null=True, blank=True)
    forbidden = models.JSONField(default=list, blank=True)
    hd_threshold = models.DecimalField(max_digits=4, decimal_places=3, default="0.94")

    known_rules: RuleSheet | None = None  # where the sheet is kept and never edited

    def rules(self) -> RuleSheet:
        """The sheet as the core knows it."""
        return self.known_rules or RuleSheet(
            name=self.name,
            about=self.about,
            v4=FamilyRules(**self.v4) if self.v4 else None,
            v6=FamilyRules(**self.v6) if self.v6 else None,
            ipv6_needs_ipv4=self.ipv6_needs_ipv4,
            tag_needed=self.tag_needed,
            dhcp=self.dhcp,
            workloads_min=self.workloads_min,
            workloads_max=self.workloads_max,
            workloads=self.workloads,
            dhcp_service=self.dhcp_service,
            gateway=self.gateway,
            zones=self.zones,
            forbidden=tuple(self.forbidden),
            hd_threshold=str(self.hd_threshold),
        )


class Located(models.Model):
    """Where something stands: country (ISO 3166-1), subdivision (ISO 3166-2), city, postal code, as far as it is said."""

    country = models.CharField(max_length=2, default="", blank=True)
    subdivision = models.CharField(max_length=6, default="", blank=True)
    city = models.CharField(max_length=100, default="", blank=True)
    postal_code = models.CharField(max_length=20, default="", blank=True)

    class Meta:
        abstract = True


class Region(Located, Record):  # type: ignore[misc]
    """A part of the world in which zones lie. `zones_per_project`: how many of them a project may use; None for all."""

    KIND = "region"

    name = name_field(unique=True)
    zones_per_project = models.PositiveSmallIntegerField(null=True, blank=True)
    about = models.CharField(max_length=500, default="", blank=True)


class Zone(Located, Record):  # type: ignore[misc]
    """One failure domain in a region: what kind of site it is, and its operator's identifier for it. Where it says no
    country, it stands where its region does."""

    KIND = "zone"

    name = name_field(unique=True)
    region = models.ForeignKey(Region, on_delete=models.PROTECT, related_name="zones")
    site = models.CharField(max_length=12, choices=[(s, s) for s in SITES], default="", blank=True)
    physical = models.CharField(max_length=120, default="", blank=True)
    about = models.CharField(max_length=500, default="", blank=True)


class Tier(Record):
    """What runs in a subnet, and who can reach it. `host_names` is what its hosts are called in DNS; as the DNS zone has it,
    where it is empty."""

    KIND = "tier"

    name = name_field(unique=True)
    exposure = models.CharField(max_length=12, choices=[(e, e) for e in EXPOSURES], default="private")
    host_names = models.CharField(max_length=120, default="", blank=True)
    about = models.CharField(max_length=500, default="", blank=True)


class Project(Record):
    """Who subnets are for. Its name is its key: short, in lower case, part of subnet names."""

    KIND = "project"

    name = name_field(unique=True)
    title = models.CharField(max_length=200, default="", blank=True)
    contact = models.CharField(max_length=200, default="", blank=True)
    environment = models.CharField(max_length=16, choices=[(e, e) for e in ENVIRONMENTS], default="production")
    home_region = models.ForeignKey(
        Region, null=True, blank=True, on_delete=models.PROTECT, related_name="projects"
    )
    cost_centre = models.CharField(max_length=100, default="", blank=True)
    labels = models.JSONField(default=dict, blank=True)
