"""Grow a subnet, shrink it, and keep room behind it."""

from __future__ import annotations

from typing import Any

from lentra.addressing.address_map import Inside, refuse_address
from lentra.addressing.extents import State, carve, give_back
from lentra.addressing.growth import farthest, grow, grown_prefix, in_the_way, keep_room, shrink
from lentra.addressing.placement import place
from lentra.addressing.prefix import BITS, Prefix, parse_range
from lentra.addressing.refusal import CannotGrow, Exhausted, HostsDoNotFit, LengthOutOfBounds, Refusal
from lentra.addressing.sizing import hosts_with_growth, size_by_hosts
from lentra.registry.endings import lock_settled
from lentra.registry.errors import InUse, Invalid, WrongState
from lentra.registry.keep_outs import keep_out_of
from lentra.registry.ledger import Change
from lentra.registry.models import Subnet, place_key
from lentra.registry.operations.edit_set_up import refuse_stale
from lentra.registry.permissions import require_project
from lentra.registry.queries.find import find
from lentra.registry.queries.whereabouts import conflicts_over
from lentra.registry.requests import check_pool_bounds, refuse_room
from lentra.registry.space import DatabaseExtents, lock_stores_of

_RELATED = ("project", "pool__realm", "pool__sheet", "zone", "tier", "region")


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
        CannotGrow: something is in the way (listed), or the first address would change; offers a second
            block or a wider one elsewhere.
        LengthOutOfBounds: the rule sheet or the pool does not allow the length.
        NotAllowed, WrongState, StaleEdit.
    """
    subnet, stores = _locked(change, subnet_ref, "grow a subnet", version)
    block = _block(subnet, family)
    store, sheet = stores[block.family], subnet.pool.sheet.rules()
    if hosts is not None:
        total = subnet.growth if growth is None else growth
        length = size_by_hosts(hosts, sheet, growth=total, length=length, family=block.family).length
        if length >= block.length:
            usable = sheet.family(block.family).usable(block)
            raise Invalid(
                f"{block} already carries {hosts:,} hosts: it has {usable:,} usable addresses",
                field="hosts",
                received=hosts,
                suggestions=[usable + 1],
            )
    if length is None:
        length = block.length - 1
    sheet.check_subnet_length(block.family, length)
    if block.family == 4:
        check_pool_bounds(subnet.pool, length)
    before = [str(b) for b in subnet.blocks()]
    try:
        target = grown_prefix(block, length, downward=downward)
        _refuse_in_the_way(subnet, store, block, target)
    except CannotGrow as refusal:
        if not second:
            raise _with_offers(refusal, subnet, store, block, length)
        _add_block(change, subnet, store, block, length)
    else:
        grow(store, block, target, subnet.pk)
    values = {"hosts": hosts} if hosts is not None else {}
    if growth is not None:
        values["growth"] = growth
    return _changed(change, subnet, stores, "grow", before, values)


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
    subnet, stores = _locked(change, subnet_ref, "shrink a subnet", version)
    block = _block(subnet, keep.family if keep else family)
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
    expected = hosts if hosts is not None else subnet.hosts
    if expected and block.family == 4:
        _refuse_too_small(subnet, target, hosts_with_growth(expected, subnet.growth))
    _refuse_cut_off(subnet, block, target)
    before = [str(b) for b in subnet.blocks()]
    state = State.ROOM if as_room else State.FREE
    store = stores[block.family]
    shrink(store, block, target, subnet.pk, state)
    if not as_room:
        _free_room(subnet, store)
    return _changed(change, subnet, stores, "shrink", before, {"hosts": hosts} if hosts is not None else {})


def set_room(change: Change, subnet_ref: Any, doublings: int, version: int | None = None) -> Subnet:
    """Keep so many doublings of a subnet's first block free behind it; 0 gives the room back.

    Raises:
        CannotGrow: something is in the way, or the block is not the first part of so wide a prefix.
        NotAllowed, WrongState, StaleEdit, Invalid.
    """
    refuse_room(doublings)
    subnet, stores = _locked(change, subnet_ref, "keep room", version)
    block = _block(subnet, None)
    store = stores[block.family]
    before = [str(piece) for piece in subnet.room()]
    _free_room(subnet, store)
    if doublings:
        target = grown_prefix(block, max(0, block.length - doublings))
        _refuse_in_the_way(subnet, store, block, target)
        keep_room(store, block, target, subnet.pk)
    for each in stores.values():
        each.save()
    after = [str(e.prefix) for e in store.owned_by(subnet.pk) if e.state is State.ROOM]
    change.entered(subnet, "keep room", {"room": before}, {"room": after})
    subnet.save(update_fields=["last_entry"])
    return find(Subnet, subnet.pk)


def _locked(
    change: Change, subnet_ref: Any, to: str, version: int | None
) -> tuple[Subnet, dict[int, DatabaseExtents]]:
    """The subnet, with its pool's space locked."""
    subnet = find(Subnet, subnet_ref, "subnet", related=_RELATED)
    require_project(change.actor, subnet.project, to)
    lock_settled(change, [subnet.pool_id])
    stores = {
        family: store for (_, family), store in lock_stores_of([subnet.pk]).items() if store.owned_by(subnet.pk)
    }
    subnet = find(Subnet, subnet.pk, "subnet", related=_RELATED)
    refuse_stale(subnet, version)
    if subnet.state not in ("active", "retiring"):
        raise WrongState(
            f"subnet {subnet.name} is {subnet.state}: only one in use can change its size",
            received=subnet.state,
            rule="active or retiring",
        )
    return subnet, stores


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
    conflicts = [c for c in conflicts_over(subnet.realm_id, target) if c.get("id") != subnet.pk]
    carved = [{"range": str(e.prefix), "state": "carved"} for e in blocking if e.state is State.CARVED]
    conflicts = (conflicts + carved)[:20]
    first = conflicts[0]
    owner = f", {first['owner']}" if first.get("owner") else ""
    more = f" and {len(conflicts) - 1} more" if len(conflicts) > 1 else ""
    raise CannotGrow(
        f"{block} cannot grow to {target}: {first['range']} ({first['state']}{owner}){more} is in the way",
        field="length",
        received=f"/{target.length}",
        rule="the rest of the enclosing prefix must be free or the block's own room",
        conflicts=conflicts,
    )


