"""Plans: what is previewed is what is committed, all or nothing, and again changes nothing."""

import pytest

from lentra.addressing.prefix import parse_prefix
from lentra.addressing.refusal import Refusal


@pytest.fixture
def plan(world):
    """Writes plans for the world's places, and commits, holds and previews them."""
    from lentra.registry.models import Tier, Zone
    from lentra.registry.operations.setup.add_record import add_record

    class Plans:
        def __init__(self):
            mark = world.realm_name[2:]
            self.zones = []
            for n in range(4):
                world.do(add_record, "zone", {"name": f"quay-{n}-{mark}", "region": world.region})
                self.zones.append(Zone.objects.get(name=f"quay-{n}-{mark}"))
            self.tiers = []
            for word in ("edge", "data", "ops"):
                world.do(add_record, "tier", {"name": f"{word}-{mark}"})
                self.tiers.append(Tier.objects.get(name=f"{word}-{mark}"))

        def document(self, pool, zones=3, tiers=3, length=23, v6=None, **more):
            pools = {"ipv4": f"{world.realm_name}:{pool.name}"}
            if v6:
                pools["ipv6"] = f"{world.realm_name}:{v6.name}"
            return {
                "format": "lentra-plan-1",
                "name": "hall",
                "project": world.project.name,
                "pools": pools,
                "zones": [zone.name for zone in self.zones[:zones]],
                "tiers": [{"tier": tier.name, "length": length} for tier in self.tiers[:tiers]],
                **more,
            }

        def run(self, document, preview=False, actor=None, **options):
            from lentra.registry.operations.plans.commit_plan import commit_plan
            from lentra.registry.plans.reading import read_document
            from lentra.registry.transactions.run import run_transaction

            box = []
            run_transaction(
                lambda change: commit_plan(change, read_document(document), **options),
                clock=world.clock,
                actor=actor,
                preview=preview,
                render=lambda result, change: box.append(result),
            )
            return box[-1]

    return Plans()


HEAD = "format: lentra-plan-1\nname: x\nproject: y\npools: {ipv4: p}\nzones: [a]\n"


def blocks(proposed):
    return {
        one.slot.key: (one.name, one.tag, [str(laid.block) for _, laid in sorted(one.blocks.items())])
        for one in proposed.added
    }


def test_zones_and_tiers_are_laid_out_as_in_the_worked_example(world, plan, holds):
    pool = world.pool("10.40.160.0/19")
    document = plan.document(pool, summarise="plan", room={"zones": 1, "tiers": 1})
    done = plan.run(document)
    found = sorted(text for _, _, (text,) in blocks(done).values())
    assert found == [
        *("10.40.160.0/23", "10.40.162.0/23", "10.40.164.0/23"),
        *("10.40.168.0/23", "10.40.170.0/23", "10.40.172.0/23"),
        *("10.40.176.0/23", "10.40.178.0/23", "10.40.180.0/23"),
    ]
    spare = [(str(prefix), r.kind) for r in done.plan.reservations.order_by("first") for prefix in r.left()]
    assert spare == [
        *(("10.40.166.0/23", "future tier"), ("10.40.174.0/23", "future tier")),
        *(("10.40.182.0/23", "future tier"), ("10.40.184.0/21", "future zone")),
    ]
    holds()
    # A fourth zone and a fourth tier come out of what was kept back.
    more = plan.document(pool, zones=4, summarise="plan", room={"zones": 1, "tiers": 1})
    more["tiers"].append({"tier": plan.tiers[0].name, "as": "edge-2", "length": 23, "zones": [plan.zones[1].name]})
    shown = plan.run(more, preview=True)
    assert not shown.errors
    done = plan.run(more, proposal=shown.token)
    assert blocks(done) == blocks(shown)
    assert sorted(text for _, _, (text,) in blocks(done).values()) == [
        *("10.40.174.0/23", "10.40.184.0/23", "10.40.186.0/23", "10.40.188.0/23"),
    ]
    holds()


