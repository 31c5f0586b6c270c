"""Tenures: who had which space, from when to when. The past of the registry is made of them."""

from __future__ import annotations

from typing import Any

from django.db import models

from lentra.addressing.prefix import Prefix
from lentra.registry.models.fields import AddressField, name_field
from lentra.registry.models.records import LedgerEntry


class Tenure(models.Model):
    """One prefix that a record had while nothing about it changed: what it was then, from when to when.

    Its key is the record, the ledger entry by which it began, and the prefix: a range that is no prefix has
    several. `kind` is the record's. `state` is that of a subnet, else what kind of record, reservation or keep-out it is;
    the `name` of a keep-out is its reason. `subnet` is the one that an address record lies in. `ends` may lie ahead, where
    something ends by itself; `ended_by` is the entry by which it ended, empty while it goes on. It holds
    from `begins` until just before `ends`.
    """

    pk = models.CompositePrimaryKey("record", "entry_id", "family", "first", "length")
    record = models.PositiveBigIntegerField()
    entry = models.ForeignKey(
        LedgerEntry, on_delete=models.DO_NOTHING, db_constraint=False, db_index=False, related_name="begun"
    )
    family = models.PositiveSmallIntegerField()
    first: Any = AddressField()
    length = models.PositiveSmallIntegerField()
    kind = models.CharField(max_length=16, db_collation="ascii_bin")
    realm = models.PositiveBigIntegerField()
    pool = models.PositiveBigIntegerField(null=True)
    project = models.PositiveBigIntegerField(null=True)
    region = models.PositiveBigIntegerField(null=True)
    zone = models.PositiveBigIntegerField(null=True)
    tier = models.PositiveBigIntegerField(null=True)
    subnet = models.PositiveBigIntegerField(null=True)
    name = name_field(300)
    state = models.CharField(max_length=20, db_collation="ascii_bin")
    mac = models.CharField(max_length=17, null=True, db_collation="ascii_bin")
    attached_to = models.CharField(max_length=200, default="")
    attached_record = models.PositiveBigIntegerField(null=True)
    begins = models.DateTimeField()
    ends = models.DateTimeField(null=True)
    ended_by = models.ForeignKey(
        LedgerEntry,
        null=True,
        on_delete=models.DO_NOTHING,
        db_constraint=False,
        db_index=False,
        related_name="ended",
    )

    class Meta:
        indexes = [
            models.Index(fields=["family", "first", "length", "begins"], name="tenure_place"),
            models.Index(fields=["pool", "begins"], name="tenure_begins"),
            models.Index(fields=["pool", "ends"], name="tenure_ends"),
            models.Index(fields=["attached_record"], name="tenure_attached"),
        ]

    @property
    def prefix(self) -> Prefix:
        """What was had."""
        return Prefix(self.family, self.first, self.length)
