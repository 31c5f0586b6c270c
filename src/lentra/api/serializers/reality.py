"""Sources, surveys, sightings and findings as the API tells and takes them."""

from __future__ import annotations

from typing import Any

from rest_framework import serializers

from lentra.api.fields import OneOf, RefField, Strict
from lentra.api.serializers.records import ALWAYS, RecordSerializer
from lentra.registry.models import FINDING_KINDS, FINDING_STATES, SOURCE_KINDS, Finding, Sighting, Source, Survey
from lentra.registry.operations.findings.settle_finding import BECOMES


class SourceSerializer(RecordSerializer):
    """A place that tells what really exists in a realm."""

    kind = OneOf(
        list(SOURCE_KINDS), required=False, help_text="A file that somebody keeps, or a Linux host or router."
    )
    covers = serializers.ListField(
        child=serializers.CharField(max_length=100),
        required=False,
        max_length=1000,
        help_text="Prefixes that it would tell all of: what is recorded there and not seen is silent.",
    )
    good_for = serializers.IntegerField(
        required=False, min_value=1, max_value=3650, help_text="Days that a sighting is good for."
    )

    class Meta:
        model = Source
        fields = (*ALWAYS, "name", "realm", "kind", "covers", "good_for", "seen_at", "about")
        read_only_fields = ("id", "seen_at")
        extra_kwargs = {"seen_at": {"help_text": "When it looked last; null for never."}}


class SurveyCountsSerializer(serializers.Serializer):
    """How much a survey saw, and what followed."""

    seen = serializers.IntegerField(help_text="Ranges and addresses that were seen.")
    new = serializers.IntegerField(help_text="Of these, not seen by the source before.")
    gone = serializers.IntegerField(help_text="Seen by it before, and no more.")
    opened = serializers.IntegerField(help_text="Findings that were opened.")
    closed = serializers.IntegerField(help_text="Findings whose difference is gone.")
    open = serializers.IntegerField(help_text="Differences that there are in the realm.")


class SurveySerializer(RecordSerializer):
    """One reading of a source."""

    name = serializers.CharField(source="label_text", read_only=True, help_text="Its source.")
    source = RefField(read_only=True, help_text="Which source.")
    counts = SurveyCountsSerializer(read_only=True, help_text="How much it saw, and what followed.")

    class Meta:
        model = Survey
        fields = (*ALWAYS, "name", "source", "at", "taken_at", "counts")
        read_only_fields = ("id", "at", "taken_at")
        extra_kwargs = {
            "at": {"help_text": "When it looked."},
            "taken_at": {"help_text": "When it was taken here."},
        }


class SightingsSerializer(Strict):
    """What a source has seen."""

    document = serializers.DictField(
        help_text="In the format lentra-sightings-1 (see /sightings-schema.json), or lentra-host-1."
    )


class SeenSerializer(serializers.Serializer):
    """What one source says."""

    source = serializers.CharField(help_text="Which source.")
    value = serializers.CharField(help_text="What it says.")
    at = serializers.DateTimeField(allow_null=True, help_text="When it looked last.")


class FindingSerializer(RecordSerializer):
    """A difference between the registry and what was seen."""

    name = serializers.CharField(source="label_text", read_only=True, help_text="What it is called.")
    realm = RefField(read_only=True)
    kind = OneOf(
        list(FINDING_KINDS),
        read_only=True,
        help_text="stray: seen and not recorded; silent: recorded and not seen; differs: a fact; clash: seen in two ways.",
    )
    range = serializers.CharField(
        source="range_text", read_only=True, help_text="Where: a prefix, range or address."
    )
    fact = serializers.CharField(read_only=True, help_text="What differs: prefix, tag, zone…; empty for none.")
    text = serializers.CharField(read_only=True, help_text="The difference in a sentence.")
    recorded = serializers.CharField(read_only=True, help_text="What the registry says.")
    seen = SeenSerializer(many=True, read_only=True, help_text="What each source says.")
    subnet = serializers.SerializerMethodField(
        help_text="The subnet that it is about: id and name; null for none."
    )
    project = serializers.SerializerMethodField(help_text="Whose that is: id and name; null for nobody's.")
    state = OneOf(
        list(FINDING_STATES), read_only=True, help_text="open, dismissed, or closed: the difference is gone."
    )

    class Meta:
        model = Finding
        fields = (
            *(*ALWAYS, "name", "realm", "kind", "range", "fact", "text", "recorded", "seen", "subnet", "project"),
            *("state", "opened_at", "closed_at", "reason", "until"),
        )
        read_only_fields = ("id", "opened_at", "closed_at", "reason", "until")
        extra_kwargs = {
            "opened_at": {"help_text": "When the difference was found."},
            "closed_at": {"help_text": "When it was gone; null while it is there."},
            "reason": {"help_text": "Why it was dismissed; empty if it was not."},
            "until": {"help_text": "The day on which a dismissed one is open again; null for never."},
        }

    def to_representation(self, finding: Finding) -> dict[str, Any]:
        shown = super().to_representation(finding)
        looked = self._looked()
        shown["seen"] = [{**one, "at": looked.get(one["source"])} for one in finding.seen]
        return shown

    def _looked(self) -> dict[str, str]:
        """When each source looked last: read once for all findings that are told together."""
        if "looked" not in self.context:
            moment = serializers.DateTimeField()
            rows = Source.objects.exclude(seen_at=None).values_list("name", "seen_at")
            self.context["looked"] = {name: moment.to_representation(at) for name, at in rows}
        found: dict[str, str] = self.context["looked"]
        return found

    def get_fields(self) -> dict[str, Any]:
        fields = super().get_fields()
        fields["seen"].get_attribute = lambda finding: []
        return fields

    def get_subnet(self, finding: Finding) -> dict[str, Any] | None:
        return {"id": finding.subnet, "name": finding.subnet_name} if finding.subnet else None

    def get_project(self, finding: Finding) -> dict[str, Any] | None:
        return {"id": finding.project, "name": finding.project_name} if finding.project else None


class DismissSerializer(Strict):
    """Why a difference stays."""

    reason = serializers.CharField(max_length=300, help_text="Why the difference stays.")
    until = serializers.DateField(
        required=False, allow_null=True, help_text="Open again from this day; null: never."
    )


class TakeOverSerializer(Strict):
    """What a stray becomes."""

    becomes = OneOf(list(BECOMES), help_text="A keep-out, or an address record of the subnet that it lies in.")
    name = serializers.CharField(
        required=False, allow_blank=True, default="", max_length=120, help_text="Of an address record."
    )
    reason = serializers.CharField(
        required=False,
        allow_blank=True,
        default="",
        max_length=300,
        help_text="Of a keep-out; who saw it, if left out.",
    )


class SightingSerializer(serializers.ModelSerializer):
    """One range or address that a source sees."""

    source = RefField(read_only=True, help_text="Which source.")
    realm = RefField(read_only=True)
    range = serializers.CharField(
        source="range_text", read_only=True, help_text="A prefix, first-last, or an address."
    )
    single = serializers.BooleanField(read_only=True, help_text="Whether it is a single address.")
    facts = serializers.DictField(
        child=serializers.CharField(),
        read_only=True,
        help_text="What is told of it: name, zone, tag, gateway, mac…",
    )
    first_seen_at = serializers.DateTimeField(read_only=True, help_text="Since when it is seen without a break.")
    seen_at = serializers.DateTimeField(
        source="source.seen_at", read_only=True, help_text="When its source looked last, and saw it."
    )

    class Meta:
        model = Sighting
        fields = ("id", "source", "realm", "range", "single", "facts", "first_seen_at", "seen_at")
