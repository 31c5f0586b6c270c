"""Plans: taken as text or document, told with every block, note and error."""

from __future__ import annotations

from typing import Any

from rest_framework import serializers

from lentra.addressing.address_map import gateway_address
from lentra.addressing.headroom import Usage
from lentra.addressing.prefix import address_text, range_text
from lentra.api.fields import OneOf, RefField, Strict
from lentra.api.serializers.named import NamedSerializer
from lentra.registry.models import Plan, Pool
from lentra.registry.operations.plans.settle_departure import WAYS
from lentra.registry.plans.proposing import Placed, Proposed
from lentra.registry.plans.slots import Finding


class PlanSerializer(serializers.ModelSerializer):
    """A plan that was held or committed."""

    version = serializers.IntegerField(source="last_entry", read_only=True)
    realm = RefField(read_only=True)
    project = RefField(read_only=True)
    document = serializers.DictField()

    class Meta:
        model = Plan
        fields = (
            *("id", "version", "name", "realm", "project", "state", "ends_at", "changed_at", "document", "source"),
        )


class DepartureSerializer(serializers.Serializer):
    """Where the registry differs from a committed plan."""

    slot = serializers.CharField()
    kind = serializers.CharField(
        help_text="What differs: gone, cooling, retiring, length, families, tag, gateway, unwanted, or plan."
    )
    what = serializers.CharField()
    step = serializers.CharField(help_text="What would put it right.")
    accepted = serializers.BooleanField(help_text="Whether it was taken over into the plan.")
    subnet = RefField(allow_null=True)


class SettleSerializer(Strict):
    """How the departure of a slot is settled."""

    slot = serializers.CharField(max_length=200)
    how = OneOf(WAYS)


class PlanInSerializer(Strict):
    """A plan to preview, hold or commit: its `text` (YAML or JSON), or its `document`."""

    text = serializers.CharField(required=False, max_length=1_000_000, trim_whitespace=False)
    document = serializers.DictField(required=False)
    proposal = serializers.CharField(required=False, allow_null=True, max_length=1_500_000)
    hold_minutes = serializers.IntegerField(
        required=False, allow_null=True, default=None, min_value=1, max_value=1440
    )
    give_back = serializers.BooleanField(
        required=False, default=False, help_text="Give back what the plan no longer wants."
    )
    despite_use = serializers.BooleanField(
        required=False, default=False, help_text="Give back also what something is recorded in."
    )


class RemovePlanSerializer(Strict):
    """How to remove a plan."""

    give_back = serializers.BooleanField(required=False, default=False, help_text="Give back all its subnets.")
    despite_use = serializers.BooleanField(
        required=False, default=False, help_text="Give back also what something is recorded in."
    )


class PlanFindingSerializer(serializers.Serializer):
    """Something to know of a plan: where, what, and what comes of it."""

    where = serializers.CharField()
    text = serializers.CharField()
    consequence = serializers.CharField()
    code = serializers.CharField()
    suggestions = serializers.ListField(child=serializers.CharField())


class PlanBlockSerializer(serializers.Serializer):
    """One subnet of a plan."""

    slot = serializers.CharField()
    change = serializers.CharField(help_text="added, kept, resized or no longer wanted")
    zone = serializers.CharField(allow_null=True)
    tier = serializers.CharField()
    name = serializers.CharField()
    blocks = serializers.ListField(child=serializers.CharField())
    room = serializers.ListField(child=serializers.CharField())
    usable = serializers.CharField(allow_null=True)
    gateway = serializers.CharField()
    tag = serializers.IntegerField(allow_null=True)
    id = serializers.IntegerField(allow_null=True, help_text="The subnet's number, where there is one.")


class PlanReservingSerializer(serializers.Serializer):
    """A range that the plan keeps back."""

    pool = NamedSerializer()
    range = serializers.CharField()
    kind = serializers.CharField()
    zone = serializers.CharField()


class PlanUsageSerializer(serializers.Serializer):
    """Usage of a pool before and after, in percent; counts as text."""

    pool = NamedSerializer()
    family = serializers.IntegerField()
    before_percent = serializers.FloatField()
    after_percent = serializers.FloatField()
    total = serializers.CharField()
    free_before = serializers.CharField()
    free_after = serializers.CharField()
    largest_free_before = serializers.CharField(allow_null=True)
    largest_free_after = serializers.CharField(allow_null=True)


