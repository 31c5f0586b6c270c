"""Requests that wait, and approval rules, as the API tells and takes them."""

from __future__ import annotations

from typing import Any

from rest_framework import serializers

from lentra.api.fields import NameField, OneOf, RefField, Several, Strict
from lentra.api.serializers.named import NamedSerializer
from lentra.api.serializers.records import ALWAYS, RecordSerializer
from lentra.registry.models import DECISIONS, ApprovalRule, WaitingRequest
from lentra.registry.reports.waiting import blocks_shown
from lentra.registry.rules.approvals import rule_in_words


class ApprovalRuleSerializer(RecordSerializer):
    """Which requests wait for a planner, or are granted at once whatever later rules say."""

    words = serializers.SerializerMethodField(help_text="The rule as a sentence.")

    class Meta:
        model = ApprovalRule
        fields = (
            *(*ALWAYS, "name", "words", "decision", "place", "when", "limit", "limit_v6", "hours", "time_zone"),
            *(
                "realm",
                "pool",
                "project",
                "tier",
                "environment",
                "holds",
                "reminds_after",
                "lapses_after",
                "about",
            ),
        )
        read_only_fields = ("id",)

    def get_words(self, rule: ApprovalRule) -> str:
        return rule_in_words(rule)


class DifferenceSerializer(serializers.Serializer):
    """What was granted in the place of what was asked for."""

    what = serializers.CharField(help_text="What of it.")
    asked = serializers.CharField(help_text="What was asked for.")
    granted = serializers.CharField(help_text="What was granted.")


class WaitingRequestSerializer(RecordSerializer):
    """A request on which a planner decides, or has decided."""

    asker = RefField(read_only=True, help_text="Who asks.")
    project = RefField(read_only=True)
    realm = RefField(read_only=True)
    pool = RefField(read_only=True, allow_null=True, help_text="The pool that most is asked out of.")
    assigned_to = RefField(read_only=True, allow_null=True, help_text="The planner who is to decide; null: any.")
    decided_by = RefField(read_only=True, allow_null=True, help_text="Who has decided.")
    values = serializers.DictField(read_only=True, help_text="What was asked for, as the call took it.")
    links = Several(
        child=serializers.URLField(max_length=500), required=False, max_length=10, help_text="Where more is found."
    )
    blocks = serializers.SerializerMethodField(help_text="The blocks, or the range, that were shown.")
    made = serializers.ListField(
        child=serializers.IntegerField(),
        read_only=True,
        help_text="Numbers of what is held for it, or was granted.",
    )
    differs = DifferenceSerializer(
        many=True, read_only=True, help_text="What was granted in the place of what was asked for."
    )

    class Meta:
        model = WaitingRequest
        fields = (
            *(*ALWAYS, "what", "state", "summary", "asker", "project", "realm", "pool", "subject", "values"),
            *("blocks", "rule", "rule_words", "reason", "needed_by", "links", "held", "created_at", "lapses_at"),
            "assigned_to",
            *("decided_by", "decided_at", "decision", "made", "differs"),
        )
        read_only_fields = tuple(set(fields) - {"reason", "needed_by", "links"})

    def get_blocks(self, request: WaitingRequest) -> list[str]:
        return blocks_shown(request)


class GrantSerializer(Strict):
    """How to grant: as asked for, or with other values."""

    values = serializers.DictField(
        required=False,
        default=dict,
        help_text="What is granted in the place of what was asked for, such as another pool or length.",
    )
    anew = serializers.BooleanField(
        required=False, default=False, help_text="Whatever takes the place of what was shown, if that is gone."
    )


class RefuseSerializer(Strict):
    """Why a request is refused."""

    reason = serializers.CharField(max_length=500, help_text="Told to whoever asked.")


class PassOnSerializer(Strict):
    """Who is to decide."""

    to = NameField(allow_null=True, help_text="Name or number of a planner; null: any of them.")


class SaySerializer(Strict):
    """A word about a request."""

    text = serializers.CharField(max_length=2000, help_text="What is said.")


class SaidSerializer(serializers.Serializer):
    """Something that was said about a request, or became of it."""

    at = serializers.DateTimeField(help_text="When.")
    by = serializers.CharField(help_text="By whom.")
    what = serializers.CharField(
        help_text="What was done: say, edit, pass on, grant, refuse, withdraw, remind, lapse."
    )
    text = serializers.CharField(help_text="What was said with it.")


class PoolBesideSerializer(serializers.Serializer):
    """A pool without and with what is asked for."""

    pool = NamedSerializer()
    family = serializers.IntegerField()
    before_percent = serializers.FloatField(help_text="Share in use without it.")
    after_percent = serializers.FloatField(help_text="Share in use with it.")
    warning_percent = serializers.IntegerField()
    critical_percent = serializers.IntegerField()
    full_on = serializers.DateField(
        allow_null=True, help_text="When the pool is full as it grows; null if not told."
    )


class ElsewhereSerializer(serializers.Serializer):
    """Another pool that may serve."""

    pool = NamedSerializer()
    block = serializers.CharField(help_text="The block that it would give.")
    why = serializers.CharField()
    leaves = serializers.IntegerField(help_text="How many more of that length would fit.")
    used_percent = serializers.FloatField()


class BesideSerializer(serializers.Serializer):
    """What stands beside a waiting request."""

    blocks = serializers.ListField(child=serializers.CharField(), help_text="The blocks that it was shown.")
    usage = PoolBesideSerializer(many=True, help_text="Its pool without and with it.")
    elsewhere = ElsewhereSerializer(many=True, help_text="Other pools that may serve.")


class TriedRuleSerializer(serializers.Serializer):
    """One approval rule on a request."""

    name = serializers.CharField()
    words = serializers.CharField(help_text="The rule as a sentence.")
    decision = OneOf(list(DECISIONS), help_text="What it decides.")
    about = serializers.BooleanField(help_text="Whether it is about such a request at all.")
    met = serializers.BooleanField(help_text="Whether it would be met.")


class TriedRulesSerializer(serializers.Serializer):
    """What would become of a request."""

    summary = serializers.CharField(help_text="What it would be given.")
    decision = OneOf(list(DECISIONS), help_text="What becomes of it.")
    rule = serializers.CharField(allow_null=True, help_text="The rule that decides; null if none does.")
    rules = TriedRuleSerializer(many=True, help_text="All rules in their order.")


def shown_request(request: Any) -> Any:
    """A waiting request as it is told."""
    return WaitingRequestSerializer(request).data
