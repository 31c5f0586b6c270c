"""The past: who had what, and when."""

from __future__ import annotations

from rest_framework import serializers

from lentra.api.fields import AnyOf, OfPages, OneOf, RangeField, RefField, WhenField, meant
from lentra.registry.models import Realm
from lentra.registry.space.tenures import KINDS


class HistoryQuerySerializer(OfPages):
    """Whose past: of everything that shares an address with a range."""

    range = RangeField(
        help_text="An address, a prefix, or first-last.",
        error_messages={"required": "say which address or range\n10.40.68.0/24"},
    )
    realm = meant(Realm)
    kind = AnyOf(OneOf(list(KINDS)), help_text="Kind of record; any of several.")
    on = WhenField(required=False, help_text="Only what held on that day, or at that moment.")


class HandSerializer(serializers.Serializer):
    """By whose hand, and why: what the ledger has under a number."""

    number = serializers.IntegerField(help_text="Number of the ledger entry.")
    verb = serializers.CharField()
    who = serializers.CharField(help_text="Who did it; `lentra` is the service itself.")
    why = serializers.CharField()


class MeanwhileSerializer(serializers.Serializer):
    """A public address that was attached, from when to when."""

    address = serializers.CharField()
    begins = serializers.DateTimeField()
    ends = serializers.DateTimeField(allow_null=True)


class TenureSerializer(serializers.Serializer):
    """A prefix that a record had while nothing about it changed, with names as they were then."""

    record = serializers.IntegerField(help_text="Number of the record.")
    kind = serializers.CharField()
    realm = RefField()
    prefix = serializers.CharField()
    family = serializers.IntegerField()
    name = serializers.CharField(help_text="Its name; the reason of a keep-out.")
    state = serializers.CharField(help_text="State of a subnet; else what kind of record it is.")
    pool = RefField(allow_null=True)
    project = RefField(allow_null=True)
    region = RefField(allow_null=True)
    zone = RefField(allow_null=True)
    tier = RefField(allow_null=True)
    subnet = RefField(allow_null=True, help_text="The one that an address record lies in.")
    mac = serializers.CharField(allow_null=True)
    attached_to = serializers.CharField()
    public = MeanwhileSerializer(many=True, help_text="Public addresses attached to the address record meanwhile.")
    begins = serializers.DateTimeField()
    ends = serializers.DateTimeField(allow_null=True, help_text="May lie ahead: what ends by itself.")
    going_on = serializers.BooleanField()
    began = HandSerializer(allow_null=True)
    ended = HandSerializer(allow_null=True)
