"""Listing and filtering subnets."""

from __future__ import annotations

from collections.abc import Collection
from typing import Any

from django.db.models import Exists, OuterRef, Q, QuerySet

from lentra.addressing.prefix import BITS, Prefix
from lentra.registry.lookup.any_of import any_of, begins
from lentra.registry.lookup.by_text import speaking_of
from lentra.registry.models import EXPOSURES, ExtentRow, Pool, Subnet, SubnetLabel, Tier
from lentra.registry.models.subnets import BLOCK_STATES
from lentra.registry.space.evidence import realms_with_pools

RELATED = (
    "realm",
    "pool",
    "project",
    "zone",
    "region",
    "tier",
    "plan",
    "replaces",
    "drawn_from",
    "attached_record",
)
_COLUMNS = ("realm", "pool", "project", "region", "zone", "tier", "plan", "state", "tag")
ORDERS = {"address": "place", "name": "name", "oldest": "id", "newest": "-id"}


def _declared(words: Collection[str]) -> Q:
    """Subnets of these exposures: by their tiers, but for the few that have one of their own."""
    tiers = list(Tier.objects.filter(exposure__in=words).values_list("pk", flat=True))
    own = dict(Subnet.objects.filter(exposure__in=EXPOSURES).values_list("pk", "exposure"))
    by_tier = Q(tier__in=tiers)
    if not own:
        return by_tier
    return by_tier & ~Q(pk__in=list(own)) | Q(pk__in=[pk for pk, word in own.items() if word in words])


def subnets_matching(values: dict[str, Any]) -> QuerySet[Subnet]:
    """Subnets that match every filter given.

    Args:
        values: any of these. Lists, of which any will do: records of realm, pool, project, region, zone, tier and plan,
            words of `state`, of the `exposure` that they or their tiers declare, and of their pool's `origin`, numbers
            of `family`, `length` and `tag`. Single ones: `wider_than` a length, the prefix that they lie `inside` or that
            is `covering` them, a `label` as ``key`` or ``key=value``, `text` that it is found by (see `speaking_of`),
            what the `name` begins with, `public` as ``held``, ``attached`` or ``idle`` for single public addresses, and
            the moments `since` and `until` when they were made.
    """
    # Read along afterwards, not joined: a join would have the whole list sorted before its first page.
    rows = Subnet.objects.prefetch_related(*RELATED, "pool__sheet", "extents")
    for name in _COLUMNS:
        if values.get(name):
            rows = rows.filter(**any_of(name, values[name]))
    # Of what there is little: looked up first, so that the index of subnets by it is used.
    if values.get("exposure"):
        rows = rows.filter(_declared(values["exposure"]))
    if values.get("origin"):
        rows = rows.filter(
            pool__in=list(Pool.objects.filter(origin__in=values["origin"]).values_list("pk", flat=True))
        )
    if public := values.get("public"):
        pools = list(Pool.objects.filter(exposure="public").values_list("pk", flat=True))
        rows = rows.filter(_with_block(length__in=BITS.values()), pool__in=pools, state="active")
        rows = rows.filter(unused=True) if public == "idle" else rows
        rows = rows.filter(unused=False).exclude(attached_to="") if public == "attached" else rows
    for name in ("family", "length"):
        if values.get(name):
            rows = rows.filter(_with_block(**any_of(name, values[name])))
    if length := values.get("wider_than"):
        rows = rows.filter(_with_block(length__lt=length))
    if label := values.get("label"):
        key, _, value = label.partition("=")
        marked = SubnetLabel.objects.filter(key=key, **({"value": value} if value else {}))
        rows = rows.filter(pk__in=marked.values("subnet"))
    if inside := values.get("inside"):
        realms = _realms_over(inside, values)
        rows = rows.filter(
            pk__in=_owning(family=inside.family, first__gte=inside.first, first__lte=inside.last, **realms)
            .filter(length__gte=inside.length)
            .values("subnet_id")
        )
    if covering := values.get("covering"):
        realms = _realms_over(covering, values)
        enclosing = {covering.enclosing(n).first for n in range(covering.length + 1)}
        around = _owning(family=covering.family, first__in=enclosing, length__lte=covering.length, **realms)
        holders = around.values_list("subnet_id", "first", "length")
        covers = [pk for pk, first, n in holders if Prefix(covering.family, first, n).contains(covering)]
        rows = rows.filter(pk__in=covers)
    if text := values.get("text"):
        rows = rows.filter(speaking_of(text))
    if beginning := values.get("name"):
        rows = rows.filter(begins("name", beginning))
    if "since" in values:
        rows = rows.filter(created_at__gte=values["since"])
    return rows.filter(created_at__lt=values["until"]) if "until" in values else rows


def _realms_over(prefix: Prefix, values: dict[str, Any]) -> dict[str, Any]:
    """The realms to look in, those that are asked for or those with pools there: the index of places begins with them."""
    return any_of("realm", values.get("realm") or realms_with_pools(prefix.family, prefix.first, prefix.last))


def _owning(**of: Any) -> QuerySet[ExtentRow]:
    return ExtentRow.objects.filter(state__in=BLOCK_STATES, subnet__isnull=False, **of)


def _with_block(**of: Any) -> Exists:
    return Exists(ExtentRow.objects.filter(subnet=OuterRef("pk"), state__in=BLOCK_STATES, **of))
