"""Opening a subnet for a change: found, its pools opened, its row locked, and judged as it is then."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from contextlib import contextmanager
from typing import Any

from lentra.registry.errors import WrongState
from lentra.registry.lookup.find import find
from lentra.registry.lookup.locked import find_locked
from lentra.registry.models import LIVING_MOVES, Move, Subnet
from lentra.registry.rules.permissions import require_project
from lentra.registry.space.locking import Pools, open_pools_of
from lentra.registry.space.store import DatabaseExtents
from lentra.registry.transactions.change import Change
from lentra.registry.transactions.reach import require_place

RELATED = ("project", "pool__realm", "pool__sheet", "zone", "tier", "region")
IN_USE = ("active", "retiring")


@contextmanager
def open_subnet(
    change: Change, ref: Any, to: str, version: int | None = None, states: tuple[str, ...] = ()
) -> Iterator[tuple[Subnet, Pools]]:
    """A subnet whose space is to change, with the pools in which it has space.

    Args:
        states: those in which it may be changed so; any, if there is none.

    Raises:
        UnknownName, NotAllowed, StaleEdit, WrongState.
    """
    found = find(Subnet, ref, "subnet", related=("project",))
    require_project(change.actor, found.project, to)
    with open_pools_of(change, [found.pk], found.pool_id) as pools:
        yield locked_subnet(change, found.pk, to, version, states), pools


def locked_subnet(
    change: Change, ref: Any, to: str, version: int | None = None, states: tuple[str, ...] = ()
) -> Subnet:
    """A subnet whose row alone is to change, or what is inside it.

    Raises:
        UnknownName, NotAllowed, StaleEdit, WrongState.
    """

    def may(subnet: Subnet) -> None:
        require_project(change.actor, subnet.project, to)
        require_place(change.actor, subnet.pool.realm_id, subnet.pool_id)

    subnet = find_locked(Subnet, ref, "subnet", may=may, version=version, related=RELATED)
    if states and subnet.state not in states:
        raise WrongState(
            f"subnet {subnet.name} is {subnet.state}: to {to}, it must be {' or '.join(states)}",
            received=subnet.state,
            rule=" or ".join(states),
        )
    return subnet


def refuse_moving(subnets: Iterable[Subnet], to: str) -> None:
    """Refuse to change what a renumbering moves, on either side: the renumbering itself finishes it, or turns it back.

    Raises:
        WrongState.
    """
    numbers = [subnet.pk for subnet in subnets]
    living = Move.objects.filter(state__in=LIVING_MOVES).select_related("renumbering")
    move = living.filter(old_id__in=numbers).first() or living.filter(new_id__in=numbers).first()
    if move is None:
        return
    name = move.renumbering.name
    raise WrongState(
        f"{move.name} is on its way from {', '.join(move.old_ranges)} to {', '.join(move.new_ranges)} (renumbering {name}): "
        f"to {to}, finish that first, or turn it back",
        received=move.name,
        rule="what moves is changed once it has arrived",
        suggestions=[f"lentra renumber finish {name}", f"lentra renumber turn-back {name}"],
    )


def families_of(subnet: Subnet, pools: Pools) -> dict[int, DatabaseExtents]:
    """The store of each family in which a subnet has space."""
    return {
        family: store
        for families in pools.values()
        for family, store in families.items()
        if store.owned_by(subnet.pk)
    }
