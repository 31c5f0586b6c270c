"""Where the registry and what was seen differ: each difference is a finding, for as long as it is there."""

from __future__ import annotations

from bisect import bisect_right
from collections import defaultdict
from collections.abc import Iterator
from datetime import datetime
from operator import itemgetter
from typing import Any

from lentra.addressing.exposure import REACHES, openness, told_apart
from lentra.addressing.extents import State
from lentra.addressing.matching import ACROSS, EQUAL, FREE, HOLDS, INSIDE, Match, matches, merged, unseen, within
from lentra.addressing.prefix import BITS, Prefix, address_text, parse_range, range_text
from lentra.registry.lookup.insides import gateway_of
from lentra.registry.lookup.sightings import effective, public_of
from lentra.registry.lookup.spans import few_spans, in_use_over
from lentra.registry.models import DECLARED, Address, Finding, KeepOut, Realm, Sighting, Source, Subnet
from lentra.registry.operations.findings.judge_meetings import FACT as BY_LINK
from lentra.registry.operations.findings.judge_meetings import judge_meetings
from lentra.registry.operations.findings.keeping_out import keep_out_strays
from lentra.registry.operations.findings.wanted import Wanted, bring_up_to_date
from lentra.registry.transactions.change import Change
from lentra.registry.transactions.locks import lock_all

_BLOCKS = (State.HELD, State.HANDED_OUT, State.ROOM, State.COOLING)
_UNUSED = {  # what is a subnet's, and nobody is to use
    State.COOLING: "{0.name} was given back: its range cools until {0.ends_at:%Y-%m-%d}",
    State.ROOM: "it lies in the room that {0.name} may grow into",
}
_SAME_NAME = ("name",)  # facts that may be told with their domain
_NOT_EXPECTED = ("reserved",)  # kinds of address records that nobody need see
_REACH_WORDS = {
    "outside": "reachable from outside",
    "outward": "outward alone",
    "inside": "reachable from inside alone",
    "isolated": "isolated",
}
_TOLD = 3  # blocks that a wide sighting meets, told by name


def lock_sources(**beside: Any) -> None:
    """One judges a realm at a time: nobody's survey goes by what another one is about to change.

    Args:
        beside: tells the realm: ``realm__sources`` or ``realm__findings`` of one of its own.
    """
    lock_all(Source.objects.filter(**beside).distinct())


def judge(change: Change, realm: Realm) -> dict[str, int]:
    """Open findings that are new in a realm, and close those whose difference is gone; returns how many of each.

    Whoever judges has locked the realm's sources. One that stays is written only if what it says is another: that it was
    seen again is no change.
    """
    change.batch.send()  # what the change itself has written is judged as well
    found = sorted(_Ground(realm, change.now).findings(), key=lambda one: one.rank)
    wanted: dict[str | None, Wanted] = {one.key(realm): one for one in found}
    rows = Finding.objects.filter(realm=realm, dns_zone=None).exclude(fact=BY_LINK)
    living = {one.living: one for one in rows.exclude(living=None)}
    counts = bring_up_to_date(change, realm, wanted, living)
    keep_out_strays(change, realm)
    meeting = judge_meetings(change, realm)
    return {name: counts[name] + meeting[name] for name in counts}


def _same(fact: str, seen: str, recorded: str) -> bool:
    """Whether what was seen is what is recorded; a name may be told with its domain, and in capitals."""
    if fact not in _SAME_NAME or not recorded:
        return seen == recorded
    name = seen.lower()
    return name == recorded.lower() or name.startswith(f"{recorded.lower()}.")


class _Ground:
    """All that is recorded and seen in a realm: what was seen too long ago is not."""

    def __init__(self, realm: Realm, now: datetime) -> None:
        self.realm = realm
        self.sources: dict[int, Source] = {}
        self.looked: dict[int, datetime] = {}  # when each did, of those that are still believed
        for source in Source.objects.filter(realm=realm).exclude(seen_at=None):
            if source.seen_at and source.is_believed(now):
                self.sources[source.pk], self.looked[source.pk] = source, source.seen_at
        self.sightings = list(Sighting.objects.filter(realm=realm, source__in=list(self.sources), lost_at=None))
        self.reached: dict[tuple[int, int], str] = {}  # subnet, family -> how far

    def findings(self) -> Iterator[Wanted]:
        """What differs, of both families."""
        for family in (4, 6):
            yield from _Family(self, family).findings()


