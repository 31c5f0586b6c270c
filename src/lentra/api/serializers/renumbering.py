"""Renumberings and their moves, as the API tells and takes them."""

from __future__ import annotations

from typing import Any

from rest_framework import serializers

from lentra.api.fields import (
    AnyOf,
    NameField,
    OfPages,
    OneOf,
    RangeField,
    RefField,
    Several,
    Strict,
    length_field,
    meant,
)
from lentra.api.serializers.named import NamedSerializer
from lentra.registry.models import CHECKS, MOVE_STATES, RENUMBERING_STATES, WAVES, Move, Realm, Renumbering, Subnet
from lentra.registry.operations.renumbering.laying import MOST_SUBNETS, Wanted
from lentra.registry.operations.renumbering.renumber import Started
from lentra.registry.reports.renumbering import hosts_left, progress

_PLANNED = "Those whose new side is only held."
_MOVING = "Those of which both sides live."
_FINISHED = "Those whose old side was given back."
_PLAIN = ("of", "name", "wave", "state", "project", "zone", "tier", "kept", "begun_at", "ended_at")
_RANGES = ("from_ranges", "to_ranges")


class RenumberingSerializer(serializers.ModelSerializer):
    """A move of many subnets from old space to new."""

    version = serializers.IntegerField(source="last_entry", read_only=True)
    realm = RefField(read_only=True)
    state = OneOf(list(RENUMBERING_STATES), help_text="moving, finished, turned back.")
    source = serializers.CharField(help_text="What moves, in words.")
    target = serializers.CharField(help_text="Where to, in words.")
    waves = OneOf(list(WAVES), help_text="How its moves are put together.")
    vacated = serializers.ListField(
        child=serializers.CharField(), help_text="Ranges of which nothing is handed out any more."
    )
    by = serializers.DateField(allow_null=True, help_text="The day by which it is to be done.")
    closed_at = serializers.DateTimeField(allow_null=True, help_text="When it was finished, or turned back.")

    class Meta:
        model = Renumbering
        fields: tuple[str, ...] = (
            *("id", "version", "name", "realm", "state", "source", "target", "waves", "vacated", "by"),
            *("reason", "created_at", "closed_at"),
        )


class WantedSerializer(Strict):
    """What is to be renumbered, and where to. One of the `from_…` says what moves."""

    name = serializers.CharField(max_length=63, help_text="Name of the renumbering.")
    from_pool = NameField(required=False, help_text="All of this pool moves: name or number.")
    from_ranges = Several(
        child=RangeField(), required=False, max_length=100, help_text="All that lies in these ranges moves."
    )
    from_plan = NameField(required=False, help_text="All subnets of this plan move.")
    from_subnets = Several(
        child=NameField(), required=False, max_length=MOST_SUBNETS, help_text="These subnets move."
    )
    clear = length_field("With from_pool: empty the stretch of this length that takes the fewest moves.")
    to_pool = NameField(
        required=False, help_text="Where to: a pool; with neither pool nor ranges, all stay in their pools."
    )
    to_ranges = Several(child=RangeField(), required=False, max_length=100, help_text="Where to: ranges of pools.")
    length_v4 = length_field("Length of every new IPv4 block; as the old ones, if not said.")
    length_v6 = length_field("Length of every new IPv6 block; as the old ones, if not said.")
    vacate = serializers.BooleanField(
        required=False, default=False, help_text="Hand out nothing of the old ranges any more."
    )
    realm = NameField(required=False, help_text="The realm of the ranges, where several have them.")
    waves = OneOf(
        list(WAVES),
        required=False,
        default="at-once",
        help_text="at-once: all of the new side is handed out now; zone, tier: it is held until its wave begins.",
    )
    by = serializers.DateField(required=False, allow_null=True, default=None, help_text="To be done by this day.")
    reason = serializers.CharField(required=False, allow_blank=True, default="", max_length=300)


def wanted_of(values: dict[str, Any]) -> Wanted:
    """What a body wants."""
    plain = ("from_pool", "from_plan", "clear", "to_pool", "vacate", "realm")
    given: dict[str, Any] = {name: values.get(name) for name in plain}
    lengths = {
        family: values[f"length_v{family}"] for family in (4, 6) if values.get(f"length_v{family}") is not None
    }
    return Wanted(
        **given,
        **{name: values.get(name, []) for name in (*_RANGES, "from_subnets")},
        lengths=lengths,
    )


class CarriedSerializer(serializers.Serializer):
    """Something that is carried along."""

    what = serializers.CharField(help_text="gateway, dhcp, room, segment tag and the like.")
    old = serializers.CharField(help_text="What it is on the old side.")
    new = serializers.CharField(help_text="What it is on the new one.")


class MovedAddressSerializer(serializers.Serializer):
    """An address record, old and new."""

    name = serializers.CharField()
    old = serializers.CharField(help_text="Its address until now.")
    new = serializers.CharField(help_text="Its address from then on.")


class TickSerializer(serializers.Serializer):
    """A step that was ticked off."""

    check = OneOf(list(CHECKS), help_text="Which step.")
    by = serializers.CharField(help_text="Who ticked it off.")
    on = serializers.DateField(help_text="On which day.")


