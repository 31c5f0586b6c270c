"""Listing and filtering subnets."""

from __future__ import annotations

from typing import Any

from django.db.models import Exists, OuterRef, Q, QuerySet

from lentra.addressing.prefix import BITS, Prefix
from lentra.registry.models import ExtentRow, Subnet
from lentra.registry.models.subnets import BLOCK_STATES

RELATED = ("realm", "pool", "project", "zone", "region", "tier", "plan", "replaces", "drawn_from")
ORDERS = {"address": "place", "name": "name", "oldest": "id", "newest": "-id"}


def subnets_matching(
    *,
    state: str | None = None,
    family: int | None = None,
    label: str | None = None,
    inside: Prefix | None = None,
    covering: Prefix | None = None,
    text: str | None = None,
    public: str | None = None,
    **places: Any,
) -> QuerySet[Subnet]:
    """Subnets that match every filter given.

    Args:
        places: records for any of realm, pool, project, region, zone, tier, plan; or a segment `tag`.
        public: single public addresses: ``held``, ``attached`` or ``idle``.
        label: ``key`` or ``key=value``.
        inside: only subnets with a block inside this prefix; `covering`: with one that contains it.
        text: part of the name, purpose or notes.
    """
    # Read along afterwards, not joined: a join would have the whole list sorted before its first page.
    rows = Subnet.objects.prefetch_related(*RELATED, "pool__sheet", "extents")
    rows = rows.filter(**{field: record for field, record in places.items() if record is not None})
    if state:
        rows = rows.filter(state=state)
    if public:
        rows = rows.filter(_with_block(length__in=BITS.values()), pool__exposure="public", state="active")
        rows = rows.filter(attached_to="") if public == "idle" else rows
        rows = rows.exclude(attached_to="") if public == "attached" else rows
    if family:
        rows = rows.filter(_with_block(family=family))
    if label:
        key, _, value = label.partition("=")
        rows = rows.filter(labels__contains={key: value}) if value else rows.filter(labels__has_key=key)
    if inside:
        rows = rows.filter(
            pk__in=ExtentRow.objects.filter(
                family=inside.family,
                first__gte=inside.first,
                first__lte=inside.last,
                length__gte=inside.length,
                state__in=BLOCK_STATES,
                subnet__isnull=False,
                **({"realm": places["realm"]} if places.get("realm") else {}),
            ).values("subnet_id")
        )
    if covering:
        enclosing = [covering.enclosing(n).first for n in range(covering.length + 1)]
        rows = rows.filter(
            pk__in=ExtentRow.objects.filter(
                family=covering.family,
                first__in=set(enclosing),
                length__lte=covering.length,
                state__in=BLOCK_STATES,
                subnet__isnull=False,
            ).values("subnet_id")
        )
    if text:
        rows = rows.filter(Q(name__contains=text.lower()) | Q(purpose__icontains=text) | Q(notes__icontains=text))
    return rows


def _with_block(**of: Any) -> Exists:
    return Exists(ExtentRow.objects.filter(subnet=OuterRef("pk"), state__in=BLOCK_STATES, **of))
