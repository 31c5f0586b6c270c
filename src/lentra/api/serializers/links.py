"""Links between realms, and what meets by them, as the API tells and takes them."""

from __future__ import annotations

from typing import Any

from rest_framework import serializers

from lentra.addressing.meeting import NEITHER, ONE, OTHER
from lentra.addressing.prefix import range_text
from lentra.api.fields import MeantField, OneOf, RangeField, Several, Strict
from lentra.api.serializers.named import NamedSerializer
from lentra.api.serializers.records import ALWAYS, RecordSerializer
from lentra.registry.models import LINK_KINDS, Link, Realm
from lentra.registry.reports.meeting import KINDS, WAYS
from lentra.registry.rules.links import MOST_SHOWN

SIDES = (ONE, OTHER, NEITHER)


def _shows(side: str) -> Several:
    return Several(
        child=RangeField(),
        required=False,
        max_length=MOST_SHOWN,
        help_text=f"Ranges that the {side} realm lets be seen of it; everything, if there are none.",
    )


def _gives(side: str) -> Several:
    return Several(
        child=RangeField(),
        required=False,
        write_only=True,
        max_length=1000,
        help_text=f"Of what both have and neither uses, what the {side} realm is to hand out from now on.",
    )


class LinkSerializer(RecordSerializer):
    """A connection of two realms."""

    kind = OneOf(list(LINK_KINDS), required=False, help_text="tunnel, peering, shared-router, exchange.")
    one_shows = _shows("first")
    other_shows = _shows("second")
    one_gives = _gives("first")
    other_gives = _gives("second")
    passes_on = serializers.BooleanField(
        required=False, help_text="Whether traffic goes on to further realms, over links that pass on as well."
    )
    since = serializers.DateField(
        required=False, allow_null=True, help_text="Since when it is there, or from when it will be."
    )
    reason = serializers.CharField(
        required=False,
        allow_blank=True,
        max_length=300,
        help_text="Why it is made; over living clashes it must say so.",
    )

    class Meta:
        model = Link
        fields = (
            *(*ALWAYS, "name", "one", "other", "kind", "one_shows", "other_shows", "one_gives", "other_gives"),
            *("passes_on", "since", "reason", "about"),
        )
        read_only_fields = ("id",)

    def to_internal_value(self, data: Any) -> dict[str, Any]:
        values = super().to_internal_value(data)
        for name in ("one_shows", "other_shows"):
            if name in values:
                values[name] = [range_text(*span) for span in values[name]]
        return values


class MeetingQuery(Strict):
    """A link that is thought of."""

    one = MeantField(Realm, help_text="The first realm: name or number.")
    other = MeantField(Realm, help_text="The second realm.")
    one_shows = Several(
        child=RangeField(),
        required=False,
        max_length=MOST_SHOWN,
        help_text="What is seen of the first; all, if not said.",
    )
    other_shows = Several(
        child=RangeField(), required=False, max_length=MOST_SHOWN, help_text="What is seen of the second."
    )
    passes_on = serializers.BooleanField(required=False, help_text="Whether traffic goes on to further realms.")
    one_gives = Several(
        child=RangeField(),
        required=False,
        max_length=1000,
        help_text="What the first is to hand out of what both have.",
    )
    other_gives = Several(
        child=RangeField(), required=False, max_length=1000, help_text="What the second is to hand out."
    )


class ClashSideSerializer(serializers.Serializer):
    """What one realm has where it clashes."""

    realm = serializers.CharField()
    whose = serializers.CharField(help_text="The project, the reservation, or the keep-out.")
    project = serializers.CharField(allow_null=True, help_text="Null for what is no subnet.")
    zones = serializers.ListField(child=serializers.CharField(), help_text="Zones, or regions, of the subnets.")
    states = serializers.ListField(
        child=serializers.CharField(), help_text="What is the matter with the space there."
    )
    pools = serializers.ListField(child=serializers.CharField(), help_text="Pools that it lies in.")
    ranges = serializers.ListField(child=serializers.CharField(), help_text="The first twenty of its ranges.")
    range_count = serializers.IntegerField(help_text="How many ranges it is.")
    subnets = NamedSerializer(many=True, help_text="The first twenty subnets.")
    subnet_count = serializers.IntegerField(help_text="How many subnets.")
    records = serializers.IntegerField(help_text="How many address records these subnets have.")


