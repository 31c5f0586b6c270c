"""Requests that wait: which rule they meet, what is held for them, what a grant gives, and what nobody can do twice."""

from __future__ import annotations

from datetime import timedelta

import pytest

from lentra.addressing.refusal import Refusal
from lentra.registry.errors import Invalid, NotAllowed, QuotaReached, StaleProposal, WrongState
from tests.registry.test_space_stays_right import at_once


@pytest.fixture
def asker(world):
    return world.person("requester", [world.project])


@pytest.fixture
def planner(world):
    return world.person("planner")


@pytest.fixture(autouse=True)
def no_rules_of_others(registry_database):
    from lentra.registry.models import ApprovalRule

    yield
    ApprovalRule.objects.all().delete()


def rule(world, when, **values):
    from lentra.registry.models import ApprovalRule
    from lentra.registry.operations.setup.add_record import add_record

    name = values.pop("name", f"{when}-{world.realm_name}")
    world.do(add_record, "approval rule", {"name": name, "when": when, "realm": world.realm, **values})
    return ApprovalRule.objects.get(name=name)


def ask(world, actor, what="subnets", subject=None, instead_of=None, why="", **values):
    """As a call does it: what it was given, or the request that waits."""
    from lentra.registry.operations.waiting.ask import MustWait, keep_waiting
    from lentra.registry.operations.waiting.ask import ask as ask_for
    from lentra.registry.operations.waiting.performing import Asking
    from lentra.registry.transactions.run import run_transaction

    if what == "subnets":
        values = {"project": world.project.name, "tier": world.tier.name, "zone": world.zone.name, **values}
    asking, box = Asking(what, values, subject, instead_of=instead_of), []
    common = {
        "actor": actor,
        "clock": world.clock,
        "why": why,
        "render": lambda result, change: box.append(result),
    }
    try:
        run_transaction(lambda change: ask_for(change, asking), **common)
    except MustWait as stopped:
        run_transaction(lambda change, waits=stopped.waits: keep_waiting(change, waits), **common)
    return box[-1]


def decide(world, actor, operation, request, *values, **named):
    from lentra.registry.models import WaitingRequest
    from lentra.registry.operations.waiting import decide as deciding
    from lentra.registry.operations.waiting import handle

    doing = getattr(deciding, operation, None) or getattr(handle, operation)
    world.do(doing, request.pk, *values, actor=actor, **named)
    return WaitingRequest.objects.get(pk=request.pk)


def test_what_meets_no_rule_is_granted_at_once_and_a_planner_meets_none(world, asker, planner, holds):
    pool = world.pool("10.40.64.0/20")
    rule(world, "wider-than", limit=24)
    assert len(ask(world, asker, pool=pool.pk, length=25).subnets) == 1
    assert len(ask(world, planner, pool=pool.pk, length=22).subnets) == 1
    waiting = ask(world, asker, pool=pool.pk, length=23)
    assert (waiting.state, waiting.held) == ("waiting", True)
    assert (
        waiting.rule_words
        == f"a request waits for a planner if a block is wider than /24, realm {world.realm_name}"
    )
    holds()


def test_a_grant_gives_exactly_what_was_shown_and_held_whatever_came_between(world, asker, planner, holds):
    pool = world.pool("10.40.64.0/22")
    rule(world, "more-at-once", limit=1)
    waiting = ask(world, asker, pool=pool.pk, length=25, count=2, why="two more quays")
    assert [state for _, state in world.space(pool)].count("held") == 2
    with pytest.raises(Refusal):
        world.ask(pool, prefix="10.40.64.0/25")
    from lentra.registry.operations.subnets.replace_subnet import confirm_held

    with pytest.raises(WrongState, match="on which a planner decides"):
        world.do(confirm_held, waiting.made[0], actor=asker)
    world.later(days=3)
    granted = decide(world, planner, "grant", waiting)
    assert (granted.state, granted.differs, granted.made) == ("granted", [], waiting.made)
    assert [p for p, state in world.space(pool) if state == "handed out"] == ["10.40.64.0/25", "10.40.64.128/25"]
    for again in ("grant", "withdraw"):
        with pytest.raises(WrongState, match=f"was granted by {planner.name} at 2026-03-04"):
            decide(world, planner, again, waiting)
    holds()


def test_without_a_hold_a_grant_is_what_was_shown_or_says_what_took_its_place(world, asker, planner, holds):
    pool = world.pool("10.40.64.0/24")
    rule(world, "always", holds=False)
    one, two = (ask(world, asker, pool=pool.pk, length=26) for _ in range(2))
    assert not one.held
    assert [state for _, state in world.space(pool)] == ["free"]
    decide(world, planner, "grant", one)
    with pytest.raises(StaleProposal, match="since the preview, the name"):
        decide(world, planner, "grant", two)
    from lentra.registry.operations.waiting.decide import Decision

    granted = decide(world, planner, "grant", two, Decision(anew=True))
    assert granted.differs == [{"what": "blocks", "asked": "10.40.64.0/26", "granted": "10.40.64.64/26"}]
    holds()


