"""Take a change back by its ledger number, while nobody has built on it.

Each entry of the change is taken back by an operation of its own kind, the last one first, so every rule of the job is
asked again. What has no such operation is not taken back, and is told what to do instead.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any

from django.db.models import Model

from lentra.addressing.prefix import Prefix, parse_prefix, parse_range
from lentra.registry.errors import BuiltOn, CannotUndo, NotAllowed, UnknownName
from lentra.registry.lookup.find import BY_KIND
from lentra.registry.lookup.locked import find_locked
from lentra.registry.models import (
    Address,
    Finding,
    KeepOut,
    LedgerEntry,
    Move,
    Plan,
    Pool,
    Project,
    Renumbering,
    Subnet,
    Tier,
)
from lentra.registry.operations.dns.keep_dns_zone import (
    add_dns_record,
    add_dns_zone,
    edit_dns_record,
    edit_dns_zone,
    remove_dns_zone,
)
from lentra.registry.operations.findings.judge_meetings import FACT as BY_LINK
from lentra.registry.operations.links.keep_link import add_link, edit_link, remove_link
from lentra.registry.operations.people.manage_people import edit_person
from lentra.registry.operations.plans.remove_plan import remove_plan
from lentra.registry.operations.pools.add_keep_out import add_keep_out, remove_keep_out
from lentra.registry.operations.pools.add_pool import add_range
from lentra.registry.operations.pools.carve_pool import give_back_pool
from lentra.registry.operations.pools.edit_pool import edit_pool
from lentra.registry.operations.pools.remove_range import remove_range
from lentra.registry.operations.reservations.reserve import edit_reservation, give_back_reservation
from lentra.registry.operations.setup.add_record import add_record
from lentra.registry.operations.setup.edit_record import edit_record
from lentra.registry.operations.setup.edit_sheet import edit_sheet
from lentra.registry.operations.setup.limit_project import add_quota, edit_quota
from lentra.registry.operations.setup.remove_realm import remove_realm
from lentra.registry.operations.setup.remove_record import remove_record
from lentra.registry.operations.subnets.attach_address import attach_address, detach_address
from lentra.registry.operations.subnets.bring_back import bring_back
from lentra.registry.operations.subnets.edit_subnet import EDITABLE, edit_subnet
from lentra.registry.operations.subnets.give_back import give_back_subnet
from lentra.registry.operations.subnets.grow import grow_subnet, set_room, shrink_subnet
from lentra.registry.operations.subnets.hand_over import hand_over
from lentra.registry.operations.subnets.opened import locked_subnet
from lentra.registry.operations.subnets.record_addresses import (
    AddressRequest,
    edit_address,
    record_addresses,
    release_address,
)
from lentra.registry.operations.subscriptions.subscribe import pause_subscription, resume_subscription
from lentra.registry.rules.permissions import require, require_project, visible_entries
from lentra.registry.space.locking import lock_outline, open_pools
from lentra.registry.transactions.change import Change
from lentra.registry.transactions.locks import lock_all

MOST_ENTRIES = 500  # of one change: its pools are locked meanwhile
_HOLDING = (Plan.KIND, Pool.KIND, "zone", "region", "realm")
_APART = 20_000  # numbers between two entries of one change, at most

Facts = dict[str, Any]


def undo(change: Change, number: int) -> list[LedgerEntry]:
    """Take back the change that a ledger entry belongs to, all of it.

    Returns:
        its entries, in the order in which they were taken back.

    Raises:
        UnknownName: no entry has the number.
        BuiltOn: something of it has been changed or used since; lists by what.
        CannotUndo: a change of this kind is not taken back; says what to do instead.
        NotAllowed: neither a planner nor whoever made the change.
        Refusal: whatever stands against the opposite change.
    """
    require(change.actor, "requester", "take a change back")
    every = _change_of(change, number)
    _refuse_stranger(change, every)
    entries = _without_what_follows(every)
    for realm in sorted({e.realm for e in entries if e.realm and e.kind in (Pool.KIND, KeepOut.KIND)}):
        lock_outline(realm)
    made = {entry.number for entry in entries if entry.subject is None}
    with open_pools(change, _pools_of(entries)):
        for kind in sorted({entry.kind for entry in entries} & set(BY_KIND)):
            lock_all(BY_KIND[kind]._default_manager.filter(pk__in={e.record for e in entries if e.kind == kind}))
        _refuse_built_on(entries, made)
        change.why = f"undo of {number}{': ' if change.why else ''}{change.why}"[:500]
        back = sorted((e for e in reversed(entries) if e.subject not in made), key=holds_others)
        for entry in back:
            opposite(entry)(change, entry)
    return back


def _without_what_follows(entries: Sequence[LedgerEntry]) -> list[LedgerEntry]:
    """The entries of a change, but for those that follow from links: they go and come with what they follow from."""
    findings = [entry.record for entry in entries if entry.kind == Finding.KIND]
    clashes = set(Finding.objects.filter(pk__in=findings, fact=BY_LINK).values_list("pk", flat=True))
    own = [
        entry
        for entry in entries
        if entry.record not in clashes and not ((entry.before or entry.after or {}).get("in_favour_of_id"))
    ]
    if not own:
        raise CannotUndo(
            "it follows from how realms are linked: change their links, or what both use",
            field="number",
            received=entries[0].number,
        )
    return own


def holds_others(entry: LedgerEntry) -> int:
    """What was made to hold others goes after them: a record's number says nothing of when it was made."""
    return _HOLDING.index(entry.kind) + 1 if entry.subject is None and entry.kind in _HOLDING else 0


