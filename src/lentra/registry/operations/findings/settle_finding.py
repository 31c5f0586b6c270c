"""What is done about a finding: dismissed, opened again, or taken over into the registry."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from datetime import date

from lentra.addressing.refusal import Refusal
from lentra.registry.errors import Invalid, WrongState
from lentra.registry.lookup.locked import find_locked
from lentra.registry.models import Finding, Person, Project
from lentra.registry.operations.findings.become import TakeOver, become
from lentra.registry.operations.findings.judge import judge, lock_sources
from lentra.registry.operations.findings.keeping_out import keep_out_strays
from lentra.registry.rules.permissions import require
from lentra.registry.transactions.change import Change

MOST_AT_ONCE = 500


def dismiss_finding(
    change: Change, number: int, reason: str, until: date | None = None, version: int | None = None
) -> Finding:
    """Say that a difference is known and stays; until a day, from which on it is open again if it is still there.

    Raises:
        Invalid: no reason, or a day that is not to come.
        WrongState: it is closed.
        NotAllowed, StaleEdit.
    """
    require(change.actor, "planner", "dismiss a finding")
    lock_sources(realm__findings=number)
    finding = living(number, version)
    if not reason.strip():
        raise Invalid("a reason is needed: why the difference stays", field="reason")
    if until is not None and until <= change.now.date():
        raise Invalid("the day is to come", field="until", received=until)
    change.edited(finding, "dismiss", state="dismissed", reason=reason, until=until)
    keep_out_strays(change, finding.realm)
    return finding


def reopen_finding(change: Change, number: int, version: int | None = None) -> Finding:
    """Take back that a finding was dismissed.

    Raises:
        WrongState: it is closed.
        NotAllowed, StaleEdit.
    """
    require(change.actor, "planner", "open a finding again")
    lock_sources(realm__findings=number)
    finding = living(number, version)
    change.edited(finding, "reopen", state="open", reason="", until=None)
    keep_out_strays(change, finding.realm)
    return finding


def take_over(change: Change, number: int, wanted: TakeOver, version: int | None = None) -> Finding:
    """Take a stray over: what was seen becomes a record of the registry.

    The difference is gone then, and the finding is closed.

    Raises:
        WrongState: it is no stray, or closed.
        Invalid: it cannot become that; says what would do.
        NotAllowed, StaleEdit, and whatever the adding refuses.
    """
    require(change.actor, "planner", "take a finding over")
    lock_sources(realm__findings=number)
    finding = living(number, version)
    become(change, finding, wanted)
    judge(change, finding.realm)
    return Finding.objects.get(pk=finding.pk)


def assign_finding(
    change: Change,
    number: int,
    assignee: Person | Project | None,
    due: date | None = None,
    version: int | None = None,
) -> Finding:
    """Ask somebody, or those of a project, to correct what differs, until a day; or nobody any more.

    Raises:
        Invalid: the day is past.
        WrongState: the finding is closed.
        NotAllowed, StaleEdit.
    """
    require(change.actor, "planner", "assign a finding")
    finding = living(number, version)
    if due is not None and due < change.now.date():
        raise Invalid(f"{due} has passed", field="due", received=due, suggestions=[change.now.date()])
    if due is not None and assignee is None:
        raise Invalid("who is to do it until then?", field="assignee")
    named = (
        {"assignee": assignee.pk, "assignee_name": assignee.name}
        if assignee
        else {"assignee": None, "assignee_name": ""}
    )
    change.edited(finding, "assign", **named, due=due)
    return finding


def settle_many(change: Change, numbers: Sequence[int], settle: Callable[[int], Finding]) -> list[Finding]:
    """Do the same with several findings: with all of them, or with none.

    Raises:
        Invalid: there are none, too many, or one comes twice.
        Refusal: as for one of them; says which.
    """
    if not 1 <= len(numbers) <= MOST_AT_ONCE or len(set(numbers)) < len(numbers):
        raise Invalid(
            f"{len(numbers):,} findings: 1 to {MOST_AT_ONCE:,}, each once", field="findings", received=len(numbers)
        )
    lock_sources(realm__findings__in=list(numbers))
    settled = []
    for n, number in enumerate(numbers):
        try:
            settled.append(settle(number))
        except Refusal as refusal:
            told = refusal.with_(message=f"finding {number}: {refusal.message}")
            told.field = f"findings.{n}"
            raise told
    return settled


def living(number: int, version: int | None) -> Finding:
    """A finding that is not closed, locked."""
    finding = find_locked(Finding, number, version=version, related=("realm",))
    if finding.living is None:
        raise WrongState(f"finding {number} is closed: its difference is gone")
    return finding
