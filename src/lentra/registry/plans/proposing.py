"""What a plan comes to: names, tags and places for every slot; and the token that carries a proposal."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass, field
from datetime import datetime
from typing import Any

from django.core import signing
from django.db.models import Max

from lentra.addressing.headroom import Usage
from lentra.addressing.layout import Laid
from lentra.addressing.refusal import Refusal
from lentra.registry.errors import Invalid, NameTaken, StaleProposal
from lentra.registry.models import Plan, Pool, Reservation, Subnet
from lentra.registry.models.subnets import EXTENT_STATE
from lentra.registry.plans.comparing import Comparison
from lentra.registry.plans.placing import Placer, PlannedReservation
from lentra.registry.plans.reading import PlanText
from lentra.registry.plans.slots import Finding, ResolvedPlan, Slot
from lentra.registry.rules.names import (
    check_numbered,
    check_template,
    name_values,
    numbered_onward,
    refuse_off_pattern,
    refuse_taken_subnet_name,
    stem_for,
)
from lentra.registry.rules.tags import Tags, no_tag, wanted_tag
from lentra.registry.space.locking import Pools
from lentra.registry.transactions.change import Change

_SALT = "lentra.plan"
_LIFETIME_SECONDS = 24 * 3600


@dataclass
class Placed:
    """One slot with its subnet's number, name, tag and blocks, as proposed."""

    slot: Slot
    number: int
    name: str
    tag: int | None
    blocks: dict[int, Laid]
    subnet: Subnet | None = None


@dataclass
class Proposed:
    """What a plan comes to. `errors` stop it; `notes` do not. `usage` is before and after, per pool and family."""

    text: PlanText
    plan: Plan | None
    comparison: Comparison
    added: list[Placed]
    reserving: list[PlannedReservation]
    notes: list[Finding]
    errors: list[Finding]
    usage: list[tuple[Pool, Usage, Usage]] = field(default_factory=list)
    token: str = ""
    ends_at: datetime | None = None


def propose(
    change: Change,
    wanted: ResolvedPlan,
    plan: Plan | None,
    comparison: Comparison,
    stores: Pools,
    proposal: str | None,
    subnet_state: str,
) -> Proposed:
    """Places, names and tags for all slots that a plan adds, under the locks of its pools.

    Args:
        proposal: the token of a preview, to be carried out exactly as it was shown.
        subnet_state: the state that the new subnets begin in.

    Raises:
        Invalid: the proposal is of another plan, or too old.
        StaleProposal: what the preview showed is no longer possible.
    """
    text = wanted.text
    kept: dict[tuple[int, int, str], list[Reservation]] = {}
    for reservation in plan.reservations.select_related("zone") if plan else []:
        where = reservation.zone.name if reservation.zone else ""
        kept.setdefault((reservation.pool_id, reservation.family, where), []).append(reservation)
    shown = unseal(proposal, text) if proposal else None
    if shown is not None:
        _refuse_other_slots(comparison.added, shown)
    to_come = len(wanted.pools) * 2 * (len(text.zones) + text.spare_zones + 1) if text.summarise != "none" else 0
    change.expect_numbers(len(comparison.added) + to_come)
    keys = [slot.key for slot in comparison.added]
    numbers = dict(zip(keys, change.numbers(len(keys)), strict=True))
    next_number = lambda: next(change.numbers(1))  # noqa: E731
    placer = Placer(stores, EXTENT_STATE[subnet_state], text.summarise, text.placement, kept, numbers, next_number)
    if shown is not None:
        reserving = [
            PlannedReservation(next_number(), wanted.pools[pool], *rest) for pool, *rest in shown["reserving"]
        ]
        slots = {key: (blocks, drawn) for key, _, _, blocks, drawn in shown["slots"]}
        places = placer.as_shown(comparison.added, slots, reserving)
        given = {key: (name, tag) for key, name, tag, _, _ in shown["slots"]}
        errors = _refuse_taken_names(change, wanted, [name for name, _ in given.values()])
    else:
        places = placer.lay_out(
            comparison.added,
            spare_zones=text.spare_zones,
            spare_tiers=text.spare_tiers,
            settled=comparison.settled,
        )
        names, errors = _names(change, wanted, comparison.added)
        given = {slot.key: (name, None) for slot, name in zip(comparison.added, names, strict=True)}
    tags, tag_errors = _tags(change, wanted, comparison.added, given, shown is not None)
    added = [
        Placed(slot, numbers[slot.key], given[slot.key][0], tags.get(slot.key), places.blocks.get(slot.key, {}))
        for slot in comparison.added
    ]
    proposed = Proposed(text, plan, comparison, added, places.reserving, list(places.notes), [])
    proposed.errors = [*wanted.errors, *places.errors, *errors, *tag_errors]
    for one in added:
        one.slot.drawn_from = places.drawn.get(one.slot.key)
    return proposed