def test_something_else_is_granted_and_the_requester_sees_what_changed(world, asker, planner, holds):
    from lentra.registry.models import Subnet
    from lentra.registry.operations.waiting.decide import Decision

    pool, other = world.pool("10.40.64.0/22"), world.pool("10.41.64.0/22", name="other")
    rule(world, "wider-than", limit=26)
    waiting = ask(world, asker, pool=pool.pk, length=24)
    with pytest.raises(Invalid, match="colour is not what subnets are asked for by"):
        decide(world, planner, "grant", waiting, Decision({"colour": "red"}))
    granted = decide(world, planner, "grant", waiting, Decision({"pool": other.pk, "length": 25}))
    assert [one["what"] for one in granted.differs] == ["length", "pool", "blocks"]
    assert [str(b) for b in Subnet.objects.get(pk=granted.made[0]).blocks()] == ["10.41.64.0/25"]
    assert [state for _, state in world.space(pool)] == ["free"]
    holds()


def test_refused_withdrawn_lapsed_and_asked_anew_give_up_what_was_held(world, asker, planner, holds):
    from lentra.registry.models import WaitingRequest
    from lentra.registry.operations.waiting.handle import look_after_waiting

    pool = world.pool("10.40.64.0/22")
    rule(world, "always", lapses_after=5, reminds_after=2)
    refused, withdrawn, lapsed, former = (ask(world, asker, pool=pool.pk, length=26) for _ in range(4))
    with pytest.raises(Invalid, match="say why"):
        decide(world, planner, "refuse", refused, " ")
    assert decide(world, planner, "refuse", refused, "a /27 will do").decision == "a /27 will do"
    with pytest.raises(NotAllowed):
        decide(world, world.person("requester", [world.project]), "withdraw", withdrawn)
    decide(world, asker, "withdraw", withdrawn)
    later = ask(world, asker, pool=pool.pk, length=27, instead_of=former.pk)
    assert WaitingRequest.objects.get(pk=former.pk).state == "withdrawn"
    assert later.state == "waiting"
    held = {prefix for prefix, state in world.space(pool) if state == "held"}
    assert held == {"10.40.64.128/26", "10.40.64.192/27"}
    world.later(days=3)
    assert look_after_waiting(world.clock)["reminded"] >= 2
    world.later(days=3)
    with pytest.raises(WrongState, match="lapsed at 2026-03-06"):
        decide(world, planner, "grant", lapsed)
    look_after_waiting(world.clock)
    assert WaitingRequest.objects.get(pk=lapsed.pk).state == "lapsed"
    assert len(world.ask(pool, length=22)) == 1  # nothing of it is held any more
    holds()


def test_two_planners_at_once_one_wins_and_the_other_is_told(world, asker, holds):
    pool = world.pool("10.40.64.0/22")
    rule(world, "always")
    waiting = ask(world, asker, pool=pool.pk, length=26)
    planners = [world.person("planner") for _ in range(4)]
    told = at_once(*(lambda p=p: decide(world, p, "grant", waiting) for p in planners))
    won = [one for one in told if not isinstance(one, Exception)]
    assert len(won) == 1
    assert all(isinstance(one, WrongState) for one in told if isinstance(one, Exception)), told
    assert f"was granted by {won[0].decided_by.name}" in str(next(one for one in told if one is not won[0]))
    holds()


def test_the_first_rule_in_order_decides_and_one_may_grant_before_another_has_it_wait(world, asker):
    pool = world.pool("10.40.64.0/20")
    rule(world, "always", place=50)
    rule(world, "always", name=f"free-{world.realm_name}", decision="granted", tier=world.tier, place=10)
    assert ask(world, asker, pool=pool.pk, length=26).subnets


