"""Start a renumbering: the new side handed out, or held until its wave begins, each tied to its old one."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field
from datetime import date
from typing import Any

from lentra.addressing.extents import Extent, State, carve_several
from lentra.addressing.prefix import Prefix, range_text, ranges_text
from lentra.addressing.renumbering import taken_out
from lentra.registry.errors import Invalid, NameTaken
from lentra.registry.lookup.moving import records_by_subnet
from lentra.registry.lookup.target import target_of
from lentra.registry.models import ExtentRow, KeepOut, Move, Renumbering, Reservation, Subnet
from lentra.registry.models.subnets import EXTENT_STATE
from lentra.registry.operations.pools.add_keep_out import add_keep_out
from lentra.registry.operations.renumbering.hosts import HostMove, host_moves, inside_moved, refuse_homeless
from lentra.registry.operations.renumbering.laying import (
    Aim,
    Going,
    Source,
    Wanted,
    lay,
    pools_of,
    read_aims,
    read_source,
    spans_of,
)
from lentra.registry.operations.renumbering.waves import begin
from lentra.registry.operations.subnets.edit_subnet import INSIDE
from lentra.registry.operations.subnets.hand_out import count_in, new_subnet, set_tag
from lentra.registry.requests.allocation import Allocation
from lentra.registry.rules.names import check_name, split_name, with_end
from lentra.registry.rules.permissions import require
from lentra.registry.space.keep_outs import keep_outs_over
from lentra.registry.space.locking import Pools, lock_outline, open_pools
from lentra.registry.transactions.change import Change
from lentra.registry.transactions.failures import Clash
from lentra.registry.transactions.locks import lock_all

_ALONG = ("hosts", "growth", "purpose", "notes", "labels", "service", "exposure")
_TOLD = 10
RESERVED = "reserved"  # the wave of what is in no zone and no tier


@dataclass
class Started:
    """A renumbering with its moves. By the number of a move: where every address record goes, and what else is carried
    along, as (what, on the old side, on the new one)."""

    renumbering: Renumbering
    moves: list[Move]
    hosts: dict[int, list[HostMove]] = field(default_factory=dict)
    carried: dict[int, list[tuple[str, str, str]]] = field(default_factory=dict)


def start_renumbering(
    change: Change,
    name: str,
    wanted: Wanted,
    *,
    waves: str = "at-once",
    by: date | None = None,
    reason: str = "",
) -> Started:
    """Find a place for everything that is to move, and hand it out: all at once, or held for waves to come.

    Args:
        waves: ``at-once``; or ``zone``, ``tier``: the new side is held until the wave of its zone or tier begins.
        by: the day by which it is to be done.

    Raises:
        Exhausted: it does not fit: says by how much, and what would do.
        Invalid, UnknownName, OutsideParent, WrongPool, LengthOutOfBounds: it makes no sense, or rules say no.
        NameTaken: another renumbering of the realm has the name.
        NotAllowed: the actor is no planner.
    """
    require(change.actor, "planner", "start a renumbering")
    check_name(name)
    if by is not None and by <= change.now.date():
        raise Invalid(f"{by} has passed: a day to come", field="by", received=str(by))
    source = read_source(wanted)
    if Renumbering.objects.filter(realm=source.realm, name=name).exists():
        raise NameTaken(
            f"the name {name!r} is taken by another renumbering of realm {source.realm.name}",
            field="name",
            received=name,
            suggestions=[f"{name}-2"],
        )
    aims = read_aims(wanted, source)
    if wanted.vacate or wanted.clear is not None:
        lock_outline(source.realm.pk)
    with open_pools(change, pools_of(source, aims)) as pools:
        lock_all(Subnet.objects.filter(pk__in=[subnet.pk for subnet in source.subnets]))
        source = read_source(wanted)  # as it is under the locks
        if pools_of(source, aims) - pools.keys():
            raise Clash("what is to move lies in other pools by now")
        goings = lay(wanted, source, aims)
        target = _target_words(wanted, aims)
        made = Renumbering(
            realm=source.realm,
            name=name,
            source=source.words,
            target=target,
            waves=waves,
            by=by,
            reason=reason,
            created_at=change.now,
        )
        change.added([made], "start")
        started = _hand_out(change, made, goings, pools)
        if wanted.vacate or wanted.clear is not None:
            _vacate(change, made, source)
        if waves == "at-once":
            begin(change, started.moves, pools, started.hosts)
        _tell(change, source, goings, wanted, aims)
    return started


def _target_words(wanted: Wanted, aims: Sequence[Aim]) -> str:
    if not aims:
        return "the pools that it is in"
    if wanted.to_pool:
        return f"pool {aims[0].pool.name}"
    return ", ".join(range_text(*span) for span in wanted.to_ranges)[:290]


def _hand_out(change: Change, made: Renumbering, goings: Sequence[Going], pools: Pools) -> Started:
    """The new side of everything, held for now, and the moves that tie both sides together."""
    records = records_by_subnet(going.record.pk for going in goings if isinstance(going.record, Subnet))
    numbers = list(change.numbers(len(goings)))
    taken: dict[tuple[int, int], list[Extent]] = {}
    for going, number in zip(goings, numbers, strict=True):
        for prefix, state in spans_of(going):
            pool = going.pools[prefix.family]
            own = EXTENT_STATE[_state(made)] if state is State.HANDED_OUT else state
            taken.setdefault((pool.pk, prefix.family), []).append(Extent(prefix, own, number))
    for (pool_number, family), extents in sorted(taken.items()):
        store = pools[pool_number][family]
        for holder, inside in taken_out(_free_around(pool_number, family, extents), extents):
            carve_several(store, holder, inside)
    names = _Names(made.realm_id, [going.record.name for going in goings])
    subnets, reservations, moves = [], [], []
    hosts: list[list[HostMove]] = []
    carried: list[list[tuple[str, str, str]]] = []
    for place, (going, number) in enumerate(zip(goings, numbers, strict=True)):
        name = names.beside(going.record)
        if isinstance(going.record, Reservation):
            reservations.append((going.record, _new_reservation(change, going, number, name)))
            found: list[HostMove] = []
            carried.append([])
        else:
            subnet = _new_subnet(change, made, going, number, name)
            subnets.append(subnet)
            found = host_moves(going.record, subnet, going.olds, going.news, records.get(going.record.pk, []))
            carried.append(_carried(going.record, subnet))
        moves.append(_move(made, going, number, place))
        hosts.append(found)
    refuse_homeless(
        (going.record, host)
        for going, found in zip(goings, hosts, strict=True)
        if isinstance(going.record, Subnet)
        for host in found
    )
    change.added(subnets, "hold" if made.waves != "at-once" else "hand out", later=True)
    for old, new in reservations:
        allowed: dict[str, Any] = {"projects": [p.name for p in old.projects.all()]}
        change.added([new], "reserve", **allowed, tiers=[t.name for t in old.tiers.all()])
        if new.ends_at:
            pools[new.pool_id][new.family].due(new.ends_at)
        new.projects.set(old.projects.all())
        new.tiers.set(old.tiers.all())
    change.added(moves, "plan")
    numbers = [move.pk for move in moves]
    return Started(made, moves, dict(zip(numbers, hosts, strict=True)), dict(zip(numbers, carried, strict=True)))


def _carried(old: Subnet, new: Subnet) -> list[tuple[str, str, str]]:
    """What is fixed inside a subnet, and its room, on both sides."""
    pairs = [(name.replace("_", " "), getattr(old, name), getattr(new, name)) for name in INSIDE]
    pairs.append(("room", ranges_text(old.room()), ranges_text(new.room())))
    if old.tag is not None:
        pairs.append(("segment tag", str(old.tag), "once it is finished"))
    return [pair for pair in pairs if pair[1] not in ("", "none") or pair[2] not in ("", "none")]


def _free_around(pool: int, family: int, extents: Sequence[Extent]) -> Iterator[Extent]:
    """The free extents of a pool, as the database has them: nothing is taken yet."""
    last = max(extent.prefix.last for extent in extents)
    rows = ExtentRow.objects.filter(pool=pool, family=family, state=State.FREE, first__lte=last)
    for first, length in rows.order_by("first").values_list("first", "length"):
        yield Extent(Prefix(family, first, length))


class _Names:
    """Names for the time in which both sides live: those of the old ones, and that they are new."""

    def __init__(self, realm: int, names: Sequence[str]) -> None:
        stems = {self._with(name, 1) for name in names}
        self._taken = {
            *Subnet.objects.filter(realm=realm, name__in=stems).values_list("name", flat=True),
            *Reservation.objects.filter(realm=realm, name__in=stems).values_list("name", flat=True),
        }
        self._realm = realm

    @staticmethod
    def _with(name: str, n: int) -> str:
        return with_end(name, "-new" if n == 1 else f"-new-{n}")

    def beside(self, record: Subnet | Reservation) -> str:
        """A name for what takes the place of a record."""
        n = 1
        while (name := self._with(record.name, n)) in self._taken or (n > 1 and self._is_taken(name)):
            n += 1
        self._taken.add(name)
        return name

    def _is_taken(self, name: str) -> bool:
        return any(kind.objects.filter(realm=self._realm, name=name).exists() for kind in (Subnet, Reservation))


def _state(made: Renumbering) -> str:
    """The state in which the new side begins."""
    return "active" if made.waves == "at-once" else "held"


def _new_subnet(change: Change, made: Renumbering, going: Going, number: int, name: str) -> Subnet:
    old = going.record
    assert isinstance(old, Subnet)
    pool = going.pools[going.news[0].family]
    blocks = [Allocation(block, [], "") for block in going.news]
    stem, name_number = split_name(name, lengths=[block.length for block in going.news])
    subnet = new_subnet(
        old.realm,
        pool,
        target_of(old),
        blocks,
        id=number,
        name=name,
        name_stem=stem,
        name_number=name_number,
        state=_state(made),
        created_at=change.now,
        replaces=old,
        **{what: getattr(old, what) for what in _ALONG},
        **inside_moved(change, old, going.olds, going.news, pool),
    )
    subnet.known_room = list(going.room)
    set_tag(subnet, None, 0)
    count_in(subnet, {family: there.pk for family, there in going.pools.items()})
    return subnet


def _new_reservation(change: Change, going: Going, number: int, name: str) -> Reservation:
    old = going.record
    assert isinstance(old, Reservation)
    pieces = [prefix for prefix, _ in spans_of(going)]
    along = ("kind", "reason", "service", "zone", "ends_at")
    return Reservation(
        id=number,
        realm=old.realm,
        pool=going.pools[old.family],
        name=name,
        family=old.family,
        first=pieces[0].first,
        last=pieces[-1].last,
        created_at=change.now,
        **{what: getattr(old, what) for what in along},
    )


def _move(made: Renumbering, going: Going, number: int, place: int) -> Move:
    old = going.record
    pieces = [prefix for prefix, _ in spans_of(going)]
    reserved = isinstance(old, Reservation)
    zone, tier = old.zone, None if reserved else old.tier
    region = old.region if isinstance(old, Subnet) else None
    place_of = zone.name if zone else region.name if region else RESERVED
    waves = {"at-once": "", "zone": place_of, "tier": tier.name if tier else RESERVED}
    return Move(
        realm_id=made.realm_id,
        renumbering=made,
        place=place,
        of="reservation" if reserved else "subnet",
        wave=waves[made.waves],
        name=old.name,
        project=old.project.name if isinstance(old, Subnet) else "",
        zone=zone.name if zone else "",
        tier=tier.name if tier else "",
        old_id=old.pk,
        new_id=number,
        old_ranges=[old.range_text] if isinstance(old, Reservation) else [str(block) for block in going.olds],
        new_ranges=[range_text(old.family, pieces[0].first, pieces[-1].last)]
        if isinstance(old, Reservation)
        else [str(block) for block in going.news],
        kept=going.kept,
    )


def _vacate(change: Change, made: Renumbering, source: Source) -> None:
    """Hand out nothing of the old ranges any more: what is free there at once, the rest as it is given back."""
    if not source.ranges:
        raise Invalid(
            "only ranges are vacated: say which, by from_ranges or from_pool",
            field="vacate",
            suggestions=["vacate: false"],
        )
    keep_outs: list[KeepOut] = []
    why, change.why = change.why, change.why or f"renumbering {made.name}"
    quiet = len(change.notes)
    for prefix in source.ranges:
        values: dict[str, Any] = {
            "realm": made.realm,
            "family": prefix.family,
            "first": prefix.first,
            "last": prefix.last,
            "reason": f"renumbering {made.name} empties it",
            "source": f"renumbering {made.name}",
            "since": change.now.date(),
        }
        keep_outs.append(add_keep_out(change, values, despite_use=True))
    del change.notes[quiet:]
    change.why = why
    texts = [str(prefix) for prefix in source.ranges]
    change.note(
        f"nothing of {', '.join(texts[:5])} is handed out any more: what is free there is kept out from now on"
    )
    change.edited(made, "vacate", vacated=texts, keep_out_ids=[keep_out.pk for keep_out in keep_outs])


def _tell(change: Change, source: Source, goings: Sequence[Going], wanted: Wanted, aims: Sequence[Aim]) -> None:
    """What is worth knowing of it."""
    packed = [going for going in goings if not going.kept]
    if packed:
        names = ", ".join(going.record.name for going in packed[:3]) + (" and others" if len(packed) > 3 else "")
        change.note(f"{len(packed)} of {len(goings)} get another place in the range than they had: {names}")
    old = sum(prefix.size for prefix in source.ranges if prefix.family == 4)
    new = sum(aim.prefix.size for aim in aims if aim.prefix.family == 4)
    if old and aims and new < old:
        change.note(
            f"the target has {new:,} IPv4 addresses, and the source {old:,}: nothing more fits than what moves now"
        )
    for prefix in source.ranges:
        if any(prefix.overlaps(aim.prefix) for aim in aims):
            change.note(f"the target overlaps {prefix}: nothing goes to where both are")
    for words in source.stays[:_TOLD]:
        change.note(words)
    if len(source.stays) > _TOLD:
        change.note(f"{len(source.stays) - _TOLD:,} more stay as they are")
    for subnet in source.subnets:
        if subnet.attached_to:
            change.note(
                f"{subnet.name} is a public address, attached to {subnet.attached_to}: the old one is given back once that "
                "is detached"
            )
    _tell_public(change, source)
    for prefix in source.ranges:
        for over in keep_outs_over(source.realm.pk, prefix.family, prefix.first, prefix.last)[:_TOLD]:
            if over.declared and not over.source.startswith("renumbering "):
                change.note(
                    f"{over.range_text} is kept out ({over.reason}): that stays declared for the old range alone"
                )
    if tagged := [subnet for subnet in source.subnets if subnet.tag is not None]:
        change.note(
            f"{len(tagged)} segment tags stay with the old side while both live, and go over to the new one as each is "
            "finished"
        )


def _tell_public(change: Change, source: Source) -> None:
    """Public addresses that lead to what moves."""
    public = Subnet.objects.filter(attached_record__subnet__in=source.subnets).select_related("attached_record")
    found = list(public.order_by("place").prefetch_related("extents")[: _TOLD + 1])
    for subnet in found[:_TOLD]:
        assert subnet.attached_record
        change.note(
            f"{subnet.blocks()[0]} ({subnet.name}) leads to {subnet.attached_record.text}: it goes along as that host moves"
        )
    if len(found) > _TOLD:
        change.note("more public addresses lead to what moves, and go along")
