"""Reservations and holds: who may draw, what falls back by itself, what is given back to whom."""

from datetime import timedelta

import pytest

from lentra.addressing.prefix import parse_range
from lentra.addressing.refusal import Refusal


@pytest.fixture
def reserve(world):
    def make(pool, text=None, **values):
        from lentra.registry.operations.reservations.reserve import ReservationRequest
        from lentra.registry.operations.reservations.reserve import reserve as operation
        from lentra.registry.transactions.run import run_transaction

        wanted = ReservationRequest(
            **{"pool": pool.pk, "reason": "kept", "range": parse_range(text) if text else None, **values}
        )
        box = []
        run_transaction(
            lambda change: operation(change, wanted),
            clock=world.clock,
            render=lambda result, change: box.append(result),
        )
        return box[-1]

    return make


def test_a_range_that_is_no_prefix_is_kept_back_and_given_back_exactly(world, reserve, holds):
    from lentra.registry.models import Reservation
    from lentra.registry.operations.reservations.reserve import give_back_reservation

    pool = world.pool("10.40.64.0/24")
    before = world.space(pool)
    made = reserve(pool, "10.40.64.10-10.40.64.40", kind="management")
    assert made.name == "management-01"
    assert [str(p) for p in made.left()] == [
        *("10.40.64.10/31", "10.40.64.12/30", "10.40.64.16/28", "10.40.64.32/29", "10.40.64.40/32")
    ]
    holds()
    world.do(give_back_reservation, made.pk)
    assert world.space(pool) == before
    assert not Reservation.objects.filter(pk=made.pk).exists()
    holds()


@pytest.mark.parametrize(("how", "length"), [({"length": 26}, 26), ({"hosts": 100, "growth": 20}, 25)])
def test_a_reservation_is_found_by_length_or_hosts(world, reserve, how, length):
    pool = world.pool("10.40.64.0/22")
    assert [p.length for p in reserve(pool, **how).left()] == [length]


def test_ordinary_requests_never_land_in_a_reservation_and_allowed_ones_do(world, reserve, holds):
    from lentra.registry.models import Project
    from lentra.registry.operations.setup.add_record import add_record

    pool = world.pool("10.40.64.0/24")
    kept = reserve(pool, "10.40.64.0/25", projects=[world.project], tiers=[world.tier])
    taken = world.ask(pool, length=26, count=2)
    assert [str(b) for s in taken for b in s.blocks()] == ["10.40.64.128/26", "10.40.64.192/26"]
    with pytest.raises(Refusal, match="no /26 is free"):
        world.ask(pool, length=26)
    with pytest.raises(Refusal) as refused:
        world.ask(pool, prefix="10.40.64.0/26")
    assert refused.value.conflicts[0]["owner"] == kept.name
    assert f"reservation: {kept.name}" in refused.value.suggestions
    requester = world.person("requester", [world.project])
    (drawn,) = world.ask(pool, length=26, reservation=kept.pk, actor=requester)
    assert str(drawn.blocks()[0]) == "10.40.64.0/26"
    assert [str(p) for p in kept.left()] == ["10.40.64.64/26"]
    name = world.project.name + "-two"
    world.do(add_record, "project", {"name": name})
    other = world.person("requester", [Project.objects.get(name=name)])
    with pytest.raises(Refusal, match=f"{world.project.name} may draw from it, not {name}") as refused:
        world.ask(pool, length=26, reservation=kept.pk, actor=other, project=name)
    assert refused.value.code == "not-allowed"
    holds()


def test_what_was_drawn_goes_back_to_its_reservation(world, reserve, holds):
    from lentra.registry.operations.subnets.give_back import give_back_subnet

    pool = world.pool("10.40.64.0/24", cooling_days=2)
    kept = reserve(pool, "10.40.64.0/25", projects=[world.project])
    (drawn,) = world.ask(pool, hosts=20, reservation=kept.pk)
    world.do(give_back_subnet, drawn.pk)
    world.later(days=3)
    world.ask(pool, length=26)  # ends the cooling
    assert [str(p) for p in kept.left()] == ["10.40.64.0/25"]
    holds()


