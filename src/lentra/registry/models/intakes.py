"""Intakes: tables that were brought in, or are about to be."""

from __future__ import annotations

from typing import Any

from django.db import models

from lentra.registry.models.fields import name_field
from lentra.registry.models.people import Person

INTAKE_STATES = ("open", "committed", "taken back", "dropped")
INTAKE_STAGES = (
    "waits to be read",
    "is read",
    "waits to be committed",
    "is committed",
    "waits to be taken back",
    "is taken back",
    "",
)
OUTCOMES = ("new", "pool", "same", "differs", "refused")  # what becomes of a row


class Intake(models.Model):
    """One bringing-in of a table: whose, of which file, what its columns mean, and what it has made.

    No record, since until it is committed it is no more than a look at a file, of which the ledger says nothing. Its number
    comes from the same row of numbers, and so does its version; the ledger tells of its commit, and of its being taken back.
    `options` says what its columns mean and how it comes in; `corrections` are cells that were put right since: row ->
    heading -> text. All that it made is of one `operation`, whose ledger entries lie between two numbers.
    """

    KIND = "intake"

    id = models.PositiveBigIntegerField(primary_key=True)
    version = models.PositiveBigIntegerField()
    name = name_field(200)
    table = models.CharField(max_length=24)  # the kind of records in it
    digest = models.CharField(max_length=64)
    size = models.PositiveBigIntegerField()
    state = models.CharField(max_length=12, choices=[(s, s) for s in INTAKE_STATES], default="open")
    options: Any = models.JSONField(default=dict)
    corrections: Any = models.JSONField(default=dict)
    person = models.ForeignKey(Person, null=True, on_delete=models.PROTECT, related_name="+")
    created_at = models.DateTimeField(db_index=True)
    made: Any = models.JSONField(default=dict)  # kind -> how many
    operation = models.UUIDField(null=True)
    first_entry = models.PositiveBigIntegerField(null=True)
    final_entry = models.PositiveBigIntegerField(null=True)


class IntakeWork(models.Model):
    """How far the service is with an intake, and what it has found of it. No record: it is worked out anew at any time.

    `stage` is what it waits for, or what is being done; empty if nothing is. `proposal` tells one look from another: it is
    given with the word to commit.
    """

    intake = models.OneToOneField(Intake, primary_key=True, on_delete=models.CASCADE, related_name="work")
    stage = models.CharField(
        max_length=24, choices=[(s, s) for s in INTAKE_STAGES], default=INTAKE_STAGES[0], db_index=True
    )
    since = models.DateTimeField()
    done = models.PositiveBigIntegerField(default=0)
    total = models.PositiveBigIntegerField(default=0)
    of = models.CharField(max_length=24, default="")  # what is counted: rows read, placed, written
    stop = models.BooleanField(default=False)
    good_rows = models.BooleanField(default=False)
    told = models.CharField(max_length=200, default="")
    columns: Any = models.JSONField(default=list)
    counts: Any = models.JSONField(default=dict)
    missing: Any = models.JSONField(default=dict)  # kind -> names that are to be made
    usage: Any = models.JSONField(default=list)
    fault: Any = models.JSONField(null=True)
    proposal = models.CharField(max_length=64, default="")
    actor = models.ForeignKey(Person, null=True, on_delete=models.SET_NULL, related_name="+")
    why = models.CharField(max_length=500, default="")


class IntakePart(models.Model):
    """A piece of an intake's file."""

    pk = models.CompositePrimaryKey("intake_id", "number")
    intake = models.ForeignKey(Intake, on_delete=models.CASCADE, db_index=False, related_name="parts")
    number = models.PositiveIntegerField()
    data = models.BinaryField()


class IntakeRow(models.Model):
    """What becomes of one row of an intake's table: `cells` as they were read, `told` why, or what it would be."""

    pk = models.CompositePrimaryKey("intake_id", "number")
    intake = models.ForeignKey(Intake, on_delete=models.CASCADE, db_index=False, related_name="rows")
    number = models.PositiveIntegerField()
    outcome = models.CharField(max_length=8)
    cells: Any = models.JSONField()
    told: Any = models.JSONField()

    class Meta:
        indexes = [models.Index(fields=["intake", "outcome", "number"], name="intake_row_outcome")]
