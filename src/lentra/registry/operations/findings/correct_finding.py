"""Correct what is recorded to what was seen: for the facts that can be set, the others say what would do."""

from __future__ import annotations

from collections.abc import Sequence

from lentra.registry.errors import Invalid, WrongState
from lentra.registry.models import Address, Finding
from lentra.registry.operations.findings.judge import judge
from lentra.registry.operations.findings.settle_finding import settled
from lentra.registry.operations.findings.wanted import DNS
from lentra.registry.operations.subnets.edit_subnet import edit_subnet
from lentra.registry.operations.subnets.record_addresses import edit_address
from lentra.registry.transactions.change import Change

_KINDS = ("differs", "exposed", "cut-off")
_OF_SUBNET = ("tag", "gateway", "dhcp", "name", "reach")
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


def correct_findings(
    change: Change, numbers: Sequence[int], source: str = "", version: int | None = None
) -> list[Finding]:
    """Set what is recorded to what was seen; the difference is gone then, and the finding closed.

    Args:
        source: which one is believed, where several say otherwise.

    Raises:
        WrongState: one is closed, or of a kind or fact that cannot be set; says what would do.
        Invalid: sources contradict each other, and none is named; or the named one says nothing of it.
        NotAllowed, StaleEdit, and whatever the editing refuses.
    """

    def correct(finding: Finding) -> None:
        if finding.kind == DNS:
            raise WrongState(
                f"{finding.dns_name} is as it is to be here: have it pushed over what stands on its server",
                suggestions=["lentra dns push --overwrite", "dismiss it"],
            )
        if finding.kind not in _KINDS:
            raise WrongState(
                f"a {finding.kind} finding has nothing to set: take it over, or correct what is there"
            )
        value, record = _value(finding, source), _record(finding)
        if not can_correct(finding):
            raise _cannot(finding)
        if finding.fact == "reach":
            edit_subnet(change, finding.subnet, {"exposure": _DECLARED[value]})
        elif record:
            edit_address(change, record.pk, {finding.fact: value.lower()})
        else:
            edit_subnet(change, finding.subnet, {finding.fact: _as_kept(finding.fact, value)})

    return settled(change, numbers, "correct what is recorded", correct, judge, version)


def can_correct(finding: Finding) -> bool:
    """Whether what is recorded can be set to what was seen: of an address its name and hardware address."""
    if finding.kind not in _KINDS:
        return False
    single = finding.first == finding.last and finding.fact != "reach"
    return finding.fact in (_OF_RECORD if single else _OF_SUBNET)


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
