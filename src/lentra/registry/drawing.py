"""Drawing from reservations: who may, and where in what is left of one a block goes."""

from __future__ import annotations

from lentra.addressing.extents import Extent, MemoryExtents, State
from lentra.addressing.growth import carve_with_room
from lentra.addressing.placement import Place
from lentra.addressing.prefix import Prefix, aggregate
from lentra.addressing.refusal import Exhausted
from lentra.registry.errors import Invalid, KeptForService, NotAllowed
from lentra.registry.models import Person, Project, Reservation, Tier
from lentra.registry.space import DatabaseExtents


def require_may_draw(
    actor: Person | None, reservation: Reservation, project: Project, tier: Tier, service: str
) -> None:
    """Refuse who may not draw from a reservation.

    Raises:
        KeptForService: it is kept for another service.
        NotAllowed: neither planner, nor for a project and tier that may draw.
    """
    if reservation.service and service != reservation.service:
        raise KeptForService(
            f"reservation {reservation.name} ({reservation.range_text}) is kept for {reservation.service} alone: "
            f"{reservation.reason}",
            field="service",
            received=service or None,
            rule="an exclusive range serves one service",
            suggestions=[reservation.service],
        )
    projects = {p.pk: p.name for p in reservation.projects.all()}
    tiers = {t.pk: t.name for t in reservation.tiers.all()}
    planner = actor is None or actor.may("planner")
    wrong = None
    if not projects and not planner:
        wrong = "planners alone may draw from it"
    elif projects and project.pk not in projects:
        wrong = f"{', '.join(sorted(projects.values()))} may draw from it, not {project.name}"
    elif tiers and tier.pk not in tiers:
        wrong = f"it is for tier {', '.join(sorted(tiers.values()))}, not {tier.name}"
    if wrong:
        raise NotAllowed(
            f"reservation {reservation.name} ({reservation.range_text}): {wrong}",
            field="reservation",
            received=reservation.name,
            rule="a reservation says who may draw from it",
            conflicts=[{"range": reservation.range_text, "owner": reservation.name, "state": "reserved"}],
        )


class Reserve:
    """What is left of a reservation, as space to place blocks in; taking one changes the pool's store."""

    def __init__(self, reservation: Reservation, store: DatabaseExtents) -> None:
        self.reservation = reservation
        self.store = store
        self._extents = store.reserved_by(reservation.pk)
        self.space = MemoryExtents(store.family, aggregate([extent.prefix for extent in self._extents]))

    def take(self, found: Place, block: Prefix, room: list[Prefix], state: State, owner: int | None) -> None:
        """Take a block and its room out of the reservation."""
        carve_with_room(self.space, block, room, state, owner, Extent(found.within))
        self.store.replace(self._extents, [self._as_reserved(extent) for extent in self.space])
        self._extents = [
            Extent(e.prefix, State.RESERVED, self.reservation.pk) for e in self.space if e.state is State.FREE
        ]

    @property
    def is_used_up(self) -> bool:
        """True if nothing is left."""
        return not self._extents

    def nothing_left(self, length: int) -> Exhausted:
        """The refusal where the reservation has no room for a length."""
        left = ", ".join(str(prefix) for prefix in self.reservation.left()[:4]) or "nothing"
        return Exhausted(
            f"reservation {self.reservation.name} has no /{length} left: {left} is left of {self.reservation.range_text}",
            field="reservation",
            received=f"/{length}",
            suggestions=["leave out the reservation"],
        )

    def _as_reserved(self, extent: Extent) -> Extent:
        if extent.state is State.FREE:
            return Extent(extent.prefix, State.RESERVED, self.reservation.pk)
        return extent


def whole_of(reservation: Reservation) -> Prefix:
    """All that is left of a reservation, as one prefix.

    Raises:
        Invalid: it is none, so a length or a prefix must be given.
    """
    wholes = reservation.left()
    if len(wholes) != 1:
        raise Invalid(
            f"what is left of reservation {reservation.name} is no single prefix: say which part",
            field="prefix",
            suggestions=[str(prefix) for prefix in wholes[:5]],
        )
    return wholes[0]
