"""Subnets: as they are told, asked for and changed."""

from __future__ import annotations

from collections.abc import Sequence
from functools import cached_property
from typing import Any

from drf_spectacular.utils import extend_schema_serializer
from rest_framework import serializers

from lentra.addressing.exposure import REACHES
from lentra.addressing.prefix import address_text
from lentra.addressing.rules import RuleSheet
from lentra.api.fields import (
    LabelsField,
    NameField,
    OneOf,
    PrefixField,
    RefField,
    Several,
    Strict,
    TagField,
    WordField,
)
from lentra.api.plain import PlainTeller
from lentra.api.serializers.named import COUNT
from lentra.registry.models import EXPOSURES, IPV6_HOSTS, TRANSLATIONS, Subnet
from lentra.registry.reports.seen import seen_subnets


class BlockSerializer(serializers.Serializer):
    """One prefix handed out, with what it carries under the pool's rule sheet."""

    prefix = serializers.CharField()
    family = serializers.IntegerField()
    first = serializers.CharField()
    last = serializers.CharField()
    total = serializers.CharField(**COUNT)
    usable = serializers.CharField(allow_null=True, **COUNT)


class EffectiveSerializer(serializers.Serializer):
    """How far a subnet can be reached in one family, by the routes that sources have seen."""

    family = serializers.IntegerField()
    reach = OneOf(
        list(REACHES),
        help_text="outside: reachable from outside; outward: it reaches out alone; inside: one's own networks; isolated.",
    )
    proof = serializers.CharField(help_text="The route, or public address, that proves it.")
    differs = serializers.CharField(
        allow_blank=True, help_text="exposed or cut-off, where that is not what is declared; empty otherwise."
    )


class SeenSubnetSerializer(serializers.Serializer):
    """What sources have seen of a subnet."""

    last_seen_at = serializers.DateTimeField(
        allow_null=True, help_text="When something of it was seen last; null for never."
    )
    declared = OneOf(list(EXPOSURES), help_text="The exposure declared: its own, or its tier's.")
    effective = EffectiveSerializer(
        many=True, help_text="By family, IPv6 first; none where no source tells routes."
    )


def look_up_seen(subnets: Sequence[Subnet]) -> None:
    """Have what was seen of subnets told with them."""
    seen = seen_subnets(subnets)
    for subnet in subnets:
        subnet.seen = seen[subnet.pk].facts(subnet)


class SubnetSerializer(serializers.ModelSerializer):
    """A subnet as it is told."""

    version = serializers.IntegerField(source="last_entry", read_only=True)
    realm = RefField()
    pool = RefField()
    project = RefField()
    region = RefField(allow_null=True)
    zone = RefField(allow_null=True)
    tier = RefField()
    labels = serializers.DictField(child=serializers.CharField())
    blocks = serializers.ListField(child=BlockSerializer(), read_only=True)
    room = serializers.ListField(
        child=serializers.CharField(), read_only=True, help_text="Kept free to grow into."
    )
    plan = RefField(allow_null=True)
    replaces = RefField(allow_null=True)
    drawn_from = RefField(allow_null=True)
    attached_record = RefField(allow_null=True)
    name_servers = serializers.ListField(child=serializers.CharField())
    dhcp = serializers.ListField(
        child=serializers.CharField(), source="dhcp_ranges", help_text="Ranges, as first-last."
    )
    dhcp_excluded = serializers.ListField(child=serializers.CharField(), source="dhcp_exclusions")
    exposure = OneOf(
        ["", *EXPOSURES], read_only=True, help_text="Its own exposure; empty where it is that of its tier."
    )
    seen = SeenSubnetSerializer(
        read_only=True,
        allow_null=True,
        help_text="What sources have seen of it; null in the answer to a change, which does not look.",
    )

    class Meta:
        model = Subnet
        fields = (
            "id",
            "version",
            "name",
            "state",
            "realm",
            "pool",
            "project",
            "region",
            "zone",
            "tier",
            "blocks",
            "hosts",
            "growth",
            "purpose",
            "notes",
            "labels",
            "created_at",
            "ends_at",
            "room",
            "tag",
            "outer_tag",
            "gateway",
            "dhcp",
            "dhcp_excluded",
            "dhcp_service",
            "ipv6_hosts",
            "name_servers",
            "dns_suffix",
            "service",
            "plan",
            "plan_slot",
            "replaces",
            "drawn_from",
            "attached_to",
            "attached_at",
            "attached_record",
            "attached_how",
            "attached_for",
            "exposure",
            "seen",
        )

    def get_fields(self) -> dict[str, Any]:
        fields = super().get_fields()
        for name in ("blocks", "room"):
            fields[name].get_attribute = fields[name].to_representation = (
                lambda value: []
            )  # told by to_representation
        return fields

    @cached_property
    def _teller(self) -> PlainTeller:
        return PlainTeller(self)

    def to_representation(self, subnet: Subnet) -> dict[str, Any]:
        shown = self._teller.tell(subnet)
        sheet = subnet.pool.sheet.rules()
        shown["blocks"] = [block_facts(block, sheet) for block in subnet.blocks()]
        shown["room"] = [str(prefix) for prefix in subnet.room()]
        return shown


