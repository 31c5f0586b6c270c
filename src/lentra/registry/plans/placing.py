"""Where a plan's blocks go: laid out anew, or exactly as a preview showed them."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field

from lentra.addressing.extents import Extent, ExtentStore, State, require_free
from lentra.addressing.layout import Laid, LaidZone, Layout, Need, lay_out, with_room
from lentra.addressing.packing import smallest_holding
from lentra.addressing.placement import place
from lentra.addressing.prefix import BITS, Prefix, aggregate, parse_prefix, prefixes_of_range, without
from lentra.addressing.refusal import Exhausted, Refusal
from lentra.registry.models import Pool, Reservation
from lentra.registry.plans.slots import Finding, Slot
from lentra.registry.requests.allocation import stale
from lentra.registry.space.locking import Pools
from lentra.registry.space.reserved import ReservedSpace
from lentra.registry.space.store import DatabaseExtents


@dataclass
class PlannedReservation:
    """A range that the plan keeps back: a zone's spare part, or slots for zones to come; and the number it will have."""

    number: int
    pool: Pool
    family: int
    first: int
    last: int
    kind: str
    zone: str


@dataclass
class Places:
    """Blocks and room per slot and family, the ranges kept back, and what was noticed on the way."""

    blocks: dict[str, dict[int, Laid]] = field(default_factory=dict)
    drawn: dict[str, Reservation] = field(default_factory=dict)
    reserving: list[PlannedReservation] = field(default_factory=list)
    notes: list[Finding] = field(default_factory=list)
    errors: list[Finding] = field(default_factory=list)


