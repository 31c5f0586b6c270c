"""Rules that live in the registry: places, templates, bounds, people, upkeep, statements."""

import uuid
from datetime import timedelta

import pytest

from lentra.addressing.prefix import parse_prefix as P
from lentra.addressing.refusal import LengthOutOfBounds, Refusal
from lentra.registry.errors import Frozen, InUse, Invalid, StaleEdit, WrongPool, ZoneNotInRegion


def test_a_hand_out_takes_two_round_trips_once_the_set_up_is_known(world, request):
    """BEGIN and COMMIT included, as the driver sends them; signing in is one more."""
    from django.db import connection

    from lentra.registry.operations.setup.edit_record import edit_record
    from lentra.registry.operations.subnets.hand_out import hand_out
    from lentra.registry.requests.request import SubnetRequest
    from lentra.registry.transactions.run import run_transaction

    pool, person = world.pool("10.40.64.0/20"), world.person("planner")
    wanted = SubnetRequest(pool.name, world.project.name, world.tier.name, world.zone.name, length=26)
    wanted.pool = pool.pk

    def ask(key):
        run_transaction(lambda change: hand_out(change, wanted), actor=person, key=key, key_with_lock=True)

    ask("first")
    driver, sent = connection.connection, []
    own = {call: getattr(driver, call) for call in ("query", "commit", "rollback", "autocommit")}
    for call, send in own.items():
        setattr(driver, call, lambda *given, send=send: (sent.append(given), send(*given))[1])
    request.addfinalizer(lambda: [setattr(driver, call, send) for call, send in own.items()])
    ask("second")
    assert len(sent) == 2, sent
    del sent[:]
    ask("second")  # is answered as before, and changes nothing
    assert len(sent) == 2, sent
    assert pool.subnets.count() == 2
    world.do(edit_record, "tier", world.tier.pk, {"about": "other words"})
    del sent[:]
    ask("third")  # what was kept of the set-up no longer holds: it is read anew
    assert 3 <= len(sent) <= 6, sent
    assert pool.subnets.count() == 3


def test_what_a_process_keeps_of_the_set_up_ends_with_it(world, monkeypatch):
    from lentra.registry.errors import NotAllowed
    from lentra.registry.lookup import kept
    from lentra.registry.operations.people.manage_people import edit_person
    from lentra.registry.operations.pools.edit_pool import edit_pool

    pool, person = world.pool("10.40.64.0/20"), world.person("requester", [world.project])
    world.person("admin")
    world.ask(pool, actor=person, length=26)
    known = kept._kept
    world.do(edit_pool, pool.pk, {"shortest_v4": 27})
    monkeypatch.setattr(kept, "_kept", known)  # as another process has it still
    with pytest.raises(LengthOutOfBounds):
        world.ask(pool, actor=person, length=26)
    world.ask(pool, actor=person, length=27)
    known = kept._kept
    world.do(edit_person, person.pk, {}, None, [])
    monkeypatch.setattr(kept, "_kept", known)
    with pytest.raises(NotAllowed):
        world.ask(pool, actor=person, length=27)
    with pytest.raises(NotAllowed):
        world.ask(pool, actor=person, length=27)  # as this process keeps it by now
    known = kept._kept
    world.do(edit_person, person.pk, {}, None, [world.project])
    monkeypatch.setattr(kept, "_kept", known)
    world.ask(pool, actor=person, length=27)


def test_many_at_once_cost_little_more_than_one(world):
    from django.conf import settings
    from django.db import connection, reset_queries

    pool = world.pool("10.40.0.0/16")
    world.ask(pool, length=28)
    settings.DEBUG = True
    reset_queries()
    world.ask(pool, length=28, count=200)
    settings.DEBUG = False
    assert len(connection.queries) < 40


