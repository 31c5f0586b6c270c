"""Pools, keep-outs, hand-outs and releases: what they do to space and names, and what they refuse."""

from datetime import timedelta

import pytest

from lentra.addressing.prefix import parse_prefix as P
from lentra.addressing.refusal import Exhausted, KeptOut, OutsideParent, Overlaps, Refusal


def test_a_hand_out_takes_the_snug_gap_and_a_release_cools_then_frees_it(world, holds):
    pool = world.pool("10.40.64.0/20", cooling_days=7)
    first, second = world.ask(pool, length=24, count=2)
    assert [str(s.blocks()[0]) for s in (first, second)] == ["10.40.64.0/24", "10.40.65.0/24"]
    from lentra.registry.models import Subnet
    from lentra.registry.operations.subnets.give_back import give_back_subnet
    from lentra.registry.upkeep import run_upkeep

    world.do(give_back_subnet, first.pk)
    assert ("10.40.64.0/24", "cooling") in world.space(pool)
    (third,) = world.ask(pool, length=24)
    assert str(third.blocks()[0]) == "10.40.66.0/24"
    holds()
    world.later(days=7)
    run_upkeep(world.clock)
    assert not Subnet.objects.filter(pk=first.pk).exists()
    assert ("10.40.64.0/24", "free") in world.space(pool)
    holds()


def test_cooling_that_has_ended_is_free_even_before_upkeep_runs(world, holds):
    from lentra.registry.operations.subnets.give_back import give_back_subnet

    pool = world.pool("10.40.64.0/24", cooling_days=3)
    (only,) = world.ask(pool, length=24, name="quay-01")
    world.do(give_back_subnet, only.pk)
    with pytest.raises(Exhausted):
        world.ask(pool, length=24)
    with pytest.raises(Refusal, match=r"cooling until 2026-03-04 08:00 UTC\); free is 'quay-02'"):
        world.ask(world.pool("10.40.65.0/24", name="other"), length=24, name="quay-01")
    world.later(days=3)
    (again,) = world.ask(pool, length=24, name="quay-01")
    assert str(again.blocks()[0]) == "10.40.64.0/24"
    holds()


def test_zero_cooling_days_and_at_once_free_immediately(world, holds):
    from lentra.registry.errors import WrongState
    from lentra.registry.operations.subnets.give_back import give_back_subnet

    pool = world.pool("10.40.64.0/23", cooling_days=0)
    (subnet,) = world.ask(pool, length=24)
    world.do(give_back_subnet, subnet.pk)
    assert world.space(pool) == [("10.40.64.0/23", "free")]
    slow = world.pool("10.40.66.0/23", name="slow", cooling_days=5)
    (subnet,) = world.ask(slow, length=24)
    world.do(give_back_subnet, subnet.pk)
    with pytest.raises(WrongState, match="given back already"):
        world.do(give_back_subnet, subnet.pk)
    world.do(give_back_subnet, subnet.pk, at_once=True)
    assert world.space(slow) == [("10.40.66.0/23", "free")]
    holds()


def test_both_families_are_handed_out_together(world, holds):
    pool = world.pool("10.40.64.0/20", "fd46:40::/48", sheet="four-and-one")
    (subnet,) = world.ask(pool, hosts=180, growth=40, families=[4, 6])
    assert [str(b) for b in subnet.blocks()] == ["10.40.64.0/23", "fd46:40::/64"]
    with pytest.raises(Refusal) as caught:
        world.ask(pool, families=[6])
    assert caught.value.code == "needs-ipv4"
    holds()