def _change_of(change: Change, number: int) -> list[LedgerEntry]:
    """All entries of the change to which one belongs, in order; one that the actor may not see is none."""
    visible = visible_entries(change.actor) if change.actor else LedgerEntry.objects.all()
    entry = visible.filter(number=number).first()
    if entry is None:
        raise UnknownName(f"the ledger has no entry {number}", field="number", received=number)
    near = LedgerEntry.objects.filter(number__range=(number - _APART, number + _APART), operation=entry.operation)
    entries = list(near.order_by("number")[: MOST_ENTRIES + 1])
    if len(entries) > MOST_ENTRIES:
        raise CannotUndo(
            f"the change has more than {MOST_ENTRIES:,} entries: remove its plan, or give its subnets back, instead",
            field="number",
            received=number,
            rule=f"{MOST_ENTRIES:,} entries at most are taken back at once",
        )
    return entries


def _refuse_stranger(change: Change, entries: Sequence[LedgerEntry]) -> None:
    actor = change.actor
    if actor and not actor.may("planner") and entries[0].actor != actor.pk:
        raise NotAllowed(
            f"entry {entries[0].number} was made by {entries[0].actor_name}: planners, and whoever made a change, may take "
            "it back",
            rule="one takes back one's own changes",
        )


def _pools_of(entries: Sequence[LedgerEntry]) -> list[int]:
    """The pools whose space may change, of those that are still there."""
    facts = [facts for entry in entries for facts in (entry.before, entry.after) if facts]
    pools = {value for one in facts for name in ("pool_id", "parent_id") if (value := one.get(name))}
    pools |= {entry.record for entry in entries if entry.kind == Pool.KIND}
    subnets = [entry.record for entry in entries if entry.kind == Subnet.KIND]
    pools |= set(Subnet.objects.filter(pk__in=subnets).values_list("extents__pool", flat=True)) - {None}
    pools |= set(Subnet.objects.filter(pk__in=subnets).values_list("pool", flat=True))
    return list(Pool.objects.filter(pk__in=pools).values_list("pk", flat=True))


def _refuse_built_on(entries: Sequence[LedgerEntry], made: set[int]) -> None:
    """Refuse, if a record of the change has been changed since, or holds addresses that the change did not record."""
    records = {entry.record for entry in entries}
    later = LedgerEntry.objects.filter(subject__in=records, number__gt=entries[-1].number)
    conflicts = [
        {"range": e.name, "owner": e.actor_name, "kind": e.verb, "entry": e.number, "at": e.at}
        for e in later.exclude(operation=entries[0].operation).order_by("number")[:20]
    ]
    handed_out = [e.record for e in entries if e.kind == Subnet.KIND and e.subject is None]
    for address in Address.objects.filter(subnet__in=handed_out).exclude(pk__in=made).order_by("pk")[:20]:
        conflicts.append({"range": address.text, "owner": address.name, "kind": address.kind})
    if conflicts:
        first = conflicts[0]
        what = (
            f"{first['range']} has seen {first['kind']!r} by {first['owner']} since (entry {first['entry']})"
            if "entry" in first
            else f"{first['range']} is recorded for {first['owner']}"
        )
        raise BuiltOn(
            f"others have built on it: {what}",
            field="number",
            received=entries[0].number,
            rule="a change is taken back while nobody has built on it",
            conflicts=conflicts,
            suggestions=[f"undo {e['entry']} first" for e in conflicts if "entry" in e][-1:],
        )


