"""Where realms meet by their links, what each has there, and what both use."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass

from django.db.models import Q

from lentra.addressing.extents import State
from lentra.addressing.matching import merged
from lentra.addressing.meeting import ALL, Joint, Space, Spans, in_both, meetings, touch
from lentra.addressing.overlap import Clash, Range, clashes
from lentra.addressing.prefix import BITS, parse_range
from lentra.registry.lookup.spans import few_spans, in_use_over
from lentra.registry.models import DECLARED, KeepOut, Link, PoolRange, Realm
from lentra.registry.space.locking import lock_outlines
from lentra.registry.transactions.failures import Clash as TryAgain

Pair = tuple[int, int]  # realms, the lower number first
LIVING, PLANNED, KEPT_OUT = "living", "planned", "kept out"
_LIVING = (State.HELD, State.HANDED_OUT)


@dataclass(frozen=True, slots=True)
class Held:
    """What somebody has of a realm: an extent in use, or a keep-out."""

    realm: int
    state: State
    pool: int | None = None
    subnet: int | None = None
    reservation: int | None = None
    keep_out: int | None = None


Meeting = Clash[Held]


def joint_of(link: Link) -> Joint:
    """A link as the core knows it."""
    return Joint(link.one_id, link.other_id, shown(link.one_shows), shown(link.other_shows), link.passes_on)


def shown(texts: Iterable[str]) -> Space:
    """The ranges that a side shows; everything if none is told."""
    ranges = [parse_range(text) for text in texts]
    if not ranges:
        return ALL
    return {family: merged([(first, last) for of, first, last in ranges if of == family]) for family in BITS}


def links_now(besides: Link | None = None) -> list[Link]:
    """All links, but for one."""
    return list(Link.objects.exclude(pk=besides.pk if besides else None).order_by("pk"))


def meetings_of(links: Iterable[Link]) -> dict[Pair, Space]:
    """Where each two realms meet by these links."""
    return meetings([joint_of(link) for link in links])


def met_by(realm: int, links: Sequence[Link] | None = None) -> dict[int, Space]:
    """The realms that one meets, and where."""
    links = links_now() if links is None else links
    if not any(realm in (link.one_id, link.other_id) for link in links):
        return {}
    met = meetings_of(links)
    return {
        one if other == realm else other: where for (one, other), where in met.items() if realm in (one, other)
    }


def joined(realms: Iterable[int], links: Iterable[Link]) -> set[int]:
    """These realms, and all that links join them to, however far."""
    found, pairs = set(realms), [{link.one_id, link.other_id} for link in links]
    while more := {realm for pair in pairs if pair & found for realm in pair} - found:
        found |= more
    return found


def lock_joined(*realms: int) -> None:
    """Lock the outlines of realms and of all that links join them to, before any pool.

    Raises:
        Clash: a link was added meanwhile; the change is tried again.
    """
    wanted = joined(realms, links_now())
    lock_outlines(wanted)
    if joined(realms, links_now()) - wanted:
        raise TryAgain("links have changed")


def in_pools(realm: int) -> Space:
    """What a realm has in its top-level pools."""
    rows = list(PoolRange.objects.filter(realm=realm, top=True).values_list("family", "first", "last"))
    return {family: merged([(first, last) for of, first, last in rows if of == family]) for family in BITS}


def in_pools_of_both(pair: Pair, where: Space) -> Space:
    """What two realms both have in pools where they meet: one of them is to hand it out."""
    return in_both(where, in_both(in_pools(pair[0]), in_pools(pair[1])))


def pair_of(link: Link) -> Pair:
    """The realms of a link, the lower number first."""
    return min(link.one_id, link.other_id), max(link.one_id, link.other_id)


def had_by_both(link: Link, met: Mapping[Pair, Space]) -> Space:
    """What the realms of a link both have in pools where they meet."""
    pair = pair_of(link)
    return in_pools_of_both(pair, met.get(pair, {}))


def given_way(pair: Pair) -> list[KeepOut]:
    """What either of two realms keeps out in favour of the other."""
    both = Q(realm=pair[0], in_favour_of=pair[1]) | Q(realm=pair[1], in_favour_of=pair[0])
    return list(KeepOut.objects.filter(both).order_by("family", "first", "pk"))


def spans_of(keep_outs: Iterable[KeepOut]) -> Space:
    """The ranges of keep-outs."""
    ranges = [(k.family, k.first, k.last) for k in keep_outs]
    return {family: merged([(first, last) for of, first, last in ranges if of == family]) for family in BITS}


def used_in(realm: int, family: int, spans: Spans) -> list[Range[Held]]:
    """What is in use in a realm over some spans, in order of address."""
    found = []
    rows = in_use_over([Realm(pk=realm)], family, few_spans(spans))
    for _, first, length, state, _, pool, subnet, reservation in sorted(rows, key=lambda row: row[1]):
        last = first + (1 << (BITS[family] - length)) - 1
        found.append(Range(family, first, last, Held(realm, State(state), pool, subnet, reservation)))
    return found


def kept_out_in(realm: int, family: int, spans: Spans) -> list[Range[Held]]:
    """What somebody has declared to be kept out in a realm over some spans."""
    rows = KeepOut.objects.filter(realm=realm, family=family, **DECLARED)
    found = []
    for number, first, last in rows.exclude(kind="special").order_by("first").values_list("pk", "first", "last"):
        if touch(spans, first, last):
            found.append(Range(family, first, last, Held(realm, State.KEPT_OUT, keep_out=number)))
    return found


def meeting_places(pair: Pair, where: Space, families: Collection[int] = (4, 6)) -> Iterator[Meeting]:
    """What two realms both use where they meet; and what one uses and the other keeps out.

    In order of address, family by family; the first of `pair` is the left side of each.
    """
    for family in families:
        spans = where.get(family, [])
        if not spans:
            continue
        one, other = (used_in(realm, family, spans) for realm in pair)
        kept, other_kept = (kept_out_in(realm, family, spans) for realm in pair)
        found = [*clashes(one, other), *clashes(one, other_kept), *clashes(kept, other)]
        found.sort(key=lambda clash: max(clash.left.first, clash.right.first))
        for clash in found:
            first, last = max(clash.left.first, clash.right.first), min(clash.left.last, clash.right.last)
            if touch(spans, first, last):
                yield clash


def kind_of(clash: Meeting) -> str:
    """Living if both are in use now, planned if one is only kept for later, kept out if one is that."""
    states = (clash.left.owner.state, clash.right.owner.state)
    if State.KEPT_OUT in states:
        return KEPT_OUT
    return LIVING if all(state in _LIVING for state in states) else PLANNED