def test_a_preview_shows_exactly_what_its_token_then_commits(world, holds):
    from lentra.registry.errors import StaleProposal

    pool = world.pool("10.40.64.0/22")
    seen = world.ask(pool, preview=True, length=25, count=3)
    shown = [(s.name, s.known_blocks) for s in seen.subnets]
    other = world.ask(world.pool("10.41.0.0/24", name="far"), length=28, name="unrelated")
    assert other
    assert world.space(pool) == [("10.40.64.0/22", "free")]
    made = world.ask(pool, length=25, count=3, proposal=seen.token)
    assert [(s.name, s.known_blocks) for s in made] == shown

    seen = world.ask(pool, preview=True, length=25)
    block = seen.subnets[0].known_blocks[0]
    (taker,) = world.ask(pool, prefix=str(block), name="quicker")
    with pytest.raises(StaleProposal, match="quicker took its place") as caught:
        world.ask(pool, length=25, proposal=seen.token)
    assert caught.value.conflicts[0]["id"] == taker.pk
    with pytest.raises(Refusal, match="another request"):
        world.ask(pool, length=26, proposal=seen.token)
    holds()


def test_keep_outs_take_effect_on_free_space_now_and_on_used_space_when_it_is_freed(world, holds):
    from lentra.registry.operations.pools.add_keep_out import remove_keep_out
    from lentra.registry.operations.subnets.give_back import give_back_subnet

    pool = world.pool("10.40.64.0/22", cooling_days=0)
    (subnet,) = world.ask(pool, prefix="10.40.64.0/24")
    with pytest.raises(Overlaps, match="covers space in use") as caught:
        world.keep_out("10.40.64.128-10.40.65.9")
    assert caught.value.conflicts[0]["owner"] == subnet.name
    keep_out = world.keep_out("10.40.64.128-10.40.65.9", despite_use=True)
    assert ("10.40.65.0/29", "kept out") in world.space(pool)
    with pytest.raises(KeptOut) as caught:
        world.ask(pool, prefix="10.40.65.0/28")
    assert "used elsewhere" in caught.value.message
    world.do(give_back_subnet, subnet.pk)
    assert ("10.40.64.128/25", "kept out") in world.space(pool)
    assert ("10.40.64.0/25", "free") in world.space(pool)
    holds()
    wider = world.keep_out("10.40.64.0/23")
    with pytest.raises(Refusal, match="needs a reason"):
        world.do(remove_keep_out, wider)
    world.do(remove_keep_out, wider, why="found unused")
    assert ("10.40.65.0/29", "kept out") in world.space(pool)
    world.do(remove_keep_out, keep_out, why="found unused")
    assert world.space(pool) == [("10.40.64.0/22", "free")]
    holds()


def test_special_ranges_are_kept_out_of_every_new_realm_until_lifted(world, holds):
    from lentra.registry.models import KeepOut
    from lentra.registry.operations.pools.add_keep_out import remove_keep_out

    with pytest.raises(KeptOut, match="nothing could ever be handed out of it"):
        world.pool("203.0.113.0/24")
    pool = world.pool("203.0.112.0/23")
    with pytest.raises(KeptOut):
        world.ask(pool, prefix="203.0.113.0/28")
    special = KeepOut.objects.get(realm=world.realm, family=4, first=P("203.0.113.0/24").first)
    world.do(remove_keep_out, special, why="stands in for a public range")
    (subnet,) = world.ask(pool, prefix="203.0.113.0/28")
    assert str(subnet.blocks()[0]) == "203.0.113.0/28"
    holds()


def test_pools_are_carved_given_back_and_never_overlap(world, holds):
    from lentra.registry.errors import InUse
    from lentra.registry.operations.pools.carve_pool import give_back_pool
    from lentra.registry.operations.subnets.give_back import give_back_subnet

    outer = world.pool("10.40.0.0/16", cooling_days=0)
    world.keep_out("10.40.66.0/24")
    inner = world.carve(outer, "10.40.64.0/20", sheet=world.sheets["four-and-one"])
    assert ("10.40.66.0/24", "kept out") in world.space(inner)
    found = world.carve(outer, name="found", lengths=[(4, 22)])
    assert found.sheet == outer.sheet
    assert found.sheet_inherited
    (subnet,) = world.ask(inner, length=26)
    with pytest.raises(Overlaps):
        world.ask(outer, prefix="10.40.65.0/24")
    with pytest.raises(Overlaps):
        world.pool("10.40.65.0/24", name="again")
    with pytest.raises(InUse) as caught:
        world.do(give_back_pool, inner.pk)
    assert caught.value.conflicts[0]["range"] == subnet.name
    holds()
    world.do(give_back_subnet, subnet.pk)
    world.do(give_back_pool, inner.pk)
    world.do(give_back_pool, found.pk)
    assert [state for _, state in world.space(outer) if state == "carved"] == []
    assert ("10.40.66.0/24", "kept out") in world.space(outer)
    holds()


