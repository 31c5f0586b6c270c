"""Set-up objects and people."""

from __future__ import annotations

from datetime import datetime
from typing import Any

from drf_spectacular.utils import extend_schema_field
from rest_framework import serializers

from lentra.api.fields import LabelsField, MailField, OneOf, RangeField, RefField, Several, Strict
from lentra.api.serializers.dns import DnsRecordSerializer, DnsZoneSerializer
from lentra.api.serializers.keep_outs import KeepOutSerializer
from lentra.api.serializers.links import LinkSerializer
from lentra.api.serializers.pools import PoolSerializer
from lentra.api.serializers.quotas import QuotaSerializer
from lentra.api.serializers.reality import SourceSerializer, TakingRuleSerializer
from lentra.api.serializers.records import ALWAYS, RecordSerializer
from lentra.api.serializers.subscriptions import SubscriptionSerializer
from lentra.api.serializers.tags import TagMemberSerializer, TagRangeSerializer
from lentra.api.serializers.waiting import ApprovalRuleSerializer
from lentra.registry.models import (
    ROLES,
    SCOPES,
    GroupMapping,
    Person,
    PlannedNeed,
    Pool,
    Project,
    Realm,
    Record,
    Region,
    Reservation,
    Sheet,
    Tier,
    Token,
    Zone,
)
from lentra.registry.operations.people.sign_in import failed_sign_ins
from lentra.registry.operations.people.tokens import LONGEST_OVERLAP, PLACES
from lentra.registry.rules.kinds import KINDS
from lentra.registry.transactions.clock import SystemClock

PLACE = ("country", "subdivision", "city", "postal_code")


class RealmSerializer(RecordSerializer):
    class Meta:
        model = Realm
        fields = (
            *ALWAYS,
            "name",
            "about",
            "private_only",
            "published",
            "operator",
            "operator_contact",
            "name_template",
            "name_pattern",
            "pool_template",
            "reservation_template",
            "plan_template",
            "address_template",
        )
        read_only_fields = ("id",)


class FamilyRulesSerializer(serializers.Serializer):
    """The rules of one family on a sheet; described here, checked by the registry."""

    head = serializers.IntegerField(
        min_value=0, max_value=4096, help_text="Addresses withheld at a subnet's start."
    )
    tail = serializers.IntegerField(min_value=0, max_value=4096, help_text="Addresses withheld at its end.")
    shortest = serializers.IntegerField(min_value=0, max_value=128, help_text="The widest subnet, as a length.")
    longest = serializers.IntegerField(min_value=0, max_value=128, help_text="The narrowest subnet, as a length.")
    range_shortest = serializers.IntegerField(min_value=0, max_value=128, help_text="The widest range of a pool.")
    range_longest = serializers.IntegerField(
        min_value=0, max_value=128, help_text="The narrowest range of a pool."
    )
    max_ranges = serializers.IntegerField(
        required=False,
        allow_null=True,
        min_value=0,
        max_value=4096,
        help_text="Ranges of a pool; null: any number.",
    )


@extend_schema_field(FamilyRulesSerializer)
class RulesField(serializers.DictField):
    """The rules of one family."""


class SheetSerializer(RecordSerializer):
    v4 = RulesField(required=False, allow_null=True, help_text="IPv4; null where there is none.")
    v6 = RulesField(required=False, allow_null=True, help_text="IPv6; null where there is none.")
    forbidden = Several(
        child=serializers.CharField(max_length=100),
        required=False,
        max_length=64,
        help_text="Ranges that no pool under this sheet may have.",
    )

    class Meta:
        model = Sheet
        fields = (
            *ALWAYS,
            "name",
            "about",
            "v4",
            "v6",
            "ipv6_needs_ipv4",
            "tag_needed",
            "dhcp",
            "workloads_min",
            "workloads_max",
            "workloads",
            "dhcp_service",
            "gateway",
            "zones",
            "forbidden",
            "hd_threshold",
        )
        read_only_fields = ("id",)


