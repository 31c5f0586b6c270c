"""What sources see: when something was seen last, in words and in numbers, and how far it can be reached."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from datetime import datetime, timedelta

from django.db.models import Case, Max, Value, When
from django.db.models.functions import Coalesce

from lentra.addressing.exposure import ISOLATED, OUTSIDE, openness
from lentra.addressing.prefix import Prefix, starts_around
from lentra.registry.models import Address, Sighting, Subnet
from lentra.registry.transactions.sql import Prepared, Slot, read_together

LATELY = 14  # days
LAST = Coalesce("lost_at", "source__seen_at")  # when a sighting was seen last
_TOLD = 5
_AT_ONCE = 200  # blocks of one statement


def effective(facts: Sequence[Mapping[str, str]], public: str) -> tuple[str, str]:
    """How far a network can be reached by what sources tell of its routes, and what proves it.

    Args:
        facts: of one network, each with ``reach`` and ``route``.
        public: a public address that leads to something in it; it counts where a way leads beyond the network.
    """
    most = max(facts, key=lambda told: openness(told["reach"]))
    if public and ISOLATED != most["reach"] != OUTSIDE:
        return OUTSIDE, f"{public} leads to it"
    return most["reach"], most.get("route", "")


def public_of(subnets: Iterable[int]) -> dict[int, str]:
    """The subnets to an address record of which a public address is attached, each with the name of one."""
    attached = Subnet.objects.filter(attached_record__subnet__in=list(subnets))
    return dict(attached.values_list("attached_record__subnet", "name"))


def look_up_last_seen(records: Sequence[Address]) -> None:
    """Look up when some address records were seen last; one statement."""
    rows = Sighting.objects.filter(
        realm__in={record.realm_id for record in records},
        family__in=(4, 6),
        first__in={record.address for record in records},
        single=True,
    )
    seen: dict[tuple[int, ...], datetime] = {}
    for *place, last in rows.values_list("realm", "family", "first", LAST):
        if last:
            seen[tuple(place)] = max(last, seen.get(tuple(place), last))
    for record in records:
        record.last_seen_at = seen.get((record.realm_id, record.family, record.address))


def seen_lately(subnets: Iterable[Subnet], now: datetime, days: int = LATELY) -> list[str]:
    """What was seen in subnets in the last days, in words: whoever gives them back is warned of it."""
    since = now - timedelta(days=days)
    blocks = [(subnet, block) for subnet in subnets for block in subnet.blocks()]
    asked = last_in((subnet.realm_id, block) for subnet, block in blocks)
    lately = sorted({place for place, seen, _ in asked if seen >= since})
    told = []
    for subnet, block in (blocks[place] for place in lately[:_TOLD]):
        inside = Sighting.objects.filter(
            realm=subnet.realm_id, family=block.family, first__range=(block.first, block.last)
        )
        rows = inside.annotate(seen=LAST).filter(seen__gte=since).select_related("source").order_by("-seen")
        shown = [_words(row) for row in rows[: _TOLD + 1]]
        more = ", and more" if len(shown) > _TOLD else ""
        what = ", ".join(shown[:_TOLD]) or "a network that it lies in"
        told.append(f"{subnet.name} was seen lately: {what}{more}")
    if len(lately) > _TOLD:
        told.append(f"{len(lately) - _TOLD:,} more were seen lately")
    return told


def _words(row: Sighting) -> str:
    name = f" ({row.facts['name']})" if row.facts.get("name") else ""
    last = row.lost_at or row.source.seen_at
    return f"{row.range_text}{name} by {row.source.name} on {last:%Y-%m-%d}"


_inside = Prepared(
    lambda: (
        Sighting.objects.filter(realm=Slot("realm"), family=Slot("family"), first__gte=Slot("first"))
        .filter(first__lte=Slot("last"))
        .order_by()
        .annotate(one=Value(1))
        .values("one")
        .annotate(seen=Max(LAST), living=Max(Case(When(lost_at=None, then=Value(1)), default=Value(0))))
        .values_list("seen", "living")
    )
)


def last_in(blocks: Iterable[tuple[int, Prefix]]) -> Iterator[tuple[int, datetime, bool]]:
    """When something of each block was seen last, and whether it still is: what begins in it, and the networks around it.

    Args:
        blocks: each with the number of its realm.

    Returns:
        the places of blocks of which something was ever seen; one may come twice.
    """
    blocks = list(blocks)
    yield from _begun_in(blocks)
    yield from _around(blocks)


def still_seen(subnets: Iterable[Subnet]) -> list[str]:
    """What sources still see in subnets, in words; the networks that these lie in are no sign of it."""
    blocks, living = _still_in(subnets)
    told = []
    for subnet, block in (blocks[place] for place in living[:_TOLD]):
        rows = Sighting.objects.filter(
            realm=subnet.realm_id, family=block.family, first__range=(block.first, block.last), lost_at=None
        )
        shown = [_words(row) for row in rows.select_related("source").order_by("first")[: _TOLD + 1]]
        more = ", and more" if len(shown) > _TOLD else ""
        told.append(f"{subnet.name} is still seen: {', '.join(shown[:_TOLD])}{more}")
    if len(living) > _TOLD:
        told.append(f"{len(living) - _TOLD:,} more are still seen")
    return told


def seen_now(subnets: Iterable[Subnet]) -> set[int]:
    """The subnets in which sources still see something."""
    blocks, living = _still_in(subnets)
    return {blocks[place][0].pk for place in living}


def _still_in(subnets: Iterable[Subnet]) -> tuple[list[tuple[Subnet, Prefix]], list[int]]:
    """The blocks of subnets, and the places of those in which something is still seen."""
    blocks = [(subnet, block) for subnet in subnets for block in subnet.blocks()]
    asked = _begun_in([(subnet.realm_id, block) for subnet, block in blocks])
    return blocks, sorted({place for place, _, living in asked if living})


def _begun_in(blocks: Sequence[tuple[int, Prefix]]) -> Iterator[tuple[int, datetime, bool]]:
    """What was seen that begins in blocks, as `last_in` tells it."""
    for n in range(0, len(blocks), _AT_ONCE):
        asked = [
            (_inside, {"realm": realm, "family": b.family, "first": _kept(b.first), "last": _kept(b.last)})
            for realm, b in blocks[n : n + _AT_ONCE]
        ]
        for place, rows in enumerate(read_together(*asked), n):
            for seen, living in rows:
                if seen:
                    yield place, seen, bool(living)


def _around(blocks: Sequence[tuple[int, Prefix]]) -> Iterator[tuple[int, datetime, bool]]:
    """The networks that were seen around blocks, and wider than they are."""
    starts = {start for _, block in blocks for start in starts_around(block.family, block.first)}
    rows = Sighting.objects.filter(
        realm__in={realm for realm, _ in blocks},
        family__in={b.family for _, b in blocks},
        first__in=starts,
        single=False,
    )
    wide: dict[tuple[int, int, int], list[tuple[int, datetime | None, bool]]] = {}
    for realm, family, first, last, seen, lost in rows.values_list(
        "realm", "family", "first", "last", LAST, "lost_at"
    ):
        wide.setdefault((realm, family, first), []).append((last, seen, lost is None))
    if not wide:
        return
    for place, (realm, block) in enumerate(blocks):
        for start in starts_around(block.family, block.first):
            for last, seen, living in wide.get((realm, block.family, start), ()):
                if last >= block.last and seen:
                    yield place, seen, living


def _kept(address: int) -> bytes:
    """An address as the database has it."""
    return address.to_bytes(16, "big")