@pytest.mark.parametrize("summarise", ["none", "zone", "plan"])
def test_a_commit_gives_exactly_the_preview_and_again_changes_nothing(world, plan, holds, summarise):
    pool = world.pool("10.40.0.0/16", "fd46:40::/48")
    world.ask(pool, length=24, count=3)
    document = plan.document(pool, v6=pool, length=26, summarise=summarise, tags={"from": 100})
    document["room"] = {"block": 1} | ({"zones": 1, "tiers": 1} if summarise != "none" else {})
    shown = plan.run(document, preview=True)
    before = world.space(pool)
    world.ask(pool, prefix="10.40.192.0/22")  # something else changes in the pool
    done = plan.run(document, proposal=shown.token)
    assert blocks(done) == blocks(shown)
    assert len(before) < len(world.space(pool))
    assert {tag for _, tag, _ in blocks(done).values()} == {100, 101, 102}
    holds()
    after = world.space(pool)
    again = plan.run(document)
    assert (again.added, again.comparison.resized, again.comparison.unwanted) == ([], [], [])
    assert len(again.comparison.kept) == 9
    assert world.space(pool) == after
    if summarise != "none":
        for zone in plan.zones[:3]:
            own = [
                parse_prefix(b)
                for key, (_, _, bs) in blocks(done).items()
                for b in bs[:1]
                if key.startswith(zone.name)
            ]
            # nothing of another zone lies between a zone's blocks
            low, high = min(b.first for b in own), max(b.last for b in own)
            others = [
                parse_prefix(bs[0]) for key, (_, _, bs) in blocks(done).items() if not key.startswith(zone.name)
            ]
            assert not any(low <= other.first <= high for other in others)


def test_a_hold_falls_back_by_itself_and_exactly(world, plan, holds):
    pool = world.pool("10.40.0.0/18", "fd46:40::/48")
    before = world.space(pool)
    document = plan.document(pool, v6=pool, length=26, summarise="zone", room={"zones": 1, "tiers": 1, "block": 1})
    held = plan.run(document, hold_minutes=10)
    assert held.plan.state == "held"
    assert {state for _, state in world.space(pool)} >= {"held", "room", "reserved"}
    holds()
    world.later(minutes=11)
    world.ask(pool, length=24)[0]  # counts as free at once, without upkeep
    from lentra.registry.models import Plan, Reservation
    from lentra.registry.operations.subnets.give_back import give_back_subnet

    assert not Plan.objects.filter(realm=world.realm).exists()
    assert not Reservation.objects.filter(realm=world.realm).exists()
    world.do(
        give_back_subnet,
        f"{world.realm_name}:{world.project.name}-{world.zone.name}-{world.tier.name}-01",
        at_once=True,
    )
    assert world.space(pool) == before
    holds()


def test_a_hold_over_two_pools_falls_back_in_both_whichever_is_asked_first(world, plan, holds):
    pool, other = world.pool("10.40.0.0/18"), world.pool("fd46:40::/48", name="six")
    before = world.space(pool) + world.space(other)
    plan.run(plan.document(pool, v6=other, length=26, summarise="zone", room={"zones": 1}), hold_minutes=10)
    holds()
    world.later(minutes=10)
    (one,) = world.ask(other, families=[6])
    assert str(one.blocks()[0]) == "fd46:40::/64"
    from lentra.registry.operations.subnets.give_back import give_back_subnet

    world.do(give_back_subnet, one.pk, at_once=True)
    world.ask(pool, length=30, name="last-one")
    world.do(give_back_subnet, f"{world.realm_name}:last-one", at_once=True)
    assert world.space(pool) + world.space(other) == before
    holds()


def test_a_held_plan_is_committed_as_it_was_held(world, plan, holds):
    pool = world.pool("10.40.0.0/18", "fd46:40::/48")
    document = plan.document(pool, v6=pool, length=26, summarise="zone", room={"zones": 1})
    held = plan.run(document, hold_minutes=10)
    world.later(minutes=5)
    done = plan.run(document)
    assert blocks(done) == blocks(held)
    world.later(days=2)
    world.ask(pool, length=24)
    assert done.plan.subnets.filter(state="active").count() == 9
    assert [r.ends_at for r in done.plan.reservations.all()] == [
        None
    ] * 8  # both families: a spare zone, three zones' rest
    holds()


