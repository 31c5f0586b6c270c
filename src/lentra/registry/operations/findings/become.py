"""What a stray becomes in the registry: a keep-out, an address record, a subnet, or a reservation."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from lentra.addressing.prefix import Prefix, prefixes_of_range
from lentra.addressing.refusal import Refusal
from lentra.registry.errors import Invalid, WrongState
from lentra.registry.models import Finding, PoolRange, Record, Sighting
from lentra.registry.operations.findings.keeping_out import keep_out_of, lift_of, seen_by
from lentra.registry.operations.pools.add_keep_out import add_keep_out
from lentra.registry.operations.reservations.reserve import ReservationRequest, reserve
from lentra.registry.operations.subnets.hand_out import hand_out
from lentra.registry.operations.subnets.record_addresses import AddressRequest, record_addresses
from lentra.registry.requests.request import SubnetRequest
from lentra.registry.rules.names import check_name
from lentra.registry.transactions.change import Change

BECOMES = ("keep-out", "address-record", "subnet", "reservation")


@dataclass(frozen=True)
class TakeOver:
    """What a stray is to become, and what is said of that. What is left out is as it was seen, where it was told.

    Args:
        becomes: one of `BECOMES`.
        name: of an address record, a subnet, or a reservation.
        reason: of a keep-out or a reservation; who saw it if left out.
        pool: of a subnet or reservation; the innermost around it if left out.
        project, tier, zone, region: of a subnet.
    """

    becomes: str
    name: str = ""
    reason: str = ""
    pool: Any = None
    project: Any = None
    tier: Any = None
    zone: Any = None
    region: Any = None


def become(change: Change, finding: Finding, wanted: TakeOver) -> Record:
    """Make a stray what it is to be.

    Raises:
        WrongState: the finding is no stray.
        Invalid: it cannot become that; says what would do.
        Refusal: whatever the adding refuses.
    """
    if finding.kind != "stray":
        raise WrongState(f"a {finding.kind} finding is not taken over: correct what is recorded, or what is there")
    if wanted.becomes not in (will := can_become(finding)):
        raise Invalid(
            f"{finding.range_text} cannot become {wanted.becomes!r}: "
            + ("it lies in a subnet" if finding.subnet else "an address record lies in a subnet"),
            field="becomes",
            received=wanted.becomes,
            suggestions=will,
        )
    lift_of(change, finding)
    made = _BY_WORD[wanted.becomes](change, finding, wanted)
    change.note(f"{finding.range_text} is {wanted.becomes.replace('-', ' ')} {made.label_text} from now on")
    return made


def can_become(finding: Finding) -> list[str]:
    """What a stray can become, by where it lies."""
    if finding.subnet:
        return ["keep-out", *(["address-record"] if finding.first == finding.last else [])]
    return ["keep-out", "subnet", "reservation"]


def _keep_out(change: Change, finding: Finding, wanted: TakeOver) -> Record:
    return add_keep_out(change, keep_out_of(finding, wanted.reason), despite_use=finding.subnet is not None)


def _address_record(change: Change, finding: Finding, wanted: TakeOver) -> Record:
    facts = _facts(finding)
    request = AddressRequest(
        name=wanted.name or _name(facts), address=finding.range_text, mac=facts.get("mac") or None
    )
    return record_addresses(change, finding.subnet, request)[0]


def _subnet(change: Change, finding: Finding, wanted: TakeOver) -> Record:
    facts, block = _facts(finding), _block(finding)
    missing = [name for name in ("project", "tier") if not (getattr(wanted, name) or facts.get(name))]
    if missing:
        raise Invalid(f"a subnet has a {missing[0]}: say which", field=missing[0])
    tag = facts.get("tag", "")
    request = SubnetRequest(
        pool=wanted.pool or _pool(finding),
        project=wanted.project or facts.get("project"),
        tier=wanted.tier,
        zone=wanted.zone or (None if wanted.region else facts.get("zone")),
        region=wanted.region or (None if wanted.zone or facts.get("zone") else facts.get("region")),
        families=[finding.family],
        prefix=str(block),
        name=wanted.name or _name(facts),
        tag=int(tag) if tag.isdigit() else None,
        gateway=facts.get("gateway") or None,
    )
    return hand_out(change, request).subnets[0]


def _reservation(change: Change, finding: Finding, wanted: TakeOver) -> Record:
    request = ReservationRequest(
        pool=wanted.pool or _pool(finding),
        reason=wanted.reason or seen_by(finding),
        range=(finding.family, finding.first, finding.last),
        family=finding.family,
        name=wanted.name or None,
    )
    return reserve(change, request)


_BY_WORD = {
    "keep-out": _keep_out,
    "address-record": _address_record,
    "subnet": _subnet,
    "reservation": _reservation,
}


def _facts(finding: Finding) -> dict[str, str]:
    """What sources tell of it; where two do, the first word holds."""
    facts: dict[str, str] = {}
    of = {"family": finding.family, "first": finding.first, "last": finding.last}
    for row in Sighting.objects.filter(realm=finding.realm_id, lost_at=None, **of).order_by("source"):
        facts = row.facts | facts
    return facts


def _name(facts: dict[str, str]) -> str | None:
    """The name that it was seen under, if it is one; otherwise the template makes one."""
    name = facts.get("name", "").lower()
    try:
        check_name(name)
    except Refusal:
        return None
    return name


def _block(finding: Finding) -> Prefix:
    blocks = prefixes_of_range(finding.family, finding.first, finding.last)
    if len(blocks) > 1:
        raise Invalid(
            f"{finding.range_text} is no prefix: a subnet is one, so keep it out or reserve it",
            field="becomes",
            received="subnet",
            suggestions=["reservation", "keep-out"],
        )
    return blocks[0]


def _pool(finding: Finding) -> int:
    """The innermost pool around it."""
    rows = PoolRange.objects.filter(
        realm=finding.realm_id, family=finding.family, first__lte=finding.first, last__gte=finding.last
    )
    around = rows.order_by("-length", "-pool").first()
    if around is None:
        raise Invalid(
            f"{finding.range_text} lies in no pool: add a pool around it first, or keep it out",
            field="pool",
            suggestions=["becomes: keep-out"],
        )
    return int(around.pool_id)
