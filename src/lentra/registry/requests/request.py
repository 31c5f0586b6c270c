"""What a request asks for: is it sensible, which pool may serve it, and which lengths come of it."""

from __future__ import annotations

import hashlib
import json
import re
from dataclasses import asdict, dataclass, field
from datetime import datetime, timedelta
from typing import Any

from lentra.addressing.avoiding import MOST_AVOIDED
from lentra.addressing.placement import place
from lentra.addressing.prefix import BITS, Prefix, containing, parse_prefix
from lentra.addressing.refusal import HostsDoNotFit, LengthOutOfBounds, OffBoundary, Refusal, WrongFamily
from lentra.addressing.rules import RuleSheet, span
from lentra.addressing.sizing import size_by_hosts
from lentra.registry.errors import Invalid, NeedsIpv4, WrongPool
from lentra.registry.lookup.serving import serving_pools
from lentra.registry.lookup.target import Target
from lentra.registry.models import KeepOut, Pool, PoolRange, Project, Region, Space, Zone
from lentra.registry.rules.tags import check_tag
from lentra.registry.space.store import DatabaseExtents

MOST_AT_ONCE = 256
MOST_ROOM = 8
MOST_HOLD_MINUTES = 24 * 60


@dataclass
class SubnetRequest:
    """A request. References are names or numbers; lengths and hosts are per subnet.

    Give `hosts` (with `growth` in percent), `length`, or `prefix` (exactly this block). With both families
    asked for, these speak of IPv4, and the IPv6 block has the longest length that the rule sheet allows.

    `beside` is a prefix or subnet to be near to; `away_from` are prefixes and subnets to share no address with.

    With `despite_unsure` an exact prefix may lie under keep-outs that are likely or unsure.

    `room` is how many doublings of the IPv4 (or only) block are kept free behind it. With `reservation` the blocks
    are drawn from that; nothing said about the size, from all that is left of it. `tag` is a number, ``next`` or
    ``none``; left out, the rule sheet decides, and where the `gateway` stands too. With `hold_minutes` the subnets
    are only held, and fall back by themselves; so they are with `held_until`, while a planner is to decide.
    """

    pool: Any
    project: Any
    tier: Any
    zone: Any = None
    region: Any = None
    families: list[int] = field(default_factory=lambda: [4])
    hosts: int | None = None
    growth: int = 0
    length: int | None = None
    prefix: str | None = None
    count: int = 1
    placement: str | None = None
    beside: str | None = None
    despite_unsure: bool = False
    away_from: list[str] = field(default_factory=list)
    name: str | None = None
    purpose: str = ""
    notes: str = ""
    labels: dict[str, str] = field(default_factory=dict)
    room: int = 0
    reservation: Any = None
    service: str = ""
    tag: Any = None
    outer_tag: int = 0
    gateway: str | None = None
    hold_minutes: int | None = None
    held_until: datetime | None = None
    proposal: str | None = None

    @property
    def leading_family(self) -> int:
        """The family that hosts, length, prefix and room speak of: IPv4 where it is asked for."""
        return min(self.families)

    def ends_at(self, now: datetime) -> datetime | None:
        """When what is only held falls back."""
        return self.held_until or (now + timedelta(minutes=self.hold_minutes) if self.hold_minutes else None)

    def digest(self) -> str:
        """Tells two requests apart, the proposal aside."""
        values = asdict(self) | {"proposal": None}
        return hashlib.sha256(json.dumps(values, sort_keys=True, default=str).encode()).hexdigest()


def check_request(request: SubnetRequest) -> None:
    """Refuse a request that contradicts itself or leaves out how much is wanted.

    Raises:
        Invalid: with what would make sense.
    """
    if request.prefix is not None and request.count > 1:
        raise Invalid(
            "one prefix is one block: leave out count, or give a length",
            field="count",
            received=request.count,
            suggestions=[1],
        )
    _refuse_beyond("count", request.count, 1, MOST_AT_ONCE, "subnets at once")
    refuse_room(request.room)
    refuse_hold(request.hold_minutes)
    if request.outer_tag:
        check_tag(request.outer_tag, "outer_tag")
    if not request.families or set(request.families) - {4, 6}:
        raise Invalid("families are 4, 6 or both", field="families", suggestions=["[4]", "[6]", "[4, 6]"])
    sized = [name for name in ("hosts", "length", "prefix") if getattr(request, name) is not None]
    if not sized and 4 in request.families:
        raise Invalid(
            "say how much: a number of hosts, a length, or an exact prefix",
            field="hosts",
            suggestions=["hosts: 180", "length: 23"],
        )
    if request.prefix is not None and request.beside is not None:
        raise Invalid("give a prefix or what to be beside of, not both", field="beside")
    if request.despite_unsure and request.prefix is None:
        raise Invalid(
            "an uncertain keep-out gives way to an exact prefix alone: say which",
            field="despite_unsure",
            suggestions=["leave out despite_unsure"],
        )
    if request.prefix is not None and request.away_from:
        raise Invalid("give a prefix or what to keep away from, not both", field="away_from")
    if len(request.away_from) > MOST_AVOIDED:
        raise Invalid(f"{MOST_AVOIDED} ranges to keep away from at most", field="away_from")


