"""What a planner sees beside a waiting request: what its pool is like before and after, and where else it could go."""

from __future__ import annotations

from contextlib import suppress
from datetime import datetime
from typing import Any

from lentra.addressing.prefix import BITS, parse_prefix, parse_range
from lentra.addressing.refusal import Refusal
from lentra.registry.lookup.find import find
from lentra.registry.models import LedgerEntry, Outlook, Region, Space, Subnet, Tier, WaitingRequest, Zone
from lentra.registry.reports.candidates import candidates
from lentra.registry.rules.waiting import blocks_told

_ELSEWHERE = 5


def beside(request: WaitingRequest, now: datetime) -> dict[str, Any]:
    """What stands beside a request.

    Returns:
        ``blocks`` that it was shown; of each pool and family that they lie in, ``usage`` before and after in percent, the
        pool's ``warning_percent``, and when it is full as it grows (``full_on``); ``elsewhere``: other pools that may serve,
        with the block that each would give, why there, and how many more of that length fit.
    """
    blocks = blocks_shown(request)
    return {
        "blocks": blocks,
        "usage": _usage(request, blocks) if request.state == "waiting" else [],
        "elsewhere": _elsewhere(request) if request.state == "waiting" and request.what == "subnets" else [],
    }


def blocks_shown(request: WaitingRequest) -> list[str]:
    """The blocks, or the range, that a request would have been given at once; of a growth, the whole subnet."""
    return blocks_told(request.shown["told"])


def conversation(request: WaitingRequest) -> list[dict[str, Any]]:
    """What was said about a request, and what became of it, the first first."""
    rows = LedgerEntry.objects.filter(subject=request.pk, kind=WaitingRequest.KIND).order_by("number")
    return [
        {
            "at": entry.at,
            "by": entry.actor_name,
            "what": entry.verb,
            "text": (entry.after or {}).get("text") or (entry.after or {}).get("decision") or entry.why,
        }
        for entry in rows
    ]


def _usage(request: WaitingRequest, blocks: list[str]) -> list[dict[str, Any]]:
    asked: dict[int, int] = {}
    for text in blocks:
        family, first, last = parse_range(text)
        asked[family] = asked.get(family, 0) + last - first + 1
    if request.what == "growth":
        subnet = Subnet.objects.filter(pk=request.subject).first()
        for block in subnet.blocks() if subnet else []:
            asked[block.family] = max(0, asked.get(block.family, 0) - block.size)
    spaces = Space.objects.filter(pool=request.pool_id).select_related("pool").order_by("family")
    outlooks = Outlook.objects.standing().filter(space__in=[space.pk for space in spaces])
    full = dict(outlooks.values_list("space_id", "full_on"))
    rows = []
    for space in spaces:
        if space.family not in asked:
            continue
        usage, more = space.usage(), 0 if request.held else asked[space.family]
        less = asked[space.family] if request.held else 0
        rows.append(
            {
                "pool": {"id": space.pool_id, "name": space.pool.name},
                "family": space.family,
                "before_percent": _percent(usage.used - less, usage.total),
                "after_percent": _percent(usage.used + more, usage.total),
                "warning_percent": space.pool.warning_percent,
                "critical_percent": space.pool.critical_percent,
                "full_on": full.get(space.pk),
            }
        )
    return rows


def _percent(used: int, total: int) -> float:
    return round(100 * used / total, 2) if total else 0.0


def _elsewhere(request: WaitingRequest) -> list[dict[str, Any]]:
    """Other pools that may serve what is asked for."""
    values, shown = request.values, [parse_prefix(text) for text in blocks_shown(request)]
    lengths = [block.length for block in shown if block.family == min(b.family for b in shown)]
    if not lengths:
        return []
    zone, region = _named(Zone, values.get("zone")), _named(Region, values.get("region"))
    family = shown[0].family
    found, _ = candidates(
        project=request.project,
        tier=_named(Tier, values.get("tier")),
        zone=zone,
        region=region if zone is None else None,
        realm=request.realm,
        family=family,
        hosts=None,
        growth=0,
        length=min(min(lengths), BITS[family]),
        placement=None,
    )
    return [
        {
            "pool": {"id": one.pool.pk, "name": one.pool.name},
            "block": str(one.block),
            "why": one.why,
            "leaves": one.leaves,
            "used_percent": round(one.space.usage().used_percent, 2),
        }
        for one in found
        if one.pool.pk != request.pool_id
    ][:_ELSEWHERE]


def _named(model: type[Any], ref: Any) -> Any:
    """What was asked for by name, if it is still there."""
    with suppress(Refusal):
        return find(model, ref) if ref not in (None, "") else None
    return None
