"""Who may do what with a request that waits, and whether it still does."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from typing import Any

from lentra.registry.errors import NotAllowed, WrongState
from lentra.registry.lookup.locked import find_locked
from lentra.registry.models import Person, Reservation, Subnet, WaitingRequest
from lentra.registry.rules.approvals import is_bound
from lentra.registry.rules.permissions import require
from lentra.registry.transactions.change import Change
from lentra.registry.transactions.proposals import Told


def require_own(change: Change, request: WaitingRequest, to: str) -> None:
    """Refuse who neither asked nor is a planner.

    Raises:
        NotAllowed: says who may.
    """
    actor = change.actor
    if actor is None or actor.may("planner") or actor.pk == request.asker_id:
        return
    raise NotAllowed(
        f"{request.summary} was asked for by {request.asker.name}: to {to}, that person or a planner is needed",
        rule="who asks may edit and withdraw",
    )


def require_decider(change: Change, request: WaitingRequest, to: str) -> None:
    """Refuse who is no planner.

    Raises:
        NotAllowed.
    """
    require(change.actor, "planner", to)


def find_waiting(
    change: Change,
    number: Any,
    to: str,
    may: Callable[[Change, WaitingRequest, str], None],
    version: int | None = None,
) -> WaitingRequest:
    """A request that still waits, locked until the change ends.

    Raises:
        WrongState: it was decided on already, by whom and when; or has lapsed, also where nobody has noted that yet.
        UnknownName, StaleEdit, and what `may` raises.
    """
    related = ("asker", "project", "realm", "pool", "assigned_to", "decided_by")
    request = find_locked(
        WaitingRequest,
        number,
        "request",
        may=lambda found: may(change, found, to),
        version=version,
        related=related,
    )
    if request.state != "waiting":
        by = f" by {request.decided_by.name}" if request.decided_by else ""
        at = f" at {request.decided_at:%Y-%m-%d %H:%M} UTC" if request.decided_at else ""
        raise WrongState(
            f"{request.summary} was {request.state}{by}{at}: to {to}, it must be waiting",
            received=request.state,
            rule="waiting",
        )
    if request.lapses_at <= change.now:
        raise WrongState(
            f"{request.summary} lapsed at {request.lapses_at:%Y-%m-%d %H:%M} UTC: it has to be asked for anew",
            received="lapsed",
            rule="waiting",
        )
    return request


def blocks_told(told: Iterable[Told]) -> list[str]:
    """The blocks, or the range, that ledger entries say were made or changed; of a growth, those of the whole subnet."""
    found: list[str] = []
    for _, kind, _, _, after in told:
        if kind == Subnet.KIND and after:
            found += after.get("blocks", [])
        elif kind == Reservation.KIND and after and "range" in after:
            found.append(after["range"])
    return found


def refuse_undecided(actor: Person | None, number: int | None) -> None:
    """Refuse a requester what is held for a request on which a planner is to decide.

    Args:
        number: of the subnet, plan or reservation that is to be made use of; None for none.

    Raises:
        WrongState: says which request it waits for.
    """
    if number is None or not is_bound(actor):
        return
    held = WaitingRequest.objects.filter(state="waiting", held=True, made__contains=[number])
    if request := held.first():
        raise WrongState(
            f"it is held for request {request.pk}, {request.summary}, on which a planner decides",
            received="held",
            rule=request.rule_words,
        )
