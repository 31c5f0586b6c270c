"""Growing a block in place and shrinking it, within the extents of its pool.

A block of length n grows by taking the rest of its enclosing prefix: its own room and free neighbours. Growing
towards higher addresses keeps the first address; the other direction changes it, so that is done only on
explicit word.
"""

from __future__ import annotations

from lentra.addressing.extents import Extent, ExtentStore, State, carve, give_back, require_free
from lentra.addressing.prefix import Prefix, prefixes_of_range, without
from lentra.addressing.refusal import CannotGrow, LengthOutOfBounds


def grown_prefix(block: Prefix, length: int, *, downward: bool = False) -> Prefix:
    """The prefix that a block becomes when it grows.

    Args:
        downward: the first address may change.

    Raises:
        LengthOutOfBounds: `length` is not shorter than the block's.
        CannotGrow: the first address would change, and that was not said.
    """
    if not 0 <= length < block.length:
        raise LengthOutOfBounds(
            f"{block} grows to a shorter length: /{max(0, block.length - 1)} is twice as wide",
            field="length",
            received=f"/{length}",
            suggestions=[f"/{max(0, block.length - 1)}"],
        )
    target = block.enclosing(length)
    if target.first != block.first and not downward:
        raise CannotGrow(
            f"{block} as a /{length} is {target}: its first address would change to {str(target).partition('/')[0]}; "
            "say so, if that is meant",
            field="length",
            received=f"/{length}",
            rule="the first address changes only on explicit word",
            suggestions=["downward: true"],
        )
    return target


def in_the_way(store: ExtentStore, block: Prefix, target: Prefix, owner: int) -> list[Extent]:
    """What keeps a block from growing to `target`: extents around it that are neither free nor its own room."""
    over = store.overlapping(target.first, target.last)
    return [e for e in over if not block.contains(e.prefix) and not _may_take(e, owner)]


def farthest(store: ExtentStore, block: Prefix, owner: int) -> tuple[Prefix, list[Extent]]:
    """How far a block can grow in place keeping its first address, and what stops it there.

    Nothing stops it where the next step would change the first address or leave the pool's range.
    """
    reached = block
    while reached.length > 0:
        target = reached.enclosing(reached.length - 1)
        if target.first != block.first or store.range_of(target) is None:
            return reached, []
        rest = Prefix(reached.family, reached.last + 1, reached.length)
        stopping = [e for e in store.overlapping(rest.first, rest.last) if not _may_take(e, owner)]
        if stopping:
            return reached, stopping
        reached = target
    return reached, []


def grow(store: ExtentStore, block: Prefix, target: Prefix, owner: int) -> None:
    """Turn a block and the space around it into one block. Nothing may be in the way.

    What of the owner's room lies beyond the target stays room.
    """
    over = store.overlapping(target.first, target.last)
    kept = [
        Extent(piece, extent.state, extent.owner)
        for extent in over
        if not target.contains(extent.prefix)
        for piece in without(extent.prefix, target)
    ]
    store.replace(over, sorted([Extent(target, State.HANDED_OUT, owner), *kept]))


def shrink(
    store: ExtentStore, block: Prefix, target: Prefix, owner: int, state: State = State.FREE
) -> list[Prefix]:
    """Keep `target` of a block; the rest becomes free (and joins), or the block's own room.

    Returns:
        The prefixes given up.
    """
    rest = without(block, target)
    given_up = state if state is not State.FREE else State.HANDED_OUT
    extents = [Extent(piece, given_up, owner) for piece in rest]
    store.replace(
        [Extent(block, State.HANDED_OUT, owner)], sorted([Extent(target, State.HANDED_OUT, owner), *extents])
    )
    if state is State.FREE:
        give_back(store, extents)
    return rest


def carve_with_room(
    store: ExtentStore, block: Prefix, room: list[Prefix], state: State, owner: int | None, within: Extent
) -> None:
    """Take a block and the room behind it out of the extent `within`; the rest stays what it was."""
    rest = [within.prefix]
    for piece in [block, *room]:
        at = next(n for n, prefix in enumerate(rest) if prefix.contains(piece))
        rest[at : at + 1] = without(rest[at], piece)
    taken = [Extent(block, state, owner), *(Extent(piece, State.ROOM, owner) for piece in room)]
    store.replace([within], sorted([*taken, *(Extent(p, within.state, within.owner) for p in rest)]))


def keep_room(store: ExtentStore, block: Prefix, within: Prefix, owner: int | None) -> list[Prefix]:
    """Turn the free space between the end of a block and the end of its enclosing prefix into its room.

    Raises:
        Overlaps, KeptOut: something there is not free.
    """
    pieces = prefixes_of_range(block.family, block.last + 1, within.last)
    for piece in pieces:
        carve(store, piece, State.ROOM, owner, within=require_free(store, piece))
    return pieces


def _may_take(extent: Extent, owner: int) -> bool:
    return extent.state is State.FREE or (extent.state is State.ROOM and extent.owner == owner)
