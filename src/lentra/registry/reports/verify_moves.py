"""Rule 1 of renumberings: both sides of what moves are there, in the states that they say."""

from __future__ import annotations

from collections.abc import Iterator

from lentra.registry.models import LIVING_MOVES, Move, Realm, Subnet

_STATES = {"planned": ("active", "held"), "moving": ("retiring", "active")}  # of the old side, and of the new one


def check_moves(only: Realm | None) -> Iterator[tuple[str, str]]:
    """What is wrong, and where: of all realms, or of one."""
    rows = Move.objects.filter(state__in=LIVING_MOVES).select_related("renumbering", "realm").order_by("pk")
    moves = list(rows.filter(realm=only) if only else rows)
    numbers = [number for move in moves for number in (move.old_id, move.new_id)]
    subnets = dict(Subnet.objects.filter(pk__in=numbers).values_list("pk", "state"))
    for move in moves:
        if move.of == "reservation":
            continue  # either side may be used up, or end by itself
        where = f"{move.realm.name}, renumbering {move.renumbering.name}"
        for side, number, wanted in zip(
            ("old", "new"), (move.old_id, move.new_id), _STATES[move.state], strict=True
        ):
            there = subnets.get(number)
            if there != wanted:
                yield f"{move.name} is {move.state}, and its {side} side is {there or 'gone'}, not {wanted}", where
