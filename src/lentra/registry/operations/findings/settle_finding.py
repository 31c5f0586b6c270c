"""What is done about a finding: dismissed, opened again, or taken over into the registry."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from datetime import date
from typing import Any

from lentra.addressing.refusal import Refusal
from lentra.registry.errors import Invalid, WrongState
from lentra.registry.lookup.locked import find_locked
from lentra.registry.models import Finding, Person, Project, Realm
from lentra.registry.operations.findings.become import TakeOver, become
from lentra.registry.operations.findings.judge import judge, lock_sources
from lentra.registry.operations.findings.keeping_out import keep_out_strays
from lentra.registry.rules.permissions import require
from lentra.registry.transactions.change import Change

MOST_AT_ONCE = 500


def dismiss_findings(
    change: Change, numbers: Sequence[int], reason: str, until: date | None = None, version: int | None = None
) -> list[Finding]:
    """Say that differences are known and stay; until a day, from which on they are open again if they are still there.

    Raises:
        Invalid: no reason, or a day that is not to come.
        WrongState: one is closed.
        NotAllowed, StaleEdit.
    """
    if not reason.strip():
        raise Invalid("a reason is needed: why the difference stays", field="reason")
    if until is not None and until <= change.now.date():
        raise Invalid("the day is to come", field="until", received=until)

    def dismiss(finding: Finding) -> None:
        change.edited(finding, "dismiss", state="dismissed", reason=reason, until=until)

    return settled(change, numbers, "dismiss a finding", dismiss, keep_out_strays, version)


def reopen_findings(change: Change, numbers: Sequence[int], version: int | None = None) -> list[Finding]:
    """Take back that findings were dismissed.

    Raises:
        WrongState: one is closed.
        NotAllowed, StaleEdit.
    """

    def reopen(finding: Finding) -> None:
        change.edited(finding, "reopen", state="open", reason="", until=None)

    return settled(change, numbers, "open a finding again", reopen, keep_out_strays, version)


def take_over(
    change: Change, numbers: Sequence[int], wanted: TakeOver, version: int | None = None
) -> list[Finding]:
    """Take strays over: what was seen becomes a record of the registry.

    The difference is gone then, and the finding is closed.

    Raises:
        WrongState: one is no stray, or closed.
        Invalid: one cannot become that; says what would do.
        NotAllowed, StaleEdit, and whatever the adding refuses.
    """

    def taken(finding: Finding) -> None:
        become(change, finding, wanted)

    return settled(change, numbers, "take a finding over", taken, judge, version)


def assign_findings(
    change: Change,
    numbers: Sequence[int],
    assignee: Person | Project | None,
    due: date | None = None,
    version: int | None = None,
) -> list[Finding]:
    """Ask somebody, or those of a project, to correct what differs, until a day; or nobody any more.

    Raises:
        Invalid: the day is past.
        WrongState: one is closed.
        NotAllowed, StaleEdit.
    """
    if due is not None and due < change.now.date():
        raise Invalid(f"{due} has passed", field="due", received=due, suggestions=[change.now.date()])
    if due is not None and assignee is None:
        raise Invalid("who is to do it until then?", field="assignee")
    named: dict[str, Any] = {"assignee": None, "assignee_name": ""}
    if assignee:
        named = {"assignee": assignee.pk, "assignee_name": assignee.name}

    def assign(finding: Finding) -> None:
        change.edited(finding, "assign", **named, due=due)

    return settled(change, numbers, "assign a finding", assign, None, version)


def settled(
    change: Change,
    numbers: Sequence[int],
    to: str,
    settle: Callable[[Finding], None],
    after: Callable[[Change, Realm], Any] | None,
    version: int | None,
) -> list[Finding]:
    """Do the same with several findings, with all of them or with none, and then once what follows for each realm.

    Raises:
        Invalid: there are none, too many, or one comes twice.
        Refusal: as for one of them; says which.
    """
    require(change.actor, "planner", to)
    if not 1 <= len(numbers) <= MOST_AT_ONCE or len(set(numbers)) < len(numbers):
        raise Invalid(
            f"{len(numbers):,} findings: 1 to {MOST_AT_ONCE:,}, each once", field="findings", received=len(numbers)
        )
    lock_sources(realm__findings__in=list(numbers))
    realms: dict[int, Realm] = {}
    for n, number in enumerate(numbers):
        try:
            finding = _living(number, version)
            settle(finding)
        except Refusal as refusal:
            if len(numbers) == 1:
                raise
            told = refusal.with_(message=f"finding {number}: {refusal.message}")
            told.field = f"findings.{n}"
            raise told
        realms[finding.realm_id] = finding.realm
    if after:
        for realm in realms.values():
            after(change, realm)
    now = Finding.objects.select_related("realm").in_bulk(numbers)
    return [now[number] for number in numbers]


def _living(number: int, version: int | None) -> Finding:
    """A finding that is not closed, locked."""
    finding = find_locked(Finding, number, version=version, related=("realm",))
    if finding.living is None:
        raise WrongState(f"finding {number} is closed: its difference is gone")
    return finding
