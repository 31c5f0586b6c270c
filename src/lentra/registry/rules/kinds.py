"""The kinds of records of set-up: what is checked, what uses one, what is fixed once it is in use."""

from __future__ import annotations

from collections.abc import Callable, Container
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from django.db.models import Q, QuerySet

from lentra.registry.models import (
    ApprovalRule,
    DnsRecord,
    DnsZone,
    GroupMapping,
    KeepOut,
    LedgerEntry,
    Link,
    Person,
    Plan,
    PlannedNeed,
    Pool,
    Project,
    Quota,
    Realm,
    Record,
    Region,
    Reservation,
    Sheet,
    Source,
    Subnet,
    Subscription,
    TagMember,
    TagRange,
    TakingRule,
    Tier,
    WaitingRequest,
    Zone,
)
from lentra.registry.rules.approvals import check_rule
from lentra.registry.rules.checks import (
    check_keep_out,
    check_named,
    check_need,
    check_person,
    check_pool,
    check_realm,
    check_region,
    check_reservation,
    check_sheet,
    check_tag_member,
    check_tag_range,
    check_tier,
    check_zone,
    differing_ends,
    does_it_fit,
    forbidden_of,
    region_of,
    same_place,
    tags_in_use,
)
from lentra.registry.rules.dns import check_dns_record, check_dns_zone, record_follows, zone_follows
from lentra.registry.rules.links import check_link
from lentra.registry.rules.places import place_follows
from lentra.registry.rules.quotas import check_quota, nearly_used, scope_of
from lentra.registry.rules.sign_ons import check_mapping
from lentra.registry.rules.sources import check_source, check_taking_rule
from lentra.registry.rules.subscriptions import check_subscription


@dataclass(frozen=True)
class RecordKind:
    """One kind of record of set-up.

    Args:
        role: who may add, edit and remove it.
        check: refuses values that break a rule; gets the record with the new values set, and the moment.
        derived: values that follow from those given, as a mapping; gets the record and which values were given.
        remarks: what is worth knowing of the record, although it does not stop it.
        uses: what stands on it, as (kind, rows); a record in use cannot be removed.
        fixed: fields that never change.
        fixed_in_use: fields that do not change while something uses the record.
    """

    model: type[Record]
    role: str
    check: Callable[[Any, datetime], None]
    uses: Callable[[Any], list[tuple[str, QuerySet]]]
    fixed: tuple[str, ...] = ()
    fixed_in_use: tuple[str, ...] = ()
    derived: Callable[[Any, Container[str]], dict[str, Any]] = lambda record, given: {}
    remarks: Callable[[Any], list[str]] = lambda record: []

    def users_of(self, record: Record, most: int = 20) -> tuple[int, list[dict[str, Any]]]:
        """How many records use this one, and the first of them (kind, number, name)."""
        count = 0
        shown: list[dict[str, Any]] = []
        for kind, rows in self.uses(record):
            count += rows.count()
            shown += [
                {"range": getattr(row, "label_text", str(row)), "kind": kind, "id": row.pk}
                for row in rows[: most - len(shown)]
            ]
        return count, shown

    def frozen(self, record: Record) -> list[str]:
        """Fields of this record that cannot be changed now."""
        if self.fixed_in_use and any(rows.exists() for _, rows in self.uses(record)):
            return [*self.fixed, *self.fixed_in_use]
        return list(self.fixed)


def _subnets(field: str) -> Callable[[Any], tuple[str, QuerySet]]:
    return lambda record: ("subnet", Subnet.objects.filter(**{field: record}).order_by("place"))


def _subnets_in_pool(pool: Any) -> tuple[str, QuerySet]:
    """Subnets with a block in the pool, also where their other family is in another one."""
    return "subnet", Subnet.objects.filter(extents__pool=pool).distinct().order_by("place")


def _pools(field: str) -> Callable[[Any], tuple[str, QuerySet]]:
    return lambda record: ("pool", Pool.objects.filter(**{field: record}).order_by("name"))


def _reservations(field: str) -> Callable[[Any], tuple[str, QuerySet]]:
    return lambda record: ("reservation", Reservation.objects.filter(**{field: record}).order_by("name"))


def _plans(field: str) -> Callable[[Any], tuple[str, QuerySet]]:
    return lambda record: ("plan", Plan.objects.filter(**{field: record}).order_by("name"))


def _needs(field: str) -> Callable[[Any], tuple[str, QuerySet]]:
    return lambda record: ("planned need", PlannedNeed.objects.filter(**{field: record}).order_by("day"))


def _taking_rules(field: str) -> Callable[[Any], tuple[str, QuerySet]]:
    return lambda record: ("taking rule", TakingRule.objects.filter(**{field: record}).order_by("name"))


def _quotas(field: str) -> Callable[[Any], tuple[str, QuerySet]]:
    return lambda record: ("quota", Quota.objects.filter(**{field: record}).order_by("pk"))


def _approval_rules(field: str) -> Callable[[Any], tuple[str, QuerySet]]:
    return lambda record: ("approval rule", ApprovalRule.objects.filter(**{field: record}).order_by("name"))


def _waiting(field: str) -> Callable[[Any], tuple[str, QuerySet]]:
    return lambda record: ("request", WaitingRequest.objects.filter(**{field: record}).order_by("pk"))


def _tag_ranges(field: str) -> Callable[[Any], tuple[str, QuerySet]]:
    return lambda record: ("tag range", TagRange.objects.filter(**{field: record}).order_by("first"))


