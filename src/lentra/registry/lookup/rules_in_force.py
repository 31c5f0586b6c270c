"""The rules in force in the pools that sums are of."""

from __future__ import annotations

from django.db.models import QuerySet

from lentra.addressing.rules import FamilyRules
from lentra.registry.models import Pool, Sheet, SubnetSum


def ipv4_rules_of(sums: QuerySet[SubnetSum]) -> dict[int, FamilyRules]:
    """The rules for IPv4 by pool number, of pools that serve it. Two statements."""
    pools = Pool.objects.filter(pk__in=sums.order_by().values("pool")).values_list("pk", "sheet_id")
    sheets = {sheet.pk: sheet.rules().v4 for sheet in Sheet.objects.all()}
    return {pool: rules for pool, sheet in pools if (rules := sheets[sheet])}
