"""Renumberings: how far each is, what holds it up, when it is likely to end; and what others must change, as lists."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Iterator, Sequence
from datetime import datetime
from typing import Any

from django.db.models import Count

from lentra.addressing.dns import reverse_name
from lentra.addressing.prefix import Prefix, aggregate, parse_address, parse_prefix, parse_range, prefixes_of_range
from lentra.addressing.renumbering import likely_end, routes_of
from lentra.registry.lookup.moving import hosts_seen_moved, not_moved, only_on_old_side, records_by_subnet
from lentra.registry.lookup.sightings import seen_now
from lentra.registry.models import CHECKS, MOVE_STATES, Address, Move, Renumbering, Subnet
from lentra.registry.operations.renumbering.hosts import host_moves
from lentra.registry.operations.subnets.opened import RELATED
from lentra.registry.rules.naming import Naming

_HELD_UP = 50
_NAMED = 3

Told = dict[str, Any]


def moves_of(made: Renumbering, states: Sequence[str] = MOVE_STATES) -> list[Move]:
    """The moves of a renumbering in their order."""
    return list(made.moves.filter(state__in=states).order_by("place"))


def hosts_left(moves: Iterable[Move]) -> dict[int, tuple[int, int]]:
    """Of each move, how many address records it has, and how many of these have not moved. Two statements."""
    moves = list(moves)
    planned = [move.old_id for move in moves if move.state == "planned"]
    living = [move.new_id for move in moves if move.state == "moving"]
    recorded = _counted(Address.objects.filter(subnet__in=planned)) if planned else {}
    waiting = _counted(not_moved(living)) if living else {}
    found = {}
    for move in moves:
        if move.state == "planned":
            found[move.pk] = (recorded.get(move.old_id, 0),) * 2
        else:
            found[move.pk] = (len(move.hosts), waiting.get(move.new_id, 0) if move.state == "moving" else 0)
    return found


def _counted(rows: Any) -> dict[int, int]:
    return dict(rows.order_by().values("subnet").annotate(n=Count("*")).values_list("subnet", "n"))


def progress(made: Renumbering, now: datetime) -> Told:
    """How far a renumbering is.

    Returns:
        ``counts`` (moves by state), ``hosts`` (all of them, those that have moved, and how many of these a source alone
        knows of), ``rows`` (the same by wave, zone and tier), ``checks`` (ticked off -> of how many moves), ``held_up``
        (what could not be finished now, and why), ``likely`` (day of its end at the pace until now), ``late``.
    """
    moves = [move for move in moves_of(made) if move.state != "turned back"]
    turned_back = made.moves.filter(state="turned back").count()
    left = hosts_left(moves)
    living = [move for move in moves if move.state == "moving"]
    seen = hosts_seen_moved(living)
    by_move = _seen_by_move(living, seen)
    rows: dict[tuple[str, str, str], Told] = {}
    for move in moves:
        key = (move.wave, move.zone, move.tier)
        row = rows.setdefault(
            key,
            {"wave": key[0], "zone": key[1], "tier": key[2]}
            | dict.fromkeys(("moves", "planned", "moving", "finished", "hosts", "moved"), 0),
        )
        total, waiting = left[move.pk]
        row["moves"] += 1
        row[move.state] += 1
        row["hosts"] += total
        row["moved"] += total - waiting + by_move.get(move.pk, 0)
    hosts = sum(row["hosts"] for row in rows.values())
    moved = sum(row["moved"] for row in rows.values())
    finished = sum(move.state == "finished" for move in moves)
    held_up = _held_up(living, left, by_move) if made.closed_at is None else []
    begun, today = made.created_at.date(), now.date()
    done, total = (moved + finished, hosts + len(moves)) if hosts else (finished, len(moves))
    likely = likely_end(begun, today, done, total) if made.closed_at is None and moves else None
    return {
        "counts": {state.replace(" ", "_"): sum(m.state == state for m in moves) for state in MOVE_STATES[:3]}
        | {"turned_back": turned_back},
        "hosts": {"all": hosts, "moved": moved, "seen": len(seen)},
        "rows": [rows[key] for key in sorted(rows)],
        "checks": [{"check": check, "moves": sum(check in move.checks for move in moves)} for check in CHECKS],
        "held_up": held_up[:_HELD_UP],
        "held_up_count": len(held_up),
        "likely": likely,
        "late": bool(made.by and made.closed_at is None and (today > made.by or (likely and likely > made.by))),
    }


def _seen_by_move(moves: Sequence[Move], seen: set[int]) -> dict[int, int]:
    by_new = {move.new_id: move.pk for move in moves}
    rows = Address.objects.filter(pk__in=seen).values_list("subnet", flat=True)
    return dict(Counter(by_new[number] for number in rows))


def _held_up(moves: Sequence[Move], left: dict[int, tuple[int, int]], seen: dict[int, int]) -> list[Told]:
    """Moves that could not be finished now, and why."""
    olds = {
        subnet.pk: subnet
        for subnet in Subnet.objects.filter(pk__in=[move.old_id for move in moves]).prefetch_related("extents")
    }
    still = seen_now(olds.values())
    waiting = [move for move in moves if left[move.pk][1] - seen.get(move.pk, 0) > 0]
    names: dict[int, list[str]] = {}
    rows = not_moved(move.new_id for move in waiting[:_HELD_UP])
    for number, name in rows.values_list("subnet", "name"):
        names.setdefault(number, []).append(name)
    since = _counted(only_on_old_side(olds))
    found = []
    for move in moves:
        why = []
        if move in waiting:
            count = left[move.pk][1] - seen.get(move.pk, 0)
            first = list(dict.fromkeys(names.get(move.new_id, ())))[:_NAMED]
            more = " and others" if count > len(first) else ""
            have = "hosts have" if count > 1 else "host has"
            why.append(f"{count} {have} not moved" + (f": {', '.join(first)}{more}" if first else ""))
        if added := since.get(move.old_id):
            records = "address record is" if added == 1 else "address records are"
            why.append(f"{added} {records} on the old side alone")
        if move.old_id in still:
            why.append("the old side is still seen")
        if why:
            found.append({"move": {"id": move.pk, "name": move.name}, "wave": move.wave, "why": "; ".join(why)})
    return found


# --- what others must change ---


def hosts_told(moves: Sequence[Move]) -> dict[int, list[list[str]]]:
    """The address records of moves as name, old address, new address; of those that have not begun, where they would go."""
    found = {move.pk: move.hosts for move in moves if move.state not in ("planned", "turned back")}
    planned = [move for move in moves if move.state == "planned" and move.of == "subnet"]
    numbers = {number for move in planned for number in (move.old_id, move.new_id)}
    rows = Subnet.objects.filter(pk__in=numbers).select_related(*RELATED).prefetch_related("extents")
    subnets = {subnet.pk: subnet for subnet in rows}
    records = records_by_subnet(move.old_id for move in planned)
    for move in planned:
        if move.old_id in subnets and move.new_id in subnets:
            olds, news = ([parse_prefix(t) for t in texts] for texts in (move.old_ranges, move.new_ranges))
            hosts = host_moves(
                subnets[move.old_id], subnets[move.new_id], olds, news, records.get(move.old_id, ())
            )
            found[move.pk] = [host.told for host in hosts if host.new is not None]
    return found


def map_of(made: Renumbering) -> list[Told]:
    """Old beside new: each range, and each address record after the subnet that it is in."""
    moves = [move for move in moves_of(made) if move.state != "turned back"]
    hosts = hosts_told(moves)
    rows: list[Told] = []
    for move in moves:
        common = {"wave": move.wave, "state": move.state, "subnet": move.name}
        for old, new in zip(move.old_ranges, move.new_ranges, strict=True):
            rows.append({"of": move.of, "name": move.name, "old": old, "new": new, **common})
        for name, old, new in hosts.get(move.pk, ()):
            rows.append({"of": "address record", "name": name, "old": old, "new": new, **common})
    return rows


def rules_of(made: Renumbering) -> list[Told]:
    """What rules of who may reach whom need: ranges to add now, and to take out at the end, as few as there can be."""
    rows: list[Told] = []
    for wave, moves in _by_wave(made):
        for when, action, side in (("now", "add", "new_ranges"), ("at the end", "take out", "old_ranges")):
            for prefix in aggregate(list(_prefixes(moves, side))):
                rows.append({"wave": wave, "when": when, "action": action, "range": str(prefix)})
    return rows


def routes(made: Renumbering) -> list[Told]:
    """What is routed before, while both sides live, and after."""
    moves = [move for move in moves_of(made) if move.state != "turned back"]
    found = routes_of(_prefixes(moves, "old_ranges"), _prefixes(moves, "new_ranges"))
    return [{"phase": route.phase, "family": route.prefix.family, "range": str(route.prefix)} for route in found]


def dns_changes(made: Renumbering) -> list[Told]:
    """The DNS changes of each wave: the new records to add as it begins, the old ones to delete once hosts have moved."""
    rows: list[Told] = []
    for wave, moves in _by_wave(made):
        hosts = hosts_told(moves)
        sides = {number for move in moves for number in (move.old_id, move.new_id)}
        subnets = Subnet.objects.select_related("project", "zone", "region", "tier").in_bulk(sides)
        naming = Naming(made.realm_id)
        for action, column in (("add", 2), ("delete", 1)):
            for move in moves:
                side = subnets.get(move.new_id if action == "add" else move.old_id)
                subnet = side or subnets.get(move.new_id)  # the old one may be gone
                for host in hosts.get(move.pk, ()):
                    family, address = parse_address(host[column])
                    name = _called(naming, subnet, host[0])
                    kind = "A" if family == 4 else "AAAA"
                    back = reverse_name(family, address)
                    for name_of, type_of, data in ((name, kind, host[column]), (back, "PTR", name)):
                        rows.append(
                            {"wave": wave, "action": action, "name": name_of, "type": type_of, "data": data}
                        )
    return rows


def _called(naming: Naming, subnet: Subnet | None, name: str) -> str:
    """What a host is called in DNS; where no DNS zone says so, its name under the suffix that its subnet has."""
    if subnet is None:
        return name
    return naming.host(subnet, name) or (f"{name}.{subnet.dns_suffix}" if subnet.dns_suffix else name)


def _by_wave(made: Renumbering) -> list[tuple[str, list[Move]]]:
    waves: dict[str, list[Move]] = {}
    for move in moves_of(made):
        if move.state != "turned back":
            waves.setdefault(move.wave, []).append(move)
    return sorted(waves.items())


def _prefixes(moves: Iterable[Move], side: str) -> Iterator[Prefix]:
    for move in moves:
        for text in getattr(move, side):
            yield from prefixes_of_range(*parse_range(text))
