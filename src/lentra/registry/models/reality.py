"""What really exists, as far as it is told: sources, surveys, sightings, and findings where the registry says otherwise."""

from __future__ import annotations

from typing import Any

from django.db import models

from lentra.addressing.prefix import address_text, range_text
from lentra.registry.models.fields import AddressField, name_field
from lentra.registry.models.records import Record
from lentra.registry.models.setup import Realm

SOURCE_KINDS = ("file", "host")
FINDING_KINDS = ("stray", "silent", "differs", "clash")
FINDING_STATES = ("open", "dismissed", "closed")


class Source(Record):
    """A place that tells what really exists in a realm: a file that somebody keeps, or a Linux host or router.

    `seen_at` is when it looked last. `covers` are the prefixes that it would tell all of (as texts): what is recorded there
    and not seen is silent. What it has seen is good for `good_for` days.
    """

    KIND = "source"

    name = name_field(unique=True)
    realm = models.ForeignKey(Realm, on_delete=models.PROTECT, related_name="sources")
    kind = models.CharField(max_length=8, choices=[(k, k) for k in SOURCE_KINDS], default="file")
    covers = models.JSONField(default=list, blank=True)
    good_for = models.PositiveSmallIntegerField(default=30)
    seen_at = models.DateTimeField(null=True, blank=True)
    about = models.CharField(max_length=500, default="", blank=True)


class Survey(Record):
    """One reading of a source: when it looked, and how much it saw, `counts` of what followed."""

    KIND = "survey"

    source = models.ForeignKey(Source, on_delete=models.PROTECT, related_name="surveys")
    at = models.DateTimeField()
    taken_at = models.DateTimeField()
    counts = models.JSONField(default=dict)

    @property
    def label_text(self) -> str:
        return self.source.name


class Sighting(models.Model):
    """One range or address that a source has seen in its last survey, since when without a break, and what it tells of it.

    `facts` are texts by name: name, zone, tag, gateway, mac, project.
    """

    source = models.ForeignKey(Source, on_delete=models.CASCADE, related_name="sightings", db_index=False)
    realm = models.ForeignKey(Realm, on_delete=models.CASCADE, related_name="+", db_index=False)
    family = models.PositiveSmallIntegerField()
    first: Any = AddressField()
    last: Any = AddressField()
    single = models.BooleanField(default=False)
    facts = models.JSONField(default=dict)
    first_seen_at = models.DateTimeField()

    class Meta:
        constraints = [
            models.UniqueConstraint(
                fields=["source", "family", "first", "last", "single"], name="sighting_once_in_source"
            ),
        ]
        indexes = [models.Index(fields=["realm", "family", "first"], name="sighting_place")]

    @property
    def range_text(self) -> str:
        """What was seen: a prefix, first-last, or an address."""
        if self.single:
            return address_text(self.family, self.first)
        return range_text(self.family, self.first, self.last)


class Finding(Record):
    """A difference between the registry and what was seen. `living` keeps it single until it is closed.

    ``stray``: seen, and not recorded; ``silent``: recorded, and not seen; ``differs``: a `fact` is another; ``clash``: seen
    in two ways at once. `seen` is what each source says: source and value. `subnet` and `project` are numbers, with
    their names beside them.
    """

    KIND = "finding"
    HIDDEN = ("living",)

    realm = models.ForeignKey(Realm, on_delete=models.CASCADE, related_name="findings", db_index=False)
    kind = models.CharField(max_length=8, choices=[(k, k) for k in FINDING_KINDS])
    family = models.PositiveSmallIntegerField()
    first: Any = AddressField()
    last: Any = AddressField()
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

    class Meta:
        indexes = [
            models.Index(fields=["realm", "state", "kind"], name="finding_in_realm"),
            models.Index(fields=["state", "kind"], name="finding_state"),
        ]

    @property
    def range_text(self) -> str:
        """Where it is: a prefix, first-last, or an address."""
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
