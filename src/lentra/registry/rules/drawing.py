"""Who may draw from a reservation."""

from __future__ import annotations

from lentra.registry.errors import KeptForService, NotAllowed
from lentra.registry.models import Person, Project, Reservation, Tier
from lentra.registry.rules.waiting import refuse_undecided


def require_may_draw(
    actor: Person | None, reservation: Reservation, project: Project, tier: Tier, service: str
) -> None:
    """Raise unless the actor may allocate from the reservation.

    Raises:
        KeptForService: it is kept for another service.
        NotAllowed: neither planner, nor for a project and tier that may draw.
        WrongState: it is only held, for a request on which a planner is to decide.
    """
    if reservation.ends_at is not None:
        refuse_undecided(actor, reservation.pk)
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