def test_each_condition_waits_where_it_should_and_only_there(world, asker, planner):
    from lentra.registry.models import ApprovalRule
    from lentra.registry.operations.setup.edit_record import edit_record
    from lentra.registry.operations.setup.remove_record import remove_record

    pool = world.pool("10.40.64.0/24", warning_percent=60)
    public = world.pool("10.42.64.0/24", name="public", sheet="single-address", exposure="public")
    world.limit(v4_addresses=200)
    cases = (
        ("share-of-pool", {"limit": 20}, {"length": 26}, {"length": 28}),
        ("public-space", {}, {"pool": public.pk, "length": 32}, {"length": 28}),
        ("more-in-a-month", {"limit": 3}, {"length": 30, "count": 3}, {"length": 30}),
        ("outside-hours", {"hours": "mon-fri 09:00-10:00"}, {"length": 30}, None),  # a Sunday, eight o'clock
        ("beyond-quota", {}, {"length": 26, "count": 3}, {"length": 30}),
    )
    for when, values, waits, at_once_granted in cases:
        made = rule(world, when, **values)
        waiting = ask(world, asker, **{"pool": pool.pk, **waits})
        assert getattr(waiting, "state", "") == "waiting", when
        decide(world, asker, "withdraw", waiting)
        if at_once_granted:
            assert ask(world, asker, **{"pool": pool.pk, **at_once_granted}).subnets, when
        world.do(remove_record, "approval rule", made.pk)
    rule(world, "pool-above-warning")
    assert ask(world, asker, pool=pool.pk, length=27).subnets
    world.limit(v4_addresses=1000)
    world.ask(pool, length=25)
    assert ask(world, asker, pool=pool.pk, length=30).state == "waiting"
    for wrong in (
        {"limit": 40},
        {"limit": None},
        {"when": "outside-hours", "hours": "always"},
        {"time_zone": "Ferry/Quay"},
    ):
        with pytest.raises(Invalid):
            world.do(
                edit_record,
                "approval rule",
                rule(world, "wider-than", limit=24, name=f"w-{world.realm_name}").pk,
                wrong,
            )
        ApprovalRule.objects.filter(name=f"w-{world.realm_name}").delete()


def test_beyond_a_quota_waits_is_not_held_and_a_grant_raises_the_quota(world, asker, planner, holds):
    from lentra.registry.models import Quota

    pool = world.pool("10.40.64.0/22")
    quota = world.limit(subnets=1)
    ask(world, asker, pool=pool.pk, length=28)
    with pytest.raises(QuotaReached):
        ask(world, asker, pool=pool.pk, length=28)
    rule(world, "beyond-quota")
    waiting = ask(world, asker, pool=pool.pk, length=28)
    assert (waiting.state, waiting.held) == ("waiting", False)
    holds()
    decide(world, planner, "grant", waiting)
    assert Quota.objects.get(pk=quota.pk).subnets == 2
    holds()


def test_growth_plans_and_reservations_wait_as_well(world, asker, planner, holds):
    from lentra.registry.models import Plan, Reservation, Subnet

    pool = world.pool("10.40.64.0/20")
    (subnet,) = world.ask(pool, length=26)
    with pytest.raises(NotAllowed):
        ask(
            world,
            world.person("viewer"),
            "reservation",
            pool=pool.pk,
            length=28,
            reason="gates",
            projects=[world.project.pk],
        )
    reserving = ask(
        world, asker, "reservation", pool=pool.pk, length=28, reason="gates", projects=[world.project.pk]
    )
    assert reserving.rule_words == "reserving is for planners to do"
    assert reserving.held
    rule(world, "always")
    growing = ask(world, asker, "growth", subnet.pk, length=25, second=True)
    assert not growing.held
    document = {
        "format": "lentra-plan-1",
        "name": f"quays-{world.realm_name}",
        "project": world.project.name,
        "pools": {"ipv4": f"{world.realm_name}:{pool.name}"},
        "zones": [world.zone.name],
        "tiers": [{"tier": world.tier.name, "length": 27, "count": 3}],
    }
    planning = ask(world, asker, "plan", document=document)
    assert (planning.held, Plan.objects.get(pk=planning.made[0]).state) == (True, "held")
    holds()
    for request in (reserving, growing, planning):
        assert decide(world, planner, "grant", request).state == "granted"
    assert [b.length for b in Subnet.objects.get(pk=subnet.pk).blocks()] == [26, 26]
    assert Plan.objects.get(pk=planning.made[0]).state == "committed"
    assert Reservation.objects.get(pk=reserving.made[0]).ends_at is None
    holds()


def test_what_is_said_passed_on_and_edited_is_in_the_ledger(world, asker, planner):
    from lentra.registry.reports.waiting import beside, conversation

    pool = world.pool("10.40.64.0/22")
    world.pool("10.41.64.0/22", name="elsewhere")
    rule(world, "always")
    waiting = ask(world, asker, pool=pool.pk, length=24, why="a new quay")
    decide(world, planner, "say", waiting, "which quay?")
    decide(world, asker, "say", waiting, "the northern one")
    decide(world, planner, "pass_on", waiting, planner.name)
    with pytest.raises(Invalid, match="planners decide"):
        decide(world, planner, "pass_on", waiting, asker.name)
    with pytest.raises(Invalid, match="has passed"):
        decide(
            world, asker, "edit_request", waiting, {"needed_by": (world.clock.now() - timedelta(days=1)).date()}
        )
    waiting = decide(world, asker, "edit_request", waiting, {"links": ["https://wiki.ferry.example/quay"]})
    told = conversation(waiting)
    assert [(one["what"], one["by"]) for one in told] == [
        ("say", planner.name),
        ("say", asker.name),
        ("pass on", planner.name),
        ("edit", asker.name),
    ]
    assert told[1]["text"] == "the northern one"
    seen = beside(waiting, world.clock.now())
    assert seen["blocks"] == ["10.40.64.0/24"]
    assert [(row["before_percent"], row["after_percent"]) for row in seen["usage"]] == [(0.0, 25.0)]
    assert [one["pool"]["name"] for one in seen["elsewhere"]] == ["elsewhere"]


