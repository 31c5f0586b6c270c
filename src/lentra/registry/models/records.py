"""What every record has in common, and the ledger and operations that bind them together."""

from __future__ import annotations

import uuid
from functools import cache
from typing import Any

from django.core.serializers.json import DjangoJSONEncoder
from django.db import models

from lentra.registry.models.fields import name_field


class Record(models.Model):
    """A thing whose every change is in the ledger.

    Its number is that of the ledger entry that made it, so numbers are unique across all kinds.
    `last_entry` is the number of its latest entry, and so its edit version (the ETag). `revision` grows each time that
    a change locks the row, so that changes on several nodes of a cluster collide instead of passing each other.
    """

    id = models.PositiveBigIntegerField(primary_key=True)
    last_entry = models.PositiveBigIntegerField()
    revision = models.PositiveBigIntegerField(default=0)

    class Meta:
        abstract = True

    KIND = ""
    under_lock = False  # made in this change, or locked for it: see `transactions.locks`
    HIDDEN: tuple[str, ...] = ()  # fields whose values do not go into the ledger

    @property
    def label_text(self) -> str:
        """How the ledger and messages name this record."""
        return str(getattr(self, "name", self.pk))

    def facts(self) -> dict[str, Any]:
        """The record's own values, for the ledger."""
        values = self.__dict__
        return {name: values[name] for name in fact_names(type(self))}  # type: ignore[arg-type]

    def made_facts(self) -> dict[str, Any]:
        """What the ledger says of a record that was just made: its values, but for those that nobody has set."""
        return {name: value for name, value in self.facts().items() if value or value == 0}


@cache
def fact_names(model: type[Record]) -> list[str]:
    """The columns of a kind of record that go into the ledger."""
    skip = {"id", "last_entry", "revision", *model.HIDDEN}
    return [field.attname for field in model._meta.concrete_fields if field.attname not in skip]


class OnlyAdded(models.QuerySet["LedgerEntry"]):
    """Rows that are never changed or deleted, one by one or together."""

    def delete(self) -> Any:
        raise TypeError("the ledger is only ever added to")

    def update(self, **values: Any) -> Any:
        raise TypeError("the ledger is only ever added to")


class Number(models.Model):
    """Where numbers of ledger entries, and so of records, come from.

    Its rows are written in the transaction that takes them, so one that can be seen is committed; once its place in the
    order of commits is known (see `Ordered`) it is `placed`, and swept away. The highest stays, so that none comes twice.
    """

    placed = models.BooleanField(default=False, db_default=False)


class Ordered(models.Model):
    """A run of numbers that followed one another in the order of commits: the feed goes by `position`, then by number."""

    position = models.PositiveBigIntegerField(primary_key=True)
    first = models.PositiveBigIntegerField(unique=True)
    last = models.PositiveBigIntegerField()


class LedgerEntry(models.Model):
    """One change of one record: who, when, what, before, after, why. Only ever added.

    `subject` is the record's number; it is empty in the entry that made the record, whose own number is
    the record's number.
    """

    number = models.PositiveBigIntegerField(primary_key=True)
    at = models.DateTimeField()
    operation = models.UUIDField()
    actor = models.PositiveBigIntegerField(null=True)
    actor_name = name_field()
    verb = models.CharField(max_length=24)
    kind = models.CharField(max_length=24)
    subject = models.PositiveBigIntegerField(null=True)
    name = name_field(200)
    realm = models.PositiveBigIntegerField(null=True)
    before = models.JSONField(null=True, encoder=DjangoJSONEncoder)
    after = models.JSONField(null=True, encoder=DjangoJSONEncoder)
    why = models.CharField(max_length=500, default="")

    class Meta:
        indexes = [
            models.Index(fields=["subject"], name="ledger_subject"),
            models.Index(fields=["kind", "number"], name="ledger_kind"),
            models.Index(fields=["actor_name", "number"], name="ledger_actor"),
            models.Index(fields=["verb", "number"], name="ledger_verb"),
            models.Index(fields=["name", "number"], name="ledger_name"),
            models.Index(fields=["at"], name="ledger_at"),
        ]

    @property
    def record(self) -> int:
        """Number of the record that the entry is about."""
        return self.subject or self.number

    @property
    def label_text(self) -> str:
        return f"{self.verb} {self.kind} {self.name}"

    objects = OnlyAdded.as_manager()

    def delete(self, *args: Any, **kwargs: Any) -> Any:
        raise TypeError("the ledger is only ever added to")


class Operation(models.Model):
    """One change that was committed: proof that it was, and its answer for whoever repeats it.

    `key` is the caller's idempotency key, unique per person; NULL keys never collide. `status` is the answer's
    by HTTP.
    """

    id = models.UUIDField(primary_key=True, default=uuid.uuid4)
    actor = models.PositiveBigIntegerField(null=True)
    key = name_field(200, null=True)
    digest = models.CharField(max_length=64)
    answer = models.JSONField(null=True, encoder=DjangoJSONEncoder)
    status = models.PositiveSmallIntegerField(default=200)
    at = models.DateTimeField(db_index=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["actor", "key"], name="operation_once_per_key")]


class Lease(models.Model):
    """Who does the service's own regular work for now, so that one process at a time does it."""

    name = name_field(primary_key=True)
    holder = models.UUIDField()
    until = models.DateTimeField()
    round_at = models.DateTimeField(null=True)  # when the last whole round of it was done
