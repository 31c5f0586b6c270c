"""The second factor: set up, confirmed, asked for, never taken twice; whoever lacks it and needs it reaches nothing else."""

from __future__ import annotations

import pyotp
import pytest

from lentra.registry.errors import Invalid, NotAllowed, SecondFactorNeeded, TooManyTries, WrongPassword, WrongState

PASSWORD = "eleven ferries by night"


@pytest.fixture
def person(world):
    from lentra.registry.models import Person
    from lentra.registry.operations.people.manage_people import add_person

    name = f"kai-{world.realm_name}"
    world.do(add_person, {"name": name, "role": "planner"}, PASSWORD, [])
    return Person.objects.get(name=name)


@pytest.fixture
def factor(world, person):
    """Confirmed; gives codes as an authenticator would."""
    from lentra.registry.operations.people.second_factor import begin_second_factor, confirm_second_factor

    totp = pyotp.TOTP(begin_second_factor(person).secret)
    codes = []
    world.do(
        lambda change, code: codes.extend(confirm_second_factor(change, code)), code(world, totp), actor=person
    )
    return totp, codes


def code(world, totp, later=0):
    return totp.at(int(world.clock.now().timestamp()) + 30 * later)


def sign_in(world, person, code="", password=PASSWORD):
    from lentra.registry.operations.people.sign_in import sign_in as signing_in

    return signing_in(person.name, password, "192.0.2.77", world.clock, code)


def test_once_it_is_on_a_code_is_needed_and_taken_once(world, person, factor):
    totp, _ = factor
    with pytest.raises(SecondFactorNeeded):
        sign_in(world, person)
    with pytest.raises(WrongPassword):
        sign_in(world, person, code(world, totp))  # that one confirmed it
    world.later(seconds=30)
    assert sign_in(world, person, code(world, totp)) == person
    with pytest.raises(WrongPassword):
        sign_in(world, person, code(world, totp))
    world.later(seconds=60)
    assert sign_in(world, person, code(world, totp, -1)) == person  # a clock that is late
    with pytest.raises(WrongPassword):
        sign_in(world, person, code(world, totp, -2))


def test_the_secret_is_not_in_the_database_as_it_is(person, factor):
    from lentra.registry.models import SecondFactor

    kept = SecondFactor.objects.get(person=person)
    assert factor[0].secret not in kept.secret
    assert not set(factor[1]) & set(kept.recovery)


def test_a_recovery_code_is_good_once_and_turns_it_off(world, person, factor):
    from lentra.registry.operations.people.second_factor import is_on, turn_off_second_factor

    _, codes = factor
    assert len(set(codes)) == 10
    assert sign_in(world, person, codes[0].upper()) == person
    with pytest.raises(WrongPassword):
        sign_in(world, person, codes[0])
    with pytest.raises(Invalid):
        world.do(turn_off_second_factor, "000000", actor=person)
    world.do(turn_off_second_factor, codes[1], actor=person)
    assert not is_on(person)
    assert sign_in(world, person) == person


def test_wrong_codes_count_as_failed_sign_ins_although_the_password_is_right(world, person, factor):
    for _ in range(5):
        with pytest.raises(WrongPassword):
            sign_in(world, person, "000000")
    with pytest.raises(TooManyTries):
        sign_in(world, person, "000000")


def test_an_admin_turns_it_off_for_who_has_lost_it_and_nobody_else_does(world, person, factor):
    from lentra.registry.models import LedgerEntry
    from lentra.registry.operations.people.second_factor import begin_second_factor, forget_second_factor

    with pytest.raises(WrongState):
        begin_second_factor(person)
    with pytest.raises(NotAllowed):
        world.do(forget_second_factor, person.pk, actor=person)
    world.do(forget_second_factor, person.pk, actor=world.person("admin"))
    assert sign_in(world, person) == person
    verbs = list(LedgerEntry.objects.filter(subject=person.pk).order_by("number").values_list("verb", "after"))
    assert verbs == [("second factor", {"second_factor": True}), ("second factor", {"second_factor": False})]
