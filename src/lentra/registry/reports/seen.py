"""What sources see of subnets: when they were seen last, and how far they can be reached beside what is declared."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime
from typing import Any

from django.db.models import Case, QuerySet, Value, When

from lentra.addressing.exposure import told_apart
from lentra.addressing.extents import State
from lentra.addressing.matching import matches, merged, within
from lentra.addressing.prefix import BITS
from lentra.registry.lookup.sightings import effective, last_in, public_of
from lentra.registry.lookup.spans import few_spans, in_use_over
from lentra.registry.models import WORST_FIRST, Finding, Pool, Sighting, Subnet


@dataclass
class SeenSubnet:
    """What is seen of a subnet. `reach` is told by family, where a source tells its routes: how far, and by what."""

    last_seen_at: datetime | None = None
    reach: dict[int, tuple[str, str]] = field(default_factory=dict)

    def facts(self, subnet: Subnet) -> dict[str, Any]:
        """As it is told: the declared exposure beside the effective one."""
        declared = subnet.exposure or subnet.tier.exposure
        return {
            "last_seen_at": self.last_seen_at,
            "declared": declared,
            "effective": [
                {"family": family, "reach": reach, "proof": proof, "differs": told_apart(declared, reach)}
                for family, (reach, proof) in sorted(self.reach.items(), reverse=True)
            ],
        }


def seen_subnets(subnets: Sequence[Subnet]) -> dict[int, SeenSubnet]:
    """What is seen of each of some subnets; three statements, and one alone where nothing was ever seen."""
    told = {subnet.pk: SeenSubnet() for subnet in subnets}
    if not told or not Sighting.objects.exists():
        return told
    blocks = [(subnet, block) for subnet in subnets for block in subnet.blocks()]
    for place, last, _ in last_in((subnet.realm_id, block) for subnet, block in blocks):
        seen = told[blocks[place][0].pk]
        seen.last_seen_at = max(seen.last_seen_at, last) if seen.last_seen_at else last
    _add_reach(subnets, told)
    return told


def _add_reach(subnets: Sequence[Subnet], told: Mapping[int, SeenSubnet]) -> None:
    """How far each block can be reached, where a source tells the routes of just that."""
    blocks = {(s.realm_id, b.family, b.first, b.last): s.pk for s in subnets for b in s.blocks()}
    rows = Sighting.objects.filter(
        realm__in={key[0] for key in blocks},
        family__in=(4, 6),
        first__in={key[2] for key in blocks},
        single=False,
        lost_at=None,
        facts__has_key="reach",
    )
    facts: dict[tuple[int, int], list[dict[str, str]]] = {}
    for *place, said in rows.values_list("realm", "family", "first", "last", "facts"):
        if number := blocks.get(tuple(place)):
            facts.setdefault((number, place[1]), []).append(said)
    if not facts:
        return
    public = public_of(number for number, _ in facts)
    for (number, family), said in facts.items():
        told[number].reach[family] = effective(said, public.get(number, "") if family == 4 else "")


def worst_findings(**of: Any) -> QuerySet[Finding]:
    """Open findings, the worst kind first; the oldest first of each."""
    rank = Case(*(When(kind=kind, then=Value(n)) for n, kind in enumerate(WORST_FIRST)), default=Value(9))
    return Finding.objects.filter(state="open", **of).order_by(rank, "pk")


def pool_seen(pool: Pool) -> list[dict[str, Any]]:
    """What is in use in a pool, and in those carved from it, by what sources see of it: by family.

    Returns:
        ``family``, ``blocks`` and ``addresses`` in use, of these ``seen_blocks`` and ``seen`` addresses (in blocks of which
        something is seen now), and ``quiet``: the others, which would come free if nobody is there.
    """
    told = []
    for family in (4, 6):
        spans = [(row.prefix.first, row.prefix.last) for row in pool.ranges.all() if row.family == family]
        if not spans:
            continue
        own = merged(spans)
        inside = sorted(
            (first, first + (1 << (BITS[family] - length)) - 1)
            for _, first, length, state, *_ in in_use_over([pool.realm], family, few_spans(spans))
            if state == State.HANDED_OUT and within(own, first, first)
        )
        low, high = min(first for first, _ in spans), max(last for _, last in spans)
        rows = Sighting.objects.filter(
            realm=pool.realm_id, family=family, lost_at=None, first__lte=high, last__gte=low
        )
        touched = {n for match in matches(list(rows.values_list("first", "last")), inside) for n in match.blocks}
        sizes = [last - first + 1 for first, last in inside]
        seen = sum(sizes[n] for n in touched)
        told.append(
            {
                "family": family,
                "blocks": len(inside),
                "addresses": str(sum(sizes)),
                "seen_blocks": len(touched),
                "seen": str(seen),
                "quiet": str(sum(sizes) - seen),
            }
        )
    return told
