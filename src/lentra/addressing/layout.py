"""Laying subnets out over zones and tiers, with gaps to grow.

A layout is worked out without addresses: every zone gets an equal *zone slot*, a power of two, in which its
blocks lie largest first, each with the room it keeps directly behind it. Put at a prefix, the layout gives
every block its place, and says what is left in each slot.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from lentra.addressing.packing import pack, smallest_holding
from lentra.addressing.prefix import BITS, Prefix, prefixes_of_range


@dataclass(frozen=True, slots=True)
class Need:
    """One block wanted in a zone: its length, and how many doublings of room are kept behind it."""

    key: str
    length: int
    room: int = 0

    @property
    def footprint(self) -> int:
        """Length of the block together with its room."""
        return self.length - self.room


@dataclass(frozen=True, slots=True)
class Laid:
    """One block in its place, and the room behind it (None without)."""

    key: str
    block: Prefix
    room: list[Prefix]


@dataclass(frozen=True, slots=True)
class LaidZone:
    """One zone: the prefix that all its blocks sit under, the blocks, and what of the prefix is left."""

    zone: str
    prefix: Prefix
    blocks: list[Laid]
    left: list[Prefix]


@dataclass(frozen=True, slots=True)
class Layout:
    """Lengths of the whole and of a zone slot, before any address is known.

    Args:
        length: length of the prefix that holds all zone slots, spare ones included.
        zone_length: length of each zone slot.
        spare_zones: zone slots beyond the zones named, by rounding up to a power of two as well.
    """

    family: int
    length: int
    zone_length: int
    spare_zones: int
    zones: Mapping[str, Sequence[Need]]
    spare_tiers: int

    def at(self, whole: Prefix) -> tuple[list[LaidZone], list[Prefix]]:
        """Every zone in its slot of `whole`, in the order given, and the spare slots as the fewest prefixes."""
        laid = [self.zone_at(zone, whole.child(self.zone_length, n)) for n, zone in enumerate(self.zones)]
        after = whole.first + len(laid) * (1 << (BITS[self.family] - self.zone_length))
        return laid, prefixes_of_range(self.family, after, whole.last)

    def zone_at(self, zone: str, slot: Prefix) -> LaidZone:
        """The blocks of one zone in its slot."""
        needs = self.zones[zone]
        by_key = {need.key: need for need in needs}
        packing = pack(slot, [(need.key, need.footprint) for need in needs])
        blocks = []
        for packed in packing.placed:
            need = by_key[packed.key]
            blocks.append(with_room(packed.key, packed.block, need.length))
        return LaidZone(zone, slot, blocks, packing.left)


def with_room(key: str, footprint: Prefix, length: int) -> Laid:
    """A block of `length` at the start of its footprint; the rest is its room."""
    if footprint.length == length:
        return Laid(key, footprint, [])
    block = Prefix(footprint.family, footprint.first, length)
    return Laid(key, block, prefixes_of_range(block.family, block.last + 1, footprint.last))


def lay_out(
    family: int, zones: Mapping[str, Sequence[Need]], *, spare_zones: int = 0, spare_tiers: int = 0
) -> Layout:
    """Work out the slots for zones, each with its own needs.

    Every slot is as wide as the neediest zone with `spare_tiers` more blocks as wide as the widest; the number
    of slots is rounded up to a power of two.

    Example:
        >>> layout = lay_out(4, {"nc-1": [Need("app", 23), Need("data", 23), Need("ops", 23)]}, spare_zones=2)
        >>> layout.length, layout.zone_length, layout.spare_zones
        (19, 21, 3)
    """
    footprints = {zone: [need.footprint for need in needs] for zone, needs in zones.items()}
    widest = min((length for lengths in footprints.values() for length in lengths), default=BITS[family])
    zone_length = min(
        (smallest_holding(family, [*lengths, *[widest] * spare_tiers]) for lengths in footprints.values()),
        default=BITS[family],
    )
    slots = len(zones) + spare_zones
    steps = (slots - 1).bit_length() if slots else 0
    return Layout(family, zone_length - steps, zone_length, (1 << steps) - len(zones), dict(zones), spare_tiers)