def test_a_planner_turns_a_reservation_into_a_block(world, reserve, holds):
    from lentra.registry.models import Reservation

    pool = world.pool("10.40.64.0/24")
    kept = reserve(pool, "10.40.64.64/26")
    (made,) = world.ask(pool, reservation=kept.pk)
    assert str(made.blocks()[0]) == "10.40.64.64/26"
    assert not Reservation.objects.filter(pk=kept.pk).exists()
    holds()


def test_an_exclusive_reservation_refuses_other_uses_and_says_whose_it_is(world, reserve):
    pool = world.pool("10.40.64.0/24")
    kept = reserve(pool, "10.40.64.0/25", service="booking", projects=[world.project])
    with pytest.raises(Refusal, match="kept for booking alone") as refused:
        world.ask(pool, length=26, reservation=kept.pk)
    assert (refused.value.code, refused.value.suggestions) == ("kept-for-service", ["booking"])
    (made,) = world.ask(pool, length=26, reservation=kept.pk, service="booking")
    assert made.service == "booking"


def test_a_reservation_that_ends_counts_as_free_at_once(world, reserve, holds):
    pool = world.pool("10.40.64.0/26")
    reserve(pool, "10.40.64.0/26", ends_at=world.clock.moment + timedelta(hours=1))
    with pytest.raises(Refusal, match="nothing is left"):
        world.ask(pool, length=27)
    world.later(hours=1)
    assert len(world.ask(pool, length=27, count=2)) == 2
    holds()


def test_an_end_in_the_past_and_a_reason_left_out_are_refused(world, reserve):
    pool = world.pool("10.40.64.0/26")
    with pytest.raises(Refusal, match="has passed"):
        reserve(pool, "10.40.64.0/27", ends_at=world.clock.moment)
    with pytest.raises(Refusal, match="needs a reason"):
        reserve(pool, "10.40.64.0/27", reason=" ")
    assert world.space(pool) == [("10.40.64.0/26", "free")]


def test_editing_says_who_may_draw_and_moves_the_end(world, reserve):
    from lentra.registry.models import Reservation
    from lentra.registry.operations.reservations.reserve import edit_reservation

    pool = world.pool("10.40.64.0/26")
    kept = reserve(pool, "10.40.64.0/27")
    ends_at = world.clock.moment + timedelta(days=1)
    world.do(
        edit_reservation, kept.pk, {"ends_at": ends_at, "reason": "until the quay is rebuilt"}, [world.project], []
    )
    kept = Reservation.objects.get(pk=kept.pk)
    assert (kept.ends_at, [p.name for p in kept.projects.all()]) == (ends_at, [world.project.name])
    world.later(days=2)
    world.ask(pool, length=26)
    assert not Reservation.objects.filter(pk=kept.pk).exists()


def test_a_held_subnet_is_confirmed_or_falls_back_with_its_name(world, holds):
    from lentra.registry.operations.subnets.replace_subnet import confirm_held

    pool = world.pool("10.40.64.0/24")
    before = world.space(pool)
    (held,) = world.ask(pool, length=26, room=1, hold_minutes=10, name="ramp-one")
    assert held.state == "held"
    assert {state for _, state in world.space(pool)} == {"held", "room", "free"}
    world.later(minutes=5)
    world.do(confirm_held, held.pk)
    holds()
    held.refresh_from_db()
    assert (held.state, held.ends_at) == ("active", None)
    (other,) = world.ask(pool, length=26, hold_minutes=10, name="ramp-two")
    world.later(minutes=10)
    (again,) = world.ask(pool, length=26, name="ramp-two")
    assert again.pk != other.pk
    with pytest.raises(Refusal, match="no subnet number"):
        world.do(confirm_held, other.pk)
    assert before == [("10.40.64.0/24", "free")]
    holds()


def test_a_name_whose_cooling_has_ended_in_another_pool_is_free_at_once(world, holds):
    from lentra.registry.operations.subnets.give_back import give_back_subnet

    one, two = world.pool("10.40.64.0/24"), world.pool("10.41.64.0/24", name="other")
    (old,) = world.ask(one, length=26, name="ramp-one")
    world.do(give_back_subnet, old.pk)
    with pytest.raises(Refusal, match="cooling until"):
        world.ask(two, length=26, name="ramp-one")
    world.later(days=8)
    (new,) = world.ask(two, length=26, name="ramp-one")
    assert new.pool_id == two.pk
    assert world.space(one) == [("10.40.64.0/24", "free")]
    holds()
