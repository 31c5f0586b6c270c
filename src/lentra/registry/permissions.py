"""Who may do what. Work without a person (loading, upkeep) is the service's own and may do everything."""

from __future__ import annotations

from lentra.registry.errors import NotAllowed
from lentra.registry.models import Membership, Person, Project


def require(actor: Person | None, role: str, to: str) -> None:
    """Refuse a person whose role does not include `role`.

    Raises:
        NotAllowed: naming the role that is missing.
    """
    if actor is not None and not actor.may(role):
        raise NotAllowed(
            f"{actor.name} is a {actor.role}: to {to}, the role {role} is needed", rule=f"role {role} to {to}"
        )


def require_project(actor: Person | None, project: Project, to: str, member: bool | None = None) -> None:
    """Refuse a requester who does not belong to the project. Planners act for every project.

    Args:
        member: whether the actor belongs to it, where that is known already.

    Raises:
        NotAllowed: naming the role or the project that is missing.
    """
    require(actor, "requester", to)
    if actor is None or actor.may("planner"):
        return
    if member is None:
        member = Membership.objects.filter(person=actor, project=project).exists()
    if not member:
        raise NotAllowed(
            f"{actor.name} does not belong to project {project.name}: to {to} there, an admin must add "
            f"{actor.name} to it",
            field="project",
            received=project.name,
            rule="requesters act for their own projects",
        )