def block_facts(block: Any, sheet: RuleSheet) -> dict[str, Any]:
    """A block with its first and last address, total and usable."""
    rules = sheet.v4 if block.family == 4 else sheet.v6
    return {
        "prefix": str(block),
        "family": block.family,
        "first": address_text(block.family, block.first),
        "last": address_text(block.family, block.last),
        "total": str(block.size),
        "usable": str(rules.usable(block)) if rules else None,
    }


@extend_schema_serializer(component_name="Subnet")
class RequestSerializer(Strict):
    """A request for one or more subnets. Give hosts (with growth), or length, or prefix."""

    pool = NameField(required=False, allow_null=True)
    project = NameField()
    tier = NameField()
    zone = NameField(required=False, allow_null=True)
    region = NameField(required=False, allow_null=True)
    families = Several(child=OneOf([4, 6]), required=False, min_length=1, max_length=2)
    hosts = serializers.IntegerField(required=False, allow_null=True, min_value=1, max_value=1 << 32)
    growth = serializers.IntegerField(required=False, min_value=0, max_value=1000)
    length = serializers.IntegerField(required=False, allow_null=True, min_value=0, max_value=128)
    prefix = serializers.CharField(required=False, allow_null=True, max_length=64)
    count = serializers.IntegerField(required=False, min_value=1, max_value=256)
    placement = OneOf(["snug", "low", "roomy"], required=False, allow_null=True)
    beside = serializers.CharField(required=False, allow_null=True, max_length=200)
    despite_unsure = serializers.BooleanField(
        required=False,
        help_text="Although a keep-out over the exact prefix, which is likely or unsure, says otherwise.",
    )
    away_from = Several(
        child=serializers.CharField(max_length=200),
        required=False,
        max_length=16,
        help_text="Prefixes and subnets to share no address with.",
    )
    name = serializers.CharField(required=False, allow_null=True, max_length=120)
    purpose = serializers.CharField(required=False, allow_blank=True, max_length=200)
    notes = serializers.CharField(required=False, allow_blank=True, max_length=2000)
    labels = LabelsField(required=False)
    room = serializers.IntegerField(
        required=False, min_value=0, max_value=8, help_text="Doublings kept free behind it."
    )
    reservation = NameField(required=False, allow_null=True, help_text="Draw from this reservation.")
    service = serializers.CharField(
        required=False, allow_blank=True, max_length=63, help_text="Kept for it alone."
    )
    tag = TagField(required=False, allow_null=True)
    outer_tag = serializers.IntegerField(required=False, min_value=0, max_value=4094)
    gateway = OneOf(["none", "first", "last"], required=False)
    hold_minutes = serializers.IntegerField(required=False, allow_null=True, min_value=1, max_value=1440)
    proposal = serializers.CharField(required=False, allow_null=True, max_length=200_000)


class ReplaceSerializer(Strict):
    """What is to be different about the new subnet; all else is as with the old one."""

    pool = NameField(required=False)
    zone = NameField(required=False)
    region = NameField(required=False)
    tier = NameField(required=False)
    hosts = serializers.IntegerField(required=False, min_value=1, max_value=1 << 32)
    growth = serializers.IntegerField(required=False, min_value=0, max_value=1000)
    length = serializers.IntegerField(required=False, min_value=0, max_value=128)
    prefix = serializers.CharField(required=False, max_length=64)
    placement = OneOf(["snug", "low", "roomy"], required=False)
    room = serializers.IntegerField(required=False, min_value=0, max_value=8)
    name = serializers.CharField(required=False, max_length=120)
    tag = TagField(required=False)
    proposal = serializers.CharField(required=False, allow_null=True, max_length=200_000)