class MoveSideSerializer(serializers.Serializer):
    """One side of a move."""

    id = serializers.IntegerField(help_text="Number of the subnet or reservation.")
    ranges = serializers.ListField(child=serializers.CharField(), help_text="Its blocks, or its range.")


class MoveOfSerializer(serializers.ModelSerializer):
    """One subnet or reservation on its way."""

    of = OneOf(["subnet", "reservation"], help_text="What moves.")
    state = OneOf(list(MOVE_STATES), help_text="planned, moving, finished, turned back.")
    project = serializers.CharField(help_text="Name of its project; empty for a reservation.")
    zone = serializers.CharField(help_text="Name of its zone; empty for none.")
    tier = serializers.CharField(help_text="Name of its tier; empty for a reservation.")
    old = MoveSideSerializer(help_text="Where it comes from.")
    new = MoveSideSerializer(help_text="Where it goes.")
    kept = serializers.BooleanField(help_text="Whether its place in the range is the one that it had.")
    checks = TickSerializer(many=True, help_text="What is ticked off.")
    hosts = serializers.IntegerField(help_text="Address records that move along.")
    left = serializers.IntegerField(help_text="Those of them that have not moved.")

    class Meta:
        model = Move
        fields: tuple[str, ...] = (
            *("id", "of", "name", "wave", "state", "project", "zone", "tier", "old", "new", "kept", "checks"),
            *("hosts", "left", "begun_at", "ended_at"),
        )


def move_told(move: Move, left: tuple[int, int]) -> dict[str, Any]:
    """A move as it is told, with how many address records it has and how many have not moved."""
    return {
        "id": move.pk,
        **{name: getattr(move, name) for name in _PLAIN},
        "old": {"id": move.old_id, "ranges": move.old_ranges},
        "new": {"id": move.new_id, "ranges": move.new_ranges},
        "checks": [{"check": check, **told} for check, told in move.checks.items()],
        "hosts": left[0],
        "left": left[1],
    }


class StartedMoveSerializer(MoveOfSerializer):
    """A move with all that goes along."""

    addresses = MovedAddressSerializer(many=True, help_text="Every address record, old beside new.")
    carried = CarriedSerializer(many=True, help_text="What else is carried along.")

    class Meta(MoveOfSerializer.Meta):
        fields: tuple[str, ...] = (*MoveOfSerializer.Meta.fields, "addresses", "carried")


class StartedSerializer(RenumberingSerializer):
    """A renumbering that was started, with every move."""

    moves = StartedMoveSerializer(many=True, help_text="Every subnet and reservation, old beside new.")

    class Meta(RenumberingSerializer.Meta):
        fields: tuple[str, ...] = (*RenumberingSerializer.Meta.fields, "moves")


def started_told(started: Started) -> dict[str, Any]:
    """A renumbering with its moves, as it is told once it has been started or previewed."""
    names = ("name", "old", "new")
    moves = []
    for move in started.moves:
        hosts = [dict(zip(names, host.told, strict=True)) for host in started.hosts[move.pk]]
        told = move_told(move, (len(hosts),) * 2)
        carried = [dict(zip(("what", "old", "new"), one, strict=True)) for one in started.carried[move.pk]]
        moves.append({**told, "addresses": hosts, "carried": carried})
    return {**RenumberingSerializer(started.renumbering).data, "moves": moves}


class MoveCountsSerializer(serializers.Serializer):
    """How many moves are in each state."""

    planned = serializers.IntegerField(help_text=_PLANNED)
    moving = serializers.IntegerField(help_text=_MOVING)
    finished = serializers.IntegerField(help_text=_FINISHED)
    turned_back = serializers.IntegerField(help_text="Those that were given up.")


class HostCountsSerializer(serializers.Serializer):
    """How many hosts have moved."""

    all = serializers.IntegerField(help_text="Address records that move along.")
    moved = serializers.IntegerField(help_text="Those that have moved.")
    seen = serializers.IntegerField(help_text="Of these, those of which only a source knows.")


class MoveProgressSerializer(serializers.Serializer):
    """How far a wave is, in one zone and tier."""

    wave = serializers.CharField()
    zone = serializers.CharField(help_text="Empty for none.")
    tier = serializers.CharField(help_text="Empty for none.")
    moves = serializers.IntegerField(help_text="Subnets and reservations of it.")
    planned = serializers.IntegerField(help_text=_PLANNED)
    moving = serializers.IntegerField(help_text=_MOVING)
    finished = serializers.IntegerField(help_text=_FINISHED)
    hosts = serializers.IntegerField(help_text="Address records that move along.")
    moved = serializers.IntegerField(help_text="Those that have moved.")


class ChecksDoneSerializer(serializers.Serializer):
    """A step of the list, and for how many moves it is ticked off."""

    check = OneOf(list(CHECKS), help_text="Which step.")
    moves = serializers.IntegerField()


class HeldUpSerializer(serializers.Serializer):
    """A move that cannot be finished now."""

    move = NamedSerializer(help_text="Which one.")
    wave = serializers.CharField()
    why = serializers.CharField(help_text="What holds it up.")


