"""Ledger entries as events, and which of them a subscription is told."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import Any

from django.db.models import Q, QuerySet

from lentra.registry.models import Address, LedgerEntry, Project, Realm, Subnet, Subscription, Tenure
from lentra.registry.rules.permissions import ABOUT_PEOPLE

SOURCE = "/api/v1/ledger"


def event_of(entry: LedgerEntry, realms: dict[int, str]) -> dict[str, Any]:
    """An entry as an event (CloudEvents 1.0.2, JSON format): its `id` is the entry's number, however often it is sent.

    Args:
        realms: names by number.
    """
    return {
        "specversion": "1.0",
        "id": str(entry.number),
        "source": SOURCE,
        "type": f"lentra.{_word(entry.kind)}.{_word(entry.verb)}",
        "subject": f"{_word(entry.kind)}/{entry.record}",
        "time": entry.at.isoformat().replace("+00:00", "Z"),
        "datacontenttype": "application/json",
        "data": {
            "number": entry.number,
            "operation": str(entry.operation),
            "kind": entry.kind,
            "verb": entry.verb,
            "record": entry.record,
            "name": entry.name,
            "realm": {"id": entry.realm, "name": realms.get(entry.realm, "")} if entry.realm else None,
            "actor": entry.actor_name,
            "why": entry.why,
            "before": entry.before,
            "after": entry.after,
        },
    }


def realm_names() -> dict[int, str]:
    """Names of realms by number."""
    return dict(Realm.objects.values_list("pk", "name"))


def entries_for(subscription: Subscription) -> QuerySet[LedgerEntry]:
    """The entries that a subscription asks for, of whatever project; nothing about people."""
    wanted = Q()
    for column, values in (
        ("kind__in", subscription.kinds),
        ("verb__in", subscription.verbs),
        ("realm__in", subscription.realms),
    ):
        if values:
            wanted &= Q(**{column: values})
    return LedgerEntry.objects.filter(wanted).exclude(kind__in=ABOUT_PEOPLE)


def of_projects(entries: Sequence[LedgerEntry], projects: Sequence[int]) -> list[LedgerEntry]:
    """Those of the entries that are about something of some projects; all of them where no project is named."""
    if not projects:
        return list(entries)
    about = [entry for entry in entries if entry.kind in (Subnet.KIND, Address.KIND)]
    subnets = _subnets_of(about)
    had: dict[int, list[Tenure]] = {}
    for tenure in Tenure.objects.filter(record__in=set(subnets.values()), kind=Subnet.KIND):
        had.setdefault(tenure.record, []).append(tenure)
    wanted = set(projects)
    return [one for one in entries if wanted & _projects(one, had.get(subnets.get(one.number, 0), ()))]


def _projects(entry: LedgerEntry, tenures: Iterable[Tenure]) -> set[int | None]:
    """The projects that an entry is about: a subnet's when it was entered; that it was handed over is news to both."""
    if entry.kind == Project.KIND:
        return {entry.record}
    told = {facts.get("project_id") for facts in (entry.before, entry.after) if facts} - {None}
    return told or {t.project for t in tenures if t.begins <= entry.at and (t.ends is None or t.ends >= entry.at)}


def _subnets_of(entries: Sequence[LedgerEntry]) -> dict[int, int]:
    """The subnets that entries are about, of subnets and of address records in them: number of the entry -> subnet."""
    records = {entry.record for entry in entries if entry.kind == Address.KIND}
    inside = dict(Tenure.objects.filter(record__in=records, kind=Address.KIND).values_list("record", "subnet"))
    return {entry.number: inside.get(entry.record) or entry.record for entry in entries}


def _word(text: str) -> str:
    return text.replace(" ", "-")
