"""Where the registry and what was seen differ: each difference is a finding, for as long as it is there."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator
from dataclasses import dataclass, field
from datetime import datetime, timedelta
from typing import Any

from lentra.addressing.extents import State
from lentra.addressing.matching import ACROSS, EQUAL, FREE, HOLDS, INSIDE, Match, matches, merged, unseen, within
from lentra.addressing.prefix import BITS, Prefix, address_text, parse_range, range_text
from lentra.registry.lookup.insides import gateway_of
from lentra.registry.models import Address, ExtentRow, Finding, KeepOut, Realm, Sighting, Source, Subnet
from lentra.registry.transactions.change import Change
from lentra.registry.transactions.locks import lock_all

_BLOCKS = (State.HELD, State.HANDED_OUT, State.COOLING)
_TOLD = 3  # blocks that a wide sighting meets, told by name


@dataclass
class Wanted:
    """A finding as it is to be."""

    kind: str
    family: int
    first: int
    last: int
    text: str
    fact: str = ""
    recorded: str = ""
    seen: list[dict[str, str]] = field(default_factory=list)
    subnet: Subnet | None = None

    def key(self, realm: Realm) -> str:
        """What keeps it single while it lasts."""
        return f"{realm.pk}/{self.kind}/{self.family}/{self.first:x}/{self.last:x}/{self.fact}"

    def values(self) -> dict[str, Any]:
        """What it says, which may change while it lasts."""
        subnet = self.subnet
        return {
            "text": self.text[:400],
            "recorded": self.recorded[:200],
            "seen": self.seen,
            "subnet": subnet.pk if subnet else None,
            "subnet_name": subnet.name if subnet else "",
            "project": subnet.project_id if subnet else None,
            "project_name": subnet.project.name if subnet else "",
        }


def lock_sources(realm_id: int) -> None:
    """One judges a realm at a time: nobody's survey goes by what another one is about to change."""
    lock_all(Source.objects.filter(realm=realm_id))


def judge(change: Change, realm: Realm) -> dict[str, int]:
    """Open findings that are new in a realm, and close those whose difference is gone; returns how many of each.

    Whoever judges has locked the realm's sources. One that stays is written only if what it says is another: that it was
    seen again is no change.
    """
    wanted = {one.key(realm): one for one in _Ground(realm, change.now).findings()}
    living: list[Finding] = lock_all(Finding.objects.filter(realm=realm).exclude(living=None))
    known = {one.living: one for one in living}
    fresh = [
        Finding(
            realm=realm,
            kind=one.kind,
            family=one.family,
            first=one.first,
            last=one.last,
            fact=one.fact,
            living=key,
            opened_at=change.now,
            **one.values(),
        )
        for key, one in wanted.items()
        if key not in known
    ]
    change.added(fresh, verb="open")
    for finding in living:
        if finding.living not in wanted:
            change.edited(finding, "close", state="closed", closed_at=change.now, living=None)
            continue
        values = wanted[finding.living].values()
        if finding.state == "dismissed" and finding.until and finding.until <= change.now.date():
            values |= {"state": "open", "reason": "", "until": None}
        change.edited(finding, "edit", **values)
    return {"opened": len(fresh), "closed": sum(one.living is None for one in living), "open": len(wanted)}


class _Ground:
    """All that is recorded and seen in a realm: what was seen too long ago is not."""

    def __init__(self, realm: Realm, now: datetime) -> None:
        self.realm = realm
        self.sources: dict[int, Source] = {}
        self.looked: dict[int, datetime] = {}  # when each did, of those that are still believed
        for source in Source.objects.filter(realm=realm).exclude(seen_at=None):
            assert source.seen_at
            if now - source.seen_at <= timedelta(days=source.good_for):
                self.sources[source.pk], self.looked[source.pk] = source, source.seen_at
        self.sightings = list(Sighting.objects.filter(realm=realm, source__in=list(self.sources)))
        numbers = ExtentRow.objects.filter(realm=realm, state__in=_BLOCKS).values("subnet")
        self.subnets: dict[int, Subnet] = {
            subnet.pk: subnet
            for subnet in Subnet.objects.filter(pk__in=numbers).select_related("project", "zone", "pool__sheet")
        }

    def findings(self) -> Iterator[Wanted]:
        """What differs, of both families."""
        for family in (4, 6):
            yield from _Family(self, family).findings()