class RenumberingProgressSerializer(serializers.Serializer):
    """How far a renumbering is."""

    counts = MoveCountsSerializer(help_text="Moves by state.")
    hosts = HostCountsSerializer(help_text="Address records, and those that have moved.")
    rows = MoveProgressSerializer(many=True, help_text="The same by wave, zone and tier.")
    checks = ChecksDoneSerializer(many=True, help_text="What is ticked off.")
    held_up = HeldUpSerializer(many=True, help_text="The first fifty moves that could not be finished now.")
    held_up_count = serializers.IntegerField(help_text="How many there are of these.")
    likely = serializers.DateField(allow_null=True, help_text="Likely end, at the pace until now.")
    late = serializers.BooleanField(help_text="Whether that is after the day by which it is to be done.")


class RenumberingShownSerializer(RenumberingSerializer):
    """A renumbering and how far it is."""

    progress = RenumberingProgressSerializer(help_text="How far it is.")

    class Meta(RenumberingSerializer.Meta):
        fields: tuple[str, ...] = (*RenumberingSerializer.Meta.fields, "progress")


def shown(made: Renumbering, now: Any) -> dict[str, Any]:
    """A renumbering as it is told, with how far it is."""
    told = RenumberingProgressSerializer(progress(made, now)).data
    return {**RenumberingSerializer(made).data, "progress": told}


class PartSerializer(Strict):
    """Which moves of a renumbering: of a wave, or of some subnets; all, if neither is said."""

    wave = serializers.CharField(required=False, max_length=63, help_text="Name of a wave.")
    subnets = Several(
        child=NameField(),
        required=False,
        max_length=MOST_SUBNETS,
        help_text="Names or numbers of subnets or reservations, of either side.",
    )


class FinishSerializer(PartSerializer):
    """What is finished."""

    despite_use = serializers.BooleanField(
        required=False, default=False, help_text="Although hosts have not moved, or the old side is still seen."
    )


class HostsMovedSerializer(Strict):
    """Which hosts have moved."""

    subnets = Several(
        child=NameField(), required=False, max_length=MOST_SUBNETS, help_text="Of these subnets; of all that move."
    )
    hosts = Several(
        child=serializers.CharField(max_length=120),
        required=False,
        max_length=1000,
        help_text="These: names, or old or new addresses; all, if none are named.",
    )
    moved = serializers.BooleanField(
        required=False, default=True, help_text="false: they have not moved after all."
    )


class CheckSerializer(Strict):
    """A step that is ticked off."""

    check = OneOf(list(CHECKS), help_text="Which step.")
    subnets = Several(
        child=NameField(), required=False, max_length=MOST_SUBNETS, help_text="Of these subnets; of all that move."
    )
    done = serializers.BooleanField(required=False, default=True, help_text="false: take the tick away.")


class RenumberingListQuery(OfPages):
    """Which renumberings."""

    realm = meant(Realm)
    subnet = meant(Subnet, "That this subnet has part in, on either side.")
    state = AnyOf(OneOf(list(RENUMBERING_STATES)), help_text="moving, finished, turned back.")
    order = OneOf(["newest", "oldest", "name"], required=False, help_text="newest (first), oldest, name.")


class MoveListQuery(OfPages):
    """Which moves of a renumbering."""

    wave = AnyOf(serializers.CharField(max_length=63), help_text="Of this wave.")
    state = AnyOf(OneOf(list(MOVE_STATES)), help_text="planned, moving, finished, turned back.")


def moves_told(moves: list[Move]) -> list[dict[str, Any]]:
    """Moves as they are told."""
    left = hosts_left(moves)
    return [move_told(move, left[move.pk]) for move in moves]


class MapRowSerializer(serializers.Serializer):
    """Something old beside its new place."""

    of = OneOf(["subnet", "reservation", "address record"], help_text="What it is.")
    name = serializers.CharField()
    old = serializers.CharField(help_text="Its range or address until now.")
    new = serializers.CharField(help_text="Its range or address from then on.")
    wave = serializers.CharField()
    state = OneOf(list(MOVE_STATES))
    subnet = serializers.CharField(help_text="The subnet or reservation that moves.")


class RuleRowSerializer(serializers.Serializer):
    """A range to add to rules, or to take out of them."""

    wave = serializers.CharField()
    when = OneOf(["now", "at the end"])
    action = OneOf(["add", "take out"], help_text="What is to be done with it.")
    range = serializers.CharField()


class DnsChangeSerializer(serializers.Serializer):
    """A DNS record to add as a wave begins, or to delete once its hosts have moved."""

    wave = serializers.CharField()
    action = OneOf(["add", "delete"], help_text="What is to be done with it.")
    name = serializers.CharField(help_text="Without a dot at its end.")
    type = OneOf(["A", "AAAA", "PTR"])
    data = serializers.CharField(help_text="The address, or the name that it leads to.")


class RouteRowSerializer(serializers.Serializer):
    """A prefix that is routed in a phase of the move."""

    phase = OneOf(["before", "during", "after"], help_text="Before, while both sides live, after.")
    family = OneOf([4, 6])
    range = serializers.CharField()
