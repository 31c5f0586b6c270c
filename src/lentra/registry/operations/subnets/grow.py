"""Grow a subnet, shrink it, and keep room behind it."""

from __future__ import annotations

from typing import Any

from lentra.addressing.address_map import Inside, refuse_address
from lentra.addressing.extents import State, carve
from lentra.addressing.growth import farthest, grow, grown_prefix, in_the_way, keep_room, shrink
from lentra.addressing.placement import place
from lentra.addressing.prefix import BITS, Prefix, address_text, parse_range
from lentra.addressing.refusal import CannotGrow, Exhausted, HostsDoNotFit, LengthOutOfBounds, Refusal
from lentra.addressing.rules import FamilyRules
from lentra.addressing.sizing import hosts_with_growth, size_by_hosts
from lentra.registry.errors import InUse, Invalid
from lentra.registry.lookup.find import find
from lentra.registry.lookup.insides import gateway_of
from lentra.registry.models import Subnet, place_key
from lentra.registry.operations.subnets.opened import IN_USE, families_of, open_subnet, refuse_moving
from lentra.registry.requests.request import check_pool_bounds, refuse_room
from lentra.registry.rules.quotas import Take, refuse_over_quota
from lentra.registry.space.evidence import conflicts_over
from lentra.registry.space.expiry import free_extents, reservations_of
from lentra.registry.space.store import DatabaseExtents
from lentra.registry.transactions.change import Change
from lentra.registry.transactions.locks import lock


def grow_subnet(
    change: Change,
    subnet_ref: Any,
    *,
    length: int | None = None,
    hosts: int | None = None,
    growth: int | None = None,
    family: int | None = None,
    downward: bool = False,
    second: bool = False,
    version: int | None = None,
) -> Subnet:
    """Grow a subnet's block to a shorter length, or until it holds so many hosts.

    Args:
        downward: the first address may change.
        second: where it cannot grow in place, add a second block instead.

    Raises:
        QuotaReached: the project may have no more.
        CannotGrow: something is in the way (listed), or the first address would change; offers a second
            block or a wider one elsewhere.
        LengthOutOfBounds: the rule sheet or the pool does not allow the length.
        NotAllowed, WrongState, StaleEdit.
    """
    with open_subnet(change, subnet_ref, "grow a subnet", version, IN_USE) as (subnet, pools):
        refuse_moving([subnet], "grow it")
        stores = families_of(subnet, pools)
        block = _block(subnet, family)
        store, rules = stores[block.family], subnet.pool.sheet.rules().family(block.family)
        needed = None
        if hosts is not None:
            total = subnet.growth if growth is None else growth
            length = _length_for(subnet, block, hosts, total, length)
            needed = hosts_with_growth(hosts, total)
        elif length is None:
            length = block.length - 1
        subnet.pool.sheet.rules().check_subnet_length(block.family, length)
        if block.family == 4:
            check_pool_bounds(subnet.pool, length)
        before = [str(b) for b in subnet.blocks()]
        try:
            target = grown_prefix(block, length, downward=downward)
            _refuse_in_the_way(subnet, store, block, target)
        except CannotGrow as refusal:
            wanted = _second_length(block, length)
            if needed is not None:
                others = sum(rules.usable(b) for b in subnet.blocks() if b.family == block.family)
                wanted = _least_length(rules, block.family, needed - others)
            if not second:
                raise _with_offers(refusal, subnet, store, block, length, wanted)
            _add_block(change, subnet, store, block, max(wanted, rules.shortest))
        else:
            _note_gateway(change, subnet, block, target)
            wider, now = [(block.family, target.length)], [(block.family, block.length)]
            refuse_over_quota(change, subnet.project, [Take(subnet.pool, subnet.region_id, wider, now)])
            grow(store, block, target, subnet.pk)
    values: dict[str, Any] = {"hosts": hosts} if hosts is not None else {}
    if growth is not None:
        values["growth"] = growth
    return _changed(change, subnet, "grow", before, values)


