"""Pools and their space: ranges, extents, counters, keep-outs."""

from __future__ import annotations

import operator
from functools import reduce
from typing import Any

from django.db import models
from django.db.models import ExpressionWrapper, F, Q

from lentra.addressing.extents import State
from lentra.addressing.headroom import THRESHOLDS, Usage
from lentra.addressing.placement import PLACEMENTS
from lentra.addressing.prefix import Prefix, range_text
from lentra.addressing.tiles import Sums
from lentra.registry.models.fields import AddressField, CountField, name_field
from lentra.registry.models.records import Record
from lentra.registry.models.setup import Project, Realm, Region, Sheet, Zone

ORIGINS = ("own", "provider")
NUMBERINGS = ("number", "tag")  # how IPv6 blocks are paired with IPv4 ones
GIVES = ("both", "subnets", "pools")  # what is taken out of a pool
KEEP_OUT_KINDS = ("on-premises", "partner", "provider", "container-bridge", "tunnel", "special", "linked", "other")
DECLARED = {"finding_id": None, "in_favour_of": None}  # of keep-outs that follow from nothing else
CERTAINTIES = ("certain", "likely", "unsure")


class Pool(Record):
    """Ranges from which blocks are handed out. `sheet` is the one in force, inherited or the pool's own.

    Where its subnets were given IPv6 later, `numbering_v6` and `numbering_within` say how, and later ones follow.
    `keeps_out_seen`: free space in which something was seen is not handed out.
    """

    KIND = "pool"

    realm = models.ForeignKey(Realm, on_delete=models.PROTECT, related_name="pools")
    name = name_field()
    parent = models.ForeignKey("self", null=True, on_delete=models.PROTECT, related_name="carved")
    sheet = models.ForeignKey(Sheet, on_delete=models.PROTECT, related_name="pools")
    sheet_inherited = models.BooleanField(default=False)
    region = models.ForeignKey(Region, null=True, on_delete=models.PROTECT, related_name="pools")
    zone = models.ForeignKey(Zone, null=True, on_delete=models.PROTECT, related_name="pools")
    project = models.ForeignKey(Project, null=True, on_delete=models.PROTECT, related_name="pools")
    origin = models.CharField(max_length=12, choices=[(o, o) for o in ORIGINS], default="own")
    exposure = models.CharField(max_length=12, choices=[(e, e) for e in ("private", "public")], default="private")
    gives = models.CharField(max_length=8, choices=[(g, g) for g in GIVES], default="both")
    about = models.CharField(max_length=500, default="", blank=True)
    cooling_days = models.PositiveSmallIntegerField(default=7)
    warning_percent = models.PositiveSmallIntegerField(default=75)
    critical_percent = models.PositiveSmallIntegerField(default=90)
    placement_v4 = models.CharField(max_length=8, choices=[(p, p) for p in PLACEMENTS], default="snug")
    placement_v6 = models.CharField(max_length=8, choices=[(p, p) for p in PLACEMENTS], default="roomy")
    shortest_v4 = models.PositiveSmallIntegerField(null=True, blank=True)
    longest_v4 = models.PositiveSmallIntegerField(null=True, blank=True)
    unit_v6 = models.PositiveSmallIntegerField(default=64)
    numbering_v6 = models.CharField(max_length=8, choices=[(n, n) for n in NUMBERINGS], default="", blank=True)
    numbering_within = models.CharField(max_length=45, default="", blank=True, db_collation="ascii_bin")
    keeps_out_seen = models.BooleanField(default=True)
    origin_as = models.PositiveBigIntegerField(null=True, blank=True)
    announced_v4 = models.PositiveSmallIntegerField(null=True, blank=True)
    announced_v6 = models.PositiveSmallIntegerField(null=True, blank=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["realm", "name"], name="pool_name_in_realm")]
        indexes = [models.Index(fields=["name"], name="pool_name")]  # a page of pools is read, not sorted

    def thresholds(self) -> dict[str, int]:
        """The percents at which its use is worth a warning, critical, and full."""
        return dict(zip(THRESHOLDS, (self.warning_percent, self.critical_percent, 100), strict=True))

    def placement(self, family: int) -> str:
        """The placement used where a request names none."""
        return self.placement_v4 if family == 4 else self.placement_v6


