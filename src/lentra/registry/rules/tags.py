"""Segment tags: VLAN numbers, 1 to 4094 (IEEE 802.1Q), one per subnet, unique in a zone (without one: in a region)."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from django.db.models import Q

from lentra.registry.errors import Invalid, TagTaken
from lentra.registry.models import Region, Subnet, TagRange, Tier, Zone
from lentra.registry.rules.names import refuse_ended
from lentra.registry.transactions.change import Change

LOWEST, HIGHEST = 1, 4094


class Tags:
    """The tags of one zone or region, read once, so that many subnets can be given theirs.

    A region's own tags reach its zones, and theirs the region: they are held against each other.

    Args:
        place: the zone, or the region where there is no zone.
        outer: the outer tag of doubly tagged segments, 0 without one.
    """

    def __init__(self, change: Change, place: Zone | Region, outer: int = 0) -> None:
        self.where = place.name
        self.outer = outer
        self._change = change
        rows = Subnet.objects.filter(tag_scope__in=scopes_of(place), outer_tag=outer, tag__isnull=False)
        self._holders: dict[int, Subnet] = {row.tag: row for row in rows.only("tag", "name", "ends_at", "pool_id")}
        self.ranges = ranges_of(place)
        # After clashing again and again with others who take the next one.
        self._skip = max(0, change.attempt - 2)

    def take(self, wanted: int | None, name: str, start: int | None = None, tier: Tier | None = None) -> int:
        """Take the tag wanted, or the next free one.

        Args:
            start: the lowest that is looked at, where none is wanted.
            tier: of whose range the next one is.

        Raises:
            Invalid: no tag, or a forbidden one.
            TagTaken: another subnet has it, or none is free; says by what.
            EndedElsewhere: the subnet that has it has ended by now.
        """
        tag = self.next_free(start, tier) if wanted is None else wanted
        if tag is None:
            raise TagTaken(
                f"no segment tag {'' if start is None else f'from {start} '}is free in {self.where}"
                + (f" for tier {tier.name}" if tier else ""),
                field="tag",
                conflicts=[{"range": span.label_text, "kind": "tag range"} for span in self.ranges],
                suggestions=["an outer tag"],
            )
        check_tag(tag, "tag")
        if holder := self._holders.get(tag):
            refuse_ended(self._change, holder)
            free = self.next_free(tag + 1, tier) or self.next_free(start, tier)
            pair = f"{self.outer}.{tag}" if self.outer else str(tag)
            raise TagTaken(
                f"segment tag {pair} is taken in {self.where} by subnet {holder.name}"
                + (f"; the next free is {free}" if free else ""),
                field="tag",
                received=tag,
                rule="a segment tag is unique among the subnets of its zone, and of the region around it",
                conflicts=[{"range": pair, "owner": holder.name, "kind": "segment tag"}],
                suggestions=[free] if free else [],
            )
        self._refuse_forbidden(tag, tier)
        self._holders[tag] = Subnet(name=name, tag=tag)
        return tag

    def _refuse_forbidden(self, tag: int, tier: Tier | None) -> None:
        for span in self.ranges:
            if span.forbidden and tag in span:
                free = self.next_free(None, tier)
                raise Invalid(
                    f"segment tag {tag} is forbidden in {self.where}: {span.first} to {span.last}"
                    + (f", {span.purpose}" if span.purpose else ""),
                    field="tag",
                    received=tag,
                    rule=f"forbidden: {span.label_text}",
                    suggestions=[free] if free else [],
                )
            if not span.forbidden and span.tier_id and tag in span and tier and span.tier_id != tier.pk:
                self._change.note(
                    f"segment tag {tag} lies in {span.first} to {span.last}, which is for another tier"
                )

    def next_free(self, start: int | None = None, tier: Tier | None = None) -> int | None:
        """The next free tag: of the ranges of the tier, else of those for any, else of what no range has.

        Without ranges and a start it is the lowest free one above the lowest in use.
        """
        free = (tag for tag in self._order(start, tier) if tag not in self._holders)
        found = None
        for _ in range(self._skip + 1):
            found = next(free, found)
        return found

    def _order(self, start: int | None, tier: Tier | None) -> Iterator[int]:
        """Tags in the order in which they are tried."""
        forbidden = [span for span in self.ranges if span.forbidden]
        usual = [span for span in self.ranges if not span.forbidden]
        own = [span for span in usual if tier and span.tier_id == tier.pk] or [s for s in usual if not s.tier_id]
        if own:
            order = [
                tag for span in own for tag in range(span.first, span.last + 1) if start is None or tag >= start
            ]
        else:
            lowest = start or min(self._holders, default=LOWEST)
            below = range(LOWEST, lowest) if start is None else ()
            ranged = {tag for span in usual for tag in range(span.first, span.last + 1)}
            order = [tag for tag in (*range(lowest, HIGHEST + 1), *below) if tag not in ranged]
        return (tag for tag in order if not any(tag in span for span in forbidden))


def scopes_of(place: Zone | Region) -> list[int]:
    """The places whose tags meet in a zone or region: its own, and its region's or its zones'."""
    if isinstance(place, Zone):
        return [place.pk, place.region_id]
    return [place.pk, *Zone.objects.filter(region=place).values_list("pk", flat=True)]


def ranges_of(place: Zone | Region) -> list[TagRange]:
    """The ranges of tags that hold in a zone or region, the narrower places first."""
    everywhere = Q(zone=None, region=None)
    if isinstance(place, Zone):
        here = Q(zone=place) | Q(zone=None, region=place.region_id) | everywhere
    else:
        here = Q(zone=None, region=place) | everywhere
    rows = TagRange.objects.filter(here).select_related("zone", "region", "tier")
    return sorted(rows, key=lambda span: (span.zone_id is None, span.region_id is None, span.first))


def no_tag(sheet: str, received: Any = None) -> Invalid:
    """The refusal of a subnet without a tag under a rule sheet that wants one."""
    return Invalid(
        f"rule sheet {sheet} wants a segment tag on every subnet: ask for the next free one",
        field="tag",
        received=received,
        rule=f"{sheet}: segment tag needed",
        suggestions=["next"],
    )


def check_tag(tag: int, field: str) -> None:
    """Refuse a number that is not a segment tag."""
    if not LOWEST <= tag <= HIGHEST:
        raise Invalid(
            f"{tag} is not a segment tag: {LOWEST} to {HIGHEST}",
            field=field,
            received=tag,
            rule="IEEE 802.1Q",
            suggestions=[max(LOWEST, min(tag, HIGHEST))],
        )


def wanted_tag(text: object) -> tuple[bool, int | None]:
    """What a request says about the tag: (one is wanted, which one).

    ``None`` leaves it to the rule sheet, ``"none"`` wants none, ``"next"`` the next free one.

    Raises:
        Invalid: neither these nor a number.
    """
    if text in (None, "none"):
        return False, None
    if text == "next":
        return True, None
    if isinstance(text, int) or (isinstance(text, str) and text.isascii() and text.isdigit() and len(text) < 6):
        check_tag(int(text), "tag")
        return True, int(text)
    raise Invalid(
        f"{str(text)[:40]!r} is not a segment tag", field="tag", received=text, suggestions=["next", "none", "100"]
    )
