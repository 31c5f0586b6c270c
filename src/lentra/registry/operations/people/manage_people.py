"""People: add, edit, passwords, project membership."""

from __future__ import annotations

from typing import Any

from django.contrib.auth.hashers import make_password

from lentra.registry.errors import Invalid
from lentra.registry.models import Membership, Person, Project
from lentra.registry.operations.people.tokens import revoke_tokens
from lentra.registry.operations.setup.add_record import add_record
from lentra.registry.operations.setup.edit_record import edit_record
from lentra.registry.rules.sign_ins import check_password_rules
from lentra.registry.transactions.change import Change
from lentra.registry.transactions.locks import lock, lock_all


def add_person(change: Change, values: dict[str, Any], password: str | None, projects: list[Project]) -> Person:
    """Add a person, or a service account, which belongs to its own project; without a password only tokens sign in.

    Raises:
        NotAllowed, Invalid, NameTaken: as for every set-up object.
    """
    projects = _with_own(values.get("service_of"), projects, password)
    if password is not None:
        check_password_rules(password, Person(name=values["name"], full_name=values.get("full_name", "")))
    values = {**values, "password": make_password(password)}
    person = add_record(change, "person", values, projects=[p.name for p in projects])
    assert isinstance(person, Person)
    _set_projects(person, projects)
    return person


def edit_person(
    change: Change,
    person_id: int,
    values: dict[str, Any],
    password: str | None,
    projects: list[Project] | None,
    version: int | None = None,
) -> Person:
    """Edit a person: values, a new password, the projects it belongs to.

    Raises:
        Invalid: the last active admin would be gone; or a service account would have a password, or another project.
        NotAllowed, StaleEdit, NameTaken: as for every set-up object.
    """
    known = Person.objects.select_related("service_of").get(pk=person_id)
    if known.service_of and not (projects is None and password is None):
        projects = _with_own(known.service_of, projects or [], password)
    if password is not None:
        check_password_rules(password, known)
        values = {**values, "password": make_password(password)}
    # All admins are locked together: two who make each other no admin must not both see the other as one.
    admins = lock_all(Person.objects.filter(role="admin", active=True, service_of=None))
    person = edit_record(change, "person", person_id, values, version)
    assert isinstance(person, Person)
    is_admin = person.role == "admin" and person.active
    if not is_admin and [admin.pk for admin in admins] == [person.pk]:
        raise Invalid("this is the last active admin: make another one first", field="role")
    if projects is not None:
        before = sorted(person.projects.values_list("name", flat=True))
        after = sorted(project.name for project in projects)
        if before != after:
            _set_projects(person, projects)
            change.entered(person, "edit", {"projects": before}, {"projects": after})
            person.save(update_fields=["last_entry"])
    return person


def change_password(change: Change, new: str, revoke: bool = False) -> Person:
    """Give oneself a new password; that the actor knows the present one is proved before. Sessions elsewhere end.

    Args:
        revoke: revoke all of one's tokens with it.

    Raises:
        Invalid: the new one is easily guessed.
    """
    assert change.actor
    person = lock(Person, change.actor.pk)
    check_password_rules(new, person, "new")
    change.edited(person, "change password", password=make_password(new))
    if revoke:
        revoke_tokens(change, person)
    return person


def set_own_mail(change: Change, values: dict[str, Any]) -> Person:
    """Set where and how oneself is told by mail.

    Raises:
        Invalid: the address is none.
    """
    assert change.actor
    person = lock(Person, change.actor.pk)
    change.edited(person, **values)
    return person


def _with_own(service_of: Project | None, projects: list[Project], password: str | None) -> list[Project]:
    """The projects of whoever is added or edited: of a service account, its own."""
    if service_of is None:
        return projects
    if password is not None:
        raise Invalid("a service account has no password: make a token for it", field="password")
    if projects not in ([], [service_of]):
        raise Invalid(
            f"a service account of project {service_of.name} belongs to no other project",
            field="projects",
            received=[project.name for project in projects],
            suggestions=[service_of.name],
        )
    return [service_of]


def _set_projects(person: Person, projects: list[Project]) -> None:
    Membership.objects.filter(person=person).delete()
    Membership.objects.bulk_create([Membership(person=person, project=project) for project in projects])
