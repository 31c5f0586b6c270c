"""Rows of subnets: whose and where each is, which pool it comes out of, and whether its range is free, by one sweep.

Nothing here is asked once for each row that can be asked for all: a table may have hundreds of thousands.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from functools import partial
from itertools import groupby
from typing import Any

from lentra.addressing.address_map import gateway_address
from lentra.addressing.extents import Extent, State, carve_several, require_free
from lentra.addressing.prefix import Prefix, ranges_text, without
from lentra.addressing.refusal import OutsideParent, Overlaps, Refusal
from lentra.addressing.tables import blocks_of, nesting
from lentra.registry.errors import Invalid, NameTaken, UnknownName
from lentra.registry.intakes.found import Found, Progress, refused_alone, rows_in_words
from lentra.registry.intakes.records import (
    field_value,
    read_labels,
    read_number,
    refuse_misleading,
    text_of,
)
from lentra.registry.intakes.rows import refuse_incomplete
from lentra.registry.lookup.find import find
from lentra.registry.lookup.pools_around import PoolsAround
from lentra.registry.lookup.realms import likely_realms
from lentra.registry.lookup.serving import serving_pools
from lentra.registry.lookup.target import Target
from lentra.registry.models import Pool, Project, Realm, Region, Reservation, Space, Subnet, Tier, Zone
from lentra.registry.operations.pools.carve_pool import carve_pool
from lentra.registry.operations.setup.add_record import add_record
from lentra.registry.operations.subnets.edit_subnet import checked_inside, edit_subnet
from lentra.registry.operations.subnets.hand_out import count_in, new_subnet, set_tag
from lentra.registry.requests.allocation import Allocation, naming_owner
from lentra.registry.requests.request import check_pool_bounds, refuse_room, refuse_wrong_pool
from lentra.registry.rules.drawing import require_may_draw
from lentra.registry.rules.names import (
    check_name,
    highest_number,
    name_values,
    numbered,
    refuse_off_pattern,
    refuse_taken_subnet_name,
    split_name,
    wanted_stem,
)
from lentra.registry.rules.quotas import Take, refuse_over_quota
from lentra.registry.rules.tags import Tags, check_tag, no_tag, wanted_tag
from lentra.registry.rules.zone_limits import refuse_more_zones
from lentra.registry.space.expiry import free_reservations
from lentra.registry.space.locking import open_pools, save_pools
from lentra.registry.space.store import DatabaseExtents
from lentra.registry.transactions.change import Change
from lentra.registry.transactions.locks import lock
from lentra.registry.transactions.run import settle_until_now

AT_ONCE = 2000  # subnets that are looked at, or written, together
_MOST_EVIDENCE = 1000  # rows of which it is looked up what stands in their way
_PLACES: dict[str, Any] = {"project": Project, "zone": Zone, "region": Region, "tier": Tier}
_INSIDE = ("gateway", "dhcp", "dhcp_excluded", "dhcp_service", "ipv6_hosts", "name_servers", "dns_suffix")
_LISTS = ("dhcp", "dhcp_excluded", "name_servers")
_TOLD = (
    *("name", "purpose", "notes", "hosts", "growth", "service", "tag", "outer_tag", "labels", "exposure"),
    *_INSIDE,
)
_FIXED = ("project", "zone", "region", "tier")


@dataclass(frozen=True)
class Options:
    """How a table of subnets comes in: what its rows leave out, and what is made for them."""

    realm: str = ""
    pool: str = ""
    outer: str = ""
    make_missing: bool = False
    update: bool = False


@dataclass
class Wanted:
    """A row that makes sense so far."""

    found: Found
    blocks: list[Prefix]
    target: Any = None
    pools: dict[int, Pool] = field(default_factory=dict)  # family -> pool
    values: dict[str, Any] = field(default_factory=dict)
    rooms: list[Prefix] = field(default_factory=list)
    stem: str | None = None
    tag: int | None = None
    there: Subnet | None = None
    reservation: Reservation | None = None
    around: Wanted | None = None  # the row that becomes the pool around it
    number: int = 0

    @property
    def open(self) -> bool:
        """True while nothing is known of what becomes of it."""
        return not self.found.outcome

    @property
    def pool(self) -> Pool:
        """The pool of its first block."""
        return self.pools[self.blocks[0].family]


class SubnetTable:
    """The rows of a table of subnets, and all that is asked for them together."""

    def __init__(self, change: Change, options: Options, progress: Progress) -> None:
        self.change = change
        self.options = options
        self.progress = progress
        self.missing: dict[str, dict[str, Any]] = {name: {} for name in ("region", "zone", "tier", "project")}
        self._known: dict[str, dict[str, Any]] = {
            "project": {one.name: one for one in Project.objects.all()},
            "region": {one.name: one for one in Region.objects.all()},
            "zone": {one.name: one for one in Zone.objects.select_related("region")},
            "tier": {one.name: one for one in Tier.objects.all()},
        }
        self._lookups: dict[tuple[str, str], Any] = {}
        self._realms: dict[int, PoolsAround] = {}
        self._evidence = 0

    # --- looking ---

    def look(self, rows: Sequence[Found]) -> list[Wanted]:
        """What becomes of each row, and, of those that come in, all that they need."""
        wanted = [one for row in rows if not row.outcome and (one := self._read(row))]
        holding = self._nested(wanted)
        self._make_missing(wanted)
        self._carve(holding)
        for count, one in enumerate(wanted, 1):
            if one.open:
                self._try(one, self._resolve)
            if count % AT_ONCE == 0:
                self.progress("rows placed", count // 2, len(wanted))
        self._place(wanted)
        self._compare(wanted)
        self._name(wanted)
        self._tag(wanted)
        self._limit(wanted)
        for one in wanted:
            if one.open:
                one.found.outcome = "new"
            if one.found.outcome == "new":
                one.found.told = self._told(one)
                for block in (*one.blocks, *one.rooms):
                    place = one.pools[block.family].pk, block.family
                    one.found.takes[place] = one.found.takes.get(place, 0) + block.size
        return [one for one in wanted if one.found.outcome in ("new", "differs")]

    def _try(self, one: Wanted, step: Callable[[Wanted], None]) -> None:
        try:
            step(one)
        except Refusal as refusal:
            one.found.refuse(refusal)

    def _read(self, row: Found) -> Wanted | None:
        try:
            return Wanted(row, blocks_of(row.said))
        except Refusal as refusal:
            row.refuse(refusal)
            return None

    def _nested(self, wanted: Sequence[Wanted]) -> list[Wanted]:
        """Rows that others of their realm lie in, widest first; those that clash with another row are refused."""
        realms: dict[int, list[Wanted]] = {}
        for one in wanted:
            realms.setdefault(self._realm(one.found.said).pk, []).append(one)
        return [one for own in realms.values() for one in self._nested_in_realm(own)]

    def _nested_in_realm(self, wanted: Sequence[Wanted]) -> list[Wanted]:
        holding = []
        nests = nesting([one.blocks for one in wanted])
        inside: dict[int, list[int]] = {}
        for n, nest in enumerate(nests):
            if nest.outer is not None and nest.same is None:
                inside.setdefault(nest.outer, []).append(wanted[n].found.number)
        for n, (one, nest) in enumerate(zip(wanted, nests, strict=True)):
            text = ranges_text(one.blocks)
            if nest.same is not None:
                one.found.refuse(
                    _clash(f"{text} stands in row {wanted[nest.same].found.number} already", wanted[nest.same])
                )
            elif nest.across is not None:
                other = wanted[nest.across]
                one.found.refuse(
                    _clash(f"{text} overlaps {ranges_text(other.blocks)} of row {other.found.number}", other)
                )
            elif nest.holds:
                if self.options.outer == "pools":
                    holding.append(one)
                    one.found.outcome = "pool"
                    one.around = None if nest.outer is None else wanted[nest.outer]
                    continue
                rows = rows_in_words(inside.get(n, []))
                one.found.refuse(
                    Overlaps(
                        f"{text} contains the range of {rows}: a subnet contains no other; bring it in as a pool",
                        field="prefix",
                        received=text,
                        rule="a row that contains others becomes a pool only when that is said (outer: pools)",
                        conflicts=[{"range": text, "kind": rows}],
                        suggestions=["outer: pools"],
                    )
                )
            if self.options.outer == "pools" and nest.outer is not None:
                one.around = wanted[nest.outer]
        return sorted(holding, key=lambda one: (one.blocks[0].length, one.blocks[0]))

    # --- what is named ---

    def _make_missing(self, wanted: Sequence[Wanted]) -> None:
        """Make the regions, zones, tiers and projects that rows name and that there are not, if that is asked for."""
        if not self.options.make_missing:
            return
        for kind in ("region", "zone", "tier", "project"):
            for one in wanted:
                name = one.found.said.get(kind, "")
                if not name or name.isdigit() or name in self._known[kind] or one.found.outcome == "refused":
                    continue
                with refused_alone(self.change, one.found):
                    self._make(kind, name, one.found.said)

    def _make(self, kind: str, name: str, said: Mapping[str, str]) -> None:
        values: dict[str, Any] = {"name": name}
        if kind == "zone":
            region = said.get("region", "")
            if not region:
                raise Invalid(
                    f"zone {name!r} is to be made, and the row does not say its region",
                    field="region",
                    suggestions=["set region", *sorted(self._known["region"])[:4]],
                )
            values["region"] = self._find("region", region)
        made = add_record(self.change, kind, values)
        self._known[kind][name] = self.missing[kind][name] = made

    def _find(self, kind: str, text: str) -> Any:
        if (known := self._known[kind].get(text)) is not None:
            return known
        return self._looked_up(kind, text, _PLACES[kind])

    def _looked_up(self, kind: str, text: str, model: Any, related: tuple[str, ...] = ()) -> Any:
        """A record that many rows may name: looked up once, and so is what refuses it."""
        key = (kind, text)
        if key not in self._lookups:
            try:
                self._lookups[key] = find(model, text, kind, related)
            except Refusal as refusal:
                if isinstance(refusal, UnknownName) and kind in _PLACES:
                    refusal = refusal.with_(suggestions=[*refusal.suggestions, "make_missing: true"])
                self._lookups[key] = refusal
        found = self._lookups[key]
        if isinstance(found, Refusal):
            raise found
        return found

    def _realm(self, said: Mapping[str, str]) -> Realm:
        text = said.get("realm") or self.options.realm
        if text:
            return self._looked_up("realm", text, Realm)
        if "realms" not in self.__dict__:
            self.realms = list(Realm.objects.order_by("name")[:2])
        if len(self.realms) == 1:
            return self.realms[0]
        raise Invalid(
            "say which realm the table is of",
            field="realm",
            suggestions=[f"realm: {name}" for name in likely_realms()],
        )

    def _pools_of(self, realm: Realm) -> PoolsAround:
        if realm.pk not in self._realms:
            self._realms[realm.pk] = PoolsAround(realm)
        return self._realms[realm.pk]

    def _carve(self, holding: Sequence[Wanted]) -> None:
        """Carve the pools that rows become, widest first."""
        for one in holding:
            with refused_alone(self.change, one.found):
                self._refuse_without_pool(one)
                said = one.found.said
                realm = self._realm(said)
                pools = self._pools_of(realm)
                if there := pools.exactly(one.blocks):
                    one.found.outcome = "same"
                    one.found.told = {
                        "prefix": ranges_text(one.blocks),
                        "name": there.name,
                        "id": there.pk,
                        "becomes": "a pool",
                    }
                    continue
                around = pools.around(one.blocks[0], one.blocks[0].length - 1)
                text = ranges_text(one.blocks)
                if around is None:
                    raise OutsideParent(
                        f"{text} lies in no pool of realm {realm.name} that it could be carved out of",
                        field="prefix",
                        received=text,
                        suggestions=["bring the pool around it in first"],
                    )
                values = {"name": said["name"]} if "name" in said else {}
                for name in ("region", "zone", "project"):
                    if name in said:
                        values[name] = self._find(name, said[name])
                pool = carve_pool(self.change, around.pk, values, one.blocks)
                save_pools(self.change)
                pools.add(pool, one.blocks)
                one.found.told = {"prefix": text, "name": pool.name, "pool": around.name, "becomes": "a pool"}

    def _refuse_without_pool(self, one: Wanted) -> None:
        """Refuse a row in another one that does not become a pool."""
        around = one.around
        if around and around.found.outcome == "refused":
            raise OutsideParent(
                f"row {around.found.number}, whose range contains it, does not become a pool: "
                f"{around.found.told.get('message', 'it is refused')}",
                field="prefix",
                received=ranges_text(one.blocks),
                conflicts=[{"range": ranges_text(around.blocks), "kind": f"row {around.found.number}"}],
                suggestions=[f"put row {around.found.number} right"],
            )

    def _resolve(self, one: Wanted) -> None:
        """Whose and where it is, which pools it comes out of, and whether their rules allow it."""
        self._refuse_without_pool(one)
        said = one.found.said
        refuse_incomplete("subnets", said)
        if said.get("state", "active") not in ("active", "retiring"):
            raise Invalid(
                f"it is {said['state']}: only what is in use is brought in",
                field="state",
                received=said["state"],
                suggestions=["leave the row out", "active"],
            )
        zone = self._find("zone", said["zone"]) if "zone" in said else None
        if zone is None and "region" not in said:
            raise Invalid(
                "the row says neither zone nor region",
                field="zone",
                suggestions=sorted(self._known["zone"])[:5],
            )
        says_region = "region" in said and (zone is None or "region" not in one.found.fixed)
        region = self._find("region", said["region"]) if says_region or zone is None else zone.region
        if zone is not None and zone.region_id != region.pk:
            raise Invalid(
                f"zone {zone.name} is in region {zone.region.name}, not {region.name}",
                field="zone",
                received=zone.name,
                suggestions=[zone.region.name],
            )
        project, tier = self._find("project", said["project"]), self._find("tier", said["tier"])
        realm = self._realm(said)
        given = said.get("pool") or self.options.pool
        for block in one.blocks:
            pool = self._pool_for(realm, block, given)
            if one.pools.setdefault(block.family, pool) is not pool:
                raise Invalid(
                    f"its blocks lie in pools {one.pools[block.family].name} and {pool.name}", field="prefix"
                )
        one.target = Target(project, tier, zone, region, True, one.pool)
        one.values = _values(said)
        self._check(one)
        if "reservation" in said:
            self._draw(one, realm, said["reservation"])

    def _draw(self, one: Wanted, realm: Realm, text: str) -> None:
        """The reservation that a row is drawn from."""
        found = self._looked_up("reservation", text if ":" in text else f"{realm.name}:{text}", Reservation)
        require_may_draw(
            self.change.actor, found, one.target.project, one.target.tier, one.values.get("service", "")
        )
        one.reservation = found

    def _pool_for(self, realm: Realm, block: Prefix, given: str) -> Pool:
        pools = self._pools_of(realm)
        if given:
            pool = pools.by_name.get(given) or self._looked_up("pool", given, Pool, ("realm", "sheet"))
            pool = pools.by_number.get(pool.pk, pool)
            if pools.holds(pool, block):
                return pool
            raise OutsideParent(
                f"{block} lies in no range of pool {pool.name}",
                field="pool",
                received=given,
                suggestions=[around.name] if (around := pools.around(block, block.length)) else [],
            )
        if pool := pools.around(block, block.length):
            return pool
        raise OutsideParent(
            f"{block} lies in no pool of realm {realm.name}",
            field="prefix",
            received=str(block),
            rule="a block lies wholly inside one range of its pool",
            suggestions=["bring the pool around it in first", "add a range to a pool"],
        )

    def _check(self, one: Wanted) -> None:
        """What rule sheets and pools say of its blocks, gateway and room."""
        target = one.target
        for block in one.blocks:
            pool = one.pools[block.family]
            refuse_wrong_pool(pool, target.project, target.zone, target.region, block.family, block.length)
            sheet = pool.sheet.rules()
            try:
                sheet.check_subnet_length(block.family, block.length)
                if block.family == 4:
                    check_pool_bounds(pool, block.length)
            except Refusal as refusal:
                refusal.field = "prefix"
                raise refusal
        first = one.blocks[0]
        rules = one.pool.sheet.rules().family(first.family)
        one.values.setdefault("gateway", one.pool.sheet.gateway)
        gateway_address(first, rules, one.values["gateway"])
        inside = any(
            name in one.values for name in _INSIDE[1:]
        )  # more than a gateway: what is recorded is asked for
        if inside or "hosts" in one.values:
            names = ("hosts", "growth", *(_INSIDE if inside else ()))
            given = {name: one.values[name] for name in names if name in one.values}
            name = one.found.said.get("name", "it")
            likely = Subnet(id=0, name=name, pool=one.pool, hosts=None, growth=0)
            likely.known_blocks = one.blocks
            one.values |= checked_inside(likely, given)
        if room := one.values.pop("room", 0):
            refuse_room(room)
            whole = first.enclosing(max(0, first.length - room))
            if whole.first != first.first:
                raise Invalid(
                    f"{first} cannot keep {room} doublings behind it", field="room", received=room, suggestions=[0]
                )
            one.rooms = without(whole, first)

    # --- space ---

    def _place(self, wanted: Sequence[Wanted]) -> None:
        """Refuse what is not free; what is there already is known by its blocks."""
        pieces = _pieces(one for one in wanted if one.open)
        done = len(wanted) // 2
        for (pool, family), group in groupby(pieces, key=lambda piece: piece[:2]):
            known = self._pools_of_pool(pool)
            if known.is_new(pool):
                continue  # carved out of free space for these rows
            space = Space.objects.filter(pool=pool, family=family).first()
            if space is None:
                for *_, one in group:
                    one.found.refuse(
                        OutsideParent(f"pool {one.pool.name} has no IPv{family} range", field="prefix")
                    )
                continue
            store = DatabaseExtents(space)
            for part in _in_parts(group):
                self._sweep(store, part)
                done += len(part) // 2
                self.progress("rows placed", min(done, len(wanted)), len(wanted))

    def _pools_of_pool(self, number: int) -> PoolsAround:
        return next(pools for pools in self._realms.values() if number in pools.by_number)

    def _sweep(self, store: DatabaseExtents, part: Sequence[tuple[int, int, Prefix, State, Wanted]]) -> None:
        """Hold blocks in order against the extents over them, in order."""
        over = iter(store.overlapping(part[0][2].first, part[-1][2].last))
        extent = next(over, None)
        for *_, block, state, one in part:
            while extent and extent.prefix.last < block.first:
                extent = next(over, None)
            if not one.open:
                continue
            if extent and extent.prefix.contains(block) and _may_take(extent, one):
                continue
            if extent and extent.owner and _is_there(extent, block, state):
                one.values.setdefault("owners", set()).add(extent.owner)
                continue
            one.found.refuse(self._not_free(store, one, block))

    def _not_free(self, store: DatabaseExtents, one: Wanted, block: Prefix) -> Refusal:
        self._evidence += 1
        try:
            require_free(store, block)
        except Overlaps as refusal:
            if self._evidence > _MOST_EVIDENCE:
                return refusal.about("prefix")
            target = one.target

            def others() -> list[Pool]:
                return serving_pools(
                    block.family,
                    block.length,
                    zone=target.zone,
                    region=target.region,
                    project=target.project,
                    realm=one.pool.realm,
                )

            return naming_owner(refusal, store, one.pools[block.family], block, others)
        except Refusal as refusal:
            return refusal.about("prefix")
        return Overlaps(f"{block} is not free as a whole", field="prefix", received=str(block))

    # --- what is there ---

    def _compare(self, wanted: Sequence[Wanted]) -> None:
        """Rows whose blocks are those of a subnet: the same, or with other facts."""
        meant = [one for one in wanted if one.open and "owners" in one.values]
        for at in range(0, len(meant), AT_ONCE):
            part = meant[at : at + AT_ONCE]
            numbers = {number for one in part for number in one.values["owners"]}
            rows = Subnet.objects.filter(pk__in=numbers).select_related("project", "zone", "region", "tier")
            there = {subnet.pk: subnet for subnet in rows.prefetch_related("extents")}
            for one in part:
                owners = one.values.pop("owners")
                subnet = there.get(min(owners))
                if len(owners) > 1 or subnet is None or not set(one.blocks) <= set(subnet.blocks()):
                    one.found.refuse(
                        Overlaps(
                            f"{ranges_text(one.blocks)} is of other subnets in part",
                            field="prefix",
                            received=ranges_text(one.blocks),
                        )
                    )
                    continue
                self._try(one, lambda one, subnet=subnet: self._differ(one, subnet))  # type: ignore[misc]

    def _differ(self, one: Wanted, subnet: Subnet) -> None:
        one.there = subnet
        said, differs = one.found.said, {}
        for name in _TOLD:
            if name not in said or (name == "tag" and said[name] == "next"):
                continue
            was, now = text_of(getattr(subnet, name)), text_of(one.values.get(name, said[name]))
            if was != now and not (name == "tag" and now in ("none", "") and not was):
                differs[name] = [was, now]
        for name in _FIXED:
            was, now = getattr(subnet, name), getattr(one.target, name)
            if name in said and (was.pk if was else None) != (now.pk if now else None):
                differs[name] = [text_of(was), text_of(now)]
        told = {"id": subnet.pk, "name": subnet.name, "prefix": ranges_text(one.blocks), "pool": one.pool.name}
        if differs and self.options.update and (fixed := [name for name in _FIXED if name in differs]):
            was_text, now_text = differs[fixed[0]]
            raise Invalid(
                f"subnet {subnet.name} is there for {fixed[0]} {was_text or 'none'}, the row says {now_text}: hand it "
                "over, or replace it, instead",
                field=fixed[0],
                received=now_text,
                rule=f"fixed: {', '.join(_FIXED)}",
                suggestions=[was_text],
            )
        one.found.outcome = "differs" if differs else "same"
        one.found.told = {**told, **({"differs": differs} if differs else {})}

    # --- names, tags, limits ---

    def _name(self, wanted: Sequence[Wanted]) -> None:
        """Names: those that are given, each once and not taken; the others numbered onward."""
        coming = [one for one in wanted if one.open]
        seen: dict[tuple[int, str], Wanted] = {}
        highest: dict[tuple[int, str], int] = {}
        given: dict[int, list[Wanted]] = {}
        for one in coming:
            if "name" in one.found.said:
                self._try(one, lambda one: self._check_name(one, seen))
                given.setdefault(one.pool.realm_id, []).append(one)
        for realm, rows in given.items():
            for at in range(0, len(rows), AT_ONCE):
                names = [one.values["name"] for one in rows[at : at + AT_ONCE] if one.open]
                taken = set(Subnet.objects.filter(realm=realm, name__in=names).values_list("name", flat=True))
                for one in rows[at : at + AT_ONCE]:
                    if one.open and one.values["name"] in taken:
                        self._try(
                            one,
                            lambda one: refuse_taken_subnet_name(
                                self.change, one.pool.realm_id, one.values["name"]
                            ),
                        )
        for one in coming:
            if one.open and "name" not in one.found.said:
                self._try(one, lambda one: self._number(one, highest, seen))

    def _check_name(self, one: Wanted, seen: dict[tuple[int, str], Wanted]) -> None:
        name = one.found.said["name"]
        check_name(name)
        refuse_off_pattern(one.pool.realm.name_pattern, name, name_values(one.target, one.pool))
        if other := seen.get((one.pool.realm_id, name)):
            raise NameTaken(
                f"the name {name!r} stands in row {other.found.number} already",
                field="name",
                received=name,
                rule="names are unique among the living and cooling subnets of a realm",
                conflicts=[
                    {"range": ranges_text(other.blocks), "owner": name, "kind": f"row {other.found.number}"}
                ],
                suggestions=[f"{name}-{one.found.number}"],
            )
        seen[one.pool.realm_id, name] = one
        one.values["name"] = name

    def _number(
        self, one: Wanted, highest: dict[tuple[int, str], int], seen: dict[tuple[int, str], Wanted]
    ) -> None:
        one.stem = wanted_stem(one.pool, one.target, 2, None)
        assert one.stem
        realm = one.pool.realm_id
        key = (realm, one.stem)
        if key not in highest:
            query, slots = highest_number(realm, one.stem)
            rows = query(**slots)
            highest[key] = rows[0][0] if rows else 0
        while True:
            highest[key] += 1
            name = numbered(one.stem, highest[key])
            if (realm, name) not in seen:
                break
        check_name(name)
        seen[realm, name] = one
        one.values["name"] = name

    def _tag(self, wanted: Sequence[Wanted]) -> None:
        """Segment tags, those that are given first."""
        places: dict[tuple[int, int], Tags] = {}

        def take(one: Wanted) -> None:
            given, number = wanted_tag(one.values.get("tag"))
            sheet = one.pool.sheet
            if sheet.tag_needed and one.values.get("tag") is None:
                given = True
            if sheet.tag_needed and not given:
                raise no_tag(sheet.name, one.values.get("tag"))
            if not given:
                return
            place, outer = one.target.zone or one.target.region, one.values.get("outer_tag", 0)
            if outer:
                check_tag(outer, "outer_tag")
            tags = places.setdefault((place.pk, outer), None) or Tags(self.change, place, outer)  # type: ignore[arg-type]
            places[place.pk, outer] = tags
            one.tag = tags.take(number, one.values["name"], tier=one.target.tier)

        for first in (True, False):
            for one in wanted:
                if one.open and (one.values.get("tag") not in (None, "next")) is first:
                    self._try(one, take)

    def _limit(self, wanted: Sequence[Wanted]) -> None:
        """Quotas, and zones that a project may use, once for each project."""
        limited: dict[int, list[Wanted]] = {}
        zones: dict[tuple[int, int], list[Wanted]] = {}
        for one in wanted:
            if not one.open:
                continue
            if one.target.limited:
                limited.setdefault(one.target.project.pk, []).append(one)
            if one.target.zone is not None and one.target.region.zones_per_project is not None:
                zones.setdefault((one.target.project.pk, one.target.region.pk), []).append(one)
        for rows in limited.values():
            takes = [
                Take(
                    one.pools[b.family],
                    one.target.region.pk,
                    [(b.family, b.length)],
                    subnets=n == 0,
                    tags=n == 0 and bool(one.tag),
                )
                for one in rows
                for n, b in enumerate(one.blocks)
            ]
            self._refuse_all(rows, partial(refuse_over_quota, self.change, rows[0].target.project, takes))
        for rows in zones.values():
            target = rows[0].target
            wanted_zones = [one.target.zone for one in rows]
            check = partial(refuse_more_zones, self.change, target.project, target.region, wanted_zones)
            self._refuse_all(rows, check)

    def _refuse_all(self, rows: Sequence[Wanted], check: Callable[[], None]) -> None:
        try:
            check()
        except Refusal as refusal:
            for one in rows:
                one.found.refuse(refusal)

    def _told(self, one: Wanted) -> dict[str, Any]:
        told = {
            "prefix": ranges_text(one.blocks),
            "name": one.values["name"],
            "pool": one.pool.name,
            "project": one.target.project.name,
            "zone": one.target.zone.name if one.target.zone else "",
            "region": one.target.region.name,
            "tier": one.target.tier.name,
            "tag": str(one.tag or ""),
        }
        return {name: text for name, text in told.items() if text}

    # --- writing ---

    def write(self, wanted: Sequence[Wanted]) -> None:
        """Hand the rows out that are new, and take over what differs; in parts, so that few are held in memory."""
        coming = [one for one in wanted if one.found.outcome == "new"]
        coming.sort(key=lambda one: (one.pool.pk, one.blocks[0]))
        pools = {pool.pk for one in coming for pool in one.pools.values()}
        with open_pools(self.change, pools) as stores:
            for at in range(0, len(coming), AT_ONCE):
                self._write_part(coming[at : at + AT_ONCE])
                settle_until_now(self.change)
                self.progress("rows written", min(at + AT_ONCE, len(coming)), len(coming))
            for drawn in {one.reservation.pk: one.reservation for one in coming if one.reservation}.values():
                if not stores[drawn.pool_id][drawn.family].reserved_by(drawn.pk):
                    free_reservations(self.change, [lock(Reservation, drawn.pk)], stores, "use up")
        for one in wanted:
            if one.found.outcome == "differs" and self.options.update and one.there:
                edit_subnet(self.change, one.there.pk, _edited(one))

    def _write_part(self, part: Sequence[Wanted]) -> None:
        change = self.change
        for one, number in zip(part, change.numbers(len(part)), strict=True):
            one.number = number
        for (pool, family), group in groupby(_pieces(part), key=lambda piece: piece[:2]):
            store = change.open_pools[pool][family]
            _take(store, [(block, state, one) for *_, block, state, one in group])
        change.added([self._subnet(one) for one in part], "bring in", later=True)
        save_pools(change)

    def _subnet(self, one: Wanted) -> Subnet:
        values = one.values
        name = values["name"]
        stem, name_number = split_name(name, one.stem, [block.length for block in one.blocks])
        names = ("hosts", "growth", "purpose", "notes", "labels", "service", "exposure", *_INSIDE)
        kept = {name: value for name, value in values.items() if name in names}
        subnet = new_subnet(
            one.pool.realm,
            one.pool,
            one.target,
            [Allocation(block, [], "") for block in one.blocks],
            id=one.number,
            name=name,
            name_stem=stem,
            name_number=name_number,
            state=one.found.said.get("state", "active"),
            created_at=self.change.now,
            drawn_from=one.reservation,
            **kept,
        )
        subnet.known_room = one.rooms
        set_tag(subnet, one.tag, values.get("outer_tag", 0))
        count_in(subnet, {family: pool.pk for family, pool in one.pools.items()})
        return subnet


def _clash(message: str, other: Wanted) -> Overlaps:
    text = ranges_text(other.blocks)
    return Overlaps(
        message,
        field="prefix",
        rule="two rows share no address",
        conflicts=[{"range": text, "kind": f"row {other.found.number}"}],
        suggestions=[f"leave out row {other.found.number}"],
    )


def _values(said: Mapping[str, str]) -> dict[str, Any]:
    """The facts of a row that are kept with its subnet."""
    values: dict[str, Any] = {}
    for name in ("purpose", "notes", "service", "exposure"):
        if name in said:
            values[name] = field_value(Subnet, name, said[name])
    for name, most in (("hosts", 1 << 32), ("growth", 1000), ("room", 8), ("outer_tag", 4094)):
        if name in said:
            values[name] = read_number(name, said[name], most)
    if "tag" in said:
        given, number = wanted_tag(said["tag"].lower())
        values["tag"] = number if number is not None else "next" if given else "none"
    if "gateway" in said:
        refuse_misleading("gateway", said["gateway"])
        values["gateway"] = said["gateway"].lower()
    for name in _INSIDE[1:]:
        if name in said:
            refuse_misleading(name, said[name])
            text = said[name].strip()
            values[name] = [part.strip() for part in text.split(",") if part.strip()] if name in _LISTS else text
    if "labels" in said:
        values["labels"] = read_labels(said["labels"])
    if "name" in said:
        refuse_misleading("name", said["name"])
    return values


def _edited(one: Wanted) -> dict[str, Any]:
    """What an update sets on the subnet that is there."""
    return {name: one.values.get(name, one.found.said.get(name)) for name in one.found.told.get("differs", {})}


def _pieces(wanted: Iterable[Wanted]) -> list[tuple[int, int, Prefix, State, Wanted]]:
    """All blocks and room of rows, by pool and family, in order of address."""
    pieces = [
        (one.pools[block.family].pk, block.family, block, state, one)
        for one in wanted
        for blocks, state in ((one.blocks, State.HANDED_OUT), (one.rooms, State.ROOM))
        for block in blocks
    ]
    return sorted(pieces, key=lambda piece: (piece[0], piece[1], piece[2].first))


def _in_parts(
    group: Iterator[tuple[int, int, Prefix, State, Wanted]],
) -> Iterator[list[tuple[int, int, Prefix, State, Wanted]]]:
    part: list[tuple[int, int, Prefix, State, Wanted]] = []
    for piece in group:
        part.append(piece)
        if len(part) == AT_ONCE:
            yield part
            part = []
    if part:
        yield part


def _is_there(extent: Extent, block: Prefix, state: State) -> bool:
    """True if an extent is the block, or around the room, that a row speaks of: maybe of the same subnet."""
    if state is State.ROOM:
        return extent.state is State.ROOM and extent.prefix.contains(block)
    return extent.prefix == block and extent.state in (State.HANDED_OUT, State.HELD)


def _may_take(extent: Extent, one: Wanted) -> bool:
    """True if an extent is free for a row: or reserved, and the row is drawn from that reservation."""
    if extent.state is State.FREE:
        return True
    return extent.state is State.RESERVED and one.reservation is not None and extent.owner == one.reservation.pk


def _take(store: DatabaseExtents, pieces: Sequence[tuple[Prefix, State, Wanted]]) -> None:
    """Take blocks, in order of address, out of the free extents over them.

    Raises:
        Overlaps: one of them is not free any more.
    """
    over = iter(store.overlapping(pieces[0][0].first, pieces[-1][0].last))
    extent = next(over, None)
    taken: list[Extent] = []
    for block, state, one in pieces:
        while extent and extent.prefix.last < block.first:
            if taken:
                carve_several(store, extent, taken)
                taken = []
            extent = next(over, None)
        if extent is None or not extent.prefix.contains(block) or not _may_take(extent, one):
            require_free(store, block)
            raise Overlaps(f"{block} is not free", field="prefix", received=str(block))
        taken.append(Extent(block, state, one.number))
    if taken and extent:
        carve_several(store, extent, taken)
