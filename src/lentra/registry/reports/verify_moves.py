"""Rule 1 of renumberings: both sides of what moves are there, in the states that they say."""

from __future__ import annotations

from collections.abc import Iterator

from lentra.registry.models import LIVING_MOVES, Move, Realm, Reservation, Subnet

_STATES = {"planned": ("active", "held"), "moving": ("retiring", "active")}  # of the old side, and of the new one


def check_moves(only: Realm | None) -> Iterator[tuple[str, str]]:
    """What is wrong, and where: of all realms, or of one."""
    rows = Move.objects.filter(state__in=LIVING_MOVES).select_related("renumbering", "realm").order_by("pk")
    moves = list(rows.filter(realm=only) if only else rows)
    numbers = [number for move in moves for number in (move.old_id, move.new_id)]
    subnets = dict(Subnet.objects.filter(pk__in=numbers).values_list("pk", "state"))
    reserved = set(Reservation.objects.filter(pk__in=numbers).values_list("pk", flat=True))
    for move in moves:
        where = f"{move.realm.name}, renumbering {move.renumbering.name}"
        for side, number, wanted in zip(
            ("old", "new"), (move.old_id, move.new_id), _STATES[move.state], strict=True
        ):
            there = subnets.get(number) if move.of == "subnet" else wanted if number in reserved else None
            if there is None and move.of == "reservation" and side == "old":
                continue  # it ended by itself
            if there != wanted:
                yield f"{move.name} is {move.state}, and its {side} side is {there or 'gone'}, not {wanted}", where
