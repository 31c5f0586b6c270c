"""Letters: what people are told by mail, and how far the feed has been read for it."""

from __future__ import annotations

from django.db import models

from lentra.registry.models.people import Person


class Letter(models.Model):
    """One thing that somebody is told by mail: what became of a request, by the ledger entry that says so.

    Those of one person that are due at the same time go in one mail. `sent_at` is when the mail was taken; until then it is
    tried again at `due_at`, and the `outcome` of the last of the `tries` is kept.
    """

    person = models.ForeignKey(Person, on_delete=models.CASCADE, related_name="letters")
    entry = models.PositiveBigIntegerField()
    request = models.PositiveBigIntegerField()
    made_at = models.DateTimeField()
    due_at = models.DateTimeField()
    sent_at = models.DateTimeField(null=True)
    tries = models.PositiveIntegerField(default=0)
    outcome = models.CharField(max_length=200, default="")

    class Meta:
        constraints = [models.UniqueConstraint(fields=["person", "entry"], name="letter_once")]
        indexes = [models.Index(fields=["sent_at", "due_at"], name="letter_due")]


class LettersRead(models.Model):
    """The feed is read for letters up to and including number `upto`. One row."""

    id = models.PositiveSmallIntegerField(primary_key=True, default=1)
    upto = models.PositiveBigIntegerField(default=0)