def test_pools_serve_their_place_and_project_alone(world):
    from lentra.registry.lookup.serving import serving_pools
    from lentra.registry.models import Zone
    from lentra.registry.operations.setup.add_record import add_record

    other = f"far-{uuid.uuid4().hex[:8]}"
    world.do(add_record, "zone", {"name": other, "region": world.region})
    anywhere = world.pool("10.40.0.0/16", name="anywhere")
    here = world.pool("10.41.0.0/16", name="here", zone=world.zone)
    region = world.pool("10.42.0.0/16", name="region", region=world.region)
    far = world.pool("10.43.0.0/16", name="far", zone=Zone.objects.get(name=other))
    own = world.pool("10.46.0.0/16", name="own", project=world.project)
    found = serving_pools(4, 24, zone=world.zone, project=world.project, realm=world.realm)
    assert [pool.name for pool in found] == ["own", "here", "region", "anywhere"]
    assert own not in serving_pools(4, 24, zone=world.zone, realm=world.realm)
    with pytest.raises(WrongPool) as caught:
        world.ask(far, length=26)
    assert here.name in caught.value.suggestions
    assert [p.name for p in serving_pools(4, 15, zone=world.zone, realm=world.realm)] == []
    assert anywhere in serving_pools(4, 16, region=world.region, realm=world.realm)
    elsewhere = f"elsewhere-{uuid.uuid4().hex[:8]}"
    world.do(add_record, "region", {"name": elsewhere})
    with pytest.raises(ZoneNotInRegion):
        world.ask(anywhere, length=26, region=elsewhere)
    assert region


def test_a_pool_gives_subnets_pools_or_both(world, holds):
    from lentra.registry.lookup.serving import serving_pools

    above = world.pool("10.40.0.0/16", name="above", gives="pools")
    both = world.carve(above, "10.40.0.0/20", name="a-both")
    inner = world.carve(above, "10.40.16.0/20", name="inner", gives="subnets")
    found = serving_pools(4, 26, zone=world.zone, project=world.project, realm=world.realm)
    assert [pool.name for pool in found][:2] == [
        "inner",
        "a-both",
    ]  # the one that really gives subnets comes first
    with pytest.raises(WrongPool, match="pools are carved out of pool above") as refused:
        world.ask(above, length=26)
    assert refused.value.suggestions == ["inner", "a-both"]  # of the same realm
    with pytest.raises(WrongPool, match="no pools are carved out of it"):
        world.carve(inner, "10.40.16.0/24", name="too-deep")
    world.ask(inner, length=26)
    world.carve(both, "10.40.0.0/24", name="deep")
    world.ask(both, length=26)
    holds()


def test_a_pool_has_bounds_of_its_own(world):
    pool = world.pool("10.40.64.0/20", shortest_v4=24, longest_v4=27)
    with pytest.raises(LengthOutOfBounds, match="pool pool hands out /24 to /27") as caught:
        world.ask(pool, length=23)
    assert caught.value.suggestions == ["/24"]
    with pytest.raises(LengthOutOfBounds):
        world.ask(pool, length=28)


def test_beside_takes_the_place_next_to_a_subnet_or_prefix(world):
    pool = world.pool("10.40.64.0/20", "fd46:40::/48")
    (first,) = world.ask(pool, prefix="10.40.70.0/24", name="quay-01")
    (near,) = world.ask(pool, length=24, beside="quay-01")
    assert str(near.blocks()[0]) == "10.40.71.0/24"
    (again,) = world.ask(pool, length=26, beside="10.40.70.0/24")
    assert str(again.blocks()[0]) == "10.40.69.192/26"  # directly before is nearer than past the other
    (other_family,) = world.ask(
        pool, families=[6], beside="quay-01"
    )  # a neighbour of the other family does not bind
    assert other_family.blocks()[0].family == 6
    assert first


def test_templates_name_by_what_they_say(world):
    from lentra.registry.operations.setup.edit_record import edit_record

    world.do(edit_record, "realm", world.realm.pk, {"name_template": "{tier}.{environment}.{nn}"})
    pool = world.pool("10.40.64.0/20")
    assert world.ask(pool, length=28)[0].name == f"{world.tier.name}.production.01"
    world.do(edit_record, "realm", world.realm.pk, {"name_template": "n{nn}.{tier}"})
    seen = world.ask(pool, preview=True, length=28)
    names = [
        world.ask(pool, length=28, proposal=seen.token)[0].name,
        *(s.name for s in world.ask(pool, length=28, count=2)),
    ]
    assert names == [f"n{n}.{world.tier.name}" for n in ("01", "02", "03")]
    for template, fault in (
        ("{project}", "needs {nn}"),
        ("{harbour}-{nn}", "no field {harbour}"),
        ("{nn", "needs {nn} once"),
        ("{project}-{nn:d}", "no field {nn:d}"),
        ("{project:>5000000}-{nn}", "no field {project:>5000000}"),
        ("{project!r}-{nn}", "no field {project!r}"),
        ("{project} {nn}", "would make names such as 'a 01'"),
        ("{nn}", "would make names such as '01'"),
        ("x" * 117 + "{nn}", "has 121 characters"),
        ("{project}}-{nn}", "without its other half"),
    ):
        with pytest.raises(Invalid, match=fault):
            world.do(edit_record, "realm", world.realm.pk, {"name_template": template})


