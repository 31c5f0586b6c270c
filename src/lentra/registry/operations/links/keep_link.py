"""Add, edit and take away a link between realms."""

from __future__ import annotations

from itertools import islice
from typing import Any

from lentra.addressing.prefix import range_text
from lentra.registry.errors import Invalid
from lentra.registry.lookup.find import find
from lentra.registry.lookup.meeting import (
    LIVING,
    Pair,
    had_by_both,
    kind_of,
    links_now,
    lock_joined,
    meeting_places,
    meetings_of,
)
from lentra.registry.models import Link, Realm
from lentra.registry.operations.links.settle import Chosen, refuse_unhad, settle_meetings
from lentra.registry.operations.setup.add_record import add_record
from lentra.registry.operations.setup.edit_record import edit_record
from lentra.registry.operations.setup.remove_record import remove_record
from lentra.registry.rules.permissions import require
from lentra.registry.transactions.change import Change

_TOLD = 20


def add_link(change: Change, values: dict[str, Any], chosen: Chosen | None = None) -> Link:
    """Join two realms. What both have in pools is kept out in one of them from now on.

    Args:
        values: fields of `Link`.
        chosen: by realm, what it is to hand out where neither side uses it; otherwise whoever uses what lies beside it.

    Raises:
        Invalid: something is in use on both sides, and no reason is given; or what is chosen is not to be had.
        NotAllowed, NameTaken: as for every set-up object.
    """
    require(change.actor, "planner", "add a link")
    if values.get("one") and values.get("other"):
        lock_joined(values["one"].pk, values["other"].pk)
    before = links_now()
    link = add_record(change, "link", values)
    assert isinstance(link, Link)
    _settle(change, before, [*before, link], link, chosen)
    return link


def edit_link(
    change: Change, link_id: int, values: dict[str, Any], version: int | None = None, chosen: Chosen | None = None
) -> Link:
    """Change what a link lets be seen, or whether it passes on; realms are divided where they meet only now.

    What is `chosen` is divided anew as well, as long as neither uses it.

    Raises:
        Invalid: as for adding one, of what meets only now.
        Frozen: the realms of a link do not change.
        StaleEdit, NotAllowed, NameTaken.
    """
    require(change.actor, "planner", "edit a link")
    found = find(Link, link_id)
    lock_joined(found.one_id, found.other_id)
    before = links_now()
    link = edit_record(change, "link", link_id, values, version)
    assert isinstance(link, Link)
    _settle(change, before, [*links_now(besides=link), link], link, chosen)
    return link


def remove_link(change: Change, link_id: int, version: int | None = None) -> Link:
    """Take a link away: what was kept out for it alone is free again.

    Raises:
        StaleEdit, NotAllowed.
    """
    require(change.actor, "planner", "take a link away")
    found = find(Link, link_id)
    lock_joined(found.one_id, found.other_id)
    before = links_now()
    link = remove_record(change, "link", link_id, version)
    assert isinstance(link, Link)
    settle_meetings(change, meetings_of(before), links_now(besides=link))
    return link


def _settle(change: Change, before: list[Link], after: list[Link], link: Link, chosen: Chosen | None) -> None:
    was, now = meetings_of(before), meetings_of(after)
    fresh = [pair for pair in now if now[pair] != was.get(pair)]
    if chosen:
        refuse_unhad(link, had_by_both(link, now), chosen)
    if not link.reason.strip():
        _refuse_living(link, fresh, now)
    settle_meetings(change, was, after, chosen)


def _refuse_living(link: Link, pairs: list[Pair], now: dict[Pair, Any]) -> None:
    """Refuse a link over what is in use on both sides, if it does not say why."""
    for pair in pairs:
        living = (clash for clash in meeting_places(pair, now[pair]) if kind_of(clash) == LIVING)
        if not (found := list(islice(living, _TOLD + 1))):
            continue
        names = dict(Realm.objects.filter(pk__in=pair).values_list("pk", "name"))
        one, other = found[0].left, found[0].right
        more = f", and so are {'more' if len(found) > _TOLD else len(found) - 1} others" if len(found) > 1 else ""
        raise Invalid(
            f"{range_text(one.family, one.first, one.last)} of {names[pair[0]]} and "
            f"{range_text(other.family, other.first, other.last)} of {names[pair[1]]} are both in use{more}: a link over "
            "that needs a reason",
            field="reason",
            rule="linked realms do not clash; what does is a finding until it is gone",
            conflicts=[
                {
                    "range": range_text(side.family, side.first, side.last),
                    "realm": names[side.owner.realm],
                    "state": side.owner.state.word,
                    "addresses": clash.shared,
                }
                for clash in found[:_TOLD]
                for side in (clash.left, clash.right)
            ],
            suggestions=["reason: both stay until the harbour office has moved"],
        )
