"""What becomes of a request while it waits: edited, talked about, passed on, withdrawn, reminded of, lapsed."""

from __future__ import annotations

from datetime import date
from typing import Any

from lentra.registry.errors import Invalid
from lentra.registry.lookup.find import find
from lentra.registry.lookup.locked import find_locked
from lentra.registry.models import Person, WaitingRequest
from lentra.registry.operations.waiting.ask import check_links, check_needed_by
from lentra.registry.operations.waiting.held import drop_held
from lentra.registry.rules.permissions import require_project
from lentra.registry.rules.waiting import find_waiting, require_decider, require_own
from lentra.registry.transactions.change import Change
from lentra.registry.transactions.clock import Clock
from lentra.registry.transactions.locks import lock_all
from lentra.registry.transactions.run import run_transaction

LONGEST_WORD = 2000


def edit_request(
    change: Change, number: int, values: dict[str, Any], version: int | None = None
) -> WaitingRequest:
    """Edit what is told with a request: `reason`, `needed_by`, `links`. What it asks for is asked for anew in its place.

    Raises:
        WrongState, NotAllowed, StaleEdit, Invalid.
    """
    request = find_waiting(change, number, "edit a request", require_own, version)
    check_links(values.get("links", []))
    day = values.get("needed_by")
    if isinstance(day, date):
        check_needed_by(change, day)
    change.edited(request, **values)
    return request


def withdraw(change: Change, number: int, version: int | None = None) -> WaitingRequest:
    """Withdraw a request; what it held is free again.

    Raises:
        WrongState, NotAllowed, StaleEdit.
    """
    request = find_waiting(change, number, "withdraw a request", require_own, version)
    drop_held(change, request)
    change.edited(
        request,
        "withdraw",
        state="withdrawn",
        held=False,
        made=[],
        decided_at=change.now,
        decision=change.why[:500],
    )
    return request


def pass_on(change: Change, number: int, to: Any, version: int | None = None) -> WaitingRequest:
    """Pass a request on to another planner, who is to decide on it; to nobody in particular, if `to` is empty.

    Raises:
        Invalid: that person decides on none.
        WrongState, NotAllowed, StaleEdit, UnknownName.
    """
    request = find_waiting(change, number, "pass a request on", require_decider, version)
    person = find(Person, to, "to") if to not in (None, "") else None
    if person and (not person.may("planner") or not person.active):
        raise Invalid(
            f"{person.name} is {'no longer active' if not person.active else f'a {person.role}'}: planners decide",
            field="to",
            received=person.name,
            suggestions=list(
                Person.objects.filter(role__in=("planner", "admin"), active=True).values_list("name", flat=True)[
                    :8
                ]
            ),
        )
    change.edited(request, "pass on", assigned_to=person)
    return request


def say(change: Change, number: int, text: str, version: int | None = None) -> WaitingRequest:
    """Say something about a request, which those read who have to do with it; also once it is decided.

    Raises:
        Invalid: nothing is said, or too much.
        NotAllowed: the actor is no planner, and of another project.
    """
    if not text.strip() or len(text) > LONGEST_WORD:
        raise Invalid(f"a word has 1 to {LONGEST_WORD:,} letters", field="text")
    request = find_locked(WaitingRequest, number, "request", version=version, related=("asker", "project"))
    actor = change.actor
    if actor and actor.pk != request.asker_id:
        require_project(actor, request.project, "say something about its requests")
    change.entered(request, "say", None, {"text": text.strip()})
    request.save(update_fields=["last_entry"])
    return request


def look_after_waiting(clock: Clock) -> dict[str, int]:
    """Remind of what waits too long, and let lapse what has; returns how many of each."""
    now = clock.now()
    waiting = WaitingRequest.objects.filter(state="waiting")
    lapsed = list(waiting.filter(lapses_at__lte=now).values_list("pk", flat=True))
    reminded = list(waiting.filter(reminds_at__lte=now, lapses_at__gt=now).values_list("pk", flat=True))
    for number in lapsed:
        run_transaction(lambda change, number=number: _lapse(change, number), clock=clock)  # type: ignore[misc]
    for number in reminded:
        run_transaction(lambda change, number=number: _remind(change, number), clock=clock)  # type: ignore[misc]
    return {"lapsed": len(lapsed), "reminded": len(reminded)}


def _lapse(change: Change, number: int) -> None:
    for request in lock_all(WaitingRequest.objects.filter(pk=number, state="waiting", lapses_at__lte=change.now)):
        drop_held(change, request)
        change.edited(request, "lapse", state="lapsed", held=False, made=[], decided_at=change.now)


def _remind(change: Change, number: int) -> None:
    for request in lock_all(WaitingRequest.objects.filter(pk=number, state="waiting", reminds_at__lte=change.now)):
        change.edited(request, "remind", reminds_at=None)