def _with_offers(
    refusal: CannotGrow, subnet: Subnet, store: DatabaseExtents, block: Prefix, length: int
) -> CannotGrow:
    """What would work instead: how far it can grow here, a second block, a wider one elsewhere."""
    offers = list(refusal.suggestions)
    reached, _ = farthest(store, block, subnet.pk)
    if reached.length < block.length:
        offers.append(f"/{reached.length} ({reached}) in place")
    for words, wanted in (("second block", _second_length(block, length)), ("replace it with", length)):
        try:
            found = place(store, wanted, subnet.pool.placement(store.family)).block
        except Exhausted:
            continue
        offers.append(f"{words} {found}")
    refusal.suggestions = offers
    return refusal


def _second_length(block: Prefix, length: int) -> int:
    """Length of the smallest block that adds what the growth wants."""
    missing = (1 << (BITS[block.family] - length)) - block.size
    return BITS[block.family] - (missing - 1).bit_length()


def _add_block(change: Change, subnet: Subnet, store: DatabaseExtents, block: Prefix, length: int) -> None:
    """A second block of the same family for what is missing."""
    second = max(_second_length(block, length), subnet.pool.sheet.rules().family(block.family).shortest)
    found = place(store, second, subnet.pool.placement(store.family))
    carve(store, found.block, State.HANDED_OUT, subnet.pk, found.within)
    change.note(f"{found.block} comes beside {block} as a second block: {found.why}")


def _refuse_too_small(subnet: Subnet, target: Prefix, needed: int) -> None:
    usable = subnet.pool.sheet.rules().family(target.family).usable(target)
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
            refuse_address(inside, record.address, gateway=record.kind == "gateway")
        except Refusal:
            conflicts.append({"range": record.text, "owner": record.name, "kind": "address record"})
    for what in ("gateway", "dhcp"):
        text = getattr(subnet, what)
        if text and text[0].isdigit() and block.family == 4 and not _within(text, target):
            conflicts.append({"range": text, "owner": what, "kind": what})
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


def _free_room(subnet: Subnet, store: DatabaseExtents) -> None:
    """Free what is kept as room for the subnet."""
    room = [e for e in store.owned_by(subnet.pk) if e.state is State.ROOM]
    for free in give_back(store, room):
        keep_out_of(store, free, subnet.realm_id)


def _changed(
    change: Change,
    subnet: Subnet,
    stores: dict[int, DatabaseExtents],
    verb: str,
    before: list[str],
    values: dict[str, Any],
) -> Subnet:
    """Save the space, and enter the change of the blocks."""
    for store in stores.values():
        store.save()
    fresh = find(Subnet, subnet.pk)
    blocks = fresh.blocks()
    old = {name: getattr(fresh, name) for name in values}
    for name, value in values.items():
        setattr(fresh, name, value)
    fresh.place = place_key(blocks[0])
    change.entered(fresh, verb, {"blocks": before, **old}, {"blocks": [str(b) for b in blocks], **values})
    fresh.save()
    return fresh
