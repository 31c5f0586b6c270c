"""DNS zones: what is said of them, records by hand, and what follows from the registry, kept as it is to be published."""

from __future__ import annotations

from typing import Any

from django.db import models

from lentra.addressing.dns import Domain
from lentra.addressing.prefix import Prefix
from lentra.registry.models.fields import AddressField, name_field
from lentra.registry.models.records import Record
from lentra.registry.models.setup import Project, Realm

BY_HAND_TYPES = ("CNAME", "TXT", "MX", "SRV", "CAA")
NAMES_END = ("given back", "cooled")  # when the names in a subnet go
ENTRY_STATES = ("published", "to add", "to remove", "refused", "hidden")


class DnsZone(Record):
    """A domain whose records the registry knows: a forward one, or a reverse one with its range.

    `name` is without a dot at its end, internationalised names in their ASCII form. Its names are those of a realm, or of
    one project in it; what hosts, gateways, the ends of blocks and attached public addresses are called in it, its templates
    say, each of which may be empty. `delegated`: others keep what stands in it, and only who serves it is known here.
    `servers` are name servers, each with its addresses behind it where it lies in the zone itself; `ds` the data of DS
    records, for the DNS zone around it. `ttl` and `negative_ttl` are seconds.
    It is pushed to the server at `address`, by a `credential` that is sealed and told to nobody, and compared with what
    stands there every so many minutes; without an address it is written as a file.
    """

    KIND = "DNS zone"
    HIDDEN = ("credential",)

    name = name_field(253)
    realm = models.ForeignKey(Realm, on_delete=models.PROTECT, related_name="dns_zones")
    project = models.ForeignKey(Project, null=True, blank=True, on_delete=models.PROTECT, related_name="dns_zones")
    family = models.PositiveSmallIntegerField(null=True)
    first: Any = AddressField(null=True)
    length = models.PositiveSmallIntegerField(null=True)
    delegated = models.BooleanField(default=False)
    primary = models.CharField(max_length=253, default="", blank=True)
    contact = models.CharField(max_length=200, default="", blank=True)
    servers: Any = models.JSONField(default=list, blank=True)
    ds: Any = models.JSONField(default=list, blank=True)
    ttl = models.PositiveIntegerField(default=3600)
    negative_ttl = models.PositiveIntegerField(default=300)
    host_names = models.CharField(max_length=120, default="", blank=True)
    gateway_names = models.CharField(max_length=120, default="", blank=True)
    edge_names = models.CharField(max_length=120, default="", blank=True)
    public_names = models.CharField(max_length=120, default="", blank=True)
    names_end = models.CharField(max_length=12, choices=[(e, e) for e in NAMES_END], default="given back")
    address = models.CharField(max_length=300, default="", blank=True)
    credential = models.CharField(max_length=2000, default="", blank=True)
    every = models.PositiveIntegerField(null=True, blank=True)
    about = models.CharField(max_length=500, default="", blank=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["realm", "name"], name="dns_zone_in_realm")]

    @property
    def range(self) -> Prefix | None:
        """The addresses whose names lie in it, if it is a reverse one."""
        if self.family is None or self.length is None:
            return None
        return Prefix(self.family, self.first, self.length)

    @property
    def range_text(self) -> str | None:
        """That range as text."""
        return str(self.range) if self.range else None

    @property
    def domain(self) -> Domain:
        """It as the core knows it."""
        return Domain(self.pk, self.name, self.range, self.delegated, tuple(self.servers), tuple(self.ds))

    def facts(self) -> dict[str, Any]:
        facts = super().facts()
        for bound in ("family", "first", "length"):
            del facts[bound]
        return facts


