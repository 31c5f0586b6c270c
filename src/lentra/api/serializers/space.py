"""Space: usage, candidates, what is where, the ledger, verify."""

from __future__ import annotations

from rest_framework import serializers

from lentra.api.fields import RefField, Strict, meant
from lentra.api.serializers.named import COUNT, NamedSerializer
from lentra.registry.models import LedgerEntry, Project, Realm, Region, Zone


class FitSerializer(serializers.Serializer):
    """How many blocks of a length could be handed out."""

    length = serializers.IntegerField()
    count = serializers.CharField(**COUNT)


class PlaceQuerySerializer(Strict):
    """Which pools: of a realm, region, zone or project, or all there are."""

    realm = meant(Realm)
    region = meant(Region)
    zone = meant(Zone)
    project = meant(Project)


class UsageSerializer(serializers.Serializer):
    """Usage of one family: addresses by state, shares in percent, what still fits."""

    family = serializers.IntegerField()
    unit = serializers.CharField(help_text="What is counted in `units`: /32, or the pool's IPv6 unit.")
    units = serializers.DictField(child=serializers.CharField())
    total = serializers.CharField(**COUNT)
    addresses = serializers.DictField(child=serializers.CharField())
    percent = serializers.DictField(child=serializers.FloatField())
    used_percent = serializers.FloatField()
    largest_free = serializers.CharField(allow_null=True)
    fragmentation_percent = serializers.FloatField()
    hd_ratio = serializers.FloatField(allow_null=True, help_text="IPv6, in the pool's unit (RFC 3194).")
    hd_threshold = serializers.FloatField(allow_null=True, help_text="The rule sheet's.")
    hd_threshold_units = serializers.CharField(allow_null=True, help_text="Units used when it is reached.")
    still_fits = FitSerializer(many=True)


class PoolUsageSerializer(serializers.Serializer):
    """A pool with its own usage and that with the pools carved from it."""

    pool = RefField()
    realm = RefField()
    parent = RefField(allow_null=True)
    region = RefField(allow_null=True)
    zone = RefField(allow_null=True)
    carved = serializers.IntegerField(min_value=0, help_text="How many pools are carved out of it.")
    warning_percent = serializers.IntegerField()
    critical_percent = serializers.IntegerField()
    own = UsageSerializer(many=True)
    with_carved = UsageSerializer(many=True)


class CandidateSerializer(serializers.Serializer):
    """A pool that may serve, and where in it the block would go."""

    pool = RefField()
    realm = RefField()
    region = RefField(allow_null=True)
    zone = RefField(allow_null=True)
    sheet = RefField()
    length = serializers.IntegerField()
    block = serializers.CharField()
    usable = serializers.CharField()
    why = serializers.CharField()
    free = serializers.CharField(**COUNT)
    largest_free = serializers.CharField(allow_null=True)
    used_percent = serializers.FloatField()
    leaves = serializers.CharField(help_text="How many more of that length fit afterwards.")
    can_grow_to = serializers.CharField(help_text="The widest prefix that the block can become in place.")


class LedgerSerializer(serializers.ModelSerializer):
    """One ledger entry."""

    record = serializers.IntegerField(read_only=True)
    before = serializers.DictField(allow_null=True)
    after = serializers.DictField(allow_null=True)

    class Meta:
        model = LedgerEntry
        fields = (
            "number",
            "at",
            "actor_name",
            "verb",
            "kind",
            "record",
            "name",
            "before",
            "after",
            "why",
            "operation",
        )


class HolderSerializer(serializers.Serializer):
    """An extent with its state and owner."""

    range = serializers.CharField()
    state = serializers.CharField()
    pool = serializers.CharField()
    addresses = serializers.CharField(help_text="Addresses of the range asked about that it holds.")
    owner = serializers.CharField(required=False)
    id = serializers.IntegerField(required=False, help_text="The subnet's number.")
    project = serializers.CharField(required=False)
    zone = serializers.CharField(required=False, allow_null=True)
    region = serializers.CharField(required=False, allow_null=True)
    tier = serializers.CharField(required=False)
    until = serializers.DateTimeField(required=False)
    keep_out = serializers.IntegerField(required=False, help_text="The keep-out's number.")
    reservation = serializers.IntegerField(required=False, help_text="The reservation's number.")
    reason = serializers.CharField(required=False)
    service = serializers.CharField(required=False)
    kind = serializers.CharField(required=False)