def shrink_subnet(
    change: Change,
    subnet_ref: Any,
    *,
    length: int | None = None,
    hosts: int | None = None,
    family: int | None = None,
    keep: Prefix | None = None,
    as_room: bool = False,
    version: int | None = None,
) -> Subnet:
    """Give back the unused part of a subnet's block, at once.

    Args:
        keep: which part stays; the first one of that length if not given.
        as_room: keep the rest as room, so that the block can grow again.

    Raises:
        HostsDoNotFit: the expected hosts need more.
        InUse: address records, the gateway or the DHCP range lie in the part given back, or on what is withheld.
        LengthOutOfBounds, Invalid, NotAllowed, WrongState, StaleEdit.
    """
    with open_subnet(change, subnet_ref, "shrink a subnet", version, IN_USE) as (subnet, pools):
        refuse_moving([subnet], "shrink it")
        block = _block(subnet, keep.family if keep else family)
        target = _target(subnet, block, length, hosts, keep)
        expected = hosts if hosts is not None else subnet.hosts
        if expected and block.family == 4:
            _refuse_too_small(subnet, block, target, hosts_with_growth(expected, subnet.growth))
        _refuse_cut_off(subnet, block, target)
        before = [str(b) for b in subnet.blocks()]
        store = families_of(subnet, pools)[block.family]
        rest = shrink(store, block, target, subnet.pk, State.ROOM)
        if not as_room:
            _free_room(change, subnet, store)
    change.note(f"{', '.join(map(str, rest[:4]))} {'stays as room' if as_room else 'is given back at once'}")
    return _changed(change, subnet, "shrink", before, {"hosts": hosts} if hosts is not None else {})


def _target(subnet: Subnet, block: Prefix, length: int | None, hosts: int | None, keep: Prefix | None) -> Prefix:
    """What stays of a block that shrinks."""
    sheet = subnet.pool.sheet.rules()
    if keep is not None:
        length = keep.length
    if hosts is not None:
        length = size_by_hosts(hosts, sheet, growth=subnet.growth, length=length, family=block.family).length
    if length is None:
        raise Invalid("say how much to keep: a length, a number of hosts, or a prefix", field="length")
    if length <= block.length:
        raise LengthOutOfBounds(
            f"{block} shrinks to a longer length: /{min(block.length + 1, block.bits)} is half of it",
            field="length",
            received=f"/{length}",
            suggestions=[f"/{min(block.length + 1, block.bits)}"],
        )
    sheet.check_subnet_length(block.family, length)
    target = keep or block.child(length, 0)
    if not block.contains(target):
        raise Invalid(
            f"{target} is no part of {block}", field="keep", received=target, suggestions=[block.child(length, 0)]
        )
    return target


def set_room(change: Change, subnet_ref: Any, doublings: int, version: int | None = None) -> Subnet:
    """Keep so many doublings of a subnet's first block free behind it; 0 gives the room back.

    Raises:
        CannotGrow: something is in the way, or the block is not the first part of so wide a prefix.
        NotAllowed, WrongState, StaleEdit, Invalid.
    """
    refuse_room(doublings)
    with open_subnet(change, subnet_ref, "keep room", version, IN_USE) as (subnet, pools):
        block = _block(subnet, None)
        store = families_of(subnet, pools)[block.family]
        before = [str(piece) for piece in subnet.room()]
        _free_room(change, subnet, store)
        if doublings:
            target = _footprint(block, doublings)
            _refuse_in_the_way(subnet, store, block, target)
            keep_room(store, block, target, subnet.pk)
        after = [str(e.prefix) for e in store.owned_by(subnet.pk) if e.state is State.ROOM]
        change.entered(subnet, "keep room", {"room": before}, {"room": after})
        subnet.save(update_fields=["last_entry"])
    return find(Subnet, subnet.pk)


def _footprint(block: Prefix, doublings: int) -> Prefix:
    """A block with so many doublings of itself behind it."""
    target = block.enclosing(max(0, block.length - doublings))
    if target.first != block.first:
        most = next(n for n in range(doublings) if block.enclosing(block.length - n - 1).first != block.first)
        raise CannotGrow(
            f"no room of {doublings} doublings can be kept behind {block}: it is not the first part of {target}",
            field="room",
            received=doublings,
            rule="room is kept behind a block, up to the end of its enclosing prefix",
            suggestions=[most],
        )
    return target


