"""What of a prefix is really free in a realm: in no use, reserved for nobody, and under no keep-out."""

from __future__ import annotations

from lentra.addressing.prefix import Prefix, parse_range, prefixes_of_range
from lentra.registry.models import Realm
from lentra.registry.space.evidence import taken_in


def free_in(realm: Realm, block: Prefix) -> list[Prefix]:
    """The parts of a block that nothing takes, as the fewest prefixes in order; also where no pool is."""
    return prefixes_between(block, taken_spans(realm, block))


def taken_spans(realm: Realm, block: Prefix) -> list[tuple[int, int, str]]:
    """First, last and owner of what takes some of a block, in order."""
    spans = []
    for one in taken_in(realm.pk, block.family, block.first, block.last):
        _, first, last = parse_range(one["range"])
        spans.append((max(first, block.first), min(last, block.last), str(one.get("owner") or one["state"])))
    return sorted(spans)


def prefixes_between(block: Prefix, taken: list[tuple[int, int, str]]) -> list[Prefix]:
    """What is left of a block beside spans in order, which may overlap."""
    left: list[Prefix] = []
    at = block.first
    for first, last, _ in taken:
        if first > at:
            left += prefixes_of_range(block.family, at, first - 1)
        at = max(at, last + 1)
    if at <= block.last:
        left += prefixes_of_range(block.family, at, block.last)
    return left
