"""Requests that wait for a planner, and the approval rules by which they do."""

from __future__ import annotations

from django.db import models

from lentra.registry.models.fields import name_field
from lentra.registry.models.people import Person
from lentra.registry.models.records import Record
from lentra.registry.models.setup import ENVIRONMENTS, Project, Realm, Tier
from lentra.registry.models.space import Pool

DECISIONS = ("waits", "granted")
CONDITIONS = (  # of an approval rule
    *("always", "wider-than", "more-at-once", "more-in-a-month", "share-of-pool", "public-space"),
    *("beyond-quota", "pool-above-warning", "outside-hours"),
)
ASKED = ("subnets", "replacement", "growth", "plan", "reservation")  # what a request may be for
REQUEST_STATES = ("waiting", "granted", "refused", "withdrawn", "lapsed")


class ApprovalRule(Record):
    """What becomes of a requester's request that it fits: it waits for a planner, or is granted at once.

    It is about requests in a realm, out of a pool, for a project, tier or environment, or about all of them. The first
    rule that fits decides, in the order of `place`, then of age. `limit` and `limit_v6` belong to the condition `when`:
    lengths of prefixes, a count, a percentage. `hours` are those of `outside-hours`: ``mon-fri 08:00-17:00``, in
    `time_zone`.

    What waits is reminded of after `reminds_after` days, and lapses after `lapses_after`; with `holds`, the space that it
    was shown is held until then.
    """

    KIND = "approval rule"

    name = name_field(unique=True)
    decision = models.CharField(max_length=8, choices=[(d, d) for d in DECISIONS], default="waits")
    place = models.PositiveSmallIntegerField(default=100)
    when = models.CharField(max_length=20, choices=[(c, c) for c in CONDITIONS])
    limit = models.PositiveIntegerField(null=True, blank=True)
    limit_v6 = models.PositiveSmallIntegerField(null=True, blank=True)
    hours = models.CharField(max_length=60, default="", blank=True)
    time_zone = models.CharField(max_length=60, default="UTC")
    realm = models.ForeignKey(
        Realm, null=True, blank=True, on_delete=models.PROTECT, related_name="approval_rules"
    )
    pool = models.ForeignKey(Pool, null=True, blank=True, on_delete=models.PROTECT, related_name="approval_rules")
    project = models.ForeignKey(
        Project, null=True, blank=True, on_delete=models.PROTECT, related_name="approval_rules"
    )
    tier = models.ForeignKey(Tier, null=True, blank=True, on_delete=models.PROTECT, related_name="approval_rules")
    environment = models.CharField(max_length=16, choices=[(e, e) for e in ENVIRONMENTS], default="", blank=True)
    holds = models.BooleanField(default=True)
    reminds_after = models.PositiveSmallIntegerField(default=2)
    lapses_after = models.PositiveSmallIntegerField(default=14)
    about = models.CharField(max_length=500, default="", blank=True)


class WaitingRequest(Record):
    """Somebody asks, and a planner decides.

    `values` is what was asked for, as the API takes it; `subject` is the subnet that is to grow or to be replaced. `shown`
    is what it would have been given at once: the ledger entries of that, and for a plan the token of its proposal. While
    its space is `held`, `made` are the numbers of what holds it; afterwards of what was granted. `differs` says what was
    granted in the place of what was asked for.
    """

    KIND = "request"
    HIDDEN = ("shown",)

    what = models.CharField(max_length=12, choices=[(w, w) for w in ASKED])
    state = models.CharField(max_length=10, choices=[(s, s) for s in REQUEST_STATES], default="waiting")
    asker = models.ForeignKey(Person, on_delete=models.PROTECT, related_name="requests")
    project = models.ForeignKey(Project, on_delete=models.PROTECT, related_name="requests")
    realm = models.ForeignKey(Realm, on_delete=models.PROTECT, related_name="requests")
    pool = models.ForeignKey(Pool, null=True, on_delete=models.SET_NULL, related_name="requests")
    summary = models.CharField(max_length=200)
    values = models.JSONField(default=dict)
    subject = models.PositiveBigIntegerField(null=True)
    shown = models.JSONField(default=dict)
    rule = name_field()
    rule_words = models.CharField(max_length=300)
    reason = models.CharField(max_length=500, default="", blank=True)
    needed_by = models.DateField(null=True, blank=True)
    links = models.JSONField(default=list)
    held = models.BooleanField(default=False)
    created_at = models.DateTimeField()
    reminds_at = models.DateTimeField(null=True)
    lapses_at = models.DateTimeField()
    assigned_to = models.ForeignKey(Person, null=True, on_delete=models.SET_NULL, related_name="assigned_requests")
    decided_by = models.ForeignKey(Person, null=True, on_delete=models.SET_NULL, related_name="decided_requests")
    decided_at = models.DateTimeField(null=True)
    decision = models.CharField(max_length=500, default="", blank=True)
    made = models.JSONField(default=list)
    differs = models.JSONField(default=list)

    class Meta:
        indexes = [
            models.Index(fields=["state", "created_at"], name="request_state"),
            models.Index(fields=["asker", "created_at"], name="request_asker"),
            models.Index(fields=["project", "created_at"], name="request_project"),
            models.Index(fields=["state", "lapses_at"], name="request_lapses"),
        ]

    @property
    def label_text(self) -> str:
        return self.summary
