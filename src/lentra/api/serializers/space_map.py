"""The map of space."""

from __future__ import annotations

from rest_framework import serializers

from lentra.api.fields import MeantField, PrefixField, Strict
from lentra.api.serializers.named import COUNT, NamedSerializer
from lentra.registry.models import Pool, Realm, Region


class MapQuerySerializer(Strict):
    """Where to look: a prefix, or where a pool, a region or a realm begins."""

    realm = MeantField(Realm, required=False)
    pool = MeantField(Pool, required=False, related=("realm",))
    region = MeantField(Region, required=False)
    range = PrefixField(required=False, help_text="Any prefix, also wider than a pool.")


class _PlacedSerializer(serializers.Serializer):
    range = serializers.CharField()
    start = serializers.FloatField(help_text="Where it starts in the view, 0 to 1.")
    share = serializers.FloatField(help_text="Share of the view, 0 to 1.")


class MapCellSerializer(_PlacedSerializer):
    """A piece of the map: one extent, or a slot with the sums of several."""

    state = serializers.CharField(help_text="A state; 'mixed': several, see `sums`; 'outside': in no pool.")
    addresses = serializers.CharField(**COUNT)
    free = serializers.CharField(**COUNT)
    extents = serializers.IntegerField()
    pool = NamedSerializer(allow_null=True)
    subnet = NamedSerializer(allow_null=True)
    child = NamedSerializer(allow_null=True, help_text="The pool carved there, too narrow to look into.")
    reservation = NamedSerializer(allow_null=True)
    project = serializers.CharField(allow_null=True, help_text="Of a slot: 'several', or null if not looked up.")
    zone = serializers.CharField(allow_null=True)
    tier = serializers.CharField(allow_null=True)
    since = serializers.DateTimeField(allow_null=True)
    hosts = serializers.CharField(allow_null=True, help_text="Address records, or else expected hosts.")
    usable = serializers.CharField(allow_null=True)
    sums = serializers.DictField(child=serializers.CharField(), allow_null=True, help_text="Addresses by state.")
    why = serializers.CharField(allow_null=True, help_text="Of what is kept out or reserved.")
    seen = serializers.CharField(
        allow_null=True,
        help_text="seen, seen no more, never seen; seen, not recorded; null where that is not looked for.",
    )


class MapPoolSerializer(_PlacedSerializer):
    """A pool that the map looks into."""

    id = serializers.IntegerField()
    name = serializers.CharField()
    depth = serializers.IntegerField(help_text="In how many other pools of the view it lies.")


class MapBranchSerializer(_PlacedSerializer):
    """A prefix of the view that is divided."""

    length = serializers.IntegerField()
    used_percent = serializers.FloatField()


class MapStepSerializer(serializers.Serializer):
    """A pool's range around the view."""

    id = serializers.IntegerField()
    name = serializers.CharField()
    range = serializers.CharField()


class MapStartSerializer(serializers.Serializer):
    """A range at which a map may begin."""

    realm = serializers.CharField()
    pool = serializers.CharField()
    range = serializers.CharField()


class SpaceMapSerializer(serializers.Serializer):
    """The map of one prefix of a realm."""

    realm = NamedSerializer()
    range = serializers.CharField()
    family = serializers.IntegerField()
    slot = serializers.IntegerField(help_text="Narrower blocks are told as sums of a slot of this length.")
    starts = MapStartSerializer(many=True)
    chain = MapStepSerializer(many=True)
    wider = serializers.CharField(allow_null=True)
    before = serializers.CharField(allow_null=True)
    after = serializers.CharField(allow_null=True)
    quarters = serializers.ListField(child=serializers.CharField(), help_text="What zooming in leads to.")
    pools = MapPoolSerializer(many=True)
    branches = MapBranchSerializer(many=True)
    cells = MapCellSerializer(many=True)
