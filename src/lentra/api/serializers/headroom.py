"""Headroom, usage over time and in parts, idle things."""

from __future__ import annotations

from rest_framework import serializers

from lentra.api.fields import AnyOf, MeantField, OfPages, OneOf, Strict, meant, window_field
from lentra.api.serializers.named import COUNT, NamedSerializer
from lentra.registry.models import Pool, Project, Realm, Region, Tier, Zone
from lentra.registry.reports.idle import KINDS


class ThresholdSerializer(serializers.Serializer):
    """When a threshold is reached: early, likely and late; null where it is already, or not in sight."""

    name = serializers.CharField(help_text="warning, critical or full")
    percent = serializers.IntegerField()
    reached = serializers.BooleanField()
    early = serializers.CharField(allow_null=True)
    likely = serializers.CharField(allow_null=True)
    late = serializers.CharField(allow_null=True)


class LengthHeadroomSerializer(serializers.Serializer):
    """How many blocks of a length that is asked for still fit, and until when."""

    length = serializers.IntegerField()
    fits = serializers.CharField(**COUNT)
    asked = serializers.IntegerField(help_text="Handed out in the window.")
    until = serializers.CharField(allow_null=True)
    days = serializers.IntegerField(allow_null=True)


class TakenReadingSerializer(serializers.Serializer):
    """One reading."""

    day = serializers.CharField()
    used = serializers.CharField(**COUNT)


class FanSerializer(serializers.Serializer):
    """A forecast week by week."""

    day = serializers.CharField()
    low = serializers.CharField()
    likely = serializers.CharField()
    high = serializers.CharField()


class StepSerializer(serializers.Serializer):
    """Addresses that come, or become free, at once on a day."""

    day = serializers.CharField()
    amount = serializers.CharField(help_text="Addresses; negative where they become free.")
    what = serializers.CharField(
        help_text="planned need, reservation falls back, renumbering leaves it, or supposed"
    )
    name = serializers.CharField()
    why = serializers.CharField()


class TrendSerializer(serializers.Serializer):
    """Growth, or why there is no forecast."""

    family = serializers.IntegerField()
    used = serializers.CharField(**COUNT)
    per_month = serializers.CharField(allow_null=True)
    no_forecast = serializers.CharField(allow_null=True, help_text="Why there is none.")
    window_days = serializers.IntegerField()
    confidence_percent = serializers.IntegerField()
    readings = TakenReadingSerializer(many=True)
    fan = FanSerializer(many=True)


class PoolHeadroomSerializer(TrendSerializer):
    """Headroom of a pool, or of all pools of a realm, in one family."""

    total = serializers.CharField(**COUNT)
    used_percent = serializers.FloatField()
    warning_percent = serializers.IntegerField()
    critical_percent = serializers.IntegerField()
    thresholds = ThresholdSerializer(many=True)
    lengths = LengthHeadroomSerializer(many=True)
    steps = StepSerializer(many=True)


class HeadroomRowSerializer(serializers.Serializer):
    """Headroom of one pool and family, in short."""

    pool = NamedSerializer()
    realm = NamedSerializer()
    family = serializers.IntegerField()
    used_percent = serializers.FloatField()
    largest_free = serializers.CharField(allow_null=True)
    per_month = serializers.CharField(allow_null=True)
    no_forecast = serializers.CharField(allow_null=True)
    window_days = serializers.IntegerField()
    confidence_percent = serializers.IntegerField()
    thresholds = ThresholdSerializer(many=True)


class BreakdownRowSerializer(serializers.Serializer):
    """What the subnets of one group own."""

    realm = NamedSerializer(required=False, allow_null=True)
    pool = NamedSerializer(required=False, allow_null=True)
    region = NamedSerializer(required=False, allow_null=True)
    zone = NamedSerializer(required=False, allow_null=True)
    tier = NamedSerializer(required=False, allow_null=True)
    project = NamedSerializer(required=False, allow_null=True)
    subnets = serializers.IntegerField()
    used = serializers.CharField(**COUNT)
    percent = serializers.FloatField(help_text="Of all rows together.")
    addresses = serializers.DictField(child=serializers.CharField())
    usable = serializers.CharField(allow_null=True)
    hosts = serializers.CharField(allow_null=True, help_text="Address records, or else expected hosts.")


class UsageThenSerializer(serializers.Serializer):
    """A pool's usage on a day, from its readings."""

    pool = NamedSerializer()
    family = serializers.IntegerField()
    day = serializers.CharField(help_text="Of the reading: the day asked for, or the last before it that has one.")
    total = serializers.CharField()
    used = serializers.CharField()
    used_percent = serializers.FloatField()
    states = serializers.DictField(child=serializers.CharField())


class ChangesSerializer(serializers.Serializer):
    """What was done between two days, and by whom."""

    what = serializers.CharField()
    by = serializers.CharField()
    subnets = serializers.IntegerField()
    ipv4 = serializers.CharField(help_text="Addresses.")


class IdleSerializer(serializers.Serializer):
    """Something idle or odd, with a proposed step."""

    kind = serializers.CharField()
    what = serializers.CharField()
    id = serializers.IntegerField()
    where = serializers.CharField()
    since = serializers.DateTimeField(allow_null=True)
    days = serializers.IntegerField(allow_null=True)
    why = serializers.CharField()
    step = serializers.CharField()


class _OfPartSerializer(Strict):
    """Which part of the registry."""

    realm = meant(Realm)
    pool = meant(Pool)
    region = meant(Region)
    zone = meant(Zone)
    tier = meant(Tier)
    project = meant(Project)


class ScopeQuerySerializer(OfPages, _OfPartSerializer):
    """Which part of the registry, and which page."""


class IdleQuerySerializer(OfPages):
    realm = MeantField(Realm, required=False)
    project = MeantField(Project, required=False)
    kind = AnyOf(OneOf(KINDS), help_text="Any of several kinds of idle things.")


class BreakdownQuerySerializer(ScopeQuerySerializer):
    by = serializers.CharField(max_length=60, help_text="Dimensions with commas between, such as zone,tier.")
    family = OneOf([4, 6], required=False, default=4)


class WindowQuerySerializer(Strict):
    window_days = window_field()


class _OfPoolsSerializer(OfPages):
    realm = meant(Realm)
    pool = meant(Pool)


class DayQuerySerializer(_OfPoolsSerializer):
    on = serializers.DateField(help_text="The day.", error_messages={"required": "say which day\non=2026-03-01"})


class SpanQuerySerializer(_OfPoolsSerializer):
    since = serializers.DateField(
        help_text="The first day.", error_messages={"required": "say since which day\nsince=2026-03-01"}
    )
    until = serializers.DateField(required=False, help_text="Today, if nothing is said.")


class RangeLinesQuerySerializer(_OfPartSerializer):
    family = OneOf([4, 6], required=False)
    aggregated = serializers.BooleanField(required=False, default=False, help_text="The fewest prefixes.")
    since = serializers.DateField(required=False, help_text="Mark what was added since, and list what is gone.")


class PrefixListQuerySerializer(_OfPartSerializer):
    family = OneOf([4, 6], required=False)


class RangesQuerySerializer(OfPages, RangeLinesQuerySerializer):
    """The same, and which page."""


class ListedRangeSerializer(serializers.Serializer):
    """One prefix of a list for access rules or routes."""

    prefix = serializers.CharField()
    family = serializers.IntegerField()
    realm = serializers.CharField()
    mark = serializers.CharField(help_text="empty, added or gone")
    name = serializers.CharField()
    project = serializers.CharField()
    zone = serializers.CharField()
    tier = serializers.CharField()