class RegionSerializer(RecordSerializer):
    class Meta:
        model = Region
        fields = (*ALWAYS, "name", "zones_per_project", *PLACE, "about")
        read_only_fields = ("id",)


class ZoneSerializer(RecordSerializer):
    class Meta:
        model = Zone
        fields = (*ALWAYS, "name", "region", "site", "physical", *PLACE, "about")
        read_only_fields = ("id",)


class TierSerializer(RecordSerializer):
    class Meta:
        model = Tier
        fields = (*ALWAYS, "name", "exposure", "host_names", "about")
        read_only_fields = ("id",)


class ProjectSerializer(RecordSerializer):
    labels = LabelsField(required=False)

    class Meta:
        model = Project
        fields = (
            *ALWAYS,
            *("name", "title", "contact", "environment"),
            *("home_region", "cost_centre", "labels"),
        )
        read_only_fields = ("id",)


class ReservationSerializer(RecordSerializer):
    """A reservation. Give `range`, or `length`, or `hosts` to have one found; `left` is what is still reserved."""

    range = RangeField(source="range_text", required=False)
    pool = RefField(Pool)
    realm = RefField(read_only=True)
    plan = RefField(read_only=True, allow_null=True)
    zone = RefField(read_only=True, allow_null=True)
    name = serializers.CharField(required=False, max_length=63)
    ends_at = serializers.DateTimeField(required=False, allow_null=True)
    projects = Several(child=RefField(Project), required=False, max_length=100)
    tiers = Several(child=RefField(Tier), required=False, max_length=100)
    left = serializers.ListField(child=serializers.CharField(), read_only=True)
    length = serializers.IntegerField(write_only=True, required=False, min_value=0, max_value=128)
    hosts = serializers.IntegerField(write_only=True, required=False, min_value=1, max_value=1 << 32)
    growth = serializers.IntegerField(write_only=True, required=False, min_value=0, max_value=1000)
    placement = OneOf(["snug", "low", "roomy"], write_only=True, required=False)
    family = OneOf([4, 6], required=False)

    class Meta:
        model = Reservation
        fields = (
            *ALWAYS,
            "name",
            "realm",
            "pool",
            "family",
            "range",
            "left",
            "kind",
            "reason",
            "service",
            "ends_at",
            "projects",
            "tiers",
            "zone",
            "plan",
            "created_at",
            "length",
            "hosts",
            "growth",
            "placement",
        )
        read_only_fields = ("id", "created_at")

    def to_representation(self, reservation: Reservation) -> dict[str, Any]:
        shown = super().to_representation(reservation)
        gone = reservation.pk is None
        shown["left"] = [] if gone else [str(prefix) for prefix in reservation.left()]
        for name in ("projects", "tiers"):
            rows = [] if gone else getattr(reservation, name).all()
            shown[name] = [{"id": row.pk, "name": row.name} for row in rows]
        return shown

    def get_fields(self) -> dict[str, Any]:
        fields = super().get_fields()
        for name in ("projects", "tiers", "left"):
            fields[name].get_attribute = lambda reservation: []  # told by to_representation
        return fields


class PlannedNeedSerializer(RecordSerializer):
    """Blocks that will be asked for on a day: a step in the forecast of their pool."""

    addresses = serializers.CharField(read_only=True, help_text="Of all its blocks. A whole number as text.")

    class Meta:
        model = PlannedNeed
        fields = (
            *ALWAYS,
            "name",
            "pool",
            "family",
            "length",
            "count",
            "day",
            "project",
            "reason",
            "plan",
            "addresses",
        )
        read_only_fields = ("id", "plan")