def test_a_range_outside_the_pool_is_refused_with_the_nearest_and_the_pool_that_has_it(world):
    outer = world.pool("10.40.0.0/16")
    inner = world.carve(outer, "10.40.64.0/19")
    sibling = world.carve(outer, "10.40.96.0/19", name="sibling")
    with pytest.raises(OutsideParent) as caught:
        world.ask(inner, prefix="10.40.96.0/22")
    assert "ends 10.40.95.255" in caught.value.message
    assert caught.value.suggestions == ["10.40.92.0/22", f"pool {sibling.name}"]


def test_usage_rolled_up_over_carved_pools_counts_nothing_twice(world):
    from lentra.addressing.extents import State
    from lentra.registry.reports.usage import own_usage, rolled_up

    outer = world.pool("10.40.0.0/16")
    inner = world.carve(outer, "10.40.64.0/20")
    inmost = world.carve(inner, "10.40.72.0/22", name="inmost")
    for pool in (outer, inner, inmost):
        world.ask(pool, length=24)
    rolled, own = rolled_up([outer.pk]), own_usage([outer.pk])
    usage = rolled[outer.pk][4]
    assert usage.total == own[outer.pk][4].total == 65536
    assert usage.addresses[State.HANDED_OUT] == 3 * 256
    assert usage.addresses[State.CARVED] == 0
    assert sum(c << (32 - n) for n, c in usage.free_counts.items()) == usage.free


def test_usage_of_several_pools_together_counts_each_address_once(world):
    from lentra.addressing.extents import State
    from lentra.registry.models import Pool
    from lentra.registry.reports.usage import usage_together

    outer = world.pool("10.40.0.0/16", "fd46:40::/48")
    inner = world.carve(outer, "10.40.64.0/20", region=world.region)
    deep = world.carve(inner, "10.40.72.0/22", name="deep")
    other = world.pool("10.48.0.0/24", name="other", region=world.region)
    for pool in (outer, inner, deep, other):
        world.ask(pool, length=26)
    world.keep_out("10.40.128.0/24")

    def together(**of):
        found = usage_together(Pool.objects.filter(realm=world.realm, **of))
        return {
            family: (usage.total, usage.addresses[State.HANDED_OUT], usage.addresses[State.CARVED])
            for family, usage in found.items()
        }

    assert together() == {4: (65536 + 256, 4 * 64, 0), 6: (1 << 80, 0, 0)}
    assert together(region=world.region) == {4: (4096 + 256, 3 * 64, 0)}
    # The outermost and the innermost alone: what lies between them is there all the same, and nothing twice.
    assert together(pk__in=[outer.pk, deep.pk])[4] == (65536, 3 * 64, 0)
    shares = usage_together(Pool.objects.filter(realm=world.realm))[4]
    assert sum(shares.share(state) for state in State) == 1
    assert shares.addresses[State.KEPT_OUT] == 256


def test_names_number_onward_and_are_checked(world):
    pool = world.pool("10.40.64.0/20")
    stem = f"{world.project.name}-{world.zone.name}-{world.tier.name}"
    assert [s.name for s in world.ask(pool, length=28, count=2)] == [f"{stem}-01", f"{stem}-02"]
    world.ask(pool, length=28, name=f"{stem}-07")
    assert world.ask(pool, length=28)[0].name == f"{stem}-08"
    assert [s.name for s in world.ask(pool, length=28, count=2, name="deck-{nn}")] == ["deck-01", "deck-02"]
    with pytest.raises(Refusal, match="free is 'deck-03'"):
        world.ask(pool, length=28, name="deck-02")
    with pytest.raises(Refusal, match="not a valid name"):
        world.ask(pool, length=28, name="Not A Name")
    region_only = world.ask(pool, length=28, zone=None, region=world.region.name)[0]
    assert region_only.name.startswith(f"{world.project.name}-{world.region.name}-")


