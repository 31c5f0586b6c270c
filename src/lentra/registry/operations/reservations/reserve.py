"""Reserve a range of a pool, edit a reservation, give it back."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from datetime import datetime, timedelta
from typing import Any

from lentra.addressing.extents import State, carve_range, require_free
from lentra.addressing.placement import place
from lentra.addressing.prefix import BITS, parse_range, prefixes_of_range, range_text
from lentra.addressing.refusal import Exhausted, Overlaps
from lentra.addressing.sizing import size_by_hosts
from lentra.registry.errors import Invalid
from lentra.registry.lookup.find import find
from lentra.registry.lookup.locked import find_locked
from lentra.registry.lookup.serving import exhausted_in
from lentra.registry.models import Pool, Project, Reservation, Tier
from lentra.registry.operations.setup.add_record import add_record
from lentra.registry.operations.setup.edit_record import edit_record
from lentra.registry.requests.allocation import something_free
from lentra.registry.rules.names import check_name, numbered_names
from lentra.registry.rules.permissions import require
from lentra.registry.space.evidence import conflicts_over
from lentra.registry.space.expiry import free_reservations
from lentra.registry.space.locking import Families, open_pools
from lentra.registry.space.outside import outside
from lentra.registry.transactions.change import Change


@dataclass
class ReservationRequest:
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


def reserve(change: Change, wanted: ReservationRequest) -> Reservation:
    """Keep a range back from ordinary hand-out.

    Raises:
        NotAllowed: the actor is no planner.
        OutsideParent, Overlaps, KeptOut, Exhausted: the pool cannot give the range.
        Invalid, NameTaken: what is said of it makes no sense, or another reservation has the name.
    """
    if not change.for_planner:
        require(change.actor, "planner", "reserve a range")
    pool = find(Pool, wanted.pool, "pool", related=("realm", "sheet"))
    _refuse_past(change, wanted.ends_at)
    if shown := change.shown("reservation"):
        wanted = replace(wanted, name=shown["name"], range=parse_range(shown["range"]), length=None, hosts=None)
    with open_pools(change, [pool.pk]) as pools:
        stores = pools[pool.pk]
        family, first, last = _take(wanted, pool, stores)
        values = {
            "realm": pool.realm,
            "pool": pool,
            "name": wanted.name or _next_name(pool, wanted.kind),
            "kind": wanted.kind,
            "reason": wanted.reason,
            "service": wanted.service,
            "ends_at": wanted.ends_at,
            "family": family,
            "first": first,
            "last": last,
            "created_at": change.now,
        }
        check_name(values["name"])
        names = {"projects": [p.name for p in wanted.projects], "tiers": [t.name for t in wanted.tiers]}
        made = add_record(change, "reservation", values, granted=change.for_planner, **names)
        assert isinstance(made, Reservation)
        made.projects.set(wanted.projects)
        made.tiers.set(wanted.tiers)
        carve_range(stores[family], first, last, State.RESERVED, made.pk)
        if made.ends_at:
            stores[family].due(made.ends_at)
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
    with open_pools(change, [found.pool_id]) as pools:
        reservation = edit_record(change, "reservation", reservation_id, values, version)
        assert isinstance(reservation, Reservation)
        if reservation.ends_at:
            pools[found.pool_id][found.family].due(reservation.ends_at)
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
    found = find(Reservation, reservation_ref, "reservation")
    with open_pools(change, [found.pool_id]) as pools:
        reservation = find_locked(Reservation, found.pk, version=version, related=("pool__realm",))
        free_reservations(change, [reservation], pools, "give back")
    return reservation


def _take(wanted: ReservationRequest, pool: Pool, stores: Families) -> tuple[int, int, int]:
    """Where the reservation goes, as (family, first, last); all of it is free."""
    given = [name for name in ("range", "length", "hosts") if getattr(wanted, name) is not None]
    if len(given) != 1:
        both = f"; {' and '.join(given)} are given" if given else ""
        raise Invalid(
            f"say what to reserve by one of these alone: a range, a length, or a number of hosts{both}",
            field="range",
            suggestions=["length: 25", "hosts: 100"],
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


def _exactly(given: tuple[int, int, int], pool: Pool, stores: Families) -> tuple[int, int, int]:
    """A given range, if all of it is free."""
    family, first, last = given
    for piece in prefixes_of_range(family, first, last):
        if family not in stores or stores[family].range_of(piece) is None:
            raise outside(pool, piece, "range")
        try:
            require_free(stores[family], piece)
        except Overlaps as refusal:
            conflicts = conflicts_over(pool.realm_id, piece) or refusal.conflicts
            owner = conflicts[0].get("owner") or conflicts[0].get("state")
            message = f"{range_text(family, first, last)} is not free: {conflicts[0]['range']} is {owner}"
            length = BITS[family] - (last - first).bit_length()
            free = something_free(stores[family], length, pool)
            raise refusal.with_(message=message, conflicts=conflicts, suggestions=[free] if free else []).about(
                "range"
            )
    return given


def _next_name(pool: Pool, kind: str) -> str:
    """A name for a reservation that was given none."""
    taken = Reservation.objects.filter(realm_id=pool.realm_id).values_list("name", flat=True)
    values = {"kind": kind, "pool": pool.name, "realm": pool.realm.name}
    return numbered_names(pool.realm.reservation_template, values, taken)[0]


def _refuse_past(change: Change, ends_at: datetime | None) -> None:
    if ends_at is not None and ends_at <= change.now:
        raise Invalid(
            f"the end, {ends_at:%Y-%m-%d %H:%M} UTC, has passed",
            field="ends_at",
            received=ends_at,
            suggestions=[(change.now + timedelta(days=7)).isoformat()],
        )
