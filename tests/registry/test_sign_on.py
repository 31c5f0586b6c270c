"""Single sign-on in the registry: who is made, what groups give, what is refused, and two at once."""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor
from datetime import timedelta
from uuid import uuid4

import pytest

from lentra.registry.errors import Invalid, NameTaken, NotAllowed, WrongState


@pytest.fixture
def said(world):
    """Makes what an identity provider says of somebody of this world."""
    from lentra.registry.models import GroupMapping
    from lentra.registry.operations.people.sign_on import Said
    from lentra.registry.operations.setup.add_record import add_record

    def map_group(group, role, project=None):
        world.do(add_record, "group mapping", {"group": group, "role": role, "project": project})

    def of(who, *groups, nonce=None, **more):
        name = f"{who}-{world.realm_name}"
        return Said(
            issuer="https://id.ferry.example",
            subject=f"s-{name}",
            nonce=nonce or uuid4().hex,
            name=more.pop("name", f"{name}@ferry.example"),
            groups=groups,
            **more,
        )

    of.map_group = map_group
    yield of
    GroupMapping.objects.all().delete()


def on(world, said):
    from lentra.registry.operations.people.sign_on import sign_on

    return sign_on(said, "192.0.2.7", world.clock)


def test_the_farthest_role_and_all_projects_count_and_go_with_the_groups(world, said):
    said.map_group("crew", "viewer")
    said.map_group("gates", "requester", world.project)
    said.map_group("net", "planner")
    person = on(world, said("ada", "crew", "gates", "net", full_name="Ada Moe", email="no mail address"))
    assert (person.role, person.full_name, person.email) == ("planner", "Ada Moe", "")
    assert list(person.projects.all()) == [world.project]
    assert not person.has_usable_password()
    again = on(world, said("ada", "crew", name="married-and-renamed@ferry.example"))
    assert (again.pk, again.name, again.role, again.projects.count()) == (person.pk, person.name, "viewer", 0)
    with pytest.raises(NotAllowed, match="canteen"):
        on(world, said("ada", "canteen"))


def test_an_answer_is_good_once(world, said):
    said.map_group("net", "planner")
    answer = said("bo", "net", nonce="the-same")
    on(world, answer)
    with pytest.raises(WrongState, match="used before"):
        on(world, answer)


def test_the_name_of_somebody_else_is_not_taken(world, said):
    from lentra.registry.models import Project
    from lentra.registry.operations.people.manage_people import add_person

    said.map_group("*", "viewer")
    name = f"cato-{world.realm_name}"
    world.do(add_person, {"name": name, "role": "admin"}, None, [])
    with pytest.raises(NameTaken, match="signs in another way"):
        on(world, said("cato"))
    project = Project.objects.get(pk=world.project.pk)
    account = {"name": f"dis-{world.realm_name}", "role": "requester", "service_of": project}
    world.do(add_person, account, None, [])
    with pytest.raises(NameTaken):
        on(world, said("dis"))


def test_the_last_admin_stays_one_whatever_the_groups_say(world, said):
    from lentra.registry.models import Person

    others = Person.objects.filter(role="admin", active=True)
    kept = list(others.values_list("pk", flat=True))
    said.map_group("chiefs", "admin")
    said.map_group("*", "viewer")
    chief = on(world, said("eva", "chiefs"))
    others.filter(pk__in=kept).update(active=False)
    try:
        assert on(world, said("eva")).role == "admin"
    finally:
        Person.objects.filter(pk__in=kept).update(active=True)
    second = on(world, said("finn", "chiefs"))
    assert on(world, said("eva")).role == "viewer"
    Person.objects.filter(pk__in=[chief.pk, second.pk]).update(role="viewer")


def test_two_first_sign_ons_of_one_at_once_make_one_person(world, said):
    from django.db import connection

    from lentra.registry.models import Person

    said.map_group("net", "planner")

    def once(_):
        try:
            return on(world, said("gry", "net")).pk
        finally:
            connection.close()

    with ThreadPoolExecutor(4) as threads:
        made = set(threads.map(once, range(4)))
    assert len(made) == 1
    assert Person.objects.filter(name=f"gry-{world.realm_name}").count() == 1


def test_a_code_for_a_terminal_ends_after_some_minutes(world, said):
    from lentra.client import new_challenge
    from lentra.registry.operations.people.terminals import terminal_code, token_for_code

    said.map_group("net", "planner")
    person, (verifier, challenge) = on(world, said("hal", "net")), new_challenge()
    code = terminal_code(person, "cli-quay", challenge, world.clock.now())
    world.clock.moment += timedelta(minutes=6)
    with pytest.raises(Invalid, match="good for 5 minutes"):
        token_for_code(code, verifier, world.clock)
    code = terminal_code(person, "cli-quay", challenge, world.clock.now())
    type(person).objects.filter(pk=person.pk).update(active=False)
    with pytest.raises(NotAllowed, match="no longer active"):
        token_for_code(code, verifier, world.clock)