def test_the_ledger_tells_the_whole_life_of_a_subnet(world, holds):
    from django.db.models import Q

    from lentra.registry.models import LedgerEntry
    from lentra.registry.operations.subnets.edit_subnet import edit_subnet
    from lentra.registry.operations.subnets.give_back import give_back_subnet
    from lentra.registry.upkeep import run_upkeep

    pool = world.pool("10.40.64.0/24", cooling_days=1)
    (subnet,) = world.ask(pool, length=26)
    world.do(edit_subnet, subnet.pk, {"purpose": "gate readers"}, why="asked by the harbour")
    world.do(give_back_subnet, subnet.pk)
    world.later(days=1)
    run_upkeep(world.clock)
    entries = LedgerEntry.objects.filter(Q(number=subnet.pk) | Q(subject=subnet.pk)).order_by("number")
    assert [e.verb for e in entries] == ["hand out", "edit", "give back", "end cooling"]
    assert entries[0].after["blocks"] == ["10.40.64.0/26"]
    assert entries[1].before == {"purpose": ""}
    assert entries[1].why == "asked by the harbour"
    assert entries[3].before["blocks"] == ["10.40.64.0/26"]
    assert entries[3].at - entries[2].at == timedelta(days=1)
    with pytest.raises(TypeError):
        entries[0].delete()
    holds()


def test_verify_names_each_offender(world):
    from django.db.models import F

    from lentra.registry.models import ExtentRow, Space, Subnet
    from lentra.registry.reports.verify import verify

    pool = world.pool("10.40.64.0/24")
    (subnet,) = world.ask(pool, length=26)
    row = ExtentRow.objects.get(subnet=subnet)
    breaks = [
        (2, lambda: ExtentRow.objects.filter(pk=row.pk).delete(), row.save),
        (1, lambda: ExtentRow.objects.filter(pk=row.pk).update(length=25), row.save),
        (7, lambda: Space.objects.filter(pool=pool).update(carved=F("free"), free=0), None),
        (6, lambda: Subnet.objects.filter(pk=subnet.pk).update(last_entry=1), subnet.save),
    ]
    for rule, harm, mend in breaks:
        space = Space.objects.get(pool=pool)
        harm()
        found = verify(world.realm)  # in others, tests go behind the registry too
        assert not found["clean"]
        assert rule in {o["rule"] for o in found["offences"]}
        (mend or space.save)()
    assert verify(world.realm)["clean"]


def test_only_those_who_may_change_things(world):
    from lentra.registry.errors import NotAllowed
    from lentra.registry.operations.subnets.give_back import give_back_subnet

    pool = world.pool("10.40.64.0/22")
    stranger, member = world.person("requester"), world.person("requester", [world.project])
    with pytest.raises(NotAllowed, match="does not belong to project"):
        world.ask(pool, length=26, actor=stranger)
    with pytest.raises(NotAllowed, match="role requester is needed"):
        world.ask(pool, length=26, actor=world.person("viewer"))
    (subnet,) = world.ask(pool, length=26, actor=member)
    with pytest.raises(NotAllowed, match="role planner is needed"):
        world.do(give_back_subnet, subnet.pk, at_once=True, actor=member)
    world.do(give_back_subnet, subnet.pk, actor=member)


def test_a_broken_commit_is_looked_up_before_it_is_tried_again(world, monkeypatch, holds):
    from django.db import OperationalError, transaction

    from lentra.registry.models import Subnet

    pool = world.pool("10.40.64.0/22")
    real = transaction.Atomic.__exit__
    broken = []

    def breaks_after_commit(self, exc_type, exc, trace):
        real(self, exc_type, exc, trace)
        if exc_type is None and not broken:
            broken.append(True)
            raise OperationalError(2013, "Lost connection to server during query")

    monkeypatch.setattr(transaction.Atomic, "__exit__", breaks_after_commit)
    world.ask(pool, length=26)
    assert broken
    assert Subnet.objects.filter(pool=pool).count() == 1
    holds()