class PoolRange(models.Model):
    """One range of a pool. Top-level ranges of a realm never overlap; a carved pool's lie in its parent's."""

    pool = models.ForeignKey(Pool, on_delete=models.CASCADE, related_name="ranges")
    realm = models.ForeignKey(Realm, on_delete=models.CASCADE, db_constraint=False, db_index=False)
    family = models.PositiveSmallIntegerField()
    first: Any = AddressField()
    last: Any = AddressField()
    length = models.PositiveSmallIntegerField()
    top = models.BooleanField()

    class Meta:
        ordering = ["family", "first"]
        constraints = [models.UniqueConstraint(fields=["pool", "family", "first"], name="range_once_in_pool")]
        indexes = [
            models.Index(fields=["realm", "family", "first"], name="range_place"),
            models.Index(fields=["family", "first"], name="range_anywhere"),
        ]

    @property
    def prefix(self) -> Prefix:
        """The range as a prefix."""
        return Prefix(self.family, self.first, self.length)


class ByState(models.Model):
    """Addresses by state: a column for each."""

    free: Any = CountField(default=0)
    held: Any = CountField(default=0)
    handed_out: Any = CountField(default=0)
    room: Any = CountField(default=0)
    reserved: Any = CountField(default=0)
    cooling: Any = CountField(default=0)
    kept_out: Any = CountField(default=0)
    carved: Any = CountField(default=0)

    class Meta:
        abstract = True

    def by_state(self) -> dict[State, int]:
        """The columns as a mapping."""
        return {state: getattr(self, state.name.lower()) for state in State}


def _each_at_least_zero() -> Q:
    return Q(**{f"{state.name.lower()}__gte": 0 for state in State})


def _sum_of_states() -> ExpressionWrapper:
    columns = reduce(operator.add, (F(state.name.lower()) for state in State))
    return ExpressionWrapper(columns, output_field=CountField())


class Space(ByState):
    """Counters of one pool in one family, and the row that a change of its space locks.

    `revision` grows with every change of the extents; `total` is how many addresses its ranges have; `free_counts` is the
    number of free extents per length; `next_due` is when something here next expires by itself; `rules_entry` is the
    number of the ledger entry that last changed the rules in force here. The database refuses counters below zero, and
    counters that do not add up to the total.
    """

    pool = models.ForeignKey(Pool, on_delete=models.CASCADE, related_name="spaces")
    realm = models.ForeignKey(Realm, on_delete=models.CASCADE, db_constraint=False, db_index=False)
    family = models.PositiveSmallIntegerField()
    total: Any = CountField(default=0)
    revision = models.PositiveBigIntegerField(default=0)
    free_counts = models.JSONField(default=dict)
    largest_free = models.PositiveSmallIntegerField(null=True)
    next_due = models.DateTimeField(null=True, db_index=True)
    rules_entry = models.PositiveBigIntegerField(default=0)

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["pool", "family"], name="space_once_in_pool"),
            models.CheckConstraint(name="counters_not_below_zero", condition=_each_at_least_zero()),
            models.CheckConstraint(name="counters_are_the_total", condition=Q(total=_sum_of_states())),
        ]

    def usage(self) -> Usage:
        """The counters as the core's usage."""
        return Usage(self.family, self.by_state(), {int(n): c for n, c in self.free_counts.items()})