def opposite(entry: LedgerEntry) -> Callable[[Change, LedgerEntry], Any]:
    """What takes an entry back."""
    if entry.before is None and entry.after is not None and entry.subject is None:
        step = _OF_MAKING.get(entry.kind)
    elif entry.after is None:
        step = _OF_REMOVING.get(entry.kind)
    else:
        step = _OF_CHANGING.get((entry.kind, entry.verb)) or (_OF_CHANGING.get((entry.kind, "")))
    if step is None:
        raise CannotUndo(
            f"'{entry.verb}' of {entry.kind} {entry.name} is not taken back: "
            + _INSTEAD.get((entry.kind, entry.verb), "make the opposite change"),
            field="number",
            received=entry.number,
            rule="what one call made is taken back, where there is an opposite of it",
        )
    return step


_INSTEAD = {
    (Subnet.KIND, "give back"): "its range is free already, so ask for it again by its exact prefix",
    (Subnet.KIND, "hand out"): "a hold that was confirmed is given back with 'release'",
    (Pool.KIND, "give back"): "carve or add it again",
    (Pool.KIND, "change range"): "change the range back",
    ("reservation", "give back"): "reserve the range again",
    ("token", "add"): "revoke it",
    ("intake", "commit"): "take the intake back",
    **{(Move.KIND, verb): "turn the renumbering back" for verb in ("plan", "begin", "turn back")},
    **{(Renumbering.KIND, verb): "turn the renumbering back" for verb in ("start", "vacate")},
    (Move.KIND, "finish"): "bring the old subnets back while they cool, or renumber the other way",
    (Renumbering.KIND, "finish"): "bring the old subnets back while they cool, or renumber the other way",
    (Move.KIND, "tick"): "take the tick away, or set it again",
    (Address.KIND, "move"): "note that the host has not moved",
    ("person", "change password"): "set another password",
}


def _value(model: type[Model], column: str, value: Any) -> tuple[str, Any]:
    """A field and its value, of what the ledger says of a column."""
    field: Any = model._meta.get_field(column)
    if field.is_relation and value is not None:
        found = field.related_model._default_manager.filter(pk=value).first()
        if found is None:
            raise BuiltOn(
                f"its {field.name} was removed since", conflicts=[{"range": str(value), "kind": field.name}]
            )
        return field.name, found
    return field.name, field.to_python(value)


def _values(entry: LedgerEntry, facts: Facts, besides: Sequence[str] = ()) -> dict[str, Any]:
    """Fields and values of a record, of what the ledger says of its columns."""
    model = BY_KIND[entry.kind]
    facts = {name: value for name, value in facts.items() if name not in besides}
    if "range" in facts:
        family, first, last = parse_range(facts.pop("range"))
        facts |= {"family": family, "first": first, "last": last}
    return dict(_value(model, column, value) for column, value in facts.items())


def _named(model: type[Any], facts: Facts, name: str) -> list[Any] | None:
    return list(model.objects.filter(name__in=facts[name])) if name in facts else None


def _take_back_subnet(change: Change, entry: LedgerEntry) -> None:
    planner = change.actor is None or change.actor.may("planner")
    give_back_subnet(change, entry.record, at_once=planner, despite_use=True)
    if not planner:
        change.note("the subnet cools as usual: a planner can end that")


def _other_range(entry: LedgerEntry) -> Prefix:
    """The range that a pool has on one side of an entry alone."""
    before, after = (set((facts or {})["ranges"]) for facts in (entry.before, entry.after))
    return parse_prefix((before ^ after).pop())


def _number_back(change: Change, entry: LedgerEntry) -> None:
    change.edited(find_locked(Pool, entry.record), "number", **(entry.before or {}))