def refuse_room(doublings: int) -> None:
    """Refuse more doublings of room than are kept behind a block.

    Raises:
        Invalid.
    """
    _refuse_beyond("room", doublings, 0, MOST_ROOM, "doublings of room")


def refuse_hold(minutes: int | None) -> None:
    """Refuse a hold that is none, or longer than a day.

    Raises:
        Invalid.
    """
    if minutes is not None:
        _refuse_beyond("hold_minutes", minutes, 1, MOST_HOLD_MINUTES, "minutes to be held")


def _refuse_beyond(field_name: str, given: int, low: int, high: int, what: str) -> None:
    if not low <= given <= high:
        raise Invalid(
            f"{given} {what}: {low} to {high}",
            field=field_name,
            received=given,
            suggestions=[max(low, min(given, high))],
        )


def pool_for(request: SubnetRequest, target: Target) -> Pool:
    """The pool asked for, if it serves this project and place.

    Raises:
        Invalid: none is named; suggests those that may serve.
        WrongPool: it serves another project, zone or region.
    """
    family = request.leading_family
    pool = target.pool
    if pool is None:
        options = serving_pools(
            family, request.length, zone=target.zone, region=target.region, project=target.project
        )
        raise Invalid(
            "say which pool: " + (", ".join(p.name for p in options[:8]) or "none serves this place yet"),
            field="pool",
            suggestions=[p.name for p in options[:8]],
        )
    refuse_wrong_pool(pool, target.project, target.zone, target.region, family, request.length)
    return pool


def refuse_wrong_pool(
    pool: Pool, project: Project, zone: Zone | None, region: Region, family: int, length: int | None
) -> None:
    """Refuse a pool that serves another project, zone or region, or no subnets at all; suggests those that may serve.

    Raises:
        WrongPool.
    """
    wrong, rule = None, "a pool with a zone, region or project serves that alone"
    serves = f", not {project.name} in {zone.name if zone else region.name}"
    if pool.gives == "pools":
        wrong, rule = f"pools are carved out of pool {pool.name}", "a pool gives subnets, pools, or both"
        serves = ", and no subnets are handed out of it"
    elif pool.project_id is not None and pool.project_id != project.pk:
        wrong = f"pool {pool.name} belongs to another project"
    elif pool.zone_id is not None and (zone is None or pool.zone_id != zone.pk):
        wrong = f"pool {pool.name} serves another zone"
    elif pool.region_id is not None and pool.region_id != region.pk:
        wrong = f"pool {pool.name} serves another region"
    if wrong:
        options = serving_pools(family, length, zone=zone, region=region, project=project, realm=pool.realm)
        raise WrongPool(
            f"{wrong}{serves}",
            field="pool",
            received=pool.name,
            rule=rule,
            suggestions=[p.name for p in options[:8]],
        )


def lengths_wanted(
    request: SubnetRequest, pool: Pool, sheet: RuleSheet, stores: dict[int, DatabaseExtents]
) -> dict[int, int]:
    """The length to hand out per family, within the bounds of rule sheet and pool.

    Raises:
        WrongFamily, NeedsIpv4, LengthOutOfBounds, HostsDoNotFit: the pool or its sheet says no.
    """
    families = sorted(set(request.families))
    for family in families:
        if family not in stores:
            raise no_range_yet(pool, family)
    if families == [6] and sheet.ipv6_needs_ipv4:
        raise NeedsIpv4(
            f"rule sheet {sheet.name} of pool {pool.name} wants IPv4 beside IPv6: ask for both families",
            field="families",
            received=[6],
            rule=f"{sheet.name}: IPv6 needs IPv4",
            suggestions=["[4, 6]"],
        )
    lengths = {}
    for family in families:
        if family == families[0]:
            try:
                lengths[family] = _leading_length(request, sheet, family)
            except Refusal as refusal:
                raise _within_bounds(refusal, pool) if family == 4 and refusal.field == "length" else refusal
        else:
            lengths[family] = sheet.family(family).longest
    if 4 in lengths:
        check_pool_bounds(pool, lengths[4])
    return lengths


def likely_length(request: SubnetRequest, sheet: RuleSheet) -> int:
    """The length of the leading block, as far as the rule sheet alone decides it.

    Raises:
        Refusal: it does not make sense.
    """
    return _leading_length(request, sheet, request.leading_family)


def _within_bounds(refusal: Refusal, pool: Pool) -> Refusal:
    """A refusal of a length whose suggestions the pool itself hands out as well."""
    low, high = pool.shortest_v4 or 0, pool.longest_v4 or 32
    lengths = [max(low, min(int(text[1:]), high)) for text in refusal.suggestions if re.fullmatch(r"/\d+", text)]
    others = [text for text in refusal.suggestions if not re.fullmatch(r"/\d+", text)]
    return refusal.with_(suggestions=[*(f"/{length}" for length in dict.fromkeys(lengths)), *others])


