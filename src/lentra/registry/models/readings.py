"""Readings: dated samples of usage."""

from __future__ import annotations

from typing import Any

from django.db import models

from lentra.registry.models.fields import CountField

READING_KINDS = ("pool", "project", "zone", "region", "realm", "quota")


class Reading(models.Model):
    """Usage of one pool, project, zone, region, realm or quota in one family at the end of a day.

    `subject` is the record's number, `used` what is not free: of projects, zones and regions what their subnets own, of
    realms what is not free in any of their pools, nothing counted twice. Pools and realms have their `total`, the addresses
    by state, and the free extents per length. `revision` is the one that a pool's space had, so that what has not changed
    since is known without counting it again. A quota's is of no family (0): what is used of each limit is in `states`.
    """

    kind = models.CharField(max_length=8, choices=[(k, k) for k in READING_KINDS])
    subject = models.PositiveBigIntegerField()
    family = models.PositiveSmallIntegerField()
    day = models.DateField()
    taken_at = models.DateTimeField()
    revision = models.PositiveBigIntegerField(null=True)
    used: Any = CountField(default=0)
    total: Any = CountField(null=True)
    states = models.JSONField(default=dict)
    free_counts = models.JSONField(default=dict)

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["kind", "subject", "family", "day"], name="reading_once_a_day"),
        ]
        indexes = [models.Index(fields=["day"], name="reading_day")]
