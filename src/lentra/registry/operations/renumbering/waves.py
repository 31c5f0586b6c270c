"""Waves of a renumbering: begun, finished once everything there has moved, or turned back."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from lentra.addressing.prefix import Prefix, parse_prefix
from lentra.registry.errors import InUse, Invalid, WrongState
from lentra.registry.lookup.find import find
from lentra.registry.lookup.locked import find_locked, refuse_stale
from lentra.registry.lookup.moving import hosts_seen_moved, not_moved, only_on_old_side, records_by_subnet
from lentra.registry.lookup.sightings import still_seen
from lentra.registry.models import (
    CHECKS,
    LIVING_MOVES,
    Address,
    KeepOut,
    Move,
    Project,
    Renumbering,
    Reservation,
    Subnet,
    TagMember,
)
from lentra.registry.operations.pools.add_keep_out import lift_all
from lentra.registry.operations.renumbering.hosts import (
    HostMove,
    carry,
    give_up_attached,
    host_moves,
    mark_moved,
    refuse_homeless,
)
from lentra.registry.operations.reservations.reserve import give_back_reservation
from lentra.registry.operations.subnets.give_back import give_back_many
from lentra.registry.operations.subnets.opened import RELATED
from lentra.registry.operations.subnets.replace_subnet import activate
from lentra.registry.rules.names import split_name, with_end
from lentra.registry.rules.permissions import require, require_project
from lentra.registry.space.expiry import free_reservations, free_subnets
from lentra.registry.space.locking import Pools, lock_outline, open_pools_of
from lentra.registry.transactions.change import Change
from lentra.registry.transactions.locks import lock_all

_MOST_TOLD = 20


@dataclass(frozen=True)
class Part:
    """Which moves of a renumbering: those of a wave, or of some subnets; all, if neither is said."""

    wave: str | None = None
    subnets: Sequence[str | int] = ()


def begin_wave(change: Change, ref: Any, part: Part, version: int | None = None) -> Renumbering:
    """Hand out the new side of a wave, with its address records; the old side retires.

    Raises:
        WrongState: nothing of it is still to begin.
        Exhausted: an address record that was made since the start has no place.
        NotAllowed, UnknownName, StaleEdit.
    """
    made, moves = _taken_up(change, ref, part, ("planned",), "begin", version)
    with open_pools_of(change, [move.new_id for move in moves] + [move.old_id for move in moves]) as pools:
        begin(change, moves, pools)
    return made


def begin(
    change: Change, moves: Sequence[Move], pools: Pools, known: Mapping[int, Sequence[HostMove]] | None = None
) -> None:
    """Begin moves whose pools are open.

    Args:
        known: where their address records go, by the number of the move, if that is known already.
    """
    change.batch.send()
    of_subnets = [move for move in moves if move.of == "subnet"]
    olds, news = _sides(of_subnets)
    held = [subnet for subnet in news.values() if subnet.state == "held"]
    activate(pools, [subnet.pk for subnet in held])
    change.edited_all(held, "hand out", state="active")
    there = [
        olds[move.old_id] for move in of_subnets if move.old_id in olds and olds[move.old_id].state == "active"
    ]
    change.edited_all(there, "retire", state="retiring")
    hosts = _hosts(of_subnets, olds, news) if known is None else known
    refuse_homeless((olds[move.old_id], host) for move in of_subnets for host in hosts.get(move.pk, ()))
    carry(change, [(news[move.new_id], hosts[move.pk]) for move in of_subnets if hosts.get(move.pk)])
    for move in moves:
        move.hosts = [host.told for host in hosts.get(move.pk, ())]
    _set_state(change, moves, "begin", "moving", begun_at=change.now)


def _hosts(
    moves: Sequence[Move], olds: Mapping[int, Subnet], news: Mapping[int, Subnet]
) -> dict[int, list[HostMove]]:
    """Where the address records of moves go, as there are some now."""
    records = records_by_subnet(olds)
    return {
        move.pk: host_moves(
            olds[move.old_id],
            news[move.new_id],
            _prefixes(move.old_ranges),
            _prefixes(move.new_ranges),
            records[move.old_id],
        )
        for move in moves
        if move.old_id in records and move.new_id in news
    }


def finish_wave(
    change: Change, ref: Any, part: Part, despite_use: bool = False, version: int | None = None
) -> Renumbering:
    """Give the old side back, which cools; the new one gets its name, its segment tag and its place in a plan.

    Raises:
        InUse: hosts have not moved, or the old side was seen lately, and `despite_use` was not said: lists them.
        StillAttached: a public address of the old side is attached.
        WrongState: nothing of it is moving.
        NotAllowed, UnknownName, StaleEdit.
    """
    made, moves = _taken_up(change, ref, part, ("moving",), "finish", version)
    of_subnets = [move for move in moves if move.of == "subnet"]
    reserved = Reservation.objects.filter(pk__in=[move.old_id for move in moves if move.of == "reservation"])
    with open_pools_of(change, [move.old_id for move in of_subnets], *reserved.values_list("pool", flat=True)):
        olds, news = _sides(of_subnets)
        if not despite_use:
            _refuse_unmoved(change, of_subnets, olds)
        mark_moved(change, list(not_moved(news)), True)
        _set_state(change, moves, "finish", "finished", ended_at=change.now)
        sides = ((olds.get(move.old_id), news.get(move.new_id)) for move in of_subnets)
        _take_over(change, [(old, new) for old, new in sides if old and new])
        leaving = [subnet for subnet in olds.values() if subnet.state in ("active", "retiring")]
        give_back_many(change, leaving, despite_use=True, told=not despite_use)
        for move in moves:
            if move.of == "reservation":
                _take_over_reservation(change, move)
        _close(change, made, "finished")
    return made


def turn_back(change: Change, ref: Any, part: Part, version: int | None = None) -> Renumbering:
    """Give up moves that are not finished: the new side is gone, and the old one is in use as before.

    Raises:
        WrongState: nothing of it can be turned back.
        NotAllowed, UnknownName, StaleEdit.
    """
    require(change.actor, "planner", "turn a renumbering back")
    found = find(Renumbering, ref, "renumbering")
    if found.keep_out_ids:
        lock_outline(found.realm_id)
    made, moves = _taken_up(change, ref, part, LIVING_MOVES, "turn back", version)
    of_subnets = [move for move in moves if move.of == "subnet"]
    reservations = [move.new_id for move in moves if move.of == "reservation"]
    kept = Reservation.objects.filter(pk__in=reservations)
    more = set(kept.values_list("pool", flat=True))
    with open_pools_of(
        change, [move.new_id for move in of_subnets] + [move.old_id for move in of_subnets], *more
    ) as pools:
        olds, news = _sides(of_subnets)
        give_up_attached(change, news)
        back = [subnet for subnet in olds.values() if subnet.state == "retiring"]
        change.edited_all(back, "take up again", state="active")
        free_subnets(change, list(news.values()), pools, "turn back")
        free_reservations(change, lock_all(kept), pools, "turn back")
        _set_state(change, moves, "turn back", "turned back", ended_at=change.now)
        _close(change, made, "turned back")
        if made.state == "turned back" and made.keep_out_ids:
            lift_all(change, list(KeepOut.objects.filter(pk__in=made.keep_out_ids)))
    return made


def set_moved(
    change: Change,
    ref: Any,
    subnets: Sequence[Any],
    hosts: Sequence[str],
    moved: bool = True,
    version: int | None = None,
) -> Renumbering:
    """Note which hosts have moved, or that they have not; all of the subnets, if none are named.

    Args:
        hosts: names, old or new addresses.

    Raises:
        Invalid: no record of these subnets is called so.
        WrongState: a subnet is not moving.
        NotAllowed: neither planner nor requester of the subnets' projects.
    """
    require(change.actor, "requester", "note that hosts have moved")
    made = find(Renumbering, ref, "renumbering", related=("realm",))
    refuse_stale(made, version)
    moves = _moves(made, Part(subnets=subnets), ("moving",), "note that hosts have moved")
    _require_projects(change, moves, "note that hosts have moved")
    rows = Address.objects.filter(subnet__in=[m.new_id for m in moves], replaces__isnull=False)
    records = list(rows.select_related("replaces").order_by("family", "address"))
    if hosts:
        records = _called(hosts, records)
    mark_moved(change, records, moved)
    return made


def _require_projects(change: Change, moves: Sequence[Move], to: str) -> None:
    """Refuse who does not belong to the projects of all that is meant."""
    of = Subnet.objects.filter(pk__in=[move.new_id for move in moves]).values("project")
    for project in Project.objects.filter(pk__in=of).order_by("name"):
        require_project(change.actor, project, to)


def _called(texts: Sequence[str], records: Sequence[Address]) -> list[Address]:
    """The records that texts mean: names, old or new addresses."""
    known: dict[str, list[Address]] = {}
    for record in records:
        for text in {record.name, record.text, record.replaces.text if record.replaces else record.text}:
            known.setdefault(text, []).append(record)
    for text in texts:
        if text not in known:
            raise Invalid(
                f"no host of what is moving is called {text!r}",
                field="hosts",
                received=text,
                suggestions=[record.name for record in records[:5]],
            )
    return [record for text in dict.fromkeys(texts) for record in known[text]]


def set_check(
    change: Change, ref: Any, subnets: Sequence[Any], check: str, done: bool = True, version: int | None = None
) -> Renumbering:
    """Tick off what is done for some subnets, or take the tick away; of all that move, if none are named.

    Raises:
        Invalid: it is none of `CHECKS`.
        WrongState, NotAllowed: as for `set_moved`.
    """
    require(change.actor, "requester", "tick off a step of a renumbering")
    if check not in CHECKS:
        raise Invalid(f"{check!r} is no step of the list", field="check", received=check, suggestions=CHECKS)
    made = find(Renumbering, ref, "renumbering", related=("realm",))
    refuse_stale(made, version)
    moves = _moves(made, Part(subnets=subnets), LIVING_MOVES, "tick off a step")
    _require_projects(change, moves, "tick off a step of a move")
    by = change.actor.name if change.actor else "lentra"
    for move in lock_all(Move.objects.filter(pk__in=[move.pk for move in moves]).order_by("place")):
        checks = {name: told for name, told in move.checks.items() if name != check}
        if done:
            checks[check] = {"by": by, "on": change.now.date().isoformat()}
        change.edited(move, "tick", checks=checks)
    return made


def _taken_up(
    change: Change, ref: Any, part: Part, states: tuple[str, ...], to: str, version: int | None
) -> tuple[Renumbering, list[Move]]:
    """A renumbering and those of its moves that are meant, locked."""
    require(change.actor, "planner", f"{to} a renumbering")
    made = find_locked(Renumbering, ref, "renumbering", version=version, related=("realm",))
    moves = _moves(made, part, states, to)
    return made, lock_all(
        Move.objects.filter(pk__in=[move.pk for move in moves], state__in=states).order_by("place")
    )


def _moves(made: Renumbering, part: Part, states: tuple[str, ...], to: str) -> list[Move]:
    rows = made.moves.filter(state__in=states)
    words = f"renumbering {made.name}"
    if part.wave is not None:
        waves = sorted(set(made.moves.values_list("wave", flat=True)))
        if part.wave not in waves:
            raise Invalid(
                f"renumbering {made.name} has no wave {part.wave!r}",
                field="wave",
                received=part.wave,
                suggestions=[wave for wave in waves if wave],
            )
        rows, words = rows.filter(wave=part.wave), f"wave {part.wave}"
    if part.subnets:
        numbers = _numbers_of(made, part.subnets)
        rows, words = rows.filter(pk__in=numbers), ", ".join(str(one) for one in part.subnets[:5])
    moves = list(rows.order_by("place"))
    if not moves or (part.subnets and len(moves) < len(set(part.subnets))):
        raise WrongState(
            f"{words}: to {to}, what is meant must be {' or '.join(states)}",
            field="subnets" if part.subnets else "wave",
            rule=" or ".join(states),
            suggestions=sorted({m.wave for m in made.moves.filter(state__in=states)[:50] if m.wave})[:5],
        )
    return moves


def _numbers_of(made: Renumbering, refs: Sequence[Any]) -> list[int]:
    """The moves of subnets or reservations, by name or number of either side."""
    rows = list(made.moves.order_by("place").values_list("pk", "name", "old_id", "new_id"))
    now = Subnet.objects.filter(pk__in=[new for *_, new in rows]).values_list("pk", "name")
    names = dict(now)
    known = {names[new]: number for number, _, _, new in rows if new in names}
    known |= {str(new): number for number, _, _, new in rows}
    known |= {text: number for number, name, old, _ in rows for text in (name, str(old))}
    for text in map(str, refs):
        if text not in known:
            raise Invalid(
                f"{text} is not of renumbering {made.name}",
                field="subnets",
                received=text,
                suggestions=[name for _, name, _, _ in rows[:5]],
            )
    return [known[str(ref)] for ref in refs]


def _sides(moves: Sequence[Move]) -> tuple[dict[int, Subnet], dict[int, Subnet]]:
    """The old and the new subnets of moves, locked; one that is gone by itself is left out."""
    sides = []
    for side in ("old", "new"):
        rows = Subnet.objects.filter(pk__in=[getattr(move, f"{side}_id") for move in moves]).order_by("pk")
        found = lock_all(rows.select_related(*RELATED).prefetch_related("extents"))
        for subnet in found:
            subnet.pool.sheet.known_rules = subnet.pool.sheet.rules()
        sides.append({subnet.pk: subnet for subnet in found})
    return sides[0], sides[1]


def _prefixes(texts: Iterable[str]) -> list[Prefix]:
    return [parse_prefix(text) for text in texts]


def _set_state(change: Change, moves: Sequence[Move], verb: str, state: str, **when: Any) -> None:
    """Moves in another state; their hosts are stored with it."""
    if not moves:
        return
    before = [{"state": m.state} | dict.fromkeys(when) for m in moves]
    change.entered_all(moves, verb, before, [{"state": state} | when] * len(moves))
    for move in moves:
        move.state = state
        for name, value in when.items():
            setattr(move, name, value)
    change.stored(moves, "state", "hosts", *when)


def _close(change: Change, made: Renumbering, state: str) -> None:
    """A renumbering of which nothing moves any more."""
    if made.moves.filter(state__in=LIVING_MOVES).exists():
        return
    if state == "turned back" and made.moves.filter(state="finished").exists():
        state = "finished"
    change.edited(made, "finish" if state == "finished" else "turn back", state=state, closed_at=change.now)


def _refuse_unmoved(change: Change, moves: Sequence[Move], olds: dict[int, Subnet]) -> None:
    """Refuse to finish what is still in use on its old side."""
    rows = not_moved(move.new_id for move in moves).exclude(pk__in=hosts_seen_moved(moves))
    left = rows.count()
    waiting = list(rows.select_related("replaces")[:_MOST_TOLD])
    lately = still_seen(olds.values())
    only_there = list(only_on_old_side(olds).select_related("subnet")[:_MOST_TOLD])
    if not waiting and not lately and not only_there:
        return
    words = []
    if waiting:
        count = "1 host has" if left == 1 else f"{left} hosts have"
        was = waiting[0].replaces or waiting[0]
        words.append(f"{count} not moved ({waiting[0].name}, {was.text})")
    if only_there:
        first = only_there[0]
        words.append(f"{first.label_text} was recorded in {first.subnet.name} since, and has no new address")
    raise InUse(
        f"{' and '.join([*words, *lately[:1]])}: finish it all the same only when that is meant",
        field="despite_use",
        rule="the old side is given back once nothing is there any more",
        conflicts=[_not_there(r.replaces, f"goes to {r.text}") for r in waiting if r.replaces]
        + [_not_there(record, "is on the old side alone") for record in only_there]
        + [{"range": words, "kind": "sighting"} for words in lately],
        suggestions=["note that the hosts have moved", "despite_use: true"],
    )


def _not_there(record: Address, why: str) -> dict[str, Any]:
    return {"range": record.text, "owner": record.name, "kind": "address record", "why": why}


_TAKEN_OVER = ("name", "name_stem", "name_number", "tag", "outer_tag", "tag_scope", "plan_id", "plan_slot")
_TOLD = ("name", "tag", "outer_tag", "plan_id", "plan_slot")


def _take_over(change: Change, pairs: Sequence[tuple[Subnet, Subnet]]) -> None:
    """The new subnets get names, segment tags with their members, and places in plans of the old ones."""
    taken = _taken_names(pairs)
    to: list[tuple[Subnet, dict[str, Any]]] = []
    for old, new in pairs:
        tag = {
            name: getattr(old if old.tag is not None else new, name) for name in ("tag", "outer_tag", "tag_scope")
        }
        plan = {name: getattr(old if old.plan_id is not None else new, name) for name in ("plan_id", "plan_slot")}
        to += [
            (old, _named(_old_name(old.name, taken), old) | _WITHOUT),
            (new, _named(old.name, new) | tag | plan),
        ]
    for side in (0, 1):  # the old ones first: names and tags are free then
        _set_all(change, to[side::2])
    news = {old.pk: new for old, new in pairs}
    for member in lock_all(TagMember.objects.filter(subnet__in=news).order_by("pk")):
        change.edited(member, "take over", subnet=news[member.subnet_id])


def _set_all(change: Change, rows: Sequence[tuple[Subnet, dict[str, Any]]]) -> None:
    """Set values on subnets, enter what differs, store them."""
    before = [
        {name: getattr(subnet, name) for name in _TOLD if getattr(subnet, name) != to[name]} for subnet, to in rows
    ]
    after = [{name: to[name] for name in was} for was, (_, to) in zip(before, rows, strict=True)]
    for subnet, to in rows:
        for name, value in to.items():
            setattr(subnet, name, value)
    subnets = [subnet for subnet, _ in rows]
    change.entered_all(subnets, "take over", before, after)
    change.stored(subnets, *_TAKEN_OVER)


def _taken_names(pairs: Sequence[tuple[Subnet, Subnet]]) -> set[str]:
    """Names that subnets of the realm have, of those that old sides are about to get."""
    if not pairs:
        return set()
    wanted = {with_end(old.name, "-old") for old, _ in pairs}
    return set(Subnet.objects.filter(realm=pairs[0][0].realm_id, name__in=wanted).values_list("name", flat=True))


def _old_name(name: str, taken: set[str]) -> str:
    """A name for what is about to cool; its own goes to the new side."""
    n, found = 1, with_end(name, "-old")
    while found in taken:
        n += 1
        found = with_end(name, f"-old-{n}")
    taken.add(found)
    return found


def _named(name: str, subnet: Subnet) -> dict[str, Any]:
    stem, number = split_name(name, lengths=[block.length for block in subnet.blocks()])
    return {"name": name, "name_stem": stem, "name_number": number}


_WITHOUT = {"tag": None, "outer_tag": 0, "tag_scope": None, "plan_id": None, "plan_slot": ""}


def _take_over_reservation(change: Change, move: Move) -> None:
    """The new reservation gets the name and the plan of the old one, which is given back."""
    old, new = (Reservation.objects.filter(pk=number).first() for number in (move.old_id, move.new_id))
    if old is not None:
        give_back_reservation(change, old.pk)
    if new is not None:
        plan = old.plan_id if old else new.plan_id
        change.edited(find_locked(Reservation, new.pk), "take over", name=move.name, plan_id=plan)
