"""Where a token reaches: at the door to space, whatever the operation; what it makes and what takes its place."""

from __future__ import annotations

from datetime import timedelta

import pytest

from lentra.registry.errors import Invalid, NotAllowed, WrongState


@pytest.fixture
def make(world):
    """Makes tokens of somebody; the person acts by it from then on."""

    def token(person, **limits):
        from lentra.registry.operations.people.tokens import add_token

        box = []
        world.do(lambda change: box.append(add_token(change, person, "rollout", **limits)))
        person.token = box[0][0]
        return person.token

    return token


@pytest.fixture
def place(world):
    """Two pools of one realm."""
    return world.pool("10.40.0.0/20", name="here"), world.pool("10.41.0.0/20", name="there")


def test_a_token_for_a_pool_changes_nothing_in_another(world, holds, make, place):
    from lentra.registry.operations.reservations.reserve import ReservationRequest, reserve
    from lentra.registry.operations.subnets.edit_subnet import edit_subnet
    from lentra.registry.operations.subnets.give_back import give_back_subnet
    from lentra.registry.operations.subnets.grow import grow_subnet

    here, there = place
    planner = world.person("planner")
    make(planner, pools=[here])
    (own,) = world.ask(here, length=26, actor=planner)
    (other,) = world.ask(there, length=26)
    before = world.space(there)
    for refused in (
        lambda: world.ask(there, length=26, actor=planner),
        lambda: world.do(give_back_subnet, other.pk, actor=planner),
        lambda: world.do(grow_subnet, other.pk, length=25, actor=planner),
        lambda: world.do(edit_subnet, other.pk, {"purpose": "gates"}, actor=planner),
    ):
        with pytest.raises(NotAllowed, match="does not reach pool there") as told:
            refused()
        assert told.value.suggestions == ["here"]
    with pytest.raises(NotAllowed, match="lets .* act as a requester"):
        world.do(reserve, ReservationRequest(pool=here.pk, length=28, reason="x"), actor=planner)
    assert world.space(there) == before
    world.do(give_back_subnet, own.pk, actor=planner)
    holds()


def test_a_token_for_a_realm_reaches_all_its_pools_and_what_is_due_elsewhere_is_no_matter(
    world, holds, make, place
):
    from lentra.registry.models import Realm, Subnet
    from lentra.registry.operations.setup.add_realm import add_realm

    here, _ = place
    planner = world.person("planner")
    world.do(add_realm, {"name": f"{world.realm_name}-lab"})
    make(planner, realms=[Realm.objects.get(name=f"{world.realm_name}-lab")])
    with pytest.raises(NotAllowed, match="does not reach pool here"):
        world.ask(here, length=26, actor=planner)
    make(planner, realms=[world.realm], pools=[here])
    (held,) = world.ask(here, length=26, hold_minutes=5)
    world.later(minutes=10)
    world.ask(here, length=26, actor=planner)  # what was due there has ended by it
    assert not Subnet.objects.filter(pk=held.pk, state="held").exists()
    holds()


def test_what_a_token_makes_reaches_no_further(world, make, place):
    from lentra.registry.operations.people.tokens import add_token

    here, there = place
    admin = world.person("admin")
    make(admin, pools=[here], networks=["10.0.0.0/8"])
    for limits, words in (
        ({"networks": ["10.1.0.0/16"]}, "reaches 1 pools"),
        ({"pools": [there], "networks": ["10.1.0.0/16"]}, "reaches 1 pools"),
        ({"pools": [here]}, "used from 10.0.0.0/8 alone"),
        ({"pools": [here], "networks": ["10.1.0.0/16", "192.0.2.0/24"]}, "used from 10.0.0.0/8 alone"),
    ):
        with pytest.raises(NotAllowed, match=words):
            world.do(add_token, admin, "more", actor=admin, **limits)
    world.do(add_token, admin, "more", actor=admin, pools=[here], networks=["10.1.0.0/16"])


def test_successors_last_as_long_and_no_longer_than_their_maker(world, make):
    from lentra.registry.models import Token
    from lentra.registry.operations.people.tokens import revoke_token, rotate_token

    person = world.person("requester")
    token = make(person, expires_at=world.clock.now() + timedelta(days=30))
    world.later(days=20)
    with pytest.raises(Invalid, match="0 to 720 hours"):
        world.do(rotate_token, token, overlap=721)
    world.do(rotate_token, token, overlap=48)
    successor = Token.objects.get(replaces=token)
    token.refresh_from_db()
    assert successor.expires_at == world.clock.now() + timedelta(days=30)
    assert token.expires_at == world.clock.now() + timedelta(days=2)
    world.later(days=29)
    world.do(rotate_token, successor, overlap=48)  # it ends before the overlap would
    former_end = successor.expires_at
    successor.refresh_from_db()
    assert successor.expires_at == former_end
    world.do(revoke_token, successor)
    with pytest.raises(WrongState, match="of no use any more"):
        world.do(rotate_token, successor)
    assert Token.objects.get(replaces=successor).revoked_at is None