def _edit_subnet_back(change: Change, entry: LedgerEntry) -> None:
    edit_subnet(change, entry.record, {name: v for name, v in (entry.before or {}).items() if name in EDITABLE})


def _hand_over_back(change: Change, entry: LedgerEntry) -> None:
    before = entry.before or {}
    subnet = hand_over(change, entry.record, before["project_id"])
    if plan := Plan.objects.filter(pk=before.get("plan_id")).first():
        change.edited(subnet, "join plan", plan=plan, plan_slot=before["plan_slot"])


def _in_use_again(change: Change, entry: LedgerEntry) -> None:
    change.edited(
        locked_subnet(change, entry.record, "take a replacement back", None, ("retiring",)), state="active"
    )


def _attach_back(change: Change, entry: LedgerEntry) -> None:
    before, now = entry.before or {}, Subnet.objects.get(pk=entry.record)
    # What an entry does not tell was the same before.
    target, record, how, purpose = (
        before.get(name, getattr(now, name))
        for name in ("attached_to", "attached_record_id", "attached_how", "attached_for")
    )
    if target:
        attach_address(change, entry.record, target, True, None, record, how or "one-to-one", purpose)
    else:
        detach_address(change, entry.record)


def _size_back(change: Change, entry: LedgerEntry) -> None:
    """The blocks and the expected hosts that a subnet had before it grew or shrank."""
    before, after = entry.before or {}, entry.after or {}
    was, now = ([parse_prefix(text) for text in facts["blocks"]] for facts in (before, after))
    if len(was) != len(now):
        raise CannotUndo(
            f"subnet {entry.name} got a second block: replace it, or give it back",
            field="number",
            received=entry.number,
        )
    expected = {name: before[name] for name in ("hosts", "growth") if name in before}
    (old, new) = next(pair for pair in zip(was, now, strict=True) if pair[0] != pair[1])
    if old.length > new.length:
        if expected:
            edit_subnet(change, entry.record, expected)
        shrink_subnet(change, entry.record, keep=old)
    else:
        grow_subnet(change, entry.record, length=old.length, family=old.family, downward=old.first != new.first)
        if expected:
            edit_subnet(change, entry.record, expected)