class PersonSerializer(RecordSerializer):
    password = serializers.CharField(write_only=True, required=False, max_length=200, trim_whitespace=False)
    failed_sign_ins = serializers.IntegerField(
        read_only=True, default=0, min_value=0, help_text="How many failed one after another, within a day."
    )
    locked_until = serializers.DateTimeField(
        read_only=True,
        allow_null=True,
        default=None,
        help_text="After failed sign-ins: no password is looked at until then.",
    )
    projects = Several(child=RefField(Project), required=False, max_length=1000)
    email = MailField(required=False, allow_blank=True, help_text="Where mail goes to; empty for nowhere.")
    second_factor = serializers.SerializerMethodField(help_text="Whether a second factor is on.")
    sign_on = serializers.SerializerMethodField(
        help_text="Whose person it is at the single sign-on: issuer and subject; empty for none."
    )

    class Meta:
        model = Person
        fields = (
            *ALWAYS,
            "name",
            "full_name",
            "role",
            "active",
            "email",
            "mail",
            "needs_second_factor",
            "second_factor",
            "sign_on",
            "projects",
            "service_of",
            "password",
            "failed_sign_ins",
            "locked_until",
        )
        read_only_fields = ("id",)

    def to_representation(self, person: Person) -> dict[str, Any]:
        shown = super().to_representation(person)
        shown["projects"] = [{"id": p.pk, "name": p.name} for p in person.projects.all()]
        shown["failed_sign_ins"], until = self._failed(person).get(person.name, (0, None))
        shown["locked_until"] = self.fields["locked_until"].to_representation(until) if until else None
        return shown

    def get_second_factor(self, person: Person) -> bool:
        factor = getattr(person, "second_factor", None)
        return bool(factor and factor.confirmed_at)

    def get_sign_on(self, person: Person) -> str:
        there = getattr(person, "sign_on", None)
        return f"{there.issuer or 'awaited, as'} {there.subject}" if there else ""

    def _failed(self, person: Person) -> dict[str, tuple[int, datetime | None]]:
        """Failed sign-ins of people: of all that are told together, by one statement."""
        together = self.parent.instance if self.parent is not None else None
        if not together:
            return failed_sign_ins([person.name], SystemClock().now())
        if "failed" not in self.context:
            self.context["failed"] = failed_sign_ins([one.name for one in together], SystemClock().now())
        found: dict[str, tuple[int, datetime | None]] = self.context["failed"]
        return found

    def get_fields(self) -> dict[str, Any]:
        fields = super().get_fields()
        fields["projects"].get_attribute = lambda person: []
        for told_later in ("failed_sign_ins", "locked_until"):
            fields[told_later].get_attribute = lambda person: None
        return fields


class GroupMappingSerializer(RecordSerializer):
    """What belonging to a group of the single sign-on gives."""

    name = serializers.CharField(source="label_text", read_only=True, help_text="What it says, in few words.")
    group = serializers.CharField(max_length=200, help_text="As the single sign-on names it; * is everybody.")

    class Meta:
        model = GroupMapping
        fields = (*ALWAYS, "name", "group", "role", "project", "about")
        read_only_fields = ("id",)


def _only(model: type[Record], words: str) -> Several:
    return Several(child=RefField(model), required=False, max_length=100, help_text=words)


