"""Sources, surveys, sightings and findings as the API tells and takes them."""

from __future__ import annotations

from datetime import datetime
from typing import Any

from rest_framework import serializers

from lentra.api.fields import NameField, OneOf, RefField, Several, Strict
from lentra.api.serializers.records import ALWAYS, RecordSerializer
from lentra.registry.lookup.sources import STANDINGS, look_of, standing
from lentra.registry.models import (
    FINDING_KINDS,
    FINDING_STATES,
    SOURCE_KINDS,
    TAKEN_AS,
    TAKES,
    Finding,
    Look,
    Sighting,
    Source,
    Survey,
    TakingRule,
)
from lentra.registry.operations.findings.become import BECOMES, can_become
from lentra.registry.operations.findings.correct_finding import can_correct
from lentra.registry.operations.findings.settle_finding import MOST_AT_ONCE
from lentra.registry.transactions.clock import SystemClock


class LookSerializer(serializers.ModelSerializer):
    """How it goes with asking a source."""

    class Meta:
        model = Look
        fields = ("due_at", "begun_at", "got", "asked_at", "outcome", "failing_since", "position")
        read_only_fields = fields
        extra_kwargs = {
            "due_at": {"help_text": "When it is asked next; null for never by itself."},
            "begun_at": {"help_text": "Since when it is being asked; null while it is not."},
            "got": {"help_text": "How much it has told so far, while it is being asked."},
            "asked_at": {"help_text": "When it was asked last."},
            "outcome": {"help_text": "What came of that."},
            "failing_since": {"help_text": "Since when asking it comes to nothing; null while it does not."},
            "position": {"help_text": "How far its feed of changes has been read; empty for not at all."},
        }


class SourceSerializer(RecordSerializer):
    """A place that tells what really exists in a realm."""

    kind = OneOf(
        list(SOURCE_KINDS),
        required=False,
        help_text="file, host, sweep: what it saw is sent. name-server, inventory: it is asked.",
    )
    address = serializers.CharField(
        required=False,
        allow_blank=True,
        max_length=500,
        help_text="Where it is asked: host:port of a name server, https:// of an inventory.",
    )
    parts = serializers.ListField(
        child=serializers.CharField(max_length=250),
        required=False,
        max_length=200,
        help_text="The DNS zones of a name server, or the regions of an inventory (all, if empty).",
    )
    takes = Several(
        child=OneOf(list(TAKES)),
        required=False,
        max_length=len(TAKES),
        help_text="What of it is taken: ranges, addresses; both, if empty.",
    )
    credential = serializers.CharField(
        required=False,
        allow_blank=True,
        write_only=True,
        max_length=1000,
        help_text="Kept sealed, never told: a bearer token, or name:algorithm:secret of TSIG; empty for none.",
    )
    has_credential = serializers.SerializerMethodField(help_text="Whether there is a credential.")
    every = serializers.IntegerField(
        required=False,
        allow_null=True,
        min_value=1,
        help_text="Asked every so many minutes; null: only when told to.",
    )
    follows = serializers.BooleanField(
        required=False, help_text="Whether the feed of changes of an inventory is followed."
    )
    covers = serializers.ListField(
        child=serializers.CharField(max_length=100),
        required=False,
        max_length=1000,
        help_text="Prefixes that it would tell all of: what is recorded there and not seen is silent.",
    )
    every_address = serializers.BooleanField(
        required=False, help_text="Whether it would tell every address in use there as well, not networks alone."
    )
    good_for = serializers.IntegerField(
        required=False, min_value=1, max_value=3650, help_text="Days that a sighting is good for."
    )
    state = OneOf(
        list(STANDINGS),
        read_only=True,
        help_text="never: it has not looked; fresh; stale: what it saw is believed no more; asking: now; failing.",
    )
    asked_next_at = serializers.DateTimeField(
        source="due_at",
        read_only=True,
        allow_null=True,
        help_text="When it is asked next; null for never by itself.",
    )
    look = LookSerializer(
        read_only=True, allow_null=True, help_text="How asking it goes; null for one that is not asked."
    )

    class Meta:
        model = Source
        fields = (
            *(*ALWAYS, "name", "realm", "kind", "address", "parts", "takes", "credential", "has_credential"),
            *("every", "follows", "covers", "every_address", "good_for", "seen_at", "state", "asked_next_at"),
            *("look", "about"),
        )
        read_only_fields = ("id", "seen_at")
        extra_kwargs = {"seen_at": {"help_text": "When it looked last; null for never."}}

    def get_has_credential(self, source: Source) -> bool:
        return bool(source.credential)

    def to_representation(self, source: Source) -> dict[str, Any]:
        shown = super().to_representation(source)
        look = look_of(source)
        shown["look"] = LookSerializer(look).data if look else None
        shown["state"] = standing(source, look, SystemClock().now())
        shown["asked_next_at"] = shown["look"]["due_at"] if look else None
        return shown

    def get_fields(self) -> dict[str, Any]:
        fields = super().get_fields()
        for name in ("look", "state", "asked_next_at"):
            fields[name].get_attribute = lambda source: None
        return fields


