"""Where everything goes: the old side of a renumbering read, its targets, and a place for each block."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field

from django.db.models import Q

from lentra.addressing.compaction import clearings
from lentra.addressing.extents import Extent, State
from lentra.addressing.prefix import BITS, Prefix, prefixes_of_range, range_text, without
from lentra.addressing.refusal import Exhausted, HostsDoNotFit, OutsideParent, Refusal
from lentra.addressing.renumbering import Moved, Moves, Old, move_blocks
from lentra.addressing.sizing import hosts_with_growth
from lentra.registry.errors import Invalid
from lentra.registry.lookup.find import find
from lentra.registry.lookup.insides import rules_of
from lentra.registry.lookup.pools_around import PoolsAround
from lentra.registry.models import (
    LIVING_MOVES,
    ExtentRow,
    Move,
    Plan,
    Pool,
    PoolRange,
    Realm,
    Reservation,
    Space,
    Subnet,
)
from lentra.registry.operations.subnets.opened import RELATED
from lentra.registry.requests.request import check_pool_bounds, refuse_wrong_pool

MOST_SUBNETS = 2000
_TOLD = 20

Span = tuple[int, int, int]  # family, first, last


@dataclass(frozen=True)
class Wanted:
    """What is to move, and where to. One of the `from_…` is given.

    Args:
        realm: the realm of ranges, where several have them.
        from_pool: all of a pool; with `clear`, the stretch of that length in it that takes the fewest moves to empty.
        to_pool, to_ranges: where to; nothing, to stay in the pools that the subnets are in.
        lengths: family -> length of every new block; as long as the old ones, if not said.
        vacate: hand out nothing of the old ranges any more.
    """

    from_pool: str | int | None = None
    from_ranges: Sequence[Span] = ()
    from_plan: str | int | None = None
    from_subnets: Sequence[str | int] = ()
    clear: int | None = None
    to_pool: str | int | None = None
    to_ranges: Sequence[Span] = ()
    lengths: Mapping[int, int] = field(default_factory=dict)
    vacate: bool = False
    realm: str | int | None = None


@dataclass
class Source:
    """The old side: what moves, the ranges it is taken out of (none where subnets are named), and what stays."""

    realm: Realm
    subnets: list[Subnet]
    reservations: list[Reservation]
    ranges: list[Prefix]
    words: str
    stays: list[str]


@dataclass(frozen=True)
class Aim:
    """A range that may be moved to, and its pool."""

    pool: Pool
    prefix: Prefix


@dataclass
class Going:
    """One subnet or reservation on its way: for each old block its new one, with the room behind that."""

    record: Subnet | Reservation
    olds: list[Prefix] = field(default_factory=list)
    news: list[Prefix] = field(default_factory=list)
    room: list[Prefix] = field(default_factory=list)
    pools: dict[int, Pool] = field(default_factory=dict)  # family -> pool of the new side
    kept: bool = True


def read_source(wanted: Wanted) -> Source:
    """What is to move.

    Raises:
        Invalid: not exactly one source is named, nothing is in use there, or too much for one renumbering.
        UnknownName.
    """
    names = ("from_pool", "from_ranges", "from_plan", "from_subnets")
    given = [name for name in names if getattr(wanted, name)]
    if len(given) != 1:
        both = f"; {' and '.join(given)} are given" if given else ""
        raise Invalid(
            f"say what is to move by one of these alone: a pool, ranges, a plan, or subnets{both}",
            field=given[1] if given else "from_pool",
            suggestions=["from_pool: mainland"],
        )
    if wanted.clear is not None and not wanted.from_pool:
        raise Invalid("a length is cleared in a pool: say which", field="from_pool")
    source = {
        "from_pool": _of_pool,
        "from_ranges": _of_ranges,
        "from_plan": _of_plan,
        "from_subnets": _of_subnets,
    }[given[0]](wanted)
    if not source.subnets and not source.reservations:
        stays = f": {'; '.join(source.stays[:5])}" if source.stays else ""
        raise Invalid(f"nothing in {source.words} is to move{stays}", field=given[0])
    if len(source.subnets) + len(source.reservations) > MOST_SUBNETS:
        raise Invalid(
            f"{len(source.subnets) + len(source.reservations):,} subnets and reservations at once: {MOST_SUBNETS:,} at "
            "most; move them range by range",
            field=given[0],
            received=len(source.subnets),
        )
    return source


def _of_pool(wanted: Wanted) -> Source:
    pool = find(Pool, wanted.from_pool, "from_pool", related=("realm", "sheet"))
    if wanted.clear is not None:
        stretch = _cheapest_stretch(pool, wanted.clear)
        return _source(pool.realm, Q(), [stretch], f"{stretch} of pool {pool.name}")
    ranges = [row.prefix for row in PoolRange.objects.filter(pool=pool).order_by("family", "first")]
    source = _source(pool.realm, Q(extents__pool=pool), ranges, f"pool {pool.name}", Q(pool=pool))
    for child in pool.carved.order_by("name"):
        source.stays.append(f"pool {child.name}, which is carved out of it, stays with all that is in it")
    return source


def _cheapest_stretch(pool: Pool, length: int) -> Prefix:
    """The stretch of a pool that is emptied with the fewest moves."""
    rows = ExtentRow.objects.filter(pool=pool, family=4).order_by("first")
    extents = [
        Extent(Prefix(4, first, n), State(state), owner)
        for first, n, state, owner in rows.values_list("first", "length", "state", "subnet")
    ]
    space = Space.objects.filter(pool=pool, family=4).first()
    counts = {int(n): count for n, count in space.free_counts.items()} if space else {}
    ranges = [row.prefix for row in pool.ranges.all() if row.family == 4]
    if any(count and n <= length for n, count in counts.items()):
        raise Invalid(
            f"a /{length} is free in pool {pool.name}: nothing need move", field="clear", received=length
        )
    if found := clearings(extents, ranges, length, counts, 1):
        return found[0].prefix
    raise Exhausted(
        f"no /{length} of pool {pool.name} can be emptied: each holds something that cannot move, or that fits nowhere else",
        field="clear",
        received=length,
        suggestions=[f"clear: {length + 1}"],
    )


def _of_ranges(wanted: Wanted) -> Source:
    ranges = [piece for span in wanted.from_ranges for piece in prefixes_of_range(*span)]
    over = Q()
    for prefix in ranges:
        over |= Q(family=prefix.family, first__lte=prefix.last, last__gte=prefix.first)
    realms = list(Realm.objects.filter(pk__in=PoolRange.objects.filter(over).values("realm")).order_by("name"))
    text = ", ".join(range_text(*span) for span in wanted.from_ranges)
    if wanted.realm is not None:
        meant = find(Realm, wanted.realm, "realm")
        realms = [realm for realm in realms if realm.pk == meant.pk]
    if not realms:
        raise Invalid(f"{text} lies in no pool", field="from_ranges", received=text)
    if len(realms) > 1:
        names = [realm.name for realm in realms]
        raise Invalid(
            f"{text} lies in pools of {', '.join(names[:5])}: say which realm",
            field="realm",
            suggestions=[f"realm: {name}" for name in names[:5]],
        )
    return _source(realms[0], Q(), ranges, text)


def _of_plan(wanted: Wanted) -> Source:
    plan = find(Plan, wanted.from_plan, "from_plan", related=("realm",))
    return _source(plan.realm, Q(plan=plan), [], f"plan {plan.name}", Q(plan=plan))


def _of_subnets(wanted: Wanted) -> Source:
    subnets = _named(wanted)
    realms = {subnet.realm_id for subnet in subnets}
    if len(realms) > 1:
        raise Invalid("they lie in several realms: move those of each by themselves", field="from_subnets")
    words = ", ".join(subnet.name for subnet in subnets[:5])
    more = f" and {len(subnets) - 5} more" if len(subnets) > 5 else ""
    return _source(subnets[0].realm, Q(pk__in=[subnet.pk for subnet in subnets]), [], words + more)


def _named(wanted: Wanted) -> list[Subnet]:
    """The subnets that are named; what one statement does not find is looked for by itself, and told if there is none."""
    texts = [str(ref).strip() for ref in wanted.from_subnets]
    numbers = [int(text) for text in texts if text.isascii() and text.isdigit() and len(text) < 19]
    known: dict[str, list[Subnet]] = {}
    for subnet in Subnet.objects.filter(Q(pk__in=numbers) | Q(name__in=texts)).select_related("realm"):
        for text in (subnet.name, str(subnet.pk)):
            known.setdefault(text, []).append(subnet)
    found = (known.get(text, []) for text in texts)
    return [
        one[0] if len(one) == 1 else find(Subnet, text, "from_subnets", related=("realm",))
        for text, one in zip(texts, found, strict=True)
    ]


def _source(realm: Realm, which: Q, ranges: list[Prefix], words: str, reserved: Q | None = None) -> Source:
    """Subnets (and reservations) of a realm; those that lie in ranges, if there are any and nothing else is said."""
    rows = Subnet.objects.filter(which, realm=realm)
    if ranges and which == Q():
        inside = Q()
        for prefix in ranges:
            inside |= Q(family=prefix.family, first__gte=prefix.first, first__lte=prefix.last)
        owners = ExtentRow.objects.filter(inside, realm=realm, subnet__isnull=False).values_list("subnet")
        rows = rows.filter(pk__in=set(owners.distinct().values_list("subnet", flat=True)))
        reserved = Q()
        for prefix in ranges:
            reserved |= Q(family=prefix.family, first__gte=prefix.first, last__lte=prefix.last)
    subnets = list(
        rows.distinct().order_by("place").select_related(*RELATED, "realm", "plan").prefetch_related("extents")
    )
    reservations = []
    if reserved is not None:
        found = Reservation.objects.filter(reserved, realm=realm).order_by("family", "first")
        reservations = list(found.select_related("pool__realm", "pool__sheet", "zone"))
    going = _on_their_way(realm)
    stays = [
        f"{subnet.name} ({', '.join(str(block) for block in subnet.blocks())}) is "
        f"{_moved_by(going.get(subnet.pk)) or subnet.state} and stays as it is"
        for subnet in subnets
        if subnet.state != "active" or subnet.pk in going
    ]
    stays += [
        f"reservation {row.name} is {_moved_by(going[row.pk])} and stays as it is"
        for row in reservations
        if row.pk in going
    ]
    return Source(
        realm,
        [subnet for subnet in subnets if subnet.state == "active" and subnet.pk not in going],
        [row for row in reservations if row.pk not in going],
        ranges,
        words[:290],
        stays,
    )


def _on_their_way(realm: Realm) -> dict[int, str]:
    """What renumberings of a realm move already, on either side: number -> the renumbering's name."""
    under_way = {"renumbering__realm": realm, "renumbering__state": "moving"}  # by which an index finds them
    living = Move.objects.filter(**under_way, state__in=LIVING_MOVES)
    rows = living.values_list("old_id", "new_id", "renumbering__name")
    return {number: name for old, new, name in rows for number in (old, new)}


