"""Renumberings: many subnets on their way from old space to new, each a move with both sides tied together."""

from __future__ import annotations

from typing import Any

from django.db import models

from lentra.registry.models.fields import name_field
from lentra.registry.models.records import Record
from lentra.registry.models.setup import Realm

RENUMBERING_STATES = ("moving", "finished", "turned back")
MOVE_STATES = ("planned", "moving", "finished", "turned back")
LIVING_MOVES = MOVE_STATES[:2]
WAVES = ("at-once", "zone", "tier")
CHECKS = ("rules changed", "names changed", "hosts moved", "old silent")


class Renumbering(Record):
    """A move of many subnets from old space to new.

    `source` and `target` tell in words where from and where to. `waves` says how its moves are put together: all at once,
    by zone, by tier. `vacated` are the ranges (as texts) of which nothing is handed out any more, by the keep-outs whose
    numbers are `keep_out_ids`; `by` is the day by which it is to be done.
    """

    KIND = "renumbering"

    realm = models.ForeignKey(Realm, on_delete=models.CASCADE, related_name="renumberings", db_index=False)
    name = name_field()
    state = models.CharField(max_length=12, choices=[(s, s) for s in RENUMBERING_STATES], default="moving")
    source = models.CharField(max_length=300)
    target = models.CharField(max_length=300)
    waves = models.CharField(max_length=8, choices=[(w, w) for w in WAVES], default="at-once")
    vacated: Any = models.JSONField(default=list, blank=True)
    keep_out_ids: Any = models.JSONField(default=list, blank=True)
    by = models.DateField(null=True, blank=True)
    reason = models.CharField(max_length=300, default="", blank=True)
    created_at = models.DateTimeField()
    closed_at = models.DateTimeField(null=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["realm", "name"], name="renumbering_name_in_realm")]


class Move(Record):
    """One subnet, or one reservation, of a renumbering: its old side and its new one.

    `old_id` and `new_id` are the numbers of both; names (also of project, zone and tier) and ranges (as texts, pairwise) are
    kept, since the old side does not outlive the move. Planned while the new side is only held, moving while both live.
    `name` is the one that the old side has had, and that the new one gets in the end. `kept` says whether every offset is
    as it was. `hosts` are its address records once it has begun: name, old address, new address. `checks` has what is
    ticked off: what -> by whom, on which day.
    """

    KIND = "move"
    HIDDEN = ("hosts",)  # the ledger has the address records themselves

    realm = models.ForeignKey(Realm, on_delete=models.CASCADE, related_name="moves", db_index=False)
    renumbering = models.ForeignKey(Renumbering, on_delete=models.CASCADE, related_name="moves", db_index=False)
    place = models.PositiveIntegerField()
    of = models.CharField(max_length=12, choices=[("subnet", "subnet"), ("reservation", "reservation")])
    wave = name_field(default="", blank=True)
    state = models.CharField(max_length=12, choices=[(s, s) for s in MOVE_STATES], default="planned")
    name = name_field(120)
    project = name_field(default="", blank=True)
    zone = name_field(default="", blank=True)
    tier = name_field(default="", blank=True)
    old_id = models.PositiveBigIntegerField()
    new_id = models.PositiveBigIntegerField()
    old_ranges: Any = models.JSONField()
    new_ranges: Any = models.JSONField()
    kept = models.BooleanField(default=False)
    hosts: Any = models.JSONField(default=list, blank=True)
    checks: Any = models.JSONField(default=dict, blank=True)
    begun_at = models.DateTimeField(null=True)
    ended_at = models.DateTimeField(null=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["renumbering", "place"], name="move_place")]
        indexes = [
            models.Index(fields=["renumbering", "state"], name="move_state"),
            models.Index(fields=["old_id"], name="move_old"),
            models.Index(fields=["new_id"], name="move_new"),
        ]
