"""What really exists, as far as it is told: sources, surveys, sightings, and findings where the registry says otherwise."""

from __future__ import annotations

from datetime import datetime, timedelta
from typing import Any

from django.db import models

from lentra.addressing.prefix import address_text, range_text
from lentra.registry.models.fields import AddressField, name_field
from lentra.registry.models.records import Record
from lentra.registry.models.setup import Project, Realm

ASKED_KINDS = ("name-server", "inventory")  # sources that the service asks by itself
TAKES = ("ranges", "addresses")
SOURCE_KINDS = ("file", "host", "sweep", *ASKED_KINDS)
FINDING_KINDS = ("stray", "silent", "differs", "clash", "exposed", "cut-off", "dns")
WORST_FIRST = ("exposed", "cut-off", "clash", "stray", "differs", "dns", "silent")  # kinds of findings
FINDING_STATES = ("open", "dismissed", "closed")
TAKEN_AS = ("keep-out", "address-record")  # what a rule takes strays over as


class Source(Record):
    """A place that tells what really exists in a realm.

    A file that somebody keeps, a Linux host or router, an address sweep: what they saw is sent. A name server and the
    inventory of a provider are asked at their `address` every so many minutes, with a `credential` that is sealed and told
    to nobody; of the `parts` alone that are named (DNS zones, regions), if any are. One that has a feed of changes may be
    followed (`follows`).
    `seen_at` is when it looked last. `covers` are the prefixes that it would tell all of (as texts): what is recorded there
    and not seen is silent, address records only if it tells `every_address`. What it has seen is good for `good_for` days.
    """

    KIND = "source"
    HIDDEN = ("credential",)

    name = name_field(unique=True)
    realm = models.ForeignKey(Realm, on_delete=models.PROTECT, related_name="sources")
    kind = models.CharField(max_length=12, choices=[(k, k) for k in SOURCE_KINDS], default="file")
    address = models.CharField(max_length=500, default="", blank=True)
    parts = models.JSONField(default=list, blank=True)
    takes = models.JSONField(default=list, blank=True)
    credential = models.CharField(max_length=2000, default="", blank=True)
    every = models.PositiveIntegerField(null=True, blank=True)
    follows = models.BooleanField(default=False)
    covers = models.JSONField(default=list, blank=True)
    every_address = models.BooleanField(default=False)
    good_for = models.PositiveSmallIntegerField(default=30)
    seen_at = models.DateTimeField(null=True, blank=True)
    about = models.CharField(max_length=500, default="", blank=True)

    def is_believed(self, now: datetime) -> bool:
        """Whether it has looked, and not too long ago."""
        return self.seen_at is not None and now - self.seen_at <= timedelta(days=self.good_for)


class Look(models.Model):
    """How it goes with asking a source.

    It is asked at `due_at`. While it is, `begun_at` says since when, `got` how much it has told so far; `cancelled`: it is
    to be left off. `outcome` is what came of the last time, `failing_since` is set while it comes to nothing. `position` is
    how far its feed of changes has been read.
    """

    source = models.OneToOneField(Source, on_delete=models.CASCADE, primary_key=True, related_name="look")
    due_at = models.DateTimeField(null=True)
    begun_at = models.DateTimeField(null=True)
    got = models.PositiveIntegerField(default=0)
    cancelled = models.BooleanField(default=False)
    asked_at = models.DateTimeField(null=True)
    outcome = models.CharField(max_length=300, default="")
    failing_since = models.DateTimeField(null=True)
    tries = models.PositiveIntegerField(default=0)
    position = models.CharField(max_length=200, default="")


class Survey(Record):
    """One reading of a source: when it looked, and how much it saw, `counts` of what followed.

    `whole`: it told all that it sees; otherwise what had changed.
    """

    KIND = "survey"

    source = models.ForeignKey(Source, on_delete=models.PROTECT, related_name="surveys")
    at = models.DateTimeField()
    taken_at = models.DateTimeField()
    whole = models.BooleanField(default=True)
    counts = models.JSONField(default=dict)

    @property
    def label_text(self) -> str:
        return self.source.name