class TakingRuleSerializer(RecordSerializer):
    """Which strays are taken over as they are found."""

    becomes = OneOf(list(TAKEN_AS), required=False, help_text="An address record, or a keep-out in free space.")

    class Meta:
        model = TakingRule
        fields = (*ALWAYS, "name", "realm", "source", "project", "becomes", "about")
        read_only_fields = ("id",)
        extra_kwargs = {
            "source": {"help_text": "What this source sees; null: any of the realm's."},
            "project": {"help_text": "In subnets of this project; null: in any."},
        }


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
        fields = (*ALWAYS, "name", "source", "at", "taken_at", "whole", "counts")
        read_only_fields = ("id", "at", "taken_at", "whole")
        extra_kwargs = {
            "at": {"help_text": "When it looked."},
            "taken_at": {"help_text": "When it was taken here."},
            "whole": {"help_text": "Whether it told all that it sees, or what had changed."},
        }


class SightingsSerializer(Strict):
    """What a source has seen."""

    document = serializers.DictField(
        help_text="In the format lentra-sightings-1 (see /sightings-schema.json), lentra-table-1, lentra-host-1 "
        "or lentra-sweep-1."
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
        help_text="stray: seen and not recorded; silent: recorded and not seen; differs: a fact; clash: seen in two ways; "
        "exposed, cut-off: reachable from where it should not be, or not from where it should; dns: a name's records on "
        "the server of a DNS zone.",
    )
    range = serializers.CharField(
        source="range_text", read_only=True, help_text="Where: a prefix, range or address; a name in DNS."
    )
    dns_zone = serializers.IntegerField(
        read_only=True, allow_null=True, help_text="Of the kind dns: number of the DNS zone."
    )
    dns_name = serializers.CharField(read_only=True, help_text="Of the kind dns: the name; empty for others.")
    fact = serializers.CharField(read_only=True, help_text="What differs: prefix, tag, zone…; empty for none.")
    text = serializers.CharField(read_only=True, help_text="The difference in a sentence.")
    recorded = serializers.CharField(read_only=True, help_text="What the registry says.")
    seen = SeenSerializer(many=True, read_only=True, help_text="What each source says.")
    subnet = serializers.SerializerMethodField(
        help_text="The subnet that it is about: id and name; null for none."
    )
    project = serializers.SerializerMethodField(help_text="Whose that is: id and name; null for nobody's.")
    assignee = serializers.SerializerMethodField(
        help_text="Who was asked to correct it: id and name; null for nobody."
    )
    can_become = serializers.SerializerMethodField(
        help_text="What a stray that is not closed can be taken over as; empty for others."
    )
    can_correct = serializers.SerializerMethodField(
        help_text="Whether what is recorded can be set to what was seen, while it is not closed."
    )
    state = OneOf(
        list(FINDING_STATES), read_only=True, help_text="open, dismissed, or closed: the difference is gone."
    )

    class Meta:
        model = Finding
        fields = (
            *(*ALWAYS, "name", "realm", "kind", "range", "fact", "text", "recorded", "seen", "subnet", "project"),
            *("dns_zone", "dns_name"),
            *("state", "opened_at", "closed_at", "reason", "until", "assignee", "due"),
            *("can_become", "can_correct"),
        )
        read_only_fields = ("id", "opened_at", "closed_at", "reason", "until", "due")
        extra_kwargs = {
            "opened_at": {"help_text": "When the difference was found."},
            "closed_at": {"help_text": "When it was gone; null while it is there."},
            "reason": {"help_text": "Why it was dismissed; empty if it was not."},
            "until": {"help_text": "The day on which a dismissed one is open again; null for never."},
            "due": {"help_text": "Until which day somebody is to have corrected it."},
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

    def get_can_become(self, finding: Finding) -> list[str]:
        return can_become(finding) if finding.kind == "stray" and finding.living else []

    def get_can_correct(self, finding: Finding) -> bool:
        return bool(finding.living) and can_correct(finding)

    def get_assignee(self, finding: Finding) -> dict[str, Any] | None:
        return {"id": finding.assignee, "name": finding.assignee_name} if finding.assignee else None


class DismissSerializer(Strict):
    """Why a difference stays."""

    reason = serializers.CharField(max_length=300, help_text="Why the difference stays.")
    until = serializers.DateField(
        required=False, allow_null=True, help_text="Open again from this day; null: never."
    )


class AssignSerializer(Strict):
    """Who is to correct a difference."""

    assignee = NameField(required=False, allow_null=True, help_text="A person; left out or null: nobody any more.")
    project = NameField(required=False, allow_null=True, help_text="Those of a project, in the place of a person.")
    due = serializers.DateField(required=False, allow_null=True, help_text="Until which day.")


class TakeOverSerializer(Strict):
    """What a stray becomes. What is left out is as it was seen, where that was told."""

    becomes = OneOf(
        list(BECOMES),
        help_text="A keep-out; in free space a subnet or a reservation; in a subnet an address record.",
    )
    name = serializers.CharField(
        required=False, allow_blank=True, default="", max_length=120, help_text="What it is called."
    )
    reason = serializers.CharField(
        required=False,
        allow_blank=True,
        default="",
        max_length=300,
        help_text="Of a keep-out or a reservation; who saw it, if left out.",
    )
    pool = NameField(
        required=False, allow_null=True, help_text="Of a subnet or a reservation; the innermost, if left out."
    )
    project = NameField(required=False, allow_null=True, help_text="Of a subnet: whose it is.")
    tier = NameField(required=False, allow_null=True, help_text="Of a subnet: what runs in it.")
    zone = NameField(required=False, allow_null=True, help_text="Of a subnet: the zone that it is in.")
    region = NameField(required=False, allow_null=True, help_text="Of a subnet in no zone.")


class CorrectSerializer(Strict):
    """Whom to believe."""

    source = serializers.CharField(
        required=False,
        allow_blank=True,
        default="",
        max_length=63,
        help_text="Which source, where several say otherwise; the only one, if left out.",
    )


def _of_many() -> Any:
    return serializers.ListField(
        child=serializers.IntegerField(min_value=1),
        min_length=1,
        max_length=MOST_AT_ONCE,
        help_text="Numbers of the findings: all of them, or none.",
    )


class DismissManySerializer(DismissSerializer):
    """Why several differences stay."""

    findings = _of_many()


class AssignManySerializer(AssignSerializer):
    """Who is to correct several differences."""

    findings = _of_many()


class TakeOverManySerializer(TakeOverSerializer):
    """What several strays become."""

    findings = _of_many()


class SettledSerializer(serializers.Serializer):
    """Several findings that were settled together."""

    findings = FindingSerializer(many=True, help_text="As they are now.")


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
    seen_at = serializers.SerializerMethodField(help_text="When its source saw it last.")
    lost_at = serializers.DateTimeField(
        read_only=True,
        allow_null=True,
        help_text="When it was seen last, if it is seen no more; null while it is.",
    )

    class Meta:
        model = Sighting
        fields = ("id", "source", "realm", "range", "single", "facts", "first_seen_at", "seen_at", "lost_at")

    def get_seen_at(self, sighting: Sighting) -> datetime | None:
        return sighting.lost_at or sighting.source.seen_at
