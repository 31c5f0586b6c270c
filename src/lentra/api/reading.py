"""Reading what a call was given: its address, its query, its body, the rules, plan and records meant."""

from __future__ import annotations

from typing import Any, overload

from rest_framework.request import Request

from lentra.addressing.refusal import Refusal
from lentra.addressing.rules import RuleSheet
from lentra.api.fields import Strict
from lentra.registry.errors import Invalid
from lentra.registry.lookup.find import find
from lentra.registry.models import Pool, Sheet
from lentra.registry.plans.reading import PlanText, read_given
from lentra.registry.reports.breakdown import DIMENSIONS


def rules_meant(values: dict[str, Any]) -> RuleSheet:
    """The rule sheet meant: by name, by pool, or the plainest one."""
    if values.get("pool"):
        return find(Pool, values["pool"], "pool", related=("sheet", "realm")).sheet.rules()
    return find(Sheet, values.get("sheet") or "ends-withheld", "sheet").rules()


def find_at_address(model: type, ref: str, related: tuple[str, ...] = ()) -> Any:
    """The record that the call's address names; a refusal about it is a 404."""
    try:
        return find(model, ref, related=related)
    except Refusal as refusal:
        refusal.of_address = True  # type: ignore[attr-defined]
        raise


def read_body(request: Request, serializer: type[Strict]) -> dict[str, Any]:
    """The body of a call, read by a serializer."""
    read = serializer(data=request.data)
    read.is_valid(raise_exception=True)
    return read.validated_data


@overload
def plan_meant(values: dict[str, Any]) -> PlanText: ...
@overload
def plan_meant(values: dict[str, Any], needed: bool) -> PlanText | None: ...
def plan_meant(values: dict[str, Any], needed: bool = True) -> PlanText | None:
    """The plan given as text or as document.

    Raises:
        Invalid: none or both are given; none is fine unless it is needed.
        BadPlan: it cannot be read.
    """
    refuse_both(values, needed)
    return read_given(values) if {"text", "document"} & values.keys() else None


def refuse_both(values: dict[str, Any], needed: bool = True) -> None:
    """Refuse a plan that is given as text and as document, or not at all.

    Raises:
        Invalid.
    """
    if ("text" in values and "document" in values) or (needed and not {"text", "document"} & values.keys()):
        raise Invalid("give a plan's text, or its document", field="text")


def records_meant(values: dict[str, Any]) -> dict[str, Any]:
    """The records by which a question is narrowed down: realm, pool, region, zone, tier, project."""
    return {name: values[name] for name in DIMENSIONS if values.get(name)}
