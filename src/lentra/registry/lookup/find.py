"""Finding a record by what people call it: its number, its name, or realm:name."""

from __future__ import annotations

from difflib import get_close_matches
from typing import Any, TypeVar

from django.db.models import Model

from lentra.registry.errors import Invalid, UnknownName
from lentra.registry.lookup.any_of import begins
from lentra.registry.models import (
    Address,
    ApprovalRule,
    DnsRecord,
    DnsZone,
    Finding,
    GroupMapping,
    KeepOut,
    Link,
    Move,
    Person,
    Plan,
    PlannedNeed,
    Pool,
    Project,
    Quota,
    Realm,
    Region,
    Renumbering,
    Reservation,
    Sheet,
    Source,
    Subnet,
    Subscription,
    Survey,
    TagMember,
    TagRange,
    Tier,
    WaitingRequest,
    Zone,
)

Found = TypeVar("Found", bound=Model)

BY_KIND: dict[str, type[Model]] = {
    model.KIND: model
    for model in (
        *(Realm, Sheet, Region, Zone, Tier, Project, Pool, KeepOut, Subnet, Person),
        *(Reservation, Plan, Address, PlannedNeed, TagRange, TagMember, Subscription),
        *(Quota, ApprovalRule, WaitingRequest, GroupMapping, Source, Survey, Finding, Link),
        *(Renumbering, Move, DnsZone, DnsRecord),
    )
}
_SHOWN = 5


def find(model: type[Found], ref: Any, field: str | None = None, related: tuple[str, ...] = ()) -> Found:
    """The record that `ref` means.

    Args:
        ref: a number, a name, realm:name for pools, subnets, reservations, plans, renumberings and DNS zones, or a mapping
            with ``id`` or ``name``.
        field: the input it came from, for the refusal.
        related: relations to read along.

    Raises:
        UnknownName: nothing is called that; suggests the nearest names.
        Invalid: several realms have the name: suggests realm:name of each.
    """
    if isinstance(ref, dict):
        ref = ref.get("id") or ref.get("name")
    rows: Any = model._default_manager.select_related(*related)
    text = str(ref).strip() if ref is not None else ""
    kind = model.KIND
    if text.isascii() and text.isdigit() and len(text) < 19:
        found = rows.filter(pk=int(text)).first()
        if found is None:
            raise UnknownName(f"there is no {kind} number {text}", field=field or kind, received=text)
        return found
    if not hasattr(model, "name"):
        raise UnknownName(f"a {kind} is named by its number, not {text!r}", field=field or kind, received=text)
    realm, mark, name = text.rpartition(":")
    scoped = model in (Pool, Subnet, Reservation, Plan, Renumbering, DnsZone)
    matches = rows.filter(name=name if scoped else text)
    if scoped and mark:
        matches = matches.filter(realm__name=realm)
    several = list(matches[:_SHOWN])
    if len(several) == 1:
        return several[0]
    if several:
        options = [f"{row.realm.name}:{row.name}" if scoped else row.pk for row in several]
        raise Invalid(
            f"{text!r} is the name of a {kind} in several realms: say which"
            if scoped
            else f"{text!r} is the name of several {kind}s: say which number",
            field=field or kind,
            received=text,
            suggestions=options,
        )
    near, some = _nearest(model, name if scoped else text)
    words = f": did you mean {near[0]}?" if near else ""
    if not near and some:
        words = (
            f"; there are {', '.join(some)} and others"
            if len(some) == _SHOWN
            else f"; there are {', '.join(some)}"
        )
    raise UnknownName(f"there is no {kind} {text!r}{words}", field=field or kind, received=text, suggestions=near)


def _nearest(model: type[Model], text: str) -> tuple[list[str], list[str]]:
    """Names that look like the text, and the first few there are."""
    names = model._default_manager.order_by("name").values_list("name", flat=True)
    stem = text[:3].lower()
    pool = list(names.filter(begins("name", stem))[:500]) if stem else []
    pool += list(names[:500])
    pool = list(dict.fromkeys(pool))
    return get_close_matches(text.lower(), pool, n=_SHOWN, cutoff=0.6), pool[:_SHOWN]
