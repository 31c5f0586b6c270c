"""Who may do what. Work without a person (loading, upkeep) is the service's own and may do everything."""

from __future__ import annotations

from django.db.models import Q, QuerySet

from lentra.registry.errors import NotAllowed
from lentra.registry.models import LedgerEntry, Membership, Person, Project, Token


def require(actor: Person | None, role: str, to: str) -> None:
    """Refuse a person whose role does not include `role`.

    Raises:
        NotAllowed: naming the role that is missing.
    """
    if actor is not None and not actor.may(role):
        acting = f"{actor.name} is a {actor.role}"
        if actor.token and actor.acting_role != actor.role:
            acting = f"token {actor.token.name} lets {actor.name} act as a {actor.acting_role}"
        raise NotAllowed(f"{acting}: to {to}, the role {role} is needed", rule=f"role {role} to {to}")


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
    if actor.token and actor.token.is_limited:
        if actor.token.projects and project.pk not in actor.token.projects:
            raise NotAllowed(
                f"token {actor.token.name} does not reach project {project.name}: to {to} there, another is needed",
                field="project",
                received=project.name,
                rule="a token for some projects reaches no other",
            )
        if actor.role in ("planner", "admin"):
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


def manages_tokens_of(actor: Person, person: Person) -> bool:
    """True for oneself, and for a service account that may no more than its project, for the project's requesters."""
    if actor.pk == person.pk:
        return True
    if person.service_of_id is None or person.role not in ("viewer", "requester") or not actor.may("requester"):
        return False
    if actor.token and actor.token.is_limited:
        return False
    return Membership.objects.filter(person=actor, project=person.service_of_id).exists()


ABOUT_PEOPLE = ("person", "token", "sign-in")  # kinds of ledger entries


def visible_entries(reader: Person) -> QuerySet:
    """Ledger entries that somebody may see: admins all, others those about people only where they are meant."""
    rows = LedgerEntry.objects.all()
    if reader.may("admin"):
        return rows
    own = [reader.pk, *Token.objects.filter(person=reader).values_list("pk", flat=True)]
    return rows.filter(
        ~Q(kind__in=ABOUT_PEOPLE) | Q(actor=reader.pk) | Q(subject__in=own) | Q(number__in=own, subject=None)
    )