class ProposedPlanSerializer(serializers.Serializer):
    """What a plan comes to. It is possible if there are no errors."""

    plan = PlanSerializer(allow_null=True)
    possible = serializers.BooleanField()
    counts = serializers.DictField(child=serializers.IntegerField())
    blocks = PlanBlockSerializer(many=True)
    reserving = PlanReservingSerializer(many=True)
    usage = PlanUsageSerializer(many=True)
    notes = PlanFindingSerializer(many=True)
    errors = PlanFindingSerializer(many=True)
    ends_at = serializers.DateTimeField(allow_null=True)


def proposed_facts(proposed: Proposed) -> dict[str, Any]:
    """A proposal as it is told."""
    comparison = proposed.comparison
    blocks = [_added(one) for one in proposed.added]
    there = [
        *((subnet, "kept") for _, subnet in comparison.kept),
        *((subnet, "resized") for _, subnet in comparison.resized),
        *((subnet, "no longer wanted") for subnet in comparison.unwanted),
    ]
    blocks += [_there(subnet, word) for subnet, word in there]
    return {
        "plan": PlanSerializer(proposed.plan).data if proposed.plan and proposed.plan.pk else None,
        "possible": not proposed.errors,
        "counts": {
            "added": len(proposed.added),
            "kept": len(comparison.kept),
            "resized": len(comparison.resized),
            "no longer wanted": len(comparison.unwanted),
            "reserved ranges": len(proposed.reserving),
        },
        "blocks": blocks,
        "reserving": [
            {
                "pool": _named(r.pool),
                "range": range_text(r.family, r.first, r.last),
                "kind": r.kind,
                "zone": r.zone,
            }
            for r in proposed.reserving
        ],
        "usage": [_usage(pool, before, after) for pool, before, after in proposed.usage],
        "notes": [_finding(note) for note in proposed.notes],
        "errors": [_finding(error) for error in proposed.errors],
        "ends_at": proposed.ends_at,
    }


def _added(one: Placed) -> dict[str, Any]:
    laid = [piece for _, piece in sorted(one.blocks.items())]
    return {
        "slot": one.slot.key,
        "change": "added",
        "zone": one.slot.target.zone.name if one.slot.target.zone else None,
        "tier": one.slot.entry.key,
        "name": one.name,
        "blocks": [str(piece.block) for piece in laid],
        "room": [str(room) for piece in laid for room in piece.room],
        "usable": None if one.slot.usable is None else str(one.slot.usable),
        "gateway": _gateway(one),
        "tag": one.tag,
        "id": one.subnet.pk if one.subnet else None,
    }


def _gateway(one: Placed) -> str:
    """The gateway's address in the first block, or the rule where there is none."""
    rule = one.slot.gateway
    if rule == "none" or not one.blocks:
        return rule
    family, laid = min(one.blocks.items())
    address = gateway_address(laid.block, one.slot.pools[family].sheet.rules().family(family), rule)
    return rule if address is None else address_text(family, address)


def _there(subnet: Any, word: str) -> dict[str, Any]:
    return {
        "slot": subnet.plan_slot,
        "change": word,
        "zone": subnet.zone.name if subnet.zone else None,
        "tier": subnet.plan_slot.split("/")[1],
        "name": subnet.name,
        "blocks": [str(block) for block in subnet.blocks()],
        "room": [str(room) for room in subnet.room()],
        "usable": None,
        "gateway": subnet.gateway,
        "tag": subnet.tag,
        "id": subnet.pk,
    }


def _usage(pool: Pool, before: Usage, after: Usage) -> dict[str, Any]:
    return {
        "pool": _named(pool),
        "family": before.family,
        "before_percent": round(before.used_percent, 2),
        "after_percent": round(after.used_percent, 2),
        "total": str(before.total),
        "free_before": str(before.free),
        "free_after": str(after.free),
        "largest_free_before": _length(before),
        "largest_free_after": _length(after),
    }


def _length(usage: Usage) -> str | None:
    return None if usage.largest_free is None else f"/{usage.largest_free}"


def _named(pool: Pool) -> dict[str, Any]:
    return {"id": pool.pk, "name": pool.name}


def _finding(finding: Finding) -> dict[str, Any]:
    return {
        "where": finding.path,
        "text": finding.text,
        "consequence": finding.consequence,
        "code": finding.code,
        "suggestions": list(finding.suggestions),
    }
