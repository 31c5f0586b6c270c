"""Where public addresses are, and who announces them: told in as few lines as say the same."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass

from lentra.addressing.prefix import Prefix


@dataclass(frozen=True, order=True)
class Location:
    """Where something is: country (ISO 3166-1 alpha-2), subdivision (ISO 3166-2), city; empty for what is not said."""

    country: str = ""
    subdivision: str = ""
    city: str = ""


def fewest_located(located: Iterable[tuple[Prefix, Location]]) -> list[tuple[Prefix, Location]]:
    """The fewest prefixes that say the same of every address, in order; of two that hold an address, the longer one counts
    (RFC 8805, section 2.1.2).

    Args:
        located: prefixes with where they are; one may lie in another, none comes twice with different places.
    """
    fewest = list(_told_otherwise(_counting(sorted(located))))
    while True:
        before = len(fewest)
        fewest = list(_told_otherwise(_counting(sorted(_joined(fewest).items()))))
        if len(fewest) == before:
            return fewest


def _joined(located: Iterable[tuple[Prefix, Location]]) -> dict[Prefix, Location]:
    """Two halves of a prefix that are in one place as that prefix."""
    places = dict(located)
    for prefix in sorted(places, key=lambda one: -one.length):
        while prefix in places and prefix.length and places.get(prefix.buddy()) == places[prefix]:
            place = places.pop(prefix)
            del places[prefix.buddy()]
            prefix = prefix.enclosing(prefix.length - 1)
            places[prefix] = place
    return places


def _counting(located: Sequence[tuple[Prefix, Location]]) -> list[tuple[Prefix, Location]]:
    """Those that count for some address, of prefixes in order: not what longer ones in it make up wholly."""
    kept: list[tuple[Prefix, Location]] = []
    for prefix, place in reversed(located):  # what lies in a prefix comes before it
        inside, past = 0, prefix.first
        for other, _ in reversed(kept):
            if other.family != prefix.family or other.first > prefix.last:
                break
            if other.first >= past:
                inside, past = inside + other.size, other.last + 1
        if inside < prefix.size:
            kept.append((prefix, place))
    return kept[::-1]


def _told_otherwise(located: Iterable[tuple[Prefix, Location]]) -> Iterator[tuple[Prefix, Location]]:
    """Those that are elsewhere than what is around them, of prefixes in order."""
    around: list[tuple[Prefix, Location]] = []
    for prefix, place in located:
        while around and not around[-1][0].contains(prefix):
            around.pop()
        if not around or around[-1][1] != place:
            around.append((prefix, place))
            yield prefix, place


@dataclass(frozen=True, order=True)
class Authorisation:
    """What may be announced by whom: a prefix, the longest length of its parts, and an AS number (RFC 9582)."""

    prefix: Prefix
    longest: int
    origin: int


def fewest_authorised(wanted: Iterable[Authorisation]) -> list[Authorisation]:
    """The fewest authorisations that allow the same announcements, in order: one that another covers is left out.

    Prefixes are not joined: that would allow to announce what nobody announces (RFC 9319, section 5).
    """
    kept: list[Authorisation] = []
    around: list[Authorisation] = []
    for one in sorted(set(wanted), key=lambda a: (a.prefix, -a.longest, a.origin)):
        while around and not around[0].prefix.contains(one.prefix):
            around.pop(0)
        around = [other for other in around if other.prefix.contains(one.prefix)]
        if any(other.origin == one.origin and other.longest >= one.longest for other in around):
            continue
        kept.append(one)
        around.append(one)
    return kept