def _moved_by(renumbering: str | None) -> str:
    return f"on its way by renumbering {renumbering}" if renumbering else ""


def read_aims(wanted: Wanted, source: Source) -> list[Aim]:
    """The ranges that may be moved to; none where everything stays in its pool.

    Raises:
        Invalid, OutsideParent: they make no sense, or lie in no pool of the realm.
    """
    if wanted.to_pool and wanted.to_ranges:
        raise Invalid("say where to by a pool or by ranges, not both", field="to_ranges")
    aims: list[Aim] = []
    if wanted.to_pool:
        pool = find(Pool, wanted.to_pool, "to_pool", related=("realm", "sheet"))
        if pool.realm_id != source.realm.pk:
            raise Invalid(
                f"pool {pool.name} is in realm {pool.realm.name}, and {source.words} in {source.realm.name}: both sides "
                "live side by side, so hosts must reach both; hand out anew there, and give back here",
                field="to_pool",
                received=pool.name,
                rule="a renumbering stays in its realm",
                suggestions=list(
                    Pool.objects.filter(realm=source.realm).order_by("name").values_list("name", flat=True)[:5]
                ),
            )
        rows = PoolRange.objects.filter(pool=pool).order_by("family", "first")
        aims = [Aim(pool, row.prefix) for row in rows]
    elif wanted.to_ranges:
        around = PoolsAround(source.realm)
        for piece in (piece for span in wanted.to_ranges for piece in prefixes_of_range(*span)):
            if (pool_there := around.around(piece, piece.length)) is None:
                raise OutsideParent(
                    f"{piece} lies in no pool of realm {source.realm.name}",
                    field="to_ranges",
                    received=str(piece),
                    suggestions=["add a range to a pool", "to_pool"],
                )
            aims.append(Aim(pool_there, piece))
    own = {subnet.pool_id for subnet in source.subnets}
    if not wanted.from_ranges and wanted.clear is None and source.ranges and own == {aim.pool.pk for aim in aims}:
        raise Invalid(
            f"{source.words} would move into itself: say which of its ranges is to be emptied, or another pool",
            field="to_pool",
            suggestions=[f"from_ranges: {source.ranges[0]}"],
        )
    return aims