class _Family:
    """One family of a realm."""

    def __init__(self, ground: _Ground, family: int) -> None:
        self.ground, self.family = ground, family
        rows = ExtentRow.objects.filter(realm=ground.realm, family=family, state__in=(*_BLOCKS, State.RESERVED))
        extents = list(rows.order_by("first").values_list("first", "length", "state", "subnet"))
        spans = [(first, first + (1 << (BITS[family] - length)) - 1) for first, length, _, _ in extents]
        of_blocks = [n for n, extent in enumerate(extents) if extent[2] in _BLOCKS]
        self.extents = [extents[n] for n in of_blocks]
        self.blocks = [spans[n] for n in of_blocks]
        expected = KeepOut.objects.filter(realm=ground.realm, family=family).values_list("first", "last")
        self.expected = merged(
            [*expected, *(span for span, one in zip(spans, extents, strict=True) if one[3] is None)]
        )
        self.seen = [row for row in ground.sightings if row.family == family]
        records = Address.objects.filter(realm=ground.realm, family=family)
        self.records = {record.address: record for record in records}
        self.keeps_records = {record.subnet_id for record in self.records.values()}

    def findings(self) -> Iterator[Wanted]:
        """What differs."""
        found = list(matches([(row.first, row.last) for row in self.seen], self.blocks))
        together: dict[tuple[int, int], list[tuple[Sighting, Match]]] = defaultdict(list)
        for match in found:
            row = self.seen[match.seen]
            together[row.first, row.last].append((row, match))
        for same in together.values():
            rows, match = [row for row, _ in same], same[0][1]
            if rows[0].single:
                yield from self._of_address(rows, match)
            else:
                yield from self._of_range(rows, match)
        yield from self._silent(found)

    # --- ranges ---

    def _of_range(self, rows: list[Sighting], match: Match) -> Iterator[Wanted]:
        first, last = rows[0].first, rows[0].last
        shown = range_text(self.family, first, last)
        if match.how == FREE:
            if not within(self.expected, first, last):
                yield self._finding("stray", rows, f"{shown} is in use, and nothing is recorded there")
            return
        subnet = self._subnet(match.blocks.start)
        if self.extents[match.blocks.start][2] == State.COOLING and len(match.blocks) == 1:
            text = f"{shown} is in use, and {subnet.name} was given back: its range cools until {subnet.ends_at:%Y-%m-%d}"
            yield self._finding("stray", rows, text, subnet=subnet)
        elif match.how == EQUAL:
            yield from self._facts(rows, subnet, self._block(match.blocks.start))
        elif match.how == INSIDE:
            recorded = str(self._block(match.blocks.start))
            text = f"{shown} is in use where {subnet.name} has {recorded}: a part of it alone"
            yield self._finding("differs", rows, text, "prefix", recorded, shown, subnet)
        elif match.how in (HOLDS, ACROSS):
            yield self._wide(rows, match, shown)

    def _wide(self, rows: list[Sighting], match: Match, shown: str) -> Wanted:
        names = list(dict.fromkeys(self._subnet(n).name for n in match.blocks[:_TOLD]))
        more = f" and {len(match.blocks) - _TOLD:,} more" if len(match.blocks) > _TOLD else ""
        how = "has" if match.how == HOLDS else "goes across the bounds of"
        recorded = ", ".join(str(self._block(n)) for n in match.blocks[:_TOLD])
        text = f"{shown} is one network where it was seen, and {how} {', '.join(names)}{more}"
        return self._finding("differs", rows, text, "prefix", recorded, shown, self._subnet(match.blocks.start))

    def _facts(self, rows: list[Sighting], subnet: Subnet, block: Prefix) -> Iterator[Wanted]:
        gateway = gateway_of(subnet, block)
        recorded = {
            "zone": subnet.zone.name if subnet.zone else "",
            "tag": str(subnet.tag) if subnet.tag is not None else "",
            "gateway": address_text(self.family, gateway) if gateway is not None else "",
            "project": subnet.project.name,
            "name": subnet.name,
        }
        yield from self._differing(rows, recorded, subnet, subnet.name)

    def _differing(
        self, rows: list[Sighting], recorded: dict[str, str], subnet: Subnet, name: str
    ) -> Iterator[Wanted]:
        """A finding for each fact that a source tells otherwise; what all sources say of it is with it."""
        for fact, value in recorded.items():
            said = [row for row in rows if row.facts.get(fact)]
            others = sorted({row.facts[fact] for row in said} - {value})
            if others:
                text = f"{fact} of {name} is {' and '.join(others)} where it was seen, and {value or 'none'} as recorded"
                yield self._finding("differs", said, text, fact, value, fact, subnet)

    # --- single addresses ---

    def _of_address(self, rows: list[Sighting], match: Match) -> Iterator[Wanted]:
        address, shown = rows[0].first, address_text(self.family, rows[0].first)
        macs = sorted({row.facts["mac"] for row in rows if row.facts.get("mac")})
        inside = self._subnet(match.blocks.start) if match.how != FREE else None
        if len(macs) > 1:
            text = f"{shown} was seen with {len(macs)} hardware addresses: {', '.join(macs)}"
            yield self._finding("clash", rows, text, "mac", subnet=inside)
        if match.how == FREE:
            if not within(self.expected, address, address):
                yield self._finding("stray", rows, f"{shown} is in use, and nothing is recorded there")
            return
        subnet, record = self._subnet(match.blocks.start), self.records.get(address)
        if self.extents[match.blocks.start][2] == State.COOLING:
            yield self._finding(
                "stray", rows, f"{shown} is in use, and {subnet.name} was given back", subnet=subnet
            )
        elif record is not None:
            facts = {"name": record.name, **({"mac": record.mac} if record.mac else {})}
            if len(macs) > 1:
                facts.pop("mac", None)
            yield from self._differing(rows, facts, subnet, shown)
        elif subnet.pk in self.keeps_records:
            text = f"{shown} is in use in {subnet.name}, which has records of its addresses, and none of this one"
            yield self._finding("stray", rows, text, subnet=subnet)

    # --- what nobody sees ---

    def _silent(self, found: list[Match]) -> Iterator[Wanted]:
        covered: list[tuple[int, int]] = []
        since: datetime | None = None
        for number, at in self.ground.looked.items():
            for text in self.ground.sources[number].covers:
                family, first, last = parse_range(text)
                if family == self.family:
                    covered.append((first, last))
                    since = at if since is None else min(since, at)
        if since is None:
            return
        covered = merged(covered)
        for place in unseen([match.blocks for match in found], len(self.blocks)):
            first, last = self.blocks[place]
            if self.extents[place][2] != State.HANDED_OUT or not within(covered, first, last):
                continue
            subnet = self._subnet(place)
            if subnet.created_at < since:
                text = f"nothing of {self._block(place)} was seen, which {subnet.name} has: is it still in use?"
                yield Wanted("silent", self.family, first, last, text, recorded=subnet.name, subnet=subnet)

    # --- plumbing ---

    def _subnet(self, place: int) -> Subnet:
        return self.ground.subnets[self.extents[place][3]]

    def _block(self, place: int) -> Prefix:
        first, length, _, _ = self.extents[place]
        return Prefix(self.family, first, length)

    def _finding(
        self,
        kind: str,
        rows: list[Sighting],
        text: str,
        fact: str = "",
        recorded: str = "",
        value: str = "",
        subnet: Subnet | None = None,
    ) -> Wanted:
        """A finding with what each source says; `value` is the name of the fact, or the value itself."""
        seen = [
            {
                "source": self.ground.sources[row.source_id].name,
                "value": row.facts.get(fact)
                or value
                or ", ".join(f"{k} {v}" for k, v in sorted(row.facts.items())),
            }
            for row in rows
        ]
        return Wanted(kind, self.family, rows[0].first, rows[0].last, text, fact, recorded, seen, subnet)