class GrowSerializer(Strict):
    """Grow to a shorter length, or until so many hosts fit; to twice the size if nothing is said."""

    length = serializers.IntegerField(required=False, min_value=0, max_value=128)
    hosts = serializers.IntegerField(required=False, min_value=1, max_value=1 << 32)
    growth = serializers.IntegerField(required=False, min_value=0, max_value=1000)
    family = OneOf([4, 6], required=False)
    downward = serializers.BooleanField(required=False, default=False, help_text="The first address may change.")
    second = serializers.BooleanField(
        required=False, default=False, help_text="Where it cannot grow in place, add a second block."
    )


class ShrinkSerializer(Strict):
    """How much to keep: a longer length, so many hosts, or this part."""

    length = serializers.IntegerField(required=False, min_value=0, max_value=128)
    hosts = serializers.IntegerField(required=False, min_value=1, max_value=1 << 32)
    family = OneOf([4, 6], required=False)
    keep = PrefixField(required=False)
    as_room = serializers.BooleanField(required=False, default=False, help_text="Keep the rest as room.")


class RoomSerializer(Strict):
    """How many doublings to keep free."""

    doublings = serializers.IntegerField(min_value=0, max_value=8)


class HandOverSerializer(Strict):
    """Who is to have a subnet from now on."""

    project = NameField(help_text="The other project: its name or number.")


class AttachSerializer(Strict):
    """What to attach a public address to."""

    target = serializers.CharField(
        required=False,
        allow_blank=True,
        max_length=200,
        help_text="A name outside the registry, such as a balancer's.",
    )
    record = WordField(required=False, help_text="Or an address record: its number, or its address.")
    how = OneOf(TRANSLATIONS, required=False)
    purpose = serializers.CharField(
        required=False, allow_blank=True, max_length=200, help_text="What for; many-to-one needs it."
    )
    move = serializers.BooleanField(required=False, default=False, help_text="Take it away from where it is now.")


class SubnetEditSerializer(Strict):
    """What may be said anew about a subnet."""

    name = serializers.CharField(required=False, max_length=120)
    purpose = serializers.CharField(required=False, allow_blank=True, max_length=200)
    notes = serializers.CharField(required=False, allow_blank=True, max_length=2000)
    labels = LabelsField(required=False)
    hosts = serializers.IntegerField(required=False, allow_null=True, min_value=1, max_value=1 << 32)
    growth = serializers.IntegerField(required=False, min_value=0, max_value=1000)
    service = serializers.CharField(required=False, allow_blank=True, max_length=63)
    tag = TagField(required=False, allow_null=True)
    outer_tag = serializers.IntegerField(required=False, min_value=0, max_value=4094)
    gateway = serializers.CharField(required=False, max_length=45, help_text="none, first, last, or an address.")
    dhcp = Several(
        child=serializers.CharField(max_length=95),
        required=False,
        max_length=16,
        help_text="Ranges, as first-last.",
    )
    dhcp_excluded = Several(
        child=serializers.CharField(max_length=95),
        required=False,
        max_length=16,
        help_text="Parts of its DHCP ranges that are not handed out.",
    )
    dhcp_service = serializers.CharField(required=False, allow_blank=True, max_length=45)
    ipv6_hosts = OneOf(IPV6_HOSTS, required=False, allow_blank=True)
    name_servers = Several(child=serializers.CharField(max_length=45), required=False, max_length=8)
    dns_suffix = serializers.CharField(required=False, allow_blank=True, max_length=200)
    exposure = OneOf(
        list(EXPOSURES), required=False, allow_blank=True, help_text="Its own exposure; empty: that of its tier."
    )


class ReleaseSerializer(Strict):
    """How to give back."""

    at_once = serializers.BooleanField(required=False, default=False)
    despite_use = serializers.BooleanField(
        required=False,
        default=False,
        help_text="Although address records, a DHCP range or a gateway are recorded in it, which then go with it.",
    )


class HandedOutSerializer(serializers.Serializer):
    """Subnets handed out, with the reason for each block's place."""

    subnets = SubnetSerializer(many=True)
    why = serializers.ListField(child=serializers.CharField())
