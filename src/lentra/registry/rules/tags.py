"""Segment tags: VLAN numbers, 1 to 4094 (IEEE 802.1Q), one per subnet, unique in a zone (without one: in a region)."""

from __future__ import annotations

from typing import Any

from lentra.registry.errors import Invalid, TagTaken
from lentra.registry.models import Subnet
from lentra.registry.rules.names import refuse_ended
from lentra.registry.transactions.change import Change

LOWEST, HIGHEST = 1, 4094


class Tags:
    """The tags of one zone or region, read once, so that many subnets can be given theirs.

    Args:
        scope: number of the zone, or of the region where there is no zone.
        outer: the outer tag of doubly tagged segments, 0 without one.
    """

    def __init__(self, change: Change, scope: int, where: str, outer: int = 0) -> None:
        self.where = where
        self.outer = outer
        self._change = change
        rows = Subnet.objects.filter(tag_scope=scope, outer_tag=outer, tag__isnull=False)
        self._holders: dict[int, Subnet] = {row.tag: row for row in rows.only("tag", "name", "ends_at", "pool_id")}
        # After clashing again and again with others who take the next one.
        self._skip = max(0, change.attempt - 2)

    def take(self, wanted: int | None, name: str, start: int = LOWEST) -> int:
        """Take the tag wanted, or the next free one from `start`.

        Raises:
            Invalid: no tag.
            TagTaken: another subnet has it, or none is free; says by what.
            EndedElsewhere: the subnet that has it has ended by now.
        """
        tag = self._next(start) if wanted is None else wanted
        if tag is None:
            raise TagTaken(
                f"no segment tag from {start} is free in {self.where}", field="tag", suggestions=["an outer tag"]
            )
        check_tag(tag, "tag")
        if holder := self._holders.get(tag):
            refuse_ended(self._change, holder)
            free = self._next(max(start, tag + 1)) or self._next(start)
            pair = f"{self.outer}.{tag}" if self.outer else str(tag)
            raise TagTaken(
                f"segment tag {pair} is taken in {self.where} by subnet {holder.name}"
                + (f"; the next free is {free}" if free else ""),
                field="tag",
                received=tag,
                rule="a segment tag is unique among the subnets of its zone",
                conflicts=[{"range": pair, "owner": holder.name, "kind": "segment tag"}],
                suggestions=[free] if free else [],
            )
        self._holders[tag] = Subnet(name=name, tag=tag)
        return tag

    def _next(self, start: int) -> int | None:
        free = (tag for tag in range(max(start, LOWEST), HIGHEST + 1) if tag not in self._holders)
        found = None
        for _ in range(self._skip + 1):
            found = next(free, found)
        return found


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
