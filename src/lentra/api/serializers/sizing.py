"""Working out: what is asked, and what comes of it."""

from __future__ import annotations

from rest_framework import serializers

from lentra.api.fields import (
    AnyOf,
    LabelsField,
    MeantField,
    NameField,
    OneOf,
    PrefixField,
    Several,
    Strict,
    WordField,
    balancers_field,
    growth_field,
    hosts_field,
    length_field,
)
from lentra.api.serializers.keep_outs import KeepOutSerializer
from lentra.api.serializers.named import NamedSerializer
from lentra.api.serializers.setup import ReservationSerializer
from lentra.api.serializers.space import HolderSerializer, WhereaboutsSerializer
from lentra.api.serializers.subnets import SubnetSerializer
from lentra.registry.models import Pool, Project, Realm, Region, Tier, Zone
from lentra.registry.operations.subnets.set_up_cluster import TAKEN_AS


class _UnderSerializer(Strict):
    """Under which rules: a sheet by name, or a pool whose sheet it is."""

    sheet = WordField(required=False, help_text="Rule sheet: its name or number. The plainest, if none is named.")
    pool = WordField(required=False, help_text="The pool whose rule sheet counts: its name, realm:name or number.")


class SizeQuerySerializer(_UnderSerializer):
    """What to size."""

    family = OneOf([4, 6], required=False, default=4)
    hosts = hosts_field()
    growth = growth_field()
    length = length_field(help_text="Size this length instead, or refuse fewer addresses than the hosts need.")
    zones = serializers.IntegerField(
        required=False, min_value=0, max_value=1000, help_text="Spread over so many, so that one may fail."
    )
    gateway = serializers.BooleanField(required=False, default=False, help_text="One more address, for a gateway.")
    balancers = balancers_field()


class SizeSerializer(serializers.Serializer):
    """A size worked out; counts of addresses as text."""

    family = serializers.IntegerField()
    length = serializers.IntegerField()
    total = serializers.CharField()
    withheld = serializers.CharField()
    usable = serializers.CharField()
    needed = serializers.CharField()
    spare = serializers.CharField()
    why_not_smaller = serializers.CharField()
    sheet = serializers.CharField()
    zones = serializers.IntegerField(allow_null=True, help_text="Zones that the hosts are spread over.")
    hosts = serializers.IntegerField(allow_null=True, help_text="Hosts in each subnet.")


class ExplainQuerySerializer(_UnderSerializer):
    prefix = PrefixField(help_text="What to explain.")


class ExplanationSerializer(serializers.Serializer):
    """All plain facts about a prefix under a rule sheet."""

    prefix = serializers.CharField()
    family = serializers.IntegerField()
    total = serializers.CharField()
    withheld = serializers.CharField()
    usable = serializers.CharField()
    first = serializers.CharField()
    last = serializers.CharField()
    first_usable = serializers.CharField(allow_null=True)
    last_usable = serializers.CharField(allow_null=True)
    netmask = serializers.CharField(allow_null=True, help_text="IPv4 alone.")
    wildcard = serializers.CharField(allow_null=True, help_text="The netmask's opposite; IPv4 alone.")
    fixed_bits = serializers.IntegerField(help_text="Bits that are the same in all its addresses.")
    free_bits = serializers.IntegerField(help_text="Bits that differ.")
    space = serializers.CharField(help_text="private, shared (RFC 6598), public, or mixed.")
    gateways = serializers.ListField(child=serializers.CharField())
    enclosing = serializers.ListField(child=serializers.CharField())
    children = serializers.DictField(child=serializers.CharField())
    reverse_names = serializers.ListField(
        child=serializers.CharField(), help_text="The reverse DNS zones that make it up, 256 at most."
    )
    sheet = serializers.CharField()
    special = serializers.ListField(child=serializers.CharField())
    notes = serializers.ListField(child=serializers.CharField())
    places = WhereaboutsSerializer(many=True, help_text="What the registry knows of it, realm by realm.")


class NeedSerializer(Strict):
    """One of several subnets: hosts with growth, or a length."""

    name = serializers.CharField(max_length=63)
    hosts = hosts_field()
    growth = growth_field()
    length = length_field()
    zone = serializers.CharField(required=False, max_length=63, help_text="The zone that it is for.")


class AsPlanSerializer(Strict):
    """What makes a plan of several needs."""

    project = MeantField(Project)
    pool = MeantField(Pool, related=("realm",))
    zones = Several(child=MeantField(Zone), min_length=1, max_length=64)
    tier = MeantField(Tier, required=False, help_text="Of those whose name is no tier's.")


class PackQuerySerializer(_UnderSerializer):
    """Several subnets to size, and to pack into a block if `inside` is given."""

    needs = Several(child=NeedSerializer(), min_length=1, max_length=1000)
    inside = PrefixField(required=False)
    realm = MeantField(Realm, required=False, help_text="Pack into what is really free there.")
    family = OneOf([4, 6], required=False, default=4)
    as_plan = AsPlanSerializer(required=False, help_text="Also tell a plan that hands out all of them.")