def _room_back(change: Change, entry: LedgerEntry) -> None:
    room = [parse_prefix(text) for text in (entry.before or {}).get("room", [])]
    block = find_locked(Subnet, entry.record).blocks()[0]
    whole = (block.last - block.first + 1) + sum(piece.last - piece.first + 1 for piece in room)
    set_room(change, entry.record, (whole // (block.last - block.first + 1)).bit_length() - 1)


def _record_address_again(change: Change, entry: LedgerEntry) -> None:
    facts = entry.before or {}
    subnet = Subnet.objects.filter(pk=facts["subnet_id"]).first()
    if subnet is None:
        raise BuiltOn(
            f"the subnet of {facts['address']} was given back since", conflicts=[{"range": facts["address"]}]
        )
    words = {name: facts[name] for name in ("name", "address", "kind", "mac", "purpose", "secondary")}
    record_addresses(change, subnet.pk, [AddressRequest(**words, service=subnet.service)])


def _edit_plan_back(change: Change, entry: LedgerEntry) -> None:
    values = _values(entry, entry.before or {})
    if "state" in values:
        raise CannotUndo("a hold that was committed is taken back by removing the plan", field="number")
    plan = find_locked(
        Plan, entry.record, may=lambda plan: require_project(change.actor, plan.project, "edit a plan")
    )
    change.edited(plan, "edit", **values)


def _edit_reservation_back(change: Change, entry: LedgerEntry) -> None:
    facts = entry.before or {}
    values = _values(entry, facts, ("projects", "tiers"))
    names = _named(Project, facts, "projects"), _named(Tier, facts, "tiers")
    edit_reservation(change, entry.record, values, *names)


def _edit_person_back(change: Change, entry: LedgerEntry) -> None:
    facts = entry.before or {}
    if not facts:
        raise CannotUndo("what a password was is not in the ledger: set another one", field="number")
    edit_person(
        change, entry.record, _values(entry, facts, ("projects",)), None, _named(Project, facts, "projects")
    )


_SET_UP = (
    *("rule sheet", "region", "zone", "tier", "project", "planned need", "tag range", "tag member"),
    *("quota", "approval rule", "group mapping", "source", "taking rule"),
)

Step = Callable[[Change, LedgerEntry], Any]
_OF_MAKING: dict[str, Step] = {
    **{
        kind: lambda change, entry: remove_record(change, entry.kind, entry.record)
        for kind in (*_SET_UP, "person", "subscription", "DNS record")
    },
    "DNS zone": lambda change, entry: remove_dns_zone(change, entry.record),
    "realm": lambda change, entry: remove_realm(change, entry.record),
    "pool": lambda change, entry: give_back_pool(change, entry.record),
    "keep-out": lambda change, entry: remove_keep_out(change, KeepOut.objects.get(pk=entry.record)),
    "link": lambda change, entry: remove_link(change, entry.record),
    "reservation": lambda change, entry: give_back_reservation(change, entry.record),
    "plan": lambda change, entry: remove_plan(change, entry.record),
    "subnet": _take_back_subnet,
    "address record": lambda change, entry: release_address(change, entry.record),
}
_OF_REMOVING: dict[str, Step] = {
    **{
        kind: lambda change, entry: add_record(change, entry.kind, _values(entry, entry.before or {}))
        for kind in _SET_UP
    },
    "quota": lambda change, entry: add_quota(change, _values(entry, entry.before or {})),
    "keep-out": lambda change, entry: add_keep_out(change, _values(entry, entry.before or {}), despite_use=True),
    "link": lambda change, entry: add_link(change, _values(entry, entry.before or {})),
    "DNS zone": lambda change, entry: add_dns_zone(change, _values(entry, entry.before or {})),
    "DNS record": lambda change, entry: add_dns_record(change, _values(entry, entry.before or {})),
    "address record": _record_address_again,
}
_OF_CHANGING: dict[tuple[str, str], Step] = {
    **{
        (kind, "edit"): lambda change, entry: edit_record(
            change, entry.kind, entry.record, _values(entry, entry.before or {})
        )
        for kind in (*_SET_UP, "realm", "keep-out", "subscription")
    },
    ("DNS zone", "edit"): lambda change, entry: edit_dns_zone(
        change, entry.record, _values(entry, entry.before or {})
    ),
    ("DNS record", "edit"): lambda change, entry: edit_dns_record(
        change, entry.record, _values(entry, entry.before or {})
    ),
    ("subscription", "pause"): lambda change, entry: resume_subscription(change, entry.record),
    ("subscription", "resume"): lambda change, entry: pause_subscription(
        change, entry.record, (entry.before or {})["paused"]
    ),
    **{
        ("quota", verb): lambda change, entry: edit_quota(change, entry.record, _values(entry, entry.before or {}))
        for verb in ("edit", "raise")
    },
    ("link", "edit"): lambda change, entry: edit_link(change, entry.record, _values(entry, entry.before or {})),
    ("rule sheet", "edit"): lambda change, entry: edit_sheet(
        change, entry.record, _values(entry, entry.before or {})
    ),
    ("pool", "edit"): lambda change, entry: edit_pool(change, entry.record, _values(entry, entry.before or {})),
    ("pool", "add range"): lambda change, entry: remove_range(change, entry.record, _other_range(entry)),
    ("pool", "remove range"): lambda change, entry: add_range(change, entry.record, _other_range(entry)),
    ("pool", "number"): _number_back,
    ("pool", "inherit rules"): lambda change, entry: None,  # comes along with the pool that it inherits from
    ("person", "edit"): _edit_person_back,
    ("reservation", "edit"): _edit_reservation_back,
    ("plan", "commit"): _edit_plan_back,
    ("subnet", "edit"): _edit_subnet_back,
    ("subnet", "hand over"): _hand_over_back,
    ("subnet", "give back"): lambda change, entry: bring_back(change, entry.record, (entry.before or {})["state"]),
    ("subnet", "retire"): _in_use_again,
    ("subnet", "grow"): _size_back,
    ("subnet", "shrink"): _size_back,
    ("subnet", "keep room"): _room_back,
    **{("subnet", verb): _attach_back for verb in ("attach", "move", "detach")},
    ("address record", "edit"): lambda change, entry: edit_address(
        change, entry.record, _values(entry, entry.before or {})
    ),
}