def plan_of(world, pool, **tier):
    return {
        "format": "lentra-plan-1",
        "name": f"quays-{world.realm_name}",
        "project": world.project.name,
        "pools": {"ipv4": f"{world.realm_name}:{pool.name}"},
        "zones": [world.zone.name],
        "tiers": [{"tier": world.tier.name, **tier}],
    }


def test_what_is_held_for_a_request_is_nobodys_until_a_planner_decides(world, asker, planner, holds):
    """Nothing but a grant makes it theirs: neither confirming one subnet of a plan, nor drawing from a reservation."""
    from lentra.registry.models import Reservation, Subnet
    from lentra.registry.operations.subnets.replace_subnet import confirm_held

    pool = world.pool("10.40.64.0/20")
    reserving = ask(
        world, asker, "reservation", pool=pool.pk, length=26, reason="gates", projects=[world.project.pk]
    )
    rule(world, "more-at-once", limit=1)
    planning = ask(world, asker, "plan", document=plan_of(world, pool, length=27, count=2))
    reservation, part = (
        Reservation.objects.get(pk=reserving.made[0]),
        Subnet.objects.get(plan=planning.made[0], name_number=1),
    )
    before = world.space(pool)
    for taken in (
        lambda: world.ask(pool, length=28, reservation=reservation.pk, actor=asker),
        lambda: world.ask(pool, length=28, reservation=reservation.pk, actor=asker, preview=True),
        lambda: ask(world, asker, pool=pool.pk, length=28, reservation=reservation.pk),
        lambda: world.do(confirm_held, part.pk, actor=asker),
        lambda: world.do(confirm_held, part.pk, actor=asker, preview=True),
    ):
        with pytest.raises(WrongState, match="on which a planner decides"):
            taken()
    assert world.space(pool) == before
    for request in (reserving, planning):
        decide(world, planner, "grant", request)
    assert world.ask(pool, length=28, reservation=reservation.pk, actor=asker)[0].state == "active"
    holds()


def preview_of(world, actor, what, subject=None, **values):
    """The rule by which something would wait, as its preview says; None if it would be done at once."""
    from lentra.registry.operations.waiting.ask import ask as ask_for
    from lentra.registry.operations.waiting.performing import Asking

    told = []

    def work(change):
        ask_for(change, Asking(what, values, subject))
        told.append(change.waits and change.waits.rule.when)

    world.do(work, actor=actor, preview=True)
    return told[-1]


def test_a_commit_waits_where_its_preview_says_so_and_nowhere_else(world, asker, holds):
    """Conditions look at what was there before, however far the operation has written when they are asked."""
    pool = world.pool("10.40.64.0/24", warning_percent=25)
    rule(world, "more-in-a-month", limit=4)
    rule(world, "pool-above-warning")
    (subnet,) = world.ask(pool, length=27)
    planned = {"document": plan_of(world, pool, length=27, count=3)}
    assert preview_of(world, asker, "plan", **planned) is None
    assert (
        ask(world, asker, "plan", **planned).plan.state == "committed"
    )  # four with these, from an eighth to a half
    four = {"tier": world.tier.name, "project": world.project.name, "zone": world.zone.name, "pool": pool.pk}
    assert preview_of(world, asker, "subnets", **four, length=30) == "more-in-a-month"
    assert ask(world, asker, pool=pool.pk, length=30).rule.startswith("more-in-a-month")
    grown = {"length": 26, "second": True}
    assert preview_of(world, asker, "growth", subnet.pk, **grown) == "pool-above-warning"
    assert ask(world, asker, "growth", subnet.pk, **grown).rule.startswith("pool-above-warning")
    other = world.pool("10.41.64.0/24", name="other", warning_percent=25)
    (subnet,) = world.ask(other, length=28)
    assert preview_of(world, asker, "growth", subnet.pk, length=25) is None
    assert [block.length for block in ask(world, asker, "growth", subnet.pk, length=25).blocks()] == [25]
    holds()