class WayOutSerializer(serializers.Serializer):
    """A way out of a clash."""

    way = OneOf(list(WAYS))
    realm = serializers.CharField(allow_null=True, help_text="Whose side it is; null for both.")
    subnets = serializers.IntegerField(help_text="Subnets that it touches.")
    records = serializers.IntegerField(help_text="Address records that it touches.")
    words = serializers.CharField(help_text="The same in words.")


class ClashLineSerializer(serializers.Serializer):
    """Clashes that follow one another, of the same owners."""

    kind = OneOf(
        list(KINDS), help_text="living: both in use; planned: one is only kept for later; kept out: one is that."
    )
    range = serializers.CharField(help_text="From the first address that clashes to the last.")
    clashes = serializers.IntegerField(help_text="Pairs of ranges that it tells.")
    addresses = serializers.CharField(help_text="Addresses that both have.")
    one = ClashSideSerializer()
    other = ClashSideSerializer()
    ways = WayOutSerializer(many=True, help_text="Ways out, the cheapest first.")


class ClashCountsSerializer(serializers.Serializer):
    """How many clashes there are of each kind."""

    def get_fields(self) -> dict[str, serializers.Field]:
        return {kind: serializers.IntegerField() for kind in KINDS}


class HandsOutSerializer(serializers.Serializer):
    """A range that both realms have in pools, and which of them hands it out."""

    range = serializers.CharField()
    addresses = serializers.CharField(help_text="How many addresses it has.")
    realm = serializers.CharField(
        allow_null=True,
        help_text="The one that may hand out of it, the other keeps it out; null while both use it: then it is of whoever "
        "still does once the other has given it back.",
    )
    why = serializers.CharField(help_text="Why that one.")
    proposed = serializers.BooleanField(
        help_text="Whether it is only proposed and can be chosen otherwise: neither uses it, and nobody has chosen yet."
    )


class StripCellSerializer(serializers.Serializer):
    """One part of a strip."""

    one = serializers.FloatField(help_text="Percent that is in use in the first realm.")
    other = serializers.FloatField(help_text="Percent that is in use in the second.")
    clash = serializers.BooleanField(help_text="Whether both use the same there.")
    to = OneOf(list(SIDES), help_text="Which of the two hands out its beginning.")


class StripSerializer(serializers.Serializer):
    """A range that both realms have, in equal parts."""

    range = serializers.CharField()
    cells = StripCellSerializer(many=True)


class MeetingSerializer(serializers.Serializer):
    """Two realms that meet."""

    one = NamedSerializer()
    other = NamedSerializer()
    clashes = ClashCountsSerializer(help_text="How many pairs of ranges clash, by kind.")
    addresses = serializers.CharField(help_text="Addresses that clash.")
    lines = ClashLineSerializer(many=True, help_text="Clashes, those of the same owners in one line.")
    more_lines = serializers.IntegerField(help_text="Lines that are not told.")
    shares = HandsOutSerializer(many=True, help_text="Which realm hands out what both have in pools.")
    more_shares = serializers.IntegerField(help_text="Shares that are not told.")
    strips = StripSerializer(many=True, help_text="What both have, as pictures.")


class MeetingsSerializer(serializers.Serializer):
    """Realms that meet, or would."""

    meetings = MeetingSerializer(many=True)


class RealmInGraphSerializer(NamedSerializer):
    """A realm with its clashes."""

    pools = serializers.IntegerField(help_text="Top-level pools that it has.")
    clashes = serializers.IntegerField(help_text="What it uses and a realm that it meets uses too.")


class LinkInGraphSerializer(serializers.Serializer):
    """A link between two realms."""

    id = serializers.IntegerField()
    name = serializers.CharField()
    kind = OneOf(list(LINK_KINDS))
    one = serializers.CharField()
    other = serializers.CharField()


class MeetingInGraphSerializer(serializers.Serializer):
    """Two realms that meet."""

    one = serializers.CharField()
    other = serializers.CharField()
    linked = serializers.BooleanField(help_text="Whether a link joins them, or others in between do.")
    clashes = serializers.IntegerField(help_text="Clashes that are open.")


class RealmGraphSerializer(serializers.Serializer):
    """All realms, and what joins them."""

    realms = RealmInGraphSerializer(many=True)
    links = LinkInGraphSerializer(many=True)
    meetings = MeetingInGraphSerializer(many=True)
