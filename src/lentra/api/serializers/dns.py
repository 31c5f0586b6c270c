"""DNS zones, records by hand, and what stands in a DNS zone, as the API tells and takes them."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from rest_framework import serializers

from lentra.api.fields import NameField, OneOf, RangeField, RefField, Several, Strict
from lentra.api.serializers.records import ALWAYS, RecordSerializer
from lentra.registry.models import (
    BY_HAND_TYPES,
    ENTRY_STATES,
    NAMES_END,
    DnsEntry,
    DnsRecord,
    DnsServing,
    DnsZone,
    Subnet,
)
from lentra.registry.naming.serving import counts_of, is_by_hand, state_of
from lentra.registry.rules.dns import MOST_DS, MOST_SERVERS, shown_name

Told = dict[str, Any]
_NOTHING = {"entries": 0, "pending": 0, "refused": 0, "hidden": 0}


class ServingSerializer(serializers.ModelSerializer):
    """How it goes with the server of a DNS zone."""

    class Meta:
        model = DnsServing
        fields = (
            *("serial", "server_serial", "pushed_at", "due_at", "failing_since", "outcome"),
            *("compare_at", "compared_at", "differences"),
        )
        read_only_fields = fields
        extra_kwargs = {
            "serial": {"help_text": "Of the file written last; 0 before there is any."},
            "server_serial": {"help_text": "The newest that its server has had; 0 if nobody has asked."},
            "pushed_at": {"help_text": "When something was pushed last."},
            "due_at": {"help_text": "When its server is tried again; null while nothing is in the way."},
            "failing_since": {
                "help_text": "Since when its server does not answer as it should; null while it does."
            },
            "outcome": {"help_text": "What came of the last time."},
            "compare_at": {"help_text": "When it is held against its server next; null for never by itself."},
            "compared_at": {"help_text": "When it was held against its server last."},
            "differences": {"help_text": "Names and types that stand there otherwise."},
        }


class DnsCountsSerializer(serializers.Serializer):
    """How many records a DNS zone has."""

    entries = serializers.IntegerField(help_text="That are to stand in it.")
    pending = serializers.IntegerField(help_text="That wait to be added to its server or removed there.")
    refused = serializers.IntegerField(help_text="That its server refuses, though it takes others.")
    hidden = serializers.IntegerField(help_text="Whose name another host has.")


def _names(what: str, fields: str) -> serializers.CharField:
    return serializers.CharField(
        required=False,
        allow_blank=True,
        max_length=120,
        help_text=f"What {what} called in it, such as {fields}; empty for not at all.",
    )


def _texts(most: int, help_text: str) -> Several:
    return Several(
        child=serializers.CharField(max_length=600), required=False, max_length=most, help_text=help_text
    )


class DnsZoneSerializer(RecordSerializer):
    """A domain whose records the registry knows."""

    name = serializers.CharField(max_length=253, help_text="Its name; of a reverse one that of its range.")
    shown = serializers.SerializerMethodField(help_text="Its name in its own letters.")
    range = serializers.CharField(
        source="range_text", read_only=True, allow_null=True, help_text="Of a reverse one: the addresses in it."
    )
    servers = _texts(
        MOST_SERVERS, "Names of its name servers, each with its addresses behind it where it lies in it."
    )
    ds = _texts(MOST_DS, "Data of its DS records (RFC 4034), for the DNS zone around it.")
    host_names = _names("hosts are", "{name} or {name}-{tier}")
    gateway_names = _names("gateways are", "{subnet}-gateway")
    edge_names = _names("the first and last addresses of IPv4 blocks are", "{subnet}-{edge}")
    public_names = _names("attached public addresses are", "{name}-public")
    names_end = OneOf(
        list(NAMES_END), required=False, help_text="When names in a subnet go: as it is given back, or has cooled."
    )
    address = serializers.CharField(
        required=False,
        allow_blank=True,
        max_length=300,
        help_text="host:port of the server that it is pushed to; empty where it is written as a file.",
    )
    credential = serializers.CharField(
        required=False,
        allow_blank=True,
        write_only=True,
        max_length=1000,
        help_text="Kept sealed, never told: name:algorithm:secret of TSIG; empty for none.",
    )
    has_credential = serializers.SerializerMethodField(help_text="Whether there is a credential.")
    every = serializers.IntegerField(
        required=False,
        allow_null=True,
        min_value=1,
        help_text="Held against its server every so many minutes; null: only when told to.",
    )
    serving = ServingSerializer(read_only=True, allow_null=True, help_text="How it goes with its server.")
    counts = DnsCountsSerializer(read_only=True, help_text="How many records it has.")

    class Meta:
        model = DnsZone
        fields = (
            *(*ALWAYS, "name", "shown", "realm", "project", "range", "delegated", "primary", "contact", "servers"),
            *("ds", "ttl", "negative_ttl", "host_names", "gateway_names", "edge_names", "public_names"),
            *("names_end", "address", "credential", "has_credential", "every", "serving", "counts", "about"),
        )
        read_only_fields = ("id",)
        extra_kwargs = {
            "delegated": {"help_text": "Others keep what stands in it: only who serves it is known here."},
            "primary": {"help_text": "The server where it is changed, told in its SOA record."},
            "contact": {"help_text": "Mail address of whoever answers for it."},
            "ttl": {"help_text": "Seconds for which its records are good."},
            "negative_ttl": {"help_text": "Seconds for which it is good that there is no record."},
            "project": {"help_text": "Whose names stand in it; null for the realm's."},
        }

    def get_shown(self, zone: DnsZone) -> str:
        return shown_name(zone.name)

    def get_has_credential(self, zone: DnsZone) -> bool:
        return bool(zone.credential)

    def get_fields(self) -> dict[str, Any]:
        fields = super().get_fields()
        for name in ("serving", "counts"):
            fields[name].get_attribute = lambda zone: None
        return fields

    def to_representation(self, zone: DnsZone) -> Told:
        shown = super().to_representation(zone)
        serving = getattr(zone, "serving", None)
        shown["serving"] = ServingSerializer(serving).data if serving and not zone.delegated else None
        known = getattr(zone, "known_counts", None)
        shown["counts"] = known if known is not None else counts_of([zone.pk]).get(zone.pk, _NOTHING)
        return shown


def know_counts(zones: Sequence[DnsZone]) -> None:
    """Look up how many records some DNS zones have, together."""
    counts = counts_of([zone.pk for zone in zones])
    for zone in zones:
        zone.known_counts = counts.get(zone.pk, _NOTHING)


class DnsRecordSerializer(RecordSerializer):
    """A record that somebody keeps by hand in a DNS zone."""

    owner = serializers.CharField(
        required=False, max_length=253, default="@", help_text="Its name in the DNS zone; @ for that itself."
    )
    type = OneOf(list(BY_HAND_TYPES), help_text="What it is; those of addresses follow from the registry.")
    data = serializers.CharField(max_length=2000, help_text="As in a zone file (RFC 1035, section 5.1).")
    ttl = serializers.IntegerField(
        required=False, allow_null=True, min_value=0, help_text="Seconds; null for the DNS zone's."
    )

    class Meta:
        model = DnsRecord
        fields = (*ALWAYS, "dns_zone", "owner", "type", "data", "ttl", "about")
        read_only_fields = ("id",)
        extra_kwargs = {"dns_zone": {"help_text": "The DNS zone that it stands in."}}


class DnsEntrySerializer(serializers.Serializer):
    """One record that stands in a DNS zone, or is to."""

    dns_zone = RefField()
    owner = serializers.CharField(help_text="Its whole name.")
    type = serializers.CharField(help_text="A, AAAA, PTR, CNAME, NS…")
    data = serializers.CharField(help_text="As in a zone file.")
    ttl = serializers.IntegerField(help_text="Seconds for which it is good.")
    state = OneOf(list(ENTRY_STATES), help_text="hidden: another host has the name. refused: by the server alone.")
    subnet = RefField(allow_null=True, help_text="What it follows from; null for what is said of DNS zones.")
    by_hand = serializers.IntegerField(
        allow_null=True, help_text="Number of the record that somebody keeps by hand."
    )


def entries_told(entries: Sequence[DnsEntry]) -> list[Told]:
    """Entries of DNS zones as they are told."""
    zones = DnsZone.objects.in_bulk({entry.dns_zone for entry in entries})
    subnets = dict(Subnet.objects.filter(pk__in={e.subnet for e in entries}).values_list("pk", "name"))
    return [
        {
            "dns_zone": {"id": entry.dns_zone, "name": zones[entry.dns_zone].name},
            "owner": entry.owner,
            "type": entry.type,
            "data": entry.data,
            "ttl": zones[entry.dns_zone].ttl if entry.ttl is None else entry.ttl,
            "state": state_of(entry),
            "subnet": {"id": entry.subnet, "name": subnets[entry.subnet]} if entry.subnet in subnets else None,
            "by_hand": entry.host if is_by_hand(entry) else None,
        }
        for entry in entries
        if entry.dns_zone in zones
    ]


class ReverseZonesSerializer(Strict):
    """Which reverse DNS zones to add: those that the ranges of pools need, or these."""

    realm = NameField(help_text="Whose addresses.")
    ranges = Several(
        child=RangeField(),
        required=False,
        max_length=256,
        help_text="Those of these ranges; of the realm's top-level pools, if left out.",
    )
    like = NameField(
        required=False, allow_null=True, help_text="A DNS zone whose servers, times and key they get as well."
    )
    delegated = serializers.BooleanField(
        required=False, default=False, help_text="Others keep them: a project's own name servers, for instance."
    )
    project = NameField(required=False, allow_null=True, help_text="Whose they are, if a project's.")
    primary = serializers.CharField(required=False, allow_blank=True, max_length=253)
    contact = serializers.CharField(required=False, allow_blank=True, max_length=200)
    servers = _texts(MOST_SERVERS, "Names of their name servers; those of `like`, if left out.")
    ds = _texts(MOST_DS, "Data of their DS records, for the DNS zone around them.")
    about = serializers.CharField(required=False, allow_blank=True, max_length=500)


class ReverseZonesMadeSerializer(serializers.Serializer):
    """DNS zones that were added."""

    dns_zones = DnsZoneSerializer(many=True)


class PushSerializer(Strict):
    """How to push."""

    overwrite = serializers.BooleanField(
        required=False,
        default=False,
        help_text="What stands there otherwise, under names that the registry has, is replaced too.",
    )