class DnsRecord(Record):
    """A record that somebody keeps by hand in a DNS zone: `owner` is its name there, ``@`` that of the DNS zone itself.

    Nothing that follows from the registry takes its place.
    """

    KIND = "DNS record"

    dns_zone = models.ForeignKey(DnsZone, on_delete=models.PROTECT, related_name="by_hand")
    owner = name_field(253)
    type = models.CharField(max_length=8, choices=[(t, t) for t in BY_HAND_TYPES])
    data = models.CharField(max_length=2000)
    ttl = models.PositiveIntegerField(null=True, blank=True)
    about = models.CharField(max_length=500, default="", blank=True)

    @property
    def label_text(self) -> str:
        return f"{self.owner} {self.type} in {self.dns_zone.name}"

    @property
    def realm_id(self) -> int:
        """The number of its realm."""
        return self.dns_zone.realm_id

    @property
    def full_name(self) -> str:
        """Its whole name."""
        return self.dns_zone.name if self.owner == "@" else f"{self.owner}.{self.dns_zone.name}"


class DnsEntry(models.Model):
    """One record that a DNS zone has, or is to have: kept after each change of the registry, in the order of the ledger.

    `name` is the one that it is for, and that of a pointer the one which it leads to; `rank` and `host` are who claims it
    (see `addressing.dns.Claim`), `subnet` is where that is. It `wins` if nobody comes before in having that name, and is
    `claimed` as long as it follows from the registry. `there`: it may be on the server. `pending` is what is to be done
    there, or 0 (see `naming.serving`), since the ledger's entry `number`. Its `key` is made of what it is, whose and where:
    while a host moves, one of its names may stand for it in two subnets.
    """

    key = models.CharField(max_length=32, primary_key=True, db_collation="ascii_bin")
    realm = models.PositiveBigIntegerField()
    dns_zone = models.PositiveBigIntegerField()
    owner = name_field(253)
    type = name_field(8)
    data = name_field(2000)
    ttl = models.PositiveIntegerField(null=True)
    name = name_field(253)
    rank = models.PositiveSmallIntegerField()
    host = models.PositiveBigIntegerField()
    subnet = models.PositiveBigIntegerField(null=True)
    wins = models.BooleanField(default=True)
    claimed = models.BooleanField(default=True)
    there = models.BooleanField(default=False)
    pending = models.PositiveSmallIntegerField(default=0)
    number = models.PositiveBigIntegerField(default=0)

    class Meta:
        indexes = [
            models.Index(fields=["dns_zone", "owner"], name="dns_entry_owner"),
            models.Index(fields=["dns_zone", "pending", "number"], name="dns_entry_pending"),
            models.Index(fields=["dns_zone", "pending", "wins", "claimed"], name="dns_entry_counts"),
            models.Index(fields=["realm", "name"], name="dns_entry_name"),
            models.Index(fields=["subnet"], name="dns_entry_subnet"),
        ]


class DnsKept(models.Model):
    """One row: up to which number of the feed the entries of all DNS zones have been kept."""

    id = models.PositiveSmallIntegerField(primary_key=True, default=1)
    number = models.PositiveBigIntegerField(default=0)


class DnsServing(models.Model):
    """How it goes with the server of a DNS zone, and with its serials.

    `serial` is that of the file written last, of contents with that `digest`; `server_serial` the newest that the server has
    had. It is pushed at `due_at` where something is in the way of it (`failing_since`, `tries`, `outcome`), and compared at
    `compare_at`; `compared_at` and `differences` tell of the last time. `overwrites`: what stands there otherwise is to be
    replaced.
    """

    dns_zone = models.OneToOneField(DnsZone, on_delete=models.CASCADE, primary_key=True, related_name="serving")
    serial = models.PositiveBigIntegerField(default=0)
    digest = models.CharField(max_length=64, default="")
    server_serial = models.PositiveBigIntegerField(default=0)
    due_at = models.DateTimeField(null=True)
    pushed_at = models.DateTimeField(null=True)
    failing_since = models.DateTimeField(null=True)
    tries = models.PositiveIntegerField(default=0)
    outcome = models.CharField(max_length=300, default="")
    compare_at = models.DateTimeField(null=True)
    compared_at = models.DateTimeField(null=True)
    differences = models.PositiveIntegerField(default=0)
    overwrites = models.BooleanField(default=False)