class BoundsSerializer(serializers.Serializer):
    """The addresses of a block."""

    first = serializers.CharField()
    last = serializers.CharField()
    usable = serializers.CharField()
    first_usable = serializers.CharField(allow_null=True)
    last_usable = serializers.CharField(allow_null=True)


class SizedSerializer(serializers.Serializer):
    """One need with its size, and its block if it was packed."""

    name = serializers.CharField()
    zone = serializers.CharField(allow_null=True)
    block = serializers.CharField(allow_null=True)
    bounds = BoundsSerializer(allow_null=True, help_text="Of its block.")
    size = SizeSerializer()


class PackedSerializer(serializers.Serializer):
    """Several subnets, largest first, the smallest block that holds them, and what is left over."""

    sized = SizedSerializer(many=True)
    least = serializers.CharField(help_text="The smallest length that holds all of them.")
    total = serializers.CharField()
    left = serializers.ListField(child=serializers.CharField())
    left_over = serializers.CharField(allow_null=True)
    plan = serializers.CharField(allow_null=True, help_text="The text of a plan, if one was asked for.")


class SplitQuerySerializer(_UnderSerializer):
    prefix = PrefixField(help_text="The block to split.")
    into = serializers.IntegerField(required=False, min_value=1, help_text="At least so many equal parts.")
    length = length_field(help_text="Into parts of that length.")
    realm = MeantField(Realm, required=False, help_text="Tell what of each part is taken there.")
    name = serializers.CharField(required=False, max_length=50, help_text="The stem of the parts' names.")
    zone = AnyOf(serializers.CharField(max_length=63), help_text="Zones that the parts go to in turn.")


class PartSerializer(BoundsSerializer):
    """One part of a block."""

    prefix = serializers.CharField()
    name = serializers.CharField(allow_null=True)
    zone = serializers.CharField(allow_null=True)
    taken_by = serializers.CharField(
        allow_null=True, help_text="Who takes some of it in the realm; null if it is free."
    )


class SplitSerializer(serializers.Serializer):
    """Equal parts of a block."""

    prefix = serializers.CharField()
    length = serializers.IntegerField()
    count = serializers.IntegerField()
    spare = serializers.IntegerField(help_text="Parts beyond those asked for.")
    spare_addresses = serializers.CharField()
    parts = PartSerializer(many=True, help_text="The first 1,024.")
    sheet = serializers.CharField(help_text="The rule sheet under which the usable addresses are counted.")
    free = serializers.IntegerField(
        allow_null=True, help_text="Parts of which nothing is taken, if a realm was named."
    )


class CarriesQuerySerializer(_UnderSerializer):
    prefix = PrefixField(help_text="The block.")
    workloads = serializers.IntegerField(
        required=False,
        min_value=1,
        max_value=100_000,
        help_text="Workloads of a cluster node: tells how many nodes.",
    )
    surge = serializers.IntegerField(
        required=False, default=1, min_value=0, max_value=1000, help_text="Nodes more while a cluster is renewed."
    )
    balancers = balancers_field()


class CarriesSerializer(serializers.Serializer):
    """What a block carries under a rule sheet."""

    prefix = serializers.CharField()
    sheet = serializers.CharField()
    hosts = serializers.CharField(allow_null=True, help_text="Usable addresses, as one subnet.")
    subnets = serializers.DictField(child=serializers.CharField(), help_text="How many subnets, by length.")
    nodes = serializers.IntegerField(allow_null=True, help_text="Cluster nodes whose workloads draw from it.")
    nodes_alone = serializers.IntegerField(
        allow_null=True, help_text="Nodes whose workloads have a range of their own."
    )


class RangeSizeQuerySerializer(_UnderSerializer):
    subnets = serializers.IntegerField(min_value=1, max_value=1 << 32, help_text="How many of the longest length.")
    growth = growth_field()
    family = OneOf([4, 6], required=False, default=6)


class RangeSizeSerializer(serializers.Serializer):
    """A range of a pool, counted in subnets of the sheet's longest length."""

    family = serializers.IntegerField()
    length = serializers.IntegerField()
    unit = serializers.IntegerField()
    holds = serializers.CharField()
    needed = serializers.CharField()
    spare = serializers.CharField()
    why_not_smaller = serializers.CharField()
    sheet = serializers.CharField()