class TokenSerializer(RecordSerializer):
    person = RefField(Person, required=False)
    role = OneOf(choices=ROLES, required=False, allow_blank=True, help_text="The role that it reaches at most.")
    projects = Several(
        child=RefField(Project),
        required=False,
        max_length=100,
        help_text="Projects for which alone it asks and changes, as a requester at most.",
    )
    realms = _only(Realm, "Realms in which alone it asks and changes, as a requester at most.")
    pools = _only(Pool, "Pools from which alone it asks and changes, as a requester at most.")
    scopes = Several(
        child=OneOf(list(SCOPES)),
        required=False,
        max_length=len(SCOPES),
        help_text="The calls that it reaches alone; whatever changes nothing is always reached. All, if empty.",
    )
    networks = Several(
        child=serializers.CharField(max_length=60),
        required=False,
        max_length=100,
        help_text="Prefixes that it may be used from alone; anywhere, if empty.",
    )
    made_at = serializers.DateTimeField(read_only=True, help_text="When it was made.")
    replaces = serializers.PrimaryKeyRelatedField(
        read_only=True, allow_null=True, help_text="Number of the token whose successor it is."
    )
    last_used_on = serializers.DateField(
        read_only=True, allow_null=True, help_text="The last day on which it was used, in UTC."
    )
    text = serializers.CharField(
        read_only=True, allow_null=True, default=None, help_text="Told once, when it is made."
    )

    class Meta:
        model = Token
        fields = (
            *ALWAYS,
            *("person", "name", "made_at", "expires_at", "revoked_at", "last_used_on"),
            *("role", "scopes", "projects", "realms", "pools", "networks", "made_by", "replaces", "text"),
        )
        read_only_fields = ("id", "revoked_at", "made_by")

    def to_representation(self, token: Token) -> dict[str, Any]:
        places = {
            place: [{"id": pk, "name": name} for pk, name in self._named(model, getattr(token, place))]
            for place, model in PLACES.items()
        }
        return super().to_representation(token) | {
            **places,
            "text": getattr(token, "text", None),
        }

    def _named(self, model: type[Record], numbers: list[int]) -> list[tuple[int, str]]:
        """Numbers with the names that they have, read once for all tokens; what one reaches stays told when it is gone."""
        names: dict[int, str] = self.context.setdefault(model, {})
        if unknown := set(numbers) - names.keys():
            names |= {pk: f"removed ({pk})" for pk in unknown}
            names |= dict(model._default_manager.filter(pk__in=unknown).values_list("pk", "name"))
        return sorted(((pk, names[pk]) for pk in numbers), key=lambda pair: pair[1])

    def get_fields(self) -> dict[str, Any]:
        fields = super().get_fields()
        for place in PLACES:
            fields[place].get_attribute = lambda token: []
        return fields


class RotateSerializer(Strict):
    """How a token goes over to its successor."""

    overlap_hours = serializers.IntegerField(
        default=24, min_value=0, max_value=LONGEST_OVERLAP, help_text="How long both live."
    )
    expires_at = serializers.DateTimeField(
        default=None,
        allow_null=True,
        help_text="When the successor ends; if not said, it lasts as long as the former one.",
    )


class UserOfSerializer(serializers.Serializer):
    """Something that uses a record."""

    range = serializers.CharField(help_text="Its range, or its name where it has none.")
    kind = serializers.CharField(help_text="Kind of record.")
    id = serializers.IntegerField(help_text="Its number.")


class UseSerializer(serializers.Serializer):
    """What stands on a record, and what of it is fixed."""

    used_by = UserOfSerializer(many=True)
    use_count = serializers.IntegerField()
    frozen = serializers.ListField(child=serializers.CharField())


BY_KIND: dict[str, type[RecordSerializer]] = {
    "realm": RealmSerializer,
    "rule sheet": SheetSerializer,
    "region": RegionSerializer,
    "zone": ZoneSerializer,
    "tier": TierSerializer,
    "project": ProjectSerializer,
    "pool": PoolSerializer,
    "keep-out": KeepOutSerializer,
    "reservation": ReservationSerializer,
    "planned need": PlannedNeedSerializer,
    "quota": QuotaSerializer,
    "approval rule": ApprovalRuleSerializer,
    "subscription": SubscriptionSerializer,
    "tag range": TagRangeSerializer,
    "tag member": TagMemberSerializer,
    "person": PersonSerializer,
    "group mapping": GroupMappingSerializer,
    "source": SourceSerializer,
    "link": LinkSerializer,
    "taking rule": TakingRuleSerializer,
    "DNS zone": DnsZoneSerializer,
    "DNS record": DnsRecordSerializer,
}
assert set(BY_KIND) == set(KINDS)