def lay(wanted: Wanted, source: Source, aims: Sequence[Aim]) -> list[Going]:
    """A place for everything; the pools of both sides are open.

    Raises:
        Exhausted: not everything fits: says how much is missing, and what would do.
        Invalid, LengthOutOfBounds, WrongPool: a family has no target, or the rules there say no.
    """
    goings = [Going(subnet) for subnet in source.subnets] + [Going(r) for r in source.reservations]
    groups: dict[tuple[int, int], list[tuple[int, Old]]] = {}
    spans = _spans(source)
    for n, going in enumerate(goings):
        for old, pool in _olds(n, going, wanted, source, spans):
            groups.setdefault((old.block.family, 0 if aims else pool), []).append((n, old))
    for (family, pool_number), olds in sorted(groups.items()):
        targets = _targets(family, pool_number, aims, goings, olds)
        free = list(_free_in(targets, source.ranges))
        moves = move_blocks([old for _, old in olds], [aim.prefix for aim in targets], free)
        owners = {old.key: goings[n] for n, old in olds}
        if moves.left:
            raise _too_small(owners, moves, targets)
        for moved in moves.moved:
            _enter(owners[moved.old.key], moved, targets)
    for going in goings:
        _refuse_rules(going)
    return goings


def _olds(
    n: int, going: Going, wanted: Wanted, source: Source, spans: dict[int, tuple[int, int]]
) -> Iterator[tuple[Old, int]]:
    """The blocks of one record that need a place, each with the number of its pool."""
    record = going.record
    if isinstance(record, Reservation):
        around = _around(record.family, record.first, record.last)
        yield Old(f"{n}/0", around, _home(around, source, spans), around.length), record.pool_id
        return
    room: dict[int, int] = {}
    for piece in record.room():
        room[piece.family] = room.get(piece.family, 0) + piece.size
    pools = {row.prefix: row.pool_id for row in record.extents.all()}
    for k, block in enumerate(record.blocks()):
        length = wanted.lengths.get(block.family, block.length)
        doublings = ((block.size + room.pop(block.family, 0)) // block.size).bit_length() - 1
        home = _home(block, source, spans)
        yield Old(f"{n}/{k}", block, home, length, min(doublings, length)), pools[block]


def _around(family: int, first: int, last: int) -> Prefix:
    """The smallest prefix around a range."""
    differ = (first ^ last).bit_length()
    return Prefix(family, first >> differ << differ, BITS[family] - differ)


def _home(block: Prefix, source: Source, spans: dict[int, tuple[int, int]]) -> Prefix:
    """The range of the source that a block's offset is counted from: one that is named, or the smallest around all of it."""
    if home := next((prefix for prefix in source.ranges if prefix.contains(block)), None):
        return home
    low, high = spans.get(block.family, (block.first, block.last))
    return _around(block.family, min(low, block.first), max(high, block.last))


def _spans(source: Source) -> dict[int, tuple[int, int]]:
    """From the first address of all that moves to the last, by family."""
    blocks = [block for subnet in source.subnets for block in subnet.blocks()]
    found: dict[int, tuple[int, int]] = {}
    for block in blocks:
        low, high = found.get(block.family, (block.first, block.last))
        found[block.family] = min(low, block.first), max(high, block.last)
    return found


def _targets(
    family: int, pool: int, aims: Sequence[Aim], goings: Sequence[Going], olds: Sequence[tuple[int, Old]]
) -> list[Aim]:
    if not aims:
        here = Pool.objects.select_related("realm", "sheet").get(pk=pool)
        return [Aim(here, row.prefix) for row in PoolRange.objects.filter(pool=pool, family=family)]
    if found := [aim for aim in aims if aim.prefix.family == family]:
        return found
    first = goings[olds[0][0]].record
    raise Invalid(
        f"{first.name} has {olds[0][1].block} as well, and there is no IPv{family} range to move to: a subnet moves with "
        "all of its blocks",
        field="to_ranges",
        rule="both families move together",
        suggestions=["to_pool: one that has both families", f"add an IPv{family} range to to_ranges"],
    )


def _free_in(targets: Sequence[Aim], not_in: Sequence[Prefix]) -> Iterator[Prefix]:
    """The free parts of targets, without what is to be emptied. Asked of the database: nothing is taken yet."""
    for aim in targets:
        rows = ExtentRow.objects.filter(pool=aim.pool, family=aim.prefix.family, state=State.FREE)
        over = rows.filter(first__lte=aim.prefix.last, first__gte=aim.prefix.first)
        free = [Prefix(aim.prefix.family, first, n) for first, n in over.values_list("first", "length")]
        if not free:  # the target may lie inside one that is free
            wide = rows.filter(first__lt=aim.prefix.first).order_by("-first").values_list("first", "length")[:1]
            free = [f for f in (Prefix(aim.prefix.family, *row) for row in wide) if f.contains(aim.prefix)]
        for piece in free:
            pieces = [aim.prefix if piece.contains(aim.prefix) else piece]
            for inner in not_in:
                pieces = [rest for one in pieces for rest in _outside(one, inner)]
            yield from pieces


def _outside(prefix: Prefix, inner: Prefix) -> list[Prefix]:
    """What of a prefix lies outside another one."""
    if not prefix.overlaps(inner):
        return [prefix]
    return [] if inner.contains(prefix) else without(prefix, inner)


def _enter(going: Going, moved: Moved, targets: Sequence[Aim]) -> None:
    block, record = moved.laid.block, going.record
    aim = next(aim for aim in targets if aim.prefix.contains(block))
    if (other := going.pools.get(block.family)) and other.pk != aim.pool.pk:
        raise Invalid(f"the blocks of {record.name} would lie in two pools of one family", field="to_ranges")
    going.pools[block.family] = aim.pool
    going.kept = going.kept and moved.kept
    going.olds.append(moved.old.block)
    going.news.append(block)
    going.room += moved.laid.room


def _too_small(owners: Mapping[str, Going], moves: Moves, targets: Sequence[Aim]) -> Exhausted:
    left = moves.left
    family = left[0].block.family
    where = ", ".join(str(aim.prefix) for aim in targets[:3]) + (" and others" if len(targets) > 3 else "")
    names = ", ".join(f"{owners[old.key].record.name} (/{old.footprint})" for old in left[:3])
    more = f" and {len(left) - 3} more" if len(left) > 3 else ""
    would_do = moves.wanted(family)
    longer = min(min(old.length for old in left) + 1, BITS[family])
    return Exhausted(
        f"{len(left)} of what is to move has no place in {where}: {names}{more}; {moves.missing:,} addresses are missing, "
        f"and a /{would_do} that is all free takes everything",
        field="to_ranges",
        received=where,
        rule="everything moves, or nothing",
        conflicts=[
            {"range": str(old.block), "owner": owners[old.key].record.name, "addresses": old.block.size}
            for old in left[:_TOLD]
        ],
        suggestions=[f"to_ranges: a free /{would_do}", f"length_v{family}: {longer}"],
    )


def _refuse_rules(going: Going) -> None:
    """Refuse what the pools of the new side do not give."""
    record = going.record
    if isinstance(record, Reservation):
        return
    for block in going.news:
        pool = going.pools[block.family]
        try:
            refuse_wrong_pool(pool, record.project, record.zone, record.region, block.family, block.length)
            pool.sheet.rules().check_subnet_length(block.family, block.length)
            if block.family == 4:
                check_pool_bounds(pool, block.length)
                _refuse_too_few(record, going.news, pool)
        except Refusal as refusal:
            told = refusal.with_(message=f"{record.name}, to {block}: {refusal.message}")
            told.field = "to_pool" if refusal.field == "pool" else f"length_v{block.family}"
            raise told


def _refuse_too_few(record: Subnet, news: Sequence[Prefix], pool: Pool) -> None:
    """Refuse IPv4 blocks in which the expected hosts have no place."""
    needed = hosts_with_growth(record.hosts or 0, record.growth)
    usable = sum(pool.sheet.rules().family(4).usable(block) for block in news if block.family == 4)
    before = sum(rules_of(record, 4).usable(block) for block in record.blocks() if block.family == 4)
    if usable < needed <= before:
        raise HostsDoNotFit(
            f"{record.hosts:,} hosts are expected there, which need {needed:,} addresses, and it would have {usable:,}",
            field="length_v4",
            received=usable,
            rule="what is expected in a subnet fits into it",
            suggestions=["leave length_v4 out"],
        )


def spans_of(going: Going) -> list[tuple[Prefix, State]]:
    """What of the new side is taken: blocks and room, or the pieces of a reserved range. Without the state of blocks."""
    record = going.record
    if isinstance(record, Reservation):
        first = going.news[0].first + record.first - going.olds[0].first
        last = first + record.last - record.first
        return [(piece, State.RESERVED) for piece in prefixes_of_range(record.family, first, last)]
    return [(block, State.HANDED_OUT) for block in going.news] + [(piece, State.ROOM) for piece in going.room]


def pools_of(source: Source, aims: Iterable[Aim]) -> set[int]:
    """The pools of both sides."""
    own = {row.pool_id for subnet in source.subnets for row in subnet.extents.all()}
    return own | {r.pool_id for r in source.reservations} | {aim.pool.pk for aim in aims}
