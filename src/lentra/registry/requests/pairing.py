"""IPv6 blocks that are paired with IPv4 ones: numbered in a prefix, in order or by segment tag."""

from __future__ import annotations

from lentra.addressing.extents import ExtentStore
from lentra.addressing.prefix import Prefix, containing
from lentra.registry.errors import Invalid


def paired_block(
    store: ExtentStore, whole: Prefix, length: int, numbering: str, tag: int | None, name: str
) -> Prefix:
    """The block that a subnet is paired with.

    Args:
        whole: the prefix that blocks are numbered in.
        numbering: ``number``: the lowest free block of `whole`; ``tag``: the one whose number is `tag`.
        name: the subnet's, for the refusal.

    Raises:
        Invalid: `whole` has no such block, or none that is free; or the subnet has no tag.
    """
    if length < whole.length:
        raise Invalid(f"{whole} holds no /{length}", field="within", received=whole, suggestions=[f"/{length}"])
    most = 1 << (length - whole.length)
    if numbering == "tag":
        if tag is None:
            raise Invalid(
                f"subnet {name} has no segment tag to number by: give it one, or number in order",
                field="numbering",
                received="tag",
                suggestions=["number"],
            )
        if tag >= most:
            raise _too_small(whole, length, f"subnet {name} would have number {tag:,}", tag)
        return whole.child(length, tag)
    fitting = [n for n, count in store.free_counts().items() if count]
    options = [gap for gap in store.lowest_free(fitting, whole.first) if gap.first <= whole.last]
    holder = store.at(whole.first)
    if holder is not None and holder.state.word == "free":
        options.append(holder.prefix)
    firsts = [max(gap.first, whole.first) for gap in options if gap.last >= whole.first]
    blocks = [containing(whole.family, first, length) for first in firsts]
    usable = [block for block in blocks if block.first >= whole.first and block.last <= whole.last]
    free = [block for block in usable if any(gap.contains(block) for gap in options)]
    if not free:
        raise _too_small(whole, length, f"none is free for subnet {name}", most)
    return min(free)


def _too_small(whole: Prefix, length: int, what: str, number: int) -> Invalid:
    most = 1 << (length - whole.length)
    return Invalid(
        f"{whole} holds {most:,} × /{length}, and {what}",
        field="within",
        received=whole,
        suggestions=[f"/{max(0, length - number.bit_length())}"],
    )