def _length_for(subnet: Subnet, block: Prefix, hosts: int, growth: int, length: int | None) -> int:
    """The length at which a block holds so many hosts.

    Raises:
        Invalid: it does already.
    """
    sheet = subnet.pool.sheet.rules()
    found = size_by_hosts(hosts, sheet, growth=growth, length=length, family=block.family).length
    if found >= block.length:
        usable = sheet.family(block.family).usable(block)
        raise Invalid(
            f"{block} already carries {hosts:,} hosts: it has {usable:,} usable addresses",
            field="hosts",
            received=hosts,
            suggestions=[usable + 1],
        )
    return found


def _block(subnet: Subnet, family: int | None) -> Prefix:
    """The block meant: the widest of the family, or of the first family."""
    blocks = subnet.blocks()
    wanted = blocks[0].family if family is None else family
    fitting = [block for block in blocks if block.family == wanted]
    if not fitting:
        raise Invalid(
            f"subnet {subnet.name} has no IPv{wanted} block",
            field="family",
            received=wanted,
            suggestions=sorted({b.family for b in blocks}),
        )
    return min(fitting, key=lambda block: (block.length, block.first))


def _refuse_in_the_way(subnet: Subnet, store: DatabaseExtents, block: Prefix, target: Prefix) -> None:
    if store.range_of(target) is None:
        limit = store.range_of(block)
        raise CannotGrow(
            f"{block} cannot grow to {target}: the pool's range {limit} ends before",
            field="length",
            received=f"/{target.length}",
            rule="a block lies wholly inside one range of its pool",
        )
    blocking = in_the_way(store, block, target, subnet.pk)
    if not blocking:
        return
    own = {(subnet.pk, str(block)), *((subnet.pk, str(piece)) for piece in subnet.room())}
    conflicts = [c for c in conflicts_over(subnet.realm_id, target) if (c.get("id"), c["range"]) not in own]
    carved = [{"range": str(e.prefix), "state": "carved"} for e in blocking if e.state is State.CARVED]
    conflicts = (conflicts + carved)[:20]
    first = conflicts[0]
    owner = f", {first['owner']}" if first.get("owner") else ""
    more = f" and {len(conflicts) - 1} more are" if len(conflicts) > 1 else " is"
    raise CannotGrow(
        f"{block} cannot grow to {target}: {first['range']} ({first['state']}{owner}){more} in the way",
        field="length",
        received=f"/{target.length}",
        rule="the rest of the enclosing prefix must be free or the block's own room",
        conflicts=conflicts,
    )


def _with_offers(
    refusal: CannotGrow, subnet: Subnet, store: DatabaseExtents, block: Prefix, length: int, second: int
) -> CannotGrow:
    """What would work instead: how far it can grow here, a second block, a wider one elsewhere."""
    offers = list(refusal.suggestions)
    reached, _ = farthest(store, block, subnet.pk)
    if reached.length < block.length:
        offers.append(f"/{reached.length} ({reached}) in place")
    for words, wanted in (("second block", second), ("replace it with", length)):
        try:
            found = place(store, wanted, subnet.pool.placement(store.family)).block
        except Exhausted:
            continue
        offers.append(f"{words} {found}")
    return refusal.with_(suggestions=offers)


def _second_length(block: Prefix, length: int) -> int:
    """Length of the smallest block that adds what the growth wants."""
    missing = (1 << (BITS[block.family] - length)) - block.size
    return BITS[block.family] - (missing - 1).bit_length()


def _least_length(rules: FamilyRules, family: int, hosts: int) -> int:
    """Length of the smallest block with so many usable addresses."""
    lengths = range(BITS[family], -1, -1)
    return next(n for n in lengths if rules.usable(Prefix(family, 0, n)) >= hosts or n == rules.shortest)