class Sighting(models.Model):
    """One range or address that a source sees, since when without a break, and what it tells of it.

    `facts` are texts by name: name, zone, tag, gateway, mac, project… One that it sees no more stays for a while, with
    when it was `lost_at`: when the source looked last and saw it.
    """

    source = models.ForeignKey(Source, on_delete=models.CASCADE, related_name="sightings", db_index=False)
    realm = models.ForeignKey(Realm, on_delete=models.CASCADE, related_name="+", db_index=False)
    family = models.PositiveSmallIntegerField()
    first: Any = AddressField()
    last: Any = AddressField()
    single = models.BooleanField(default=False)
    facts = models.JSONField(default=dict)
    first_seen_at = models.DateTimeField()
    lost_at = models.DateTimeField(null=True)

    class Meta:
        constraints = [
            models.UniqueConstraint(
                fields=["source", "family", "first", "last", "single"], name="sighting_once_in_source"
            ),
        ]
        indexes = [
            models.Index(fields=["realm", "family", "first"], name="sighting_place"),
            models.Index(fields=["lost_at"], name="sighting_lost"),
        ]

    @property
    def range_text(self) -> str:
        """What was seen: a prefix, first-last, or an address."""
        if self.single:
            return address_text(self.family, self.first)
        return range_text(self.family, self.first, self.last)


class Finding(Record):
    """A difference between the registry and what was seen. `living` keeps it single until it is closed.

    ``stray``: seen, and not recorded; ``silent``: recorded, and not seen; ``differs``: a `fact` is another; ``clash``: seen
    in two ways at once; ``exposed``, ``cut-off``: reachable from where it should not be, or not from where it should;
    ``dns``: a record of type `fact` at `dns_name` is another on the server of the DNS zone number `dns_zone`; it has
    a place only where the record is of an address.
    `seen` is what each source says: source and value. `subnet` and `project` are numbers, with their names beside them.
    Somebody may be asked to correct it: a person by `assignee`, until the day `due`.
    """

    KIND = "finding"
    HIDDEN = ("living",)

    realm = models.ForeignKey(Realm, on_delete=models.CASCADE, related_name="findings", db_index=False)
    kind = models.CharField(max_length=8, choices=[(k, k) for k in FINDING_KINDS])
    family = models.PositiveSmallIntegerField(null=True)
    first: Any = AddressField(null=True)
    last: Any = AddressField(null=True)
    dns_zone = models.PositiveBigIntegerField(null=True, db_index=True)
    dns_name = name_field(253, default="", blank=True)
    fact = models.CharField(max_length=16, default="", blank=True)
    text = models.CharField(max_length=400)
    recorded = models.CharField(max_length=200, default="", blank=True)
    seen = models.JSONField(default=list)
    subnet = models.PositiveBigIntegerField(null=True, db_index=True)
    subnet_name = name_field(120, default="", blank=True)
    project = models.PositiveBigIntegerField(null=True, db_index=True)
    project_name = name_field(120, default="", blank=True)
    state = models.CharField(max_length=10, choices=[(s, s) for s in FINDING_STATES], default="open")
    living = models.CharField(max_length=160, null=True, unique=True, db_collation="ascii_bin")
    opened_at = models.DateTimeField()
    closed_at = models.DateTimeField(null=True)
    reason = models.CharField(max_length=300, default="", blank=True)
    until = models.DateField(null=True)
    assignee = models.PositiveBigIntegerField(null=True, db_index=True)
    assignee_name = name_field(default="", blank=True)
    due = models.DateField(null=True)

    class Meta:
        indexes = [
            models.Index(fields=["realm", "state", "kind"], name="finding_in_realm"),
            models.Index(fields=["state", "kind"], name="finding_state"),
        ]

    @property
    def range_text(self) -> str:
        """Where it is: a prefix, first-last, or an address; of one without a place, the name in DNS."""
        if self.family is None:
            return self.dns_name
        if self.first == self.last:
            return address_text(self.family, self.first)
        return range_text(self.family, self.first, self.last)

    @property
    def label_text(self) -> str:
        return f"{self.kind} {self.range_text}{f' {self.fact}' if self.fact else ''}"

    def facts(self) -> dict[str, Any]:
        facts = super().facts()
        for bound in ("family", "first", "last"):
            del facts[bound]
        return {"range": self.range_text, **facts}


class TakingRule(Record):
    """Which strays are taken over as they are found: those that a source sees, in subnets of a project, or anywhere."""

    KIND = "taking rule"

    name = name_field(unique=True)
    realm = models.ForeignKey(Realm, on_delete=models.PROTECT, related_name="taking_rules")
    source = models.ForeignKey(
        Source, null=True, blank=True, on_delete=models.PROTECT, related_name="taking_rules"
    )
    project = models.ForeignKey(
        Project, null=True, blank=True, on_delete=models.PROTECT, related_name="taking_rules"
    )
    becomes = models.CharField(max_length=16, choices=[(k, k) for k in TAKEN_AS], default="address-record")
    about = models.CharField(max_length=500, default="", blank=True)
