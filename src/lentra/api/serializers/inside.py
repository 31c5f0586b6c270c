"""Inside a subnet: address records and the address map."""

from __future__ import annotations

from typing import Any

from rest_framework import serializers

from lentra.api.fields import OneOf, RefField, Several, Strict
from lentra.api.serializers.named import NamedSerializer
from lentra.registry.models import ADDRESS_KINDS, Address


def _aliases() -> Several:
    return Several(
        child=serializers.CharField(max_length=120),
        required=False,
        max_length=50,
        help_text="Further names of its host in DNS, each a CNAME record.",
    )


class AddressSerializer(serializers.ModelSerializer):
    """An address record as it is told."""

    version = serializers.IntegerField(source="last_entry", read_only=True)
    address = serializers.CharField(source="text", read_only=True)
    subnet = RefField(read_only=True)
    realm = RefField(read_only=True)
    aliases = serializers.ListField(
        child=serializers.CharField(), read_only=True, help_text="Further names of its host in DNS."
    )
    last_seen_at = serializers.DateTimeField(
        read_only=True,
        allow_null=True,
        help_text="When a source saw it last; null for never, and in the answer to a change.",
    )

    class Meta:
        model = Address
        fields = (
            *("id", "version", "address", "family", "kind", "name", "mac", "secondary", "purpose", "aliases"),
            *("subnet", "realm", "created_at", "last_seen_at"),
        )


class NewAddressSerializer(Strict):
    """Addresses to record. Without `address` the next free ones; with `count` several, whose names are numbered."""

    name = serializers.CharField(
        required=False, allow_null=True, max_length=63, help_text="Left out, the realm's template makes one."
    )
    address = serializers.CharField(required=False, allow_null=True, max_length=64)
    count = serializers.IntegerField(required=False, min_value=1, max_value=1000)
    family = OneOf([4, 6], required=False)
    kind = OneOf(ADDRESS_KINDS, required=False)
    mac = serializers.CharField(required=False, allow_null=True, allow_blank=True, max_length=40)
    purpose = serializers.CharField(required=False, allow_blank=True, max_length=200)
    service = serializers.CharField(required=False, allow_blank=True, max_length=63)
    secondary = serializers.BooleanField(required=False, help_text="A further address of the host with that name.")
    aliases = _aliases()
    pair = serializers.BooleanField(required=False, help_text="An IPv4 and an IPv6 address for each name.")


class NewAddressesSerializer(NewAddressSerializer):
    """Addresses to record: alone, or several from a list in `records`, all or none."""

    records = Several(child=NewAddressSerializer(), required=False, max_length=1000)

    def validate(self, values: dict[str, Any]) -> dict[str, Any]:
        if "records" in values and len(values) > 1:
            raise serializers.ValidationError({"records": "give records, or what one of them says, not both"})
        return values


class AddressEditSerializer(Strict):
    """What may be said anew about an address."""

    name = serializers.CharField(required=False, max_length=63)
    kind = OneOf(ADDRESS_KINDS, required=False)
    mac = serializers.CharField(required=False, allow_null=True, max_length=40)
    secondary = serializers.BooleanField(required=False, help_text="A further address of the host with that name.")
    purpose = serializers.CharField(required=False, allow_blank=True, max_length=200)
    aliases = _aliases()


class AddressesMadeSerializer(serializers.Serializer):
    """Addresses recorded."""

    addresses = AddressSerializer(many=True)


class StretchSerializer(serializers.Serializer):
    """A stretch of a block for one purpose."""

    range = serializers.CharField()
    first = serializers.CharField()
    last = serializers.CharField()
    purpose = serializers.CharField(
        help_text="network, anycast, broadcast, withheld, gateway, dhcp, dhcp-service, static, or the kind of a record."
    )
    name = serializers.CharField()
    addresses = serializers.CharField()
    start = serializers.FloatField(help_text="Where it starts in the block, 0 to 1.")
    share = serializers.FloatField()
    record = serializers.IntegerField(allow_null=True, help_text="The address record's number.")


class BlockMapSerializer(serializers.Serializer):
    """One block's map. The totals by purpose add up to `total`."""

    prefix = serializers.CharField()
    family = serializers.IntegerField()
    gateway = serializers.CharField(allow_null=True)
    dhcp = serializers.ListField(child=serializers.CharField(), help_text="What DHCP hands out of it.")
    dhcp_service = serializers.CharField(allow_null=True)
    total = serializers.CharField()
    totals = serializers.DictField(child=serializers.CharField())
    stretches = StretchSerializer(many=True)


class AddressMapSerializer(serializers.Serializer):
    """What each address of a subnet's blocks is for."""

    subnet = NamedSerializer()
    blocks = BlockMapSerializer(many=True)


def shown_addresses(records: Any) -> Any:
    """Address records as they are told."""
    return AddressSerializer(records, many=True).data