class Placer:
    """Places the slots of a plan in its locked pools.

    Args:
        state: what the blocks become: handed out, or held.
        summarise: ``none``, ``zone`` or ``plan``.
        kept: the plan's own reservations by (pool, family, zone); ``""`` is for zones to come.
        numbers: the number that the subnet of each slot will have.
        next_number: takes a number for a reservation.
    """

    def __init__(
        self,
        stores: Pools,
        state: State,
        summarise: str,
        placement: str | None,
        kept: dict[tuple[int, int, str], list[Reservation]],
        numbers: Mapping[str, int],
        next_number: Callable[[], int],
    ) -> None:
        self.stores = stores
        self.state = state
        self.summarise = summarise
        self.placement = placement
        self.kept = kept
        self.numbers = numbers
        self.next_number = next_number
        self.places = Places()

    # --- anew ---

    def lay_out(self, slots: Sequence[Slot], *, spare_zones: int, spare_tiers: int, settled: set[str]) -> Places:
        """Find places for slots.

        Args:
            settled: zones in which the plan has subnets already; new ones go beside them.
        """
        for (pool, family), zones in _by_pool(slots).items():
            store = self.stores[pool.pk][family]
            try:
                if self.summarise == "none":
                    self._each_by_itself(pool, store, [s for needs in zones.values() for s in needs])
                else:
                    fresh = {zone: needs for zone, needs in zones.items() if zone not in settled}
                    for zone in [zone for zone in zones if zone in settled]:
                        self._beside(pool, store, zone, zones[zone])
                    if fresh:
                        anew = not settled
                        self._under_prefixes(pool, store, fresh, spare_zones if anew else 0, spare_tiers)
            except Exhausted:
                self.places.errors.append(self._shortfall(pool, store, zones, spare_zones, spare_tiers))
        return self.places

    def _each_by_itself(self, pool: Pool, store: DatabaseExtents, slots: Sequence[Slot]) -> None:
        how = self.placement or pool.placement(store.family)
        for slot in sorted(slots, key=lambda s: s.footprint(store.family)):
            found = place(store, slot.footprint(store.family), how)
            self._take(
                store, slot, with_room(slot.key, found.block, slot.lengths[store.family]), Extent(found.within)
            )

    def _beside(self, pool: Pool, store: DatabaseExtents, zone: str, slots: Sequence[Slot]) -> None:
        """Into what the plan keeps back for a zone; where that is too small, anywhere in the pool."""
        family = store.family
        for slot in sorted(slots, key=lambda s: s.footprint(family)):
            for reservation in self.kept.get((pool.pk, family, zone), []):
                space = ReservedSpace(store, reservation)
                try:
                    found = place(space, slot.footprint(family))
                except Exhausted:
                    continue
                laid = with_room(slot.key, found.block, slot.lengths[family])
                self._take(space, slot, laid, Extent(found.within))
                self.places.drawn[slot.key] = reservation
                break
            else:
                self._each_by_itself(pool, store, [slot])
                self.places.notes.append(
                    Finding(
                        zone,
                        f"{slot.key} has no place under the zone's prefix",
                        f"zone {zone} no longer summarises to one IPv{family} route",
                    )
                )

    def _under_prefixes(
        self, pool: Pool, store: DatabaseExtents, zones: dict[str, list[Slot]], spare_zones: int, spare_tiers: int
    ) -> None:
        family = store.family
        by_key = {slot.key: slot for slots in zones.values() for slot in slots}
        needs = {zone: [_need(slot, family) for slot in slots] for zone, slots in zones.items()}
        layout = lay_out(family, needs, spare_zones=spare_zones, spare_tiers=spare_tiers)
        how = self.placement or pool.placement(family)
        if self.summarise == "plan" and not self.kept:
            found = place(store, layout.length, how)
            laid, spare = layout.at(found.block)
            if layout.spare_zones > spare_zones:
                self.places.notes.append(
                    Finding(
                        pool.name,
                        f"{len(zones)} zones and {spare_zones} spare ones fill {len(zones) + layout.spare_zones} slots of "
                        f"/{layout.zone_length}",
                        f"{layout.spare_zones - spare_zones} more spare zone slots are kept back in {found.block}",
                    )
                )
            parts = [part for zone in laid for part in self._parts(pool, zone, by_key)]
            if spare:
                parts += self._keep_back(pool, family, spare, "future zone", "")
            take_whole(store, found.block, Extent(found.within), parts)
            return
        for zone in zones:
            if self._into_spare_slot(pool, store, layout, zone, by_key):
                continue
            found = place(store, layout.zone_length, how)
            take_whole(
                store,
                found.block,
                Extent(found.within),
                self._parts(pool, layout.zone_at(zone, found.block), by_key),
            )
        for _ in range(spare_zones):
            found = place(store, layout.zone_length, how)
            parts = self._keep_back(pool, family, [found.block], "future zone", "")
            take_whole(store, found.block, Extent(found.within), parts)

    def _into_spare_slot(
        self, pool: Pool, store: DatabaseExtents, layout: Layout, zone: str, by_key: dict[str, Slot]
    ) -> bool:
        """A new zone into a slot that the plan keeps back for zones to come; False if there is none."""
        for reservation in self.kept.get((pool.pk, store.family, ""), []):
            space = ReservedSpace(store, reservation)
            try:
                found = place(space, layout.zone_length, "low")
            except Exhausted:
                continue
            parts = self._parts(pool, layout.zone_at(zone, found.block), by_key)
            take_whole(space, found.block, Extent(found.within), parts)
            return True
        return False

    def _parts(self, pool: Pool, zone: LaidZone, by_key: dict[str, Slot]) -> list[Extent]:
        """A zone slot as extents; what is left of it is kept back for tiers to come."""
        parts = []
        for laid in zone.blocks:
            key = by_key[laid.key].key
            self.places.blocks.setdefault(key, {})[laid.block.family] = laid
            parts += self._extents(key, laid)
        if zone.left:
            parts += self._keep_back(pool, zone.prefix.family, zone.left, "future tier", zone.zone)
        return parts

    def _extents(self, key: str, laid: Laid) -> list[Extent]:
        """A slot's block and room, with their owner."""
        owner = self.numbers[key]
        return [Extent(laid.block, self.state, owner), *(Extent(piece, State.ROOM, owner) for piece in laid.room)]

    def _keep_back(
        self, pool: Pool, family: int, prefixes: Sequence[Prefix], kind: str, zone: str
    ) -> list[Extent]:
        number, first, last = self.next_number(), prefixes[0].first, prefixes[-1].last
        self.places.reserving.append(PlannedReservation(number, pool, family, first, last, kind, zone))
        return [Extent(prefix, State.RESERVED, number) for prefix in prefixes]

    def _take(self, space: ExtentStore, slot: Slot, laid: Laid, within: Extent) -> None:
        whole = laid.block.enclosing(slot.footprint(space.family))
        take_whole(space, whole, within, self._extents(slot.key, laid))
        self.places.blocks.setdefault(slot.key, {})[space.family] = laid

    def _shortfall(
        self, pool: Pool, store: DatabaseExtents, zones: dict[str, list[Slot]], spare_zones: int, spare_tiers: int
    ) -> Finding:
        """What is missing, and the smallest pool that would do."""
        family = store.family
        slots = [slot for needs in zones.values() for slot in needs]
        if self.summarise == "none":
            least = smallest_holding(family, (slot.footprint(family) for slot in slots))
            needed = sum(1 << (BITS[family] - slot.footprint(family)) for slot in slots)
        else:
            needs = {zone: [_need(slot, family) for slot in own] for zone, own in zones.items()}
            layout = lay_out(family, needs, spare_zones=spare_zones, spare_tiers=spare_tiers)
            least = layout.length
            needed = (len(zones) + spare_zones) << (BITS[family] - layout.zone_length)
        placed = [self.places.blocks.get(slot.key, {}).get(family) for slot in slots]
        free = sum(count << (BITS[family] - n) for n, count in store.free_counts().items())
        free += sum(laid.block.size + sum(p.size for p in laid.room) for laid in placed if laid)
        unit = 0 if family == 4 else 128 - pool.unit_v6
        words = "addresses" if family == 4 else f"× /{pool.unit_v6}"
        missing = max(0, needed - free) >> unit
        why = (
            f"{missing:,} {words} are missing"
            if missing
            else "there is enough in all, but not in one piece on the right boundary"
        )
        return Finding(
            pool.name,
            f"the plan needs {needed >> unit:,} {words} of IPv{family} in pool {pool.name}, {free >> unit:,} are free: "
            f"{why}",
            "nothing of the plan is handed out",
            "exhausted",
            [f"a pool with a free /{least}", *(["summarise: zone"] if self.summarise == "plan" else [])],
        )

    # --- as shown ---

    def as_shown(
        self,
        slots: Sequence[Slot],
        shown: dict[str, tuple[list[str], int]],
        reserving: Sequence[PlannedReservation],
    ) -> Places:
        """Take exactly what a preview showed.

        Args:
            shown: prefixes of each slot, and the reservation that they are drawn from (0 for none).

        Raises:
            StaleProposal: something is no longer free; says what took its place.
        """
        parts: dict[tuple[int, int], list[Extent]] = {}
        own = {r.pk: r for reservations in self.kept.values() for r in reservations}
        for slot in slots:
            texts, drawn_from = shown[slot.key]
            for text in texts:
                block = parse_prefix(text)
                footprint = block.enclosing(slot.footprint(block.family))
                laid = with_room(slot.key, footprint, block.length)
                self.places.blocks.setdefault(slot.key, {})[block.family] = laid
                if drawn_from in own:
                    self.places.drawn[slot.key] = own[drawn_from]
                parts.setdefault((slot.pools[block.family].pk, block.family), []).extend(
                    self._extents(slot.key, laid)
                )
        for one in reserving:
            pieces = prefixes_of_range(one.family, one.first, one.last)
            extents = [Extent(p, State.RESERVED, one.number) for p in pieces]
            parts.setdefault((one.pool.pk, one.family), []).extend(extents)
            self.places.reserving.append(one)
        by_number = {pool.pk: pool for slot in slots for pool in slot.pools.values()}
        by_number |= {one.pool.pk: one.pool for one in reserving}
        for (pool_id, family), extents in parts.items():
            store = self.stores[pool_id][family]
            spaces = [ReservedSpace(store, r) for r in own.values() if (r.pool_id, r.family) == (pool_id, family)]
            self._take_all(by_number[pool_id], store, spaces, extents)
        return self.places

    def _take_all(
        self, pool: Pool, store: DatabaseExtents, spaces: Sequence[ReservedSpace], parts: Iterable[Extent]
    ) -> None:
        """Take many extents: out of the plan's own reservations, or out of free space, neighbours together."""
        left = [(space, prefix) for space in spaces for prefix in space.left]
        free: dict[Prefix | None, list[Extent]] = {}
        for part in sorted(parts):
            space = next((space for space, prefix in left if prefix.contains(part.prefix)), None)
            if space:
                take_whole(space, part.prefix, Extent(require_free(space, part.prefix)), [part])
            else:
                free.setdefault(store.range_of(part.prefix), []).append(part)
        for inside in free.values():
            waiting = list(reversed(inside))
            for whole in aggregate([p.prefix for p in inside]):
                own = []
                while waiting and whole.contains(waiting[-1].prefix):
                    own.append(waiting.pop())
                try:
                    within = require_free(store, whole)
                except Refusal as refusal:
                    raise stale(pool, store, whole, refusal)
                take_whole(store, whole, Extent(within), own)


def take_whole(store: ExtentStore, whole: Prefix, within: Extent, parts: Sequence[Extent]) -> None:
    """Take `whole`, which `parts` cover exactly, out of the free extent `within`."""
    rest = [Extent(prefix) for prefix in without(within.prefix, whole)]
    store.replace([within], sorted([*parts, *rest]))


def _need(slot: Slot, family: int) -> Need:
    return Need(slot.key, slot.lengths[family], slot.room if family == min(slot.lengths) else 0)


def _by_pool(slots: Sequence[Slot]) -> dict[tuple[Pool, int], dict[str, list[Slot]]]:
    """Slots by pool and family, then by zone, in the plan's order."""
    found: dict[tuple[int, int], dict[str, list[Slot]]] = {}
    pools: dict[int, Pool] = {}
    for slot in slots:
        for family, pool in slot.pools.items():
            pools[pool.pk] = pool
            assert slot.target.zone
            found.setdefault((pool.pk, family), {}).setdefault(slot.target.zone.name, []).append(slot)
    return {(pools[pk], family): zones for (pk, family), zones in found.items()}