def test_set_up_objects_in_use_stay_and_keep_what_is_fixed(world):
    from lentra.registry.operations.setup.edit_record import edit_record
    from lentra.registry.operations.setup.remove_record import remove_record

    pool = world.pool("10.40.64.0/20")
    world.ask(pool, length=28)
    for kind, record in (("tier", world.tier), ("project", world.project), ("zone", world.zone)):
        with pytest.raises(InUse) as caught:
            world.do(remove_record, kind, record.pk)
        assert caught.value.conflicts
    with pytest.raises(Frozen, match="exposure of tier"):
        world.do(edit_record, "tier", world.tier.pk, {"exposure": "public"})
    with pytest.raises(Frozen, match="1 record uses it"):
        world.do(edit_record, "project", world.project.pk, {"name": "another"})
    with pytest.raises(StaleEdit, match="now at ledger|now at"):
        world.do(edit_record, "tier", world.tier.pk, {"about": "x"}, version=1)
    world.do(edit_record, "tier", world.tier.pk, {"exposure": "private", "about": "as before"})


def test_adding_ranges_keeps_to_realm_and_sheet(world, holds):
    from lentra.registry.operations.pools.add_pool import add_range

    pool = world.pool("10.40.0.0/24", sheet="four-and-one")
    for n in (1, 2, 3):
        world.do(add_range, pool.pk, P(f"10.40.{n}.0/24"))
    with pytest.raises(Refusal, match="has 4 IPv4 ranges, and rule sheet four-and-one allows 4"):
        world.do(add_range, pool.pk, P("10.40.9.0/24"))
    world.do(add_range, pool.pk, P("fd46:40::/48"))
    # Neighbouring ranges are not joined: a block lies inside one range.
    with pytest.raises(Refusal, match="largest free is a /24"):
        world.ask(pool, length=23)
    carved = world.carve(pool, "10.40.2.0/24")
    with pytest.raises(Refusal, match="is outside pool pool"):
        world.do(add_range, carved.pk, P("10.40.9.0/24"))
    holds()


def test_one_process_at_a_time_does_upkeep(world):
    from lentra.registry.models import Operation
    from lentra.registry.upkeep import run_upkeep, take_lease

    world.later(days=20_000)  # after whatever lease other tests took
    one, two = uuid.uuid4(), uuid.uuid4()
    assert take_lease(one, world.clock)
    assert not take_lease(two, world.clock)
    assert take_lease(one, world.clock)
    world.later(minutes=2)
    assert take_lease(two, world.clock)
    before = Operation.objects.count()
    assert before
    run_upkeep(world.clock)
    assert Operation.objects.filter(at__lt=world.clock.now() - timedelta(days=2)).count() == 0


def test_the_last_admin_cannot_step_down(world):
    from lentra.registry.models import Person
    from lentra.registry.operations.people.manage_people import edit_person

    admin = world.person("admin")
    Person.objects.filter(role="admin").exclude(pk=admin.pk).update(active=False)
    for values in ({"role": "viewer"}, {"active": False}):
        with pytest.raises(Invalid, match="last active admin"):
            world.do(edit_person, admin.pk, values, None, None)
    world.do(edit_person, admin.pk, {}, "a long enough password", [world.project])
    admin.refresh_from_db()
    assert admin.check_password("a long enough password")
    assert list(admin.projects.all()) == [world.project]


def test_a_key_is_free_again_after_a_day(world):
    from lentra.registry.errors import KeyReused
    from lentra.registry.operations.setup.add_record import add_record
    from lentra.registry.transactions.run import run_transaction

    person, made = world.person("planner"), []

    def add(digest):
        name = f"tier-{uuid.uuid4().hex[:8]}"
        outcome = run_transaction(
            lambda change: add_record(change, "tier", {"name": name}),
            actor=person,
            clock=world.clock,
            key="k",
            digest=digest,
            render=lambda tier, _: tier.name,
        )
        made.append(outcome.answer)
        return outcome

    add("one")
    assert add("one").replayed
    with pytest.raises(KeyReused):
        add("two")
    world.later(hours=25)
    assert not add("two").replayed
    assert made[0] == made[1] != made[2]
