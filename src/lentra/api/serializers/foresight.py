"""What is foreseen: alerts, what if, compaction, how far a block can grow, expected plans."""

from __future__ import annotations

from rest_framework import serializers

from lentra.addressing.headroom import THRESHOLDS
from lentra.api.fields import NameField, OneOf, PrefixField, Several, Strict
from lentra.api.serializers.headroom import PoolHeadroomSerializer, WindowQuerySerializer
from lentra.api.serializers.named import COUNT, NamedSerializer
from lentra.api.serializers.setup import PlannedNeedSerializer
from lentra.registry.models import ALERT_KINDS, ALERT_STAGES


class AlertSerializer(serializers.Serializer):
    """A threshold of a pool that is reached (or will be soon), or something that the daily verification has found."""

    id = serializers.IntegerField()
    kind = OneOf(ALERT_KINDS)
    realm = serializers.CharField()
    pool = NamedSerializer(allow_null=True)
    family = serializers.IntegerField(allow_null=True)
    threshold = OneOf(THRESHOLDS, allow_null=True)
    stage = OneOf(ALERT_STAGES, allow_null=True, help_text="reached, or near: likely within the days configured")
    opened_at = serializers.DateTimeField()
    resolved_at = serializers.DateTimeField(allow_null=True)
    text = serializers.CharField()
    acknowledged_by = serializers.CharField(allow_null=True, help_text="Who looks after it.")
    acknowledged_at = serializers.DateTimeField(allow_null=True)
    acknowledged_why = serializers.CharField()
    muted_until = serializers.DateTimeField(allow_null=True, help_text="Nobody is told of it until then.")


class AcknowledgeSerializer(Strict):
    """That somebody looks after an alert."""

    reason = serializers.CharField(max_length=300, help_text="Who looks after it, and how.")
    until = serializers.DateTimeField(
        required=False, allow_null=True, help_text="Nobody is told of it until then; a year at most."
    )


class SupposedNeedSerializer(Strict):
    """So many blocks of a length, asked for on a day."""

    family = OneOf([4, 6], required=False, default=4)
    length = serializers.IntegerField(min_value=0, max_value=128)
    count = serializers.IntegerField(required=False, default=1, min_value=1, max_value=1_000_000)
    day = serializers.DateField()


class WhatIfQuerySerializer(WindowQuerySerializer):
    """What to suppose of a pool."""

    ranges = Several(child=PrefixField(), required=False, max_length=50, help_text="Added to it.")
    text = serializers.CharField(
        required=False, max_length=1_000_000, trim_whitespace=False, help_text="A plan that is committed."
    )
    document = serializers.DictField(required=False, help_text="The plan, as a document instead.")
    growth_percent = serializers.IntegerField(
        required=False, default=100, min_value=0, max_value=10_000, help_text="Growth beside today's pace."
    )
    give_back = Several(child=NameField(), required=False, max_length=200, help_text="Subnets.")
    give_back_idle = serializers.BooleanField(required=False, default=False)
    needs = SupposedNeedSerializer(many=True, required=False)


class FitsBesideSerializer(serializers.Serializer):
    """What still fits of a length, today and then."""

    length = serializers.IntegerField()
    today = serializers.CharField(**COUNT)
    then = serializers.CharField(**COUNT)


class WhatIfFamilySerializer(serializers.Serializer):
    """Headroom of one family, today and if all of it were done."""

    family = serializers.IntegerField()
    today = PoolHeadroomSerializer()
    then = PoolHeadroomSerializer()
    still_fits = FitsBesideSerializer(many=True)


class WhatIfSerializer(serializers.Serializer):
    """A pool today, and if all of it were done. Nothing is changed."""

    pool = NamedSerializer()
    done = serializers.ListField(child=serializers.CharField())
    families = WhatIfFamilySerializer(many=True)
    notes = serializers.ListField(child=serializers.CharField())


class CompactionQuerySerializer(Strict):
    length = serializers.IntegerField(min_value=0, max_value=128, help_text="The length that is to fit again.")
    family = OneOf([4, 6], required=False, default=4)


class MovedBlockSerializer(serializers.Serializer):
    """A block to move, or room to give up."""

    prefix = serializers.CharField()
    addresses = serializers.CharField(**COUNT)
    subnet = NamedSerializer()
    project = serializers.CharField()
    zone = serializers.CharField(allow_null=True)
    tier = serializers.CharField()


class ClearingSerializer(serializers.Serializer):
    """A stretch that would be free, and what has to go for that."""

    prefix = serializers.CharField()
    addresses = serializers.CharField(help_text="In the blocks to move. A whole number as text.")
    blocks = MovedBlockSerializer(many=True)
    room = MovedBlockSerializer(many=True)


class CompactionSerializer(serializers.Serializer):
    """Which few blocks to move so that a length fits again, the cheapest first."""

    pool = NamedSerializer()
    family = serializers.IntegerField()
    length = serializers.IntegerField()
    fits = serializers.CharField(**COUNT)
    free = serializers.CharField(**COUNT)
    largest_free = serializers.CharField(allow_null=True)
    possible = serializers.CharField(allow_null=True, help_text="The widest if all that is free lay together.")
    options = ClearingSerializer(many=True)
    why = serializers.CharField(allow_null=True, help_text="Why there is nothing to move.")


class InTheWaySerializer(serializers.Serializer):
    """What keeps a block from growing."""

    range = serializers.CharField()
    state = serializers.CharField()
    owner = serializers.CharField(allow_null=True)
    addresses = serializers.CharField(**COUNT)


class GrowthStepSerializer(serializers.Serializer):
    """A wider length of a block."""

    prefix = serializers.CharField()
    length = serializers.IntegerField()
    possible = serializers.BooleanField()
    moves_first = serializers.BooleanField(help_text="Its first address would change.")
    in_the_way = InTheWaySerializer(many=True)
    why = serializers.CharField()


class BlockHeadroomSerializer(serializers.Serializer):
    """How far a block can grow in place."""

    block = serializers.CharField()
    family = serializers.IntegerField()
    usable = serializers.CharField(allow_null=True)
    hosts = serializers.CharField(allow_null=True, help_text="Address records, or else expected hosts.")
    can_grow_to = serializers.CharField(help_text="Keeping its first address.")
    steps = GrowthStepSerializer(many=True)


class ExpectPlanSerializer(Strict):
    """A plan that will be committed on a day."""

    text = serializers.CharField(required=False, max_length=1_000_000, trim_whitespace=False)
    document = serializers.DictField(required=False)
    day = serializers.DateField()


class ExpectedSerializer(serializers.Serializer):
    """The planned needs that an expected plan comes to."""

    needs = PlannedNeedSerializer(many=True)
