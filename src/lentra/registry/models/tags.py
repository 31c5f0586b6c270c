"""Segment tags as a plan of their own: ranges of them, and what each one leads to."""

from __future__ import annotations

from django.db import models

from lentra.registry.models.fields import name_field
from lentra.registry.models.records import Record
from lentra.registry.models.setup import Region, Tier, Zone
from lentra.registry.models.subnets import Subnet

MEMBER_KINDS = ("node", "site", "end")


class TagRange(Record):
    """Tags of a zone, of a region, or of everywhere, for a purpose: those of a tier if it names one, or forbidden ones."""

    KIND = "tag range"

    zone = models.ForeignKey(Zone, null=True, blank=True, on_delete=models.PROTECT, related_name="tag_ranges")
    region = models.ForeignKey(Region, null=True, blank=True, on_delete=models.PROTECT, related_name="tag_ranges")
    first = models.PositiveSmallIntegerField()
    last = models.PositiveSmallIntegerField()
    tier = models.ForeignKey(Tier, null=True, blank=True, on_delete=models.PROTECT, related_name="tag_ranges")
    forbidden = models.BooleanField(default=False)
    purpose = models.CharField(max_length=200, default="", blank=True)

    @property
    def label_text(self) -> str:
        return f"{self.first}-{self.last} in {self.place_text}"

    @property
    def place_text(self) -> str:
        """Where it holds."""
        return self.zone.name if self.zone else self.region.name if self.region else "every zone"

    def __contains__(self, tag: int) -> bool:
        return bool(self.first <= tag <= self.last)


class TagMember(Record):
    """Where the segment of a tag leads to: a node, a site, or one end of a link, with the tag that it has there.

    `tag` is None where it is the subnet's own. Two ends that differ do not hear one another.
    """

    KIND = "tag member"

    subnet = models.ForeignKey(Subnet, on_delete=models.PROTECT, related_name="members")
    name = name_field(120)
    kind = models.CharField(max_length=8, choices=[(k, k) for k in MEMBER_KINDS], default="node")
    tag = models.PositiveSmallIntegerField(null=True, blank=True)
    outer_tag = models.PositiveSmallIntegerField(default=0)
    about = models.CharField(max_length=500, default="", blank=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["subnet", "name"], name="tag_member_once")]

    @property
    def label_text(self) -> str:
        return f"{self.name} of {self.subnet.name}"

    def pair(self) -> tuple[int, int | None]:
        """Outer and inner tag as they are there."""
        own = self.tag is None
        return (self.subnet.outer_tag, self.subnet.tag) if own else (self.outer_tag, self.tag)
