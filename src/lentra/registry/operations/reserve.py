"""Reserve a range of a pool, edit a reservation, give it back."""

from __future__ import annotations

from dataclasses import dataclass, field
from datetime import datetime
from typing import Any

from lentra.addressing.extents import State, carve_range, require_free
from lentra.addressing.placement import place
from lentra.addressing.prefix import prefixes_of_range, range_text
from lentra.addressing.refusal import Exhausted, Overlaps
from lentra.addressing.sizing import size_by_hosts
from lentra.registry.endings import end_due, free_reservations, note_end
from lentra.registry.errors import Invalid
from lentra.registry.ledger import Change
from lentra.registry.models import Pool, Project, Reservation, Tier
from lentra.registry.operations.add_set_up import add_set_up
from lentra.registry.operations.edit_set_up import edit_set_up, refuse_stale
from lentra.registry.permissions import require
from lentra.registry.queries.find import find
from lentra.registry.queries.outside import outside
from lentra.registry.queries.serving import exhausted_in
from lentra.registry.queries.whereabouts import conflicts_over
from lentra.registry.setup import check_name
from lentra.registry.space import DatabaseExtents, lock_spaces, open_extents


@dataclass
class WantedReservation:
    """A range to keep back. Give `range` (family, first, last), `length`, or `hosts` (with `growth` in percent).

    `projects` and `tiers` may draw from it; none at all: planners alone. `service`: kept for that alone.
    """

    pool: Any
    reason: str
    range: tuple[int, int, int] | None = None
    length: int | None = None
    hosts: int | None = None
    growth: int = 0
    family: int = 4
    placement: str | None = None
    kind: str = "other"
    name: str | None = None
    service: str = ""
    ends_at: datetime | None = None
    projects: list[Project] = field(default_factory=list)
    tiers: list[Tier] = field(default_factory=list)


def reserve(change: Change, wanted: WantedReservation) -> Reservation:
    """Keep a range back from ordinary hand-out.

    Raises:
        NotAllowed: the actor is no planner.
        OutsideParent, Overlaps, KeptOut, Exhausted: the pool cannot give the range.
        Invalid, NameTaken: what is said of it makes no sense, or another reservation has the name.
    """
    require(change.actor, "planner", "reserve a range")
    pool = find(Pool, wanted.pool, "pool", related=("realm", "sheet"))
    _refuse_past(change, wanted.ends_at)
    stores = open_extents(pool, lock_spaces([pool.pk]))
    end_due(change, pool, stores)
    family, first, last = _take(wanted, pool, stores)
    store = stores[family]
    return keep_reserved(
        change,
        store,
        first,
        last,
        Reservation(
            realm=pool.realm,
            pool=pool,
            name=wanted.name or _next_name(pool.realm_id, wanted.kind),
            kind=wanted.kind,
            reason=wanted.reason,
            service=wanted.service,
            ends_at=wanted.ends_at,
        ),
        wanted.projects,
        wanted.tiers,
    )


def keep_reserved(
    change: Change,
    store: DatabaseExtents,
    first: int,
    last: int,
    reservation: Reservation,
    projects: list[Project],
    tiers: list[Tier],
) -> Reservation:
    """Enter a reservation of free space in a locked pool, and save the store."""
    check_name(reservation.name)
    values = {
        name: getattr(reservation, name)
        for name in ("realm", "pool", "name", "kind", "reason", "service", "ends_at", "plan")
    }
    values |= {"family": store.family, "first": first, "last": last, "created_at": change.now}
    made = add_set_up(
        change, "reservation", values, projects=[p.name for p in projects], tiers=[t.name for t in tiers]
    )
    assert isinstance(made, Reservation)
    made.projects.set(projects)
    made.tiers.set(tiers)
    carve_range(store, first, last, State.RESERVED, made.pk)
    if made.ends_at:
        store.due(made.ends_at)
    store.save()
    return made


