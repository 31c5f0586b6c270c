"""Single sign-on: somebody whom an identity provider has proved is made a person at first, and has what the groups give."""

from __future__ import annotations

import logging
from dataclasses import dataclass

from django.contrib.auth.hashers import make_password
from django.core.exceptions import ValidationError
from django.core.validators import validate_email

from lentra.addressing.refusal import Refusal
from lentra.registry.errors import NameTaken, NotAllowed, WrongState
from lentra.registry.lookup.locked import find_locked
from lentra.registry.models import Person, SignOn
from lentra.registry.operations.people.manage_people import add_person, edit_person
from lentra.registry.operations.people.spent import spend
from lentra.registry.rules.names import usable_name
from lentra.registry.rules.permissions import require
from lentra.registry.rules.sign_ons import Granted, granted_to
from lentra.registry.transactions.change import Change
from lentra.registry.transactions.clock import Clock, SystemClock
from lentra.registry.transactions.locks import lock_all
from lentra.registry.transactions.run import run_transaction

logger = logging.getLogger(__name__)


@dataclass(frozen=True)
class Said:
    """What an identity provider says of somebody, proved (OpenID Connect Core 1.0, sections 2 and 5.1).

    `nonce` was made for this one sign-on. `name` is what they are called there: up to an ``@`` it becomes their name here.
    """

    issuer: str
    subject: str
    nonce: str
    name: str
    full_name: str = ""
    email: str = ""
    groups: tuple[str, ...] = ()


def sign_on(said: Said, peer: str, clock: Clock | None = None) -> Person:
    """The person whom a proved answer is about: made at first sign-on; role and projects are what the groups give.

    Each sign-on, refused or not, is in the log and in the ledger.

    Raises:
        WrongState: the answer was used before.
        NotAllowed: no group gives a role; or the person is no longer active.
        NameTaken: somebody else has the name here.
    """
    clock = clock or SystemClock()
    told: list[Person] = []

    def work(change: Change) -> None:
        spend(change, said.nonce, "this sign-on was used before: begin again")
        granted = granted_to(said.groups)
        told[:] = [_brought_up_to_date(change, said, granted)]

    def tell(verb: str, name: str, actor: Person | None) -> None:
        facts = {"peer": peer, "by": "single sign-on"}
        run_transaction(lambda change: change.told(verb, "sign-in", name, facts), actor=actor, clock=clock)
        logger.log(
            logging.INFO if actor else logging.WARNING, "%s: %s from %s, by single sign-on", verb, name, peer
        )

    try:
        run_transaction(work, clock=clock, why="what the single sign-on says")
    except Refusal:
        tell("sign-in refused", said.name[:63], None)
        raise
    tell("sign in", told[0].name, told[0])
    return Person.objects.get(pk=told[0].pk)


def by_sign_on(change: Change, person_id: int, version: int | None = None) -> Person:
    """Have a person sign in by single sign-on: the password is gone, and whoever is called so there is this person from
    the next sign-on.

    Raises:
        WrongState: a service account; or the admin's own way in would be gone with it.
        NotAllowed, StaleEdit.
    """
    require(change.actor, "admin", "have a person sign in by single sign-on")
    person = find_locked(Person, person_id, version=version)
    if person.service_of_id is not None:
        raise WrongState(f"{person.name} is a service account, which signs in by tokens alone")
    admins = lock_all(Person.objects.filter(role="admin", active=True).exclude(pk=person.pk))
    if person.role == "admin" and not any(admin.has_usable_password() for admin in admins):
        raise WrongState(
            f"{person.name} is the last admin with a password: without one, nobody could set right a sign-on that fails",
            rule="one admin has a password",
            suggestions=["lentra person add second-admin --role admin --password"],
        )
    change.entered(person, "by sign-on", {}, {"by": "single sign-on"})
    person.password = make_password(None)
    person.save(update_fields=["password", "last_entry"])
    SignOn.objects.filter(person=person).delete()
    SignOn.objects.create(person=person, issuer="", subject=person.name)
    change.note(f"whoever the single sign-on calls {person.name} is this person from the next sign-on")
    return person


def _brought_up_to_date(change: Change, said: Said, granted: Granted) -> Person:
    person = _known(said)
    if person is None:
        name = usable_name(said.name.partition("@")[0]) or usable_name(f"n-{said.subject}")
        values = {"name": name, "full_name": said.full_name[:200], "role": granted.role, "email": _mail(said)}
        try:
            person = add_person(change, values, None, granted.projects)
        except NameTaken:
            if (meanwhile := _linked(said)) is None:
                raise
            return meanwhile
        SignOn.objects.create(person=person, issuer=said.issuer, subject=said.subject)
        return person
    if not person.active:
        raise NotAllowed(f"{person.name} is no longer active: an admin can let them in again")
    role = granted.role
    if person.role == "admin" != role and _is_last_admin(person):
        logger.warning("%s stays an admin although no group gives that: there is no other", person.name)
        role = "admin"
    values = {"role": role, "full_name": said.full_name[:200] or person.full_name}
    if not person.email:
        values["email"] = _mail(said)
    belongs = set(person.projects.values_list("pk", flat=True))
    if belongs != {project.pk for project in granted.projects} or any(
        getattr(person, field) != value for field, value in values.items()
    ):
        person = edit_person(change, person.pk, values, None, granted.projects)
    return person


def _known(said: Said) -> Person | None:
    """The person here, if there is one already: of an earlier sign-on, or awaited by that name."""
    if linked := _linked(said):
        return linked
    name = usable_name(said.name.partition("@")[0])
    awaited = SignOn.objects.select_related("person").filter(issuer="", subject=name).first()
    if awaited:
        awaited.issuer, awaited.subject = said.issuer, said.subject
        awaited.save()
        return awaited.person
    other = Person.objects.filter(name=name).first()
    if other and (meanwhile := _linked(said)):
        return meanwhile
    if other:
        raise NameTaken(
            f"{name} is a person here already, who signs in another way: an admin can have them sign in by single sign-on",
            field="name",
            received=name,
            conflicts=[{"range": name, "kind": "person", "id": other.pk}],
            suggestions=[f"lentra person by-sign-on {name}"],
        )
    return None


def _linked(said: Said) -> Person | None:
    """The person of an earlier sign-on, or of one at the same moment."""
    there = SignOn.objects.select_related("person").filter(issuer=said.issuer, subject=said.subject).first()
    return there.person if there else None


def _is_last_admin(person: Person) -> bool:
    return not Person.objects.filter(role="admin", active=True, service_of=None).exclude(pk=person.pk).exists()


def _mail(said: Said) -> str:
    try:
        validate_email(said.email)
    except ValidationError:
        return ""
    return said.email[:254]
