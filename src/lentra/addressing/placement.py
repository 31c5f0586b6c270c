"""Where in the free space a block goes. Each answer carries its reason in words.

snug    longest free extent that fits, lowest address: keeps wide gaps whole
low     lowest address that fits
roomy   widest free extent, lowest address: every block gets room around it (in the spirit of RFC 3531)
beside  as near as possible to a given block
exact   this very prefix
"""

from __future__ import annotations

from dataclasses import dataclass

from lentra.addressing.avoiding import Avoiding
from lentra.addressing.extents import ExtentStore, State, require_free
from lentra.addressing.prefix import BITS, Prefix, containing
from lentra.addressing.refusal import Exhausted, LengthOutOfBounds, Refusal

PLACEMENTS = ("snug", "low", "roomy")


@dataclass(frozen=True, slots=True)
class Place:
    """A decision: the block, the free extent it comes out of, and why there."""

    block: Prefix
    within: Prefix
    why: str


def place(store: ExtentStore, length: int, placement: str = "snug") -> Place:
    """Find a place for a block of `length`.

    Raises:
        Exhausted: no free extent is wide enough; says the largest free and the total.
        LengthOutOfBounds: no length of the family.
        Refusal: `placement` is none of `PLACEMENTS`.
    """
    _check_length(store.family, length)
    counts = store.free_counts()
    fitting = sorted(n for n, count in counts.items() if count and n <= length)
    if placement not in PLACEMENTS:
        raise Refusal(
            f"{placement!r} is not a placement: one of {', '.join(PLACEMENTS)}",
            field="placement",
            received=placement,
            suggestions=PLACEMENTS,
        )
    if not fitting:
        raise exhausted(store.family, length, counts)
    if placement == "low":
        within = min(store.lowest_free(fitting), key=lambda prefix: prefix.first)
        why = "lowest address that fits"
    elif placement == "roomy":
        (within,) = store.lowest_free(fitting[:1])
        why = f"start of the widest free block, {within}"
    else:
        (within,) = store.lowest_free(fitting[-1:])
        why = "smallest gap that fits"
    return Place(Prefix(store.family, within.first, length), within, why)


def place_beside(store: ExtentStore, length: int, neighbour: Prefix) -> Place:
    """Find the place for a block of `length` that is nearest to `neighbour`, after it where equal.

    Raises:
        Exhausted: no free extent is wide enough.
        LengthOutOfBounds: no length of the family.
    """
    _check_length(store.family, length)
    counts = store.free_counts()
    fitting = sorted(n for n, count in counts.items() if count and n <= length)
    if not fitting:
        raise exhausted(store.family, length, counts)
    options = []
    for within in store.lowest_free(fitting, neighbour.last + 1):
        block = Prefix(store.family, within.first, length)
        options.append((block.first - neighbour.last, 0, block, within))
    for within in store.highest_free(fitting, neighbour.first):
        if not within.contains(neighbour):
            block = containing(store.family, within.last, length)
            options.append((neighbour.first - block.last, 1, block, within))
    holder = store.at(neighbour.first)
    if holder and holder.state is State.FREE and holder.prefix.contains(neighbour):
        # The neighbour is free itself: the blocks directly beside it lie in the same free extent.
        step = max(neighbour.size, 1 << (BITS[store.family] - length))
        around = containing(store.family, neighbour.first, min(length, neighbour.length))
        for first, before in ((around.first + step, 0), (around.first - (1 << (BITS[store.family] - length)), 1)):
            if (
                first >= 0
                and holder.prefix.first <= first <= holder.prefix.last
                and length >= holder.prefix.length
            ):
                block = containing(store.family, first, length)
                distance = neighbour.first - block.last if before else block.first - neighbour.last
                if distance > 0:
                    options.append((distance, before, block, holder.prefix))
    if not options:  # the neighbour covers all that is free
        return place(store, length, "low")
    distance, before, block, within = min(options)
    side = "before" if before else "after"
    words = f"directly {side} {neighbour}" if distance == 1 else f"nearest gap that fits, {side} {neighbour}"
    return Place(block, within, words)


def places(store: ExtentStore, length: int, placement: str = "snug", count: int = 1) -> list[Place]:
    """Several places for one block of `length`, the best first; no two share an address.

    Raises:
        Exhausted, LengthOutOfBounds, Refusal: as for `place`, if there is not one.
    """
    found = [place(store, length, placement)]
    while len(found) < count:
        try:
            found.append(place(Avoiding(store, [one.block for one in found]), length, placement))
        except Exhausted:
            break
    return found


def place_exact(store: ExtentStore, block: Prefix) -> Place:
    """This very prefix.

    Raises:
        OutsideParent, Overlaps, KeptOut: it is not free; with what stands in the way.
    """
    return Place(block, require_free(store, block), "as asked")


def neighbours_in_words(store: ExtentStore, within: Prefix) -> str:
    """What lies on both sides of a gap: ``between 10.40.68.0/24 and 10.40.72.0/22``."""
    top = 1 << BITS[store.family]
    before = store.at(within.first - 1) if within.first else None
    while before and before.state is State.FREE:
        before = store.at(before.prefix.first - 1) if before.prefix.first else None
    after = store.at(within.last + 1) if within.last + 1 < top else None
    while after and after.state is State.FREE:
        after = store.at(after.prefix.last + 1) if after.prefix.last + 1 < top else None
    if before and after:
        return f"between {before.prefix} and {after.prefix}"
    if before:
        return f"after {before.prefix}, up to the end of the range"
    if after:
        return f"from the start of the range to {after.prefix}"
    return "in a range that is all free"


def _check_length(family: int, length: int) -> None:
    if not 0 <= length <= BITS[family]:
        raise LengthOutOfBounds(
            f"/{length} is no IPv{family} prefix length: 0 to {BITS[family]}",
            field="length",
            received=f"/{length}",
            suggestions=[f"/{BITS[family]}"],
        )


def exhausted(family: int, length: int, counts: object) -> Exhausted:
    """The refusal for a length that nothing free is wide enough for."""
    free = {n: c for n, c in dict(counts).items() if c}  # type: ignore[call-overload]
    if not free:
        return Exhausted(f"no /{length} is free: nothing is left", field="length", received=f"/{length}")
    total = sum(count << (BITS[family] - n) for n, count in free.items())
    largest = min(free)
    return Exhausted(
        f"no /{length} is free: the largest free is a /{largest}, and {total:,} addresses are free in all",
        field="length",
        received=f"/{length}",
        suggestions=[f"/{largest}"],
    )