class ClusterNeedSerializer(Strict):
    """A cluster's numbers."""

    nodes = serializers.IntegerField(min_value=1, max_value=1_000_000)
    surge = serializers.IntegerField(required=False, default=1, min_value=0, max_value=1_000_000)
    workloads = serializers.IntegerField(
        required=False,
        default=None,
        allow_null=True,
        min_value=0,
        max_value=1_000_000,
        help_text="Workloads of a node; left out, what the rule sheet says.",
    )
    balancers = serializers.IntegerField(required=False, default=0, min_value=0, max_value=1_000_000)
    own_range = serializers.BooleanField(
        required=False, default=False, help_text="Workloads have a range of their own."
    )
    most_nodes = serializers.IntegerField(
        required=False, min_value=1, max_value=1_000_000, help_text="Nodes that it may grow to."
    )
    zones = serializers.IntegerField(
        required=False, min_value=0, max_value=1000, help_text="Spread over so many, so that one may fail."
    )
    services = serializers.IntegerField(
        required=False, min_value=1, max_value=10_000_000, help_text="Services, to size their range."
    )
    length = serializers.IntegerField(required=False, min_value=0, max_value=32, help_text="The node subnet's.")
    service_range = PrefixField(required=False)
    name_service = serializers.CharField(required=False, max_length=45)


class ClusterSizeQuerySerializer(_UnderSerializer, ClusterNeedSerializer):
    """A cluster to size, and under which rules."""


class ClusterSerializer(ClusterNeedSerializer):
    """A cluster to set up: its numbers, where it goes, and the ranges that it brings along."""

    name = serializers.CharField(max_length=40)
    pool = NameField()
    project = NameField()
    tier = NameField()
    zone = NameField(required=False, allow_null=True)
    region = NameField(required=False, allow_null=True)
    workload_range = PrefixField(required=False)
    bridge_range = PrefixField(required=False)
    take_as = OneOf(TAKEN_AS, required=False, default="reserve")
    labels = LabelsField(required=False)


class ServiceRangeSerializer(serializers.Serializer):
    """A service range with its well-known addresses."""

    prefix = serializers.CharField()
    default_service = serializers.CharField()
    name_service = serializers.CharField()
    services = serializers.CharField()


class ClusterSizeSerializer(serializers.Serializer):
    """A cluster sized."""

    subnet = SizeSerializer()
    most_nodes = serializers.IntegerField(help_text="Nodes that these ranges carry.")
    workload_length = serializers.IntegerField(allow_null=True)
    slice_length = serializers.IntegerField(allow_null=True, help_text="Each node's slice of the workload range.")
    service_length = serializers.IntegerField(allow_null=True, help_text="The range that so many services need.")
    zones = serializers.IntegerField(allow_null=True)
    nodes_of_a_zone = serializers.IntegerField(help_text="Nodes of each zone, so that one may fail.")
    services = ServiceRangeSerializer(allow_null=True)


class ClusterMadeSerializer(serializers.Serializer):
    """What was made for a cluster."""

    size = ClusterSizeSerializer()
    subnet = SubnetSerializer()
    reservations = ReservationSerializer(many=True)
    keep_outs = KeepOutSerializer(many=True)
    why = serializers.ListField(child=serializers.CharField())


class CheckQuerySerializer(Strict):
    """Ranges to check, as a list or as pasted text: prefixes, masks, first-last, words beside them. All realms, if none is
    named."""

    realm = NameField(required=False)
    realms = Several(child=NameField(), required=False, max_length=100)
    ranges = Several(
        child=serializers.CharField(max_length=500, allow_blank=True), required=False, max_length=20_000
    )
    text = serializers.CharField(required=False, allow_blank=True, max_length=1_500_000)


class MetSerializer(HolderSerializer):
    """Something that a range meets, and how it lies to it."""

    how = serializers.CharField()
    realm = serializers.CharField()
    pool = serializers.CharField(required=False)


class CheckedSerializer(serializers.Serializer):
    """How one range lies to all that is known."""

    line = serializers.IntegerField(help_text="From 1.")
    text = serializers.CharField()
    name = serializers.CharField(help_text="The words beside it.")
    range = serializers.CharField(allow_null=True)
    how = serializers.CharField(
        help_text="unknown (we know nothing of it), ours, free (in a pool, nothing in use), equal, inside, contains, "
        "overlaps or unreadable"
    )
    meets = serializers.IntegerField(help_text="How many things it shares addresses with.")
    clashes_with = serializers.ListField(
        child=serializers.IntegerField(), help_text="Lines of the list that it shares addresses with, the first 5."
    )
    why = serializers.CharField()
    suggestions = serializers.ListField(child=serializers.CharField())
    pool = NamedSerializer(allow_null=True)


class StillFitsQuerySerializer(Strict):
    pool = MeantField(Pool, required=False)
    region = MeantField(Region, required=False)
    realm = MeantField(Realm, required=False)


class RoomForSerializer(serializers.Serializer):
    """How many blocks of a length still fit, and in which pools most of them."""

    family = serializers.IntegerField()
    length = serializers.IntegerField()
    count = serializers.CharField()
    pools = serializers.ListField(child=NamedSerializer(), help_text="The pools with most room for it, 3 at most.")


CheckedSerializer._declared_fields["with"] = MetSerializer(many=True)  # a field that no Python name can have
