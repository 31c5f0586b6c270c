"""What is done about a finding: dismissed, opened again, or taken over into the registry."""

from __future__ import annotations

from datetime import date

from lentra.registry.errors import Invalid, WrongState
from lentra.registry.lookup.locked import find_locked
from lentra.registry.models import Finding, Record
from lentra.registry.operations.findings.judge import judge, lock_sources
from lentra.registry.operations.pools.add_keep_out import add_keep_out
from lentra.registry.operations.subnets.record_addresses import AddressRequest, record_addresses
from lentra.registry.rules.permissions import require
from lentra.registry.transactions.change import Change

BECOMES = ("keep-out", "address-record")


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
    finding = _living(number, version)
    if not reason.strip():
        raise Invalid("a reason is needed: why the difference stays", field="reason")
    if until is not None and until <= change.now.date():
        raise Invalid("the day is to come", field="until", received=until)
    change.edited(finding, "dismiss", state="dismissed", reason=reason, until=until)
    return finding


def reopen_finding(change: Change, number: int, version: int | None = None) -> Finding:
    """Take back that a finding was dismissed.

    Raises:
        WrongState: it is closed.
        NotAllowed, StaleEdit.
    """
    require(change.actor, "planner", "open a finding again")
    finding = _living(number, version)
    change.edited(finding, "reopen", state="open", reason="", until=None)
    return finding


def take_over(
    change: Change, number: int, becomes: str, name: str = "", reason: str = "", version: int | None = None
) -> Finding:
    """Take a stray over: what was seen becomes a keep-out, or an address record of the subnet that it lies in.

    The difference is gone then, and the finding is closed.

    Args:
        name: of an address record; as it was seen if left out, or as the realm's template makes it.
        reason: of a keep-out; what was seen if left out.

    Raises:
        WrongState: it is no stray, or closed.
        Invalid: it cannot become that; says what would do.
        NotAllowed, StaleEdit, and whatever the adding refuses.
    """
    require(change.actor, "planner", "take a finding over")
    lock_sources(realm__findings=number)
    finding = _living(number, version)
    if finding.kind != "stray":
        raise WrongState(f"a {finding.kind} finding is not taken over: correct what is recorded, or what is there")
    single = finding.first == finding.last
    if becomes not in BECOMES or (becomes == "address-record" and not (single and finding.subnet)):
        will = ["keep-out", *(["address-record"] if single and finding.subnet else [])]
        raise Invalid(
            f"{finding.range_text} cannot become {becomes!r}: an address record lies in a subnet",
            field="becomes",
            received=becomes,
            suggestions=will,
        )
    made: Record
    if becomes == "keep-out":
        sources = ", ".join(dict.fromkeys(one["source"] for one in finding.seen))
        made = add_keep_out(
            change,
            {
                "realm": finding.realm,
                "family": finding.family,
                "first": finding.first,
                "last": finding.last,
                "reason": reason or f"seen by {sources}",
                "source": sources[:200],
                "certainty": "likely",
            },
            despite_use=finding.subnet is not None,
        )
    else:
        wanted = AddressRequest(name=name or None, address=finding.range_text)
        (made,) = record_addresses(change, finding.subnet, wanted)
    change.note(f"{finding.range_text} is {becomes.replace('-', ' ')} {made.pk} from now on")
    judge(change, finding.realm)
    return Finding.objects.get(pk=finding.pk)


def _living(number: int, version: int | None) -> Finding:
    finding = find_locked(Finding, number, version=version, related=("realm",))
    if finding.living is None:
        raise WrongState(f"finding {number} is closed: its difference is gone")
    return finding