def _add_block(change: Change, subnet: Subnet, store: DatabaseExtents, block: Prefix, length: int) -> None:
    """A second block of the same family for what is missing."""
    pool = subnet.pool
    refuse_over_quota(change, subnet.project, [Take(pool, subnet.region_id, [(block.family, length)])])
    found = place(store, length, pool.placement(store.family))
    carve(store, found.block, State.HANDED_OUT, subnet.pk, found.within)
    change.note(f"{found.block} comes beside {block} as a second block: {found.why}")


def _note_gateway(change: Change, subnet: Subnet, block: Prefix, target: Prefix) -> None:
    """Say where a gateway goes that is given by a rule."""
    before, after = gateway_of(subnet, block), gateway_of(subnet, target)
    if before is not None and after is not None and before != after:
        change.note(
            f"the gateway moves from {address_text(block.family, before)} to {address_text(block.family, after)}: it is "
            f"the {subnet.gateway} usable address; give the address itself to keep it where it is"
        )


def _refuse_too_small(subnet: Subnet, block: Prefix, target: Prefix, needed: int) -> None:
    rules = subnet.pool.sheet.rules().family(target.family)
    others = [b for b in subnet.blocks() if b.family == block.family and b != block]
    usable = rules.usable(target) + sum(rules.usable(b) for b in others)
    if needed > usable:
        raise HostsDoNotFit(
            f"{needed:,} hosts are expected in {subnet.name}, and {target} has {usable:,} usable addresses",
            field="length",
            received=f"/{target.length}",
            suggestions=[f"hosts: {usable * 100 // (100 + subnet.growth)}", f"/{target.length - 1}"],
        )


def _refuse_cut_off(subnet: Subnet, block: Prefix, target: Prefix) -> None:
    """Refuse to give back what address records, the gateway or the DHCP range stand on."""
    inside = Inside(target, subnet.pool.sheet.rules().family(target.family))
    conflicts = []
    for record in subnet.addresses.filter(family=block.family).order_by("address"):
        if not block.first <= record.address <= block.last:
            continue
        try:
            refuse_address(inside, record.address, gateway=record.kind in ("gateway", "dhcp-service"))
        except Refusal:
            conflicts.append({"range": record.text, "owner": record.name, "kind": "address record"})
    own = [*((text, "DHCP range") for text in subnet.dhcp_ranges), (subnet.dhcp_service, "DHCP service")]
    for text, owner in own:
        if text and _within(text, block) and not _within(text, target):
            conflicts.append({"range": text, "owner": owner, "kind": "dhcp"})
    gateway = gateway_of(subnet, block)
    if gateway is not None and not target.first <= gateway <= target.last:
        conflicts.append({"range": address_text(block.family, gateway), "owner": "gateway", "kind": "gateway"})
    if conflicts:
        raise InUse(
            f"{conflicts[0]['range']} ({conflicts[0]['owner']}) would be outside {target} or withheld in it",
            field="length",
            received=f"/{target.length}",
            rule="what is given back is not in use",
            conflicts=conflicts[:20],
            suggestions=[f"/{target.length - 1}"] if target.length - 1 > block.length else [],
        )


def _within(text: str, target: Prefix) -> bool:
    family, first, last = parse_range(text)
    return family == target.family and target.first <= first and last <= target.last


def _free_room(change: Change, subnet: Subnet, store: DatabaseExtents) -> None:
    """Free what is kept as room for the subnet."""
    room = [e for e in store.owned_by(subnet.pk) if e.state is State.ROOM]
    drawn_from = reservations_of(change, [subnet]).get(subnet.drawn_from_id or 0)
    free_extents(store, room, drawn_from, subnet.realm_id)


def _changed(change: Change, subnet: Subnet, verb: str, before: list[str], values: dict[str, Any]) -> Subnet:
    """Enter the change of the blocks."""
    fresh = lock(Subnet, subnet.pk)
    blocks = fresh.blocks()
    old = {name: getattr(fresh, name) for name in values}
    for name, value in values.items():
        setattr(fresh, name, value)
    fresh.place = place_key(blocks[0])
    change.entered(fresh, verb, {"blocks": before, **old}, {"blocks": [str(b) for b in blocks], **values})
    fresh.save(update_fields=["place", "last_entry", *values])
    return fresh
