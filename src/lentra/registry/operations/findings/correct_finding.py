"""Correct what is recorded to what was seen: for the facts that can be set, the others say what would do."""

from __future__ import annotations

from lentra.registry.errors import Invalid, WrongState
from lentra.registry.models import Address, Finding
from lentra.registry.operations.findings.judge import judge, lock_sources
from lentra.registry.operations.findings.settle_finding import living
from lentra.registry.operations.subnets.edit_subnet import edit_subnet
from lentra.registry.operations.subnets.record_addresses import edit_address
from lentra.registry.rules.permissions import require
from lentra.registry.transactions.change import Change

_OF_SUBNET = ("tag", "gateway", "dhcp", "name")
_OF_RECORD = ("name", "mac")
_DECLARED = {"outside": "public", "outward": "private", "inside": "private", "isolated": "isolated"}  # by reach
_OTHERWISE = {
    "prefix": "hand out that prefix, or give this one back: a block does not change while it is in use",
    "zone": "replace the subnet by one in that zone",
    "region": "replace the subnet by one in that region",
    "project": "hand the subnet over to that project",
    "state": "give the subnet back, or bring it back",
    "public": "attach or detach the public address",
}


def correct_finding(change: Change, number: int, source: str = "", version: int | None = None) -> Finding:
    """Set what is recorded to what was seen; the difference is gone then, and the finding closed.

    Args:
        source: which one is believed, where several say otherwise.

    Raises:
        WrongState: it is closed, or of a kind or fact that cannot be set; says what would do.
        Invalid: sources contradict each other, and none is named; or the named one says nothing of it.
        NotAllowed, StaleEdit, and whatever the editing refuses.
    """
    require(change.actor, "planner", "correct what is recorded")
    lock_sources(realm__findings=number)
    finding = living(number, version)
    if finding.kind not in ("differs", "exposed", "cut-off"):
        raise WrongState(f"a {finding.kind} finding has nothing to set: take it over, or correct what is there")
    value = _value(finding, source)
    if finding.fact == "reach":
        edit_subnet(change, finding.subnet, {"exposure": _DECLARED[value]})
    elif record := _record(finding):
        if finding.fact not in _OF_RECORD:
            raise _cannot(finding)
        edit_address(change, record.pk, {finding.fact: value.lower()})
    else:
        if finding.fact not in _OF_SUBNET:
            raise _cannot(finding)
        edit_subnet(change, finding.subnet, {finding.fact: _as_kept(finding.fact, value)})
    judge(change, finding.realm)
    return Finding.objects.get(pk=finding.pk)


def _value(finding: Finding, source: str) -> str:
    """What is believed of what was seen."""
    said = {one["source"]: one["value"] for one in finding.seen if not source or one["source"] == source}
    others = sorted(set(said.values()) - {finding.recorded})
    if len(others) != 1:
        names = sorted({one["source"] for one in finding.seen})
        why = "says nothing else" if source else f"contradict each other: {', '.join(others)}"
        raise Invalid(f"{source or 'the sources'} {why}; say whom to believe", field="source", suggestions=names)
    return str(others[0])


def _record(finding: Finding) -> Address | None:
    if finding.first != finding.last:
        return None
    of = {"family": finding.family, "address": finding.first}
    return Address.objects.filter(realm=finding.realm_id, **of).first()


def _as_kept(fact: str, value: str) -> object:
    if fact == "tag":
        return int(value) if value.isdigit() else value
    if fact == "dhcp":
        return [part.strip() for part in value.split(",") if part.strip()]
    return value.lower() if fact == "name" else value


def _cannot(finding: Finding) -> WrongState:
    return WrongState(
        f"{finding.fact} of {finding.subnet_name or finding.range_text} is not set by itself: "
        f"{_OTHERWISE.get(finding.fact, 'correct what is there')}",
        suggestions=[_OTHERWISE.get(finding.fact, "dismiss it")],
    )