def no_range_yet(pool: Pool, family: int, field: str = "families") -> WrongFamily:
    """The refusal of a family that a pool has no range of: says what to add first."""
    first, parent = f"add one to pool {pool.name} first", pool.parent
    if parent and not parent.ranges.filter(family=family).exists():
        first = f"add one to pool {parent.name} first, then one out of it to {pool.name}"
    example = _range_to_be_had(pool, family)
    return WrongFamily(
        f"pool {pool.name} has no IPv{family} range: {first}, or ask another pool",
        field=field,
        received=family,
        rule="a block lies wholly inside one range of its pool",
        suggestions=[
            *(str(f) for f in sorted({r.family for r in pool.ranges.all()})),
            f"add to pool {pool.name}: {example}",
        ],
    )


def _range_to_be_had(pool: Pool, family: int) -> str:
    """A range that the pool could be given: free in its parent, or for IPv6 a unique-local one that nothing has."""
    rules = pool.sheet.v6 if family == 6 else pool.sheet.v4
    if rules is None:
        return f"nothing: rule sheet {pool.sheet.name} has no IPv{family}"
    length = max(rules["range_shortest"], min(rules["range_longest"], 48 if family == 6 else 22))
    if pool.parent_id is not None:
        space = Space.objects.filter(pool=pool.parent_id, family=family).first()
        try:
            if space is not None:
                return str(place(DatabaseExtents(space), length, "low").block)
        except Refusal:
            pass
        return f"a range out of pool {pool.parent.name}, which has no /{length} free" if pool.parent else ""
    if family == 4:
        return "an IPv4 range of your own"
    # RFC 4193, section 3.2.2: a global identifier that is as good as random, here by the pool's own number and name.
    for salt in range(16):
        seed = hashlib.sha256(f"{pool.realm_id} {pool.pk} {pool.name} {salt}".encode()).digest()
        prefix = containing(6, (0xFD << 120) | (int.from_bytes(seed[:5], "big") << 80), min(length, 48))
        over = {"realm_id": pool.realm_id, "family": 6, "first__lte": prefix.last, "last__gte": prefix.first}
        if not PoolRange.objects.filter(**over).exists() and not KeepOut.objects.filter(**over).exists():
            return str(prefix if length <= 48 else prefix.child(length, 0))
    return "an IPv6 range of your own"


def _leading_length(request: SubnetRequest, sheet: RuleSheet, family: int) -> int:
    length = request.length
    if request.prefix is not None:
        length = _exact(request.prefix, sheet, family).length
        if request.length not in (None, length):
            raise Invalid(
                f"prefix {request.prefix} is a /{length}, length says /{request.length}: leave one out",
                field="length",
                suggestions=[length],
            )
    try:
        if request.hosts is not None:
            return size_by_hosts(request.hosts, sheet, growth=request.growth, length=length, family=family).length
        if length is None:
            length = sheet.family(family).longest
        if not 0 <= length <= BITS[family]:
            raise LengthOutOfBounds(
                f"/{length} is no IPv{family} prefix length: 0 to {BITS[family]}",
                field="length",
                received=length,
                suggestions=[f"/{sheet.family(family).longest}"],
            )
        sheet.check_subnet_length(family, length)
    except (HostsDoNotFit, LengthOutOfBounds) as refusal:
        if request.prefix is not None and refusal.field == "length":
            refusal.field = "prefix"
        raise
    return length


def _exact(text: str, sheet: RuleSheet, family: int) -> Prefix:
    """An exact prefix; where it is off boundary, what is suggested is allowed by the rule sheet too."""
    try:
        return parse_given(text, "prefix", family)
    except OffBoundary as refusal:
        rules = sheet.family(family)
        blocks = [parse_prefix(suggestion) for suggestion in refusal.suggestions]
        allowed = [block for block in blocks if rules.shortest <= block.length <= rules.longest]
        raise refusal.with_(suggestions=allowed)


def check_pool_bounds(pool: Pool, length: int) -> None:
    """Refuse an IPv4 length that the pool itself does not hand out."""
    low, high = pool.shortest_v4 or 0, pool.longest_v4 or 32
    if not low <= length <= high:
        raise LengthOutOfBounds(
            f"/{length} is out of bounds: pool {pool.name} hands out {span(low, high)}",
            field="length",
            received=f"/{length}",
            rule=f"pool {pool.name}: {span(low, high)}",
            suggestions=[f"/{low if length < low else high}"],
        )


def parse_given(text: str, field_name: str, family: int | None = None) -> Prefix:
    """A prefix given in a request; a refusal says in which field."""
    try:
        return parse_prefix(text, family=family)
    except Refusal as refusal:
        raise refusal.about(field_name)