def edit_reservation(
    change: Change,
    reservation_id: int,
    values: dict[str, Any],
    projects: list[Project] | None,
    tiers: list[Tier] | None,
    version: int | None = None,
) -> Reservation:
    """Edit what is said of a reservation: name, kind, reason, service, its end, and who may draw from it.

    Raises:
        Frozen: pool and range never change.
        NotAllowed, StaleEdit, NameTaken, Invalid: as for every set-up object.
    """
    if "ends_at" in values:
        _refuse_past(change, values["ends_at"])
    if "name" in values:
        check_name(values["name"])
    found = find(Reservation, reservation_id)
    stores = open_extents(found.pool, lock_spaces([found.pool_id]))
    reservation = edit_set_up(change, "reservation", reservation_id, values, version)
    assert isinstance(reservation, Reservation)
    if reservation.ends_at:
        note_end(stores, reservation.ends_at)
        for store in stores.values():
            store.save()
    for name, records in (("projects", projects), ("tiers", tiers)):
        relation = getattr(reservation, name)
        before = sorted(record.name for record in relation.all())
        if records is not None and before != sorted(record.name for record in records):
            relation.set(records)
            after = sorted(record.name for record in records)
            change.entered(reservation, "edit", {name: before}, {name: after})
            reservation.save(update_fields=["last_entry"])
    return reservation


def give_back_reservation(change: Change, reservation_ref: Any, version: int | None = None) -> Reservation:
    """Give a reservation back: what is left of it is free again.

    Raises:
        NotAllowed: the actor is no planner.
        StaleEdit: it has changed since `version`.
    """
    require(change.actor, "planner", "give back a reservation")
    reservation = find(Reservation, reservation_ref, "reservation", related=("pool__realm",))
    stores = open_extents(reservation.pool, lock_spaces([reservation.pool_id]))
    reservation = find(Reservation, reservation.pk, "reservation", related=("pool__realm",))
    refuse_stale(reservation, version)
    free_reservations(change, [reservation], stores, "give back")
    for store in stores.values():
        store.save()
    return reservation


def _take(wanted: WantedReservation, pool: Pool, stores: dict[int, DatabaseExtents]) -> tuple[int, int, int]:
    """Where the reservation goes, as (family, first, last); all of it is free."""
    given = [name for name in ("range", "length", "hosts") if getattr(wanted, name) is not None]
    if len(given) != 1:
        raise Invalid(
            "say what to reserve: a range, a length, or a number of hosts",
            field="range",
            suggestions=["range: 10.40.69.128/25", "length: 25", "hosts: 100"],
        )
    if wanted.range is not None:
        return _exactly(wanted.range, pool, stores)
    if wanted.family not in stores:
        raise Invalid(f"pool {pool.name} has no IPv{wanted.family} range", field="family", received=wanted.family)
    length = wanted.length
    if wanted.hosts is not None:
        length = size_by_hosts(wanted.hosts, pool.sheet.rules(), growth=wanted.growth, family=wanted.family).length
    assert length is not None
    store = stores[wanted.family]
    try:
        block = place(store, length, wanted.placement or pool.placement(wanted.family)).block
    except Exhausted:
        raise exhausted_in(store.space, pool, length, [])
    return wanted.family, block.first, block.last


def _exactly(given: tuple[int, int, int], pool: Pool, stores: dict[int, DatabaseExtents]) -> tuple[int, int, int]:
    """A given range, if all of it is free."""
    family, first, last = given
    for piece in prefixes_of_range(family, first, last):
        if family not in stores or stores[family].range_of(piece) is None:
            raise outside(pool, piece, "range")
        try:
            require_free(stores[family], piece)
        except Overlaps as refusal:
            refusal.conflicts = list(conflicts_over(pool.realm_id, piece)) or refusal.conflicts
            first_conflict = refusal.conflicts[0]
            owner = first_conflict.get("owner") or first_conflict.get("state")
            refusal.message = (
                f"{range_text(family, first, last)} is not free: {first_conflict['range']} is {owner}"
            )
            refusal.args = (refusal.message,)
            raise refusal.about("range")
    return given


def _next_name(realm_id: int, kind: str) -> str:
    """A name for a reservation that was given none: its kind with the next number."""
    stem = kind.replace(" ", "-")
    taken = set(
        Reservation.objects.filter(realm_id=realm_id, name__startswith=stem).values_list("name", flat=True)
    )
    return next(name for n in range(1, len(taken) + 2) if (name := f"{stem}-{n:02d}") not in taken)


def _refuse_past(change: Change, ends_at: datetime | None) -> None:
    if ends_at is not None and ends_at <= change.now:
        raise Invalid(
            f"the end, {ends_at:%Y-%m-%d %H:%M} UTC, has passed",
            field="ends_at",
            received=ends_at,
            suggestions=["a moment to come"],
        )