class GapSerializer(serializers.Serializer):
    """A run of free space of a pool."""

    range = serializers.CharField()
    first = serializers.CharField()
    last = serializers.CharField()
    addresses = serializers.CharField(**COUNT)
    largest = serializers.CharField(help_text="The widest block that fits into it.")
    before = HolderSerializer(allow_null=True, help_text="What lies directly before it.")
    after = HolderSerializer(allow_null=True, help_text="What lies directly after it.")


class PoolSeenSerializer(serializers.Serializer):
    """What is handed out in a pool, and those carved from it, by what is seen of it."""

    family = serializers.IntegerField()
    blocks = serializers.IntegerField(help_text="Blocks that are handed out.")
    addresses = serializers.CharField(**COUNT)
    seen_blocks = serializers.IntegerField(help_text="Blocks of which something is seen now.")
    seen = serializers.CharField(help_text="Addresses of those blocks, exact; may be huge.")
    quiet = serializers.CharField(help_text="Addresses of the others: they would come free if nobody is there.")


class KeptSerializer(serializers.Serializer):
    """A keep-out over a range."""

    id = serializers.IntegerField()
    range = serializers.CharField()
    kind = serializers.CharField()
    reason = serializers.CharField()


class PublicOfSerializer(serializers.Serializer):
    """A public address that is attached to an address record."""

    id = serializers.IntegerField(help_text="Number of the subnet that holds it.")
    name = serializers.CharField()
    address = serializers.CharField()
    how = serializers.CharField(help_text="one-to-one or many-to-one.")


class RecordThereSerializer(serializers.Serializer):
    """An address record in a range."""

    id = serializers.IntegerField()
    address = serializers.CharField()
    name = serializers.CharField()
    kind = serializers.CharField()
    mac = serializers.CharField(allow_null=True)
    purpose = serializers.CharField()
    subnet = NamedSerializer()
    public = PublicOfSerializer(many=True)


class WhereaboutsSerializer(serializers.Serializer):
    """What is at an address or over a range."""

    realm = NamedSerializer()
    range = serializers.CharField()
    pools = NamedSerializer(many=True, help_text="The owner chain, outermost first.")
    holders = HolderSerializer(many=True)
    keep_outs = KeptSerializer(many=True)
    records = RecordThereSerializer(many=True, help_text="Address records, 50 at most.")
    before = HolderSerializer(allow_null=True)
    after = HolderSerializer(allow_null=True)


class FoundSerializer(serializers.Serializer):
    """A record that a search has found. Of an address record, `id` is that of its subnet."""

    kind = serializers.CharField()
    id = serializers.IntegerField()
    name = serializers.CharField()
    realm = NamedSerializer(allow_null=True)
    about = serializers.CharField()
    why = serializers.CharField(help_text="Why it was found.")


class SearchSerializer(serializers.Serializer):
    """What a search has found."""

    range = serializers.CharField(allow_null=True, help_text="The range, if the text is one.")
    places = WhereaboutsSerializer(many=True, help_text="What is there, in each realm that has something.")
    records = FoundSerializer(many=True, help_text="Records, 8 of each kind at most.")


class OffenceSerializer(serializers.Serializer):
    """Something that does not hold."""

    rule = serializers.IntegerField(help_text="Number of what must always hold.")
    what = serializers.CharField(help_text="What is wrong, in words.")
    where = serializers.CharField(help_text="In which pool or of which record.")


class VerifySerializer(serializers.Serializer):
    """Whether all that must hold, holds."""

    clean = serializers.BooleanField()
    checked = serializers.DictField(child=serializers.IntegerField())
    offences = OffenceSerializer(many=True)
