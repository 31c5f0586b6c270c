"""The sections of an estate file, in the order of what depends on what: how an entry is read, found, made, told."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import Any

from django.db.models import Q, QuerySet

from lentra.addressing.prefix import parse_range, range_text, ranges_text
from lentra.registry.errors import Invalid
from lentra.registry.estate.dns import DNS_KEYS, DNS_SECTIONS
from lentra.registry.estate.section import SHOWS, SPARE, Section, by_name, by_name_in_realm, key_in_realm
from lentra.registry.intakes.columns import COLUMNS
from lentra.registry.intakes.records import KINDS, Said, TableKind, Values, field_value, text_of
from lentra.registry.models import (
    DECLARED,
    Address,
    ApprovalRule,
    KeepOut,
    Link,
    PlannedNeed,
    Pool,
    Project,
    Quota,
    Realm,
    Region,
    Reservation,
    Sheet,
    Subnet,
    Tier,
    Zone,
)
from lentra.registry.operations.links.keep_link import add_link, edit_link, remove_link
from lentra.registry.operations.pools.add_keep_out import remove_keep_out
from lentra.registry.operations.pools.carve_pool import give_back_pool
from lentra.registry.operations.reservations.reserve import give_back_reservation
from lentra.registry.operations.setup.add_realm import add_realm
from lentra.registry.operations.setup.add_record import add_record
from lentra.registry.operations.setup.edit_record import edit_record
from lentra.registry.operations.setup.edit_sheet import edit_sheet
from lentra.registry.operations.setup.limit_project import add_quota, edit_quota
from lentra.registry.operations.setup.remove_realm import remove_realm
from lentra.registry.operations.setup.remove_record import remove_record
from lentra.registry.operations.subnets.give_back import give_back_subnet
from lentra.registry.operations.subnets.record_addresses import release_address
from lentra.registry.rules.quotas import LIMITS


def _plain_kind(kind: str, model: Any, names: tuple[str, ...], **own: Any) -> TableKind:
    def read(said: Said) -> Values:
        return {name: field_value(model, name, text) for name, text in said.items()}

    def told(record: Any) -> dict[str, str]:
        return {name: text_of(getattr(record, name)) for name in ("name", *names)}

    return TableKind(
        kind,
        read=own.get("read", read),
        there=lambda values: model._default_manager.filter(name=values["name"]).first(),
        add=own.get("add", lambda change, values: add_record(change, kind, values)),
        edit=own.get("edit", lambda change, record, values: edit_record(change, kind, record.pk, values)),
        told=own.get("told", told),
    )


_REALM = (
    *(
        "about",
        "private_only",
        "published",
        "operator",
        "operator_contact",
        "name_template",
        "name_pattern",
        "pool_template",
        "reservation_template",
    ),
    *("plan_template", "address_template"),
)
_SHEET = (
    *("about", "v4", "v6", "ipv6_needs_ipv4", "tag_needed", "dhcp", "workloads_min", "workloads_max", "workloads"),
    *("dhcp_service", "gateway", "zones", "forbidden", "hd_threshold"),
)
_RULE = (
    *("when", "decision", "place", "limit", "limit_v6", "hours", "time_zone", "realm", "pool", "project", "tier"),
    *("environment", "holds", "reminds_after", "lapses_after", "about"),
)
_LINK = ("one", "other", "kind", *SHOWS, "passes_on", "since", "reason", "about")
_NEED = ("pool", "family", "length", "count", "day", "project", "reason")


def _read_sheet(said: Said) -> Values:
    values: Values = {}
    for name, text in said.items():
        if name in ("v4", "v6"):
            values[name] = {
                key.strip(): int(number)
                for key, _, number in (part.partition("=") for part in text.split(";"))
                if number.strip().isdigit()
            }
        elif name == "forbidden":
            values[name] = [part.strip() for part in text.split(",")]
        elif name == "hd_threshold":
            values[name] = Sheet._meta.get_field(name).to_python(text)
        else:
            values[name] = field_value(Sheet, name, text)
    return values


def _read_link(said: Said) -> Values:
    return {
        name: [part.strip() for part in text.split(",")] if name in SHOWS else field_value(Link, name, text)
        for name, text in said.items()
    }


def _links(realm: Realm | None, project: Project | None) -> QuerySet | None:
    found = Link.objects.select_related("one", "other").order_by("name")
    return None if project else found.filter(Q(one=realm) | Q(other=realm)) if realm else found


def _told_need(record: PlannedNeed) -> dict[str, str]:
    told = {name: text_of(getattr(record, name)) for name in ("name", *_NEED)}
    return {**told, "pool": f"{record.pool.realm.name}:{record.pool.name}"}


def _told_rule(record: ApprovalRule) -> dict[str, str]:
    told = {name: text_of(getattr(record, name)) for name in ("name", *_RULE)}
    return {**told, **({"pool": key_in_realm(record.pool)} if record.pool else {})}


def _told_quota(record: Quota) -> dict[str, str]:
    return {name: text_of(getattr(record, name)) for name in (*LIMITS, "about")} | _said_quota(
        _key_of_quota(record)
    )


def _key_of_quota(record: Quota) -> str:
    """Its project, and where it counts: ``ticketing``, ``ticketing in pool mainland:ticket-hall``."""
    for name in ("realm", "region", "pool"):
        if (place := getattr(record, name)) is not None:
            return f"{record.project.name} in {name} {key_in_realm(place) if name == 'pool' else place.name}"
    return record.project.name


def _said_quota(key: str) -> dict[str, str]:
    project, _, place = key.partition(" in ")
    kind, _, name = place.partition(" ")
    if place and kind not in ("realm", "region", "pool"):
        raise Invalid(
            f"{key!r} is no key of a quota: it is a project's name, or PROJECT in realm|region|pool NAME",
            field="quotas",
            received=key,
            suggestions=[project],
        )
    return {"project": project, **({kind: name} if place else {})}


def _quota_there(values: Values) -> Any:
    named = {name: values.get(name) for name in ("project", "realm", "region", "pool")}
    return Quota.objects.filter(**named).first()


def _columns(table: str, *besides: str) -> tuple[str, ...]:
    return tuple(c.name for c in COLUMNS[table] if c.name not in (*SPARE, *besides))


def _of_pool(model: Any) -> Callable[[Realm | None, Project | None], QuerySet | None]:
    def rows(realm: Realm | None, project: Project | None) -> QuerySet | None:
        found = model._default_manager.select_related("realm", "pool").order_by("realm__name", "name")
        if project:
            return found.filter(projects=project)
        return found.filter(realm=realm) if realm else found

    return rows


def _set_up(model: Any, *related: str) -> Callable[[Realm | None, Project | None], QuerySet | None]:
    """Records that no realm and no project has: they are of the whole registry."""
    return lambda realm, project: (
        None if realm or project else model._default_manager.select_related(*related).order_by("name")
    )


def _pools(realm: Realm | None, project: Project | None) -> QuerySet:
    found = (
        Pool.objects.select_related("realm", "parent", "sheet")
        .prefetch_related("ranges")
        .order_by("realm__name", "name")
    )
    found = found.filter(realm=realm) if realm else found
    return found.filter(project=project) if project else found


def _keep_outs(realm: Realm | None, project: Project | None) -> QuerySet | None:
    """Those of the standards come with each realm, and are not told."""
    found = KeepOut.objects.exclude(kind="special").filter(**DECLARED).select_related("realm")
    found = found.order_by("realm__name", "family", "first", "last", "pk")
    return None if project else found.filter(realm=realm) if realm else found


def _needs(realm: Realm | None, project: Project | None) -> QuerySet:
    found = PlannedNeed.objects.select_related("pool__realm", "project").order_by("name")
    found = found.filter(pool__realm=realm) if realm else found
    return found.filter(project=project) if project else found


def _quotas(realm: Realm | None, project: Project | None) -> QuerySet | None:
    found = Quota.objects.select_related("project", "realm", "region", "pool__realm").order_by(
        "project__name", "scope"
    )
    if project:
        return found.filter(project=project)
    return found.filter(Q(realm=realm) | Q(pool__realm=realm)) if realm else found


def _subnets(realm: Realm | None, project: Project | None) -> QuerySet:
    related = ("realm", "pool", "project", "region", "zone", "tier", "drawn_from")
    found = (
        Subnet.objects.filter(state__in=("active", "retiring"))
        .select_related(*related)
        .prefetch_related("extents")
    )
    found = found.filter(realm=realm) if realm else found
    return (found.filter(project=project) if project else found).order_by("realm__name", "place")


def _addresses(realm: Realm | None, project: Project | None) -> QuerySet:
    found = Address.objects.select_related("realm", "subnet").order_by("realm__name", "family", "address")
    found = found.filter(realm=realm) if realm else found
    return found.filter(subnet__project=project) if project else found


def _said_keep_out(key: str) -> dict[str, str]:
    realm, _, text = key.partition(":")
    return {"realm": realm, "prefix": text}


def _key_of_keep_out(record: KeepOut) -> str:
    return f"{record.realm.name}:{record.range_text}"


def _said_reservation(key: str) -> dict[str, str]:
    return {"name": key.partition(":")[2]}


def canonical(section: str, key: str) -> str:
    """A key as it is told: ranges in the form that they are written in."""
    if section == "keep-outs":
        realm, _, text = key.partition(":")
        return f"{realm}:{range_text(*parse_range(text))}"
    if section in DNS_KEYS:
        return DNS_KEYS[section](key)
    return key


SECTIONS: dict[str, Section] = {
    section.name: section
    for section in (
        Section(
            "realms",
            Realm,
            _plain_kind("realm", Realm, _REALM, add=lambda change, values: add_realm(change, values)),
            _REALM,
            lambda record: record.name,
            by_name,
            lambda realm, project: (
                None if project else Realm.objects.filter(**({"pk": realm.pk} if realm else {})).order_by("name")
            ),
            lambda change, record: remove_realm(change, record.pk),
        ),
        Section(
            "rule sheets",
            Sheet,
            _plain_kind(
                "rule sheet",
                Sheet,
                _SHEET,
                read=_read_sheet,
                edit=lambda change, record, values: edit_sheet(change, record.pk, values),
            ),
            _SHEET,
            lambda record: record.name,
            by_name,
            _set_up(Sheet),
            lambda change, record: remove_record(change, "rule sheet", record.pk),
        ),
        *(
            Section(
                name,
                model,
                KINDS[name],
                _columns(name, "name"),
                lambda record: record.name,
                by_name,
                rows,
                lambda change, record, kind=kind: remove_record(change, kind, record.pk),  # type: ignore[misc]
            )
            for name, model, kind, rows in (
                ("regions", Region, "region", _set_up(Region)),
                ("zones", Zone, "zone", _set_up(Zone, "region")),
                ("tiers", Tier, "tier", _set_up(Tier)),
                (
                    "projects",
                    Project,
                    "project",
                    lambda realm, project: (
                        None
                        if realm
                        else Project.objects.filter(**({"pk": project.pk} if project else {})).order_by("name")
                    ),
                ),
            )
        ),
        Section(
            "pools",
            Pool,
            KINDS["pools"],
            ("ranges", *_columns("pools", "name", "realm")),
            key_in_realm,
            by_name_in_realm,
            _pools,
            lambda change, record: give_back_pool(change, record.pk),
        ),
        Section(
            "keep-outs",
            KeepOut,
            KINDS["keep-outs"],
            _columns("keep-outs", "realm"),
            _key_of_keep_out,
            _said_keep_out,
            _keep_outs,
            lambda change, record: remove_keep_out(change, record),
        ),
        Section(
            "links",
            Link,
            _plain_kind(
                "link",
                Link,
                _LINK,
                read=_read_link,
                add=add_link,
                edit=lambda change, record, values: edit_link(change, record.pk, values),
            ),
            _LINK,
            lambda record: record.name,
            by_name,
            _links,
            lambda change, record: remove_link(change, record.pk),
        ),
        Section(
            "reservations",
            Reservation,
            KINDS["reservations"],
            ("range", *_columns("reservations", "name")),
            key_in_realm,
            _said_reservation,
            _of_pool(Reservation),
            lambda change, record: give_back_reservation(change, record.pk),
        ),
        Section(
            "planned needs",
            PlannedNeed,
            _plain_kind("planned need", PlannedNeed, _NEED, told=_told_need),
            _NEED,
            lambda record: record.name,
            by_name,
            _needs,
            lambda change, record: remove_record(change, "planned need", record.pk),
        ),
        Section(
            "approval rules",
            ApprovalRule,
            _plain_kind("approval rule", ApprovalRule, _RULE, told=_told_rule),
            _RULE,
            lambda record: record.name,
            by_name,
            _set_up(ApprovalRule, "realm", "pool__realm", "project", "tier"),
            lambda change, record: remove_record(change, "approval rule", record.pk),
        ),
        Section(
            "quotas",
            Quota,
            TableKind(
                "quota",
                read=lambda said: {name: field_value(Quota, name, text) for name, text in said.items()},
                there=_quota_there,
                add=add_quota,
                edit=lambda change, record, values: edit_quota(change, record.pk, values),
                told=_told_quota,
            ),
            (*LIMITS, "about"),
            _key_of_quota,
            _said_quota,
            _quotas,
            lambda change, record: remove_record(change, "quota", record.pk),
        ),
        *DNS_SECTIONS,
        Section(
            "address records",
            Address,
            KINDS["address records"],
            _columns("address records", "address", "realm"),
            lambda record: f"{record.realm.name}:{record.text}",
            lambda key: {"realm": key.partition(":")[0], "address": key.partition(":")[2]},
            _addresses,
            lambda change, record: release_address(change, record.pk),
        ),
    )
}
IF_ASKED = ("subnets", "address records")
_PLAIN_OF_SUBNET = (
    *("project", "region", "zone", "tier", "tag", "gateway", "hosts", "purpose", "notes", "service"),
    *("dhcp", "dhcp_excluded", "dhcp_service", "ipv6_hosts", "name_servers", "dns_suffix", "labels", "exposure"),
)


def _told_subnet(record: Subnet) -> dict[str, str]:
    told = {name: text_of(getattr(record, name)) for name in _PLAIN_OF_SUBNET}
    told |= {name: text_of(getattr(record, name) or None) for name in ("growth", "outer_tag")}
    told["pool"] = f"{record.realm.name}:{record.pool.name}"
    if record.drawn_from:
        told["reservation"] = f"{record.realm.name}:{record.drawn_from.name}"
    if told["zone"]:
        told["region"] = ""
    room, blocks = record.room(), record.blocks()
    if room:
        told["room"] = str((1 + sum(piece.size for piece in room) // blocks[0].size).bit_length() - 1)
    return {**told, "range": ranges_text(blocks)}


def _not_alone(*_: Any) -> Any:
    raise AssertionError("subnets are brought in together")


_SUBNETS = Section(
    "subnets",
    Subnet,
    TableKind("subnet", _not_alone, _not_alone, _not_alone, _not_alone, _told_subnet),
    ("range", *_columns("subnets", "name", "realm", "state")),
    key_in_realm,
    by_name_in_realm,
    _subnets,
    lambda change, record: give_back_subnet(change, record.pk),
)
SECTIONS = {name: SECTIONS[name] for name in SECTIONS if name != "address records"} | {
    "subnets": _SUBNETS,
    "address records": SECTIONS["address records"],
}


def records_of(section: Section, realm: Realm | None, project: Project | None) -> Iterator[Any]:
    """The records of a section in a realm or project, or all of them."""
    rows = section.rows(realm, project)
    yield from rows if rows is not None else ()