def _names(change: Change, wanted: ResolvedPlan, slots: Sequence[Slot]) -> tuple[list[str], list[Finding]]:
    """Names for all slots, numbered onward per stem: one statement for all of them."""
    if not slots or wanted.realm is None:
        return [], []
    template = wanted.text.names
    if template is not None:
        try:
            check_template(template, "names")
        except Refusal as refusal:
            fault = Finding(
                wanted.text.where("names"),
                refusal.message,
                "no subnet can be named",
                refusal.code,
                refusal.suggestions,
            )
            return ["" for _ in slots], [fault]
    stems = [stem_for(wanted.realm, slot.target, next(iter(slot.pools.values())), template) for slot in slots]
    rows = Subnet.objects.filter(realm=wanted.realm, name_stem__in=set(stems)).values("name_stem")
    highest = dict(rows.annotate(most=Max("name_number")).order_by().values_list("name_stem", "most"))
    skip = max(0, change.attempt - 2)
    names, errors = [], []
    next_names: dict[str, list[str]] = {}
    for stem, count in Counter(stems).items():
        onward = numbered_onward(change, wanted.realm.pk, stem, highest.get(stem, 0) + skip, count)
        next_names[stem] = onward[::-1]
    names = [next_names[stem].pop() for stem in stems]
    try:
        for name, slot in zip(names, slots, strict=True):
            check_numbered(name)
            if template is not None:
                pool = next(iter(slot.pools.values()))
                refuse_off_pattern(wanted.realm.name_pattern, name, name_values(slot.target, pool))
    except Refusal as refusal:
        errors.append(Finding(wanted.text.where("names"), refusal.message, "no subnet can be named", refusal.code))
    if len(set(names)) < len(names):
        errors.append(
            Finding(
                wanted.text.where("names"),
                "the template gives several subnets the same name",
                "names are unique in a realm",
                "name-taken",
                ["{project}-{zone}-{tier}-{nn}"],
            )
        )
    return names, errors


def _refuse_taken_names(change: Change, wanted: ResolvedPlan, names: Sequence[str]) -> list[Finding]:
    taken = Subnet.objects.filter(realm=wanted.realm, name__in=names)[:20]
    found = []
    for subnet in taken:
        try:
            refuse_taken_subnet_name(change, subnet.realm_id, subnet.name)
        except NameTaken as refusal:
            found.append(
                Finding(
                    wanted.text.where("names"),
                    refusal.message,
                    "names are unique in a realm",
                    refusal.code,
                    refusal.suggestions,
                )
            )
    return found


def _tags(
    change: Change,
    wanted: ResolvedPlan,
    slots: Sequence[Slot],
    given: dict[str, tuple[str, int | None]],
    shown: bool,
) -> tuple[dict[str, int | None], list[Finding]]:
    """Segment tags of slots, by their keys; the tags of each zone are read once."""
    tags: dict[str, int | None] = {}
    errors: list[Finding] = []
    scopes: dict[int, Tags] = {}
    for slot in slots:
        sheet = next(iter(slot.pools.values())).sheet
        zone = slot.target.zone
        assert zone
        try:
            has, number = wanted_tag(slot.entry.tag)
            if slot.entry.tag is None and sheet.tag_needed:
                has = True
            name, tag = given[slot.key]
            if shown:
                has, number = tag is not None, tag
            elif number is not None:
                number += slot.number - 1
            if not has:
                if sheet.tag_needed:
                    raise no_tag(sheet.name)
                continue
            if zone.pk not in scopes:
                scopes[zone.pk] = Tags(change, zone)
            tags[slot.key] = scopes[zone.pk].take(number, name, wanted.text.tags_from, slot.target.tier)
        except Refusal as refusal:
            path = wanted.text.where(f"{slot.entry.path}.tag")
            errors.append(
                Finding(path, refusal.message, f"{slot.key} has no segment tag", refusal.code, refusal.suggestions)
            )
    return tags, errors


def usage_of(wanted: ResolvedPlan, stores: Pools) -> list[tuple[Pool, Usage]]:
    """What is used and free, per pool of the plan and family."""
    found = []
    for pool in sorted(wanted.pools.values(), key=lambda p: p.name):
        for family, store in sorted(stores[pool.pk].items()):
            kept = store.space.usage()
            found.append((pool, Usage(family, dict(kept.addresses), dict(store.free_counts()))))
    return found


def seal(proposed: Proposed) -> str:
    """A token of a preview, with which committing carries out exactly what it showed."""
    slots = [
        [
            p.slot.key,
            p.name,
            p.tag,
            [str(laid.block) for _, laid in sorted(p.blocks.items())],
            _number(p.slot.drawn_from),
        ]
        for p in proposed.added
    ]
    reserving = [[r.pool.pk, r.family, r.first, r.last, r.kind, r.zone] for r in proposed.reserving]
    body = {"plan": proposed.text.document, "slots": slots, "reserving": reserving}
    return signing.dumps(body, salt=_SALT, compress=True)


def renewed(token: str) -> str:
    """The same token as if it were of today: what it shows is granted later than a day after."""
    return signing.dumps(signing.loads(token, salt=_SALT), salt=_SALT, compress=True)


def unseal(token: str, text: PlanText) -> dict[str, Any]:
    """What a preview's token says.

    Raises:
        Invalid: it is none, is older than a day, or was made for another plan.
    """
    try:
        body = signing.loads(token, salt=_SALT, max_age=_LIFETIME_SECONDS)
    except signing.BadSignature:  # too old as well
        raise Invalid("invalid or expired proposal of a plan: preview again", field="proposal")
    if body["plan"] != text.document:
        raise Invalid("the proposal was made for another plan: preview this one", field="proposal")
    return body


def _refuse_other_slots(added: Sequence[Slot], shown: dict[str, Any]) -> None:
    now, then = {slot.key for slot in added}, {key for key, *_ in shown["slots"]}
    if now != then:
        odd = sorted(now ^ then)
        raise StaleProposal(
            f"since the preview, {odd[0]} has {'gone' if odd[0] in now else 'been handed out'}"
            + (f", and {len(odd) - 1} more have changed" if len(odd) > 1 else ""),
            field="proposal",
            received=odd[0],
            rule="a commit does exactly what was shown",
            suggestions=["preview again"],
        )


def _number(reservation: Reservation | None) -> int:
    return reservation.pk if reservation else 0
