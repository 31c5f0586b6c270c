"""Decide on a request that waits: grant it as asked for, grant something else, refuse it."""

from __future__ import annotations

from dataclasses import dataclass, field
from datetime import datetime
from typing import Any

from lentra.registry.errors import Invalid
from lentra.registry.lookup.locked import find_locked
from lentra.registry.models import Reservation, WaitingRequest
from lentra.registry.operations.plans.commit_plan import commit_plan
from lentra.registry.operations.setup.limit_project import raise_quotas
from lentra.registry.operations.subnets.replace_subnet import confirm_held
from lentra.registry.operations.waiting.held import drop_held, still_held
from lentra.registry.operations.waiting.performing import Asking, facts_of, numbers_made, perform, prefixes_in
from lentra.registry.plans.proposing import renewed
from lentra.registry.plans.reading import read_given
from lentra.registry.rules.waiting import blocks_told, find_waiting, require_decider
from lentra.registry.transactions.change import Change
from lentra.registry.transactions.proposals import Promise

_LONGEST = 60


@dataclass(frozen=True)
class Decision:
    """How a request is granted.

    Args:
        values: what is granted in the place of what was asked for, field by field; nothing for what was asked for.
        anew: not just what was shown, if that is no longer there, but whatever takes its place.
    """

    values: dict[str, Any] = field(default_factory=dict)
    anew: bool = False


def grant(
    change: Change, number: int, decision: Decision | None = None, version: int | None = None
) -> WaitingRequest:
    """Grant a request: exactly what was shown, or what is decided in its place, which is told.

    What goes beyond a quota raises that.

    Raises:
        WrongState: it does not wait any more; says who decided, and when.
        StaleProposal: what was shown is no longer possible: grant it `anew`.
        NotAllowed: the actor is no planner.
        whatever the operation raises.
    """
    decision = decision or Decision()
    request = find_waiting(change, number, "grant a request", require_decider, version)
    change.beyond_quota = change.for_planner = True
    unknown = decision.values.keys() - _FIELDS[request.what]
    if unknown:
        raise Invalid(
            f"{', '.join(sorted(unknown))} is not what {request.what} are asked for by",
            field=f"values.{min(unknown)}",
            suggestions=sorted(_FIELDS[request.what]),
        )
    shown = sorted(blocks_told(request.shown["told"]))
    if still_held(request) and not decision.values:
        made, given = _as_held(change, request), shown
    else:
        made, given = _performed(change, request, decision)
    raise_quotas(change)
    differs = _differences(request, decision, shown, given)
    _decided(change, request, "grant", "granted", made=made, differs=differs)
    return request


def refuse(change: Change, number: int, reason: str, version: int | None = None) -> WaitingRequest:
    """Refuse a request; what it held is free again.

    Raises:
        Invalid: no reason is given.
        WrongState, NotAllowed, StaleEdit.
    """
    if not reason.strip():
        raise Invalid(
            "say why: whoever asked reads it", field="reason", suggestions=["ask for a /25 in pool harbours"]
        )
    request = find_waiting(change, number, "refuse a request", require_decider, version)
    drop_held(change, request)
    _decided(change, request, "refuse", "refused", words=reason.strip(), made=[])
    return request


def _decided(change: Change, request: WaitingRequest, verb: str, state: str, words: str = "", **more: Any) -> None:
    change.edited(
        request,
        verb,
        state=state,
        held=False,
        decided_by=change.actor,
        decided_at=change.now,
        decision=(words or change.why)[:500],
        **more,
    )


def _as_held(change: Change, request: WaitingRequest) -> list[int]:
    """Turn what a request holds into what was asked for."""
    if request.what == "subnets":
        for subnet in request.made:
            confirm_held(change, subnet)
        return list(request.made)
    if request.what == "plan":
        values = request.values
        proposed = commit_plan(
            change,
            read_given(values),
            values.get("text", ""),
            give_back=values.get("give_back", False),
            despite_use=values.get("despite_use", False),
        )
        return numbers_made(proposed)
    asked = request.values.get("ends_at")
    for number in request.made:
        reservation = find_locked(Reservation, number)
        change.edited(reservation, "reserve", ends_at=datetime.fromisoformat(asked) if asked else None)
    return list(request.made)


def _performed(change: Change, request: WaitingRequest, decision: Decision) -> tuple[list[int], list[str]]:
    """Do what was asked for, or what is decided in its place: as shown, unless that is not meant."""
    drop_held(change, request)
    values = {**request.values, **decision.values}
    for name, others in _INSTEAD.items():
        if name in decision.values:
            values = {key: value for key, value in values.items() if key not in others}
    as_shown = not decision.values and not decision.anew
    token = request.shown["token"] if as_shown and request.what == "plan" else ""
    if as_shown and change.promise is None:
        change.promise = Promise("", request.shown["told"])
    asking = Asking(request.what, values, request.subject, proposal=renewed(token) if token else None)
    result = perform(change, asking)
    change.batch.send()
    facts_of(change, result, False)  # a plan that wants nothing more, a reservation of nobody: refused
    return numbers_made(result), sorted(prefixes_in(result))


# What is granted in one way takes the place of what was asked for in another.
_INSTEAD = {
    "hosts": ("length", "prefix", "growth"),
    "length": ("hosts", "prefix", "growth"),
    "prefix": ("hosts", "length", "count", "placement", "beside", "away_from", "growth"),
    "zone": ("region",),
    "region": ("zone",),
    "range": ("length", "hosts"),
}


_PLACE = ("pool", "zone", "region", "tier")
_SIZE = ("hosts", "growth", "length")
_FIELDS = {  # what may be decided on differently
    "subnets": {
        *(*_PLACE, *_SIZE, "prefix", "count", "name", "tag"),
        *("families", "placement", "room", "reservation", "gateway"),
    },
    "replacement": {*_PLACE, *_SIZE, "prefix", "name", "tag", "room"},
    "growth": {*_SIZE, "downward", "second"},
    "plan": {"document"},
    "reservation": {"pool", *_SIZE, "family", "placement", "kind", "name", "ends_at"},
}


def _differences(
    request: WaitingRequest, decision: Decision, shown: list[str], given: list[str]
) -> list[dict[str, str]]:
    """What was granted in the place of what was asked for: fields that were decided, and blocks that are others."""
    found = [
        {"what": name.replace("_", " "), "asked": _short(request.values.get(name)), "granted": _short(value)}
        for name, value in sorted(decision.values.items())
        if request.values.get(name) != value
    ]
    if shown and given and shown != given:
        found.append({"what": "blocks", "asked": _short(shown), "granted": _short(given)})
    return found


def _short(value: Any) -> str:
    if value in (None, "", []):
        return "nothing said"
    text = ", ".join(str(one) for one in value) if isinstance(value, list) else str(value)
    return text if len(text) <= _LONGEST else f"{text[: _LONGEST - 1]}…"
