"""What the lists can be asked for: their filters, orders and pages."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

from django.db.models import Q, QuerySet
from rest_framework import serializers

from lentra.addressing.prefix import Prefix
from lentra.api.fields import (
    AnyOf,
    HeldField,
    MomentField,
    OfPages,
    OneOf,
    PrefixField,
    Strict,
    length_field,
    meant,
    window_field,
)
from lentra.registry.lookup.any_of import any_of
from lentra.registry.models import (
    ADDRESS_KINDS,
    ASKED,
    BY_HAND_TYPES,
    CERTAINTIES,
    CONDITIONS,
    DECISIONS,
    ENTRY_STATES,
    ENVIRONMENTS,
    EXPOSURES,
    FINDING_KINDS,
    FINDING_STATES,
    GIVES,
    KEEP_OUT_KINDS,
    LINK_KINDS,
    MEMBER_KINDS,
    ORIGINS,
    PLAN_STATES,
    REQUEST_STATES,
    RESERVATION_KINDS,
    ROLES,
    SITES,
    SOURCE_KINDS,
    SUBNET_STATES,
    DnsZone,
    Person,
    Plan,
    Pool,
    Project,
    Realm,
    Region,
    Sheet,
    Source,
    Subnet,
    Tier,
    Zone,
)
from lentra.registry.reports.listing import ORDERS

BY_NAME = {"name": "name", "oldest": "id", "newest": "-id"}
BY_AGE = {"oldest": "id", "newest": "-id"}
NEWEST_FIRST = {"newest": "-id", "oldest": "id"}


class PublicUseQuery(OfPages):
    """Whose public addresses, and which page of them."""

    project = meant(Project)


class TagsQuery(Strict):
    """Which tags of a place."""

    outer_tag = serializers.IntegerField(
        required=False, default=0, min_value=0, max_value=4094, help_text="Those under this outer tag; 0 for none."
    )


class GapsQuery(OfPages):
    """Which gaps of a pool, and which page of them."""

    family = OneOf([4, 6], required=False, default=4)
    length = length_field("Those alone in which a block of that length fits.")


def list_query(what: str, orders: Iterable[str], /, **filters: serializers.Field) -> type[Strict]:
    """The query of a list: its filters, the order, and which page.

    Args:
        orders: words for `order`, the usual one first.
    """
    words = list(orders)
    fields: dict[str, Any] = {
        **filters,
        "order": OneOf(words, required=False, default=words[0]),
    }
    return type(f"{what}QuerySerializer", (OfPages,), {**fields, "__doc__": f"Which {what.lower()} to list."})


def narrow(rows: QuerySet, values: dict[str, Any], *names: str, **paths: str) -> QuerySet:
    """The rows that have any of the values given for each filter.

    Args:
        names: filters called as the column is; `paths`: filter -> where the rows have it.
    """
    for name, path in {**{name: name for name in names}, **paths}.items():
        if name in values:
            rows = rows.filter(**any_of(path, values[name]))
    return rows


def in_span(rows: QuerySet, values: dict[str, Any], column: str) -> QuerySet:
    """The rows of the span that `since` and `until` come to."""
    if "since" in values:
        rows = rows.filter(**{f"{column}__gte": values["since"]})
    return rows.filter(**{f"{column}__lt": values["until"]}) if "until" in values else rows


def in_place(rows: QuerySet, *blocks: Prefix | None) -> QuerySet:
    """The rows that begin inside one of some prefixes; all rows for None."""
    inside = Q(pk__in=[])
    for block in blocks:
        if block is None:
            return rows
        inside |= Q(family=block.family, first__gte=block.first, first__lte=block.last)
    return rows.filter(inside)


def _words(choices: Iterable[Any], help_text: str = "") -> AnyOf:
    return AnyOf(OneOf(list(choices)), help_text=help_text or "Any of several.")


def _text(help_text: str) -> serializers.CharField:
    return serializers.CharField(required=False, max_length=100, help_text=help_text)


def _span(what: str) -> dict[str, serializers.Field]:
    return {
        "since": MomentField(required=False, help_text=f"{what} on that day or later."),
        "until": MomentField(end=True, required=False, help_text=f"{what} on that day or before."),
    }


_FAMILY = _words([4, 6], "IPv4 or IPv6.")
_LENGTHS = AnyOf(serializers.IntegerField(min_value=0, max_value=128), help_text="Prefix length; any of several.")
_INSIDE = PrefixField(required=False, help_text="Those that lie inside the prefix.")
_COVERING = HeldField(required=False, help_text="Those that the prefix, or the address, lies inside.")
_NUMBER = AnyOf(
    serializers.IntegerField(min_value=1, max_value=(1 << 63) - 1), help_text="Any of several numbers."
)

SubnetListQuery = list_query(
    "Subnets",
    ORDERS,
    realm=meant(Realm),
    pool=meant(Pool),
    project=meant(Project),
    region=meant(Region),
    zone=meant(Zone),
    tier=meant(Tier),
    plan=meant(Plan),
    exposure=_words(EXPOSURES),
    origin=_words(ORIGINS),
    state=_words(SUBNET_STATES),
    family=_FAMILY,
    length=_LENGTHS,
    wider_than=serializers.IntegerField(
        required=False, min_value=1, max_value=128, help_text="26: /25 and wider."
    ),
    inside=_INSIDE,
    covering=_COVERING,
    label=serializers.CharField(required=False, max_length=300, help_text="key, or key=value."),
    text=_text("Part of the name, or words of the purpose or the notes (or how they begin)."),
    tag=AnyOf(serializers.IntegerField(min_value=1, max_value=4094), help_text="Segment tag; any of several."),
    public=OneOf(["held", "attached", "idle"], required=False, help_text="Single public addresses, by use."),
    **_span("Handed out"),
)
AddressListQuery = list_query(
    "Addresses",
    BY_AGE,
    realm=meant(Realm),
    subnet=meant(Subnet),
    project=meant(Project),
    address=serializers.CharField(required=False, max_length=60, help_text="One address."),
    inside=_INSIDE,
    name=AnyOf(serializers.CharField(max_length=120), help_text="Any of several names."),
    mac=serializers.CharField(required=False, max_length=40, help_text="Hardware address, in any usual spelling."),
    kind=_words(ADDRESS_KINDS),
    text=_text("Part of the name or the purpose."),
    **_span("Recorded"),
)
PlanListQuery = list_query(
    "Plans",
    BY_NAME,
    realm=meant(Realm),
    project=meant(Project),
    state=_words(PLAN_STATES),
    text=_text("Part of the name."),
)
SurveyListQuery = list_query("Surveys", ("newest", "oldest"), realm=meant(Realm), source=meant(Source))
SightingListQuery = list_query(
    "Sightings",
    BY_AGE,
    realm=meant(Realm),
    source=meant(Source),
    inside=_INSIDE,
    subnet=meant(Subnet, "What begins inside one of its blocks."),
    gone=serializers.BooleanField(required=False, help_text="What is seen no more, in the place of what is seen."),
)
DnsEntryListQuery = list_query(
    "Dns entries",
    ("owner",),
    dns_zone=meant(DnsZone),
    realm=meant(Realm),
    subnet=meant(Subnet, "That follow from this subnet."),
    state=_words(ENTRY_STATES),
    type=AnyOf(serializers.CharField(max_length=8), help_text="A, AAAA, PTR, TXT…; any of several."),
    text=_text("Part of the name or the data."),
)
FindingListQuery = list_query(
    "Findings",
    ("newest", "oldest"),
    realm=meant(Realm),
    kind=_words(FINDING_KINDS),
    state=_words(FINDING_STATES),
    project=meant(Project),
    subnet=meant(Subnet),
    dns_zone=meant(DnsZone, "Of the kind dns: on the server of this DNS zone."),
    assignee=meant(Person, "Who was asked to correct it."),
    assigned_project=meant(Project, "Whose people were asked to correct it."),
    overdue=serializers.BooleanField(required=False, help_text="Those that were to be corrected before today."),
    inside=_INSIDE,
    text=_text("Part of the sentence."),
    **_span("Opened"),
)
WaitingListQuery = list_query(
    "Requests",
    ("oldest", "newest", "needed"),
    state=_words(REQUEST_STATES),
    what=_words(ASKED, "What is asked for."),
    project=meant(Project),
    realm=meant(Realm),
    pool=meant(Pool),
    asker=meant(Person, "Who asks."),
    assigned_to=meant(Person, "Who is to decide."),
    text=_text("Part of what it asks for."),
)
TokenListQuery = list_query(
    "Tokens",
    BY_AGE,
    person=meant(Person, "Whose; of others, an admin sees them."),
    role=_words(ROLES, "No further than that role."),
    usable=serializers.BooleanField(required=False, help_text="Neither revoked nor expired, or the contrary."),
)
SessionListQuery = list_query(
    "Sessions", ("newest", "oldest"), person=meant(Person, "Whose; of others, an admin sees them.")
)
_EntryQuery = list_query(
    "Entries",
    ("newest", "oldest"),
    realm=meant(Realm),
    kind=AnyOf(serializers.CharField(max_length=40), help_text="Kind of record, such as subnet; any of several."),
    record=_NUMBER,
    actor=AnyOf(serializers.CharField(max_length=100), help_text="Name of a person; any of several."),
    verb=AnyOf(serializers.CharField(max_length=40), help_text="What was done, such as hand out; any of several."),
    operation=serializers.UUIDField(required=False, help_text="All entries of one change."),
    text=_text("What the record's name begins with."),
    **_span("Entered"),
    after=serializers.IntegerField(
        required=False,
        min_value=0,
        max_value=(1 << 63) - 1,
        help_text="What was committed after this number, in the order of commits, none skipped; 0 for all. `next` goes on.",
    ),
    wait=serializers.IntegerField(
        required=False,
        min_value=0,
        max_value=30,
        help_text="With `after`: seconds to wait until there is something.",
    ),
)


class LedgerQuery(_EntryQuery):  # type: ignore[misc, valid-type]
    """Which entries to list: newest first, or those after a number as they were committed."""

    def validate(self, values: dict[str, Any]) -> dict[str, Any]:
        if "after" not in values and "wait" in values:
            raise serializers.ValidationError(
                {"wait": ["there is something to wait for only after a number\nafter=0"]}
            )
        for name in ("cursor", "order", "as"):
            if "after" in values and self.initial_data.get(name):
                raise serializers.ValidationError(
                    {name: ["what comes after a number comes in the order of commits, page by page: leave it out"]}
                )
        return values


_TOP = serializers.BooleanField(required=False, help_text="Carved out of no other pool, or out of one.")
UsageListQuery = list_query(
    "Pools",
    ("name",),
    realm=meant(Realm),
    region=meant(Region),
    zone=meant(Zone),
    project=meant(Project),
    parent=meant(Pool, "Carved out of it."),
    exposure=_words(EXPOSURES),
    origin=_words(ORIGINS),
    top=_TOP,
    text=_text("Part of the name."),
)
HeadroomListQuery = list_query(
    "Headroom",
    ("name",),
    window_days=window_field(),
    realm=meant(Realm),
    region=meant(Region),
    zone=meant(Zone),
    project=meant(Project),
)
AlertListQuery = list_query(
    "Alerts",
    NEWEST_FIRST,
    realm=meant(Realm),
    pool=meant(Pool),
    resolved=serializers.BooleanField(required=False, default=False, help_text="Also those that are over."),
    acknowledged=serializers.BooleanField(
        required=False, help_text="Those that somebody looks after, or those that nobody does."
    ),
)

# Filters of set-up objects by kind, beyond `text`.
SET_UP_FILTERS: dict[str, dict[str, serializers.Field]] = {
    "zone": {"region": meant(Region), "site": _words(SITES)},
    "tier": {"exposure": _words(EXPOSURES)},
    "project": {
        "environment": _words(ENVIRONMENTS),
        "home_region": meant(Region),
        "label": serializers.CharField(required=False, max_length=200, help_text="key, or key=value."),
    },
    "pool": {
        "realm": meant(Realm),
        "region": meant(Region),
        "zone": meant(Zone),
        "project": meant(Project),
        "parent": meant(Pool, "Carved out of it."),
        "sheet": meant(Sheet),
        "exposure": _words(EXPOSURES),
        "origin": _words(ORIGINS),
        "gives": _words(GIVES),
        "top": _TOP,
    },
    "keep-out": {
        "realm": meant(Realm),
        "kind": _words(KEEP_OUT_KINDS),
        "certainty": _words(CERTAINTIES),
        "source": serializers.CharField(required=False, max_length=100, help_text="Part of how it is known."),
        "before": serializers.DateField(required=False, help_text="In force since before that day."),
        "review_by": serializers.DateField(required=False, help_text="To be looked at again by that day."),
    },
    "reservation": {
        "realm": meant(Realm),
        "pool": meant(Pool),
        "plan": meant(Plan),
        "project": meant(Project, "That may draw from it."),
        "tier": meant(Tier, "That may draw from it."),
        "kind": _words(RESERVATION_KINDS),
        "ending_within": serializers.IntegerField(
            required=False, min_value=0, max_value=99_999, help_text="Days until it falls back."
        ),
    },
    "tag range": {
        "zone": meant(Zone),
        "region": meant(Region),
        "tier": meant(Tier),
        "forbidden": serializers.BooleanField(
            required=False, help_text="Those that are forbidden, or the others."
        ),
    },
    "tag member": {
        "subnet": meant(Subnet),
        "kind": _words(MEMBER_KINDS),
        "differs": serializers.BooleanField(
            required=False, help_text="Those whose tag is not the subnet's, or the others."
        ),
    },
    "quota": {"project": meant(Project), "realm": meant(Realm), "region": meant(Region), "pool": meant(Pool)},
    "approval rule": {
        "realm": meant(Realm),
        "pool": meant(Pool),
        "project": meant(Project),
        "tier": meant(Tier),
        "decision": _words(DECISIONS),
        "when": _words(CONDITIONS),
    },
    "planned need": {"pool": meant(Pool), "project": meant(Project)},
    "source": {"realm": meant(Realm), "kind": _words(SOURCE_KINDS)},
    "link": {"realm": meant(Realm, "That it joins."), "kind": _words(LINK_KINDS)},
    "taking rule": {"realm": meant(Realm), "source": meant(Source), "project": meant(Project)},
    "DNS zone": {
        "realm": meant(Realm),
        "project": meant(Project),
        "delegated": serializers.BooleanField(required=False, help_text="Those that others keep, or the others."),
        "reverse": serializers.BooleanField(required=False, help_text="Those of addresses, or the others."),
        "failing": serializers.BooleanField(
            required=False, help_text="Those whose server does not answer as it should, or the others."
        ),
    },
    "DNS record": {"dns_zone": meant(DnsZone), "type": _words(BY_HAND_TYPES)},
    "group mapping": {"role": _words(ROLES), "project": meant(Project)},
    "person": {
        "role": _words(ROLES),
        "project": meant(Project, "Whose requests are theirs."),
        "active": serializers.BooleanField(required=False, help_text="Who may sign in, or who may not."),
        "service_of": meant(Project, "Service accounts of this project."),
    },
}
