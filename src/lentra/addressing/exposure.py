"""How far a network can be reached, by the routes that it has, and whether that is what it was declared to be.

Each family by itself: an IPv6 network with a default route to the outside is open, whatever its IPv4 neighbour is.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from lentra.addressing.matching import merged, within
from lentra.addressing.prefix import Prefix

OUTSIDE, TRANSLATED, INSIDE, NOWHERE = "outside", "translated", "inside", "nowhere"
VIAS = (OUTSIDE, TRANSLATED, INSIDE, NOWHERE)  # what a route leads through
OUTWARD, ISOLATED = "outward", "isolated"
REACHES = (ISOLATED, INSIDE, OUTWARD, OUTSIDE)  # from the least open to the most
_REACH_BY = {OUTSIDE: OUTSIDE, TRANSLATED: OUTWARD, INSIDE: INSIDE}
_MEANT = {"public": (OUTSIDE, OUTSIDE), "private": (INSIDE, OUTWARD), "isolated": (ISOLATED, ISOLATED)}


@dataclass(frozen=True, slots=True)
class Route:
    """A route of a network.

    `via`: ``outside`` a gateway to everybody outside, who can answer and ask; ``translated`` one that lets out alone;
    ``inside`` other networks of one's own; ``nowhere`` what goes there is dropped. `name` is that of what it leads through.
    """

    to: Prefix
    via: str
    name: str = ""

    def __str__(self) -> str:
        through = {OUTSIDE: "to the outside", TRANSLATED: "outward alone", INSIDE: "inside", NOWHERE: "nowhere"}
        return f"{self.to} {through[self.via]}{f' by {self.name}' if self.name else ''}"


def reach_of(routes: Sequence[Route]) -> tuple[str, Route | None]:
    """How far a network with these routes can be reached, and the route that proves it.

    A route counts where it is the longest for at least one address. Without any that leads beyond itself a network is
    isolated.

    Args:
        routes: of one family.
    """
    counting = [route for route in routes if route.via in _REACH_BY and not _shadowed(route, routes)]
    if not counting:
        return ISOLATED, None
    proof = max(counting, key=lambda route: (REACHES.index(_REACH_BY[route.via]), -route.to.length))
    return _REACH_BY[proof.via], proof


def _shadowed(route: Route, routes: Iterable[Route]) -> bool:
    """Whether longer routes take all of a route's addresses."""
    longer = [(r.to.first, r.to.last) for r in routes if r.to.length > route.to.length and route.to.contains(r.to)]
    return within(merged(longer), route.to.first, route.to.last)


def told_apart(declared: str, reach: str) -> str:
    """What a reach is where this was declared: ``exposed``, ``cut-off``, or nothing to tell.

    What is public is reachable from outside; what is private from inside, and may go outward; what is isolated not at all.

    >>> told_apart("private", "outside"), told_apart("public", "inside"), told_apart("private", "outward")
    ('exposed', 'cut-off', '')
    """
    least, most = (REACHES.index(word) for word in _MEANT[declared])
    place = REACHES.index(reach)
    return "exposed" if place > most else "cut-off" if place < least else ""


def openness(reach: str) -> int:
    """How open a reach is: 0 for isolated."""
    return REACHES.index(reach)