class Tile(ByState):
    """Sums of the extents of one pool that lie inside a prefix and are narrower than it, for the map of space.

    Kept at every fourth length with each change of the extents; a tile that nothing lies in any more has no `extents`.
    """

    pk = models.CompositePrimaryKey("pool_id", "family", "length", "first")
    pool = models.ForeignKey(Pool, on_delete=models.CASCADE, db_index=False)
    family = models.PositiveSmallIntegerField()
    length = models.PositiveSmallIntegerField()
    first: Any = AddressField()
    extents = models.IntegerField(default=0)

    @property
    def prefix(self) -> Prefix:
        """What the tile covers."""
        return Prefix(self.family, self.first, self.length)

    def sums(self) -> Sums:
        """The counts as the core's sums."""
        return Sums(self.by_state(), self.extents)


class ExtentRow(models.Model):
    """One extent of one pool: an aligned prefix in exactly one state.

    Its key is its place, (pool, family, first): that is also the guard against handing out twice. `subnet` owns
    what is held, handed out, room or cooling; `child` owns what is carved; `reservation` what is reserved.
    """

    pk = models.CompositePrimaryKey("pool_id", "family", "first")
    pool = models.ForeignKey(Pool, on_delete=models.CASCADE, db_index=False)
    realm = models.ForeignKey(Realm, on_delete=models.CASCADE, db_constraint=False, db_index=False)
    family = models.PositiveSmallIntegerField()
    first: Any = AddressField()
    length = models.PositiveSmallIntegerField()
    state = models.PositiveSmallIntegerField()
    subnet = models.ForeignKey("Subnet", null=True, on_delete=models.PROTECT, related_name="extents")
    child = models.ForeignKey(Pool, null=True, on_delete=models.PROTECT, related_name="carved_from")
    reservation = models.ForeignKey("Reservation", null=True, on_delete=models.PROTECT, related_name="extents")

    class Meta:
        db_table = "registry_extent"
        indexes = [
            models.Index(fields=["pool", "family", "state", "length", "first"], name="extent_free"),
            models.Index(fields=["realm", "family", "first"], name="extent_place"),
        ]

    @property
    def prefix(self) -> Prefix:
        """The extent as a prefix."""
        return Prefix(self.family, self.first, self.length)


class KeepOut(Record):
    """A range that is used or forbidden elsewhere: never handed out in its realm. May overlap others.

    One that is not certain gives way to whoever asks for an exact prefix and says so. From `review_on` it is asked whether
    it still holds. What was seen in free space is kept out by a finding (`finding_id`), for as long as that is open. What
    two linked realms both have is kept out in one of them, `in_favour_of` the other; `over_use` where it was in use in both.
    """

    KIND = "keep-out"

    realm = models.ForeignKey(Realm, on_delete=models.CASCADE, related_name="keep_outs", db_index=False)
    family = models.PositiveSmallIntegerField()
    first: Any = AddressField()
    last: Any = AddressField()
    kind = models.CharField(max_length=20, choices=[(k, k) for k in KEEP_OUT_KINDS], default="other")
    reason = models.CharField(max_length=300)
    source = models.CharField(max_length=200, default="", blank=True)
    since = models.DateField(null=True)
    certainty = models.CharField(max_length=8, choices=[(c, c) for c in CERTAINTIES], default="certain")
    review_on = models.DateField(null=True, blank=True, db_index=True)
    finding_id = models.PositiveBigIntegerField(null=True, unique=True)
    in_favour_of = models.ForeignKey(Realm, null=True, on_delete=models.PROTECT, related_name="given_way")
    over_use = models.BooleanField(default=False)

    class Meta:
        indexes = [models.Index(fields=["realm", "family", "first"], name="keep_out_place")]

    @property
    def declared(self) -> bool:
        """Whether somebody has declared it: it does not follow from a finding, or from links."""
        return self.finding_id is None and self.in_favour_of_id is None

    @property
    def label_text(self) -> str:
        return self.range_text

    def facts(self) -> dict[str, Any]:
        facts = super().facts()
        for bound in ("family", "first", "last"):
            del facts[bound]
        return {"range": self.range_text, **facts}

    @property
    def range_text(self) -> str:
        """The range as a prefix, or first-last."""
        return range_text(self.family, self.first, self.last)