def test_two_overlapping_previews_one_wins_and_the_other_is_told(world, plan):
    pool = world.pool("10.40.160.0/20")
    one = plan.document(pool, zones=2, summarise="zone")
    two = plan.document(pool, zones=2, summarise="zone", name="other-hall")
    first, second = plan.run(one, preview=True), plan.run(two, preview=True)
    plan.run(one, proposal=first.token)
    with pytest.raises(Refusal) as refused:
        plan.run(two, proposal=second.token)
    assert refused.value.code == "stale-proposal"
    assert refused.value.conflicts[0]["owner"]


def test_what_is_no_longer_wanted_is_listed_and_given_back_on_explicit_word(world, plan, holds):
    from lentra.registry.models import Plan
    from lentra.registry.plans.comparing import departures

    pool = world.pool("10.40.160.0/19")
    plan.run(plan.document(pool, summarise="zone"))
    less = plan.document(pool, zones=2, summarise="zone")
    less["tiers"][0]["length"] = 24
    shown = plan.run(less, preview=True)
    assert len(shown.comparison.unwanted) == 3
    assert len(shown.comparison.resized) == 2
    assert not shown.added
    plan.run(less)
    saved = Plan.objects.get(realm=world.realm)
    assert saved.subnets.filter(state="active").count() == 9
    words = {departure.what for departure in departures(saved)}
    assert words == {"the plan no longer wants it", "it has /23, the plan says /24"}
    plan.run(less, give_back=True)
    assert saved.subnets.filter(state="active").count() == 6
    holds()


def test_what_does_not_fit_says_the_shortfall_and_changes_nothing(world, plan):
    pool = world.pool("10.40.160.0/21")
    document = plan.document(pool, zones=4)
    before = world.space(pool)
    shown = plan.run(document, preview=True)
    (error,) = shown.errors
    assert "needs 6,144 addresses of IPv4 in pool pool, 2,048 are free: 4,096 addresses are missing" in error.text
    assert error.suggestions == ["a pool with a free /19"]
    with pytest.raises(Refusal) as refused:
        plan.run(document)
    assert refused.value.code == "plan-not-possible"
    assert world.space(pool) == before


def test_all_faults_of_a_plan_are_listed_at_once(world, plan):
    pool = world.pool("10.40.160.0/19")
    document = plan.document(pool)
    document["zones"].append("nowhere")
    document["tiers"].append({"tier": "tea-room", "length": 26})
    document["tiers"].append({"tier": plan.tiers[0].name, "as": "too-long", "length": 31})
    document["tiers"].append({"tier": plan.tiers[0].name, "as": "odd", "length": 26, "exposure": "public"})
    shown = plan.run(document, preview=True)
    words = " | ".join(error.text for error in shown.errors)
    for part in (
        "no zone 'nowhere'",
        "no tier 'tea-room'",
        "/31 is out of bounds",
        "is private, the plan says public",
    ):
        assert part in words


@pytest.mark.parametrize(
    ("text", "place", "words"),
    [
        ("format: lentra-plan-1\nname: x\nprojekt: y\n", "line 3", "there is no such key"),
        ("format: lentra-plan-1\nname: x\nname: y\n", "line 3", "the key is there twice"),
        ("format: [\n", "line 2", "expected"),
        ("", "text", "empty"),
        ("- 1\n- 2\n", "line 1", "is not a mapping"),
        (
            HEAD + "tiers:\n  - tier: t\n    hosts: many\n",
            "line 8",
            "'many' is not a whole number",
        ),
        (
            HEAD + "tiers:\n  - tier: t\n",
            "line 7",
            "say how much",
        ),
        (
            HEAD + "tiers: [{tier: t, hosts: 0}]\n",
            "line 6",
            "at least 1",
        ),
    ],
)
def test_errors_point_to_line_and_path(registry_database, text, place, words):
    from lentra.registry.plans.reading import read_plan

    with pytest.raises(Refusal) as refused:
        read_plan(text)
    assert refused.value.code == "bad-plan"
    assert words in str(refused.value)
    assert place in str(refused.value) or place == refused.value.field