class _Family:
    """One family of a realm: what was seen, and what is recorded where that lies, or where a source would see it."""

    def __init__(self, ground: _Ground, family: int) -> None:
        self.ground, self.family = ground, family
        self.seen = [row for row in ground.sightings if row.family == family]
        self.covered, self.covered_since = self._covered()
        self.told, self.told_since = self._covered(every_address=True)
        spans = few_spans([*((row.first, row.last) for row in self.seen), *self.covered])
        rows = sorted(in_use_over([ground.realm], family, spans), key=itemgetter(1))
        blocks = [row for row in rows if row[3] in _BLOCKS]
        self.extents = [(first, length, state, subnet) for _, first, length, state, _, _, subnet, _ in blocks]
        self.blocks = [self._span(row) for row in blocks]
        kept_out = KeepOut.objects.filter(realm=ground.realm, family=family, **DECLARED)
        expected = kept_out.values_list("first", "last")
        self.expected = merged([*expected, *(self._span(row) for row in rows if row[3] == State.RESERVED)])
        self.subnets: dict[int, Subnet] = {}
        self.records: dict[int, Address] = {}
        self.keeps_records: set[int] = set()
        self.public: dict[int, str] = {}  # subnet -> a public address that leads to something in it

    def findings(self) -> Iterator[Wanted]:
        """What differs."""
        found = list(matches([(row.first, row.last) for row in self.seen], self.blocks))
        silent = list(self._unseen(found))
        self.silent_places = set(silent)
        self._read_owners(found, silent)
        wide = [self.seen[match.seen] for match in found if match.how == FREE]
        self.networks = merged(
            [(row.first, row.last) for row in wide if not row.single]
        )  # strays: told as a whole
        together: dict[tuple[int, int, bool], list[tuple[Sighting, Match]]] = defaultdict(list)
        for match in found:
            row = self.seen[match.seen]
            together[row.first, row.last, row.single].append((row, match))
        for (_, _, single), same in together.items():
            rows, match = [row for row, _ in same], same[0][1]
            yield from self._of_address(rows, match) if single else self._of_range(rows, match)
        yield from self._silent(silent)
        yield from self._silent_addresses()

    def _read_owners(self, found: list[Match], silent: list[int]) -> None:
        """The subnets that something is to be told of, and what is recorded at the addresses that were seen."""
        places = {place for match in found for place in match.blocks[:_TOLD]} | set(silent)
        owners = Subnet.objects.select_related("project", "region", "zone", "tier", "pool__sheet")
        self.subnets = owners.in_bulk({self.extents[place][3] for place in places})
        singles = [match for match in found if self.seen[match.seen].single and match.blocks]
        addresses = {self.seen[match.seen].first for match in singles}
        there = Address.objects.filter(realm=self.ground.realm, family=self.family, address__in=addresses)
        self.records = {record.address: record for record in there}
        inside = {self.extents[match.blocks.start][3] for match in singles}
        keeping = Address.objects.filter(subnet__in=inside, family=self.family)
        self.keeps_records = set(keeping.values_list("subnet", flat=True).distinct())
        for match in singles:
            if public := self.seen[match.seen].facts.get("public"):
                self.public[self.extents[match.blocks.start][3]] = public
        if self.family == 4:
            self.public |= public_of(self.subnets)

    # --- ranges ---

    def _of_range(self, rows: list[Sighting], match: Match) -> Iterator[Wanted]:
        first, last = rows[0].first, rows[0].last
        shown = range_text(self.family, first, last)
        if match.how == FREE:
            if not within(self.expected, first, last):
                yield self._finding("stray", rows, f"{shown} is in use, and nothing is recorded there")
            return
        subnet, state = self._subnet(match.blocks.start), self.extents[match.blocks.start][2]
        if state in _UNUSED and len(match.blocks) == 1:
            yield self._finding(
                "stray", rows, f"{shown} is in use, and {_UNUSED[state].format(subnet)}", subnet=subnet
            )
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
            "region": subnet.region.name if subnet.region else "",
            "dhcp": subnet.dhcp,
            "state": subnet.state,
        }
        yield from self._differing(rows, recorded, subnet, subnet.name)
        yield from self._exposure(rows, subnet, block)

    def _exposure(self, rows: list[Sighting], subnet: Subnet, block: Prefix) -> Iterator[Wanted]:
        """Whether it can be reached from where it should be, and from nowhere else: by the most open of what was told."""
        routed = [row for row in rows if row.facts.get("reach") in REACHES]
        if not routed:
            return
        reach, proof = effective([row.facts for row in routed], self.public.get(subnet.pk, ""))
        self.ground.reached[subnet.pk, self.family] = reach
        declared = subnet.exposure or subnet.tier.exposure
        if not (kind := told_apart(declared, reach)):
            return
        beside = self.ground.reached.get((subnet.pk, 4)) if self.family == 6 else None
        hole = (
            f", although its IPv4 is {_REACH_WORDS[beside]}"
            if beside and openness(beside) < openness(reach)
            else ""
        )
        text = f"{block} of {subnet.name} is {declared}, and {_REACH_WORDS[reach]}{hole}: {proof}"
        yield self._finding(kind, routed, text, "reach", declared, reach, subnet)

    def _differing(
        self, rows: list[Sighting], recorded: dict[str, str], subnet: Subnet, name: str
    ) -> Iterator[Wanted]:
        """A finding for each fact that a source tells otherwise; what all sources say of it is with it."""
        for fact, value in recorded.items():
            said = [row for row in rows if row.facts.get(fact)]
            others = sorted({row.facts[fact] for row in said if not _same(fact, row.facts[fact], value)})
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
            if not within(self.expected, address, address) and not within(self.networks, address, address):
                yield self._finding("stray", rows, f"{shown} is in use, and nothing is recorded there")
            return
        subnet, record = self._subnet(match.blocks.start), self.records.get(address)
        state = self.extents[match.blocks.start][2]
        if state in _UNUSED:
            yield self._finding(
                "stray", rows, f"{shown} is in use, and {_UNUSED[state].format(subnet)}", subnet=subnet
            )
        elif record is not None:
            facts = {"name": record.name, **({"mac": record.mac} if record.mac else {})}
            if self.family == 4 and any(row.facts.get("public") for row in rows):
                facts["public"] = self._public_of(record)
            if len(macs) > 1:
                facts.pop("mac", None)
            yield from self._differing(rows, facts, subnet, shown)
        elif subnet.pk in self.keeps_records:
            text = f"{shown} is in use in {subnet.name}, which has records of its addresses, and none of this one"
            yield self._finding("stray", rows, text, subnet=subnet)

    # --- what nobody sees ---

    def _public_of(self, record: Address) -> str:
        """The public address that is attached to a record, if one is."""
        attached = Subnet.objects.filter(attached_record=record).first()
        return str(attached.blocks()[0]).partition("/")[0] if attached else ""

    def _covered(self, every_address: bool = False) -> tuple[list[tuple[int, int]], datetime | None]:
        """Where a source would see whatever there is, and since when each of them has looked."""
        covered: list[tuple[int, int]] = []
        since: list[datetime] = []
        for number, at in self.ground.looked.items():
            if every_address and not self.ground.sources[number].every_address:
                continue
            for text in self.ground.sources[number].covers:
                family, first, last = parse_range(text)
                if family == self.family:
                    covered.append((first, last))
                    since.append(at)
        return merged(covered), min(since, default=None)

    def _unseen(self, found: list[Match]) -> Iterator[int]:
        """The places of blocks in use that a source would see, and none has."""
        for place in unseen([match.blocks for match in found], len(self.blocks)):
            if self.extents[place][2] == State.HANDED_OUT and within(self.covered, *self.blocks[place]):
                yield place

    def _silent(self, places: list[int]) -> Iterator[Wanted]:
        for place in places:
            subnet = self._subnet(place)
            if self.covered_since and subnet.created_at < self.covered_since:
                text = f"nothing of {self._block(place)} was seen, which {subnet.name} has: is it still in use?"
                first, last = self.blocks[place]
                yield Wanted("silent", self.family, first, last, text, recorded=subnet.name, subnet=subnet)

    def _silent_addresses(self) -> Iterator[Wanted]:
        """Address records that nobody sees, where a source would; one finding is enough for a block that is silent whole."""
        if not self.told_since:
            return
        there = {row.first for row in self.seen if row.single}
        for first, last in self.told:
            rows = Address.objects.filter(
                realm=self.ground.realm, family=self.family, address__range=(first, last)
            )
            rows = rows.filter(created_at__lt=self.told_since, subnet__state__in=("active", "retiring"))
            rows = rows.exclude(kind__in=_NOT_EXPECTED).select_related("subnet__project").order_by("address")
            for record in rows.iterator():
                if record.address not in there and not self._is_silent(record.address):
                    text = (
                        f"{record.text} ({record.name}) of {record.subnet.name} was not seen: is it still there?"
                    )
                    place = record.address
                    yield Wanted(
                        "silent", self.family, place, place, text, recorded=record.name, subnet=record.subnet
                    )

    def _is_silent(self, address: int) -> bool:
        """Whether nothing at all of the block around an address was seen."""
        place = bisect_right(self.blocks, (address, 1 << 129)) - 1
        return place in self.silent_places

    # --- plumbing ---

    def _subnet(self, place: int) -> Subnet:
        return self.subnets[self.extents[place][3]]

    def _span(self, row: tuple[int, ...]) -> tuple[int, int]:
        return row[1], row[1] + (1 << (BITS[self.family] - row[2])) - 1

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