def _dns_zones(field: str) -> Callable[[Any], tuple[str, QuerySet]]:
    return lambda record: ("DNS zone", DnsZone.objects.filter(**{field: record}).order_by("name"))


def _uses(*of: Callable[[Any], tuple[str, QuerySet]]) -> Callable[[Any], list[tuple[str, QuerySet]]]:
    return lambda record: [use(record) for use in of]


KINDS: dict[str, RecordKind] = {
    "realm": RecordKind(
        Realm,
        "planner",
        check_realm,
        _uses(
            *(_pools("realm"), _plans("realm"), _quotas("realm"), _approval_rules("realm")),
            lambda realm: ("link", Link.objects.filter(Q(one=realm) | Q(other=realm)).order_by("name")),
            lambda realm: ("source", Source.objects.filter(realm=realm).order_by("name")),
            _taking_rules("realm"),
            _waiting("realm"),
            _dns_zones("realm"),
        ),
    ),
    "rule sheet": RecordKind(Sheet, "admin", check_sheet, _uses(_pools("sheet")), derived=forbidden_of),
    "region": RecordKind(
        Region,
        "planner",
        check_region,
        derived=place_follows,
        uses=_uses(
            lambda r: ("zone", Zone.objects.filter(region=r).order_by("name")),
            lambda r: ("project", Project.objects.filter(home_region=r).order_by("name")),
            _pools("region"),
            _subnets("region"),
            _tag_ranges("region"),
            _quotas("region"),
        ),
    ),
    "zone": RecordKind(
        Zone,
        "planner",
        check_zone,
        derived=place_follows,
        uses=_uses(_pools("zone"), _subnets("zone"), _reservations("zone"), _tag_ranges("zone")),
        fixed_in_use=("region",),
        remarks=same_place,
    ),
    "tier": RecordKind(
        Tier,
        "planner",
        check_tier,
        _uses(_subnets("tier"), _reservations("tiers"), _tag_ranges("tier"), _approval_rules("tier")),
        fixed_in_use=("exposure",),
    ),
    "project": RecordKind(
        Project,
        "planner",
        check_named,
        _uses(
            *(_pools("project"), _subnets("project"), _reservations("projects"), _plans("project")),
            *(_needs("project"), _quotas("project"), _approval_rules("project"), _waiting("project")),
            lambda project: ("group mapping", GroupMapping.objects.filter(project=project).order_by("group")),
            lambda project: ("person", project.service_accounts.order_by("name")),
            _taking_rules("project"),
            _dns_zones("project"),
        ),
        fixed_in_use=("name",),
    ),
    "pool": RecordKind(
        Pool,
        "planner",
        check_pool,
        _uses(
            *(_pools("parent"), _subnets_in_pool, _reservations("pool"), _needs("pool"), _quotas("pool")),
            _approval_rules("pool"),
        ),
        fixed=("realm", "parent"),
        derived=region_of,
    ),
    "keep-out": RecordKind(KeepOut, "planner", check_keep_out, lambda r: [], fixed=("realm", "range")),
    "reservation": RecordKind(
        Reservation, "planner", check_reservation, lambda r: [], fixed=("realm", "pool", "range", "family")
    ),
    "tag range": RecordKind(TagRange, "planner", check_tag_range, lambda r: [], remarks=tags_in_use),
    "tag member": RecordKind(
        TagMember, "planner", check_tag_member, lambda r: [], fixed=("subnet",), remarks=differing_ends
    ),
    "quota": RecordKind(
        Quota,
        "planner",
        check_quota,
        lambda r: [],
        fixed=("project", "realm", "region", "pool"),
        derived=lambda quota, given: {"scope": scope_of(quota)},
        remarks=nearly_used,
    ),
    "approval rule": RecordKind(ApprovalRule, "planner", check_rule, lambda r: []),
    "subscription": RecordKind(Subscription, "planner", check_subscription, lambda r: []),
    "source": RecordKind(
        Source,
        "planner",
        check_source,
        _uses(
            lambda source: ("survey", source.surveys.order_by("-at")),
            _taking_rules("source"),
        ),
        fixed=("realm", "kind"),
    ),
    "link": RecordKind(Link, "planner", check_link, lambda r: [], fixed=("one", "other")),
    "taking rule": RecordKind(TakingRule, "planner", check_taking_rule, lambda r: [], fixed=("realm",)),
    "DNS zone": RecordKind(
        DnsZone,
        "planner",
        check_dns_zone,
        _uses(lambda zone: ("DNS record", DnsRecord.objects.filter(dns_zone=zone).order_by("owner", "pk"))),
        fixed=("realm", "name"),
        derived=zone_follows,
    ),
    "DNS record": RecordKind(
        DnsRecord, "planner", check_dns_record, lambda r: [], fixed=("dns_zone",), derived=record_follows
    ),
    "group mapping": RecordKind(GroupMapping, "admin", check_mapping, lambda r: []),
    "planned need": RecordKind(PlannedNeed, "planner", check_need, lambda r: [], remarks=does_it_fit),
    "person": RecordKind(
        Person,
        "admin",
        check_person,
        _uses(
            _waiting("asker"),
            lambda p: ("ledger entry", LedgerEntry.objects.filter(actor=p.pk).order_by("-number")),
        ),
        fixed=("service_of",),
        fixed_in_use=("name",),
    ),
}
